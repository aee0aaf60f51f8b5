//! Targets beside the one that is diagnosed: one with more rights that looks it up, and settings
//! that are known to be right.

use std::path::Path;

use chronaxis_engines::by_id;
use chronaxis_model::sourced::{Origin, Sourced};

use super::{Wanted, of_option, reading};
use crate::args::Diagnose;
use crate::echo;
use crate::error::Failure;
use crate::input;

/// Settings that are known to be right, for a target to be held against.
pub(crate) fn hold_against_reference(
    args: &Diagnose,
    targets: &mut [Wanted],
) -> Result<(), Failure> {
    let Some(typed) = &args.reference else {
        return Ok(());
    };
    if !reading::is_path(typed.expose()) {
        return Err(Failure::ReferenceNoFile);
    }
    let (path, name) = reading::split(typed.expose());
    let shown = echo::path(Path::new(typed.expose()));
    if name.is_none()
        && let Ok(bytes) = input::whole(Path::new(path), LONGEST_PASSWORD_FILE)
        && let Ok(text) = String::from_utf8(bytes)
        && is_password_file(&text)
    {
        for wanted in targets {
            let found = chronaxis_engines::password_in_file(&text, &wanted.target);
            let Some((line, secret)) = found else {
                return Err(Failure::NoLineForIt { path: shown });
            };
            // A password file says nothing but the password.
            let mut reference = wanted.target.clone();
            let origin = Origin::Argument {
                name: "--reference".to_owned(),
            };
            reference.secret = Some(Sourced::new(secret, origin));
            let named = format!("{shown}, line {line}");
            chronaxis_engines::note_reference(&mut wanted.target, &reference, &named);
        }
        return Ok(());
    }
    let own = Diagnose {
        engine: args.engine.clone(),
        ..Diagnose::of(typed.clone())
    };
    let read = of_option(&own, "--reference")?;
    let [reference] = read.as_slice() else {
        return Err(Failure::ReferenceIsSeveral(read.len()));
    };
    for wanted in targets {
        chronaxis_engines::note_reference(&mut wanted.target, &reference.target, &shown);
    }
    Ok(())
}

/// Whether every line is one of a password file: five parts with colons between them
/// (PostgreSQL documentation, "The Password File").
fn is_password_file(text: &str) -> bool {
    let mut lines = text
        .lines()
        .filter(|l| !l.trim().is_empty() && !l.starts_with('#'));
    let has_parts = |line: &str| {
        let (first, rest) = line.split_once(':').unwrap_or((line, ""));
        !first.contains('=') && !rest.starts_with("//") && rest.matches(':').count() >= 3
    };
    lines.clone().next().is_some() && lines.all(has_parts)
}

/// Longest password file that is read.
const LONGEST_PASSWORD_FILE: u64 = 2 * 1024 * 1024;

/// The second target, which looks the first one up. Nothing of what the command or this
/// process's environment say of the first one's account counts for it.
pub(crate) fn administrator(args: &Diagnose) -> Result<Option<Wanted>, Failure> {
    let Some(typed) = &args.admin else {
        return Ok(None);
    };
    if typed.expose() == "-" {
        return Err(Failure::AdminFromStdin);
    }
    let own = Diagnose {
        engine: args.engine.clone(),
        ca: args.ca.clone(),
        passphrase_file: args.passphrase_file.clone(),
        ..Diagnose::of(typed.clone())
    };
    let mut read = of_option(&own, "--admin")?;
    let engine = read.first().map(|second| by_id(second.target.engine));
    if let Some(engine) = engine.filter(|engine| engine.spec.inquiry.is_empty()) {
        return Err(Failure::AdminOfEngine(engine.spec.title));
    }
    match read.len() {
        1 => Ok(read.pop()),
        count => Err(Failure::AdminIsSeveral(count)),
    }
}

//! From what was typed to targets that can be walked, station by station; no text goes back
//! to a station before:
//!
//! arguments → [`request`] → [`draft`]s with their places → [`engine`] chosen →
//! [`complete`]d by that engine's client, and checked → target

pub(crate) mod again;
pub(crate) mod bundle_alias;
pub(crate) mod bundled;
pub(crate) mod complete;
pub(crate) mod draft;
pub(crate) mod engine;
pub(crate) mod named_files;
pub(crate) mod reading;
pub(crate) mod request;
pub(crate) mod typed;

use chronaxis_diagnosis::judge::Again;
use chronaxis_engines::ClientEnvironment;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::{EngineId, Target};

use self::bundled::Material;
use self::draft::Described;
use self::request::Request;
use crate::args::Diagnose;
use crate::client_environment::{self, Environment};
use crate::echo;
use crate::error::Failure;
use crate::input;

/// A target, and the words that diagnose it again.
pub(crate) struct Wanted {
    pub(crate) target: Target,
    pub(crate) again: Option<Again>,
}

/// Reads every target before anything is sent: one that cannot be read stops the run.
pub(crate) fn targets(args: &Diagnose) -> Result<Vec<Wanted>, Failure> {
    let engine = engine::asked_for(args.engine.as_deref())?;
    request::check(args)?;
    let options = client_environment::from_options(args)?;
    let requests = request::all(args)?;
    let material = args
        .bundle
        .as_deref()
        .map(|path| Material::of(path, args.passphrase_file.as_deref()))
        .transpose()?;
    Way {
        args,
        engine,
        options: &options,
        material: material.as_ref(),
        environment: None,
    }
    .all(&requests)
}

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
    let shown = echo::path(std::path::Path::new(typed.expose()));
    if name.is_none()
        && let Ok(bytes) = input::whole(std::path::Path::new(path), LONGEST_PASSWORD_FILE)
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
    let options = client_environment::from_options(&own)?;
    let read = Way {
        args: &own,
        engine: engine::asked_for(own.engine.as_deref())?,
        options: &options,
        material: None,
        environment: Some(Environment::LeftOut),
    }
    .all(&request::all(&own)?)
    .map_err(|failure| of_option("--reference", failure))?;
    let [reference] = read.as_slice() else {
        return Err(Failure::ReferenceIsSeveral(read.len()));
    };
    for wanted in targets {
        chronaxis_engines::note_reference(&mut wanted.target, &reference.target, &shown);
    }
    Ok(())
}

/// A failure of the target that an option names.
fn of_option(option: &'static str, failure: Failure) -> Failure {
    match failure {
        Failure::Target { cause, .. } => Failure::OptionsTarget { option, cause },
        other => other,
    }
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
    let options = client_environment::from_options(&own)?;
    let mut read = Way {
        args: &own,
        engine: engine::asked_for(own.engine.as_deref())?,
        options: &options,
        material: None,
        environment: Some(Environment::LeftOut),
    }
    .all(&request::all(&own)?)
    .map_err(|failure| of_option("--admin", failure))?;
    match read.len() {
        1 => Ok(read.pop()),
        count => Err(Failure::AdminIsSeveral(count)),
    }
}

/// So many targets are worth a thread of their own to read them.
const WORTH_A_THREAD: usize = 500;

/// What counts for every target of a run.
struct Way<'a> {
    args: &'a Diagnose,
    engine: Option<EngineId>,
    options: &'a ClientEnvironment,
    /// What the bundle of the run gives.
    material: Option<&'a Material>,
    /// Whether the variables of this process count, where that is not the target's to say.
    environment: Option<Environment>,
}

impl Way<'_> {
    /// Reads them in their order, many on several threads: nothing is sent before the last
    /// one is read.
    fn all(&self, requests: &[Request]) -> Result<Vec<Wanted>, Failure> {
        let threads = std::thread::available_parallelism().map_or(1, usize::from);
        let share = requests.len().div_ceil(threads.max(1)).max(WORTH_A_THREAD);
        if requests.len() <= share {
            return self.some(requests, 1);
        }
        let parts: Vec<Result<Vec<Wanted>, Failure>> = std::thread::scope(|scope| {
            let begun: Vec<_> = requests
                .chunks(share)
                .enumerate()
                .map(|(part, chunk)| {
                    let work = move || self.some(chunk, part * share + 1);
                    let thread = std::thread::Builder::new().spawn_scoped(scope, work);
                    (part, chunk, thread)
                })
                .collect();
            let of_each = |(part, chunk, begun)| match begun {
                Ok(thread) => match std::thread::ScopedJoinHandle::join(thread) {
                    Ok(read) => read,
                    Err(panic) => std::panic::resume_unwind(panic),
                },
                // This machine gives no thread: read here.
                Err(_) => self.some(chunk, part * share + 1),
            };
            begun.into_iter().map(of_each).collect()
        });
        let mut out = Vec::with_capacity(requests.len());
        for part in parts {
            out.extend(part?);
        }
        Ok(out)
    }

    /// Reads some, the first of which has this number.
    fn some(&self, requests: &[Request], from: usize) -> Result<Vec<Wanted>, Failure> {
        let mut out = Vec::with_capacity(requests.len());
        for (number, request) in (from..).zip(requests) {
            out.extend(self.one(number, request)?);
        }
        Ok(out)
    }

    /// The targets of one request. Of a folder's, one that is not followed here does not keep
    /// the others from being walked.
    fn one(&self, number: usize, request: &Request) -> Result<Vec<Wanted>, Failure> {
        let passphrase = self.args.passphrase_file.as_deref();
        let drafts = draft::of(request, self.engine, number, passphrase)?;
        let mut out = Vec::with_capacity(drafts.len());
        let mut refused = None;
        for mut described in drafts {
            if let Some(environment) = self.environment {
                described.environment = environment;
            }
            match self.wanted(number, described) {
                Ok(wanted) => out.push(wanted),
                Err(failure) => refused = refused.or(Some(failure)),
            }
        }
        match refused {
            Some(failure) if out.is_empty() => Err(failure),
            _ => Ok(out),
        }
    }

    fn wanted(&self, number: usize, described: Described) -> Result<Wanted, Failure> {
        let chosen = engine::choose(self.engine, &described)?;
        let mut options = self.options.clone();
        let material = self.material.or(described.material.as_deref());
        if let Some(material) = material {
            material.add_to(&mut options);
        }
        let mut target = complete::target(&described, chosen, options, number)?;
        let now = jiff::Timestamp::now().as_second();
        match material {
            Some(material) => {
                material.judge(&mut target);
                chronaxis_engines::note_token(&mut target, now);
            }
            None => chronaxis_engines::note_dates(&mut target, now),
        }
        let again = again::of(self.args, &described, &target);
        Ok(Wanted { target, again })
    }
}

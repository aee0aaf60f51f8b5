//! A bundle against the settings of a connection: whether the paths that they name lead into
//! it, and what they lack. Nothing is sent.

use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};

use chronaxis_bundle::chain::{Together, is_authority};
use chronaxis_bundle::findings::Finding;
use chronaxis_bundle::item::Bundle;
use chronaxis_engines::by_id;
use chronaxis_model::found::CauseId;
use chronaxis_model::settings::DefectKind;
use chronaxis_model::shown;
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::{ClientId, Target};

/// A bundle that lies somewhere.
pub(super) struct Lying<'a> {
    pub(super) path: &'a Path,
    pub(super) is_folder: bool,
    pub(super) bundle: &'a Bundle,
    pub(super) together: &'a Together,
}

/// A file that settings name.
struct Named<'a> {
    what: &'static str,
    path: &'a str,
    origin: Option<&'a Origin>,
    /// The file of the bundle that serves in its place.
    instead: Option<&'a str>,
}

/// What is wrong with the use that the settings make of the bundle.
pub(super) fn findings(target: &Target, lying: &Lying<'_>) -> Vec<Finding> {
    let shown = target.shown();
    let files = by_id(target.engine).strings.tls_files(&shown);
    let origin = |path: &str| {
        let mut options = shown.options.iter();
        let (key, _) = options.find(|(_, value)| value.as_str() == path)?;
        target.origins.get(key)
    };
    let bundle = lying.bundle;
    let of = |at: chronaxis_bundle::item::At| bundle.files.get(at.file).map(|f| f.path.as_str());
    let authority = bundle
        .certificates()
        .into_iter()
        .find(|(_, c)| is_authority(c))
        .and_then(|(at, _)| of(at));
    let pair = lying
        .together
        .pairs
        .iter()
        .find(|p| !p.certificates.is_empty());
    let key = pair.and_then(|p| of(p.key));
    let certificate = pair
        .and_then(|p| p.certificates.first())
        .and_then(|at| of(*at));
    let named = [
        ("CA certificates", files.authorities, authority),
        ("client certificate", files.certificate, certificate),
        ("private key", files.key, key),
    ];
    let mut out = Vec::new();
    for (what, path, instead) in named {
        let Some(path) = path.filter(|p| *p != "system") else {
            continue;
        };
        let named = Named {
            what,
            path,
            origin: origin(path),
            instead,
        };
        out.extend(one(&named, target.client, lying));
    }
    // What the client makes of the files that are there, by its own rules; that others can read
    // the key is told above.
    for defect in &target.defects {
        let cause = match defect.kind {
            DefectKind::FileUnusable => CauseId::BundleUnreadable,
            DefectKind::FileLocked => CauseId::BundlePassphraseWrong,
            DefectKind::FileMismatch => CauseId::BundleKeyMismatch,
            _ => continue,
        };
        let fix = format!("This client needs {}.", defect.expected);
        out.push(Finding::fault(cause, defect.text.clone()).fix(fix));
    }
    // What the client looks for by itself, and does not find.
    let missing = target
        .defects
        .iter()
        .filter(|d| d.kind == DefectKind::FileMissing && d.stops);
    for defect in missing {
        let found = Finding::fault(CauseId::BundleIncomplete, defect.text.clone());
        let fix = match authority {
            Some(file) => format!(
                "Name the CA certificates of the bundle in the settings: {}",
                lies_at(lying, file)
            ),
            None => "Get the CA certificates from whoever issued the bundle.".to_owned(),
        };
        out.push(found.fix(fix));
    }
    out
}

/// Where a file of the bundle lies, as settings would name it.
fn lies_at(lying: &Lying<'_>, file: &str) -> String {
    let top = fs::canonicalize(lying.path).unwrap_or_else(|_| lying.path.to_owned());
    match lying.is_folder {
        true => top.join(file).display().to_string(),
        false => format!(
            "DIR/{file}, after chronaxis bundle {} --unpack DIR",
            shown::path(&lying.path.to_string_lossy())
        ),
    }
}

fn one(named: &Named<'_>, client: ClientId, lying: &Lying<'_>) -> Option<Finding> {
    let shown_path = shown::path(named.path);
    let place = match named.origin {
        Some(origin) => format!(" ({})", origin.shown()),
        None => String::new(),
    };
    let real = fs::canonicalize(named.path);
    let Ok(real) = real else {
        let name = named.path.rsplit('/').next().unwrap_or_default();
        let same = lying.bundle.files.iter().map(|f| f.path.as_str());
        let same = same
            .into_iter()
            .find(|f| f.rsplit('/').next() == Some(name));
        let Some(file) = same.or(named.instead) else {
            let text = format!(
                "the settings look for the {} at {shown_path}{place}: nothing is there, and the bundle has none",
                named.what
            );
            let found = Finding::fault(CauseId::BundlePathStale, text);
            return Some(found.fix("Get the missing part from whoever issued the bundle."));
        };
        let text = format!(
            "the settings look for the {} at {shown_path}{place}: nothing is there; the bundle has it in {file}",
            named.what
        );
        let fix = format!("{}{}", edit(named.origin), lies_at(lying, file));
        return Some(Finding::fault(CauseId::BundlePathStale, text).fix(fix));
    };
    let top: Option<PathBuf> = lying
        .is_folder
        .then(|| fs::canonicalize(lying.path).ok())
        .flatten();
    if !top.is_some_and(|top| real.starts_with(top)) {
        let text = format!(
            "the settings use the {} at {shown_path}{place}, which is no part of this bundle",
            named.what
        );
        let found = Finding::fault(CauseId::BundlePathStale, text);
        let fix = named.instead.map(|file| {
            format!(
                "{}{}, if this bundle is the right one.",
                edit(named.origin),
                lies_at(lying, file)
            )
        });
        return Some(Finding {
            fault: false,
            fix,
            ..found
        });
    }
    let mode = fs::metadata(&real).ok()?.permissions().mode();
    let open = named.what == "private key" && client == ClientId::Libpq && mode & 0o077 != 0;
    open.then(|| {
        let text = format!(
            "other users can read the private key {shown_path} (mode {:04o}), and this client refuses it for that reason",
            mode & 0o7777
        );
        let quoted = chronaxis_model::shell::quoted(named.path);
        Finding::fault(CauseId::BundlePermissions, text).fix(format!("chmod 600 {quoted}"))
    })
}

/// Where an edit is to be made.
fn edit(origin: Option<&Origin>) -> String {
    match origin {
        Some(Origin::File { file, line, .. }) => {
            format!("In {}, line {line}: write ", shown::path(file))
        }
        Some(Origin::Variable { .. } | Origin::Argument { .. } | Origin::Default { .. }) | None => {
            "In the settings, write ".to_owned()
        }
        Some(Origin::Message { .. } | Origin::Target { .. } | Origin::Stdin { .. }) => {
            "In the connection string, write ".to_owned()
        }
    }
}

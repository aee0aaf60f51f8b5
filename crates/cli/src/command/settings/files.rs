//! Files with certificates and keys that connections name: what stands in each, and what is
//! wrong with it whoever reads it.

use std::path::Path;

use chronaxis_bundle::chain::together;
use chronaxis_bundle::findings::findings;
use chronaxis_bundle::item::Bundle;
use chronaxis_bundle::uses::uses;
use chronaxis_diagnosis::bundle::{ShownItem, item};
use chronaxis_diagnosis::survey::{Finding, NamedFile};
use chronaxis_model::found::{CauseId, FindingId, Warning};
use chronaxis_model::settings::{Field, Weight};
use chronaxis_model::shown;
use chronaxis_readers::Connection;
use chronaxis_tls::ByRing;

use crate::bundles;
use crate::way_in::named_files::{Named, beside, named, place};

/// More things than these in a file are counted.
const MOST: usize = 3;

/// The files that a connection names, and what was found about them.
pub(super) fn of(connection: &Connection) -> (Vec<NamedFile>, Vec<Finding>) {
    let mut shown_files = Vec::new();
    let mut found = Vec::new();
    let mut parts = Vec::new();
    // What lies in a program's class path is no file of this machine.
    let is_file = |one: &Named| !one.wanted.path.starts_with("classpath:");
    let all: Vec<Named> = named(connection).filter(is_file).collect();
    for one in &all {
        found.extend(alone(one, &all));
    }
    for one in all {
        match &one.at {
            // What the client makes of a folder is said by its own rules.
            Some(at) if at.is_dir() => {}
            Some(at) => parts.extend(read(&one, at)),
            None => found.extend(moved(connection, &one)),
        }
        shown_files.push(NamedFile {
            option: one.option.to_owned(),
            path: shown::path(&one.wanted.path),
            lies_at: one.at.map(|at| shown::path(&at.to_string_lossy())),
            holds: Vec::new(),
        });
    }
    // One file may be named twice: certificate and key in one.
    parts.sort_by(|a, b| a.path.cmp(&b.path));
    parts.dedup_by(|a, b| a.path == b.path);
    let all = Bundle {
        files: parts,
        ..Bundle::default()
    };
    let together = together(&all, &ByRing);
    for file in &mut shown_files {
        let at = |f: &chronaxis_bundle::item::File| Some(&f.path) == file.lies_at.as_ref();
        let Some(index) = all.files.iter().position(at) else {
            continue;
        };
        if let Some(item) = item(&all, &together, index) {
            file.holds = holds(item);
        }
    }
    let now = jiff::Timestamp::now().as_second();
    let uses = uses(&all, &together, now);
    let of_parts = findings(&all, &together, &uses, now);
    let counts = of_parts
        .into_iter()
        .filter(|one| one.fault || matches!(one.id, FindingId::Warning(_)));
    found.extend(counts.filter_map(|one| {
        let file = one.file.and_then(|index| all.files.get(index))?;
        // In a list of all public authorities some are always old or weak.
        let is_list = file.objects.len() > MOST;
        let weight = weight(one.id).filter(|_| one.fault || !is_list)?;
        Some(Finding {
            id: one.id,
            weight,
            subject: Field::CERTIFICATES,
            text: format!("{}: {}", file.path, one.text),
            expected: one.fix.unwrap_or_default(),
            place: None,
            mended: None,
        })
    }));
    (shown_files, found)
}

/// What stands in a file, in words.
fn holds(item: ShownItem) -> Vec<String> {
    let is_store = item.content.contains("keystore") || item.content == "pkcs12";
    let mut out: Vec<String> = is_store.then_some(item.title).into_iter().collect();
    out.extend(item.locked.map(|_| "locked".to_owned()));
    match item.objects.len() {
        many if many > MOST => out.push(format!("{many} certificates and other parts")),
        _ => out.extend(item.objects.into_iter().map(|o| o.text)),
    }
    out
}

/// What counts for whoever reads the files: their dates and their strength. The rest is for the
/// client's own rules to say.
fn weight(id: FindingId) -> Option<Weight> {
    match id {
        FindingId::Cause(CauseId::BundleExpired | CauseId::CertificateNotYetValid) => {
            Some(Weight::Fault)
        }
        FindingId::Warning(Warning::CertificateExpiresSoon | Warning::WeakKey) => {
            Some(Weight::Caution)
        }
        _ => None,
    }
}

/// What stands in a file.
fn read(one: &Named, at: &Path) -> Option<chronaxis_bundle::item::File> {
    let passphrase = match &one.wanted.holds {
        chronaxis_engines::Holds::Certificates(passphrase) => passphrase.as_ref(),
        chronaxis_engines::Holds::Words => None,
    };
    let loaded = bundles::load(at, passphrase, &ByRing).ok()?;
    let mut file = loaded.bundle.files.into_iter().next()?;
    file.path = shown::path(&at.to_string_lossy());
    Some(file)
}

/// That a file is not beside another one that the settings name in the same folder.
fn alone(one: &Named, all: &[Named]) -> Option<Finding> {
    let path = &one.wanted.path;
    let folder = path.rsplit_once('/')?.0;
    let here = |other: &&Named| {
        let same = other.wanted.path.rsplit_once('/').map(|(f, _)| f) == Some(folder);
        same && other.at.is_some()
    };
    let beside = all.iter().find(here).filter(|_| one.at.is_none())?;
    Some(Finding {
        id: CauseId::BundleIncomplete.into(),
        weight: Weight::Caution,
        subject: Field::of(one.option),
        text: format!(
            "{} is not beside {}",
            shown::path(path),
            shown::path(&beside.wanted.path)
        ),
        expected: "the file where the program runs".to_owned(),
        place: None,
        mended: None,
    })
}

/// That a file is not where the settings have it, and that one of its name lies beside them. It
/// may well lie there where the program runs.
fn moved(connection: &Connection, one: &Named) -> Option<Finding> {
    let path = &one.wanted.path;
    let folder = Path::new(&connection.file).parent()?;
    let folder = match folder.as_os_str().is_empty() {
        true => Path::new("."),
        false => folder,
    };
    let now = beside(folder, path)?;
    let told = connection.draft.value(one.option)?;
    Some(Finding {
        id: CauseId::BundlePathStale.into(),
        weight: Weight::Caution,
        subject: Field::of(one.option),
        text: format!(
            "{} is not on this machine; a file of that name lies at {now}",
            shown::path(path)
        ),
        expected: format!("{now}, if the program runs here"),
        place: place(&told.origin),
        mended: None,
    })
}

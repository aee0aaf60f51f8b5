//! Files with certificates and keys that a connection names: what stands in each, and what is
//! wrong with it whoever reads it. What the connection's own client makes of them is said by that
//! client's rules.

use chronaxis_bundle::analysis::Analysis;
use chronaxis_bundle::item::{Bundle, File};
use chronaxis_bundle::tools::Tools;
use chronaxis_model::found::{CauseId, FindingId, Warning};
use chronaxis_model::settings::{Field, Place, Weight};
use chronaxis_model::shown;

use super::{Finding, NamedFile};
use crate::bundle::{ShownItem, item};

/// More things than these in a file are counted.
const MOST: usize = 3;

/// A file that a connection names, as it was found.
pub struct Seen {
    /// The option that names it.
    pub option: &'static str,
    /// Its path, as the settings have it.
    pub path: String,
    /// Where the settings say so.
    pub place: Option<Place>,
    /// Where it lies on this machine, as that may be shown.
    pub at: Option<String>,
    /// What stands in it; its path is where it lies.
    pub file: Option<File>,
    /// Where a file of that name lies beside the settings, if it is not on this machine.
    pub beside: Option<String>,
}

/// What is shown of the files that a connection names, and what was found about them; `now` in
/// seconds of Unix time.
pub fn named(seen: &[Seen], tools: &dyn Tools, now: i64) -> (Vec<NamedFile>, Vec<Finding>) {
    let mut found: Vec<Finding> = seen.iter().filter_map(|one| alone(one, seen)).collect();
    found.extend(seen.iter().filter_map(moved));
    let mut files: Vec<File> = seen.iter().filter_map(|one| one.file.clone()).collect();
    // One file may be named twice: certificate and key in one.
    files.sort_by(|a, b| a.path.cmp(&b.path));
    files.dedup_by(|a, b| a.path == b.path);
    let all = Bundle {
        files,
        ..Bundle::default()
    };
    let analysis = Analysis::of(&all, tools, now);
    let holds_of = |at: &String| {
        let index = all.files.iter().position(|f| f.path == *at)?;
        item(&all, &analysis.together, index).map(holds)
    };
    let shown_files = seen.iter().map(|one| NamedFile {
        option: one.option.to_owned(),
        path: shown::path(&one.path),
        lies_at: one.at.clone(),
        holds: one.at.as_ref().and_then(holds_of).unwrap_or_default(),
    });
    let shown_files = shown_files.collect();
    found.extend(analysis.findings.into_iter().filter_map(|one| {
        let file = one.file.and_then(|index| all.files.get(index))?;
        // In a list of all public authorities some are always old or weak.
        let is_list = file.objects.len() > MOST;
        let weight = weight(one.id, one.fault).filter(|_| one.fault || !is_list)?;
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

/// What counts for whoever reads the files: their dates and their strength.
fn weight(id: FindingId, fault: bool) -> Option<Weight> {
    match id {
        FindingId::Cause(CauseId::BundleExpired | CauseId::CertificateNotYetValid) if fault => {
            Some(Weight::Fault)
        }
        FindingId::Warning(Warning::CertificateExpiresSoon | Warning::WeakKey) => {
            Some(Weight::Caution)
        }
        _ => None,
    }
}

/// That a file is not beside another one that the settings name in the same folder.
fn alone(one: &Seen, all: &[Seen]) -> Option<Finding> {
    fn folder(path: &str) -> Option<&str> {
        path.rsplit_once('/').map(|(folder, _)| folder)
    }
    let own = folder(&one.path)?;
    let is_beside = |other: &&Seen| other.at.is_some() && folder(&other.path) == Some(own);
    let beside = all.iter().find(is_beside).filter(|_| one.at.is_none())?;
    Some(Finding {
        id: CauseId::BundleIncomplete.into(),
        weight: Weight::Caution,
        subject: Field::of(one.option),
        text: format!(
            "{} is not beside {}",
            shown::path(&one.path),
            shown::path(&beside.path)
        ),
        expected: "the file where the program runs".to_owned(),
        place: None,
        mended: None,
    })
}

/// That a file is not where the settings have it, and that one of its name lies beside them. It
/// may well lie there where the program runs.
fn moved(one: &Seen) -> Option<Finding> {
    let now = one.beside.as_ref()?;
    Some(Finding {
        id: CauseId::BundlePathStale.into(),
        weight: Weight::Caution,
        subject: Field::of(one.option),
        text: format!(
            "{} is not on this machine; a file of that name lies at {now}",
            shown::path(&one.path)
        ),
        expected: format!("{now}, if the program runs here"),
        place: one.place.clone(),
        mended: None,
    })
}

//! What its client makes of what it was told (`docs/directory.md`, "Clients").

use chronaxis_model::certificate::{Check, Identity, Policy, TlsMode, TlsPolicy, Trusted};
use chronaxis_model::layer::Micros;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::{ClientId, Target};

use super::SPEC;
use crate::certificate_files::CertificateFiles;
use crate::named_file::FileWanted;
use crate::plain_url::complete_url;
use crate::policy::ClientPolicy;
use crate::strings::{ClientEnvironment, Draft};

/// It takes the addresses of a name in their order, and leaves one that is silent.
pub(super) const POLICY: ClientPolicy = ClientPolicy {
    first_address_only: false,
    v4_first: false,
    shuffles: false,
    connect_wait: Some(Micros::from_millis(10_000)),
    answer_wait: None,
    whole_wait: None,
    one_time_for_all: false,
    refusal_leads_on: false,
    odd_answer_leads_on: false,
    second_attempt: crate::policy::SecondAttempt::Never,
};

/// The files that the options of the command name.
const FILES: [&str; 3] = ["ca", "certificate", "key"];

pub(super) fn files(around: &ClientEnvironment) -> Vec<FileWanted> {
    let told = FILES.iter().filter_map(|name| around.options.get(name));
    told.map(|told| FileWanted::certificates(told.value.clone(), None))
        .collect()
}

pub(super) fn complete(mut draft: Draft, around: &ClientEnvironment) -> Target {
    let by_place = is_place(&draft.form);
    let encrypted = encrypted(&mut draft);
    if draft.value("user").is_none() && !around.options.contains_key("user") {
        let name = "the account that runs the client".to_owned();
        let own = around.os_user.clone();
        let told = own.map(|user| Sourced::new(user, Origin::Default { name }));
        draft.values.extend(told.map(|t| ("user".to_owned(), t)));
    }
    let mut files = CertificateFiles::new(around);
    let (trusted, identity) = files.of_options();
    // A client that does not encrypt opens none of them.
    let defects = std::mem::take(&mut files.defects);
    if encrypted {
        draft.defects.extend(defects);
    }
    let mut target = complete_url(&SPEC, draft, around);
    for name in FILES {
        // A part of a bundle has no path of its own.
        let told = around.options.get(name).map(|told| told.value.clone());
        let told = told.filter(|path| encrypted && shown::is_path(path));
        target
            .options
            .extend(told.map(|path| (name.to_owned(), path)));
    }
    target.client = ClientId::Directory;
    target.encryption = policy(encrypted, trusted, identity);
    if target.database.is_none() && !by_place && !target.defects.iter().any(|d| d.stops) {
        target.defects.push(no_service());
    }
    target
}

/// Whether the text was a host and a port, and nothing else.
pub(super) fn is_place(form: &str) -> bool {
    form.starts_with("HOST:PORT")
}

fn policy(encrypted: bool, trusted: Trusted, identity: Option<Identity>) -> TlsPolicy {
    match encrypted {
        false => TlsPolicy::default(),
        true => TlsPolicy {
            mode: TlsMode::Demand,
            policy: Policy {
                check: Check::ChainAndName,
                trusted,
                ..Policy::default()
            },
            direct: true,
            identity,
            ..TlsPolicy::default()
        },
    }
}

/// Whether `tls=on`; a word that is neither `on` nor `off` is noted.
fn encrypted(draft: &mut Draft) -> bool {
    let told = draft.value("tls").map(|told| told.value.clone());
    match told.as_deref() {
        Some("on") => true,
        Some("off") | None => false,
        Some(odd) => {
            draft.defects.push(Defect {
                kind: DefectKind::Unreadable,
                subject: Field::of("tls"),
                stops: true,
                text: format!("tls has no such value: {}", shown::value("tls", odd)),
                expected: "tls=on or tls=off".to_owned(),
                place: None,
                mended: None,
            });
            false
        }
    }
}

fn no_service() -> Defect {
    Defect {
        kind: DefectKind::Missing,
        subject: Field::DATABASE,
        stops: true,
        text: "no service is given".to_owned(),
        expected: "the name of the service, as in directory://purser@HOST:7471/berths".to_owned(),
        place: None,
        mended: None,
    }
}

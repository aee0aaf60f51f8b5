//! Whether and how each client encrypts (MySQL documentation, "Command Options for
//! Encrypted Connections"; MariaDB documentation, "Securing Connections for Client and
//! Server"; the drivers' own; `docs/tls.md` says which cell was measured).

use std::collections::BTreeMap;

use chronaxis_model::certificate::{
    Check, CommonName, Policy, TlsMode, TlsPolicy, Trusted, Version,
};
use chronaxis_model::settings::Defect;
use chronaxis_model::target::ClientId;

use crate::certificate_files::{ANY, CertificateFiles, KeyRules};
use crate::named_file::Encoding;
use crate::strings::ClientEnvironment;

/// How much a client wants, in the words of MySQL's own option.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Mode {
    Disabled,
    Preferred,
    /// Where it is offered, and then by these authorities only: MariaDB's library.
    PreferredVerifyCa,
    Required,
    VerifyCa,
    VerifyIdentity,
}

/// The words of the option, in all drivers' spelling, without dashes and underscores.
const MODES: &[(&str, Mode)] = &[
    ("disabled", Mode::Disabled),
    ("disable", Mode::Disabled),
    ("none", Mode::Disabled),
    ("preferred", Mode::Preferred),
    ("prefer", Mode::Preferred),
    ("required", Mode::Required),
    ("require", Mode::Required),
    ("trust", Mode::Required),
    ("verifyca", Mode::VerifyCa),
    ("verifyidentity", Mode::VerifyIdentity),
    ("verifyfull", Mode::VerifyIdentity),
];

/// Whether a text is one of the option's words.
pub(super) fn is_mode(text: &str) -> bool {
    mode(text).is_some()
}

/// The words for the modes, as they are compared.
pub(super) fn modes() -> impl Iterator<Item = &'static str> {
    MODES.iter().map(|(word, _)| *word)
}

fn mode(text: &str) -> Option<Mode> {
    let bare = text.to_ascii_lowercase().replace(['-', '_'], "");
    MODES
        .iter()
        .find(|(word, _)| *word == bare)
        .map(|(_, mode)| *mode)
}

/// Whether an option is set, in any way that means yes.
fn yes(options: &BTreeMap<String, String>, key: &str) -> Option<bool> {
    let text = options.get(key)?.to_ascii_lowercase();
    Some(!matches!(
        text.as_str(),
        "0" | "false" | "off" | "no" | "none"
    ))
}

/// What follows from the options; with what is wrong with the files.
pub(super) fn of(
    client: ClientId,
    options: &BTreeMap<String, String>,
    around: &ClientEnvironment,
) -> (TlsPolicy, Vec<Defect>) {
    let mut files = CertificateFiles::new(around);
    let ca = around.options.get("ca").map(|told| told.value.clone());
    let from_option = ca.is_some();
    let store = options.get("trust_store").filter(|_| !from_option);
    let ca = ca.or_else(|| options.get("ssl_ca").or(store).cloned());
    let told = |option: &str, key: &str| {
        let by_option = around.options.get(option).map(|told| told.value.clone());
        by_option.or_else(|| options.get(key).cloned())
    };
    let own = told("certificate", "ssl_cert").zip(told("key", "ssl_key"));
    let store_of_key = options.get("key_store").filter(|_| own.is_none());
    let rules = match store_of_key {
        Some(_) => KeyRules {
            certificate: &[Encoding::Keystore],
            key: &[Encoding::Keystore],
            ..KeyRules::default()
        },
        None => KeyRules::default(),
    };
    let own = own.or_else(|| store_of_key.map(|path| (path.clone(), path.clone())));
    let mode = wanted(client, options, ca.is_some(), own.is_some());
    let check = match mode {
        Mode::VerifyIdentity => Check::ChainAndName,
        Mode::VerifyCa | Mode::PreferredVerifyCa => Check::Chain,
        _ => Check::Nothing,
    };
    let trusted = match (&ca, check) {
        (_, Check::Nothing) => Trusted::Nobody,
        (Some(path), _) => {
            let takes: &[Encoding] = match client {
                _ if from_option => ANY,
                _ if store == Some(path) => &[Encoding::Keystore],
                // A certificate that MariaDB's driver for Java is given may be either.
                ClientId::MariadbJava => &[Encoding::Text, Encoding::Der],
                _ => &[Encoding::Text],
            };
            Trusted::These(files.trusted(path, true, takes))
        }
        (None, _) => Trusted::System,
    };
    let identity = own
        .filter(|_| mode != Mode::Disabled)
        .and_then(|(certificate, key)| files.identity(&certificate, &key, rules));
    let encryption = TlsPolicy {
        mode: match mode {
            Mode::Disabled => TlsMode::Never,
            Mode::Preferred | Mode::PreferredVerifyCa => TlsMode::IfOffered,
            _ => TlsMode::Demand,
        },
        policy: Policy {
            check,
            trusted,
            common_name: match client {
                ClientId::Pymysql => CommonName::Never,
                _ => CommonName::WithoutSuchNames,
            },
            partial_chain: matches!(client, ClientId::ConnectorJ | ClientId::MariadbJava),
            fewest_rsa_bits: 0,
        },
        identity,
        oldest: Version::TLS1_2,
        newest: Version::TLS1_3,
        from_bundle: false,
        direct: false,
        // The C libraries read the server's greeting first.
        stopped_late: matches!(client, ClientId::Libmariadb | ClientId::Libmysqlclient)
            && files.stops(),
    };
    (encryption, files.defects)
}

fn wanted(
    client: ClientId,
    options: &BTreeMap<String, String>,
    has_ca: bool,
    has_both: bool,
) -> Mode {
    if yes(options, "ssl_disabled") == Some(true) {
        return Mode::Disabled;
    }
    let told = options.get("ssl_mode").and_then(|text| mode(text));
    let verifies = yes(options, "ssl_verify_server_cert") == Some(true);
    let verifies_name = yes(options, "ssl_verify_identity") == Some(true);
    let has_own = has_both || options.contains_key("ssl_cert") || options.contains_key("ssl_key");
    match client {
        ClientId::Libmariadb => match (told, yes(options, "ssl")) {
            (Some(told), _) => told,
            (None, Some(false)) => Mode::Disabled,
            // Its one option checks everything; the authorities alone check the chain.
            (None, _) if verifies || verifies_name => Mode::VerifyIdentity,
            // Nothing but that option makes it insist: without it a server that offers no
            // encryption gets the line in clear.
            (None, _) if has_ca => Mode::PreferredVerifyCa,
            (None, Some(true)) => Mode::Preferred,
            (None, None) if has_own => Mode::Preferred,
            (None, None) => Mode::Disabled,
        },
        ClientId::Pymysql => match (told, verifies_name, verifies || has_ca) {
            (Some(told), _, _) => told,
            (None, true, _) => Mode::VerifyIdentity,
            (None, false, true) if yes(options, "ssl_verify_server_cert") == Some(false) => {
                Mode::Required
            }
            (None, false, true) => Mode::VerifyCa,
            (None, false, false) if has_own => Mode::Required,
            (None, false, false) => Mode::Preferred,
        },
        ClientId::MariadbJava => match (told, yes(options, "ssl")) {
            (Some(told), _) => told,
            (None, Some(true)) if yes(options, "ssl_trust_any") == Some(true) => Mode::Required,
            (None, Some(true)) if yes(options, "ssl_any_host") == Some(true) => Mode::VerifyCa,
            (None, Some(true)) => Mode::VerifyIdentity,
            (None, _) => Mode::Disabled,
        },
        ClientId::ConnectorJ => match (told, yes(options, "ssl")) {
            (Some(told), _) => told,
            (None, Some(false)) => Mode::Disabled,
            (None, _) if verifies => Mode::VerifyCa,
            (None, _) if yes(options, "ssl_required") == Some(true) => Mode::Required,
            (None, _) => Mode::Preferred,
        },
        // It encrypts only when told to, and checks everything then unless told not to.
        ClientId::NodeMysql | ClientId::GoMysql | ClientId::MariadbNode => {
            told.unwrap_or(Mode::Disabled)
        }
        ClientId::MysqlConnector => told.unwrap_or(Mode::Preferred),
        ClientId::Mysqlnd => match has_ca {
            true => Mode::VerifyIdentity,
            false => Mode::Disabled,
        },
        _ => match (told, yes(options, "ssl")) {
            (Some(told), _) => told,
            (None, Some(false)) => Mode::Disabled,
            (None, _) if verifies_name => Mode::VerifyIdentity,
            // The authorities alone mean that they are checked by.
            (None, _) if has_ca || verifies => Mode::VerifyCa,
            (None, Some(true)) => Mode::Required,
            (None, None) => Mode::Preferred,
        },
    }
}

//! Whether and how each client encrypts (PostgreSQL documentation, "SSL Support"; the
//! drivers' own sources; `docs/tls.md` says which cell was measured).

use std::collections::BTreeMap;

use chronaxis_model::certificate::{
    Check, CommonName, Policy, TlsMode, TlsPolicy, Trusted, Version,
};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::target::ClientId;

use crate::certificate_files::{ANY, CertificateFiles, KeyRules};
use crate::named_file::{Encoding, FileWanted};
use crate::strings::{ClientEnvironment, Draft};

/// Keywords and variables that name files.
const FILES: &[(&str, &str)] = &[
    ("sslrootcert", "PGSSLROOTCERT"),
    ("sslcert", "PGSSLCERT"),
    ("sslkey", "PGSSLKEY"),
];

/// The folder in which the library looks by itself.
fn own_folder(around: &ClientEnvironment, name: &str) -> Option<String> {
    let home = around.home.as_ref()?;
    Some(format!("{home}/.postgresql/{name}"))
}

fn own_name(client: ClientId, keyword: &str) -> &'static str {
    match keyword {
        "sslrootcert" => "root.crt",
        "sslcert" => "postgresql.crt",
        _ if client == ClientId::Pgjdbc => "postgresql.pk8",
        _ => "postgresql.key",
    }
}

/// Whether the driver for Java takes the key from a keystore: it goes by the file's name.
fn is_keystore(client: ClientId, key: &str) -> bool {
    client == ClientId::Pgjdbc && (key.ends_with(".p12") || key.ends_with(".pfx"))
}

/// Whether a client looks at such files at all.
fn reads_files(client: ClientId) -> bool {
    client != ClientId::Pg8000
}

/// The files that the client would read for this draft.
pub(super) fn files(draft: &Draft, around: &ClientEnvironment) -> Vec<FileWanted> {
    let wanted = FILES.iter().filter_map(|(keyword, name)| {
        let ca = around
            .options
            .get("ca")
            .filter(|_| *keyword == "sslrootcert");
        let told = ca
            .map(|told| told.value.clone())
            .or_else(|| draft.value(keyword).map(|t| t.value.clone()))
            .or_else(|| around.variable(name).map(|t| t.value));
        let own = own_folder(around, own_name(draft.client, keyword));
        let path = told.or_else(|| own.filter(|_| !trusts_system(draft.client)))?;
        let passphrase = draft.passphrases.get(*keyword).cloned();
        Some(FileWanted::certificates(path, passphrase))
    });
    wanted
        .filter(|_| reads_files(draft.client) || around.options.contains_key("ca"))
        .collect()
}

/// What follows from the options; with what is wrong with the files.
pub(super) fn of(
    client: ClientId,
    options: &BTreeMap<String, String>,
    around: &ClientEnvironment,
) -> (TlsPolicy, Vec<Defect>) {
    let by_system = options.get("sslrootcert").is_some_and(|v| v == "system");
    let told = options.get("sslmode").map(String::as_str);
    let told = told.unwrap_or(match client {
        // From version 16 on.
        ClientId::Libpq if by_system => "verify-full",
        client => by_default(client),
    });
    let mut files = CertificateFiles::new(around);
    let ca = around.options.get("ca").map(|told| told.value.clone());
    let told_roots = ca.clone().or_else(|| options.get("sslrootcert").cloned());
    let system = told_roots.as_deref() == Some("system");
    let version = |key: &str, default| {
        let told = options.get(key).and_then(|text| Version::named(text));
        told.unwrap_or(default)
    };
    let (check, trusted) = if told == "disable" {
        (Check::Nothing, Trusted::Nobody)
    } else if system {
        // Such a client checks everything, whatever else is said (version 16).
        (Check::ChainAndName, Trusted::System)
    } else {
        checked(client, told, told_roots, ca.is_some(), around, &mut files)
    };
    let encrypts = told != "disable";
    let shows = client != ClientId::Libpq
        || options
            .get("sslcertmode")
            .is_none_or(|mode| mode != "disable");
    let identity = (encrypts && shows)
        .then(|| own_identity(client, options, around, &mut files))
        .flatten();
    let mut mode = tls_mode(client, told);
    // The library gives the encrypted line up over a file of its own, and goes on in clear
    // where that will do.
    if client == ClientId::Libpq && mode < TlsMode::Demand && files.relents() {
        mode = TlsMode::Never;
    }
    // Both ask for encryption first, and look for their files where the server says yes.
    let asks_first = matches!(client, ClientId::Libpq | ClientId::Pgjdbc);
    let encryption = TlsPolicy {
        mode,
        stopped_late: asks_first && files.stops(),
        policy: Policy {
            check,
            trusted,
            common_name: match client {
                ClientId::Libpq | ClientId::Pgjdbc => CommonName::WithoutSuchNames,
                _ => CommonName::Never,
            },
            partial_chain: client == ClientId::Pgjdbc,
            fewest_rsa_bits: 0,
        },
        identity,
        oldest: version("ssl_min_protocol_version", Version::TLS1_2),
        newest: version("ssl_max_protocol_version", Version::TLS1_3),
        from_bundle: false,
        direct: options.get("sslnegotiation").is_some_and(|v| v == "direct"),
    };
    let mut defects = files.defects;
    defects.extend(no_such_mode(client, told));
    (encryption, defects)
}

/// Whether a client is one for Node: these encrypt only when told to, and check by the
/// authorities that come with Node.
fn is_of_node(client: ClientId) -> bool {
    matches!(client, ClientId::NodePostgres | ClientId::PostgresJs)
}

/// Whether a client checks by the authorities that the system trusts, and looks for no file
/// of its own.
fn trusts_system(client: ClientId) -> bool {
    is_of_node(client) || matches!(client, ClientId::Pgx | ClientId::GoPq | ClientId::Npgsql)
}

/// How much a client wants where nothing is said (that of lib/pq measured with its version
/// 1.10).
fn by_default(client: ClientId) -> &'static str {
    match client {
        ClientId::GoPq => "require",
        client if is_of_node(client) => "disable",
        _ => "prefer",
    }
}

/// That a client has no such mode.
fn no_such_mode(client: ClientId, mode: &str) -> Option<Defect> {
    let lacks = client == ClientId::GoPq && matches!(mode, "allow" | "prefer");
    lacks.then(|| Defect {
        kind: DefectKind::Unreadable,
        subject: Field::of("sslmode"),
        stops: true,
        text: format!("lib/pq does not support sslmode {mode}"),
        expected: "disable, require, verify-ca or verify-full".to_owned(),
        place: None,
        mended: None,
    })
}

fn tls_mode(client: ClientId, mode: &str) -> TlsMode {
    match mode {
        "disable" => TlsMode::Never,
        "allow" => TlsMode::IfRefused,
        "prefer" if matches!(client, ClientId::Pg8000 | ClientId::PostgresJs) => TlsMode::IfOffered,
        "prefer" => TlsMode::Prefer,
        _ => TlsMode::Demand,
    }
}

/// What is checked, and by whom it must be issued.
fn checked(
    client: ClientId,
    mode: &str,
    told: Option<String>,
    by_option: bool,
    around: &ClientEnvironment,
    files: &mut CertificateFiles<'_>,
) -> (Check, Trusted) {
    let demanded = match mode {
        "verify-full" => Check::ChainAndName,
        "verify-ca" => Check::Chain,
        _ => Check::Nothing,
    };
    // The C library checks by the file as soon as it is there, whatever the mode; the
    // driver for Python does so where encryption is demanded.
    let side_effect = match client {
        ClientId::Libpq => true,
        ClientId::Asyncpg => mode == "require",
        _ => by_option,
    };
    let path = told
        .clone()
        .or_else(|| own_folder(around, "root.crt").filter(|_| !trusts_system(client)))
        .filter(|_| reads_files(client) || by_option);
    let Some(path) = path else {
        let trusted = match trusts_system(client) && demanded != Check::Nothing {
            true => Trusted::System,
            false => Trusted::Nobody,
        };
        return (demanded, trusted);
    };
    if demanded == Check::Nothing && !(side_effect && files.has(&path)) {
        return (Check::Nothing, Trusted::Nobody);
    }
    let takes: &[Encoding] = match client {
        _ if by_option => ANY,
        ClientId::Pgjdbc => &[Encoding::Text, Encoding::Der],
        _ => &[Encoding::Text],
    };
    let found = files.trusted(&path, told.is_some(), takes);
    (demanded.max(Check::Chain), Trusted::These(found))
}

fn own_identity(
    client: ClientId,
    options: &BTreeMap<String, String>,
    around: &ClientEnvironment,
    files: &mut CertificateFiles<'_>,
) -> Option<chronaxis_model::certificate::Identity> {
    let by_option = |keyword: &str| {
        let name = if keyword == "sslcert" {
            "certificate"
        } else {
            "key"
        };
        around.options.get(name).map(|told| told.value.clone())
    };
    let told = |keyword: &str| by_option(keyword).or_else(|| options.get(keyword).cloned());
    let own = |keyword: &str| {
        own_folder(around, own_name(client, keyword)).filter(|_| !trusts_system(client))
    };
    let path = |keyword: &str| told(keyword).or_else(|| own(keyword));
    let key = path("sslkey")?;
    let rules = KeyRules {
        key_told: told("sslkey").is_some(),
        ..key_rules(client, &key, by_option("sslkey").is_some())
    };
    if is_keystore(client, &key) {
        return files.identity(&key, &key, rules);
    }
    let certificate = path("sslcert")?;
    if told("sslcert").is_none() && !files.has(&certificate) {
        return None;
    }
    if !reads_files(client) && by_option("sslcert").is_none() {
        return None;
    }
    if client == ClientId::Libpq && !files.has(&certificate) {
        files.goes_on_without(&certificate);
        return None;
    }
    files.identity(&certificate, &key, rules)
}

/// What a client demands of its own certificate and key (of PostgreSQL's library and of its
/// driver for Java measured with versions 15 and 42.5).
fn key_rules(client: ClientId, key: &str, from_bundle: bool) -> KeyRules {
    match client {
        ClientId::Libpq => KeyRules {
            open_refused: true,
            key: &[Encoding::Text, Encoding::Der],
            never_locked: &[Encoding::Der],
            ..KeyRules::default()
        },
        // What a bundle gives is taken in whatever form this driver wants it.
        ClientId::Pgjdbc if from_bundle => KeyRules::default(),
        ClientId::Pgjdbc if is_keystore(client, key) => KeyRules {
            certificate: &[Encoding::Keystore],
            key: &[Encoding::Keystore],
            entry: Some("user"),
            ..KeyRules::default()
        },
        ClientId::Pgjdbc => KeyRules {
            certificate: &[Encoding::Text, Encoding::Der],
            key: &[Encoding::Der],
            opens_pbes2: false,
            ..KeyRules::default()
        },
        _ => KeyRules::default(),
    }
}

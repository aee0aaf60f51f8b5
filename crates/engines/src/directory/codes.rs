//! The codes of refusals, and what they mean (`docs/directory.md`, "Codes").

use chronaxis_model::fact::{Awaited, Meaning};

/// Every code, with its meaning once the first `hello` was answered.
pub(super) const CODES: &[(&str, Meaning)] = &[
    ("version", Meaning::VersionRefused),
    ("busy", Meaning::ServerFull),
    ("stopping", Meaning::Stopping),
    ("starting", Meaning::Starting),
    ("tls-required", Meaning::EncryptionRequired),
    ("protocol", Meaning::Unexplained),
    ("listing-forbidden", Meaning::Unexplained),
    ("service-unknown", Meaning::ServiceUnknown),
    ("instance-unknown", Meaning::ServiceUnknown),
    ("service-not-ready", Meaning::ServiceNotReady),
    ("service-restricted", Meaning::ServiceNotReady),
    ("user-unknown", Meaning::UserUnknown),
    ("proof-wrong", Meaning::ProofWrong),
    ("account-locked", Meaning::AccountLocked),
    ("password-expired", Meaning::PasswordExpired),
    ("role-required", Meaning::RoleRequired),
    ("role-not-granted", Meaning::RoleRefused),
    ("host-not-permitted", Meaning::HostNotPermitted),
];

/// What a code means at this point of the conversation; `hides_users` says that the listener
/// lets nobody know which users there are.
pub(super) fn meaning(code: &str, awaited: Awaited, hides_users: bool) -> Meaning {
    let known = CODES.iter().find(|(known, _)| *known == code);
    match known.map(|(_, meaning)| *meaning) {
        // Before anybody said who they are, it is about the address alone.
        Some(Meaning::HostNotPermitted) if awaited == Awaited::Greeting => Meaning::ClientBlocked,
        Some(Meaning::ProofWrong) if hides_users => Meaning::CredentialsRefused,
        Some(meaning) => meaning,
        None => Meaning::Unexplained,
    }
}

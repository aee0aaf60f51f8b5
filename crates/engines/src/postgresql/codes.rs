//! What PostgreSQL's error codes mean for somebody who wants to connect.
//!
//! Codes (PostgreSQL documentation, "PostgreSQL Error Codes") and the name of the routine
//! that spoke; never the words, which are translated.

use chronaxis_model::fact::{Awaited, Meaning};

/// The meaning of a refusal. `awaited` tells whether it came before or after the password was sent.
pub fn meaning(code: &str, routine: &[u8], awaited: Awaited) -> Meaning {
    let inside = |names: &[&str]| names.iter().any(|n| n.as_bytes() == routine);
    let starting = matches!(
        awaited,
        Awaited::Encryption | Awaited::Greeting | Awaited::Challenge
    );
    match code {
        "28P01" => Meaning::CredentialsRefused,
        "28000" if inside(&["ClientAuthentication"]) => Meaning::HostNotPermitted,
        // By the account of the operating system, or by a certificate: nothing was asked for.
        "28000" if inside(&["auth_failed"]) && starting => Meaning::IdentityRefused,
        "28000" if inside(&["auth_failed"]) => Meaning::CredentialsRefused,
        "28000" => Meaning::IdentityRefused,
        "3D000" => Meaning::DatabaseMissing,
        "42501" if inside(&["CheckMyDatabase", "InitPostgres"]) => Meaning::DatabaseNotPermitted,
        "55000" if inside(&["CheckMyDatabase", "InitPostgres"]) => Meaning::DatabaseClosed,
        "53300" if inside(&["InitializeSessionUserId", "CheckMyDatabase"]) => Meaning::AccountLimit,
        "53300" => Meaning::ServerFull,
        "57P01" | "57P02" => Meaning::Stopping,
        "57P03" => Meaning::NotReady,
        "57P04" => Meaning::DatabaseMissing,
        "57014" => Meaning::TooSlow,
        "08P01" | "08004" => Meaning::ProtocolRefused,
        "0A000" if starting => Meaning::VersionRefused,
        _ => by_class(code),
    }
}

/// The meaning of a whole class, for codes that have none of their own here.
fn by_class(code: &str) -> Meaning {
    match code.get(..2).unwrap_or_default() {
        "28" => Meaning::IdentityRefused,
        "3D" => Meaning::DatabaseMissing,
        "53" | "54" => Meaning::OutOfResources,
        "57" => Meaning::NotReady,
        "08" => Meaning::ProtocolRefused,
        "0A" | "22" | "42" | "55" => Meaning::StartupParameterRefused,
        "58" | "XX" | "F0" => Meaning::ServerInternal,
        _ => Meaning::Other,
    }
}

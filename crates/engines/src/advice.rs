//! What to do about a refusal, in the words of the engine's own administrators.

use std::net::IpAddr;

use chronaxis_model::fact::Meaning;

/// Somebody whom a server does not let in.
#[derive(Clone, Copy, Debug)]
pub struct Entrant<'a> {
    /// The account.
    pub user: &'a str,
    /// The database, where one is named.
    pub database: Option<&'a str>,
    /// The address as the server sees it.
    pub from: IpAddr,
}

/// A refusal, as far as advice goes by it.
#[derive(Clone, Copy, Debug)]
pub struct Refusal<'a> {
    /// What it means.
    pub meaning: Meaning,
    /// Its code.
    pub code: &'a str,
    /// Its text.
    pub message: &'a str,
}

/// What an engine's administrators do about refusals.
#[derive(Clone, Copy)]
pub struct Advice {
    /// The rule on the server that lets somebody in, as it is written there.
    pub host_rule: fn(&Entrant<'_>) -> Option<String>,
    /// What to do where the server goes by the account of the operating system, for this
    /// user.
    pub own_account: fn(&Refusal<'_>, &str) -> Option<String>,
    /// What else the same refusal may mean.
    pub remarks: fn(&Refusal<'_>) -> Vec<String>,
    /// What such a refusal may mean where the server offers no encryption.
    pub without_encryption: Option<&'static str>,
    /// What such a refusal may mean on an encrypted line, where accounts may demand a certificate.
    pub demanded_certificate: Option<&'static str>,
    /// What the server asks about a password behind an ordinary prompt, where its words tell.
    pub keeper: fn(&Refusal<'_>) -> Option<&'static str>,
    /// What may help where something at the port speaks TLS at once: a proxy that ends it.
    pub behind_tls: Option<&'static str>,
    /// What to do where a client's certificate names another user; none where a
    /// certificate's name is not compared with the user.
    pub certificate: Option<CertificateAdvice>,
}

/// What to do where a client's certificate names one user, and the settings another.
#[derive(Clone, Copy)]
pub struct CertificateAdvice {
    /// Where the administrator maps the one to the other.
    pub map: &'static str,
    /// The rule that makes the server compare them.
    pub rule: &'static str,
}

impl Advice {
    /// None.
    pub const NONE: Advice = Advice {
        host_rule: |_| None,
        keeper: |_| None,
        behind_tls: None,
        own_account: |_, _| None,
        remarks: |_| Vec::new(),
        without_encryption: None,
        demanded_certificate: None,
        certificate: None,
    };
}

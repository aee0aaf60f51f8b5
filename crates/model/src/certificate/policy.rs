//! What a client asks of an encrypted line.

use std::net::IpAddr;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use zeroize::Zeroizing;

/// How much of a server's certificate a client checks.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Check {
    /// Nothing: any certificate will do.
    #[default]
    Nothing,
    /// That an authority it trusts has issued it, and the dates.
    Chain,
    /// That, and that it is for the host dialled.
    ChainAndName,
}

/// Whom a client trusts to issue certificates.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Trusted {
    /// Nobody.
    #[default]
    Nobody,
    /// Those of the operating system.
    System,
    /// These, as DER.
    These(Vec<Vec<u8>>),
}

/// When the common name of the subject counts as a host name.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum CommonName {
    /// Never (RFC 9525, section 2).
    #[default]
    Never,
    /// Where the certificate holds no alternative name of the kind that was dialled.
    WithoutSuchNames,
}

/// Protocol versions, by their number on the wire (RFC 8446, section 4.2.1).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Version(pub u16);

impl Version {
    /// TLS 1.0.
    pub const TLS1_0: Version = Version(0x0301);
    /// TLS 1.1.
    pub const TLS1_1: Version = Version(0x0302);
    /// TLS 1.2.
    pub const TLS1_2: Version = Version(0x0303);
    /// TLS 1.3.
    pub const TLS1_3: Version = Version(0x0304);

    /// Reads a name as settings have it: `TLSv1.2`.
    pub fn named(text: &str) -> Option<Version> {
        Some(match text.to_ascii_lowercase().as_str() {
            "tlsv1" | "tlsv1.0" => Version::TLS1_0,
            "tlsv1.1" => Version::TLS1_1,
            "tlsv1.2" => Version::TLS1_2,
            "tlsv1.3" => Version::TLS1_3,
            _ => return None,
        })
    }

    /// Its name.
    pub fn title(self) -> String {
        match self.0 {
            0x0300 => "SSL 3.0".to_owned(),
            0x0301..=0x0304 => format!("TLS 1.{}", self.0 - 0x0301),
            other => format!("version {other:#06x}"),
        }
    }
}

/// What of a certificate a client looks at.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Policy {
    /// How much it checks.
    pub check: Check,
    /// Whom it trusts.
    pub trusted: Trusted,
    /// When the common name counts.
    pub common_name: CommonName,
    /// Whether it takes a trusted certificate that is not its own issuer as the end of the
    /// chain.
    pub partial_chain: bool,
    /// Fewest bits of an RSA key that it takes.
    pub fewest_rsa_bits: usize,
}

/// A client's own certificate and its key.
#[derive(Clone, PartialEq, Eq)]
pub struct Identity {
    /// The certificate first, then those of its issuers, as DER.
    pub chain: Vec<Vec<u8>>,
    /// The private key, as DER (PKCS #8, PKCS #1 or SEC 1).
    pub key: Zeroizing<Vec<u8>>,
}

impl Identity {
    /// The common name of the certificate, as it may be shown.
    pub fn name(&self) -> Option<String> {
        let own = super::read(self.chain.first()?).ok()?;
        own.common_name.map(|name| crate::redact::visible(&name))
    }
}

impl std::fmt::Debug for Identity {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Identity({} certificates)", self.chain.len())
    }
}

/// What the edge is asked for, where a line is to be encrypted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ask {
    /// The host as it was told, name or address: for the check, and, if it is a name, for
    /// the extension that names it (RFC 6066, section 3).
    pub host: String,
    /// What is looked at.
    pub policy: Policy,
    /// What the client shows of itself, if asked.
    pub identity: Option<Identity>,
    /// The oldest version that the client takes.
    pub oldest: Version,
    /// The newest.
    pub newest: Version,
    /// The protocol that is announced inside (RFC 7301), if any.
    pub inside: Option<&'static str>,
}

impl Ask {
    /// The address, where one was dialled in place of a name.
    pub fn address(&self) -> Option<IpAddr> {
        self.host.parse().ok()
    }
}

/// Whether a client encrypts.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum TlsMode {
    /// Never.
    #[default]
    Never,
    /// Only where the server refuses it in clear.
    IfRefused,
    /// Where the server offers it.
    IfOffered,
    /// Where the server offers it; and in clear again, where that then fails or is refused.
    Prefer,
    /// Always, or not at all.
    Demand,
}

/// How a client encrypts its lines to a target.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TlsPolicy {
    /// Whether.
    pub mode: TlsMode,
    /// What it checks of the server's certificate.
    pub policy: Policy,
    /// What it shows of itself, if asked.
    pub identity: Option<Identity>,
    /// The oldest version that it takes.
    pub oldest: Version,
    /// The newest.
    pub newest: Version,
    /// Whether it encrypts from the first byte, without asking in the protocol.
    pub direct: bool,
    /// Whether one of its files stops it, and only once the server says that it encrypts:
    /// it opens them no earlier.
    pub stopped_late: bool,
    /// Whether a credential bundle gave the authorities.
    pub from_bundle: bool,
}

impl Default for TlsPolicy {
    fn default() -> TlsPolicy {
        TlsPolicy {
            mode: TlsMode::Never,
            policy: Policy::default(),
            identity: None,
            oldest: Version::TLS1_2,
            newest: Version::TLS1_3,
            direct: false,
            stopped_late: false,
            from_bundle: false,
        }
    }
}

/// The same in the form in which it is shown, saved and judged.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownTlsPolicy {
    /// Whether the client encrypts.
    #[serde(rename = "wish")]
    pub mode: TlsMode,
    /// What it checks.
    pub check: Check,
    /// Whether it has a certificate of its own to show.
    pub own_certificate: bool,
    /// The common name that this has (X.520, section 6.2.2).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub own_name: Option<String>,
    /// Whether its oldest version is one that this program lacks.
    #[serde(default)]
    pub takes_old_versions: bool,
    /// Whether one of its files stops it, once the server says that it encrypts.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stopped_late: bool,
    /// Whether a credential bundle gave the CA certificates.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub from_bundle: bool,
}

impl TlsPolicy {
    /// What may be shown of it.
    pub fn shown(&self) -> ShownTlsPolicy {
        ShownTlsPolicy {
            mode: self.mode,
            check: self.policy.check,
            own_certificate: self.identity.is_some(),
            own_name: self.identity.as_ref().and_then(Identity::name),
            stopped_late: self.stopped_late,
            from_bundle: self.from_bundle,
            takes_old_versions: self.oldest < Version::TLS1_2,
        }
    }

    /// What the edge is asked for, for this host.
    pub fn ask(&self, host: &str) -> Ask {
        Ask {
            host: host.to_owned(),
            policy: self.policy.clone(),
            identity: self.identity.clone(),
            oldest: self.oldest,
            newest: self.newest,
            inside: None,
        }
    }
}

//! The certificates of Osmary Ferries, made anew in every run: an authority, an issuer
//! below it, and servers whose papers are in order or not.

use std::net::{IpAddr, Ipv4Addr};
use std::sync::LazyLock;

use chronaxis_model::certificate::pem_written;
use rcgen::{
    BasicConstraints, CertificateParams, CustomExtension, DistinguishedName, DnType,
    ExtendedKeyUsagePurpose, IsCa, Issuer, KeyPair, KeyUsagePurpose, SanType, date_time_ymd,
};

/// A state of a server's papers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CertificateKind {
    /// In order: for its names and addresses, with its issuer's certificate.
    Good,
    /// Its last day is past.
    Expired,
    /// Its first day is to come.
    NotYetValid,
    /// Its last day is near.
    ExpiresSoon,
    /// For another host.
    OtherName,
    /// Its own issuer.
    SelfSigned,
    /// Issued by an authority of another house.
    StrangeIssuer,
    /// In order, but its issuer's certificate is not sent.
    NoIntermediate,
    /// It and its issuer are both of a time to come.
    AllToCome,
    /// No certificate that anybody can read.
    Unreadable,
}

/// A certificate with those of its issuers, and its key; all DER.
#[derive(Clone, Debug)]
pub struct CertificateFiles {
    /// The server's own first.
    pub chain: Vec<Vec<u8>>,
    /// PKCS #8.
    pub key: Vec<u8>,
}

/// All there are.
struct Office {
    root: (CertificateParams, KeyPair, Vec<u8>),
    issuer: (CertificateParams, KeyPair, Vec<u8>),
    issuer_to_come: (CertificateParams, KeyPair, Vec<u8>),
    strange: (CertificateParams, KeyPair, Vec<u8>),
}

static OFFICE: LazyLock<Option<Office>> = LazyLock::new(|| Office::open().ok());

fn name(organisation: &str, common: &str) -> DistinguishedName {
    let mut out = DistinguishedName::new();
    out.push(DnType::OrganizationName, organisation);
    out.push(DnType::CommonName, common);
    out
}

fn authority(organisation: &str, common: &str) -> CertificateParams {
    let mut out = CertificateParams::default();
    out.distinguished_name = name(organisation, common);
    out.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
    out.key_usages = vec![KeyUsagePurpose::KeyCertSign, KeyUsagePurpose::CrlSign];
    out.not_before = date_time_ymd(2020, 1, 1);
    out.not_after = date_time_ymd(2049, 12, 31);
    out
}

type Made = (CertificateParams, KeyPair, Vec<u8>);

fn signed(params: CertificateParams, by: Option<&Made>) -> Result<Made, rcgen::Error> {
    let key = KeyPair::generate()?;
    let made = match by {
        None => params.self_signed(&key)?,
        Some((issuer, issuer_key, _)) => {
            params.signed_by(&key, &Issuer::from_params(issuer, issuer_key))?
        }
    };
    let der = made.der().to_vec();
    Ok((params, key, der))
}

impl Office {
    fn open() -> Result<Office, rcgen::Error> {
        let root = signed(authority("Osmary Ferries", "Osmary Ferries Root"), None)?;
        let below = authority("Osmary Ferries", "Osmary Ferries Issuer 1");
        let issuer = signed(below.clone(), Some(&root))?;
        let mut to_come = below;
        to_come.distinguished_name = name("Osmary Ferries", "Osmary Ferries Issuer 2");
        to_come.not_before = date_time_ymd(2045, 1, 1);
        let issuer_to_come = signed(to_come, Some(&root))?;
        let strange = signed(
            authority("Gull Island LoopbackServers", "Gull Island Root"),
            None,
        )?;
        Ok(Office {
            root,
            issuer,
            issuer_to_come,
            strange,
        })
    }

    fn certificates(&self, kind: CertificateKind) -> Result<CertificateFiles, rcgen::Error> {
        let mut params = server("quay.osmary.example");
        match kind {
            CertificateKind::Expired => params.not_after = date_time_ymd(2026, 9, 1),
            CertificateKind::NotYetValid | CertificateKind::AllToCome => {
                params.not_before = date_time_ymd(2045, 1, 1);
            }
            // A week after the day that the simulated world shows.
            CertificateKind::ExpiresSoon => params.not_after = date_time_ymd(2026, 11, 30),
            CertificateKind::OtherName => {
                params = server("north-quay.osmary.example");
                params.subject_alt_names.truncate(1);
            }
            _ => {}
        }
        let by = match kind {
            CertificateKind::SelfSigned => None,
            CertificateKind::StrangeIssuer => Some(&self.strange),
            CertificateKind::AllToCome => Some(&self.issuer_to_come),
            _ => Some(&self.issuer),
        };
        let (_, key, der) = signed(params, by)?;
        let mut chain = vec![der];
        match kind {
            CertificateKind::SelfSigned | CertificateKind::NoIntermediate => {}
            CertificateKind::StrangeIssuer => chain.push(self.strange.2.clone()),
            CertificateKind::AllToCome => chain.push(self.issuer_to_come.2.clone()),
            // A sequence that promises more than it holds.
            CertificateKind::Unreadable => chain = vec![vec![0x30, 0x82, 0x02, 0x10, 0x5a, 0x5a]],
            _ => chain.push(self.issuer.2.clone()),
        }
        Ok(CertificateFiles {
            chain,
            key: key.serialize_der(),
        })
    }

    fn client(&self, strange: bool, late: bool) -> Result<CertificateFiles, rcgen::Error> {
        let mut params = CertificateParams::default();
        params.distinguished_name = name("Osmary Ferries", "purser");
        params.extended_key_usages = vec![ExtendedKeyUsagePurpose::ClientAuth];
        params.not_before = date_time_ymd(2020, 1, 1);
        params.not_after = match late {
            true => date_time_ymd(2026, 9, 1),
            false => date_time_ymd(2049, 12, 31),
        };
        let by = if strange { &self.strange } else { &self.issuer };
        let (_, key, der) = signed(params, Some(by))?;
        let mut chain = vec![der];
        if !strange {
            chain.push(self.issuer.2.clone());
        }
        Ok(CertificateFiles {
            chain,
            key: key.serialize_der(),
        })
    }
}

/// A server's certificate for a name, and for the addresses of the scenes.
fn server(host: &str) -> CertificateParams {
    let mut out = CertificateParams::default();
    out.distinguished_name = name("Osmary Ferries", host);
    out.subject_alt_names = host
        .try_into()
        .map(|host| {
            let address = |a: Ipv4Addr| SanType::IpAddress(IpAddr::V4(a));
            vec![
                SanType::DnsName(host),
                address(Ipv4Addr::LOCALHOST),
                address(Ipv4Addr::new(198, 51, 100, 7)),
            ]
        })
        .unwrap_or_default();
    out.extended_key_usages = vec![ExtendedKeyUsagePurpose::ServerAuth];
    out.custom_extensions = Vec::<CustomExtension>::new();
    out.not_before = date_time_ymd(2020, 1, 1);
    out.not_after = date_time_ymd(2049, 12, 31);
    out
}

/// A server's papers. Empty where this machine can make none, which then shows in every
/// scene that needs them.
pub fn of_server(kind: CertificateKind) -> CertificateFiles {
    made(|office| office.certificates(kind))
}

/// A client's papers; `strange` are issued by an authority that the servers do not trust.
pub fn of_client(strange: bool) -> CertificateFiles {
    made(|office| office.client(strange, false))
}

/// A client's papers that are past their last day.
fn of_late_client() -> CertificateFiles {
    made(|office| office.client(false, true))
}

/// A key that a passphrase locks which nobody knows.
const LOCKED: &str = include_str!("locked-key.pem");

fn made(make: impl Fn(&Office) -> Result<CertificateFiles, rcgen::Error>) -> CertificateFiles {
    let none = CertificateFiles {
        chain: Vec::new(),
        key: Vec::new(),
    };
    let office = OFFICE.as_ref();
    office.and_then(|office| make(office).ok()).unwrap_or(none)
}

/// The certificate of the authority, as DER.
pub fn authority_der() -> Vec<u8> {
    OFFICE
        .as_ref()
        .map_or_else(Vec::new, |office| office.root.2.clone())
}

/// The certificate of the authority of another house, as DER.
pub fn strange_der() -> Vec<u8> {
    OFFICE
        .as_ref()
        .map_or_else(Vec::new, |office| office.strange.2.clone())
}

/// The files of a client at Osmary Ferries, by their names in its folder.
pub fn files() -> Vec<(&'static str, String)> {
    let (own, strange, late) = (of_client(false), of_client(true), of_late_client());
    vec![
        ("authority.pem", pem("CERTIFICATE", &[authority_der()])),
        ("purser.pem", pem("CERTIFICATE", &own.chain)),
        ("purser-key.pem", pem("PRIVATE KEY", &[own.key])),
        ("stowaway.pem", pem("CERTIFICATE", &strange.chain)),
        ("stowaway-key.pem", pem("PRIVATE KEY", &[strange.key])),
        ("late.pem", pem("CERTIFICATE", &late.chain)),
        ("late-key.pem", pem("PRIVATE KEY", &[late.key])),
        ("locked-key.pem", LOCKED.to_owned()),
        ("empty.pem", String::new()),
    ]
}

/// Blocks of a PEM file (RFC 7468).
pub fn pem(label: &str, blocks: &[Vec<u8>]) -> String {
    let each = blocks.iter().map(|block| pem_written(label, block));
    each.map(|block| block.as_str().to_owned()).collect()
}

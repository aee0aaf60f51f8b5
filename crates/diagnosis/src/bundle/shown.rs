//! The parts of a bundle in their shown form: public halves, and nothing else.

use chronaxis_bundle::alias::{Lead, follow};
use chronaxis_bundle::chain::{Together, is_authority};
use chronaxis_bundle::findings::Finding;
use chronaxis_bundle::item::{At, Bundle, File, Locked, Object, What, fingerprint};
use chronaxis_bundle::manifest::Manifest;
use chronaxis_bundle::uses::Use;
use chronaxis_model::certificate::{Certificate, day};
use chronaxis_model::redact::visible;

use super::{
    BundleFinding, Looked, ShownAlias, ShownItem, ShownLinks, ShownObject, ShownPart, ShownUse,
};

pub(super) fn of_use(one: &Use) -> ShownUse {
    ShownUse {
        purpose: one.purpose.as_str().to_owned(),
        missing: one.missing.clone(),
    }
}

pub(super) fn finding(bundle: &Bundle, found: &Finding) -> BundleFinding {
    let file = found.file.and_then(|index| bundle.files.get(index));
    let certificates = bundle.certificates();
    let about = found
        .about
        .and_then(|at| certificates.iter().find(|(a, _)| *a == at));
    BundleFinding {
        id: found.id,
        fault: found.fault,
        text: visible(&found.text),
        fix: found.fix.as_deref().map(visible),
        file: file.map(|f| visible(&f.path)),
        line: found.line,
        message: about.map(|(_, certificate)| message(&found.text, certificate)),
    }
}

/// What to tell whoever issued a certificate.
fn message(text: &str, certificate: &Certificate) -> String {
    format!(
        "About a certificate that you issued: {}. Subject: {}; issuer: {}; serial number {}; valid from {} to {}; SHA-256 fingerprint {}.",
        visible(text),
        visible(&certificate.subject),
        visible(&certificate.issuer),
        certificate.serial,
        day(certificate.not_before),
        day(certificate.not_after),
        fingerprint(certificate)
    )
}

pub(super) fn of_manifest(file: &File, manifest: &Manifest) -> Vec<ShownAlias> {
    let each = manifest.aliases.iter().map(|alias| {
        let leads_to = match follow(&manifest.aliases, &alias.name) {
            Lead::To(last) => Some(told(last)),
            _ => None,
        };
        ShownAlias {
            name: visible(&alias.name),
            file: visible(&file.path),
            line: Some(alias.line),
            leads_to,
        }
    });
    each.collect()
}

/// Where an alias leads, without any secret: its string's user and password are not repeated.
fn told(alias: &chronaxis_bundle::manifest::Alias) -> String {
    if let Some(target) = &alias.target {
        let text = target.text.as_str();
        let Some((scheme, rest)) = text.split_once("://") else {
            return "a connection string".to_owned();
        };
        let place = rest.rsplit_once('@').map_or(rest, |(_, place)| place);
        let place = place.split(['?', '#']).next().unwrap_or_default();
        return visible(&format!("{scheme}://{place}"));
    }
    let field = |name: &str| {
        let found = alias.fields.iter().find(|(n, _)| n == name);
        found.map_or("", |(_, t)| t.text.as_str())
    };
    let database = match (field("database"), field("service")) {
        ("", service) => service,
        (database, _) => database,
    };
    let port = match field("port") {
        "" => String::new(),
        port => format!(":{port}"),
    };
    let engine = field("engine");
    visible(&format!("{engine}://{}{port}/{database}", field("host")))
}

pub(super) fn chains(looked: &Looked<'_>) -> Vec<ShownLinks> {
    let certificates = looked.bundle.certificates();
    let subject = |at: &At| {
        let found = certificates.iter().find(|(a, _)| a == at);
        found.map_or_else(String::new, |(_, c)| visible(&c.subject))
    };
    let each = looked.together.chains.iter().map(|chain| ShownLinks {
        subjects: chain.links.iter().map(subject).collect(),
        whole: chain.whole,
    });
    let mut out: Vec<ShownLinks> = Vec::new();
    // The same certificate may stand in several files.
    for chain in each {
        if !out.contains(&chain) {
            out.push(chain);
        }
    }
    out
}

/// A file of a bundle, with what stands in it.
pub fn item(bundle: &Bundle, together: &Together, index: usize) -> Option<ShownItem> {
    let file = bundle.files.get(index)?;
    let locked = |locked: &Locked| match locked {
        Locked::Untried => "untried",
        Locked::Wrong => "wrong",
        Locked::Unknown => "unknown",
    };
    Some(ShownItem {
        path: visible(&file.path),
        size: file.size,
        mode: file.access.map(|a| format!("{:04o}", a.mode & 0o7777)),
        content: file.content.id().to_owned(),
        title: file.content.title(),
        named_like: file.named_like.map(str::to_owned),
        locked: file.locked.as_ref().map(|l| locked(l).to_owned()),
        objects: file
            .objects
            .iter()
            .enumerate()
            .map(|(object, one)| {
                let at = At {
                    file: index,
                    object,
                };
                shown_object((bundle, together), at, one)
            })
            .collect(),
    })
}

fn shown_object((bundle, together): (&Bundle, &Together), at: At, object: &Object) -> ShownObject {
    let mut out = ShownObject {
        line: object.line,
        name: object.name.clone(),
        ..ShownObject::default()
    };
    let (what, text) = match &object.what {
        What::Certificate(certificate) => {
            out.certificate = Some(part(certificate));
            let kind = match is_authority(certificate) {
                true if matches!(certificate.authority, Some((true, _))) => "CA certificate",
                true => "self-signed certificate",
                false => "certificate",
            };
            let name = certificate
                .common_name
                .as_ref()
                .unwrap_or(&certificate.subject);
            let text = format!(
                "{kind} \"{}\", {}, until {}",
                visible(name),
                certificate.key,
                day(certificate.not_after)
            );
            ("certificate", text)
        }
        What::Key(key) => {
            out.key = Some(key.kind.to_string());
            let pair = together.pairs.iter().find(|p| p.key == at);
            let files = pair.into_iter().flat_map(|p| &p.certificates);
            let mut belongs_to: Vec<String> = files
                .filter_map(|c| bundle.files.get(c.file))
                .map(|f| visible(&f.path))
                .collect();
            belongs_to.dedup();
            let to = match belongs_to.as_slice() {
                [] => "belongs to no certificate here".to_owned(),
                some => format!("belongs to the certificate in {}", some.join(", ")),
            };
            out.belongs_to = belongs_to;
            ("private-key", format!("private key, {}, {to}", key.kind))
        }
        What::LockedKey(Locked::Untried) => (
            "locked-key",
            "private key, locked with a passphrase".to_owned(),
        ),
        What::LockedKey(Locked::Wrong) => (
            "locked-key",
            "private key, locked: the passphrase does not open it".to_owned(),
        ),
        What::LockedKey(Locked::Unknown) => (
            "locked-key",
            "private key, locked in a way that is not opened here".to_owned(),
        ),
        What::PublicKey => ("public-key", "public key".to_owned()),
        What::Request => (
            "request",
            "request for a certificate, not a certificate".to_owned(),
        ),
        What::Revoked => ("revoked", "list of revoked certificates".to_owned()),
        What::Parameters => (
            "parameters",
            "parameters of a key exchange or curve".to_owned(),
        ),
        What::Signed => (
            "signed",
            "certificates in a signed message (PKCS #7), which database clients do not read"
                .to_owned(),
        ),
        What::Other(label) => ("other", format!("a block {label}")),
        What::Damaged { label, why } => ("damaged", format!("a block {label} that {why}")),
    };
    out.what = what.to_owned();
    out.text = text;
    out
}

fn part(certificate: &Certificate) -> ShownPart {
    let names = certificate.dns_names.iter().map(|n| visible(n));
    let addresses = certificate.addresses.iter().map(ToString::to_string);
    let purposes = [
        (is_authority(certificate), "authority"),
        (certificate.for_servers == Some(true), "server"),
        (certificate.for_clients == Some(true), "client"),
    ];
    ShownPart {
        subject: visible(&certificate.subject),
        issuer: visible(&certificate.issuer),
        names: names.chain(addresses).collect(),
        not_before: day(certificate.not_before),
        not_after: day(certificate.not_after),
        serial: certificate.serial.clone(),
        fingerprint: fingerprint(certificate),
        key: certificate.key.to_string(),
        signed_by: certificate.signed_by.clone(),
        purposes: purposes
            .into_iter()
            .filter(|(is, _)| *is)
            .map(|(_, word)| word.to_owned())
            .collect(),
    }
}

//! What stands in a credential bundle, in the shape of all JSON.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_bundle::alias::{Lead, follow};
use chronaxis_bundle::chain::{Together, is_authority};
use chronaxis_bundle::findings::Finding;
use chronaxis_bundle::item::{At, Bundle, File, Locked, Object, What, fingerprint};
use chronaxis_bundle::manifest::Manifest;
use chronaxis_bundle::uses::Use;
use chronaxis_model::certificate::{Certificate, day};
use chronaxis_model::found::FindingId;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::Place;

use crate::knowledge::causes::cause;
use crate::schema::schema_of;
use crate::verdict::{AlsoFound, NextTest, ShownCause, State, Verdict};

/// The format's name.
pub const FORMAT: &str = "chronaxis-bundle";

/// The format's version.
pub const VERSION: u32 = 1;

/// One thing in a file.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownObject {
    /// What it is: `certificate`, `private-key`, `locked-key`, `public-key`, …
    pub what: String,
    /// The line where it begins, in text.
    pub line: Option<u32>,
    /// The name that it has in a keystore.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// What it is, in words.
    pub text: String,
    /// The certificate.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub certificate: Option<ShownPart>,
    /// Kind and size of a key.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub key: Option<String>,
    /// The files with the certificates to which a private key belongs.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub belongs_to: Vec<String>,
}

/// A certificate: its public half, and nothing else.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownPart {
    /// Its subject.
    pub subject: String,
    /// Its issuer.
    pub issuer: String,
    /// The names and addresses that it is for.
    pub names: Vec<String>,
    /// Its first day.
    pub not_before: String,
    /// Its last day.
    pub not_after: String,
    /// Its serial number, in hexadecimal.
    pub serial: String,
    /// Its SHA-256 fingerprint.
    pub fingerprint: String,
    /// Kind and size of its key.
    pub key: String,
    /// How it was signed.
    pub signed_by: String,
    /// What it is for: `authority`, `server`, `client`; empty where it does not say.
    pub purposes: Vec<String>,
}

/// A file of a bundle.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownItem {
    /// Its path in the bundle.
    pub path: String,
    /// Its size in bytes.
    pub size: u64,
    /// Its permission bits, in octal, where they are told.
    pub mode: Option<String>,
    /// What it is by its content: `pem`, `der`, `pkcs12`, `manifest`, …
    pub content: String,
    /// What that is called.
    pub title: String,
    /// What its name says that it is, where that is something else.
    pub named_like: Option<String>,
    /// How it stands where it is locked: `untried`, `wrong`, `unknown`.
    pub locked: Option<String>,
    /// What stands in it.
    pub objects: Vec<ShownObject>,
}

/// A chain: a certificate, then its issuers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownLinks {
    /// The subjects, the certificate's first.
    pub subjects: Vec<String>,
    /// Whether it ends in a certificate that issued itself.
    pub whole: bool,
}

/// A use, and what is missing for it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownUse {
    /// `server check` or `client certificate`.
    pub purpose: String,
    /// What is missing; nothing where the bundle suffices.
    pub missing: Vec<String>,
}

/// A name for a connection.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownAlias {
    /// The name.
    pub name: String,
    /// The file that defines it.
    pub file: String,
    /// Its line.
    pub line: Option<u32>,
    /// Where it leads, without secrets; null where it leads nowhere.
    pub leads_to: Option<String>,
}

/// Something that was found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct BundleFinding {
    /// The cause or caution that it is.
    #[schemars(schema_with = "crate::knowledge::causes::finding_schema")]
    pub id: FindingId,
    /// Whether something fails of it.
    pub fault: bool,
    /// What was seen.
    pub text: String,
    /// What to do.
    pub fix: Option<String>,
    /// The file, where it is about one.
    pub file: Option<String>,
    /// The line in it.
    pub line: Option<u32>,
    /// What to tell whoever issued it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub message: Option<String>,
}

/// All of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct BundleDocument {
    /// `chronaxis-bundle`.
    pub format: String,
    /// 1.
    pub version: u32,
    /// The version of the program.
    pub tool: String,
    /// The bundle's path.
    pub path: String,
    /// What it is: `folder`, `zip`, `tar`, `tar.gz`, `file`.
    pub kind: String,
    /// How it stands.
    pub verdict: Verdict,
    /// The cause, where something fails.
    pub causes: Vec<ShownCause>,
    /// What else was found.
    pub also_found: Vec<AlsoFound>,
    /// The files.
    pub items: Vec<ShownItem>,
    /// The chains that can be built.
    pub chains: Vec<ShownLinks>,
    /// For what the parts suffice.
    pub uses: Vec<ShownUse>,
    /// Names for connections.
    pub aliases: Vec<ShownAlias>,
    /// Everything that was found: what stops first comes first.
    pub findings: Vec<BundleFinding>,
    /// What was left out, in words.
    pub left_out: Vec<String>,
}

/// The JSON Schema of the document (draft 2020-12), made from these types.
pub fn schema() -> serde_json::Value {
    schema_of::<BundleDocument>(FORMAT)
}

/// What was found out of a bundle.
pub struct Looked<'a> {
    /// Its path, as typed.
    pub path: &'a str,
    /// What it is.
    pub kind: &'a str,
    /// Its parts.
    pub bundle: &'a Bundle,
    /// What belongs together.
    pub together: &'a Together,
    /// For what it suffices.
    pub uses: &'a [Use; 2],
    /// What is wrong with it.
    pub findings: &'a [Finding],
    /// Names for connections that its other files have.
    pub aliases: Vec<ShownAlias>,
    /// The words that ask again.
    pub command: &'a str,
}

impl BundleDocument {
    /// The document of a bundle.
    pub fn new(tool: &str, looked: &Looked<'_>) -> BundleDocument {
        let bundle = looked.bundle;
        let findings: Vec<BundleFinding> =
            looked.findings.iter().map(|f| finding(bundle, f)).collect();
        let verdict = verdict(looked, &findings);
        let first = findings.first().filter(|f| f.fault);
        let known = first.and_then(|f| match f.id {
            FindingId::Cause(id) => cause(id),
            FindingId::Warning(_) => None,
        });
        let causes = known.map(|known| ShownCause {
            id: known.id.as_str().to_owned(),
            layer: known.layer,
            owner: known.owner,
            probability: 1.0,
            speaks_for: Vec::new(),
            against: Vec::new(),
        });
        let others = findings.iter().skip(usize::from(first.is_some()));
        let also_found = others.map(|f| AlsoFound {
            id: f.id.as_str().to_owned(),
            layer: Layer::Bundle,
            text: f.text.clone(),
            place: f.file.as_ref().map(|file| place(file, f.line)),
        });
        let mut aliases: Vec<ShownAlias> = bundle
            .files
            .iter()
            .filter_map(|f| Some((f, f.manifest.as_deref()?)))
            .flat_map(|(file, manifest)| of_manifest(file, manifest))
            .collect();
        aliases.extend(looked.aliases.iter().cloned());
        BundleDocument {
            format: FORMAT.to_owned(),
            version: VERSION,
            tool: tool.to_owned(),
            path: visible(looked.path),
            kind: looked.kind.to_owned(),
            verdict,
            causes: causes.into_iter().collect(),
            also_found: also_found.collect(),
            items: (0..)
                .zip(&bundle.files)
                .map(|(i, f)| item(looked, i, f))
                .collect(),
            chains: chains(looked),
            uses: looked.uses.iter().map(of_use).collect(),
            aliases,
            findings,
            left_out: bundle.left_out.clone(),
        }
    }
}

fn place(file: &str, line: Option<u32>) -> Place {
    Place {
        at: 0,
        width: 1,
        excerpt: String::new(),
        file: Some(file.to_owned()),
        line,
        column: None,
    }
}

fn of_use(one: &Use) -> ShownUse {
    ShownUse {
        purpose: one.purpose.as_str().to_owned(),
        missing: one.missing.clone(),
    }
}

fn finding(bundle: &Bundle, found: &Finding) -> BundleFinding {
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

fn of_manifest(file: &File, manifest: &Manifest) -> Vec<ShownAlias> {
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

fn chains(looked: &Looked<'_>) -> Vec<ShownLinks> {
    let certificates = looked.bundle.certificates();
    let subject = |at: &At| {
        let found = certificates.iter().find(|(a, _)| a == at);
        found.map_or_else(String::new, |(_, c)| visible(&c.subject))
    };
    let each = looked.together.chains.iter().map(|chain| ShownLinks {
        subjects: chain.links.iter().map(subject).collect(),
        whole: chain.whole,
    });
    each.collect()
}

fn item(looked: &Looked<'_>, index: usize, file: &File) -> ShownItem {
    let locked = |locked: &Locked| match locked {
        Locked::Untried => "untried",
        Locked::Wrong => "wrong",
        Locked::Unknown => "unknown",
    };
    ShownItem {
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
                shown_object(looked, at, one)
            })
            .collect(),
    }
}

fn shown_object(looked: &Looked<'_>, at: At, object: &Object) -> ShownObject {
    let mut out = ShownObject {
        line: object.line,
        name: object.name.clone(),
        ..ShownObject::default()
    };
    let (what, text) = match &object.what {
        What::Certificate(certificate) => {
            out.certificate = Some(part(certificate));
            let kind = match is_authority(certificate) {
                true => "CA certificate",
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
            let pair = looked.together.pairs.iter().find(|p| p.key == at);
            let files = pair.into_iter().flat_map(|p| &p.certificates);
            let mut belongs_to: Vec<String> = files
                .filter_map(|c| looked.bundle.files.get(c.file))
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

/// Whether something in it is locked, and no passphrase was tried.
fn is_shut(bundle: &Bundle) -> bool {
    bundle.files.iter().any(|f| {
        f.locked == Some(Locked::Untried)
            || f.objects
                .iter()
                .any(|o| matches!(o.what, What::LockedKey(Locked::Untried)))
    })
}

/// Whether nothing in it can be looked into that serves a connection.
fn is_bare(bundle: &Bundle) -> bool {
    let public = |f: &File| {
        let parts = [What::PublicKey, What::Request, What::Revoked];
        f.objects.iter().any(|o| {
            parts
                .iter()
                .any(|p| std::mem::discriminant(p) == std::mem::discriminant(&o.what))
        })
    };
    bundle.certificates().is_empty()
        && bundle.keys().is_empty()
        && bundle.manifest().is_none()
        && !bundle.files.iter().any(public)
}

fn verdict(looked: &Looked<'_>, findings: &[BundleFinding]) -> Verdict {
    let bundle = looked.bundle;
    let count = findings.iter().filter(|f| f.fault).count();
    if let Some(first) = findings.first().filter(|f| f.fault)
        && let FindingId::Cause(id) = first.id
        && let Some(known) = cause(id)
    {
        let more = match count {
            1 => String::new(),
            2 => " One more fault is listed below.".to_owned(),
            n => format!(" {} more faults are listed below.", n - 1),
        };
        let headline = format!("{}.{more}", capital(&first.text));
        let mut out = Verdict::bare(State::Broken, Layer::Bundle, headline);
        out.seen_at = Some(Layer::Bundle);
        out.layer = Some(known.layer);
        out.cause = Some(id.as_str().to_owned());
        out.probability = Some(1.0);
        out.owner = known.owner;
        out.fix = first.fix.iter().cloned().collect();
        out.handover = Some(first.message.clone().unwrap_or_else(|| {
            let fix = first.fix.as_deref().unwrap_or_default();
            format!(
                "The bundle {} cannot be used as it is: {}. {fix}",
                visible(looked.path),
                first.text
            )
        }));
        out.next_test = Some(next(
            "After the fix, this command should find no fault.",
            looked.command,
        ));
        return out;
    }
    if is_shut(bundle) {
        let headline = "Something in the bundle is locked, and no passphrase was given: whether it fits cannot be told.";
        let mut out = Verdict::bare(State::Undecided, Layer::Bundle, headline.to_owned());
        let what = "Put the passphrase into a file that only you can read, and ask again:";
        let command = format!("{} --passphrase-file FILE", looked.command);
        out.next_test = Some(next(what, &command));
        return out;
    }
    if is_bare(bundle) {
        let headline = "No certificate or key that can be looked into is in it.";
        return Verdict::bare(State::Undecided, Layer::Bundle, headline.to_owned());
    }
    let good: Vec<&str> = looked
        .uses
        .iter()
        .filter(|u| u.suffices())
        .map(|u| u.purpose.as_str())
        .collect();
    let headline = match good.as_slice() {
        [] => "No fault in the parts; but they suffice neither to check a server nor to show a client certificate.".to_owned(),
        some => format!("No fault found. The bundle suffices for: {}.", some.join(", ")),
    };
    Verdict::bare(State::Working, Layer::Bundle, headline)
}

fn next(what: &str, command: &str) -> NextTest {
    NextTest {
        question: "bundle".to_owned(),
        what: what.to_owned(),
        command: Some(command.to_owned()),
    }
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    match letters.next() {
        // A path stays as it is.
        Some(first)
            if text
                .split(' ')
                .next()
                .is_some_and(|w| !w.contains(['.', '/'])) =>
        {
            first.to_uppercase().chain(letters).collect()
        }
        _ => text.to_owned(),
    }
}

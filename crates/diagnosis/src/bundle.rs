//! What stands in a credential bundle, in the shape of all JSON.

mod shown;
mod verdict;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_bundle::chain::Together;
use chronaxis_bundle::findings::Finding;
use chronaxis_bundle::item::Bundle;
use chronaxis_bundle::uses::Use;
use chronaxis_model::found::FindingId;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;
use chronaxis_model::settings::Place;

use crate::knowledge::causes::cause;
use crate::schema::schema_of;
use crate::verdict::{AlsoFound, ShownCause, Verdict};

pub use self::shown::item;
use self::shown::{chains, finding, of_manifest, of_use};
use self::verdict::verdict;

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
    /// The connection against which it was held (`--for`), without secrets.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub used_by: Option<String>,
    /// What the server said (`--live`).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub live: Option<ShownLive>,
}

/// What a server made of a bundle.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownLive {
    /// Where it is.
    pub server: String,
    /// Whether a CA certificate of the bundle issued the server's certificate: `yes`, `no`,
    /// `unknown`.
    pub issued_by_bundle: String,
    /// What became of the client's certificate: `accepted`, `refused`, `not-asked`, `none`,
    /// `unknown`.
    pub client_certificate: String,
    /// Where it stopped, in words.
    pub summary: String,
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
    /// The connection against which it was held.
    pub used_by: Option<String>,
    /// What the server said.
    pub live: Option<ShownLive>,
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
            place: f
                .file
                .as_ref()
                .map(|file| Place::of_file(file, f.line, None)),
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
            items: (0..bundle.files.len())
                .filter_map(|index| item(bundle, looked.together, index))
                .collect(),
            chains: chains(looked),
            uses: looked.uses.iter().map(of_use).collect(),
            aliases,
            findings,
            left_out: bundle.left_out.clone(),
            used_by: looked.used_by.clone(),
            live: looked.live.clone(),
        }
    }
}

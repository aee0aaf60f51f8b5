//! What a credential bundle gives to a target: certificates and a key in the place of files
//! of the client's own, and names of connections.

use std::path::Path;
use std::rc::Rc;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use chronaxis_bundle::alias::{Lead, follow};
use chronaxis_bundle::chain::{Together, is_authority, together};
use chronaxis_bundle::findings::{Finding, findings};
use chronaxis_bundle::item::{At, Bundle, Locked, What};
use chronaxis_bundle::manifest::{Alias, Led, Told, led};
use chronaxis_bundle::uses::uses;
use chronaxis_engines::{ClientEnvironment, Draft, EngineBy, FileSeen, TCP, by_id, recognise};
use chronaxis_model::found::{CauseId, FindingId};
use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Defect, DefectKind, Field, Place};
use chronaxis_model::shown;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::{EngineId, Target};
use chronaxis_readers::bundle::{LARGEST_PART, manifest};
use chronaxis_tls::ByRing;
use zeroize::Zeroizing;

use super::draft::{Described, DescribedBy};
use super::reading;
use super::typed::Typed;
use crate::bundles;
use crate::client_environment::Environment;
use crate::error::Failure;
use crate::input;

/// The name of our own manifest.
const MANIFEST: &str = "bundle.toml";

/// What a bundle gives.
pub(crate) struct Material {
    /// Which parts stand for which option: `ca`, `certificate`, `key`.
    parts: Vec<(&'static str, String)>,
    files: Vec<FileSeen>,
    defects: Vec<Defect>,
}

impl Material {
    /// What the bundle at a path gives.
    pub(crate) fn of(path: &Path, passphrase_file: Option<&Path>) -> Result<Material, Failure> {
        let passphrase = bundles::passphrase(passphrase_file)?;
        let loaded = bundles::load(path, passphrase.as_ref(), &ByRing)?;
        Ok(Material::chosen(&path.to_string_lossy(), &loaded.bundle))
    }

    /// Which of its parts are used: those that the manifest names; else all CA certificates,
    /// and the certificate of a client with its key.
    fn chosen(path: &str, bundle: &Bundle) -> Material {
        let together = together(bundle, &ByRing);
        let now = jiff::Timestamp::now().as_second();
        let uses = uses(bundle, &together, now);
        let found = findings(bundle, &together, &uses, now);
        let choice = Choice::of(bundle, &together);
        let mut out = Material {
            parts: Vec::new(),
            files: Vec::new(),
            defects: Vec::new(),
        };
        out.put("ca", "CERTIFICATE", path, bundle, &choice.authorities);
        if let Some(key) = choice.key {
            out.put("certificate", "CERTIFICATE", path, bundle, &choice.chain);
            out.put("key", "PRIVATE KEY", path, bundle, &[key]);
        }
        let whole = (!choice.authorities.is_empty(), choice.key.is_some());
        out.defects = defects(path, bundle, &found, whole);
        out
    }

    /// A part, as a file that a client would read.
    fn put(
        &mut self,
        option: &'static str,
        label: &str,
        path: &str,
        bundle: &Bundle,
        parts: &[At],
    ) {
        let Some(first) = parts.first().and_then(|at| bundle.files.get(at.file)) else {
            return;
        };
        let name = format!("{path}#{}", first.path);
        let mut text = Zeroizing::new(String::new());
        for at in parts {
            let object = bundle
                .files
                .get(at.file)
                .and_then(|f| f.objects.get(at.object));
            match object.map(|o| &o.what) {
                Some(What::Certificate(one)) => text.push_str(&pem(label, one.der())),
                Some(What::Key(one)) => text.push_str(&pem(label, &one.der)),
                _ => {}
            }
        }
        // Certificate and key may be of one file: each has a text of its own.
        let name = match self.files.iter().any(|f| f.path == name) {
            true => format!("{name} ({option})"),
            false => name,
        };
        let access = first.access;
        self.files.push(FileSeen {
            path: name.clone(),
            mode: access.map_or(0o600, |a| a.mode),
            regular: true,
            root_owned: access.is_some_and(|a| a.root),
            text,
        });
        self.parts.push((option, name));
    }

    /// Puts the parts in the place of the client's own files.
    pub(crate) fn add_to(&self, around: &mut ClientEnvironment) {
        for (option, name) in &self.parts {
            let origin = Origin::Argument {
                name: "--bundle".to_owned(),
            };
            // What an option of its own names wins.
            around
                .options
                .entry(option)
                .or_insert_with(|| Sourced::new(name.clone(), origin));
        }
        around.files.extend(self.files.iter().cloned());
    }

    /// What is wrong with it, which is looked at before anything is sent.
    pub(crate) fn judge(&self, target: &mut Target) {
        if self.defects.iter().any(|d| d.stops) {
            target.encryption.stopped_late = false;
        }
        target.encryption.from_bundle = self.parts.iter().any(|(option, _)| *option == "ca");
        // That a file of the client's own is missing follows from what the bundle did not give.
        let mut defects = self.defects.clone();
        defects.append(&mut target.defects);
        target.defects = defects;
    }
}

/// A block of PEM (RFC 7468, section 2).
fn pem(label: &str, der: &[u8]) -> Zeroizing<String> {
    let text = Zeroizing::new(STANDARD.encode(der));
    let mut out = Zeroizing::new(String::with_capacity(text.len() * 2 + 128));
    out.push_str(&format!("-----BEGIN {label}-----\n"));
    let bytes = text.as_bytes();
    for line in bytes.chunks(64) {
        out.push_str(&String::from_utf8_lossy(line));
        out.push('\n');
    }
    out.push_str(&format!("-----END {label}-----\n"));
    out
}

/// The parts that are used.
struct Choice {
    authorities: Vec<At>,
    chain: Vec<At>,
    key: Option<At>,
}

impl Choice {
    fn of(bundle: &Bundle, together: &Together) -> Choice {
        let all = bundle.certificates();
        let of = |at: &At| all.iter().find(|(a, _)| a == at).map(|(_, c)| *c);
        let named = |told: Option<&Told>| {
            let (file, manifest) = (bundle.manifest()?.0, told?);
            let folder = file.path.rsplit_once('/').map_or("", |(folder, _)| folder);
            let Led::Inside(path) = led(folder, &manifest.text) else {
                return None;
            };
            bundle.files.iter().position(|f| f.path == path)
        };
        let manifest = bundle.manifest().map(|(_, m)| m);
        let told: Vec<usize> = manifest
            .into_iter()
            .flat_map(|m| &m.authorities)
            .filter_map(|t| named(Some(t)))
            .collect();
        let authorities = all
            .iter()
            .filter(|(at, c)| match told.is_empty() {
                // What has a key here is the client's own.
                true => {
                    is_authority(c) && !together.pairs.iter().any(|p| p.certificates.contains(at))
                }
                false => told.contains(&at.file),
            })
            .map(|(at, _)| *at)
            .collect();
        let in_key = named(manifest.and_then(|m| m.key.as_ref().or(m.keystore.as_ref())));
        let in_certificate =
            named(manifest.and_then(|m| m.certificate.as_ref().or(m.keystore.as_ref())));
        let pairs = together
            .pairs
            .iter()
            .filter(|p| in_key.is_none_or(|file| p.key.file == file));
        let found = pairs
            .flat_map(|p| p.certificates.iter().chain(&p.open).map(|c| (p.key, *c)))
            .filter(|(_, at)| in_certificate.is_none_or(|file| at.file == file))
            .find(|(_, at)| of(at).is_some_and(|c| c.for_clients != Some(false)));
        let chain = found.map(|(_, at)| {
            let chain = together
                .chains
                .iter()
                .find(|c| c.links.first() == Some(&at));
            let links = chain.map_or_else(|| vec![at], |c| c.links.clone());
            // The root is the server's own affair.
            let sent = links
                .iter()
                .enumerate()
                .filter(|(i, at)| *i == 0 || of(at).is_some_and(|c| !c.is_self_issued()));
            sent.map(|(_, at)| *at).collect::<Vec<At>>()
        });
        Choice {
            authorities,
            chain: chain.unwrap_or_default(),
            key: found.map(|(key, _)| key),
        }
    }
}

/// What is wrong with a bundle, as it meets a client that is given it. `whole` says whether
/// there are CA certificates, and a certificate with its key.
fn defects(
    path: &str,
    bundle: &Bundle,
    found: &[Finding],
    (authorities, identity): (bool, bool),
) -> Vec<Defect> {
    let nothing = !authorities && !identity;
    let mut out: Vec<Defect> = found
        .iter()
        // An old certificate beside a good one harms nobody.
        .filter(|one| one.fault)
        .filter_map(|one| {
            let FindingId::Cause(id) = one.id else {
                return None;
            };
            let (kind, stops) = match id {
                CauseId::BundleUnreadable => (DefectKind::FileUnusable, nothing),
                CauseId::BundlePathStale => (DefectKind::FileElsewhere, !identity),
                CauseId::BundleIncomplete => (DefectKind::FileMissing, !identity),
                CauseId::BundlePassphraseWrong => (DefectKind::FileLocked, !identity),
                CauseId::BundleKeyMismatch => (DefectKind::FileMismatch, !identity),
                CauseId::BundlePermissions => (DefectKind::FileOpen, nothing),
                CauseId::BundleExpired => (DefectKind::FileExpired, false),
                _ => return None,
            };
            let file = one.file.and_then(|index| bundle.files.get(index));
            Some(Defect {
                kind,
                subject: Field::CERTIFICATES,
                stops,
                text: format!(
                    "in the bundle {}: {}",
                    shown::path(path),
                    visible(&one.text)
                ),
                expected: one.fix.clone().unwrap_or_default(),
                place: file.map(|f| Place {
                    at: 0,
                    width: 1,
                    excerpt: String::new(),
                    file: Some(format!("{path}#{}", f.path)),
                    line: one.line,
                    column: None,
                }),
                mended: None,
            })
        })
        .collect();
    let shut = bundle.files.iter().any(|f| {
        f.locked == Some(Locked::Untried)
            || f.objects
                .iter()
                .any(|o| matches!(o.what, What::LockedKey(Locked::Untried)))
    });
    let note = |kind, text: &str, expected: &str| Defect {
        kind,
        subject: Field::CERTIFICATES,
        stops: true,
        text: format!("in the bundle {}: {text}", shown::path(path)),
        expected: expected.to_owned(),
        place: None,
        mended: None,
    };
    if shut && !identity {
        let text = "a key or keystore is locked with a passphrase, and none was given";
        let expected = "the passphrase, by --passphrase-file or CHRONAXIS_PASSPHRASE";
        out.push(note(DefectKind::FileLocked, text, expected));
    } else if nothing && !out.iter().any(|d| d.stops) {
        let text = "there is no CA certificate, and no client certificate with its key";
        let expected = "certificates and keys in PEM or DER, or a PKCS #12 keystore";
        out.push(note(DefectKind::FileUnusable, text, expected));
    }
    out
}

/// Whether a path is a bundle that may have names for connections.
fn is_one(path: &Path) -> bool {
    if path.is_dir() {
        return has_aliases(&path.join(MANIFEST));
    }
    let manifest = path.file_name().is_some_and(|n| n == MANIFEST);
    (manifest && has_aliases(path)) || bundles::is_archive(path)
}

/// Whether a file is a manifest of ours with names for connections, and not another program's
/// file of that name.
fn has_aliases(path: &Path) -> bool {
    let read = input::whole(path, LARGEST_PART).ok();
    let text = read.and_then(|bytes| String::from_utf8(bytes).ok());
    let read = text.and_then(|text| manifest(&text).ok());
    read.is_some_and(|read| !read.manifest.aliases.is_empty())
}

/// The connection that a bundle calls by this name; nothing where the path is no bundle.
pub(crate) fn alias(
    typed: &Typed,
    passphrase_file: Option<&Path>,
    engine: Option<EngineId>,
    number: usize,
) -> Option<Result<Described, Failure>> {
    let (path, name) = reading::split(typed.expose());
    is_one(Path::new(path)).then(|| described(path, name, typed, passphrase_file, engine, number))
}

fn described(
    path: &str,
    name: Option<&str>,
    typed: &Typed,
    passphrase_file: Option<&Path>,
    engine: Option<EngineId>,
    number: usize,
) -> Result<Described, Failure> {
    // A manifest stands for the folder in which it lies.
    let whole = Path::new(path);
    let top = match whole.file_name().is_some_and(|n| n == MANIFEST) {
        true => match whole.parent() {
            Some(parent) if !parent.as_os_str().is_empty() => parent,
            _ => Path::new("."),
        },
        false => whole,
    };
    let passphrase = bundles::passphrase(passphrase_file)?;
    let loaded = bundles::load(top, passphrase.as_ref(), &ByRing)?;
    let top = top.to_string_lossy();
    let aliases: &[Alias] = loaded
        .bundle
        .manifest()
        .map_or(&[], |(_, manifest)| manifest.aliases.as_slice());
    let names: Vec<String> = aliases.iter().map(|a| visible(&a.name)).collect();
    let name = match (name, aliases) {
        (Some(name), _) => name.to_owned(),
        (None, [only]) => only.name.clone(),
        (None, []) => {
            return Err(Failure::NoConnection {
                path: shown::path(path),
                why: "; the bundle has no manifest with aliases: use it with --bundle".to_owned(),
            });
        }
        (None, _) => {
            return Err(Failure::SeveralConnections {
                path: shown::path(path),
                names,
            });
        }
    };
    let material = Rc::new(Material::chosen(&top, &loaded.bundle));
    let by = match follow(aliases, &name) {
        Lead::To(found) => string_of(found, &top, engine, number, typed)?,
        lead => unknown(&lead, &name, &names),
    };
    Ok(Described {
        by,
        environment: Environment::Counts,
        label: Some(visible(&name)),
        material: Some(material),
    })
}

/// The connection string of an alias.
fn string_of(
    alias: &Alias,
    top: &str,
    engine: Option<EngineId>,
    number: usize,
    typed: &Typed,
) -> Result<DescribedBy, Failure> {
    let text = match &alias.target {
        Some(target) => target.text.replace("${BUNDLE}", top),
        None => url_of(alias, top),
    };
    let read = recognise(&text, Some(alias.line), engine);
    let read = read.map_err(|cause| Failure::Target { number, cause })?;
    Ok(DescribedBy::Text {
        typed: typed.clone(),
        draft: Box::new(read.draft),
        engine: read.engine,
        engine_by: read.by,
    })
}

/// The fields of an alias as a URL.
fn url_of(alias: &Alias, top: &str) -> String {
    let field = |name: &str| {
        let found = alias.fields.iter().find(|(n, _)| n == name);
        found.map_or("", |(_, told)| told.text.as_str())
    };
    let escaped = |text: &str| {
        let mut out = String::new();
        for byte in text.bytes() {
            match byte {
                b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'_' | b'.' | b'~' => {
                    out.push(char::from(byte));
                }
                other => out.push_str(&format!("%{other:02X}")),
            }
        }
        out
    };
    let host = match field("host") {
        host if host.contains(':') && !host.starts_with('[') => format!("[{host}]"),
        host => host.to_owned(),
    };
    let user = match field("user") {
        "" => String::new(),
        user => format!("{}@", escaped(user)),
    };
    let port = match field("port") {
        "" => String::new(),
        port => format!(":{port}"),
    };
    let known = ["engine", "host", "port", "database", "user"];
    let options: Vec<String> = alias
        .fields
        .iter()
        .filter(|(name, _)| !known.contains(&name.as_str()))
        .map(|(name, told)| format!("{name}={}", escaped(&told.text.replace("${BUNDLE}", top))))
        .collect();
    let options = match options.is_empty() {
        true => String::new(),
        false => format!("?{}", options.join("&")),
    };
    let database = escaped(field("database"));
    format!(
        "{}://{user}{host}{port}/{database}{options}",
        field("engine")
    )
}

/// A name that leads nowhere: a case like any other, and nothing is sent.
fn unknown(lead: &Lead<'_>, name: &str, names: &[String]) -> DescribedBy {
    let name = visible(name);
    let text = match lead {
        Lead::Circle(way) => {
            let way: Vec<String> = way.iter().map(|n| visible(n)).collect();
            format!("the alias {name} leads in a circle: {}", way.join(" → "))
        }
        Lead::Unknown(other) if visible(other) != name => {
            format!(
                "the alias {name} leads to {}, which no alias defines",
                visible(other)
            )
        }
        Lead::Nothing(last) => format!(
            "the alias {name} leads to {}, which has neither a target nor a host",
            visible(&last.name)
        ),
        _ => format!("the bundle has no alias called {name}"),
    };
    let expected = match names {
        [] => "a manifest with aliases".to_owned(),
        some => format!("one of {}", some.join(", ")),
    };
    let defect = Defect {
        kind: DefectKind::AliasUnknown,
        subject: Field::CERTIFICATES,
        stops: true,
        text,
        expected,
        place: None,
        mended: None,
    };
    DescribedBy::Text {
        typed: name.as_str().into(),
        draft: Box::new(Draft {
            form: "alias of a bundle".to_owned(),
            defects: vec![defect],
            shown: name,
            ..Draft::default()
        }),
        engine: by_id(TCP),
        engine_by: EngineBy::Text,
    }
}

//! Cluster manifests: secrets in base64, maps of settings, and the variables that workloads
//! get from them.

use std::collections::BTreeMap;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;

use crate::entry::{Entry, Part, Quotes, Value};
use crate::letters::{Earlier, Otherwise, Pieces};
use crate::traced::Traced;

/// Whether a YAML file holds manifests.
pub(crate) fn is_one(entries: &[Entry]) -> bool {
    let root = |key: &str| entries.iter().any(|e| e.path.len() == 1 && e.key() == key);
    root("apiVersion") && root("kind")
}

/// What is said by name: secrets and maps, whichever file they stand in.
pub(crate) type Named = BTreeMap<String, Vec<Entry>>;

/// One document of a manifest.
struct Document<'a> {
    entries: Vec<&'a Entry>,
}

impl<'a> Document<'a> {
    fn all(entries: &'a [Entry]) -> Vec<Document<'a>> {
        let mut by_number: BTreeMap<usize, Vec<&Entry>> = BTreeMap::new();
        for entry in entries {
            by_number.entry(entry.document).or_default().push(entry);
        }
        by_number
            .into_values()
            .map(|entries| Document { entries })
            .collect()
    }

    fn text(&self, path: &[&str]) -> Option<String> {
        let found = self
            .entries
            .iter()
            .find(|e| e.path.iter().map(String::as_str).eq(path.iter().copied()));
        Some(found?.value.plain()?.as_str().to_owned())
    }

    fn name(&self) -> String {
        self.text(&["metadata", "name"]).unwrap_or_default()
    }
}

/// Secrets and maps of settings of a file: `[name, KEY]`, decoded.
pub(crate) fn named(entries: &[Entry]) -> Vec<Entry> {
    let mut out = Vec::new();
    for document in Document::all(entries) {
        let kind = document.text(&["kind"]).unwrap_or_default();
        let secret = kind == "Secret";
        if !secret && kind != "ConfigMap" {
            continue;
        }
        let name = document.name();
        for entry in &document.entries {
            let [section, key] = entry.path.as_slice() else {
                continue;
            };
            let value = match section.as_str() {
                "data" if secret => decoded(&entry.value),
                "data" | "stringData" => entry.value.clone(),
                _ => continue,
            };
            let path = vec![name.clone(), key.clone()];
            let mut taken = Entry::new(path, entry.key_at.clone(), value);
            taken.document = entry.document;
            taken.file = entry.file;
            // What is written plainly outranks the same key in base64 (Kubernetes API
            // reference, "Secret").
            let same = |e: &Entry| e.path == taken.path && e.document == taken.document;
            match out.iter_mut().find(|e| same(e)) {
                Some(known) if section == "stringData" => *known = taken.clone(),
                Some(_) => {}
                None => out.push(taken.clone()),
            }
        }
    }
    out
}

/// A value out of base64. What is none stays as it is, and is told as a defect by who
/// sees that its quotes are still not those of base64.
fn decoded(value: &Value) -> Value {
    let Some(text) = value.plain() else {
        return value.clone();
    };
    let bare: String = text
        .as_str()
        .chars()
        .filter(|c| !c.is_whitespace())
        .collect();
    let bytes = STANDARD.decode(bare.as_bytes()).ok();
    match bytes.and_then(|bytes| String::from_utf8(bytes).ok()) {
        Some(plain) => {
            let (file, from) = text.origin(0);
            let mut traced = Traced::opaque(plain, from);
            traced.in_file(file);
            Value {
                parts: vec![Part::Text(traced)],
                quotes: Quotes::Base64,
                ..value.clone()
            }
        }
        None => value.clone(),
    }
}

/// The variables of one container, as its workload tells them.
#[derive(Default)]
struct Container {
    name: String,
    /// Those of whole secrets and maps; the later one counts.
    from: Vec<Entry>,
    /// Those that are named one by one: they outrank the others.
    own: Vec<Own>,
}

/// A variable that is named by itself.
struct Own {
    entry: Entry,
    /// Whether its value stands there, with `$(NAME)` in it for others.
    literal: bool,
}

impl Container {
    /// What its program gets (Kubernetes API reference, "Container", `env` and `envFrom`).
    fn variables(self) -> Vec<Entry> {
        let mut out: Vec<Entry> = Vec::new();
        let put = |entry: Entry, out: &mut Vec<Entry>| {
            out.retain(|known| known.key() != entry.key());
            out.push(entry);
        };
        let mut earlier = Earlier::default();
        for entry in self.from {
            earlier.note(entry.key(), &entry.value);
            put(entry, &mut out);
        }
        for mut own in self.own {
            if own.literal
                && let Some(text) = own.entry.value.plain()
                && text.as_str().contains("$(")
            {
                own.entry.value.parts = with_references(&text, &own.entry, &earlier);
            }
            earlier.note(own.entry.key(), &own.entry.value);
            put(own.entry, &mut out);
        }
        out
    }
}

/// `$(NAME)` for a variable named above; one that is not known stays as it stands, and
/// `$$(NAME)` means the text itself.
fn with_references(text: &Traced, entry: &Entry, earlier: &Earlier) -> Vec<Part> {
    let mut pieces = Pieces::default();
    let string = text.as_str();
    let mut at = 0;
    while let Some(rest) = string.get(at..).filter(|r| !r.is_empty()) {
        if rest.starts_with("$$") {
            pieces.append(&text.slice(at..at + 1));
            at += 2;
            continue;
        }
        let inner = rest.strip_prefix("$(").and_then(|r| r.split_once(')'));
        if let Some((name, _)) = inner.filter(|(name, _)| earlier.knows(name)) {
            earlier.put(
                &mut pieces,
                name,
                entry.value.at.clone(),
                Otherwise::Nothing,
            );
            at += name.len() + 3;
            continue;
        }
        let length = rest.chars().next().map_or(1, char::len_utf8);
        pieces.append(&text.slice(at..at + length));
        at += length;
    }
    pieces.over()
}

/// The variables of the containers of a file's workloads: `[container, NAME]`.
pub(crate) fn containers(entries: &[Entry], known: &Named) -> Vec<Entry> {
    let mut out = Vec::new();
    for document in Document::all(entries) {
        let mut containers: Vec<Container> = Vec::new();
        for entry in &document.entries {
            let at = entry
                .path
                .iter()
                .position(|key| key == "containers" || key == "initContainers");
            let Some(at) = at else { continue };
            let Some(base) = entry.path.get(..at + 2) else {
                continue;
            };
            let rest: Vec<&str> = entry.path.iter().skip(at + 2).map(String::as_str).collect();
            let mut path: Vec<&str> = base.iter().map(String::as_str).collect();
            path.push("name");
            let name = document.text(&path).unwrap_or_default();
            let place = match containers.iter().position(|c| c.name == name) {
                Some(place) => place,
                None => {
                    containers.push(Container {
                        name: name.clone(),
                        ..Container::default()
                    });
                    containers.len() - 1
                }
            };
            let Some(container) = containers.get_mut(place) else {
                continue;
            };
            match rest.as_slice() {
                ["env", index, "value"] => {
                    if let Some((variable, key_at)) = variable(&document, base, index) {
                        let mut taken =
                            Entry::new(vec![name, variable], key_at, entry.value.clone());
                        taken.document = entry.document;
                        taken.file = entry.file;
                        container.own.push(Own {
                            entry: taken,
                            literal: true,
                        });
                    }
                }
                ["env", index, "valueFrom", kind, "key"] => {
                    let mut path: Vec<String> = entry.holder().to_vec();
                    path.push("name".to_owned());
                    let path: Vec<&str> = path.iter().map(String::as_str).collect();
                    let from = document.text(&path).unwrap_or_default();
                    let key = entry.value.plain().map(|k| k.as_str().to_owned());
                    let of_map = matches!(*kind, "secretKeyRef" | "configMapKeyRef");
                    if let (Some((variable, _)), Some(key), true) =
                        (variable(&document, base, index), key, of_map)
                    {
                        let all = known.get(&from);
                        let found = all.and_then(|all| all.iter().find(|e| e.key() == key));
                        let unknown = || Entry {
                            value: Value::unknown(entry.value.at.clone()),
                            ..(*entry).clone()
                        };
                        let mut taken = found.cloned().unwrap_or_else(unknown);
                        taken.path = vec![name, variable];
                        taken.document = entry.document;
                        container.own.push(Own {
                            entry: taken,
                            literal: false,
                        });
                    }
                }
                ["envFrom", index, "secretRef" | "configMapRef", "name"] => {
                    let from = entry.value.plain();
                    let from = from.map_or_else(String::new, |k| k.as_str().to_owned());
                    let mut path: Vec<&str> = base.iter().map(String::as_str).collect();
                    path.extend(["envFrom", *index, "prefix"]);
                    let prefix = document.text(&path).unwrap_or_default();
                    for found in known.get(&from).into_iter().flatten() {
                        container.from.push(Entry {
                            path: vec![name.clone(), format!("{prefix}{}", found.key())],
                            document: entry.document,
                            ..found.clone()
                        });
                    }
                }
                _ => {}
            }
        }
        out.extend(containers.into_iter().flat_map(Container::variables));
    }
    out
}

/// A key that a workload asks a secret or map for, and that it does not have: the container
/// does not start.
pub(crate) struct Absent {
    /// The secret or map.
    pub(crate) from: String,
    /// The key.
    pub(crate) key: String,
    /// The container that asks.
    pub(crate) container: String,
    /// Where it asks.
    pub(crate) at: usize,
}

/// The keys that are asked for and are not there. (What is not in these files at all may be
/// in the cluster.)
pub(crate) fn absent(entries: &[Entry], known: &Named) -> Vec<Absent> {
    let mut out = Vec::new();
    for document in Document::all(entries) {
        for entry in &document.entries {
            let [.., kind, last] = entry.path.as_slice() else {
                continue;
            };
            if last != "key" || !matches!(kind.as_str(), "secretKeyRef" | "configMapKeyRef") {
                continue;
            }
            let holder: Vec<&str> = entry.holder().iter().map(String::as_str).collect();
            let sibling = |name: &str| {
                let mut path = holder.clone();
                path.push(name);
                document.text(&path)
            };
            let (Some(from), Some(key)) = (sibling("name"), entry.value.plain()) else {
                continue;
            };
            let optional = sibling("optional").is_some_and(|v| v == "true");
            let has = |all: &Vec<Entry>| all.iter().any(|e| e.key() == key.as_str());
            if optional || known.get(&from).is_none_or(has) {
                continue;
            }
            let base = entry
                .path
                .iter()
                .position(|k| k == "containers" || k == "initContainers");
            let mut path: Vec<&str> = entry.path.iter().map(String::as_str).collect();
            path.truncate(base.map_or(0, |at| at + 2));
            path.push("name");
            out.push(Absent {
                from,
                key: key.as_str().to_owned(),
                container: document.text(&path).unwrap_or_default(),
                at: entry.value.at.start,
            });
        }
    }
    out
}

/// Where a manifest has something else than a string, or than base64, where only that is
/// taken: the cluster refuses all of it (Kubernetes API reference, "EnvVar", "Secret").
pub(crate) fn refused(entries: &[Entry]) -> Vec<(usize, &'static str)> {
    let mut out = Vec::new();
    for document in Document::all(entries) {
        let kind = document.text(&["kind"]).unwrap_or_default();
        for entry in &document.entries {
            let path: Vec<&str> = entry.path.iter().map(String::as_str).collect();
            let of_map = match path.as_slice() {
                ["data", _] => kind == "ConfigMap",
                ["stringData", _] => kind == "Secret",
                [.., "env", _, "value"] => true,
                _ => false,
            };
            let text = entry.value.plain();
            let text = text.as_ref().map_or("", Traced::as_str);
            if of_map && entry.value.quotes == Quotes::None && is_no_string(text) {
                out.push((
                    entry.value.at.start,
                    "the cluster takes only strings here, and this is a number or a yes or no",
                ));
            }
            let of_secret = kind == "Secret" && matches!(path.as_slice(), ["data", _]);
            let bare: String = text.chars().filter(|c| !c.is_whitespace()).collect();
            if of_secret && STANDARD.decode(bare.as_bytes()).is_err() {
                out.push((
                    entry.value.at.start,
                    "what stands under data is no base64, and the cluster refuses it",
                ));
            }
        }
    }
    out
}

/// Whether a plain scalar is a number or a truth value (YAML 1.1, as the cluster reads it).
fn is_no_string(text: &str) -> bool {
    let low = text.to_ascii_lowercase();
    let number = text.parse::<f64>().is_ok()
        && text.starts_with(|c: char| c.is_ascii_digit() || "+-.".contains(c));
    number || ["true", "false", "yes", "no", "on", "off"].contains(&low.as_str())
}

/// The name of a container's variable, and where it stands.
fn variable(
    document: &Document<'_>,
    base: &[String],
    index: &str,
) -> Option<(String, std::ops::Range<usize>)> {
    let tail = ["env", index, "name"];
    let path: Vec<&str> = base.iter().map(String::as_str).chain(tail).collect();
    let found = document
        .entries
        .iter()
        .find(|e| e.path.iter().map(String::as_str).eq(path.iter().copied()))?;
    let name = found.value.plain()?.as_str().to_owned();
    Some((name, found.value.at.clone()))
}

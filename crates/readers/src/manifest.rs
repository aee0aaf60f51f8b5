//! Cluster manifests: secrets in base64, maps of settings, and the variables that workloads
//! get from them.

use std::collections::BTreeMap;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;

use crate::entry::{Entry, Part, Quotes, Value};
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
            let mut taken =
                Entry::new(vec![name.clone(), key.clone()], entry.key_at.clone(), value);
            taken.document = entry.document;
            taken.file = entry.file;
            out.push(taken);
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

/// The variables of the containers of a file's workloads: `[container, NAME]`.
pub(crate) fn containers(entries: &[Entry], known: &Named) -> Vec<Entry> {
    let mut out = Vec::new();
    for document in Document::all(entries) {
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
            let container = || {
                let mut path: Vec<&str> = base.iter().map(String::as_str).collect();
                path.push("name");
                document.text(&path).unwrap_or_default()
            };
            match rest.as_slice() {
                ["env", index, "value"] => {
                    if let Some((name, key_at)) = variable(&document, base, index) {
                        let mut taken =
                            Entry::new(vec![container(), name], key_at, entry.value.clone());
                        taken.document = entry.document;
                        taken.file = entry.file;
                        out.push(taken);
                    }
                }
                [
                    "env",
                    index,
                    "valueFrom",
                    "secretKeyRef" | "configMapKeyRef",
                    "key",
                ] => {
                    let mut path: Vec<String> = entry.holder().to_vec();
                    path.push("name".to_owned());
                    let path: Vec<&str> = path.iter().map(String::as_str).collect();
                    let from = document.text(&path).unwrap_or_default();
                    let key = entry.value.plain().map(|k| k.as_str().to_owned());
                    if let (Some((name, _)), Some(key)) = (variable(&document, base, index), key) {
                        let found = known
                            .get(&from)
                            .and_then(|all| all.iter().find(|e| e.key() == key));
                        let unknown = || Entry {
                            value: Value::unknown(entry.value.at.clone()),
                            ..(*entry).clone()
                        };
                        let mut taken = found.cloned().unwrap_or_else(unknown);
                        taken.path = vec![container(), name];
                        taken.document = entry.document;
                        out.push(taken);
                    }
                }
                ["envFrom", _, "secretRef" | "configMapRef", "name"] => {
                    let from = entry
                        .value
                        .plain()
                        .map(|k| k.as_str().to_owned())
                        .unwrap_or_default();
                    for found in known.get(&from).into_iter().flatten() {
                        let path = vec![container(), found.key().to_owned()];
                        out.push(Entry {
                            path,
                            document: entry.document,
                            ..found.clone()
                        });
                    }
                }
                _ => {}
            }
        }
    }
    out
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

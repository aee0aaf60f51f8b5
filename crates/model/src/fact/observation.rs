//! The entries of a log: what was seen, when, about what.

use std::net::{IpAddr, SocketAddr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

use super::Fact;
use crate::layer::{Layer, Micros};

/// What a fact is about.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Subject {
    /// A name that was looked up.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// The resolver that was asked.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub resolver: Option<SocketAddr>,
    /// An address.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub address: Option<IpAddr>,
    /// A port of that address.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub port: Option<u16>,
    /// A socket file.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub socket: Option<String>,
    /// Which attempt on that path, from 1.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub attempt: Option<u32>,
    /// Whether it is about the line to which this client falls back after its first.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub fall_back: bool,
    /// Which place of those to which the client was sent on it is about, from 1; none for
    /// where the settings lead.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub redirect: Option<u32>,
}

impl Subject {
    /// A name that was looked up.
    pub fn name(name: &str) -> Subject {
        Subject {
            name: Some(name.to_owned()),
            ..Subject::default()
        }
    }
}

/// A fact as the log keeps it: known to this version, or kept as it is for another.
#[derive(Clone, Debug, PartialEq)]
pub enum Recorded {
    /// One of ours, and fields of it that only another version knows.
    Known(Fact, Map<String, Value>),
    /// Written by another version: kept, not understood.
    Unknown(Map<String, Value>),
}

/// One entry of the log.
#[derive(Clone, Debug, PartialEq)]
pub struct Observation {
    /// The layer to which it belongs.
    pub layer: Layer,
    /// When it was made.
    pub at: Micros,
    /// What it is about.
    pub about: Subject,
    /// What was seen.
    pub what: Recorded,
}

impl Observation {
    /// A fact of this version.
    pub fn new(layer: Layer, at: Micros, about: Subject, fact: Fact) -> Observation {
        Observation {
            layer,
            at,
            about,
            what: Recorded::Known(fact, Map::new()),
        }
    }

    /// The fact, if this version knows it.
    pub fn fact(&self) -> Option<&Fact> {
        match &self.what {
            Recorded::Known(fact, _) => Some(fact),
            Recorded::Unknown(_) => None,
        }
    }

    /// The entry as one JSON object: the fact's tag, `about`, `at_us`, the fact's fields.
    pub fn to_json(&self) -> Map<String, Value> {
        let mut out = Map::new();
        let (fields, extra) = match &self.what {
            Recorded::Known(fact, extra) => (fields_of(fact), extra.clone()),
            Recorded::Unknown(map) => (map.clone(), Map::new()),
        };
        if let Some(tag) = fields.get("fact") {
            out.insert("fact".to_owned(), tag.clone());
        }
        let about = serde_json::to_value(&self.about).unwrap_or_default();
        out.insert("about".to_owned(), about);
        out.insert("at_us".to_owned(), self.at.0.into());
        out.extend(fields.into_iter().filter(|(key, _)| key != "fact"));
        out.extend(extra);
        out
    }

    /// Reads an entry. What this version does not know is kept; nothing is refused but
    /// what has no tag at all.
    ///
    /// # Errors
    /// Says what is missing where the entry is no fact of any version.
    pub fn from_json(layer: Layer, mut entry: Map<String, Value>) -> Result<Observation, String> {
        if !entry.get("fact").is_some_and(Value::is_string) {
            return Err(format!(
                "a fact of layer {layer} has no text under \"fact\""
            ));
        }
        let about = entry.remove("about").unwrap_or_default();
        let about = serde_json::from_value(about).unwrap_or_default();
        let at = entry.remove("at_us").and_then(|v| v.as_u64()).unwrap_or(0);
        let what = match serde_json::from_value::<Fact>(Value::Object(entry.clone())) {
            Ok(fact) => {
                let known = fields_of(&fact);
                entry.retain(|key, _| !known.contains_key(key));
                Recorded::Known(fact, entry)
            }
            Err(_) => Recorded::Unknown(entry),
        };
        Ok(Observation {
            layer,
            at: Micros(at),
            about,
            what,
        })
    }
}

fn fields_of(fact: &Fact) -> Map<String, Value> {
    match serde_json::to_value(fact) {
        Ok(Value::Object(map)) => map,
        _ => Map::new(),
    }
}

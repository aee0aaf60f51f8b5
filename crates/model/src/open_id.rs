//! Identifiers that whoever brings a new thing brings along: there is no list of them here.
//! Inside they are types; at the edges they are kebab-case strings.

use std::collections::BTreeSet;
use std::sync::Mutex;

/// Longest identifier that is read, in bytes.
const LONGEST: usize = 32;

/// Most identifiers that are read in a run beside those that the program has itself: they
/// are kept for as long as it runs.
const MOST: usize = 256;

/// The identifier of this text, for as long as the program runs.
///
/// # Errors
/// Says what an identifier looks like, if this is none.
pub(crate) fn interned(text: &str) -> Result<&'static str, String> {
    static READ: Mutex<BTreeSet<&'static str>> = Mutex::new(BTreeSet::new());
    let fits = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
    if text.is_empty() || text.len() > LONGEST || !text.chars().all(fits) {
        return Err("expected an identifier in kebab-case".to_owned());
    }
    let mut read = READ
        .lock()
        .unwrap_or_else(std::sync::PoisonError::into_inner);
    if let Some(known) = read.get(text) {
        return Ok(known);
    }
    if read.len() >= MOST {
        return Err("too many unknown identifiers".to_owned());
    }
    let kept: &'static str = Box::leak(text.to_owned().into_boxed_str());
    read.insert(kept);
    Ok(kept)
}

/// Makes such a type.
macro_rules! open_id {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
        pub struct $name(&'static str);

        impl $name {
            /// The one of this id, in kebab-case.
            pub const fn new(id: &'static str) -> $name {
                $name(id)
            }

            /// Its id, as options and outputs write it.
            pub const fn as_str(self) -> &'static str {
                self.0
            }
        }

        impl std::fmt::Debug for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(self.0)
            }
        }

        impl serde::Serialize for $name {
            fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
                to.serialize_str(self.0)
            }
        }

        impl<'de> serde::Deserialize<'de> for $name {
            fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
                let text = <std::borrow::Cow<'de, str>>::deserialize(from)?;
                let id = $crate::open_id::interned(&text).map_err(serde::de::Error::custom)?;
                Ok($name(id))
            }
        }

        impl schemars::JsonSchema for $name {
            fn schema_name() -> std::borrow::Cow<'static, str> {
                stringify!($name).into()
            }

            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                schemars::json_schema!({
                    "type": "string",
                    "pattern": "^[a-z0-9-]+$",
                })
            }
        }
    };
}

pub(crate) use open_id;

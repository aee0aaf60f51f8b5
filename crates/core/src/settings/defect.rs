//! A defect of a text.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::place::Place;

/// What kind of defect a text shows.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum DefectKind {
    /// It cannot be parsed.
    Unreadable,
    /// Its scheme or engine is not known.
    SchemeUnknown,
    /// A value that the engine needs is absent.
    Missing,
    /// A value that somebody was to fill in.
    Placeholder,
    /// Outer blanks, line ends, invisible characters, quotes taken into the value.
    StrayWhitespace,
    /// A reserved character split the text in the wrong place.
    NotEscaped,
    /// A letter of another script that looks like the right one.
    LookAlike,
    /// The usual port of another engine.
    OtherEnginesPort,
    /// A file that the client looks for by itself, and that its settings need.
    FileMissing,
    /// A file that the settings name, and that is not there.
    FileElsewhere,
    /// A file that does not hold what it should.
    FileUnusable,
    /// A key that others may read, where the client refuses it for that.
    FileOpen,
    /// The usual port with a digit lost, doubled or swapped.
    PortMistyped,
}

/// One defect, with its place.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Defect {
    /// What kind it is.
    pub kind: DefectKind,
    /// Which value has it: `host`, `port`, `user`, `password`, `database`, `scheme`, …
    pub subject: String,
    /// Whether the client can dial nothing because of it.
    pub stops: bool,
    /// What is there, in a few words; without any secret.
    pub text: String,
    /// What was expected there.
    pub expected: String,
    /// Where; none for what is absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub place: Option<Place>,
    /// The mended text, with the secret hidden, where it can be told.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub mended: Option<String>,
}

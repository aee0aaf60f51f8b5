//! Settings held against others that are known to be right.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::secret::{Secret, is_invisible};

/// How two passwords compare. Nothing more of them is told.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum SecretsCompared {
    /// They are the same.
    Equal,
    /// They differ by outer blanks and invisible characters alone.
    ByBlanks,
    /// By quotes around one of them alone.
    ByQuotes,
    /// By percent escapes alone (RFC 3986, section 2.1).
    ByEncoding,
    /// By capitals alone.
    ByCase,
    /// They differ.
    Different,
    /// These settings have none.
    OnlyThere,
    /// The others have none.
    OnlyHere,
}

impl SecretsCompared {
    /// Compares what these settings have with what the others have; none where neither has
    /// any.
    pub fn of(own: Option<&Secret>, other: Option<&Secret>) -> Option<SecretsCompared> {
        let (own, other) = match (own, other) {
            (None, None) => return None,
            (None, Some(_)) => return Some(SecretsCompared::OnlyThere),
            (Some(_), None) => return Some(SecretsCompared::OnlyHere),
            (Some(own), Some(other)) => (own.expose(), other.expose()),
        };
        let same = |form: fn(&str) -> String| form(own) == form(other);
        Some(if own == other {
            SecretsCompared::Equal
        } else if same(without_blanks) {
            SecretsCompared::ByBlanks
        } else if same(without_quotes) {
            SecretsCompared::ByQuotes
        } else if same(decoded) {
            SecretsCompared::ByEncoding
        } else if same(str::to_lowercase) {
            SecretsCompared::ByCase
        } else {
            SecretsCompared::Different
        })
    }

    /// It in words.
    pub fn title(self) -> &'static str {
        match self {
            SecretsCompared::Equal => "equal",
            SecretsCompared::ByBlanks => "different only by outer spaces or invisible characters",
            SecretsCompared::ByQuotes => "different only by quotes around it",
            SecretsCompared::ByEncoding => "different only by percent encoding",
            SecretsCompared::ByCase => "different only by upper and lower case",
            SecretsCompared::Different => "different",
            SecretsCompared::OnlyThere => "only the reference has one",
            SecretsCompared::OnlyHere => "the reference has none",
        }
    }
}

fn without_blanks(text: &str) -> String {
    let visible: String = text.chars().filter(|c| !is_invisible(*c)).collect();
    visible.trim().to_owned()
}

fn without_quotes(text: &str) -> String {
    let bare = without_blanks(text);
    let inside = |quote: char| {
        bare.strip_prefix(quote)
            .and_then(|rest| rest.strip_suffix(quote))
    };
    let inside = inside('"').or_else(|| inside('\''));
    inside.unwrap_or(&bare).to_owned()
}

fn decoded(text: &str) -> String {
    percent_encoding::percent_decode_str(text)
        .decode_utf8_lossy()
        .into_owned()
}

/// One field of both.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct FieldCompared {
    /// Which: `host`, `user`, `sslmode`, …
    pub field: String,
    /// What these settings say, as far as it may be shown.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub own: Option<String>,
    /// What the others say.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub reference: Option<String>,
}

/// Settings held against others that are known to be right.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ReferenceCompared {
    /// What the others are called.
    pub reference: String,
    /// The fields that differ.
    pub different: Vec<FieldCompared>,
    /// How the passwords compare.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub secret: Option<SecretsCompared>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn passwords_are_told_apart_by_what_a_hand_gets_wrong() {
        let compared = |own: &str, other: &str| {
            SecretsCompared::of(Some(&Secret::new(own)), Some(&Secret::new(other)))
        };
        for (own, other, wanted) in [
            ("tide-9", "tide-9", SecretsCompared::Equal),
            (" tide-9\n", "tide-9", SecretsCompared::ByBlanks),
            ("\u{200b}tide-9", "tide-9", SecretsCompared::ByBlanks),
            ("'tide-9'", "tide-9", SecretsCompared::ByQuotes),
            ("tide%409", "tide@9", SecretsCompared::ByEncoding),
            ("Tide-9", "tide-9", SecretsCompared::ByCase),
            ("tide-8", "tide-9", SecretsCompared::Different),
            ("", "tide-9", SecretsCompared::Different),
        ] {
            assert_eq!(compared(own, other), Some(wanted), "{own:?} {other:?}");
        }
        assert_eq!(SecretsCompared::of(None, None), None);
    }
}

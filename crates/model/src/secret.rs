//! Passwords, which nobody may see.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use zeroize::{Zeroize, ZeroizeOnDrop};

/// A password. It has no `Serialize` and no `Display`; `Debug` tells nothing; the memory
/// is overwritten when it is dropped.
#[derive(Clone, PartialEq, Eq, Zeroize, ZeroizeOnDrop)]
pub struct Secret(String);

impl Secret {
    /// Takes a password as it stands: nothing is trimmed.
    pub fn new(text: impl Into<String>) -> Secret {
        Secret(text.into())
    }

    /// The text itself, for a proof or for the masking of foreign text; never for output.
    pub fn expose(&self) -> &str {
        &self.0
    }

    /// What may be said about it.
    pub fn shape(&self) -> Shape {
        Shape::of(&self.0)
    }
}

/// A repaired form of a secret: each only for a defect that the original shows.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Repair {
    /// Outer blanks, line ends and invisible characters off.
    BlanksOff,
    /// Surrounding quotes off.
    QuotesOff,
    /// Percent escapes decoded (RFC 3986, section 2.1).
    PercentDecoded,
}

impl Repair {
    /// It in words, for people.
    pub fn title(self) -> &'static str {
        match self {
            Repair::BlanksOff => "without the outer spaces",
            Repair::QuotesOff => "without the quotes around it",
            Repair::PercentDecoded => "with its percent escapes decoded",
        }
    }
}

impl Secret {
    /// The repaired forms that this secret's visible defects suggest, at most three; none
    /// that is empty or the same as the original.
    pub fn repairs(&self) -> Vec<(Repair, Secret)> {
        let shape = self.shape();
        let blank = |c: char| c.is_whitespace() || is_invisible(c);
        let bare = self.0.trim_matches(blank);
        let unquoted = || {
            let mut inner = bare.chars();
            inner.next();
            inner.next_back();
            inner.as_str().to_owned()
        };
        let decoded = || {
            percent_encoding::percent_decode_str(&self.0)
                .decode_utf8()
                .map(String::from)
                .unwrap_or_default()
        };
        let edged = shape.has(Blemish::LeadingBlank)
            || shape.has(Blemish::TrailingBlank)
            || shape.has(Blemish::Invisible);
        let mut out = Vec::new();
        let mut offer = |repair, text: String| {
            if !text.is_empty() && text != self.0 {
                out.push((repair, Secret::new(text)));
            }
        };
        if edged {
            offer(Repair::BlanksOff, bare.to_owned());
        }
        if is_quoted(bare) {
            offer(Repair::QuotesOff, unquoted());
        }
        if shape.has(Blemish::PercentEncoded) {
            offer(Repair::PercentDecoded, decoded());
        }
        out
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Secret(hidden)")
    }
}

/// A visible defect of a password's form.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Blemish {
    /// Nothing at all.
    Empty,
    /// Begins with a blank or a line end.
    LeadingBlank,
    /// Ends in a blank or a line end.
    TrailingBlank,
    /// Has a character that takes no room, or a blank that is not the usual one.
    Invisible,
    /// Stands in quotes.
    Quoted,
    /// Has a percent sign with two hexadecimal digits after it.
    PercentEncoded,
    /// Plainly is a placeholder: its usual words, or an unresolved variable.
    Placeholder,
}

/// A secret's shape: all that is ever shown of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Shape {
    /// Length in characters.
    pub characters: usize,
    /// Visible defects.
    pub blemishes: Vec<Blemish>,
}

impl Shape {
    fn of(text: &str) -> Shape {
        let mut blemishes = Vec::new();
        let mut note = |on: bool, what| {
            if on {
                blemishes.push(what);
            }
        };
        let blank = |c: char| matches!(c, ' ' | '\t' | '\r' | '\n') || is_other_space(c);
        note(text.is_empty(), Blemish::Empty);
        note(text.starts_with(blank), Blemish::LeadingBlank);
        note(text.ends_with(blank), Blemish::TrailingBlank);
        note(text.chars().any(is_invisible), Blemish::Invisible);
        note(is_quoted(text), Blemish::Quoted);
        note(has_percent_escape(text), Blemish::PercentEncoded);
        note(is_placeholder(text), Blemish::Placeholder);
        Shape {
            characters: text.chars().count(),
            blemishes,
        }
    }

    /// Whether it shows this defect.
    pub fn has(&self, blemish: Blemish) -> bool {
        self.blemishes.contains(&blemish)
    }
}

impl fmt::Display for Shape {
    /// Writes `17 characters, ends in a space`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.characters {
            1 => f.write_str("1 character")?,
            n => write!(f, "{n} characters")?,
        }
        for blemish in &self.blemishes {
            let words = match blemish {
                Blemish::Empty => continue,
                Blemish::LeadingBlank => "begins with a space",
                Blemish::TrailingBlank => "ends with a space",
                Blemish::Invisible => "contains an invisible character",
                Blemish::Quoted => "is in quotes",
                Blemish::PercentEncoded => "contains a percent escape",
                Blemish::Placeholder => "looks like a placeholder",
            };
            write!(f, ", {words}")?;
        }
        Ok(())
    }
}

/// A space other than the usual one (RFC 3454, table C.1.2). Password preparation turns it
/// into the usual one (RFC 4013, section 2.1), U+200B among them: at an edge it matters.
fn is_other_space(c: char) -> bool {
    matches!(
        c,
        '\u{00a0}' | '\u{1680}' | '\u{2000}'..='\u{200b}' | '\u{202f}' | '\u{205f}' | '\u{3000}'
    )
}

/// Whether a character takes no room or is a blank that looks like the usual one.
pub fn is_invisible(c: char) -> bool {
    matches!(c,
        '\u{00a0}' | '\u{00ad}' | '\u{1680}' | '\u{180e}' | '\u{2000}'..='\u{200f}'
        | '\u{2028}'..='\u{202f}' | '\u{205f}'..='\u{2064}' | '\u{2066}'..='\u{206f}'
        | '\u{3000}' | '\u{feff}')
}

fn is_quoted(text: &str) -> bool {
    let mut chars = text.chars();
    match (chars.next(), chars.next_back()) {
        (Some(a), Some(b)) => a == b && matches!(a, '"' | '\'' | '`'),
        _ => false,
    }
}

fn has_percent_escape(text: &str) -> bool {
    text.as_bytes()
        .windows(3)
        .any(|w| matches!(w, [b'%', a, b] if a.is_ascii_hexdigit() && b.is_ascii_hexdigit()))
}

/// Whether a text plainly stands for a value that somebody was to fill in.
///
/// Brackets alone are no proof (a password may have them): the words inside must be
/// usual ones, or the whole an unresolved variable.
pub fn is_placeholder(text: &str) -> bool {
    let bare = text.trim();
    if is_variable(bare) {
        return true;
    }
    let inner = bare
        .trim_start_matches(['<', '[', '{', '('])
        .trim_end_matches(['>', ']', '}', ')']);
    let bracketed = inner.len() < bare.len();
    let words: String = inner
        .chars()
        .filter(|c| !matches!(c, '-' | '_' | ' ' | '.'))
        .flat_map(char::to_lowercase)
        .collect();
    const ALWAYS: &[&str] = &[
        "changeme",
        "changethis",
        "replaceme",
        "fillmein",
        "yourpassword",
        "yourpasswordhere",
        "mypassword",
        "passwordhere",
        "insertpassword",
        "enterpassword",
        "dbpassword",
        "yourhost",
        "yourhostname",
        "yourserver",
        "youruser",
        "yourusername",
        "yourdatabase",
        "yourdbname",
        "todo",
        "tbd",
        "fixme",
        "xxxx",
        "xxxxx",
        "xxxxxx",
        "xxxxxxxx",
    ];
    const IN_BRACKETS: &[&str] = &[
        "password", "passwd", "pass", "pwd", "secret", "user", "username", "host", "hostname",
        "server", "database", "dbname", "db", "port",
    ];
    let stars = !bare.is_empty() && bare.chars().all(|c| matches!(c, '*' | '•' | '…'));
    stars
        || is_yours(&words)
        || ALWAYS.contains(&words.as_str())
        || (bracketed && IN_BRACKETS.contains(&words.as_str()))
}

/// `your-db-host`, `yourDatabasePassword`: what templates call what is somebody's own.
fn is_yours(words: &str) -> bool {
    const OWN: &[&str] = &[
        "database",
        "postgresql",
        "postgres",
        "mysql",
        "mariadb",
        "db",
        "sql",
        "username",
        "user",
        "hostname",
        "host",
        "server",
        "password",
        "passwd",
        "pass",
        "secret",
        "name",
        "endpoint",
        "here",
        "port",
        "real",
        "own",
        "strong",
        "secure",
    ];
    let Some(mut rest) = words.strip_prefix("your") else {
        return false;
    };
    if rest.is_empty() {
        return false;
    }
    while let Some(word) = OWN.iter().find(|word| rest.starts_with(**word)) {
        rest = rest.get(word.len()..).unwrap_or_default();
    }
    rest.is_empty()
}

/// `${NAME}`, `$NAME`, `%NAME%`, `{{ name }}`, `$(NAME)`: a variable that nothing replaced.
fn is_variable(text: &str) -> bool {
    let name_in = |open: &str, close: &str| {
        text.strip_prefix(open)
            .and_then(|t| t.strip_suffix(close))
            .map(str::trim)
            .is_some_and(is_identifier)
    };
    name_in("${", "}")
        || name_in("$(", ")")
        || name_in("{{", "}}")
        || (name_in("%", "%") && text.len() > 3)
        || text.strip_prefix('$').is_some_and(|n| {
            is_identifier(n) && n.len() > 2 && n.chars().all(|c| !c.is_lowercase())
        })
}

fn is_identifier(text: &str) -> bool {
    let mut chars = text.chars();
    chars
        .next()
        .is_some_and(|c| c.is_ascii_alphabetic() || c == '_')
        && chars.all(|c| c.is_ascii_alphanumeric() || matches!(c, '_' | '.' | ':' | '-' | '?'))
}

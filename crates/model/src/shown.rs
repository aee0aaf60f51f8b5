//! What of a text that was given, or read out of a file, may be shown: only what was
//! recognised for what it is. All else may be a secret that stands in the wrong place.

pub mod keywords;

use std::net::IpAddr;

use crate::redact::visible;
use crate::secret::{is_invisible, is_placeholder};

/// Longest host name (RFC 1035, section 2.3.4), without its final dot.
const LONGEST_HOST: usize = 253;

/// Longest label of a host name (RFC 1035, section 2.3.4).
const LONGEST_LABEL: usize = 63;

/// Longest name of an account or a database that is shown.
const LONGEST_NAME: usize = 128;

/// Longest path of a file that is shown (the limit of Linux for one path).
const LONGEST_PATH: usize = 4096;

/// Parts of a key that say that its value is a secret.
const SECRET_KEYS: &[&str] = &[
    "pass",
    "pwd",
    "secret",
    "token",
    "credential",
    "apikey",
    "api_key",
    "private",
];

/// Whether a key by its name holds a secret: `password`, `sslpassword`, `client_secret`.
pub fn is_secret_key(key: &str) -> bool {
    let low = key.to_lowercase();
    SECRET_KEYS.iter().any(|word| low.contains(word))
}

/// What stands round a value by mistake, and says nothing.
pub fn bare(text: &str) -> &str {
    text.trim_matches(|c: char| c.is_whitespace() || is_invisible(c))
}

/// Whether a text is a host name (RFC 1123, section 2.1, with underscores and letters of
/// any script), or a literal address.
pub fn is_host(text: &str) -> bool {
    let address = text.trim_start_matches('[').trim_end_matches(']');
    let (address, zone) = address.split_once('%').unwrap_or((address, "zone"));
    if address.parse::<IpAddr>().is_ok() {
        return is_label(zone);
    }
    let name = text.strip_suffix('.').unwrap_or(text);
    name.chars().count() <= LONGEST_HOST && !name.is_empty() && name.split('.').all(is_label)
}

fn is_label(text: &str) -> bool {
    let fits = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_');
    !text.is_empty() && text.chars().count() <= LONGEST_LABEL && text.chars().all(fits)
}

/// Whether a text is the path of a socket file or of its folder; a name that begins with
/// `@` is one without a file (Linux, `unix(7)`).
pub fn is_socket(text: &str) -> bool {
    text.starts_with(['/', '@']) && is_path(text.trim_start_matches('@'))
}

/// Whether a text can be dialled: a name, an address or a socket path.
pub fn is_dialled(text: &str) -> bool {
    is_host(text) || is_socket(text)
}

/// Whether a text is a plain name of an account, a database, a section: letters, digits
/// and the few signs that such names have.
pub fn is_name(text: &str) -> bool {
    let text = bare(text);
    let fits = |c: char| c.is_alphanumeric() || "_-.$+~".contains(c);
    let parts = text.split('@').count();
    !text.is_empty()
        && text.chars().count() <= LONGEST_NAME
        && parts <= 2
        && text
            .split('@')
            .all(|part| !part.is_empty() && part.chars().all(fits))
}

/// Whether a text is words of letters alone with single spaces between, none of which
/// announces a secret.
fn is_phrase(text: &str) -> bool {
    let letter = |c: char| c.is_alphabetic() || c == '\'';
    let is_word = |word: &str| !word.is_empty() && word.chars().all(letter);
    text.chars().count() <= LONGEST_LABEL && text.split(' ').all(is_word) && !is_secret_key(text)
}

/// Whether a text is the title of something in a file: plain names with single spaces
/// between, none of which announces a secret.
pub fn is_title(text: &str) -> bool {
    text.split(' ').all(is_name) && (is_name(text) || !is_secret_key(text))
}

/// Whether a text is a path, and nothing else: no sign of a connection string in it.
pub fn is_path(text: &str) -> bool {
    let drive = text
        .as_bytes()
        .get(1..3)
        .is_some_and(|b| b == b":\\" || b == b":/");
    let rest = if drive { text.get(3..) } else { Some(text) }.unwrap_or_default();
    let fits = |c: char| c.is_alphanumeric() || "/._-~+,".contains(c) || (drive && c == '\\');
    !text.is_empty() && text.len() <= LONGEST_PATH && rest.chars().all(fits)
}

/// Whether a text is a port, or a number that was meant as one.
pub fn is_port(text: &str) -> bool {
    let text = bare(text);
    !text.is_empty() && text.len() <= 6 && text.chars().all(|c| c.is_ascii_digit())
}

/// `HOST:PORT`.
pub fn is_place(text: &str) -> bool {
    text.rsplit_once(':')
        .is_some_and(|(host, port)| is_host(host) && is_port(port))
}

/// Whether the value of this subject (`host`, `user`, `sslmode`, …) may be shown.
pub fn may_show(subject: &str, value: &str) -> bool {
    if is_secret_key(subject) && subject != "passfile" {
        return false;
    }
    let value: String = value.chars().filter(|c| !is_invisible(*c)).collect();
    let value = bare(&value);
    let unquoted = |quote: char| {
        value
            .strip_prefix(quote)
            .and_then(|v| v.strip_suffix(quote))
    };
    let value = unquoted('"').or(unquoted('\'')).unwrap_or(value);
    if value.is_empty() || is_placeholder(value) {
        return true;
    }
    match subject {
        "host" => value
            .split(',')
            .all(|one| one.is_empty() || is_dialled(one) || is_place(one)),
        "hostaddr" => value.split(',').all(|one| one.is_empty() || is_host(one)),
        "port" => value.split(',').all(|one| one.is_empty() || is_port(one)),
        "user" => is_name(value) || is_phrase(value),
        "database" | "dbname" | "label" => {
            !value.contains('@') && (is_name(value) || is_phrase(value))
        }
        "search_path" => is_list_of_names(value),
        "options" => are_settings(value),
        _ => is_name(value) || is_path(value),
    }
}

/// Names with commas between them, each perhaps in quotes.
fn is_list_of_names(value: &str) -> bool {
    value.split(',').map(str::trim).all(|one| {
        let inside = one.strip_prefix('"').and_then(|v| v.strip_suffix('"'));
        let name = inside.unwrap_or(one);
        name == "$user" || is_name(name)
    })
}

/// Settings of a server as its command line takes them: `-c NAME=VALUE`, `--NAME=VALUE`.
fn are_settings(value: &str) -> bool {
    let word = |name: &str| {
        let mut signs = name.chars();
        signs.all(|c| c.is_ascii_alphanumeric() || matches!(c, '_' | '.' | '-'))
    };
    value.split_whitespace().all(|token| {
        let lead = token
            .strip_prefix("--")
            .or_else(|| token.strip_prefix("-c"));
        let setting = lead.unwrap_or(token);
        match setting.split_once('=') {
            Some((name, value)) => {
                !name.is_empty() && word(name) && !is_secret_key(name) && is_list_of_names(value)
            }
            None => setting.is_empty(),
        }
    })
}

/// What stands for a text that is not shown.
pub fn hidden(text: &str) -> String {
    match text.chars().count() {
        1 => "hidden (1 character)".to_owned(),
        n => format!("hidden ({n} characters)"),
    }
}

/// The value as it may stand in a sentence: in quotes, or by its shape.
pub fn quoted(subject: &str, value: &str) -> String {
    if may_show(subject, value) {
        format!("\"{}\"", visible(value))
    } else {
        hidden(value)
    }
}

/// The value as it may stand by itself: as it is, or by its shape.
pub fn value(subject: &str, value: &str) -> String {
    if may_show(subject, value) {
        value.to_owned()
    } else {
        hidden(value)
    }
}

/// A key as it may stand in a sentence: one that is known, or so near to a known one that
/// it can be nothing else.
pub fn key<'a>(key: &str, known: impl IntoIterator<Item = &'a str>) -> String {
    let low = key.to_lowercase();
    if is_slip_of(&low, known) || keywords::is_near_key(&low) {
        format!("\"{}\"", visible(key))
    } else {
        format!("of {} characters (not shown)", key.chars().count())
    }
}

/// Whether a word is one of these but for a letter or two.
pub fn is_slip_of<'a>(word: &str, known: impl IntoIterator<Item = &'a str>) -> bool {
    let slips = |k: &str| {
        let most = match k.chars().count() {
            0..=5 => 1,
            6..=8 => 2,
            _ => 3,
        };
        strsim::damerau_levenshtein(word, &k.to_lowercase()) <= most
    };
    known.into_iter().any(slips)
}

/// A value where one of a few words was expected: shown where it is near to one of them.
pub fn near<'a>(value: &str, choices: impl IntoIterator<Item = &'a str>) -> String {
    let is_word = value.len() <= 12
        && (value.chars().all(|c| c.is_ascii_lowercase())
            || value.chars().all(|c| c.is_ascii_uppercase()));
    match is_word || is_slip_of(&value.to_lowercase(), choices) {
        true => format!("\"{}\"", visible(value)),
        false => hidden(value),
    }
}

/// A value where a number was expected: shown where it has digits and a few letters of a
/// unit.
pub fn number(value: &str) -> String {
    let unit =
        value.trim_start_matches(|c: char| c.is_ascii_digit() || matches!(c, '.' | '-' | ' '));
    match value.len() <= 12 && unit.len() <= 4 && unit.chars().all(char::is_alphabetic) {
        true => format!("\"{}\"", visible(value)),
        false => hidden(value),
    }
}

/// A word that was typed where one of a list was expected, as it may stand in a message.
pub fn word(text: &str) -> String {
    let plain = |c: char| c.is_ascii_lowercase() || c == '-';
    if !text.is_empty() && text.len() <= 32 && text.chars().all(plain) {
        text.to_owned()
    } else {
        hidden(text)
    }
}

/// Words of a title, of letters alone, in quotes; anything else by its shape.
pub fn words(text: &str) -> String {
    let plain = |c: char| c.is_alphabetic() || c == ' ';
    match text.chars().count() <= 40 && text.chars().all(plain) && !is_secret_key(text) {
        true => format!("\"{text}\""),
        false => hidden(text),
    }
}

/// A path in a sentence: as it is, or by its shape.
pub fn path(text: &str) -> String {
    if is_path(text) || is_placeholder(text) {
        visible(text)
    } else {
        hidden(text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_is_recognised_may_be_shown() {
        for host in [
            "quay.osmary.example",
            "quay.",
            "10.8.0.7",
            "::1",
            "fe80::1%up0",
            "früh",
            "a_b",
        ] {
            assert!(is_host(host), "{host}");
        }
        for odd in [
            "h;password=x",
            "a b",
            "a@b",
            "",
            "a..b",
            "$(id)",
            "a/b",
            "h?x",
            "a:b:c d",
        ] {
            assert!(!is_host(odd), "{odd}");
        }
        for name in ["purser", "purser@quay", "sailings-2", " purser ", "été"] {
            assert!(is_name(name), "{name}");
        }
        for odd in [
            "d;user=u", "a&b", "a b", "a:b", "a@b@c", "x?y", "(a)", "\"a",
        ] {
            assert!(!is_name(odd), "{odd}");
        }
        assert!(may_show("user", "<user>") && may_show("host", "\"quay\""));
        assert!(!may_show("sslpassword", "plain") && !may_show("database", "a@b"));
        assert!(is_path("/etc/ssl/ca.pem") && !is_path("postgresql://a:b@c/d"));
    }
}

//! Tokens given as passwords: what they say of themselves, before and beside any server. Nothing
//! of a token is ever shown but its dates and names; its signature is not checked.

use base64::Engine as _;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use percent_encoding::percent_decode_str;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::redact::visible;

/// What kind of token it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TokenKind {
    /// A JSON Web Token (RFC 7519).
    Jwt,
    /// A dated text with a signature, in the form of a URL's query.
    SignedQuery,
}

impl TokenKind {
    /// What people call it.
    pub fn title(self) -> &'static str {
        match self {
            TokenKind::Jwt => "a JSON web token",
            TokenKind::SignedQuery => "a signed text with a date",
        }
    }
}

/// What a token says of itself.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Token {
    /// Its kind.
    pub kind: TokenKind,
    /// From when on it counts, in seconds of Unix time.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub not_before: Option<i64>,
    /// Until when it counts, in seconds of Unix time.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub expires: Option<i64>,
    /// Who issued it (`iss`).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub issuer: Option<String>,
    /// For whom it is (`aud`); of a signed query the host.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub audience: Option<String>,
    /// Whom it is about (`sub`); of a signed query the user.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub subject: Option<String>,
}

/// How a token's own dates stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TokenDates {
    /// Its last moment is past.
    Past,
    /// Its first moment is to come.
    NotYet,
    /// It counts now, by its dates.
    InTime,
    /// It has none.
    None,
}

/// Clocks that differ by so many seconds are the rule.
const LEEWAY: i64 = 60;

/// Longest token that is read; those of identity services have some 2 KB.
const LONGEST: usize = 64 * 1024;

/// Longest name that is shown.
const LONGEST_NAME: usize = 120;

impl Token {
    /// What a password says of itself; nothing where it is no token.
    pub fn read(text: &str) -> Option<Token> {
        let bare = text.trim();
        if bare.len() > LONGEST {
            return None;
        }
        // As it stands in a header of HTTP (RFC 6750, section 2.1).
        let bare = match bare.split_once(' ') {
            Some((word, rest)) if word.eq_ignore_ascii_case("bearer") => rest.trim(),
            _ => bare,
        };
        jwt(bare).or_else(|| signed_query(bare))
    }

    /// The names in it, each with the word that leads to it.
    pub fn names(&self) -> Vec<String> {
        let names = [
            ("issued by", &self.issuer),
            ("for", &self.audience),
            ("about", &self.subject),
        ];
        let told = names.into_iter();
        told.filter_map(|(word, name)| Some(format!("{word} {}", name.as_ref()?)))
            .collect()
    }

    /// How its dates stand at a moment, in seconds of Unix time.
    pub fn dates(&self, now: i64) -> TokenDates {
        match (self.not_before, self.expires) {
            (_, Some(expires)) if now > expires.saturating_add(LEEWAY) => TokenDates::Past,
            (Some(first), _) if now < first.saturating_sub(LEEWAY) => TokenDates::NotYet,
            (None, None) => TokenDates::None,
            _ => TokenDates::InTime,
        }
    }
}

/// A moment as people write it, in UTC: `2026-11-30 01:02:03 UTC`.
pub fn moment_shown(seconds: i64) -> String {
    match Timestamp::from_second(seconds) {
        Ok(moment) => moment.strftime("%Y-%m-%d %H:%M:%S UTC").to_string(),
        Err(_) => "a moment out of reach".to_owned(),
    }
}

fn name(value: &Value) -> Option<String> {
    let text = match value {
        Value::String(text) => text.clone(),
        // An audience may be a list (RFC 7519, section 4.1.3).
        Value::Array(all) => {
            let words: Vec<&str> = all.iter().filter_map(Value::as_str).collect();
            words.join(", ")
        }
        _ => return None,
    };
    shown(&text)
}

fn shown(text: &str) -> Option<String> {
    let short: String = text.chars().take(LONGEST_NAME).collect();
    (!short.is_empty()).then(|| visible(&short))
}

/// Three parts of base64url (RFC 7515, section 7.1), of which the first names an algorithm.
fn jwt(text: &str) -> Option<Token> {
    let mut parts = text.split('.');
    let (head, body, signature) = (parts.next()?, parts.next()?, parts.next()?);
    if parts.next().is_some() || !signature.bytes().all(is_base64url) {
        return None;
    }
    let object = |part: &str| -> Option<Value> {
        let bytes = URL_SAFE_NO_PAD.decode(part).ok()?;
        let value: Value = serde_json::from_slice(&bytes).ok()?;
        value.is_object().then_some(value)
    };
    object(head)?.get("alg")?.as_str()?;
    let body = object(body)?;
    // A number of seconds, which may have a fraction (section 2, NumericDate).
    let date = |key: &str| {
        let value = body.get(key)?;
        value.as_i64().or_else(|| {
            let seconds = value.as_f64().filter(|s| s.abs() < 1e15)?;
            #[expect(clippy::cast_possible_truncation, reason = "bounded above")]
            Some(seconds as i64)
        })
    };
    Some(Token {
        kind: TokenKind::Jwt,
        not_before: date("nbf"),
        expires: date("exp"),
        issuer: body.get("iss").and_then(name),
        audience: body.get("aud").and_then(name),
        subject: body.get("sub").and_then(name),
    })
}

fn is_base64url(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_')
}

/// `host:port/?…Date=20261130T010203Z&…Expires=900&…Signature=…`: the endings of the names count,
/// whatever stands before them.
fn signed_query(text: &str) -> Option<Token> {
    let (place, query) = text.split_once('?')?;
    let pairs: Vec<(String, String)> = query
        .split('&')
        .filter_map(|pair| pair.split_once('='))
        .map(|(key, value)| {
            let decoded = percent_decode_str(value).decode_utf8_lossy().into_owned();
            (key.to_ascii_lowercase(), decoded)
        })
        .collect();
    let ending = |end: &str| {
        let found = pairs.iter().find(|(key, _)| key.ends_with(end));
        found.map(|(_, value)| value.as_str())
    };
    ending("signature")?;
    let from = moment(ending("date")?)?;
    let lasts: i64 = ending("expires")?.parse().ok()?;
    Some(Token {
        kind: TokenKind::SignedQuery,
        not_before: Some(from),
        expires: Some(from.saturating_add(lasts)),
        issuer: None,
        audience: shown(place.trim_end_matches('/')),
        subject: ending("user").and_then(shown),
    })
}

/// A moment in the basic form of ISO 8601, in UTC, as seconds of Unix time.
fn moment(text: &str) -> Option<i64> {
    let moment = DateTime::strptime("%Y%m%dT%H%M%SZ", text).ok()?;
    let zoned = moment.to_zoned(TimeZone::UTC).ok()?;
    Some(zoned.timestamp().as_second())
}

#[cfg(test)]
mod tests {
    use super::{Token, TokenDates, TokenKind, moment};

    use base64::Engine as _;
    use base64::engine::general_purpose::URL_SAFE_NO_PAD;

    fn jwt(body: &str) -> String {
        let part = |text: &str| URL_SAFE_NO_PAD.encode(text);
        format!(
            "{}.{}.c2ln",
            part(r#"{"alg":"RS256","typ":"JWT"}"#),
            part(body)
        )
    }

    #[test]
    fn dates_of_tokens() {
        for (body, now, dates) in [
            (r#"{"exp":1000}"#, 900, TokenDates::InTime),
            (r#"{"exp":1000}"#, 1_030, TokenDates::InTime),
            (r#"{"exp":1000}"#, 1_061, TokenDates::Past),
            (r#"{"exp":1000.75}"#, 2_000, TokenDates::Past),
            (r#"{"nbf":1000,"exp":2000}"#, 900, TokenDates::NotYet),
            (r#"{"nbf":1000,"exp":2000}"#, 990, TokenDates::InTime),
            (r#"{"sub":"purser"}"#, 990, TokenDates::None),
            (r#"{"exp":"soon"}"#, 990, TokenDates::None),
        ] {
            let token = Token::read(&jwt(body)).unwrap();
            assert_eq!(token.dates(now), dates, "{body} at {now}");
        }
    }

    #[test]
    fn what_tokens_say() {
        let body = r#"{"iss":"https://id.osmary.example","aud":["sailings","fares"],"sub":"purser","exp":5}"#;
        assert!(Token::read(&format!("Bearer {}", jwt(body))).is_some());
        let token = Token::read(&format!(" {}\n", jwt(body))).unwrap();
        assert_eq!(token.issuer.as_deref(), Some("https://id.osmary.example"));
        assert_eq!(token.audience.as_deref(), Some("sailings, fares"));
        assert_eq!(token.subject.as_deref(), Some("purser"));
        let signed = "quay.osmary.example:5432/?Action=connect&DBUser=purser&X-Osmary-Date=20261130T010203Z&X-Osmary-Expires=900&X-Osmary-Signature=0a1b";
        let token = Token::read(signed).unwrap();
        assert_eq!(token.kind, TokenKind::SignedQuery);
        assert_eq!(token.not_before, Some(1_796_000_523));
        assert_eq!(token.expires, Some(1_796_001_423));
        assert_eq!(token.audience.as_deref(), Some("quay.osmary.example:5432"));
        assert_eq!(token.subject.as_deref(), Some("purser"));
    }

    #[test]
    fn passwords_are_no_tokens() {
        for text in [
            "",
            "lantern-oil-42",
            "a.b.c",
            "eyJhbGciOiJIUzI1NiJ9.e30",
            "eyJ0eXAiOiJKV1QifQ.e30.c2ln",
            "quay?date=20261130T010203Z&expires=900",
            "quay?date=2026&expires=900&signature=1",
            "192.168.0.1",
        ] {
            assert!(Token::read(text).is_none(), "{text}");
        }
        assert_eq!(moment("20260230T000000Z"), None);
        assert_eq!(moment("19700101T000000Z"), Some(0));
        assert_eq!(moment("20261301T000000Z"), None);
    }
}

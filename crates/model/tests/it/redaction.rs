//! Nothing that a peer says shows a secret, or can harm a terminal.

use base64::Engine as _;
use base64::engine::general_purpose::{STANDARD, URL_SAFE_NO_PAD};
use chronaxis_model::redact::{MASK, Redactor};
use chronaxis_model::secret::{Blemish, Secret, is_placeholder};
use proptest::prelude::*;

fn shown(secret: &str, text: &str) -> String {
    Redactor::new([&Secret::new(secret)])
        .text(text)
        .as_str()
        .to_owned()
}

#[test]
fn control_and_bidirectional_characters_become_visible() {
    let text = shown(
        "unrelated-secret",
        "a\u{1b}[31mred\u{202e}evil\u{200b}\r\n\u{9b}",
    );
    assert_eq!(
        text,
        "a<U+001B>[31mred<U+202E>evil<U+200B><U+000D><U+000A><U+009B>"
    );
}

#[test]
fn a_secret_broken_apart_by_invisible_characters_is_found() {
    let text = shown("lantern-oil-42", "so: lan\u{200b}tern-\u{202e}oil-42!");
    assert!(text.contains(MASK) && !text.contains("oil-42"), "{text}");
}

#[test]
fn a_secret_cut_off_at_the_end_is_masked() {
    assert_eq!(
        shown("lantern-oil-42", "begins lantern-o"),
        format!("begins {MASK}")
    );
    // Of an encoded one a few letters are the end of many a harmless word.
    let list = "TRIGGER, UPDATE, USAGE";
    assert_eq!(shown("lantern-oil-42", list), list);
    let begins = "begins bGFudGVyb";
    assert_eq!(shown("lantern-oil-42", begins), format!("begins {MASK}"));
}

#[test]
fn a_very_short_secret_is_masked_where_it_stands_alone() {
    assert_eq!(
        shown("ab", "abacus, ab, \"ab\""),
        "abacus, [hidden], \"[hidden]\""
    );
    let message = "password authentication failed for user \"purser\"";
    assert_eq!(shown("a", message), message);
    assert_eq!(shown("a", "you said a!"), "you said [hidden]!");
}

#[test]
fn encodings_of_all_kinds_are_seen_through() {
    let secret = "Zq9!lan&tern";
    let bytes = secret.as_bytes();
    let each = |f: &dyn Fn(u8) -> String, between: &str| {
        let all: Vec<String> = bytes.iter().map(|b| f(*b)).collect();
        all.join(between)
    };
    let hex = |b: u8| format!("{b:02x}");
    let once = each(&|b| format!("%{b:02X}"), "");
    let base32 = "LJYTSILMMFXCM5DFOJXA";
    for form in [
        each(&|b| format!("&#{b};"), ""),
        each(&|b| format!("&#x{b:X};"), ""),
        "Zq9&excl;lan&amp;tern".to_owned(),
        "Zq9!lan&amp;amp;tern".to_owned(),
        once.replace('%', "%25"),
        once.replace('%', "%2525"),
        each(&hex, ":"),
        each(&hex, "-"),
        each(&hex, ", "),
        each(&|b| format!("0x{b:02x}"), ", "),
        each(&|b| format!("\\x{b:02X}"), ""),
        each(&|b| format!("\\u{b:04x}"), ""),
        each(&|b| format!("\\{b:03o}"), ""),
        each(&|b| b.to_string(), " "),
        each(&|b| format!("={b:02X}"), ""),
        each(&|b| char::from(b).to_string(), "\0"),
        base32.to_owned(),
        base32.to_lowercase(),
    ] {
        let text = shown(secret, &format!("you said {form} there"));
        assert!(text.contains(MASK), "{form}: {text}");
        let middle: String = form.chars().skip(6).take(6).collect();
        assert!(!text.contains(&middle), "{form}: {text}");
    }
}

#[test]
fn placeholders_are_told_from_passwords() {
    for text in [
        "<password>",
        "changeme",
        "change-me",
        "${DB_PASSWORD}",
        "$DB_PASSWORD",
        "{{ password }}",
        "%PASSWORD%",
        "your_password",
        "****",
        "[YOUR-PASSWORD]",
        "XXXXXXXX",
    ] {
        assert!(is_placeholder(text), "{text}");
    }
    for text in [
        "password",
        "<sea>glass",
        "[harbour]",
        "$ecret",
        "lantern-oil-42",
        "%41bc",
        "",
        "pass",
        "{tide}",
    ] {
        assert!(!is_placeholder(text), "{text}");
    }
}

#[test]
fn a_shape_tells_what_it_may() {
    let shape = Secret::new("lantern-oil-4242 ").shape();
    assert_eq!(shape.to_string(), "17 characters, ends with a space");
    assert!(Secret::new("").shape().has(Blemish::Empty));
    assert_eq!(format!("{:?}", Secret::new("lantern")), "Secret(hidden)");
}

proptest! {
    #[test]
    fn no_form_of_a_secret_gets_through(
        secret in "[A-Za-z0-9+/@:%&'\"\\\\ é-]{6,20}",
        before in "[a-z ]{0,7}",
        after in "[a-z ]{0,7}",
    ) {
        let bytes = secret.as_bytes();
        let hex: String = bytes.iter().map(|b| format!("{b:02x}")).collect();
        let percent: String = bytes.iter().map(|b| format!("%{b:02X}")).collect();
        let inside = format!("{before}{secret}{after}");
        let forms = [
            secret.clone(),
            hex.clone(),
            hex.to_uppercase(),
            percent,
            STANDARD.encode(bytes),
            URL_SAFE_NO_PAD.encode(bytes),
            serde_json::to_string(&secret).unwrap_or_default().trim_matches('"').to_owned(),
        ];
        for form in &forms {
            let text = shown(&secret, &format!("{before}\u{1b}[1m\u{202e}{form}\u{202c}{after}"));
            prop_assert!(!text.contains(form.as_str()), "{} in {}", form, text);
        }
        // Inside a longer base64 text, what depends on the secret alone is masked.
        let code = STANDARD.encode(&inside);
        let text = shown(&secret, &code);
        prop_assert!(text.contains(MASK), "{}", text);
    }

    #[test]
    fn bytes_of_any_kind_are_shown(raw in proptest::collection::vec(any::<u8>(), 0..200)) {
        let redacted = Redactor::new([&Secret::new("lantern-oil-42")]).bytes(&raw);
        prop_assert!(redacted.as_str().chars().all(|c| !c.is_control()));
    }
}

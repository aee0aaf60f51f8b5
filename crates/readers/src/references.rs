//! Values that stand for others which are kept elsewhere: references to stores of secrets,
//! encrypted values, tokens that a pipeline replaces. They are known where the program runs,
//! and never sent from here.

/// What a reference to a store begins with.
const STORES: &[&str] = &[
    "vault:",
    "bao:",
    "op://",
    "ref+",
    "secret:",
    "secrets:",
    "secretref:",
    "ssm:",
    "sm://",
    "kms:",
    "keyvault:",
    "akv://",
    "gsm:",
    "arn:",
    "doppler:",
    "pass://",
];

/// What an encrypted value begins and ends with.
const SEALED: &[(&str, &str)] = &[
    ("ENC[", "]"),
    ("ENC(", ")"),
    ("{cipher}", ""),
    ("encrypted:", ""),
    ("$ANSIBLE_VAULT;", ""),
    ("-----BEGIN AGE", ""),
    ("-----BEGIN PGP", ""),
    ("!vault", ""),
];

/// What stands round the name of a token.
const TOKENS: &[(&str, &str)] = &[
    ("#{", "}#"),
    ("#{", "}"),
    ("${{", "}}"),
    ("%%", "%%"),
    ("@@", "@@"),
    ("__", "__"),
    ("@", "@"),
    ("[[", "]]"),
];

/// Why a value is not known here, where it stands for another one.
pub(crate) fn why(text: &str) -> Option<&'static str> {
    let bare = text.trim();
    let held = |open: &str, close: &str| {
        bare.strip_prefix(open)
            .and_then(|rest| rest.strip_suffix(close))
            .filter(|inner| !inner.is_empty())
    };
    let one_word = !bare.contains(char::is_whitespace);
    let in_store = STORES.iter().any(|store| {
        let rest = bare.strip_prefix(store);
        rest.is_some_and(|rest| rest.contains(['/', ':', '#']) || store.ends_with("//"))
    });
    if one_word && in_store {
        return Some(
            "what stands there refers to a store of secrets, which the program asks where it runs",
        );
    }
    if bare.starts_with('@') && bare.contains("KeyVault(") && bare.ends_with(')') {
        return Some(
            "what stands there refers to a store of secrets, which the program asks where it runs",
        );
    }
    let sealed = SEALED
        .iter()
        .any(|(open, close)| held(open, close).is_some_and(|inner| inner.len() > 7));
    if sealed {
        return Some("what stands there is encrypted, and is opened where the program runs");
    }
    let token = TOKENS
        .iter()
        .any(|(open, close)| held(open, close).is_some_and(|inner| is_token(inner.trim())));
    token.then_some("what stands there is a token that is replaced before the program runs")
}

/// Whether a word is a name that pipelines give to their tokens: passwords seldom are.
fn is_token(inner: &str) -> bool {
    let word = inner
        .chars()
        .all(|c| c.is_ascii_alphanumeric() || matches!(c, '_' | '.' | '-'));
    let big = inner.chars().any(|c| c.is_ascii_uppercase());
    let small = inner.chars().any(|c| c.is_ascii_lowercase());
    let parted = inner
        .trim_matches(['_', '.', '-'])
        .contains(['_', '.', '-']);
    word && inner.len() > 3 && (parted || (big && !small) || camel(inner))
}

/// `DbPassword`.
fn camel(inner: &str) -> bool {
    let mut chars = inner.chars();
    let first = chars.next().is_some_and(|c| c.is_ascii_uppercase());
    first && chars.clone().any(|c| c.is_ascii_uppercase()) && chars.all(|c| c.is_ascii_alphabetic())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_stands_for_another_value_is_known_by_its_form() {
        for text in [
            "vault:secret/data/berths#password",
            "op://quay/sailings/password",
            "ref+file://secrets.yaml#/password",
            "ENC[AES256_GCM,data:p673w==,iv:YYhnH,type:str]",
            "{cipher}1f0b2c3d4e5f60718293",
            "#{DbPassword}#",
            "${{ secrets.DB_PASSWORD }}",
            "__DB_PASSWORD__",
            "%%DB_PASSWORD%%",
            "@db.password@",
        ] {
            assert!(why(text).is_some(), "{text}");
        }
        for text in [
            "tide-table-9",
            "vault:9",
            "@tide@",
            "__tide__",
            "#{tide}",
            "%%x%%",
            "ENC(9)",
            "secret:tide",
            "tide vault:a/b",
        ] {
            assert!(why(text).is_none(), "{text}");
        }
    }
}

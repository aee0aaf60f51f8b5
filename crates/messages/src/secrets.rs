//! Secrets that stand in messages and logs: what follows a word for one, and what stands
//! between the user and the host of a URL.

use chronaxis_model::secret::Secret;

/// Most secrets that are looked for in one text.
const MOST: usize = 200;

/// Longest secret, in bytes.
const LONGEST: usize = 512;

/// Words behind which a secret stands.
const WORDS: &[&str] = &[
    "password",
    "passwd",
    "passphrase",
    "passwort",
    "pgpassword",
    "mysql_pwd",
    "pwd",
    "secret",
    "token",
    "apikey",
    "api_key",
    "access_key",
    "accesskey",
    "accountkey",
    "authorization",
    "identified by",
    "identified with",
    "pass",
];

/// What may stand behind such a word and is none: `using password: YES`, `password for user`.
const NO_SECRETS: &[&str] = &[
    "yes",
    "no",
    "on",
    "off",
    "true",
    "false",
    "null",
    "none",
    "undefined",
    "oui",
    "non",
    "ja",
    "nein",
    "si",
    "required",
    "must",
    "authentication",
    "for",
    "is",
    "was",
    "has",
    "failed",
    "does",
    "and",
    "or",
    "as",
    "by",
    "in",
    "on",
    "to",
    "not",
    "expired",
    "missing",
    "provided",
    "supplied",
    "***",
    "****",
    "*****",
    "********",
    "[hidden]",
    "hidden",
    "<hidden>",
    "xxxxx",
    "function",
    "string",
    "bearer",
    "basic",
    "plugin",
];

/// The secrets of a text, each once.
pub fn in_text(text: &str) -> Vec<Secret> {
    let mut out: Vec<&str> = Vec::new();
    behind_words(text, &mut out);
    in_urls(text, &mut out);
    on_command_lines(text, &mut out);
    out.sort_unstable();
    out.dedup();
    out.into_iter().take(MOST).map(Secret::new).collect()
}

fn behind_words<'a>(text: &'a str, out: &mut Vec<&'a str>) {
    let low = text.to_ascii_lowercase();
    for word in WORDS {
        let mut from = 0;
        while let Some(found) = low.get(from..).and_then(|rest| rest.find(word)) {
            let end = from + found + word.len();
            from = end;
            if let Some(value) = text.get(end..).and_then(value_behind) {
                out.push(value);
            }
            if out.len() > MOST * 4 {
                return;
            }
        }
    }
}

/// The value behind a key: `=x`, `: "x"`, `' => 'x'`, ` 'x'`.
fn value_behind(rest: &str) -> Option<&str> {
    // The key may be longer: `password_file` is none, `passwordHash` neither.
    let behind = rest.trim_start_matches(['"', '\'', '`', ']', ')']);
    let bare = behind.trim_start_matches([' ', '\t']);
    let told = ["=>", "=", ":"]
        .iter()
        .find_map(|sign| bare.strip_prefix(sign));
    let quoted_alone = behind.starts_with([' ', '\'']) && bare.starts_with(['\'', '"']);
    let value = match told {
        Some(value) => value.trim_start_matches([' ', '\t']),
        None if quoted_alone => bare,
        None => return None,
    };
    let value = value
        .strip_prefix("Bearer ")
        .or_else(|| value.strip_prefix("Basic "))
        .unwrap_or(value);
    let opening = value.chars().next()?;
    let value = match opening {
        '"' | '\'' | '`' => {
            let inside = value.get(1..)?;
            inside.split(opening).next()?
        }
        '{' => value.get(1..)?.split('}').next()?,
        _ => value
            .split(|c: char| {
                c.is_whitespace() || matches!(c, ',' | ';' | '&' | ')' | '}' | '"' | '\'')
            })
            .next()?,
    };
    let plain = NO_SECRETS.contains(&value.to_ascii_lowercase().as_str());
    (!value.is_empty() && value.len() <= LONGEST && !plain).then_some(value)
}

fn in_urls<'a>(text: &'a str, out: &mut Vec<&'a str>) {
    for (at, _) in text.match_indices("://") {
        let Some(rest) = text.get(at + 3..) else {
            continue;
        };
        let end = rest.find(|c: char| c.is_whitespace() || matches!(c, '"' | '<' | '>' | '`'));
        let rest = rest.get(..end.unwrap_or(rest.len())).unwrap_or(rest);
        // The last @ ends the secret for some readers, the first for others.
        let (Some(first), Some(last)) = (rest.find('@'), rest.rfind('@')) else {
            continue;
        };
        for end in [first, last] {
            let told = rest.get(..end).and_then(|all| all.split_once(':'));
            if let Some((_, secret)) = told.filter(|(_, s)| !s.is_empty() && s.len() <= LONGEST) {
                out.push(secret);
            }
        }
    }
    // user:secret@tcp(host:port)/database, as drivers of Go write it.
    for (at, _) in text.match_indices("@tcp(") {
        let before = text.get(..at).unwrap_or_default();
        let from = before.rfind(|c: char| c.is_whitespace() || matches!(c, '"' | '\'' | '`'));
        let all = before
            .get(from.map_or(0, |from| from + 1)..)
            .unwrap_or_default();
        if let Some((_, secret)) = all.split_once(':').filter(|(_, s)| !s.is_empty()) {
            out.push(secret);
        }
    }
}

/// `mysql -pSecret`, as shells take it.
fn on_command_lines<'a>(text: &'a str, out: &mut Vec<&'a str>) {
    let programs = [
        "mysql",
        "mariadb",
        "mysqldump",
        "mysqladmin",
        "sqlcmd",
        "mongosh",
    ];
    for line in text.split('\n') {
        if !programs.iter().any(|program| line.contains(program)) {
            continue;
        }
        for word in line.split_whitespace() {
            let value = word.strip_prefix("-p").or_else(|| word.strip_prefix("-P"));
            if let Some(value) =
                value.filter(|v| v.len() > 1 && !v.bytes().all(|b| b.is_ascii_digit()))
            {
                out.push(value.trim_matches(['"', '\'']));
            }
        }
    }
}

//! Our own manifest, `bundle.toml`.

use chronaxis_bundle::manifest::{Alias, Manifest, Purpose, Told};
use chronaxis_model::shown;

use crate::node::{self, Broken, Field, Is, Node};
use crate::text::Text;

/// The name of our own manifest.
pub const NAME: &str = "bundle.toml";

/// The keys of the table of the bundle itself.
const KEYS: [&str; 5] = ["purpose", "authorities", "certificate", "key", "keystore"];

/// The keys of an alias.
const ALIAS_KEYS: [&str; 11] = [
    "target", "engine", "host", "port", "database", "service", "user", "instance", "role", "tls",
    "options",
];

/// A manifest, read.
#[derive(Debug)]
pub struct Read {
    /// What it says.
    pub manifest: Manifest,
    /// Whether a password stands in it.
    pub holds_password: bool,
}

/// Reads a manifest.
///
/// # Errors
/// Says where it cannot be read, and what was expected there.
pub fn read(text: &str) -> Result<Read, Broken> {
    let root = node::toml(text)?;
    let lines = Text::new(text.to_owned());
    let mut manifest = Manifest::default();
    for field in root.fields() {
        match field.name.as_ref() {
            "bundle" => head(&field.value, &lines, &mut manifest)?,
            "alias" => {
                for one in map(field)? {
                    manifest.aliases.push(alias(one, &lines)?);
                }
            }
            other => return Err(unknown(other, field, &["bundle", "alias"])),
        }
    }
    let strings = manifest.aliases.iter().filter_map(|a| a.target.as_ref());
    let holds_password = strings.into_iter().any(|t| has_password(&t.text));
    Ok(Read {
        manifest,
        holds_password,
    })
}

/// Whether a connection string has a password in it.
fn has_password(text: &str) -> bool {
    let in_authority = text
        .split_once("://")
        .and_then(|(_, rest)| rest.rsplit_once('@'))
        .is_some_and(|(user, _)| user.contains(':'));
    let lower = text.to_ascii_lowercase();
    in_authority || ["password=", "pwd="].iter().any(|k| lower.contains(k))
}

fn unknown(name: &str, field: &Field<'_>, known: &[&str]) -> Broken {
    let what = format!(
        "there is no key {} here",
        shown::key(name, known.iter().copied())
    );
    let expected = format!("one of {}", known.join(", "));
    Broken::new(field.name_at.start, what, expected)
}

fn map<'a, 'b>(field: &'b Field<'a>) -> Result<&'b [Field<'a>], Broken> {
    match &field.value.is {
        Is::Map(fields) => Ok(fields),
        _ => Err(Broken::new(
            field.value.at.start,
            format!("{} is {}", field.name, field.value.kind()),
            "a table",
        )),
    }
}

fn told(name: &str, node: &Node<'_>, lines: &Text) -> Result<Told, Broken> {
    let text = node.scalar().ok_or_else(|| {
        let what = format!("{name} is {}", node.kind());
        Broken::new(node.at.start, what, "one value")
    })?;
    Ok(Told {
        text: text.to_owned(),
        at: node.at.clone(),
        line: lines.position(node.at.start).0,
    })
}

fn head(node: &Node<'_>, lines: &Text, out: &mut Manifest) -> Result<(), Broken> {
    for field in node.fields() {
        let name = field.name.as_ref();
        match name {
            "purpose" => {
                let word = told(name, &field.value, lines)?;
                let known = Purpose::WORDS.iter().find(|(w, _)| *w == word.text);
                let Some((_, purpose)) = known else {
                    let what = "the purpose is not a known word";
                    let expected = "\"server check\" or \"client certificate\"";
                    return Err(Broken::new(field.value.at.start, what, expected));
                };
                out.purpose = Some(*purpose);
            }
            "authorities" => match &field.value.is {
                Is::List(all) => {
                    for one in all {
                        out.authorities.push(told(name, one, lines)?);
                    }
                }
                _ => out.authorities.push(told(name, &field.value, lines)?),
            },
            "certificate" => out.certificate = Some(told(name, &field.value, lines)?),
            "key" => out.key = Some(told(name, &field.value, lines)?),
            "keystore" => out.keystore = Some(told(name, &field.value, lines)?),
            other => return Err(unknown(other, field, &KEYS)),
        }
    }
    Ok(())
}

fn alias(field: &Field<'_>, lines: &Text) -> Result<Alias, Broken> {
    let mut out = Alias {
        name: field.name.to_string(),
        line: lines.position(field.name_at.start).0,
        target: None,
        fields: Vec::new(),
    };
    for inner in map(field)? {
        let name = inner.name.as_ref();
        match name {
            "target" => out.target = Some(told(name, &inner.value, lines)?),
            "options" => {
                for option in map(inner)? {
                    let told = told(&option.name, &option.value, lines)?;
                    out.fields.push((option.name.to_string(), told));
                }
            }
            _ if ALIAS_KEYS.contains(&name) => {
                out.fields
                    .push((name.to_owned(), told(name, &inner.value, lines)?));
            }
            other => return Err(unknown(other, inner, &ALIAS_KEYS)),
        }
    }
    if let (Some(target), Some((_, other))) = (&out.target, out.fields.first()) {
        let what = "the alias has a target and fields of its own";
        let at = other.at.start.max(target.at.start);
        return Err(Broken::new(at, what, "a target, or fields"));
    }
    Ok(out)
}

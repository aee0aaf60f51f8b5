//! Prisma's schema, as far as it says where its database is: the blocks `datasource`
//! (Prisma's documentation, "Data sources").

use super::tree::Tree;
use crate::entry::{Look, Parsed, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(super) fn read(text: &Text) -> Parsed {
    let mut tree = Tree::default();
    for (start, line) in text.lines() {
        let bare = line.trim();
        if let Some(rest) = bare.strip_prefix("datasource ") {
            tree.path = vec![rest.trim_end_matches(['{', ' ']).trim().to_owned()];
        } else if bare.starts_with('}') {
            tree.path.clear();
        } else if !tree.path.is_empty() && !bare.starts_with("//") {
            field(&mut tree, start, line);
        }
    }
    tree.parsed
}

/// `provider = "mysql"`, `url = env("DATABASE_URL")`.
fn field(tree: &mut Tree, start: usize, line: &str) {
    let Some((name, value)) = line.split_once('=') else {
        return;
    };
    let key = match name.trim() {
        "provider" => "driver",
        "url" => "url",
        // Its migrations go there; the program does not.
        _ => return,
    };
    let key_at = start + (name.len() - name.trim_start().len());
    let key_at = key_at..key_at + name.trim().len();
    let from = start + name.len() + 1;
    let mut quoted = value.match_indices('"').map(|(at, _)| at);
    let (Some(opens), Some(closes)) = (quoted.next(), quoted.next()) else {
        return;
    };
    let inner = value.get(opens + 1..closes).unwrap_or_default();
    let at = from + opens..from + closes + 1;
    let told = match value.trim_start().starts_with("env(") {
        true => Value::look(Look {
            name: inner.to_owned(),
            default: None,
            required: true,
            by_program: true,
            at,
        }),
        false => {
            let traced = Traced::verbatim(inner, from + opens + 1);
            Value::text(traced, at, Quotes::Escaped)
        }
    };
    tree.path.push(key.to_owned());
    tree.leaf(key_at, told);
    tree.path.pop();
}

//! What an expression is worth, as far as that is known without a run.

use std::ops::Range;

use tree_sitter::Node;

use super::{DEEPEST, Script};
use crate::entry::{Look, Part, Quotes, Value};
use crate::traced::Traced;

impl Script<'_> {
    pub(super) fn looked_up(&self, node: Node<'_>) -> Option<Value> {
        let called = self.of(node.child_by_field_name("function")?);
        let with_default = matches!(called, "env" | "getenv_docker");
        if !with_default && !matches!(called, "getenv" | "\\getenv") {
            return None;
        }
        let arguments = self.arguments(node);
        let name = self.value(*arguments.first()?, 1).plain()?;
        let default = arguments.get(1).filter(|_| with_default);
        let default = default.and_then(|d| self.value(*d, 1).plain());
        Some(self.look(node, name.as_str(), default))
    }

    fn look(&self, node: Node<'_>, name: &str, default: Option<Traced>) -> Value {
        Value::look(Look {
            name: name.to_owned(),
            default,
            required: false,
            by_program: true,
            at: node.byte_range(),
        })
    }

    pub(super) fn value(&self, node: Node<'_>, depth: usize) -> Value {
        let at = node.byte_range();
        if depth > DEEPEST {
            return Value::unknown(at);
        }
        match node.kind() {
            "string" => {
                let inner = self.of(node);
                let raw = inner
                    .get(1..inner.len().saturating_sub(1))
                    .unwrap_or_default();
                Value::text(literal(raw, at.start + 1), at, Quotes::Literal)
            }
            "encapsed_string" => self.encapsed(node),
            "integer" | "float" | "boolean" => {
                Value::text(Traced::verbatim(self.of(node), at.start), at, Quotes::None)
            }
            "binary_expression" => self.binary(node, depth),
            "conditional_expression" => {
                // `look ?: default`: the middle is left out.
                let first = node.child_by_field_name("condition");
                let last = node.child_by_field_name("alternative");
                let middle = node.child_by_field_name("body");
                match (first, middle, last) {
                    (Some(first), None, Some(last)) => self.either(at, first, last, depth),
                    _ => Value::unknown(at),
                }
            }
            "parenthesized_expression" | "cast_expression" => {
                let last = u32::try_from(node.named_child_count())
                    .ok()
                    .and_then(|n| n.checked_sub(1));
                match last.and_then(|last| node.named_child(last)) {
                    Some(inner) => self.value(inner, depth + 1),
                    None => Value::unknown(at),
                }
            }
            "name" | "variable_name" => {
                let name = self.of(node).trim_start_matches('$');
                let bound = self.bound.get(name).cloned();
                bound.unwrap_or_else(|| Value::named(name, at))
            }
            "subscript_expression" => {
                let of_it = node.named_child(0).map(|v| self.of(v));
                let key = node.named_child(1).map(|k| self.value(k, depth + 1));
                match (of_it, key.and_then(|k| k.plain())) {
                    (Some("$_ENV" | "$_SERVER"), Some(name)) => {
                        self.look(node, name.as_str(), None)
                    }
                    _ => match self.names(node) {
                        Some(path) => Value::named(path.join("."), at),
                        None => Value::unknown(at),
                    },
                }
            }
            // `$config->user`: what a class of settings calls so.
            "member_access_expression" => match self.names(node) {
                Some(path) => Value::named(path.join("."), at),
                None => Value::unknown(at),
            },
            "function_call_expression" => self
                .looked_up(node)
                .or_else(|| self.printed(node, depth))
                .unwrap_or_else(|| Value::unknown(at)),
            _ => Value::unknown(at),
        }
    }

    /// `sprintf('…%s…', $a)`, where each hole is a plain one.
    fn printed(&self, node: Node<'_>, depth: usize) -> Option<Value> {
        let called = self.of(node.child_by_field_name("function")?);
        let arguments = self.arguments(node);
        let (template, given) = arguments.split_first()?;
        let text = self.value(*template, depth + 1).plain()?;
        let mut parts = Vec::new();
        let mut given = given.iter();
        let mut from = 0;
        for (at, _) in text
            .as_str()
            .match_indices('%')
            .filter(|_| called == "sprintf")
        {
            let kind = text.as_str().get(at + 1..)?.chars().next()?;
            if !matches!(kind, 's' | 'd' | 'u') {
                return None;
            }
            parts.push(Part::Text(text.slice(from..at)));
            parts.extend(self.value(*given.next()?, depth + 1).parts);
            from = at + 2;
        }
        parts.push(Part::Text(text.slice(from..text.as_str().len())));
        (from > 0).then(|| Value {
            parts,
            at: node.byte_range(),
            quotes: Quotes::Literal,
            cut: None,
        })
    }

    fn binary(&self, node: Node<'_>, depth: usize) -> Value {
        let at = node.byte_range();
        let sides = (
            node.child_by_field_name("left"),
            node.child_by_field_name("right"),
        );
        let (Some(left), Some(right)) = sides else {
            return Value::unknown(at);
        };
        match node.child_by_field_name("operator").map(|o| self.of(o)) {
            Some(".") => {
                let (left, right) = (self.value(left, depth + 1), self.value(right, depth + 1));
                Value {
                    quotes: left.quotes,
                    parts: left.parts.into_iter().chain(right.parts).collect(),
                    at,
                    cut: None,
                }
            }
            Some("??") => self.either(at, left, right, depth),
            _ => Value::unknown(at),
        }
    }

    fn either(&self, at: Range<usize>, first: Node<'_>, last: Node<'_>, depth: usize) -> Value {
        let mut value = self.value(first, depth + 1);
        let default = self.value(last, depth + 1).plain();
        match (value.parts.as_mut_slice(), default) {
            ([Part::Look(look)], Some(default)) => {
                look.default = Some(default);
                value
            }
            _ => Value::unknown(at),
        }
    }

    fn encapsed(&self, node: Node<'_>) -> Value {
        let mut parts = Vec::new();
        let mut known = Traced::default();
        let mut cursor = node.walk();
        for child in node.named_children(&mut cursor) {
            match child.kind() {
                "string_content" => known.push_str(self.of(child), child.start_byte()),
                "escape_sequence" => {
                    let raw = self.of(child);
                    match escape(raw) {
                        Some(c) => known.push(c, child.start_byte()),
                        None => known.push_str(raw, child.start_byte()),
                    }
                }
                _ => {
                    parts.push(Part::Text(std::mem::take(&mut known)));
                    parts.extend(self.value(child, 1).parts);
                }
            }
        }
        parts.push(Part::Text(known));
        Value {
            parts,
            at: node.byte_range(),
            quotes: Quotes::Escaped,
            cut: None,
        }
    }
}

/// What an escape in double quotes stands for (PHP manual, "Strings").
fn escape(raw: &str) -> Option<char> {
    Some(match raw.strip_prefix('\\')? {
        "n" => '\n',
        "t" => '\t',
        "r" => '\r',
        "v" => '\u{b}',
        "e" => '\u{1b}',
        "f" => '\u{c}',
        "\\" => '\\',
        "$" => '$',
        "\"" => '"',
        "0" => '\0',
        hex => char::from_u32(u32::from_str_radix(hex.strip_prefix('x')?, 16).ok()?)?,
    })
}

/// Single quotes: only a quote and a backslash are escaped.
fn literal(raw: &str, from: usize) -> Traced {
    let mut out = Traced::default();
    let mut chars = raw.char_indices().peekable();
    while let Some((at, c)) = chars.next() {
        match (c, chars.peek().copied()) {
            ('\\', Some((_, next @ ('\'' | '\\')))) => {
                chars.next();
                out.push(next, from + at);
            }
            (c, _) => out.push_str(c.encode_utf8(&mut [0; 4]), from + at),
        }
    }
    if raw.is_empty() {
        return Traced::opaque("", from);
    }
    out
}

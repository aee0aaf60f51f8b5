//! What an expression is worth, as far as that is known without a run.

use std::ops::Range;

use tree_sitter::Node;

use super::literal::decoded;
use super::{DEEPEST, Module};
use crate::entry::{Look, Part, Quotes, Value};
use crate::traced::Traced;

/// Whether a name is written as constants are.
fn is_constant(name: &str) -> bool {
    let plain = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
    name.len() > 1 && name.chars().all(plain)
}

/// Helpers that give up where a variable is not set and has no default.
const STRICT: &[&str] = &[
    "env",
    "env.str",
    "env.int",
    "config",
    "env.get_value",
    "env.db",
    "env.db_url",
    "env.dj_db_url",
    "env.url",
];

/// Looks that give nothing then, and what settings modules call helpers of their own.
const LENIENT: &[&str] = &[
    "os.environ.get",
    "environ.get",
    "os.getenv",
    "getenv",
    "get_env",
    "get_env_var",
    "get_env_value",
    "get_env_variable",
    "env_var",
];

impl Module<'_> {
    /// A look into the environment, if a call is one: `os.environ.get`, `os.getenv`, and
    /// the helpers that settings modules use.
    pub(super) fn looked_up(&self, node: Node<'_>) -> Option<Value> {
        let function = node.child_by_field_name("function")?;
        let called = self.of(function);
        let strict = STRICT.contains(&called);
        if matches!(called, "int" | "str" | "os.path.expandvars") {
            let inner = node.child_by_field_name("arguments")?.named_child(0)?;
            return Some(self.value(inner, 1));
        }
        if !strict && !LENIENT.contains(&called) {
            return None;
        }
        let arguments = node.child_by_field_name("arguments")?;
        let name = self.value(arguments.named_child(0)?, 1).plain()?;
        let mut cursor = arguments.walk();
        let default =
            arguments
                .named_children(&mut cursor)
                .enumerate()
                .find_map(|(index, argument)| match argument.kind() {
                    "keyword_argument" => {
                        let of_it = argument.child_by_field_name("name")?;
                        let value = argument.child_by_field_name("value")?;
                        (self.of(of_it) == "default").then_some(value)
                    }
                    _ => (index == 1).then_some(argument),
                });
        Some(self.look(node, name.as_str(), default, strict))
    }

    pub(super) fn look(
        &self,
        node: Node<'_>,
        name: &str,
        default: Option<Node<'_>>,
        strict: bool,
    ) -> Value {
        let text = default.and_then(|d| self.value(d, 1).plain());
        Value::look(Look {
            name: name.to_owned(),
            required: strict && default.is_none(),
            default: text,
            by_program: true,
            at: node.byte_range(),
        })
    }

    /// What an expression is worth.
    pub(super) fn value(&self, node: Node<'_>, depth: usize) -> Value {
        let at = node.byte_range();
        if depth > DEEPEST {
            return Value::unknown(at);
        }
        if let Some(path) = self.path(node, depth) {
            return Value::text(Traced::opaque(path, at.start), at, Quotes::None);
        }
        match node.kind() {
            "string" => self.string(node),
            "integer" | "float" | "true" | "false" => {
                let traced = Traced::verbatim(self.of(node), at.start);
                Value::text(traced, at, Quotes::None)
            }
            "concatenated_string" => {
                let mut cursor = node.walk();
                let parts = node.named_children(&mut cursor);
                self.joined(at, parts.map(|p| self.value(p, depth + 1)).collect())
            }
            "binary_operator" => {
                let operator = node.child_by_field_name("operator").map(|o| self.of(o));
                let sides = (
                    node.child_by_field_name("left"),
                    node.child_by_field_name("right"),
                );
                match (operator, sides) {
                    (Some("%"), (Some(left), Some(right))) => {
                        let mut cursor = right.walk();
                        let given = match right.kind() {
                            "tuple" => right.named_children(&mut cursor).collect(),
                            _ => vec![right],
                        };
                        self.filled(at, left, "%s", &given, depth)
                    }
                    (Some("+"), (Some(left), Some(right))) => {
                        let sides = vec![self.value(left, depth + 1), self.value(right, depth + 1)];
                        self.joined(at, sides)
                    }
                    _ => Value::unknown(at),
                }
            }
            "boolean_operator" => self.either(node, depth),
            "parenthesized_expression" => match node.named_child(0) {
                Some(inner) => self.value(inner, depth + 1),
                None => Value::unknown(at),
            },
            "identifier" => {
                let name = self.of(node);
                let bound = self.bound.get(name).cloned();
                bound.unwrap_or_else(|| match is_constant(name) {
                    true => Value::named(name, at),
                    false => Value::unknown(at),
                })
            }
            // `settings.DB_HOST`: what a module or a class of settings calls so.
            "attribute" => match node.child_by_field_name("attribute") {
                Some(name) if is_constant(self.of(name)) => Value::named(self.of(name), at),
                _ => Value::unknown(at),
            },
            "subscript" => {
                let of_it = node.child_by_field_name("value").map(|v| self.of(v));
                let key = node
                    .child_by_field_name("subscript")
                    .map(|s| self.value(s, depth + 1));
                match (of_it, key.and_then(|k| k.plain())) {
                    (Some("os.environ" | "environ"), Some(name)) => {
                        self.look(node, name.as_str(), None, true)
                    }
                    _ => Value::unknown(at),
                }
            }
            "call" => match self.looked_up(node) {
                Some(value) => value,
                None => self.formatted(node, depth),
            },
            _ => Value::unknown(at),
        }
    }

    /// A string that a call puts together, if it does.
    pub(super) fn put_together(&self, node: Node<'_>) -> Option<Value> {
        let value = self.formatted(node, 0);
        let whole = !value.parts.iter().all(|part| matches!(part, Part::Unknown));
        whole.then_some(value)
    }

    /// `"…{}…".format(a, b)`.
    fn formatted(&self, node: Node<'_>, depth: usize) -> Value {
        let at = node.byte_range();
        let function = node.child_by_field_name("function");
        let of_it = function.filter(|f| f.kind() == "attribute").and_then(|f| {
            let name = f.child_by_field_name("attribute")?;
            (self.of(name) == "format").then(|| f.child_by_field_name("object"))?
        });
        let arguments = node.child_by_field_name("arguments");
        let (Some(template), Some(arguments)) = (of_it, arguments) else {
            return Value::unknown(at);
        };
        let mut cursor = arguments.walk();
        let given: Vec<Node<'_>> = arguments.named_children(&mut cursor).collect();
        match given.iter().any(|a| a.kind() == "keyword_argument") {
            true => Value::unknown(at),
            false => self.filled(at, template, "{}", &given, depth),
        }
    }

    /// A template with what is given for each of its holes, in their order.
    fn filled(
        &self,
        at: Range<usize>,
        template: Node<'_>,
        hole: &str,
        given: &[Node<'_>],
        depth: usize,
    ) -> Value {
        let value = self.value(template, depth + 1);
        let Some(text) = value.plain() else {
            return Value::unknown(at);
        };
        let holes: Vec<usize> = text
            .as_str()
            .match_indices(hole)
            .map(|(at, _)| at)
            .collect();
        let others = text.as_str().matches(['{', '%']).count();
        if holes.len() != given.len() || others != holes.len() {
            return Value::unknown(at);
        }
        let mut parts = Vec::new();
        let mut from = 0;
        for (hole_at, given) in holes.into_iter().zip(given) {
            parts.push(Part::Text(text.slice(from..hole_at)));
            parts.extend(self.value(*given, depth + 1).parts);
            from = hole_at + hole.len();
        }
        parts.push(Part::Text(text.slice(from..text.as_str().len())));
        Value {
            parts,
            at,
            quotes: value.quotes,
            cut: None,
        }
    }

    /// `look or "default"`.
    fn either(&self, node: Node<'_>, depth: usize) -> Value {
        let at = node.byte_range();
        let operator = node.child_by_field_name("operator").map(|o| self.of(o));
        let sides = (
            node.child_by_field_name("left"),
            node.child_by_field_name("right"),
        );
        let (Some("or"), (Some(left), Some(right))) = (operator, sides) else {
            return Value::unknown(at);
        };
        let mut value = self.value(left, depth + 1);
        let default = self.value(right, depth + 1).plain();
        match (value.parts.as_mut_slice(), default) {
            ([Part::Look(look)], Some(default)) => {
                look.default = Some(default);
                look.required = false;
                value
            }
            _ => Value::unknown(at),
        }
    }

    fn joined(&self, at: Range<usize>, values: Vec<Value>) -> Value {
        let quotes = values.first().map_or(Quotes::None, |v| v.quotes);
        Value {
            parts: values.into_iter().flat_map(|v| v.parts).collect(),
            at,
            quotes,
            cut: None,
        }
    }

    fn string(&self, node: Node<'_>) -> Value {
        let mut parts = Vec::new();
        let mut raw_string = false;
        let mut cursor = node.walk();
        for child in node.children(&mut cursor) {
            match child.kind() {
                "string_start" => {
                    let prefix = self.of(child).to_ascii_lowercase();
                    raw_string = prefix.contains('r');
                }
                "string_content" => {
                    let raw = self.of(child);
                    let from = child.start_byte();
                    let text = match raw_string {
                        true => Traced::verbatim(raw, from),
                        false => decoded(raw, from),
                    };
                    parts.push(Part::Text(text));
                }
                "interpolation" => match child.child_by_field_name("expression") {
                    Some(inner) => parts.extend(self.value(inner, 1).parts),
                    None => parts.push(Part::Unknown),
                },
                _ => {}
            }
        }
        if parts.is_empty() {
            parts.push(Part::Text(Traced::opaque("", node.start_byte() + 1)));
        }
        Value {
            parts,
            at: node.byte_range(),
            quotes: if raw_string {
                Quotes::Literal
            } else {
                Quotes::Escaped
            },
            cut: None,
        }
    }
}

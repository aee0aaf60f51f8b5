//! Python modules, parsed by the language's grammar and never run. Only literals,
//! concatenation, names bound to these above, and looks into the environment are followed.

mod literal;

use std::collections::BTreeMap;
use std::ops::Range;

use chronaxis_engines::engines;
use tree_sitter::{Node, Parser};

use self::literal::decoded;
use super::tree::Tree;
use crate::entry::{Look, Parsed, Part, Quotes, Value};
use crate::traced::Traced;

/// Deepest expression that is followed.
const DEEPEST: usize = 60;

/// Whether the calls of this module connect to a database.
fn is_driver(module: &str) -> bool {
    let mut all = engines().iter().flat_map(|e| e.spec.python_modules);
    all.any(|known| *known == module)
}

pub(super) fn read(text: &str) -> Parsed {
    let mut parser = Parser::new();
    if parser
        .set_language(&tree_sitter_python::LANGUAGE.into())
        .is_err()
    {
        return Parsed::default();
    }
    let Some(syntax) = parser.parse(text, None) else {
        return Parsed::default();
    };
    let mut module = Module {
        text,
        tree: Tree::default(),
        bound: BTreeMap::new(),
    };
    module.walk(syntax.root_node());
    if let Some(at) = first_error(syntax.root_node()) {
        module
            .tree
            .parsed
            .trouble(at, "the Python cannot be read here", "Python 3");
    }
    module.tree.parsed
}

/// The byte of the first place that the grammar cannot make sense of.
pub(super) fn first_error(root: Node<'_>) -> Option<usize> {
    if !root.has_error() {
        return None;
    }
    let mut cursor = root.walk();
    loop {
        let node = cursor.node();
        if node.is_error() || node.is_missing() {
            return Some(node.start_byte());
        }
        if node.has_error() && cursor.goto_first_child() {
            continue;
        }
        while !cursor.goto_next_sibling() {
            if !cursor.goto_parent() {
                return None;
            }
        }
    }
}

struct Module<'a> {
    text: &'a str,
    tree: Tree,
    /// Names bound above to what is known.
    bound: BTreeMap<String, Value>,
}

impl Module<'_> {
    fn of(&self, node: Node<'_>) -> &str {
        self.text.get(node.byte_range()).unwrap_or_default()
    }

    /// Visits all nodes; assignments and calls are looked into.
    fn walk(&mut self, root: Node<'_>) {
        let mut cursor = root.walk();
        loop {
            let node = cursor.node();
            let taken = match node.kind() {
                "assignment" => self.assignment(node),
                "call" => self.call(node),
                _ => false,
            };
            if !taken && cursor.goto_first_child() {
                continue;
            }
            while !cursor.goto_next_sibling() {
                if !cursor.goto_parent() {
                    return;
                }
            }
        }
    }

    fn assignment(&mut self, node: Node<'_>) -> bool {
        let (Some(left), Some(right)) = (
            node.child_by_field_name("left"),
            node.child_by_field_name("right"),
        ) else {
            return false;
        };
        let Some(path) = self.names(left) else {
            return false;
        };
        let depth = self.tree.path.len();
        self.tree.path.extend(path);
        let key_at = left.byte_range();
        let taken = self.take(right, key_at, 0);
        if left.kind() == "identifier"
            && let Some(entry) = self.tree.parsed.entries.last()
            && entry.path.len() == depth + 1
            && taken
        {
            self.bound
                .insert(self.of(left).to_owned(), entry.value.clone());
        }
        self.tree.path.truncate(depth);
        taken
    }

    /// What is assigned to: a name, an attribute, or a key of one.
    fn names(&self, left: Node<'_>) -> Option<Vec<String>> {
        match left.kind() {
            "identifier" => Some(vec![self.of(left).to_owned()]),
            "attribute" => {
                let name = left.child_by_field_name("attribute")?;
                Some(vec![self.of(name).to_owned()])
            }
            "subscript" => {
                let mut path = self.names(left.child_by_field_name("value")?)?;
                let key = self
                    .value(left.child_by_field_name("subscript")?, 0)
                    .plain()?;
                path.push(key.as_str().to_owned());
                Some(path)
            }
            _ => None,
        }
    }

    /// Takes what an expression holds; false where its inside is still to be visited.
    fn take(&mut self, node: Node<'_>, key_at: Range<usize>, depth: usize) -> bool {
        if depth > DEEPEST {
            return true;
        }
        match node.kind() {
            "dictionary" => {
                let mut cursor = node.walk();
                for pair in node.named_children(&mut cursor) {
                    self.pair(pair, depth);
                }
                true
            }
            "list" | "tuple" => {
                let mut cursor = node.walk();
                for (index, element) in node.named_children(&mut cursor).enumerate() {
                    self.tree.path.push(index.to_string());
                    self.take(element, key_at.clone(), depth + 1);
                    self.tree.path.pop();
                }
                true
            }
            "call" => match self.looked_up(node) {
                Some(value) => {
                    self.tree.leaf(key_at, value);
                    true
                }
                None => {
                    let taken = self.call_under(node, depth);
                    if !taken {
                        self.tree.leaf(key_at, Value::unknown(node.byte_range()));
                    }
                    taken
                }
            },
            "await" | "parenthesized_expression" => match node.named_child(0) {
                Some(inner) => self.take(inner, key_at, depth + 1),
                None => true,
            },
            "none" => true,
            "lambda" | "list_comprehension" | "dictionary_comprehension" => false,
            _ => {
                let value = self.value(node, depth);
                self.tree.leaf(key_at, value);
                true
            }
        }
    }

    fn pair(&mut self, pair: Node<'_>, depth: usize) {
        let fields = (
            pair.child_by_field_name("key"),
            pair.child_by_field_name("value"),
        );
        let (Some(key), Some(value)) = fields else {
            return;
        };
        let Some(name) = self.value(key, 0).plain() else {
            return;
        };
        self.tree.path.push(name.as_str().to_owned());
        self.take(value, key.byte_range(), depth + 1);
        self.tree.path.pop();
    }

    /// A call that stands by itself.
    fn call(&mut self, node: Node<'_>) -> bool {
        if let Some(value) = self.looked_up(node) {
            let looks = value.looks().cloned().collect::<Vec<_>>();
            self.tree.parsed.looks.extend(looks);
            return true;
        }
        let function = node
            .child_by_field_name("function")
            .filter(|f| matches!(f.kind(), "identifier" | "attribute"))
            .map(|f| self.of(f).to_owned());
        let Some(function) = function.filter(|f| !f.contains(['(', '[', '\n'])) else {
            return false;
        };
        let name = function.rsplit('.').next().unwrap_or(&function).to_owned();
        self.tree.path.push(name);
        self.call_under(node, 0);
        self.tree.path.pop();
        false
    }

    /// Takes a call's arguments by name, and a connection string given as the first.
    fn call_under(&mut self, node: Node<'_>, depth: usize) -> bool {
        let Some(arguments) = node.child_by_field_name("arguments") else {
            return false;
        };
        let function = node.child_by_field_name("function");
        let called = function.map(|f| self.of(f).to_owned()).unwrap_or_default();
        let module = called.split('.').next().unwrap_or_default().to_owned();
        let mut some = false;
        let mut cursor = arguments.walk();
        for (index, argument) in arguments.named_children(&mut cursor).enumerate() {
            match argument.kind() {
                "keyword_argument" => {
                    let name = argument.child_by_field_name("name");
                    let value = argument.child_by_field_name("value");
                    if let (Some(name), Some(value)) = (name, value) {
                        some = true;
                        self.tree.path.push(self.of(name).to_owned());
                        self.take(value, name.byte_range(), depth + 1);
                        self.tree.path.pop();
                    }
                }
                "string" | "concatenated_string" | "identifier" | "binary_operator"
                    if index == 0 =>
                {
                    some |= argument.kind() != "identifier";
                    let value = self.value(argument, depth);
                    self.tree.path.push("dsn".to_owned());
                    self.tree
                        .leaf(argument.start_byte()..argument.start_byte(), value);
                    self.tree.path.pop();
                }
                _ => {}
            }
        }
        if some && is_driver(&module) {
            let start = node.start_byte();
            self.tree.path.push("driver".to_owned());
            let traced = Traced::verbatim(&module, start);
            let value = Value::text(traced, start..start + module.len(), Quotes::None);
            self.tree.leaf(start..start, value);
            self.tree.path.pop();
        }
        some
    }

    /// A look into the environment, if a call is one: `os.environ.get`, `os.getenv`, and
    /// the helpers that settings modules use.
    fn looked_up(&self, node: Node<'_>) -> Option<Value> {
        let function = node.child_by_field_name("function")?;
        let called = self.of(function);
        let known = matches!(
            called,
            "os.environ.get"
                | "environ.get"
                | "os.getenv"
                | "getenv"
                | "env"
                | "env.str"
                | "env.int"
                | "config"
                | "env.get_value"
        );
        if matches!(called, "int" | "str" | "os.path.expandvars") {
            let inner = node.child_by_field_name("arguments")?.named_child(0)?;
            return Some(self.value(inner, 1));
        }
        if !known {
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
        let strict = matches!(
            called,
            "env" | "env.str" | "env.int" | "config" | "env.get_value"
        );
        Some(self.look(node, name.as_str(), default, strict))
    }

    fn look(&self, node: Node<'_>, name: &str, default: Option<Node<'_>>, strict: bool) -> Value {
        let text = default.and_then(|d| self.value(d, 1).plain());
        let look = Look {
            name: name.to_owned(),
            required: strict && default.is_none(),
            default: text,
            by_program: true,
            at: node.byte_range(),
        };
        Value {
            parts: vec![Part::Look(look)],
            at: node.byte_range(),
            ..Value::default()
        }
    }

    /// What an expression is worth.
    fn value(&self, node: Node<'_>, depth: usize) -> Value {
        let at = node.byte_range();
        if depth > DEEPEST {
            return Value::unknown(at);
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
                let bound = self.bound.get(self.of(node)).cloned();
                bound.unwrap_or_else(|| Value::unknown(at))
            }
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
            "call" => self.looked_up(node).unwrap_or_else(|| Value::unknown(at)),
            _ => Value::unknown(at),
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

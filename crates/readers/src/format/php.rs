//! PHP files, parsed by the language's grammar and never run. Constants, arrays, variables
//! and the arguments of constructors are read, as far as literals, concatenation and looks
//! into the environment carry.

mod worth;

use std::collections::BTreeMap;
use std::ops::Range;

use tree_sitter::{Node, Parser};

use super::python::first_error;
use super::tree::Tree;
use crate::entry::{Parsed, Quotes, Value};
use crate::traced::Traced;

/// Deepest expression that is followed.
const DEEPEST: usize = 60;

/// What opens a connection, and what its arguments mean in their order.
const OPENERS: &[(&str, &[&str])] = &[
    ("PDO", &["dsn", "user", "password"]),
    (
        "mysqli",
        &["host", "user", "password", "database", "port", "socket"],
    ),
    (
        "mysqli_connect",
        &["host", "user", "password", "database", "port", "socket"],
    ),
    ("pg_connect", &["dsn"]),
    ("pg_pconnect", &["dsn"]),
];

pub(super) fn read(text: &str) -> Parsed {
    let mut parser = Parser::new();
    if parser
        .set_language(&tree_sitter_php::LANGUAGE_PHP.into())
        .is_err()
    {
        return Parsed::default();
    }
    let Some(syntax) = parser.parse(text, None) else {
        return Parsed::default();
    };
    let mut script = Script {
        text,
        tree: Tree::default(),
        bound: BTreeMap::new(),
    };
    script.walk(syntax.root_node());
    if let Some(at) = first_error(syntax.root_node()) {
        script
            .tree
            .parsed
            .trouble(at, "the PHP cannot be read here", "PHP 8");
    }
    script.tree.parsed
}

struct Script<'a> {
    text: &'a str,
    tree: Tree,
    /// Constants and variables bound above to what is known.
    bound: BTreeMap<String, Value>,
}

impl Script<'_> {
    fn of(&self, node: Node<'_>) -> &str {
        self.text.get(node.byte_range()).unwrap_or_default()
    }

    fn walk(&mut self, root: Node<'_>) {
        let mut cursor = root.walk();
        loop {
            let node = cursor.node();
            let taken = match node.kind() {
                "assignment_expression" => self.assignment(node),
                "const_element" | "property_element" => self.constant(node),
                "function_call_expression" => self.call(node),
                "object_creation_expression" => self.opener(node, &[]),
                "return_statement" => self.returned(node),
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

    /// A value under a path of its own, remembered under its name.
    fn bind(&mut self, path: Vec<String>, key_at: Range<usize>, right: Node<'_>) -> bool {
        let depth = self.tree.path.len();
        let name = path.first().cloned().filter(|_| path.len() == 1);
        self.tree.path.extend(path);
        let before = self.tree.parsed.entries.len();
        let taken = self.take(right, key_at, 0);
        self.tree.path.truncate(depth);
        let entries = self.tree.parsed.entries.get(before..).unwrap_or_default();
        if let (Some(name), [entry]) = (name, entries)
            && entry.path.len() == depth + 1
        {
            self.bound.insert(name, entry.value.clone());
        }
        taken
    }

    fn constant(&mut self, node: Node<'_>) -> bool {
        let (Some(name), Some(value)) = (node.named_child(0), node.named_child(1)) else {
            return false;
        };
        let value = match value.kind() {
            "property_initializer" => value.named_child(0).unwrap_or(value),
            _ => value,
        };
        let own = self.of(name).trim_start_matches('$').to_owned();
        self.bind(vec![own], name.byte_range(), value)
    }

    fn assignment(&mut self, node: Node<'_>) -> bool {
        let fields = (
            node.child_by_field_name("left"),
            node.child_by_field_name("right"),
        );
        let (Some(left), Some(right)) = fields else {
            return false;
        };
        match self.names(left) {
            Some(path) => match right.kind() {
                "object_creation_expression" | "function_call_expression"
                    if self.opener(right, &path) =>
                {
                    true
                }
                _ => self.bind(path, left.byte_range(), right),
            },
            None => false,
        }
    }

    fn names(&self, left: Node<'_>) -> Option<Vec<String>> {
        match left.kind() {
            "variable_name" => Some(vec![self.of(left).trim_start_matches('$').to_owned()]),
            "member_access_expression" => {
                let name = left.child_by_field_name("name")?;
                Some(vec![self.of(name).to_owned()])
            }
            "subscript_expression" => {
                let mut path = self.names(left.named_child(0)?)?;
                let key = self.value(left.named_child(1)?, 0).plain()?;
                path.push(key.as_str().to_owned());
                Some(path)
            }
            _ => None,
        }
    }

    fn returned(&mut self, node: Node<'_>) -> bool {
        match node.named_child(0) {
            Some(array) if array.kind() == "array_creation_expression" => self.take(array, 0..0, 0),
            _ => false,
        }
    }

    fn arguments<'t>(&self, node: Node<'t>) -> Vec<Node<'t>> {
        let list = node.child_by_field_name("arguments").or_else(|| {
            let mut cursor = node.walk();
            node.named_children(&mut cursor)
                .find(|c| c.kind() == "arguments")
        });
        let Some(list) = list else {
            return Vec::new();
        };
        let mut cursor = list.walk();
        let arguments = list.named_children(&mut cursor);
        arguments
            .filter(|a| a.kind() == "argument")
            .filter_map(|a| {
                a.named_child(u32::try_from(a.named_child_count()).ok()?.checked_sub(1)?)
            })
            .collect()
    }

    fn call(&mut self, node: Node<'_>) -> bool {
        let called = node
            .child_by_field_name("function")
            .map(|f| self.of(f).to_owned());
        if called.as_deref() == Some("define") {
            let arguments = self.arguments(node);
            if let [name, value, ..] = arguments.as_slice()
                && let Some(known) = self.value(*name, 0).plain()
            {
                let path = vec![known.as_str().to_owned()];
                return self.bind(path, name.byte_range(), *value);
            }
        }
        if let Some(value) = self.looked_up(node) {
            let looks = value.looks().cloned().collect::<Vec<_>>();
            self.tree.parsed.looks.extend(looks);
            return true;
        }
        self.opener(node, &[])
    }

    /// The arguments of what opens a connection, under `path` or under its own name.
    fn opener(&mut self, node: Node<'_>, path: &[String]) -> bool {
        let called = node
            .child_by_field_name("function")
            .or_else(|| node.named_child(0));
        let called = called.map(|c| self.of(c).trim_start_matches('\\').to_owned());
        let known = OPENERS
            .iter()
            .find(|(name, _)| Some(*name) == called.as_deref());
        let Some((name, meanings)) = known else {
            return false;
        };
        let depth = self.tree.path.len();
        match path.is_empty() {
            true => self.tree.path.push((*name).to_owned()),
            false => self.tree.path.extend(path.iter().cloned()),
        }
        for (meaning, argument) in meanings.iter().zip(self.arguments(node)) {
            if argument.kind() == "null" {
                continue;
            }
            self.tree.path.push((*meaning).to_owned());
            let value = self.value(argument, 0);
            self.tree
                .leaf(argument.start_byte()..argument.start_byte(), value);
            self.tree.path.pop();
        }
        if name.starts_with("mysqli") {
            let start = node.start_byte();
            self.tree.path.push("driver".to_owned());
            let value = Value::text(Traced::opaque("mysqli", start), start..start, Quotes::None);
            self.tree.leaf(start..start, value);
            self.tree.path.pop();
        }
        self.tree.path.truncate(depth);
        true
    }

    fn take(&mut self, node: Node<'_>, key_at: Range<usize>, depth: usize) -> bool {
        if depth > DEEPEST {
            return true;
        }
        match node.kind() {
            "array_creation_expression" => {
                let mut cursor = node.walk();
                let elements = node.named_children(&mut cursor);
                for (index, element) in elements
                    .filter(|e| e.kind() == "array_element_initializer")
                    .enumerate()
                {
                    let (name, value) = match (element.named_child(0), element.named_child(1)) {
                        (Some(key), Some(value)) => (self.value(key, 0).plain(), value),
                        (Some(value), None) => (
                            Some(Traced::opaque(index.to_string(), value.start_byte())),
                            value,
                        ),
                        _ => continue,
                    };
                    let Some(name) = name else { continue };
                    let key_at = element.start_byte()..value.start_byte();
                    self.tree.path.push(name.as_str().to_owned());
                    self.take(value, key_at, depth + 1);
                    self.tree.path.pop();
                }
                true
            }
            "null" => true,
            "anonymous_function" | "arrow_function" | "match_expression" => false,
            _ => {
                let value = self.value(node, depth);
                self.tree.leaf(key_at, value);
                true
            }
        }
    }
}

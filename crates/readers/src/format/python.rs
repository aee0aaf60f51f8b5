//! Python modules, parsed by the language's grammar and never run. Only literals,
//! concatenation, names bound to these above, and looks into the environment are followed.

mod classes;
mod literal;
mod paths;
mod rewrites;
mod worth;

use std::collections::BTreeMap;
use std::ops::Range;

use chronaxis_engines::engines;
use tree_sitter::{Node, Parser};

use super::tree::Tree;
use crate::connection::CALLED;
use crate::entry::{Entry, Parsed, Part, Quotes, Value};
use crate::names::Role;
use crate::text::Text;
use crate::traced::Traced;

/// Deepest expression that is followed.
const DEEPEST: usize = 60;

/// Whether the calls of this module connect to a database.
fn is_driver(module: &str) -> bool {
    let mut all = engines().iter().flat_map(|e| e.spec.python_modules);
    all.any(|known| *known == module)
}

/// Whether a call makes a connection of its first argument, whatever that is worth.
fn connects(called: &str) -> bool {
    let last = called.rsplit('.').next().unwrap_or(called);
    let low = last.to_ascii_lowercase();
    ["engine", "connect", "pool", "database", "make_url"]
        .iter()
        .any(|word| low.contains(word))
}

/// Whether a file with another ending is a module of settings: assignments of literals, and
/// no section (Flask's documentation, "Configuring from Python Files").
pub(crate) fn is_settings(path: &str, text: &Text) -> bool {
    let lines = || text.lines().map(|(_, line)| line.trim());
    let literal = |line: &str| {
        let (name, value) = line.split_once('=')?;
        let name = name.trim();
        let plain = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
        let quoted = value.trim_start().starts_with(['"', '\'']);
        (quoted && !name.is_empty() && name.chars().all(plain)).then_some(())
    };
    path.ends_with(".cfg")
        && !lines().any(|line| line.starts_with('['))
        && lines().any(|line| literal(line).is_some())
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
        paths: BTreeMap::new(),
        in_classes: BTreeMap::new(),
    };
    module.note_classes(syntax.root_node());
    module.walk(syntax.root_node());
    for entry in &mut module.tree.parsed.entries {
        name_after_ssl(&mut entry.path);
    }
    module.tree.parsed.rewrites = module.rewrites(syntax.root_node());
    if let Some(at) = first_error(syntax.root_node()) {
        module
            .tree
            .parsed
            .trouble(at, "the Python cannot be read here", "Python 3");
    }
    module.tree.parsed
}

/// `ssl={"ca": …}`, the dictionary of MySQL's drivers (MySQLdb's documentation, "connect";
/// PyMySQL's): each of its files under the name that it has by itself.
fn name_after_ssl(path: &mut Vec<String>) {
    if let [.., holder, key] = path.as_slice()
        && holder == "ssl"
        && matches!(key.as_str(), "ca" | "cert" | "key")
    {
        let name = format!("ssl_{key}");
        path.truncate(path.len() - 2);
        path.push(name);
    }
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
    /// Names bound above to paths.
    paths: BTreeMap<String, String>,
    /// Names of URLs that classes assign, each with how often.
    in_classes: BTreeMap<String, usize>,
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
        let Some(left) = node.child_by_field_name("left") else {
            return false;
        };
        let right = node.child_by_field_name("right");
        if let Some(prefix) = self
            .of_environment(node)
            .filter(|_| left.kind() == "identifier")
        {
            let own = self.of(left).to_owned();
            let value = self.look(
                node,
                &format!("{prefix}{own}").to_ascii_uppercase(),
                right,
                true,
            );
            self.tree.path.push(own);
            self.tree.leaf(left.byte_range(), value);
            self.tree.path.pop();
            return true;
        }
        let Some(right) = right else {
            return false;
        };
        let Some(path) = self.names(left) else {
            return false;
        };
        if left.kind() == "identifier"
            && let Some(path) = self.path(right, 0)
        {
            self.paths.insert(self.of(left).to_owned(), path);
        }
        let depth = self.tree.path.len();
        let class = self.class_of_many(node, left);
        self.tree.path.extend(class);
        self.tree.path.extend(path);
        let key_at = left.byte_range();
        let taken = self.take(right, key_at, 0);
        if left.kind() == "identifier"
            && let Some(entry) = self.tree.parsed.entries.last()
            && entry.path.len() > depth
            && entry.key() == self.of(left)
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
                    match pair.kind() {
                        "dictionary_splat" => self.splat(pair),
                        _ => self.pair(pair, depth),
                    }
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
            "call" if self.path(node, depth).is_some() => {
                let value = self.value(node, depth);
                self.tree.leaf(key_at, value);
                true
            }
            "call" => match self.looked_up(node).or_else(|| self.put_together(node)) {
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

    /// `**common` in a dictionary: what stands under that name above stands here too.
    fn splat(&mut self, node: Node<'_>) {
        let Some(path) = node.named_child(0).and_then(|named| self.names(named)) else {
            return;
        };
        let all = &self.tree.parsed.entries;
        let under = all
            .iter()
            .filter(|e| e.path.starts_with(&path) && e.path.len() > path.len());
        let copied: Vec<Entry> = under
            .map(|entry| {
                let mut copy = entry.clone();
                let inner = entry.path.get(path.len()..).unwrap_or_default();
                copy.path = self.tree.path.iter().chain(inner).cloned().collect();
                copy
            })
            .collect();
        self.tree.parsed.entries.extend(copied);
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
        let last = called.rsplit('.').next().unwrap_or_default();
        if matches!(last, "create_engine" | "create_async_engine") {
            self.note(CALLED, last.to_owned(), node.start_byte());
        }
        let mut cursor = arguments.walk();
        for (index, argument) in arguments.named_children(&mut cursor).enumerate() {
            match argument.kind() {
                "keyword_argument" => {
                    let name = argument.child_by_field_name("name");
                    let value = argument.child_by_field_name("value");
                    if let (Some(name), Some(value)) = (name, value) {
                        some = true;
                        // What builds a URL calls its database by the URL's part.
                        let key = match self.of(name) {
                            "path" if called.ends_with("Dsn.build") => "dbname",
                            "path" if called.ends_with("Url.build") => "dbname",
                            key => key,
                        };
                        self.tree.path.push(key.to_owned());
                        self.take(value, name.byte_range(), depth + 1);
                        self.tree.path.pop();
                    }
                }
                "dictionary_splat" => self.spread(argument, &module, node.start_byte()),
                "string" | "concatenated_string" | "identifier" | "binary_operator"
                    if index == 0 =>
                {
                    some |= argument.kind() != "identifier";
                    // What is put together of parts above is described there.
                    if argument.kind() == "identifier" && self.has_parts(self.of(argument)) {
                        continue;
                    }
                    let value = self.value(argument, depth);
                    let unknown = value.parts.iter().all(|p| matches!(p, Part::Unknown));
                    if argument.kind() == "identifier" && unknown && !connects(&called) {
                        continue;
                    }
                    let meaning = match last {
                        "create" if called.ends_with("URL.create") => "driver",
                        _ if last.ends_with("Database") && last.contains("SQL") => "database",
                        _ if last.ends_with("Database") && last.contains("Postgresql") => {
                            "database"
                        }
                        _ => "dsn",
                    };
                    if meaning == "database" {
                        self.note("engine", last.to_owned(), node.start_byte());
                    }
                    self.tree.path.push(meaning.to_owned());
                    self.tree
                        .leaf(argument.start_byte()..argument.start_byte(), value);
                    self.tree.path.pop();
                }
                // A whole string out of the environment.
                "subscript" | "call" if index == 0 => {
                    let value = self.value(argument, depth);
                    let of_url = value.looks().any(|look| {
                        let named = crate::names::named(&look.name);
                        named.is_some_and(|named| named.role == Role::Url)
                    });
                    if of_url {
                        some = true;
                        self.tree.path.push("dsn".to_owned());
                        let at = argument.start_byte();
                        self.tree.leaf(at..at, value);
                        self.tree.path.pop();
                    }
                }
                _ => {}
            }
        }
        if some && is_driver(&module) {
            self.note("driver", module, node.start_byte());
        }
        some
    }

    /// Keeps what a call is of, at a place that no key has.
    fn note(&mut self, key: &str, word: String, start: usize) {
        self.tree.path.push(key.to_owned());
        let traced = Traced::verbatim(&word, start);
        let value = Value::text(traced, start..start + word.len(), Quotes::None);
        self.tree.leaf(start..start, value);
        self.tree.path.pop();
    }

    /// `**settings` in a call of a driver: what stands under that name above goes to it.
    fn spread(&mut self, splat: Node<'_>, module: &str, start: usize) {
        let named = splat.named_child(0).and_then(|named| self.names(named));
        let Some(path) = named.filter(|_| is_driver(module)) else {
            return;
        };
        let held = |e: &Entry| e.path.len() == path.len() + 1 && e.path.starts_with(&path);
        let all = &self.tree.parsed.entries;
        let told = |e: &&Entry| {
            let named = crate::names::named(e.key());
            named.is_some_and(|n| n.role == Role::Engine)
        };
        if !all.iter().any(held) || all.iter().filter(|e| held(e)).any(|e| told(&e)) {
            return;
        }
        let here = std::mem::replace(&mut self.tree.path, path);
        self.note("driver", module.to_owned(), start);
        self.tree.path = here;
    }

    /// Whether a name above holds keys, rather than a value.
    fn has_parts(&self, name: &str) -> bool {
        let mut all = self.tree.parsed.entries.iter();
        all.any(|e| e.path.len() > 1 && e.path.first().is_some_and(|first| first == name))
    }
}

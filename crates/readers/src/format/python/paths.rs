//! Paths that a module puts together from the place of its own file (Python library reference,
//! "pathlib" and "os.path"): told as they lead on from the folder in which it lies.

use tree_sitter::Node;

use super::{DEEPEST, Module};

/// The module's own file.
const OWN: &str = "__file__";

/// What gives back the path that it is given.
const SAME: &[&str] = &[
    "Path",
    "pathlib.Path",
    "PurePath",
    "str",
    "os.fspath",
    "os.path.abspath",
    "os.path.realpath",
    "os.path.normpath",
    "path.abspath",
    "path.realpath",
    "abspath",
    "realpath",
];

/// Methods that give back the path itself.
const OWN_METHODS: &[&str] = &["resolve", "absolute", "as_posix"];

fn parent(path: &str) -> String {
    match path.rsplit_once('/') {
        _ if path == "." => "..".to_owned(),
        _ if path == ".." || path.ends_with("/..") => format!("{path}/.."),
        Some(("", _)) => "/".to_owned(),
        Some((folder, _)) => folder.to_owned(),
        None => ".".to_owned(),
    }
}

fn joined(folder: &str, inner: &str) -> String {
    match folder {
        _ if inner.starts_with('/') => inner.to_owned(),
        "." => inner.to_owned(),
        folder => format!("{}/{inner}", folder.trim_end_matches('/')),
    }
}

impl Module<'_> {
    /// The path that an expression is; nothing where it is none that can be told.
    pub(super) fn path(&self, node: Node<'_>, depth: usize) -> Option<String> {
        if depth > DEEPEST {
            return None;
        }
        match node.kind() {
            "identifier" if self.of(node) == OWN => Some(OWN.to_owned()),
            "identifier" => self.paths.get(self.of(node)).cloned(),
            "attribute" => {
                let object = node.child_by_field_name("object")?;
                let name = node.child_by_field_name("attribute")?;
                (self.of(name) == "parent").then_some(())?;
                Some(parent(&self.path(object, depth + 1)?))
            }
            "subscript" => {
                let of_it = node.child_by_field_name("value")?;
                let name = of_it.child_by_field_name("attribute")?;
                (self.of(name) == "parents").then_some(())?;
                let mut path = self.path(of_it.child_by_field_name("object")?, depth + 1)?;
                let number = self.of(node.child_by_field_name("subscript")?);
                for _ in 0..=number.parse::<usize>().ok().filter(|n| *n < DEEPEST)? {
                    path = parent(&path);
                }
                Some(path)
            }
            "binary_operator" => {
                let operator = node.child_by_field_name("operator")?;
                (self.of(operator) == "/").then_some(())?;
                let folder = self.path(node.child_by_field_name("left")?, depth + 1)?;
                let inner = self.part(node.child_by_field_name("right")?, depth + 1)?;
                Some(joined(&folder, &inner))
            }
            "parenthesized_expression" => self.path(node.named_child(0)?, depth + 1),
            "call" => self.path_of_call(node, depth),
            _ => None,
        }
    }

    fn path_of_call(&self, node: Node<'_>, depth: usize) -> Option<String> {
        let function = node.child_by_field_name("function")?;
        let called = self.of(function);
        let arguments = node.child_by_field_name("arguments")?;
        let mut cursor = arguments.walk();
        let given: Vec<Node<'_>> = arguments.named_children(&mut cursor).collect();
        if function.kind() == "attribute" {
            let object = function.child_by_field_name("object")?;
            let name = self.of(function.child_by_field_name("attribute")?);
            if OWN_METHODS.contains(&name) {
                return self.path(object, depth + 1);
            }
            if name == "joinpath" {
                let folder = self.path(object, depth + 1)?;
                return self.all_joined(folder, &given, depth);
            }
        }
        let first = *given.first()?;
        match called {
            "os.path.dirname" | "path.dirname" | "dirname" => {
                Some(parent(&self.path(first, depth + 1)?))
            }
            "os.path.join" | "path.join" | "join" => {
                let folder = self.path(first, depth + 1)?;
                self.all_joined(folder, given.get(1..)?, depth)
            }
            called if SAME.contains(&called) => match given.as_slice() {
                [one] => match self.path(*one, depth + 1) {
                    None if called.ends_with("Path") => self.part(*one, depth + 1),
                    found => found,
                },
                _ => None,
            },
            _ => None,
        }
    }

    fn all_joined(&self, folder: String, given: &[Node<'_>], depth: usize) -> Option<String> {
        given.iter().try_fold(folder, |folder, one| {
            Some(joined(&folder, &self.part(*one, depth + 1)?))
        })
    }

    /// A piece of a path: a text that is known.
    fn part(&self, node: Node<'_>, depth: usize) -> Option<String> {
        let text = self.value(node, depth + 1).plain()?;
        Some(text.as_str().to_owned())
    }
}

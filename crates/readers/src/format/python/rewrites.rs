//! Schemes of URLs that a program writes anew before it hands them on, as those do that are
//! given `postgres://` and need `postgresql://`.

use tree_sitter::Node;

use super::Module;
use crate::entry::Rewrite;

impl Module<'_> {
    /// Every `….replace("postgres://", "postgresql://")` of the module.
    pub(super) fn rewrites(&self, root: Node<'_>) -> Vec<Rewrite> {
        let mut out = Vec::new();
        let mut cursor = root.walk();
        loop {
            let node = cursor.node();
            if node.kind() == "call" {
                out.extend(self.rewrite(node));
            }
            if cursor.goto_first_child() {
                continue;
            }
            while !cursor.goto_next_sibling() {
                if !cursor.goto_parent() {
                    return out;
                }
            }
        }
    }

    fn rewrite(&self, call: Node<'_>) -> Option<Rewrite> {
        let method = call.child_by_field_name("function")?;
        let name = method.child_by_field_name("attribute")?;
        if self.of(name) != "replace" {
            return None;
        }
        let arguments = call.child_by_field_name("arguments")?;
        let scheme = |index: u32| {
            let told = self.value(arguments.named_child(index)?, 0).plain()?;
            let text = told.as_str();
            let scheme = text.strip_suffix("://").unwrap_or(text);
            let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '+' | '_' | '-');
            let is_scheme = !scheme.is_empty() && scheme.chars().all(plain);
            is_scheme.then(|| scheme.to_owned())
        };
        Some(Rewrite {
            from: scheme(0)?,
            to: scheme(1)?,
        })
    }
}

//! Classes of settings: whose fields come from the environment, and which of several is meant.

use tree_sitter::Node;

use super::Module;
use crate::names::Role;

impl Module<'_> {
    /// What the variables of a class of settings begin with, where its fields are taken from
    /// the environment before their own values (pydantic's documentation, "Settings").
    pub(super) fn of_environment(&self, node: Node<'_>) -> Option<String> {
        let block = node.parent()?.parent()?;
        let class = block
            .parent()
            .filter(|c| c.kind() == "class_definition" && block.kind() == "block")?;
        let bases = self.of(class.child_by_field_name("superclasses")?);
        if !bases.contains("BaseSettings") {
            return None;
        }
        let behind = self
            .of(class)
            .split_once("env_prefix")
            .map(|(_, rest)| rest);
        let told = behind.and_then(|rest| rest.split(['"', '\'']).nth(1));
        Some(told.unwrap_or_default().to_owned())
    }

    /// The class in which a whole URL is assigned, where the module has several that assign
    /// the same name: one a mode of work, as a rule.
    pub(super) fn class_of_many(&self, node: Node<'_>, left: Node<'_>) -> Option<String> {
        let several = self
            .in_classes
            .get(self.of(left))
            .is_some_and(|count| *count > 1);
        let class = node.parent()?.parent()?.parent()?;
        let own = (several && class.kind() == "class_definition")
            .then(|| class.child_by_field_name("name"))??;
        Some(self.of(own).to_owned())
    }

    /// The names of whole URLs that classes of the module assign, each with how often.
    pub(super) fn note_classes(&mut self, root: Node<'_>) {
        let mut cursor = root.walk();
        let classes: Vec<Node<'_>> = root
            .children(&mut cursor)
            .filter(|c| c.kind() == "class_definition")
            .collect();
        for body in classes
            .into_iter()
            .filter_map(|c| c.child_by_field_name("body"))
        {
            let mut cursor = body.walk();
            for statement in body.children(&mut cursor) {
                let left = statement
                    .named_child(0)
                    .filter(|a| a.kind() == "assignment")
                    .and_then(|a| a.child_by_field_name("left"));
                let name = left.map(|l| self.of(l).to_owned()).unwrap_or_default();
                if crate::names::named(&name).is_some_and(|n| n.role == Role::Url) {
                    *self.in_classes.entry(name).or_default() += 1;
                }
            }
        }
    }
}

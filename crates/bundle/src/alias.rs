//! Names of connections: where each leads, over other names.

use std::collections::BTreeSet;

use crate::manifest::Alias;

/// Where a name leads.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Lead<'a> {
    /// To this alias, which says how to connect.
    To(&'a Alias),
    /// To a name that nobody defines.
    Unknown(String),
    /// In a circle, over these names.
    Circle(Vec<String>),
    /// To an alias that says nothing.
    Nothing(&'a Alias),
}

/// Whether a text is a name, and no connection string.
fn is_name(text: &str) -> bool {
    !text.is_empty() && !text.contains([':', '=', '/', ';', ' ', '@'])
}

/// Follows a name.
pub fn follow<'a>(aliases: &'a [Alias], name: &str) -> Lead<'a> {
    let mut seen: BTreeSet<&str> = BTreeSet::new();
    let mut way: Vec<String> = Vec::new();
    let mut next = name;
    loop {
        let Some(alias) = aliases.iter().find(|a| a.name == next) else {
            return Lead::Unknown(next.to_owned());
        };
        way.push(alias.name.clone());
        if !seen.insert(&alias.name) {
            return Lead::Circle(way);
        }
        match &alias.target {
            Some(target) if is_name(&target.text) => next = &target.text,
            Some(_) => return Lead::To(alias),
            None if alias.fields.is_empty() => return Lead::Nothing(alias),
            None => return Lead::To(alias),
        }
    }
}

//! The table: every component that is known, with what it says. A file for each family of
//! components; a new one is a component there, and nothing else.

mod between;
mod dotnet;
mod go;
mod java;
mod javascript;
mod mysql;
mod other_engines;
mod php_ruby;
mod postgresql;
mod python;
mod rust;
mod system;
mod tls;
mod translated;

use crate::pattern::{Component, Pattern};

const FAMILIES: &[&[Component]] = &[
    postgresql::ALL,
    mysql::ALL,
    other_engines::ALL,
    python::ALL,
    java::ALL,
    javascript::ALL,
    php_ruby::ALL,
    go::ALL,
    dotnet::ALL,
    rust::ALL,
    between::ALL,
    tls::ALL,
    system::ALL,
    translated::ALL,
];

/// All components, a family after the other.
pub fn components() -> impl Iterator<Item = &'static Component> {
    FAMILIES.iter().copied().flatten()
}

/// All patterns, each with its component.
pub fn patterns() -> impl Iterator<Item = (&'static Component, &'static Pattern)> {
    components().flat_map(|component| component.patterns.iter().map(move |p| (component, p)))
}

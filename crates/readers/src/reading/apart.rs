//! Telling the connections of one file apart, and putting together what is one.

use chronaxis_model::sourced::Origin;
use chronaxis_model::target::ClientId;

use crate::connection::{Connection, has_php_shape};
use crate::names::Role;

/// Constants and the constructor that takes them are one connection: it is called by what
/// the constants' names begin with, and its engine is the constructor's.
pub(super) fn join_constants(connections: Vec<Connection>) -> Vec<Connection> {
    let host = |c: &Connection| match &c.draft.values.get("host")?.origin {
        Origin::File { line, column, .. } => Some((*line, *column)),
        _ => None,
    };
    let mut out: Vec<Connection> = Vec::new();
    for mut connection in connections {
        let place = host(&connection);
        let constants = out
            .iter_mut()
            .find(|c| c.engine.is_none() && place.is_some() && host(c) == place);
        match constants {
            Some(constants) => {
                connection.name.clone_from(&constants.name);
                connection.line = constants.line;
                connection.entries.append(&mut constants.entries);
                *constants = connection;
            }
            None => out.push(connection),
        }
    }
    out
}

/// Constants that no constructor takes in this file: their names tell the engine.
pub(super) fn told_by_shape(connections: &mut [Connection]) {
    for connection in connections.iter_mut().filter(|c| c.engine.is_none()) {
        let keys: Vec<&str> = connection.entries.iter().map(|(_, e)| e.key()).collect();
        if has_php_shape(&keys) {
            connection.engine = Some(chronaxis_engines::MYSQL);
            connection.draft.client = ClientId::Mysqlnd;
        }
    }
}

/// Modes in which a program is not developed: what they describe beside the mode of
/// development is for another time and machine.
const OTHER_MODES: &[&str] = &["production", "staging", "test"];

/// Marks the connections of one file that the program does not take by itself: those of
/// other modes beside that of development, and those beside the one that a file calls its
/// default (`'default' => 'mysql'`).
pub(super) fn pass_over(connections: &mut [Connection], default: Option<&str>) {
    let mode_of = |c: &Connection| {
        let first = c.entries.first().map_or(&[][..], |(_, e)| e.holder());
        let above = || {
            let mut keys = first.iter();
            keys.find_map(|key| {
                crate::names::stage(key).or_else(|| crate::names::stage_of_class(key))
            })
        };
        crate::names::stage(&c.name).or_else(above)
    };
    let developed = |c: &Connection| mode_of(c) == Some("development");
    let has_development = connections.iter().any(developed);
    let is_default = |c: &Connection| default == Some(c.name.as_str());
    let has_default = connections.iter().any(is_default);
    for connection in connections {
        let mode = mode_of(connection);
        let other_mode = has_development && mode.is_some_and(|m| OTHER_MODES.contains(&m));
        connection.passed_over = other_mode || (has_default && !is_default(connection));
    }
}

/// Gives connections of one file names of their own, where the short ones are the same.
pub(super) fn name_apart(connections: &mut [Connection]) {
    let names: Vec<String> = connections.iter().map(|c| c.name.clone()).collect();
    let twice = |name: &String| names.iter().filter(|n| *n == name).count() > 1;
    for (connection, name) in connections.iter_mut().zip(&names) {
        if !twice(name) {
            continue;
        }
        let path = connection
            .entries
            .first()
            .map(|(_, e)| e.path.clone())
            .unwrap_or_default();
        let is_url = connection.entries.iter().any(|(r, _)| *r == Role::Url);
        let mut keys = path.clone();
        if let Some(last) = keys.pop() {
            let prefix = crate::names::named(&last)
                .map(|n| n.prefix)
                .unwrap_or_default();
            match (prefix.is_empty(), is_url) {
                (false, false) => keys.push(prefix),
                (_, true) => keys.push(last),
                _ => {}
            }
        }
        connection.name = keys.join(".");
    }
    let mut seen: Vec<String> = Vec::new();
    for connection in connections {
        let base = connection.name.clone();
        let mut number = 2;
        while seen.contains(&connection.name) {
            connection.name = format!("{base}-{number}");
            number += 1;
        }
        seen.push(connection.name.clone());
    }
}

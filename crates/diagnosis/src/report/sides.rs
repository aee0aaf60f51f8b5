//! What each side says of a sign-in, as a table.

use chronaxis_model::fact::{Fact, Observation};
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;

use super::{Block, Column, Table, Tone};
use crate::case::Case;
use crate::sides::Side;
use crate::verdict::State;

/// How the settings compare with those that are known to be right.
pub(super) fn reference(log: &[Observation]) -> Option<Block> {
    let compared = log.iter().find_map(|one| match one.fact() {
        Some(Fact::ReferenceCompared(compared)) => Some(compared),
        _ => None,
    })?;
    let column = |title, width| Column {
        title,
        width,
        tone: Tone::Plain,
    };
    let cell = |text: &Option<String>| text.as_deref().map_or("–".to_owned(), visible);
    let mut rows: Vec<Vec<String>> = compared
        .different
        .iter()
        .map(|one| vec![one.field.clone(), cell(&one.own), cell(&one.reference)])
        .collect();
    if let Some(secret) = compared.secret {
        rows.push(vec![
            "password".to_owned(),
            secret.title().to_owned(),
            String::new(),
        ]);
    }
    if rows.is_empty() {
        rows.push(vec!["all".to_owned(), "equal".to_owned(), String::new()]);
    }
    Some(Block::Table(Table {
        columns: vec![
            column("compared", 12),
            column("these settings", 30),
            column("the reference", 30),
        ],
        rows,
        folded: true,
    }))
}

/// The table: where the sign-in is what failed, where somebody was to look it up, and where
/// everything is wanted.
pub(super) fn of_case(case: &Case, verbose: bool) -> Option<Block> {
    let of_database = case
        .verdict
        .cause
        .as_deref()
        .is_some_and(|id| id.starts_with("database-"));
    let of_account = case.verdict.seen_at == Some(Layer::Login) || of_database;
    let failed = case.verdict.state != State::Working && of_account;
    let looked = case.sign_in.iter().any(|side| side.administrator.is_some());
    if case.sign_in.is_empty() || !(failed || looked || verbose) {
        return None;
    }
    let column = |title, width, tone| Column { title, width, tone };
    let mut columns = vec![
        column("sign-in", 11, Tone::Weak),
        column("these settings", 22, Tone::Plain),
        column("the server says", 21, Tone::Plain),
    ];
    if looked {
        columns.push(column("an administrator sees", 21, Tone::Plain));
    }
    let cell = |text: &Option<String>| text.as_deref().map(visible).unwrap_or_default();
    // What these settings say alone stands in the head already.
    let telling = |side: &&Side| {
        verbose
            || side.server.is_some()
            || side.administrator.is_some()
            || matches!(side.what.as_str(), "password" | "elsewhere")
    };
    let rows = case.sign_in.iter().filter(telling).map(|side| {
        let mut cells = vec![side.what.clone(), cell(&side.settings), cell(&side.server)];
        if looked {
            cells.push(cell(&side.administrator));
        }
        cells
    });
    Some(Block::Table(Table {
        columns,
        rows: rows.collect(),
        folded: true,
    }))
}

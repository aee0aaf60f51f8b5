//! What each side says of a sign-in, as a table.

use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;

use super::{Block, Column, Table, Tone};
use crate::case::Case;
use crate::verdict::State;

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
        column("these settings", 20, Tone::Plain),
        column("the server says", 21, Tone::Plain),
    ];
    if looked {
        columns.push(column("an administrator sees", 22, Tone::Plain));
    }
    let cell = |text: &Option<String>| text.as_deref().map(visible).unwrap_or_default();
    let rows = case.sign_in.iter().map(|side| {
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

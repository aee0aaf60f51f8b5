//! The catalogue of causes.

use chronaxis_model::layer::Layer;

use super::entries::Entries;
use super::{Block, Column, Piece, Table, Tone, Topic};
use crate::knowledge::causes::{CAUSES, Cause, Owner};

/// All of them, in brief, under their layers.
pub fn all() -> Vec<Block> {
    let mut out = Vec::new();
    for layer in Layer::ALL {
        let of_layer = CAUSES
            .iter()
            .filter(|c| c.layer == layer && c.owner.is_some());
        let rows: Vec<_> = of_layer.map(brief).collect();
        if !rows.is_empty() {
            out.extend(group(layer.as_str(), rows));
        }
    }
    let rest = CAUSES.iter().filter(|c| c.owner.is_none());
    out.extend(group("any", rest.map(brief).collect()));
    let more = "chronaxis causes ID explains what one looks like and how to tell it apart.";
    out.push(Block::Remark(more.to_owned()));
    out
}

fn group(title: &str, rows: Vec<Vec<String>>) -> [Block; 2] {
    let column = |width, tone| Column {
        title: "",
        width,
        tone,
    };
    let columns = vec![
        column(30, Tone::Plain),
        column(9, Tone::Weak),
        column(18, Tone::Weak),
    ];
    [
        Block::Group(vec![Piece::strong(title)]),
        Block::Table(Table {
            columns,
            rows,
            folded: false,
        }),
    ]
}

fn brief(cause: &Cause) -> Vec<String> {
    let owner = cause.owner.map_or("", Owner::as_str);
    let passes = match cause.waiting_may_mend {
        true => "waiting may help",
        false => "",
    };
    vec![cause.id.to_string(), owner.to_owned(), passes.to_owned()]
}

/// One of them, whole.
pub fn one(cause: &Cause) -> Vec<Block> {
    let mut out = Entries::default();
    out.text("what", cause.headline);
    out.text("layer", cause.layer.as_str());
    out.text("looks like", cause.looks);
    out.text("told apart", cause.told_apart);
    let owner = cause.owner.map_or("nobody in particular", Owner::title);
    out.text("fixed by", owner);
    let passes = match cause.waiting_may_mend {
        true => "may help (--wait goes on)",
        false => "does not help (--wait stops)",
    };
    out.text("waiting", passes);
    out.list("fix", cause.fix.iter().map(|fix| (*fix).to_owned()));
    let group = Block::Group(vec![Piece::strong(cause.id.as_str())]);
    std::iter::once(group)
        .chain(out.section(Topic::Notes))
        .collect()
}

//! What a diagnosis would do, for people who want to know beforehand.

use chronaxis_model::redact::visible;
use chronaxis_model::target::ShownTarget;

use super::diagnosis::{by_whose_rules, places};
use super::entries::Entries;
use super::{Block, Piece, Topic};
use crate::walk::Step;

/// The target, then a line a step.
pub fn steps(target: &ShownTarget, steps: &[Step]) -> Vec<Block> {
    let engine = chronaxis_engines::title(target.engine);
    let mut title = vec![
        Piece::strong(visible(&target.label)),
        Piece::plain(format!(", {engine}")),
    ];
    title.extend(places(target));
    let head = Block::Head {
        title,
        remark: format!(
            "{}; nothing is sent, this only lists what would be",
            by_whose_rules(target)
        ),
    };
    let mut out = Entries::default();
    for step in steps {
        let (to, when) = (visible(&step.to), visible(&step.when));
        let text = match to.is_empty() {
            true => when,
            false => format!("{to}: {when}"),
        };
        out.text(kind(step), text);
    }
    let password = match &target.secret.shape {
        Some(shape) => format!("hidden ({shape})"),
        None => "none given".to_owned(),
    };
    out.text("password", visible(&password));
    let section = out.section(Topic::Notes);
    std::iter::once(head).chain(section).collect()
}

/// What people call a step.
fn kind(step: &Step) -> &'static str {
    match step.kind {
        "look-up" => "lookup",
        "line" => "connection",
        other => other,
    }
}

//! What is to be done about a verdict of a document that is no diagnosis.

use chronaxis_model::redact::visible;

use super::entries::Entries;
use super::{Block, Topic};
use crate::verdict::Verdict;

/// The fix, what to tell whoever can make it, and how to prove it.
pub(super) fn to_do(verdict: &Verdict) -> Vec<Block> {
    let mut fix = Entries::default();
    fix.list("fix", verdict.fix.iter().map(|f| visible(f)));
    let mut message = Entries::default();
    if let Some(text) = &verdict.handover {
        message.text("message", visible(text));
    }
    let mut next = Entries::default();
    if let Some(test) = &verdict.next_test {
        next.text("next", visible(&test.what));
        if let Some(command) = &test.command {
            next.command(command);
        }
    }
    let sections = [
        fix.section(Topic::Fix),
        message.section(Topic::Message),
        next.section(Topic::Next),
    ];
    sections.into_iter().flatten().collect()
}

//! Fields that only one engine's settings have, by words that mean anything elsewhere.

use chronaxis_engines::{Draft, by_id};
use chronaxis_model::target::EngineId;

use super::{Source, Unknown};
use crate::entry::Entry;
use crate::grouping::Group;

impl Source<'_> {
    /// Takes those of the engine that stand beside the other fields.
    pub(super) fn own_fields(
        &self,
        group: &Group,
        draft: &mut Draft,
        unknown: &mut Vec<Unknown>,
        engine: Option<EngineId>,
    ) {
        let own = engine.map_or(&[][..], |id| by_id(id).spec.own_fields);
        for (word, key) in own {
            if draft.value(key).is_some() {
                continue;
            }
            let beside = |e: &&Entry| {
                e.document == group.document
                    && e.holder() == group.holder.as_slice()
                    && is_called(e.key(), &group.prefix, word)
            };
            if let Some(entry) = self.entries.iter().rfind(beside) {
                let text = (self.worth)(entry);
                self.field(draft, unknown, engine, key, entry, &text);
            }
        }
    }
}

/// Whether a key is this word, behind what the names of its group begin with.
fn is_called(key: &str, prefix: &str, word: &str) -> bool {
    let bare = |text: &str| text.replace(['_', '-', '.'], "").to_ascii_lowercase();
    bare(key) == bare(&format!("{prefix}{word}"))
}

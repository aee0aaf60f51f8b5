//! How entries are put together.

use std::borrow::Cow;

use super::{Block, Body, Entry, Section, Tone, Topic};

/// Entries of one section while it grows.
#[derive(Debug, Default)]
pub(super) struct Entries(Vec<Entry>);

impl Entries {
    /// A key and its text.
    pub(super) fn text(&mut self, key: impl Into<Cow<'static, str>>, text: impl Into<String>) {
        self.toned(key, text, Tone::Plain);
    }

    /// The same, meant in some way.
    pub(super) fn toned(
        &mut self,
        key: impl Into<Cow<'static, str>>,
        text: impl Into<String>,
        tone: Tone,
    ) {
        self.add(key, Body::Text(text.into()), tone);
    }

    /// A key, a short figure and its text.
    pub(super) fn figure(&mut self, key: &'static str, figure: String, text: String) {
        self.add(key, Body::Figure(figure, text), Tone::Plain);
    }

    /// A command, under what was said before.
    pub(super) fn command(&mut self, command: &str) {
        self.add("", Body::Command(command.to_owned()), Tone::Strong);
    }

    /// Anything.
    pub(super) fn add(&mut self, key: impl Into<Cow<'static, str>>, body: Body, tone: Tone) {
        self.0.push(Entry {
            key: key.into(),
            body,
            tone,
        });
    }

    /// The texts of a list, the first with the key.
    pub(super) fn list(&mut self, key: &'static str, texts: impl Iterator<Item = String>) {
        for (i, text) in texts.enumerate() {
            self.text(if i == 0 { key } else { "" }, text);
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(super) fn into_inner(self) -> Vec<Entry> {
        self.0
    }

    /// The section of them, where there is anything to say.
    pub(super) fn section(self, topic: Topic) -> Option<Block> {
        if self.is_empty() {
            return None;
        }
        let entries = self.0;
        Some(Block::Section(Section { topic, entries }))
    }
}

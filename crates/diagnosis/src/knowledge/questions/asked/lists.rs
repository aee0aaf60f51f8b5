//! Questions about lists of rules that were given.

use chronaxis_model::fact::{Fact, ListWord};
use chronaxis_model::layer::Layer;

use super::super::{Answer, answers};
use super::answer;
use crate::judge::{PathView, Symptom};

/// What one list says, and where.
struct Said<'a> {
    word: ListWord,
    list: &'a str,
    line: Option<u32>,
    why: &'a str,
}

impl Said<'_> {
    fn text(&self) -> String {
        let line = self
            .line
            .map_or_else(String::new, |n| format!(", line {n}"));
        format!("{}{line}: {}", self.list, self.why)
    }
}

fn all<'a>(view: &PathView<'a>) -> Vec<Said<'a>> {
    view.all(|fact| match fact {
        Fact::ListSays {
            list,
            word,
            line,
            why,
            ..
        } => Some(Said {
            word: *word,
            list: list.as_str(),
            line: *line,
            why: why.as_str(),
        }),
        _ => None,
    })
}

/// Whether the lists could be the reason at all.
fn fits(symptom: Symptom) -> bool {
    matches!(symptom.layer(), Layer::Port | Layer::Route)
}

/// The first list that keeps the client out; the server's own rules for a sign-in that is
/// refused, those before it for a port that does not connect.
fn first<'s, 'a>(said: &'s [Said<'a>], of_host: bool) -> Option<&'s Said<'a>> {
    let counts = |s: &&Said<'_>| (s.word == ListWord::HostRules) == of_host;
    said.iter().filter(counts).find(|s| s.word.denies())
}

pub(in crate::knowledge::questions) fn speaks(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if !fits(symptom) {
        return None;
    }
    let said = all(view);
    let first = first(&said, false);
    let word = match first.map(|s| s.word) {
        Some(ListWord::OtherPort) => answers::ListSpeaks::OtherPort,
        Some(ListWord::RuleOff) => answers::ListSpeaks::RuleOff,
        Some(ListWord::WayBack) => answers::ListSpeaks::WayBack,
        _ => answers::ListSpeaks::Nothing,
    };
    let text = first.map_or_else(
        || "no list of rules that was given names this client".to_owned(),
        Said::text,
    );
    answer(word, text)
}

pub(in crate::knowledge::questions) fn says(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let said = all(view);
    let of_host = symptom.layer() == Layer::Login;
    if !fits(symptom) && !of_host {
        return None;
    }
    let Some(first) = first(&said, of_host) else {
        let covers = !said.is_empty() && said.iter().all(|s| s.word == ListWord::Covers);
        let text = said.first().map(Said::text).unwrap_or_default();
        return covers
            .then(|| answer(answers::AllowList::Covers, text))
            .flatten();
    };
    let word = match first.word {
        ListWord::OtherPort => answers::AllowList::OtherPort,
        ListWord::RuleOff => answers::AllowList::RuleOff,
        ListWord::WayBack => answers::AllowList::WayBack,
        ListWord::HostRules => answers::AllowList::HostRules,
        _ => answers::AllowList::Excludes,
    };
    answer(word, first.text())
}

//! The words of a verdict on a text: what it says where no cause follows, what to hand over,
//! and the command that would settle it.

use chronaxis_model::fact::{Fact, MessageRead, MessageRole};
use chronaxis_model::found::Warning;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;

use super::described::again;
use super::handover::conclusion;
use super::shape::{AlsoFound, NextTest, Occasion};
use crate::judge::Evidence;
use crate::judge::told::{deciding, messages};
use crate::knowledge::causes::{Cause, warning_words};

fn first(evidence: Evidence<'_>, role: MessageRole) -> Option<&MessageRead> {
    messages(evidence).find(|message| message.role == role)
}

/// What is to be said where the text names no way in which the attempt stopped.
pub(super) fn headline(evidence: Evidence<'_>) -> String {
    if let Some(hides) = first(evidence, MessageRole::HidesTheCause) {
        return format!(
            "This message of {} hides the error that it is about.",
            hides.title
        );
    }
    if let Some(other) = first(evidence, MessageRole::NotTheConnection) {
        let said = other.code.as_ref().map_or_else(
            || other.text.to_string(),
            |code| format!("{code} {}", other.text),
        );
        return format!("This is not about the connection, which worked: {said}");
    }
    if let Some(follows) = first(evidence, MessageRole::FollowsOn) {
        return format!(
            "This message of {} follows from an earlier error, which is not in the text.",
            follows.title
        );
    }
    "Nothing in this text is known to speak of a connection that failed.".to_owned()
}

/// The ready paragraph: who said what, when, where to.
pub(super) fn handover(
    evidence: Evidence<'_>,
    causes: &[&'static Cause],
    points_to: Option<&str>,
    occasion: &Occasion,
) -> Option<String> {
    let message = deciding(evidence)?;
    causes.first()?;
    let target = evidence.target;
    let when = message.said_at.as_ref().map_or_else(
        || format!("read on {}", occasion.started),
        |at| format!("at {at}, as the text says"),
    );
    let mut to = "a connection".to_owned();
    if target.engine.as_str() != "tcp" {
        to.push_str(&format!(" to {}", chronaxis_engines::title(target.engine)));
    }
    if let Some(end) = target.ends.first() {
        to.push_str(&format!(" at {}", visible(&end.to_string())));
    }
    if let Some(user) = &target.user {
        to.push_str(&format!(" as user {}", visible(user)));
    }
    if let Some(database) = &target.database {
        to.push_str(&format!(", database {}", visible(database)));
    }
    let often = match message.times {
        0 | 1 => String::new(),
        times => format!(" ({times} times)"),
    };
    Some(format!(
        "Reported by {} of {to}{often}, {when}: \"{}\". {}",
        message.title,
        message.text,
        conclusion(causes, points_to)
    ))
}

/// What to do to know.
pub(super) fn next_test(evidence: Evidence<'_>) -> Option<NextTest> {
    let test = |question: &str, what: String, command: Option<String>| {
        Some(NextTest {
            question: question.to_owned(),
            what,
            command,
        })
    };
    let hides = first(evidence, MessageRole::HidesTheCause);
    if deciding(evidence).is_none() {
        if let Some(uncover) = hides.and_then(|message| message.uncover.clone()) {
            return test("real-error", uncover, command(evidence));
        }
        if first(evidence, MessageRole::NotTheConnection).is_some() {
            return None;
        }
        if first(evidence, MessageRole::FollowsOn).is_some() {
            let what = "Look further up in the same log for the first error, and explain that.";
            return test("real-error", what.to_owned(), command(evidence));
        }
        let what = "Give it the whole error, with all that stands under \"Caused by\" or \"During handling\", or diagnose the connection itself: the string or the settings file that the program uses.";
        return test(
            "whole-text",
            what.to_owned(),
            Some("chronaxis diagnose FILE".to_owned()),
        );
    }
    let what = match (command(evidence), evidence.target.ends.is_empty()) {
        (Some(_), false) => {
            "Run it where the program runs: it makes the same connection, and tells apart what the message does not."
        }
        _ => {
            "Diagnose the connection itself, where the program runs, with the string or the settings file that the program uses."
        }
    };
    let command = command(evidence).or_else(|| Some("chronaxis diagnose FILE".to_owned()));
    test("diagnose", what.to_owned(), command)
}

/// The diagnosis of what the text speaks of, where it says enough.
fn command(evidence: Evidence<'_>) -> Option<String> {
    let known = evidence.scope.again.is_some() || !evidence.target.ends.is_empty();
    known.then(|| again(evidence))
}

/// What else stands in the text.
pub(super) fn also_found(evidence: Evidence<'_>) -> Vec<AlsoFound> {
    let decided = deciding(evidence).is_some();
    let warned = messages(evidence).filter_map(|message| {
        let id = match message.role {
            MessageRole::FollowsOn if decided => Warning::FollowOnError,
            MessageRole::HidesTheCause if decided => Warning::HidesTheError,
            _ => return None,
        };
        let text = format!(
            "line {}, {}: \"{}\": {}",
            message.line,
            message.title,
            message.text,
            warning_words(id)
        );
        Some(found(id, text))
    });
    warned.collect()
}

/// What is to be said of logs that are of no use, and of others with the same trouble.
pub(super) fn of_logs(evidence: Evidence<'_>) -> Vec<AlsoFound> {
    let unused = evidence.facts().filter_map(|(_, fact)| match fact {
        Fact::ServerLogRead(log) if log.stands != chronaxis_model::fact::LogStands::Matched => {
            let text = format!("{}: {}", visible(&log.file), log.why);
            Some(found(Warning::LogNotRead, text))
        }
        _ => None,
    });
    unused.collect()
}

fn found(id: Warning, text: String) -> AlsoFound {
    AlsoFound {
        id: id.as_str().to_owned(),
        layer: Layer::Settings,
        text,
        place: None,
    }
}

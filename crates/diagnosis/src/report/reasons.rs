//! Which causes are named, what speaks for and against them, and what is out: only what a
//! person would say.

use chronaxis_model::fact::Observation;
use chronaxis_model::found::CauseId;
use chronaxis_model::redact::visible;

use super::entries::Entries;
use super::{Block, Topic, percent};
use crate::case::Case;
use crate::judge::{Evidence, judge};
use crate::knowledge::causes::Owner;
use crate::knowledge::questions::{Question, answers};
use crate::verdict::{Moved, RuledOut, ShownCause, State};

/// Answers that moved a cause by less than this are not worth a line.
const WEAKEST: (f64, f64) = (0.75, 1.33);

/// Below this probability a cause is not worth a line among the others.
const LEAST: f64 = 0.03;

/// Most reasons for or against one cause.
const MOST_REASONS: usize = 3;

/// Most reasons for which causes are out, and most causes that one of them names; the case
/// keeps all.
const MOST_OUT: usize = 4;
const MOST_TOGETHER: usize = 3;

/// Whether the first cause may be named as such: in every broken case, and in an undecided
/// one that has no other candidate.
pub(super) fn one_stands_out(case: &Case) -> bool {
    let mut candidates = case.causes.iter().filter(|c| is_candidate(c));
    let only = candidates.next().filter(|_| candidates.next().is_none());
    case.verdict.state == State::Broken
        || only.is_some_and(|c| case.verdict.cause.as_ref() == Some(&c.id))
}

/// Whether a cause is worth a line among the others.
fn is_candidate(cause: &ShownCause) -> bool {
    cause.probability >= LEAST && !cause.is(CauseId::SomethingElse)
}

/// What speaks for and against what.
pub(super) fn weights(case: &Case, log: &[Observation]) -> Option<Block> {
    let mut out = Entries::default();
    let named = one_stands_out(case);
    let mut candidates = case.causes.iter().filter(|c| is_candidate(c));
    let first = if named { candidates.next() } else { None };
    let others: Vec<&ShownCause> = candidates.collect();
    let said = said(case, log);
    if let Some(said) = &said {
        out.text("said", said.clone());
    }
    if let Some(first) = first {
        // That a value shows no slip is no evidence beside the server's own words.
        let tells = |m: &&Moved| said.is_none() || !(is_no_slip(m) || is_said(m));
        let speaks: Vec<&Moved> = first.speaks_for.iter().filter(tells).collect();
        reasons(&mut out, "evidence", &speaks);
        reasons(
            &mut out,
            "against",
            &first.against.iter().collect::<Vec<_>>(),
        );
    }
    for (i, other) in others.iter().enumerate() {
        let key = match (i, named) {
            (0, true) => "others",
            (0, false) => "candidates",
            _ => "",
        };
        let who = other.owner.map_or("", Owner::as_str);
        let text = format!("{} ({who})", other.id);
        out.figure(key, percent(other.probability), text);
    }
    if !named {
        out.list("evidence", seen(&others).into_iter().take(MOST_REASONS));
    }
    let ruled = ruled_out(case);
    let ruled = ruled.iter().take(MOST_OUT).map(|(ids, because)| {
        let more = match ids.len().saturating_sub(MOST_TOGETHER) {
            0 => String::new(),
            n => format!(" and {n} more"),
        };
        let ids = ids.get(..MOST_TOGETHER).unwrap_or(ids).join(", ");
        let text = match said.is_some() && is_told_by_words(&because.question) {
            true => "by the server's own message".to_owned(),
            false => visible(&because.text),
        };
        format!("{ids}{more}: {text}")
    });
    out.list("ruled out", ruled);
    out.section(Topic::Reasons)
}

/// The server's own words, where it refused.
fn said(case: &Case, log: &[Observation]) -> Option<String> {
    let at = case.verdict.seen_at?;
    let evidence = Evidence {
        target: &case.target,
        scope: &case.scope,
        log,
    };
    let judgement = judge(evidence);
    let judged = judgement.layers.get(at.index())?;
    judged
        .summary
        .is_servers()
        .then(|| format!("the server: {}", visible(&judged.summary.to_string())))
}

/// Whether a question is answered by the server's words alone, so that its answer only
/// repeats them.
fn is_told_by_words(question: &str) -> bool {
    [
        Question::RoleWords,
        Question::HostWords,
        Question::StateWords,
    ]
    .iter()
    .any(|q| q.as_str() == question)
}

fn is_said(moved: &Moved) -> bool {
    is_told_by_words(&moved.question)
}

fn is_no_slip(moved: &Moved) -> bool {
    moved.is(answers::ValueShape::Clean)
}

/// What speaks for the candidates, where none stands out: each observation once.
fn seen(candidates: &[&ShownCause]) -> Vec<String> {
    let mut speaking: Vec<&Moved> = candidates.iter().flat_map(|c| &c.speaks_for).collect();
    speaking.sort_by(|a, b| b.factor.total_cmp(&a.factor));
    let mut texts: Vec<String> = Vec::new();
    for moved in speaking {
        let text = visible(&moved.text);
        if bears(&moved.question, &moved.answer) && !texts.contains(&text) {
            texts.push(text);
        }
    }
    texts
}

/// Nobody wonders about a slip of the port that is none, about an address that is not there,
/// that the server is another machine, or that an account was looked up at all: what was seen
/// there is a reason of its own. The case keeps them.
fn bears(question: &str, answer: &str) -> bool {
    let idle = [Question::PortNumber, Question::OtherAddress];
    let elsewhere = answers::TargetPlace::Elsewhere.word();
    !idle.iter().any(|q| q.as_str() == question)
        && question != Question::AccountLooked.as_str()
        && (question, answer) != (elsewhere.question().as_str(), elsewhere.as_str())
}

/// The causes that are out, those together that are out for the same reason.
fn ruled_out(case: &Case) -> Vec<(Vec<&str>, &crate::verdict::Because)> {
    let worth = |r: &&RuledOut| bears(&r.because.question, &r.because.answer);
    let mut out: Vec<(Vec<&str>, &crate::verdict::Because)> = Vec::new();
    for ruled in case.ruled_out.iter().filter(worth) {
        let because = &ruled.because;
        match out.iter_mut().find(|(_, b)| b.text == because.text) {
            Some((ids, _)) => ids.push(&ruled.id),
            None => out.push((vec![&ruled.id], because)),
        }
    }
    out
}

/// The reasons that a person would give: the strongest, and none that only says that there
/// is nothing else to look at, or that the server is another machine. That a value shows no
/// slip is a reason only where there is no other.
fn telling<'a>(moved: &[&'a Moved]) -> Vec<&'a Moved> {
    let strong = |r: &&&Moved| {
        !(WEAKEST.0..WEAKEST.1).contains(&r.factor)
            && !r.is(answers::OtherAddress::OnlyOne)
            && !r.is(answers::OtherAddress::PassedOver)
            && !r.is(answers::TargetPlace::Elsewhere)
            && r.question != Question::AccountLooked.as_str()
    };
    let other = moved.iter().filter(strong).any(|r| !is_no_slip(r));
    moved
        .iter()
        .filter(strong)
        .filter(move |r| !(other && is_no_slip(r)))
        .take(MOST_REASONS)
        .copied()
        .collect()
}

fn reasons(out: &mut Entries, key: &'static str, moved: &[&Moved]) {
    for (i, reason) in telling(moved).into_iter().enumerate() {
        let (sign, factor) = if reason.factor >= 1.0 {
            ('×', reason.factor)
        } else {
            ('÷', 1.0 / reason.factor.max(1e-3))
        };
        let digits = usize::from(factor < 9.95);
        let factor = format!("{sign}{factor:.digits$}");
        let key = if i == 0 { key } else { "" };
        out.figure(key, factor, visible(&reason.text));
    }
}

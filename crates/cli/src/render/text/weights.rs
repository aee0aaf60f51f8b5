//! Which causes are named, what speaks for and against them, and what is out: only what a
//! person would say.

use std::io::{self, Write};

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::knowledge::causes::Owner;
use chronaxis_diagnosis::knowledge::questions::answers;
use chronaxis_diagnosis::verdict::{Moved, RuledOut, ShownCause, State};
use chronaxis_model::fact::{Fact, Observation};
use chronaxis_model::found::CauseId;
use chronaxis_model::redact::visible;

use crate::render::page::{entry, figure_entry, percent};

/// Answers that moved a cause by less than this are not worth a line.
const WEAKEST: (f64, f64) = (0.75, 1.33);

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
    cause.probability >= 0.03 && !cause.is(CauseId::SomethingElse)
}

/// What speaks for and against what.
pub(super) fn weights(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let named = one_stands_out(case);
    let mut candidates = case.causes.iter().filter(|c| is_candidate(c));
    let first = if named { candidates.next() } else { None };
    let speaks = first.is_some_and(|c| !c.speaks_for.is_empty() || !c.against.is_empty());
    let others: Vec<&ShownCause> = candidates.collect();
    if speaks || !others.is_empty() || case.ruled_out.iter().any(is_worth_a_word) {
        writeln!(out)?;
    }
    let said = said(case);
    if let Some(said) = &said {
        entry(out, "said", said)?;
    }
    if let Some(first) = first {
        // That a value shows no slip is no evidence beside the server's own words.
        let slips = |m: &&Moved| said.is_none() || !(is_no_slip(m) || is_said(&m.text));
        let speaks: Vec<Moved> = first.speaks_for.iter().filter(slips).cloned().collect();
        reasons(out, "evidence", &speaks)?;
        reasons(out, "against", &first.against)?;
    }
    for (i, other) in others.iter().enumerate() {
        let key = match (i, named) {
            (0, true) => "others",
            (0, false) => "candidates",
            _ => "",
        };
        let who = other.owner.map_or("", Owner::as_str);
        let line = format!("{} ({who})", other.id);
        figure_entry(out, key, &percent(other.probability), &line)?;
    }
    if !named {
        seen(out, &others)?;
    }
    for (i, (ids, text)) in ruled_out(case).iter().take(MOST_OUT).enumerate() {
        let key = if i == 0 { "ruled out" } else { "" };
        let more = match ids.len().saturating_sub(MOST_TOGETHER) {
            0 => String::new(),
            n => format!(" and {n} more"),
        };
        let ids = ids.get(..MOST_TOGETHER).unwrap_or(ids).join(", ");
        let text = match said.is_some() && is_said(text) {
            true => "by the server's own message",
            false => text,
        };
        entry(out, key, &format!("{ids}{more}: {text}"))?;
    }
    Ok(())
}

/// The server's own words, where it refused.
fn said(case: &Case) -> Option<String> {
    let at = case.verdict.seen_at?;
    let summary = &case.layers.iter().find(|l| l.layer == at)?.summary;
    let log = case.log().ok()?;
    let told = log
        .iter()
        .filter_map(Observation::fact)
        .any(|fact| match fact {
            Fact::ServerRefused { code, message, .. } => {
                summary.starts_with(&format!("{code} {message}"))
            }
            _ => false,
        });
    told.then(|| format!("the server: {}", visible(summary)))
}

/// Whether a reason only repeats the server's words.
fn is_said(text: &str) -> bool {
    text.starts_with("the server says: ")
}

fn is_no_slip(moved: &Moved) -> bool {
    moved.is(answers::ValueShape::Clean)
}

/// What speaks for the candidates, where none stands out: each observation once.
fn seen(out: &mut impl Write, candidates: &[&ShownCause]) -> io::Result<()> {
    let mut speaking: Vec<&Moved> = candidates.iter().flat_map(|c| &c.speaks_for).collect();
    speaking.sort_by(|a, b| b.factor.total_cmp(&a.factor));
    let mut texts: Vec<&str> = Vec::new();
    for moved in speaking {
        if bears(&moved.question, &moved.answer) && !texts.contains(&moved.text.as_str()) {
            texts.push(&moved.text);
        }
    }
    for (i, text) in texts.iter().take(3).enumerate() {
        entry(out, if i == 0 { "evidence" } else { "" }, &visible(text))?;
    }
    Ok(())
}

/// Nobody wonders about a slip of the port that is none, about an address that is not there,
/// or that the server is another machine; the case keeps them.
fn bears(question: &str, answer: &str) -> bool {
    !matches!(
        (question, answer),
        ("port-number" | "other-address", _) | ("target-place", "elsewhere")
    )
}

fn is_worth_a_word(ruled: &RuledOut) -> bool {
    bears(&ruled.because.question, &ruled.because.answer)
}

/// The causes that are out, those together that are out for the same reason.
pub(crate) fn ruled_out(case: &Case) -> Vec<(Vec<&str>, &str)> {
    let mut out: Vec<(Vec<&str>, &str)> = Vec::new();
    for ruled in case.ruled_out.iter().filter(|r| is_worth_a_word(r)) {
        let text = ruled.because.text.as_str();
        match out.iter_mut().find(|(_, reason)| *reason == text) {
            Some((ids, _)) => ids.push(&ruled.id),
            None => out.push((vec![&ruled.id], text)),
        }
    }
    out
}

/// The reasons that a person would give: the strongest, and none that only says that there
/// is nothing else to look at, or that the server is another machine. That a value shows no
/// slip is a reason only where there is no other.
pub(crate) fn telling(moved: &[Moved]) -> impl Iterator<Item = &Moved> {
    let strong = |r: &&Moved| {
        !(WEAKEST.0..WEAKEST.1).contains(&r.factor)
            && !matches!(r.answer.as_str(), "only-one" | "passed-over" | "elsewhere")
    };
    let other = moved.iter().filter(strong).any(|r| !is_no_slip(r));
    moved
        .iter()
        .filter(strong)
        .filter(move |r| !(other && is_no_slip(r)))
        .take(3)
}

fn reasons(out: &mut impl Write, key: &str, moved: &[Moved]) -> io::Result<()> {
    for (i, reason) in telling(moved).enumerate() {
        let (sign, factor) = if reason.factor >= 1.0 {
            ('×', reason.factor)
        } else {
            ('÷', 1.0 / reason.factor.max(1e-3))
        };
        let digits = usize::from(factor < 9.95);
        let factor = format!("{sign}{factor:.digits$}");
        let key = if i == 0 { key } else { "" };
        figure_entry(out, key, &factor, &visible(&reason.text))?;
    }
    Ok(())
}

//! A diagnosis for people: the layers as they settle, then the verdict.

pub(super) mod marks;
mod session;

use std::io::{self, Write};

use anstyle::Style;
use chronaxis_core::case::{Case, Contacts, Vantage};
use chronaxis_core::fact::{Fact, Observation};
use chronaxis_core::judge::judge;
use chronaxis_core::knowledge::causes::Owner;
use chronaxis_core::layer::{Layer, Micros, Outcome};
use chronaxis_core::redact::visible;
use chronaxis_core::target::ShownTarget;
use chronaxis_core::verdict::{Moved, RuledOut, ShownCause, State};
use chronaxis_core::walk::Walk;
use textwrap::{Options, WordSplitter, wrap};

use super::network;
use super::page::{
    BAD, BOLD, DIM, GOOD, LOOK, WIDTH, bar, command, entry, figure_entry, percent, styled_entry,
    tint,
};

/// Where a layer's text begins.
const TEXT_AT: usize = 39;

/// Answers that moved a cause by less than this are not worth a line.
const WEAKEST: (f64, f64) = (0.75, 1.33);

/// Most reasons for which causes are out, and most causes that one of them names; the case
/// keeps all.
const MOST_OUT: usize = 4;
const MOST_TOGETHER: usize = 3;

/// What, where to, from where, when.
pub(crate) fn header(
    out: &mut impl Write,
    target: &ShownTarget,
    vantage: &Vantage,
) -> io::Result<()> {
    let label = visible(&target.label);
    let user = target.user.as_deref().map(visible);
    let user = user.map_or_else(String::new, |u| format!(" as {u}"));
    writeln!(
        out,
        "{BOLD}{label}{BOLD:#}{user}, {}{}",
        target.engine.title(),
        places(target)
    )?;
    let when = vantage.started.replace('T', " ").replace('Z', " UTC");
    writeln!(
        out,
        "{DIM}by the rules of {}, from {} as {}, {when}{DIM:#}\n",
        target.client.as_str(),
        visible(&vantage.host),
        visible(&vantage.user),
    )?;
    writeln!(out, "{:29}{DIM}0.1ms 15s{DIM:#}", "")
}

/// Where to: the first place, and how many more there are.
pub(super) fn places(target: &ShownTarget) -> String {
    let Some((first, rest)) = target.ends.split_first() else {
        return String::new();
    };
    let more = match rest.len() {
        0 => String::new(),
        n => format!(" and {n} more"),
    };
    format!(" at {BOLD}{}{BOLD:#}{more}", visible(&first.to_string()))
}

/// A case from its header to its end, where nothing was shown while it grew; with all
/// facts and every contact where that is wanted.
pub(crate) fn whole(out: &mut impl Write, case: &Case, verbose: bool) -> io::Result<()> {
    header(out, &case.target, &case.vantage)?;
    let log = case.log().unwrap_or_default();
    for judged in &case.layers {
        layer_line(
            out,
            judged.layer,
            judged.outcome,
            judged.elapsed_us,
            &judged.summary,
        )?;
        let facts = log.iter().filter(|o| verbose && o.layer == judged.layer);
        for observation in facts {
            fact_line(out, observation)?;
        }
    }
    verdict(out, case, verbose)
}

/// One layer, once nothing can change it.
pub(crate) fn layer(
    out: &mut impl Write,
    walk: &Walk,
    layer: Layer,
    verbose: bool,
) -> io::Result<()> {
    let judgement = judge(walk.evidence());
    let Some(judged) = judgement.layers.get(layer.index()) else {
        return Ok(());
    };
    layer_line(out, layer, judged.outcome, judged.elapsed, &judged.summary)?;
    if verbose {
        let log = walk.evidence().log;
        for observation in log.iter().filter(|o| o.layer == layer) {
            fact_line(out, observation)?;
        }
    }
    Ok(())
}

fn layer_line(
    out: &mut impl Write,
    layer: Layer,
    outcome: Outcome,
    elapsed: Option<Micros>,
    summary: &str,
) -> io::Result<()> {
    let tint = tint(outcome);
    let word = match outcome {
        Outcome::Fault => "FAULT",
        other => other.as_str(),
    };
    let time = elapsed.map(|e| e.to_string()).unwrap_or_default();
    let weak = matches!(outcome, Outcome::Unreached | Outcome::Untested);
    let text_style = if weak { DIM } else { Style::new() };
    let summary = visible(summary);
    let lines = wrap(
        &summary,
        Options::new(WIDTH - TEXT_AT)
            .word_splitter(WordSplitter::NoHyphenation)
            .break_words(true),
    );
    let first = lines.first().map_or("", |l| l.as_ref());
    write!(out, "  {layer:<8} {tint}{word}{tint:#}")?;
    if !first.is_empty() {
        let gap = " ".repeat(9 - word.len());
        let bar = bar(elapsed);
        write!(
            out,
            "{gap} {time:>7} {tint}{bar}{tint:#} {text_style}{first}{text_style:#}"
        )?;
    }
    writeln!(out)?;
    for more in lines.iter().skip(1) {
        writeln!(
            out,
            "{}{text_style}{more}{text_style:#}",
            " ".repeat(TEXT_AT)
        )?;
    }
    Ok(())
}

fn fact_line(out: &mut impl Write, observation: &Observation) -> io::Result<()> {
    let json = observation.to_json();
    let name = json
        .get("fact")
        .and_then(|f| f.as_str())
        .unwrap_or_default();
    let fields: Vec<String> = json
        .iter()
        .filter(|(key, value)| !matches!(key.as_str(), "fact" | "at_us") && !value.is_null())
        .map(|(key, value)| format!("{key}={value}"))
        .collect();
    let text = visible(&format!("{} {name} {}", observation.at, fields.join(" ")));
    for line in wrap(
        &text,
        Options::new(WIDTH - 6)
            .word_splitter(WordSplitter::NoHyphenation)
            .subsequent_indent("  ")
            .break_words(true),
    ) {
        writeln!(out, "      {DIM}{line}{DIM:#}")?;
    }
    Ok(())
}

/// All that follows from the facts.
pub(crate) fn verdict(out: &mut impl Write, case: &Case, verbose: bool) -> io::Result<()> {
    writeln!(out)?;
    title(out, case)?;
    match case.verdict.state {
        State::Working => session::instance(out, case)?,
        State::Broken | State::Undecided => failure(out, case)?,
    }
    writeln!(out)?;
    for found in &case.also_found {
        styled_entry(
            out,
            "also",
            &format!("{}: {}", found.id, visible(&found.text)),
            LOOK,
        )?;
    }
    if case.paths.len() > 1 {
        for path in &case.paths {
            let symptom = path.symptom.as_deref().unwrap_or("answers");
            let place = place(&path.address, path.port);
            entry(out, "path", &format!("{place} {symptom}"))?;
        }
    }
    if verbose {
        for (key, origin) in &case.target.origins {
            entry(out, "told", &format!("{key}: {}", origin.shown()))?;
        }
        if case.target.secret.present {
            let shape = case.target.secret.shape.as_deref().unwrap_or_default();
            entry(out, "told", &format!("secret: hidden ({shape})"))?;
        }
    }
    touched(out, &case.contacts, verbose)
}

/// The state, where, and the cause: the part that nobody may miss.
fn title(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let verdict = &case.verdict;
    let (word, style) = match verdict.state {
        State::Working => ("WORKING", GOOD.bold()),
        State::Broken => ("BROKEN", BAD),
        State::Undecided => ("UNDECIDED", LOOK.bold()),
    };
    let place = match (verdict.state, verdict.seen_at) {
        (State::Working, _) => format!(
            "as far as {} in {}",
            verdict.as_far_as, case.vantage.elapsed_us
        ),
        (_, Some(layer)) => format!("at {layer}"),
        (_, None) => String::new(),
    };
    let rule = "─".repeat(WIDTH.saturating_sub(word.len() + place.len() + 4));
    writeln!(out, "{style}{word}{style:#} {place} {DIM}{rule}{DIM:#}")?;
    if verdict.state == State::Working {
        return Ok(());
    }
    let sure = match verdict.probability {
        Some(p) if case.verdict.state == State::Broken => percent(p),
        // What is missing is no question of odds.
        Some(_) if one_stands_out(case) => "open".to_owned(),
        _ => "unsure".to_owned(),
    };
    let headline = wrap(&verdict.headline, WIDTH - 11);
    for (i, line) in headline.iter().enumerate() {
        let key = if i == 0 { sure.as_str() } else { "" };
        writeln!(out, "  {style}{key:<9}{style:#}{BOLD}{line}{BOLD:#}")?;
    }
    if let Some(cause) = verdict.cause.as_ref().filter(|_| one_stands_out(case)) {
        let who = verdict.owner.map_or("", Owner::title);
        writeln!(out, "{:11}{style}{cause}{style:#}", "")?;
        entry(out, "", &format!("to be fixed by {who}"))?;
    }
    Ok(())
}

/// Whether the first cause may be named as such: in every broken case, and in an undecided
/// one that has no other candidate.
fn one_stands_out(case: &Case) -> bool {
    let mut candidates = case.causes.iter().filter(|c| is_candidate(c));
    let only = candidates.next().filter(|_| candidates.next().is_none());
    case.verdict.state == State::Broken
        || only.is_some_and(|c| case.verdict.cause.as_ref() == Some(&c.id))
}

/// Whether a cause is worth a line among the others.
fn is_candidate(cause: &ShownCause) -> bool {
    cause.probability >= 0.03 && cause.id != "something-else"
}

fn failure(out: &mut impl Write, case: &Case) -> io::Result<()> {
    marks::marks(out, case)?;
    weights(out, case)?;
    remedy(out, case)
}

/// What speaks for and against what.
fn weights(out: &mut impl Write, case: &Case) -> io::Result<()> {
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
        reasons(out, "for", &speaks)?;
        reasons(out, "against", &first.against)?;
    }
    for (i, other) in others.iter().enumerate() {
        let key = match (i, named) {
            (0, true) => "else",
            (0, false) => "perhaps",
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
        let key = if i == 0 { "not" } else { "" };
        let more = match ids.len().saturating_sub(MOST_TOGETHER) {
            0 => String::new(),
            n => format!(" and {n} more"),
        };
        let ids = ids.get(..MOST_TOGETHER).unwrap_or(ids).join(", ");
        let text = match said.is_some() && is_said(text) {
            true => "by the server's words",
            false => text,
        };
        entry(out, key, &format!("{ids}{more}: {text}"))?;
    }
    Ok(())
}

/// The server's own words, where it refused.
pub(super) fn said(case: &Case) -> Option<String> {
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
    moved.question == "value-shape" && moved.answer == "clean"
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
        entry(out, if i == 0 { "seen" } else { "" }, &visible(text))?;
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
pub(super) fn ruled_out(case: &Case) -> Vec<(Vec<&str>, &str)> {
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

/// What to do, what to say, what to test.
fn remedy(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let verdict = &case.verdict;
    writeln!(out)?;
    session::papers(out, case)?;
    if verdict.probability.is_some_and(|p| p >= 0.5) {
        for (i, fix) in verdict.fix.iter().enumerate() {
            entry(out, if i == 0 { "fix" } else { "" }, &visible(fix))?;
        }
    }
    if let Some(handover) = &verdict.handover {
        entry(out, "tell", &visible(handover))?;
    }
    if let Some(network) = &verdict.network {
        for (key, text) in network::lines(network) {
            entry(out, key, &text)?;
        }
        // Where the next test is the proof, it is said once.
        if verdict
            .next_test
            .as_ref()
            .is_none_or(|n| n.question != "after-the-fix")
        {
            entry(out, "proof", &network.proof)?;
            command(out, &network.proof_command)?;
        }
    }
    if let Some(next) = &verdict.next_test {
        entry(out, "next", &next.what)?;
        if let Some(line) = &next.command {
            command(out, line)?;
        }
    }
    Ok(())
}

/// The reasons that a person would give: the strongest, and none that only says that there
/// is nothing else to look at, or that the server is another machine. That a value shows no
/// slip is a reason only where there is no other.
pub(super) fn telling(moved: &[Moved]) -> impl Iterator<Item = &Moved> {
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

/// What was touched, in numbers.
pub(super) fn counted(contacts: &Contacts) -> String {
    let count = |n: u32, one: &str, many: &str| format!("{n} {}", if n == 1 { one } else { many });
    let steps = match contacts.path_packets {
        0 => String::new(),
        n => format!(", {}", count(n, "path packet", "path packets")),
    };
    format!(
        "{}, {}{steps}, {}, {}",
        count(contacts.lookups, "look-up", "look-ups"),
        count(contacts.lines, "line", "lines"),
        count(contacts.sign_ins, "sign-in", "sign-ins"),
        count(contacts.sessions, "session", "sessions"),
    )
}

fn touched(out: &mut impl Write, contacts: &Contacts, verbose: bool) -> io::Result<()> {
    let mut text = counted(contacts);
    if contacts.servers.len() > 1 && !verbose {
        let each: Vec<String> = contacts.servers.iter().map(|s| server(s, false)).collect();
        text.push_str(&format!(" ({})", each.join(", ")));
    }
    entry(out, "touched", &text)?;
    if verbose {
        for one in &contacts.servers {
            entry(out, "", &server(one, true))?;
        }
    }
    Ok(())
}

/// An address and port as people write them.
fn place(address: &str, port: Option<u16>) -> String {
    match port {
        Some(port) if address.contains(':') => format!("[{address}]:{port}"),
        Some(port) => format!("{address}:{port}"),
        None => visible(address),
    }
}

fn server(one: &chronaxis_core::case::ServerContacts, long: bool) -> String {
    let place = place(&one.address, one.port);
    if long {
        format!("{place}: lines {}, sign-ins {}", one.lines, one.sign_ins)
    } else {
        format!("{} to {place}", one.lines)
    }
}

/// One line: state, cause, symptom, target.
pub(crate) fn quiet(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let verdict = &case.verdict;
    let cause = verdict.cause.as_deref().unwrap_or("-");
    let symptom = verdict.symptom.as_deref().unwrap_or("-");
    let label = visible(&case.target.label);
    let cautions = match case.also_found.len() {
        0 => String::new(),
        1 => ", 1 caution".to_owned(),
        n => format!(", {n} cautions"),
    };
    writeln!(
        out,
        "{} {cause} {symptom} {label} at {}{cautions}",
        verdict.state.as_str(),
        decisive_place(case)
    )
}

/// Where it was decided: of several places the first that stands as the whole does.
fn decisive_place(case: &Case) -> String {
    let told = case
        .target
        .ends
        .first()
        .map(|end| visible(&end.to_string()));
    if case.target.ends.len() > 1 {
        let alike = |path: &&chronaxis_core::case::CasePath| path.symptom == case.verdict.symptom;
        if let Some(path) = case.paths.iter().find(alike) {
            return place(&path.address, path.port);
        }
    }
    told.unwrap_or_else(|| "-".to_owned())
}

//! A diagnosis for people: the layers as they settle, then the verdict.

pub(super) mod marks;
mod session;
pub(super) mod weights;

use std::io::{self, Write};

use anstyle::Style;
use chronaxis_diagnosis::case::{Case, Contacts, Vantage};
use chronaxis_diagnosis::judge::judge;
use chronaxis_diagnosis::knowledge::causes::Owner;
use chronaxis_diagnosis::verdict::State;
use chronaxis_diagnosis::walk::Walk;
use chronaxis_model::fact::Observation;
use chronaxis_model::layer::{Layer, Micros, Outcome};
use chronaxis_model::redact::visible;
use chronaxis_model::target::ShownTarget;
use textwrap::{Options, WordSplitter, wrap};

use super::network;
use super::page::{
    BAD, BOLD, DIM, GOOD, KEYS, LOOK, WIDTH, bar, command, entry, percent, styled_entry, tint,
};

/// Where a layer's text begins.
const TEXT_AT: usize = 39;

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
        chronaxis_engines::title(target.engine),
        places(target)
    )?;
    let when = vantage.started.replace('T', " ").replace('Z', " UTC");
    writeln!(
        out,
        "{DIM}as {} would connect, from {} as {}, {when}{DIM:#}\n",
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
            "warning",
            &format!("{}: {}", found.id, visible(&found.text)),
            LOOK,
        )?;
    }
    if case.paths.len() > 1 {
        for path in &case.paths {
            let symptom = path.symptom.as_deref().unwrap_or("answers");
            let place = place(&path.address, path.port);
            entry(out, "address", &format!("{place} {symptom}"))?;
        }
    }
    if verbose {
        for (key, origin) in &case.target.origins {
            entry(out, "source", &format!("{key}: {}", origin.shown()))?;
        }
        if case.target.secret.present {
            let shape = case.target.secret.shape.as_deref().unwrap_or_default();
            entry(out, "source", &format!("secret: hidden ({shape})"))?;
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
        (State::Working, _) => {
            format!("up to {} in {}", verdict.as_far_as, case.vantage.elapsed_us)
        }
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
        Some(_) if weights::one_stands_out(case) => "open".to_owned(),
        _ => "unsure".to_owned(),
    };
    let whole_words = Options::new(WIDTH - KEYS).word_splitter(WordSplitter::NoHyphenation);
    let headline = wrap(&verdict.headline, whole_words);
    for (i, line) in headline.iter().enumerate() {
        let key = if i == 0 { sure.as_str() } else { "" };
        writeln!(
            out,
            "  {style}{key:<width$}{style:#}{BOLD}{line}{BOLD:#}",
            width = KEYS - 2
        )?;
    }
    if let Some(cause) = verdict
        .cause
        .as_ref()
        .filter(|_| weights::one_stands_out(case))
    {
        let who = verdict.owner.map_or("", Owner::title);
        writeln!(out, "{:KEYS$}{style}{cause}{style:#}", "")?;
        entry(out, "", &format!("to be fixed by {who}"))?;
    }
    Ok(())
}

fn failure(out: &mut impl Write, case: &Case) -> io::Result<()> {
    marks::marks(out, case)?;
    weights::weights(out, case)?;
    remedy(out, case)
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
        entry(out, "message", &visible(handover))?;
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
            entry(out, "then", &network.proof)?;
            command(out, &network.proof_command)?;
        }
    }
    if let Some(next) = &verdict.next_test {
        entry(out, "next step", &next.what)?;
        if let Some(line) = &next.command {
            command(out, line)?;
        }
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
        count(contacts.lookups, "lookup", "lookups"),
        count(contacts.lines, "connection", "connections"),
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
    entry(out, "contacts", &text)?;
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

fn server(one: &chronaxis_diagnosis::case::ServerContacts, long: bool) -> String {
    let place = place(&one.address, one.port);
    if long {
        format!(
            "{place}: connections {}, sign-ins {}",
            one.lines, one.sign_ins
        )
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
        1 => ", 1 warning".to_owned(),
        n => format!(", {n} warnings"),
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
        let alike =
            |path: &&chronaxis_diagnosis::case::CasePath| path.symptom == case.verdict.symptom;
        if let Some(path) = case.paths.iter().find(alike) {
            return place(&path.address, path.port);
        }
    }
    told.unwrap_or_else(|| "-".to_owned())
}

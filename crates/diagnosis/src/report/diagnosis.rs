//! The report of a diagnosis: the layers as they settle, then all that follows.

use std::borrow::Cow;

use chronaxis_model::fact::{Fact, Observation};
use chronaxis_model::found::Warning;
use chronaxis_model::invariant;
use chronaxis_model::layer::{Layer, Micros, Outcome};
use chronaxis_model::redact::visible;
use chronaxis_model::target::ShownTarget;
use chronaxis_model::token::moment_shown;

use super::entries::Entries;
use super::{
    Block, LayerLine, Piece, Tone, Topic, VerdictLine, contacts, lasting, listener, marks, moment,
    network, percent, reasons, session, sides, told,
};
use crate::case::{Case, Vantage};
use crate::judge::{Evidence, judge};
use crate::knowledge::causes::Owner;
use crate::verdict::{AlsoFound, State};

/// Below this probability no fix is told: it would be one of several.
const WORTH_A_FIX: f64 = 0.5;

/// What, where to, by whose rules, from where, when.
pub fn head(target: &ShownTarget, vantage: &Vantage) -> Block {
    let user = target.user.as_deref().map(visible);
    let user = user.map_or_else(String::new, |u| format!(" as {u}"));
    let engine = chronaxis_engines::title(target.engine);
    let mut title = vec![
        Piece::strong(visible(&target.label)),
        Piece::plain(format!("{user}, {engine}")),
    ];
    title.extend(places(target));
    Block::Head {
        title,
        remark: format!(
            "{}, from {} as {}, {}",
            by_whose_rules(target),
            visible(&vantage.host),
            visible(&vantage.user),
            moment(&vantage.started),
        ),
    }
}

/// The client whose rules count, and for settings their readers.
pub(super) fn by_whose_rules(target: &ShownTarget) -> String {
    let client = target.client.as_str();
    let others = target.read_by.iter().map(String::as_str);
    let readers: Vec<&str> = others.filter(|reader| *reader != client).collect();
    match readers.is_empty() {
        true => format!("as {client} would connect"),
        false => format!(
            "settings read by {}, as {client} would connect",
            readers.join(" and ")
        ),
    }
}

/// Where to: the first place, and how many more there are.
pub(super) fn places(target: &ShownTarget) -> Vec<Piece> {
    let Some((first, rest)) = target.ends.split_first() else {
        return Vec::new();
    };
    let mut out = vec![
        Piece::plain(" at "),
        Piece::strong(visible(&first.to_string())),
    ];
    if !rest.is_empty() {
        out.push(Piece::plain(format!(" and {} more", rest.len())));
    }
    out
}

/// A layer of a walk that is under way, once nothing can change it.
pub fn settled(evidence: Evidence<'_>, layer: Layer, with_facts: bool) -> Option<Block> {
    let judgement = judge(evidence);
    let judged = judgement.layers.get(layer.index());
    invariant::holds(judged.is_some(), "every layer is judged");
    let judged = judged?;
    let summary = judged.summary.to_string();
    let facts = evidence.log.iter().filter(|_| with_facts);
    Some(line(layer, judged.outcome, judged.elapsed, &summary, facts))
}

fn line<'a>(
    layer: Layer,
    outcome: Outcome,
    elapsed: Option<Micros>,
    summary: &str,
    log: impl Iterator<Item = &'a Observation>,
) -> Block {
    Block::Layer(LayerLine {
        timed: true,
        layer,
        outcome,
        elapsed,
        summary: visible(summary),
        facts: log.filter(|o| o.layer == layer).map(fact).collect(),
    })
}

/// A fact with its fields, as the case has them.
fn fact(observation: &Observation) -> String {
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
    visible(&format!("{} {name} {}", observation.at, fields.join(" ")))
}

/// The whole of a case; with all facts, sources and contacts where that is wanted.
pub fn whole(case: &Case, verbose: bool) -> Vec<Block> {
    let log = case.log().unwrap_or_default();
    if told::is_told(&log) {
        let mut out = vec![told::head(case, &log)];
        out.extend(told::layers(case));
        out.extend(conclusion(case, verbose));
        return out;
    }
    let mut out = vec![head(&case.target, &case.vantage)];
    out.extend(case.layers.iter().map(|judged| {
        let facts = log.iter().filter(|_| verbose);
        let (outcome, elapsed) = (judged.outcome, judged.elapsed_us);
        line(judged.layer, outcome, elapsed, &judged.summary, facts)
    }));
    out.extend(conclusion(case, verbose));
    out
}

/// All that follows from the layers.
pub fn conclusion(case: &Case, verbose: bool) -> Vec<Block> {
    let log = case.log().unwrap_or_default();
    let mut out = vec![Block::Verdict(verdict(case))];
    out.extend(listener::redirects(case));
    out.extend(told::said(&log));
    out.extend(told::logs(&log));
    match case.verdict.state {
        State::Working => {
            out.extend(session::instance(case, &log));
            out.extend(lasting::of_log(&log));
            out.extend(sides::of_case(case, verbose));
            out.extend(sides::reference(&log));
        }
        State::Broken | State::Undecided => {
            out.extend(marks::of_case(case, &log));
            out.extend(reasons::weights(case, &log));
            out.extend(lasting::of_log(&log));
            out.extend(sides::of_case(case, verbose));
            out.extend(sides::reference(&log));
            out.extend(session::refused_certificates(case, &log));
            out.extend(remedy(case));
        }
    }
    out.extend(warnings(case));
    out.extend(contacts::addresses(case));
    if verbose {
        out.extend(listener::services(&log));
        out.extend(sources(case, &log));
    }
    out.extend(contacts::touched(&case.contacts, verbose));
    out
}

fn verdict(case: &Case) -> VerdictLine {
    let verdict = &case.verdict;
    let (state, tone) = match verdict.state {
        State::Working => ("WORKING", Tone::Good),
        State::Broken => ("BROKEN", Tone::Bad),
        State::Undecided => ("UNDECIDED", Tone::Look),
    };
    let place = match (verdict.state, verdict.seen_at) {
        (State::Working, _) => {
            format!("up to {} in {}", verdict.as_far_as, case.vantage.elapsed_us)
        }
        (_, Some(layer)) => format!("at {layer}"),
        (_, None) => String::new(),
    };
    if verdict.state == State::Working {
        return VerdictLine {
            state,
            tone,
            place,
            certainty: Cow::Borrowed(""),
            headline: String::new(),
            cause: None,
            owner: None,
        };
    }
    let named = reasons::one_stands_out(case);
    let certainty = match verdict.probability {
        Some(p) if verdict.state == State::Broken => Cow::Owned(percent(p)),
        // What is missing is no question of odds.
        Some(_) if named => Cow::Borrowed("open"),
        _ => Cow::Borrowed("unsure"),
    };
    VerdictLine {
        state,
        tone,
        place,
        certainty,
        headline: visible(&verdict.headline),
        cause: verdict.cause.clone().filter(|_| named),
        owner: verdict.owner.map(Owner::title).filter(|_| named),
    }
}

/// What to do, what to say, what to test.
fn remedy(case: &Case) -> Vec<Block> {
    let verdict = &case.verdict;
    let (mut fix, mut message, mut next) =
        (Entries::default(), Entries::default(), Entries::default());
    if verdict.probability.is_some_and(|p| p >= WORTH_A_FIX) {
        fix.list("fix", verdict.fix.iter().map(|fix| visible(fix)));
    }
    if let Some(handover) = &verdict.handover {
        message.text("message", visible(handover));
    }
    let network = verdict.network.as_deref().map(|report| {
        let mut lines = network::lines(report);
        // Where the next test is the proof, it is said once.
        let proof = verdict.next_test.as_ref();
        if proof.is_none_or(|n| n.question != "after-the-fix") {
            lines.text("then", report.proof.clone());
            lines.command(&report.proof_command);
        }
        lines
    });
    if let Some(test) = &verdict.next_test {
        next.text("next step", visible(&test.what));
        if let Some(command) = &test.command {
            next.command(&visible(command));
        }
    }
    [
        fix.section(Topic::Fix),
        message.section(Topic::Message),
        network.and_then(|n| n.section(Topic::Network)),
        next.section(Topic::Next),
    ]
    .into_iter()
    .flatten()
    .collect()
}

fn warnings(case: &Case) -> Option<Block> {
    let mut out = Entries::default();
    // The messages of a text stand above, each with what it is.
    let above = [Warning::FollowOnError, Warning::HidesTheError].map(Warning::as_str);
    let shown = |found: &&AlsoFound| !above.contains(&found.id.as_str());
    for found in case.also_found.iter().filter(shown) {
        let text = format!("{}: {}", found.id, visible(&found.text));
        out.toned("warning", text, Tone::Look);
    }
    out.section(Topic::Warnings)
}

/// Where each value of the target comes from.
fn sources(case: &Case, log: &[Observation]) -> Option<Block> {
    let mut out = Entries::default();
    for (key, origin) in &case.target.origins {
        out.text("source", format!("{key}: {}", origin.shown()));
    }
    if case.target.secret.present {
        let shape = case.target.secret.shape.as_deref().unwrap_or_default();
        out.text("source", format!("secret: hidden ({shape})"));
    }
    let token = log.iter().find_map(|o| match o.fact() {
        Some(Fact::TokenGiven { token, .. }) => Some(token),
        _ => None,
    });
    if let Some(token) = token {
        let dates = [("from", token.not_before), ("until", token.expires)];
        let dates = dates
            .into_iter()
            .filter_map(|(word, date)| Some(format!("{word} {}", moment_shown(date?))));
        let says: Vec<String> = dates.chain(token.names()).collect();
        let text = format!("secret: {}, {}", token.kind.title(), says.join(", "));
        out.text("source", text);
    }
    out.section(Topic::Sources)
}

/// All in one line: state, cause, symptom, target.
pub fn in_a_line(case: &Case) -> String {
    let verdict = &case.verdict;
    let cause = verdict.cause.as_deref().unwrap_or("-");
    let symptom = verdict.symptom.as_deref().unwrap_or("-");
    let label = visible(&case.target.label);
    let warnings = match case.also_found.len() {
        0 => String::new(),
        1 => ", 1 warning".to_owned(),
        n => format!(", {n} warnings"),
    };
    format!(
        "{} {cause} {symptom} {label} at {}{warnings}",
        verdict.state.as_str(),
        contacts::decisive_place(case)
    )
}

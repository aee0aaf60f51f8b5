//! A case as Markdown (CommonMark with tables), for a ticket or a wiki page.
//!
//! Whatever comes from outside stands in code spans or is escaped: it must not become a
//! link, a heading or a tag of the page.

use std::io::{self, Write};

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::knowledge::causes::Owner;
use chronaxis_diagnosis::verdict::{Moved, State};
use chronaxis_model::redact::visible;
use chronaxis_model::target::End;

use super::network;
use super::page::percent;
use super::text::counted;
use super::text::weights::{ruled_out, telling};

/// One case; the first begins the page.
pub(crate) fn case(out: &mut impl Write, case: &Case, first: bool) -> io::Result<()> {
    if !first {
        writeln!(out)?;
    }
    heading(out, case)?;
    layers(out, case)?;
    if case.verdict.state != State::Working {
        causes(out, case)?;
        remedy(out, case)?;
    }
    also(out, case)?;
    writeln!(out, "\nTouched: {}.", counted(&case.contacts))
}

fn heading(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let verdict = &case.verdict;
    let state = verdict.state.as_str();
    let at = verdict
        .seen_at
        .map_or_else(String::new, |l| format!(" at {l}"));
    writeln!(out, "# {}: {state}{at}\n", plain(&case.target.label))?;
    writeln!(out, "**{}**", plain(&verdict.headline))?;
    if let (Some(cause), Some(p)) = (&verdict.cause, verdict.probability) {
        let who = verdict.owner.map_or("nobody in particular", Owner::title);
        let sure = percent(p);
        writeln!(out, "\nLikely cause: `{cause}` ({sure}), for {who}.")?;
    }
    let ends: Vec<String> = case.target.ends.iter().map(End::to_string).collect();
    let ends = if ends.is_empty() {
        "no usable host".to_owned()
    } else {
        code(&ends.join(", "))
    };
    writeln!(
        out,
        "\n{} at {ends}, by the rules of {}; from {} as {}, {}.\n",
        chronaxis_engines::title(case.target.engine),
        case.target.client.as_str(),
        plain(&case.vantage.host),
        plain(&case.vantage.user),
        case.vantage.started,
    )
}

fn layers(out: &mut impl Write, case: &Case) -> io::Result<()> {
    writeln!(out, "| layer | outcome | time | what was seen |")?;
    writeln!(out, "|---|---|---:|---|")?;
    for layer in &case.layers {
        let time = layer.elapsed_us.map(|e| e.to_string()).unwrap_or_default();
        writeln!(
            out,
            "| {} | {} | {time} | {} |",
            layer.layer,
            layer.outcome.as_str(),
            plain(&layer.summary)
        )?;
    }
    Ok(())
}

fn causes(out: &mut impl Write, case: &Case) -> io::Result<()> {
    writeln!(out, "\n## Causes\n")?;
    for cause in case.causes.iter().filter(|c| c.probability >= 0.03) {
        let who = cause.owner.map_or("", Owner::as_str);
        let sure = percent(cause.probability);
        writeln!(out, "- `{}` {sure}{}", cause.id, in_brackets(who))?;
        for moved in telling(&cause.speaks_for) {
            reason(out, "evidence", moved)?;
        }
        for moved in telling(&cause.against) {
            reason(out, "against", moved)?;
        }
    }
    for (ids, text) in ruled_out(case) {
        let ids: Vec<String> = ids.iter().map(|id| format!("`{id}`")).collect();
        writeln!(out, "- ruled out: {}: {}", ids.join(", "), plain(text))?;
    }
    Ok(())
}

fn in_brackets(who: &str) -> String {
    if who.is_empty() {
        String::new()
    } else {
        format!(" ({who})")
    }
}

fn reason(out: &mut impl Write, side: &str, moved: &Moved) -> io::Result<()> {
    writeln!(out, "  - {side}: {}", plain(&moved.text))
}

fn remedy(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let verdict = &case.verdict;
    if !verdict.fix.is_empty() && verdict.probability.is_some_and(|p| p >= 0.5) {
        writeln!(out, "\n## Fix\n")?;
        for fix in &verdict.fix {
            writeln!(out, "- {}", plain(fix))?;
        }
    }
    if let Some(handover) = &verdict.handover {
        writeln!(out, "\n## Message to send\n\n> {}", plain(handover))?;
    }
    if let Some(network) = &verdict.network {
        writeln!(out, "\n## For the network team\n\n| | |\n|---|---|")?;
        for (key, text) in network::lines(network) {
            writeln!(out, "| {key} | {} |", plain(&text))?;
        }
        let (proof, command) = (plain(&network.proof), code(&network.proof_command));
        writeln!(
            out,
            "| after the fix | {proof} {} |",
            command.replace('|', "\\|")
        )?;
    }
    if let Some(next) = &verdict.next_test {
        writeln!(out, "\n## Next step\n\n{}", plain(&next.what))?;
        if let Some(command) = &next.command {
            writeln!(out, "\n    {}", visible(command))?;
        }
    }
    Ok(())
}

fn also(out: &mut impl Write, case: &Case) -> io::Result<()> {
    if case.also_found.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n## Also found\n")?;
    for found in &case.also_found {
        writeln!(out, "- `{}`: {}", found.id, plain(&found.text))?;
    }
    Ok(())
}

/// Text in which nothing is markup: the characters that could be are escaped, line ends
/// become visible.
fn plain(text: &str) -> String {
    let mut out = String::new();
    for c in visible(text).chars() {
        if "\\`*_{}[]<>#|!&~".contains(c) {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

/// Text as code. A backtick would end it, and stands for nothing in a host or a command.
fn code(text: &str) -> String {
    format!("`{}`", visible(text).replace('`', "'"))
}

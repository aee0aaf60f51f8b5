//! The report of a case that a text tells: no walk, so no times and no addresses.

use chronaxis_model::fact::{Fact, LogStands, MessageRead, MessageRole, Observation};
use chronaxis_model::layer::Outcome;
use chronaxis_model::redact::visible;

use super::entries::Entries;
use super::{Block, LayerLine, Piece, Tone, Topic, counted, moment};
use crate::case::Case;

/// Whether a case is one that a text tells.
pub(super) fn is_told(log: &[Observation]) -> bool {
    log.iter()
        .any(|o| matches!(o.fact(), Some(Fact::TextRead { .. } | Fact::MessageRead(_))))
}

/// Who says it, of which connection, out of which text.
pub(super) fn head(case: &Case, log: &[Observation]) -> Block {
    let said = messages(log).next();
    let mut title = match said {
        Some(message) => vec![
            Piece::strong("Message"),
            Piece::plain(" from "),
            Piece::strong(visible(&message.title)),
        ],
        None => vec![Piece::strong("Text")],
    };
    let target = &case.target;
    let engine_known = target.engine.as_str() != "tcp";
    if !target.ends.is_empty() || engine_known {
        let user = target.user.as_deref().map(visible);
        let user = user.map_or_else(String::new, |u| format!(" as {u}"));
        let engine = match engine_known {
            true => format!(" about {}", chronaxis_engines::title(target.engine)),
            false => " about a connection".to_owned(),
        };
        title.push(Piece::plain(format!("{engine}{user}")));
        title.extend(super::diagnosis::places(target));
    }
    let read = log.iter().find_map(|o| match o.fact() {
        Some(Fact::TextRead {
            lines,
            file,
            left_out,
        }) => Some((*lines, file.as_deref(), left_out.as_deref())),
        _ => None,
    });
    let (lines, file, left_out) = read.unwrap_or_default();
    let mut remark = counted(lines, "line", "lines");
    if let Some(file) = file {
        remark.push_str(&format!(" of {}", visible(file)));
    }
    remark.push_str(" read");
    if let Some(left_out) = left_out {
        remark.push_str(&format!(" ({left_out})"));
    }
    remark.push_str(&format!(
        "; nothing was contacted; {}",
        moment(&case.vantage.started)
    ));
    Block::Head { title, remark }
}

/// The layers of which the text says something.
pub(super) fn layers(case: &Case) -> Vec<Block> {
    let told = case
        .layers
        .iter()
        .filter(|judged| !matches!(judged.outcome, Outcome::Untested | Outcome::Unreached));
    told.map(|judged| {
        Block::Layer(LayerLine {
            timed: false,
            layer: judged.layer,
            outcome: judged.outcome,
            elapsed: None,
            summary: visible(&judged.summary),
            facts: Vec::new(),
        })
    })
    .collect()
}

fn messages(log: &[Observation]) -> impl Iterator<Item = &MessageRead> {
    log.iter().filter_map(|o| match o.fact() {
        Some(Fact::MessageRead(message)) => Some(&**message),
        _ => None,
    })
}

/// The words that were recognised: where, how often, and what else they may mean.
pub(super) fn said(log: &[Observation]) -> Option<Block> {
    let mut out = Entries::default();
    let telling = |message: &&MessageRead| message.role != MessageRole::Beside;
    for (index, message) in messages(log).filter(telling).enumerate() {
        let often = match message.times {
            0 | 1 => String::new(),
            times => format!(", {times} times"),
        };
        let from = message.clients.map_or_else(String::new, |clients| {
            format!(
                ", from {}",
                counted(clients as usize, "address", "addresses")
            )
        });
        let at = message
            .said_at
            .as_ref()
            .map_or_else(String::new, |at| format!(", at {at}"));
        let role = match message.role {
            MessageRole::FollowsOn => " (follows from another error)",
            MessageRole::HidesTheCause => " (hides the error)",
            MessageRole::NotTheConnection => " (not about the connection)",
            MessageRole::Decides | MessageRole::Beside => "",
        };
        let text = format!(
            "line {}{at}{often}{from}: {}: {}{role}",
            message.line, message.title, message.text
        );
        out.text(if index == 0 { "says" } else { "" }, visible(&text));
        if let Some(besides) = message
            .besides
            .as_ref()
            .filter(|_| message.role == MessageRole::Decides)
        {
            out.toned("", format!("it may also mean: {besides}"), Tone::Plain);
        }
    }
    out.section(Topic::Said)
}

/// What the logs that were given say of this attempt.
pub(super) fn logs(log: &[Observation]) -> Option<Block> {
    let mut out = Entries::default();
    for read in log.iter().filter_map(|o| match o.fact() {
        Some(Fact::ServerLogRead(read)) if read.stands == LogStands::Matched => Some(read),
        _ => None,
    }) {
        let mut key = "server log";
        for entry in &read.entries {
            let text = format!(
                "{}, line {}, at {}: {}",
                visible(&read.file),
                entry.line,
                entry.at,
                entry.text
            );
            out.text(std::mem::take(&mut key), visible(&text));
        }
        if let Some(ahead) = read.clock_ahead_us.filter(|ahead| *ahead != 0) {
            let (amount, way) = match ahead > 0 {
                true => (ahead, "ahead of"),
                false => (-ahead, "behind"),
            };
            let seconds = amount / 1_000_000;
            out.text(
                "",
                format!("the server's clock is {seconds} s {way} this machine's"),
            );
        }
        out.text(
            "",
            match &read.others {
                Some(others) => format!(
                    "{} had the same within {} s: it is not this client alone",
                    counted(
                        others.addresses as usize,
                        "other address",
                        "other addresses"
                    ),
                    others.within_s
                ),
                None => "no other address had the same about that time".to_owned(),
            },
        );
        if let Some(left_out) = &read.left_out {
            out.text("", left_out.clone());
        }
    }
    out.section(Topic::Log)
}

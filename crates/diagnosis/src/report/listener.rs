//! What a listener offers, and the places to which it sends a client on.

use chronaxis_model::fact::{Fact, Observation};
use chronaxis_model::layer::{Layer, Outcome};
use chronaxis_model::redact::visible;
use chronaxis_model::target::End;

use super::entries::Entries;
use super::{Block, Column, Table, Tone, Topic};
use crate::case::{Case, CaseRedirect};

/// Each place to which the client was sent on, with its own name, route and port.
pub(super) fn redirects(case: &Case) -> Option<Block> {
    let mut out = Entries::default();
    for place in &case.redirects {
        out.text("sent on to", where_to(place));
        let own = place
            .layers
            .iter()
            .filter(|l| l.layer <= Layer::Port && l.outcome != Outcome::Unreached);
        for judged in own {
            let tone = match judged.outcome {
                Outcome::Fault => Tone::Bad,
                Outcome::Caution => Tone::Look,
                _ => Tone::Plain,
            };
            let time = judged.elapsed_us.map(|took| format!(" ({took})"));
            let text = format!(
                "{}: {}{}",
                judged.outcome.as_str(),
                visible(&judged.summary),
                time.unwrap_or_default()
            );
            out.toned(format!("  {}", judged.layer), text, tone);
        }
    }
    out.section(Topic::Redirects)
}

fn where_to(place: &CaseRedirect) -> String {
    let end = End::Host {
        host: place.host.clone(),
        port: place.port,
        address: None,
    };
    format!(
        "{}, instance {}",
        visible(&end.to_string()),
        visible(&place.instance)
    )
}

/// All services and instances that the listener told of.
pub(super) fn services(log: &[Observation]) -> Option<Block> {
    let offered = log.iter().find_map(|seen| match seen.fact() {
        Some(Fact::ServicesListed(offered)) => Some(offered),
        _ => None,
    })?;
    let text = |text: &Option<chronaxis_model::redact::Redacted>| {
        text.as_ref().map(ToString::to_string).unwrap_or_default()
    };
    let mut rows = Vec::new();
    for service in &offered.services {
        if service.instances.is_empty() {
            rows.push(vec![service.name.to_string(), "none".to_owned()]);
        }
        for one in &service.instances {
            rows.push(vec![
                service.name.to_string(),
                one.name.to_string(),
                one.state.as_str().to_owned(),
                text(&one.since),
                text(&one.address),
            ]);
        }
    }
    for row in &mut rows {
        row.resize(5, String::new());
    }
    let column = |title, width| Column {
        title,
        width,
        tone: Tone::Plain,
    };
    let columns = vec![
        column("service", 14),
        column("instance", 14),
        column("state", 10),
        column("since", 20),
        column("at", 16),
    ];
    (!rows.is_empty()).then_some(Block::Table(Table {
        columns,
        rows,
        folded: true,
    }))
}

//! The hand-over for a network team, in lines: from, to, when, the way, what to look for.

use std::net::IpAddr;

use chronaxis_model::fact::{Knocked, StepAnswer};
use chronaxis_model::redact::visible;

use super::entries::Entries;
use super::moment;
use crate::verdict::{Hop, NetworkReport, WayTo};

/// Its lines, each with its key.
pub(super) fn lines(report: &NetworkReport) -> Entries {
    let mut out = Entries::default();
    let by = report
        .interface
        .as_ref()
        .map_or_else(String::new, |i| format!(" by {}", visible(i)));
    if let Some(from) = report.from {
        out.text("from", format!("{from}{by}"));
    }
    out.text(
        "to",
        format!("{} port {}, {}", report.to, report.port, report.protocol),
    );
    for (i, one) in report.attempts.iter().enumerate() {
        let when = moment(&one.at);
        let key = if i == 0 { "sent" } else { "" };
        let text = format!("{when} from port {}: {}", one.from_port, one.answer);
        out.text(key, text);
    }
    if let Some(icmp) = report.icmp {
        out.text(
            "icmp",
            format!(
                "type {} code {} ({}) from {}",
                icmp.kind,
                icmp.code,
                icmp.title(),
                icmp.sender
            ),
        );
    }
    for (i, way) in report.ways.iter().enumerate() {
        let key = if i == 0 { "path" } else { "" };
        out.text(key, way_in_words(way, report.to));
    }
    if let Some(near) = &report.neighbour {
        let did = match near.answer {
            Knocked::Connected => "connects",
            Knocked::Refused => "refuses",
            Knocked::Silent => "is silent",
            Knocked::Unreachable => "cannot be reached",
        };
        out.text(
            "comparison",
            format!("port {} {did} after {}", near.port, near.elapsed_us),
        );
    }
    out.text("look for", report.look_for.clone());
    out
}

/// `port 5432: 1 10.8.0.1, 2 203.0.113.1, 3 nothing`
fn way_in_words(way: &WayTo, to: IpAddr) -> String {
    let hops: Vec<String> = way.hops.iter().map(|h| hop(h, to)).collect();
    format!("to port {}: {}", way.port, hops.join(", "))
}

fn hop(hop: &Hop, to: IpAddr) -> String {
    let number = hop.number;
    match (hop.answer, hop.by) {
        (StepAnswer::Expired, Some(by)) if by == to => {
            format!("{number} answers as {to}: it forwards this port")
        }
        (StepAnswer::Expired, Some(by)) => format!("{number} {by}"),
        (StepAnswer::Connected, _) => format!("{number} connects"),
        (StepAnswer::Refused, _) => format!("{number} refuses"),
        (StepAnswer::Unreachable, Some(by)) => format!("{number} refused by {by}"),
        (StepAnswer::Unreachable, None) => format!("{number} cannot be reached"),
        (StepAnswer::Silent, _) | (StepAnswer::Expired, None) => format!("{number} no answer"),
    }
}

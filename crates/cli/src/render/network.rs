//! The hand-over for a network team, in lines: from, to, when, the way, what to look for.

use std::net::IpAddr;

use chronaxis_diagnosis::verdict::{Hop, NetworkReport, WayTo};
use chronaxis_model::fact::{Knocked, StepAnswer};
use chronaxis_model::redact::visible;

/// Its lines, each with its key.
pub(crate) fn lines(report: &NetworkReport) -> Vec<(&'static str, String)> {
    let mut out = Vec::new();
    let by = report
        .interface
        .as_ref()
        .map_or_else(String::new, |i| format!(" by {}", visible(i)));
    if let Some(from) = report.from {
        out.push(("from", format!("{from}{by}")));
    }
    out.push((
        "to",
        format!("{} port {}, {}", report.to, report.port, report.protocol),
    ));
    for (i, one) in report.attempts.iter().enumerate() {
        let when = one.at.replace('T', " ").replace('Z', " UTC");
        let key = if i == 0 { "sent" } else { "" };
        let text = format!("{when} from port {}: {}", one.from_port, one.answer);
        out.push((key, text));
    }
    if let Some(icmp) = report.icmp {
        out.push((
            "icmp",
            format!(
                "type {} code {} ({}) from {}",
                icmp.kind,
                icmp.code,
                icmp.title(),
                icmp.sender
            ),
        ));
    }
    for (i, way) in report.ways.iter().enumerate() {
        let key = if i == 0 { "path" } else { "" };
        out.push((key, way_in_words(way, report.to)));
    }
    if let Some(near) = &report.neighbour {
        let did = match near.answer {
            Knocked::Connected => "connects",
            Knocked::Refused => "refuses",
            Knocked::Silent => "is silent",
            Knocked::Unreachable => "cannot be reached",
        };
        out.push((
            "comparison",
            format!("port {} {did} after {}", near.port, near.elapsed_us),
        ));
    }
    out.push(("look for", report.look_for.clone()));
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

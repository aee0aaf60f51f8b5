//! What a network team should look for in its logs, and where.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{Icmp, StepAnswer};
use chronaxis_model::layer::Layer;

use crate::judge::way::{StepsTo, last_seen};
use crate::judge::{PathView, Symptom};

/// Where a packet was, as far as it can be followed.
pub(super) struct Trail<'a> {
    /// The destination.
    pub(super) to: SocketAddr,
    /// The ICMP message that ended an attempt.
    pub(super) icmp: Option<Icmp>,
    /// The steps to the port.
    pub(super) own: Option<&'a StepsTo>,
    /// The steps to its neighbour.
    pub(super) control: Option<&'a StepsTo>,
}

impl Trail<'_> {
    /// The device that refused it, or the last one that is known to have seen it.
    pub(super) fn device(&self) -> Option<IpAddr> {
        let sender = self.icmp.map(|icmp| icmp.sender);
        let seen = || Some(last_seen(self.own?, self.control)?.1);
        sender.or_else(|| self.refuser()).or_else(seen)
    }

    /// Who stands as far away as the refusal comes from, by the neighbour's way.
    fn refuser(&self) -> Option<IpAddr> {
        let own = self.own.filter(|own| own.passed_on.is_none())?;
        let (at, _) = own.end().filter(|(_, a)| *a == StepAnswer::Refused)?;
        let mut theirs = self.control?.steps.iter();
        let (.., by) = theirs.find(|(ttl, a, _)| *ttl == at && *a == StepAnswer::Expired)?;
        *by
    }

    fn place(&self) -> String {
        if let Some(number) = self.own.and_then(|own| own.passed_on) {
            return format!("on hop {number}, which forwards this port, and behind it");
        }
        match self.device() {
            Some(ip) if ip == self.to.ip() => format!("on {ip} itself"),
            Some(ip) if self.icmp.is_some() || self.refuser().is_some() => format!("on {ip}"),
            Some(ip) => format!("on {ip} and on what is behind it"),
            None => "on every firewall between the two".to_owned(),
        }
    }

    /// What to look for.
    pub(super) fn look_for(&self, view: &PathView<'_>, symptom: Symptom) -> String {
        let to = self.to;
        let from = view
            .source()
            .map_or_else(|| "this machine".to_owned(), |ip| ip.to_string());
        if let Some(silent) = view.next_silent() {
            return match silent.link_down {
                Some(_) => "the other end of that link: is it up?".to_owned(),
                None => format!(
                    "{}: is it up, and does it answer {from} when asked for its link-layer address?",
                    silent.device
                ),
            };
        }
        if symptom.layer() > Layer::Port {
            return match symptom.is_closed() {
                true => format!(
                    "RST or FIN packets from {to} to {from} at these times: which device between the two sends them?"
                ),
                false => format!(
                    "packets of this connection from {from} to {to} after the first three, at these times: which rule did they hit, and how large may they be?"
                ),
            };
        }
        let place = self.place();
        let sent = format!("SYN packets from {from} to {to} at these times, {place}: which rule");
        match (symptom, self.icmp) {
            (Symptom::PortRefused, None) => format!("{sent} answers them with a reset?"),
            (_, Some(icmp)) => format!(
                "{sent} or route answers them with ICMP type {} code {}?",
                icmp.kind, icmp.code
            ),
            _ => format!("{sent} did they hit? If the SYNs pass, check the SYN-ACK replies."),
        }
    }
}

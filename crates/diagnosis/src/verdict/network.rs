//! The hand-over for a network team: what was sent from where and when, what came back
//! from which device, what the neighbouring port did, what to look for, what would prove
//! the fix.

use std::net::{IpAddr, SocketAddr};

use jiff::{SignedDuration, Timestamp};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Icmp, Knocked, StepAnswer};
use chronaxis_model::layer::{Layer, Micros};

use super::described::again;
use super::look_for::Trail;
use super::shape::Occasion;
use crate::judge::way::{StepsTo, comparison};
use crate::judge::{PathView, Symptom};
use crate::knowledge::causes::{Cause, Owner};

/// One attempt to connect.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Attempted {
    /// The source port.
    pub from_port: u16,
    /// When it began: RFC 3339, UTC.
    pub at: String,
    /// What came back, in a word: `silent`, `refused`, `unreachable`, `connected`.
    pub answer: String,
}

/// One step of the way.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Hop {
    /// Which device, from 1.
    pub number: u8,
    /// What came back.
    pub answer: StepAnswer,
    /// Who sent it; none where nobody said.
    pub by: Option<IpAddr>,
}

/// The way to one port.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct WayTo {
    /// The port.
    pub port: u16,
    /// The steps, up to the end.
    pub hops: Vec<Hop>,
}

/// What a neighbouring port of the same host did.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Neighbour {
    /// The port.
    pub port: u16,
    /// What it did.
    pub answer: Knocked,
    /// After how long.
    pub elapsed_us: Micros,
}

/// All that a network team needs to find it in its own logs.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct NetworkReport {
    /// The source address; as it leaves this machine, before anybody translates it.
    pub from: Option<IpAddr>,
    /// The interface by which it leaves.
    pub interface: Option<String>,
    /// The destination.
    pub to: IpAddr,
    /// Its port.
    pub port: u16,
    /// The protocol.
    pub protocol: String,
    /// The attempts.
    pub attempts: Vec<Attempted>,
    /// The ICMP message that refused it.
    pub icmp: Option<Icmp>,
    /// The last device that is known to have seen it: who refused it, or who last answered.
    pub device: Option<IpAddr>,
    /// The way to the port, and to its neighbour.
    pub ways: Vec<WayTo>,
    /// What the neighbouring port did.
    pub neighbour: Option<Neighbour>,
    /// What to look for in their log.
    pub look_for: String,
    /// What would prove the fix.
    pub proof: String,
    /// The command that does.
    #[serde(default)]
    pub proof_command: String,
}

/// The report, where a network team may have to act.
pub(super) fn report(
    view: &PathView<'_>,
    symptom: Option<Symptom>,
    causes: &[&'static Cause],
    occasion: &Occasion,
) -> Option<NetworkReport> {
    let Endpoint::Tcp(to) = view.endpoint else {
        return None;
    };
    let symptom = symptom?;
    let on_the_way = matches!(symptom.layer(), Layer::Port | Layer::Tls | Layer::Listener);
    let theirs = causes.iter().any(|c| c.owner == Some(Owner::Network));
    if chronaxis_model::reserved_ranges::is_here(to.ip()) || !on_the_way || !theirs {
        return None;
    }
    let (own, control) = (view.steps(), view.control_steps());
    let trail = Trail {
        to,
        // That this machine itself gave up is no message from the way.
        icmp: view.icmp().filter(|_| !view.gave_up()),
        own,
        control,
    };
    Some(NetworkReport {
        from: view.source(),
        interface: view.interface().map(str::to_owned),
        to: to.ip(),
        port: to.port(),
        protocol: "tcp".to_owned(),
        attempts: attempts(view, occasion),
        icmp: trail.icmp,
        device: view.next_silent().map(|s| s.device).or(trail.device()),
        ways: own.into_iter().chain(control).map(way_to).collect(),
        neighbour: neighbour(view, to),
        look_for: trail.look_for(view, symptom),
        proof: "After the fix, this command should succeed from the same machine.".to_owned(),
        proof_command: again(view.evidence),
    })
}

/// The steps up to the end: what lived longer met the same.
fn way_to(steps: &StepsTo) -> WayTo {
    let last = match (steps.end(), steps.last_device()) {
        _ if steps.passed_on.is_some() => steps.passed_on.unwrap_or(1),
        (Some((at, _)), _) => at,
        (None, Some((far, _))) => far.saturating_add(1),
        (None, None) => 1,
    };
    let hops = steps
        .steps
        .iter()
        .filter(|(number, ..)| *number <= last)
        .map(|(number, answer, by)| Hop {
            number: *number,
            answer: *answer,
            by: *by,
        });
    WayTo {
        port: steps.port,
        hops: hops.collect(),
    }
}

fn attempts(view: &PathView<'_>, occasion: &Occasion) -> Vec<Attempted> {
    let started: Option<Timestamp> = occasion.started.parse().ok();
    let at = |since: Micros| {
        let span = SignedDuration::from_micros(i64::try_from(since.0).unwrap_or(i64::MAX));
        let moment = started.and_then(|s| s.checked_add(span).ok());
        moment.map_or_else(String::new, |m| format!("{m:.3}"))
    };
    view.tried()
        .into_iter()
        .map(|(from, since, answer)| Attempted {
            from_port: from.port(),
            at: at(since),
            answer: answer.to_owned(),
        })
        .collect()
}

fn neighbour(view: &PathView<'_>, to: SocketAddr) -> Option<Neighbour> {
    let fits = |port: u16| port != to.port();
    let (port, answer, elapsed_us) = comparison(view.evidence, to.ip(), fits)?;
    Some(Neighbour {
        port,
        answer,
        elapsed_us,
    })
}

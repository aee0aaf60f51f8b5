//! The way of a path, device by device, as far as its steps show it.

use std::net::{IpAddr, SocketAddr};

use super::evidence::Evidence;
use crate::fact::{Fact, StepAnswer};

/// The steps to one port.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct StepsTo {
    /// The port.
    pub port: u16,
    /// For how many devices each lived, what came, and who sent it; by their number.
    pub steps: Vec<(u8, StepAnswer, Option<IpAddr>)>,
}

impl StepsTo {
    /// The last device that answered, and how far away it is.
    pub fn last_device(&self) -> Option<(u8, IpAddr)> {
        let devices = self
            .steps
            .iter()
            .filter_map(|(ttl, answer, by)| match answer {
                StepAnswer::Expired => Some((*ttl, (*by)?)),
                _ => None,
            });
        devices.max_by_key(|(ttl, _)| *ttl)
    }

    /// The least number of devices after which the end was met, and how.
    pub fn end(&self) -> Option<(u8, StepAnswer)> {
        let ends = self
            .steps
            .iter()
            .filter(|(_, answer, _)| !matches!(answer, StepAnswer::Expired | StepAnswer::Silent));
        let nearest = ends.min_by_key(|(ttl, ..)| *ttl)?;
        Some((nearest.0, nearest.1))
    }

    /// Whether the step before the end was answered, so that the distance is sure.
    pub fn end_is_sure(&self) -> bool {
        self.end().is_some_and(|(at, _)| {
            at == 1
                || self
                    .steps
                    .iter()
                    .any(|(ttl, answer, _)| *ttl == at - 1 && *answer == StepAnswer::Expired)
        })
    }
}

/// The steps to a port of a host. Where the way of another address of its network stands
/// for its own, that one's.
pub fn steps_to(evidence: Evidence<'_>, host: IpAddr, port: u16) -> Option<StepsTo> {
    let stands_for = evidence.facts().find_map(|(o, fact)| match fact {
        Fact::PathLike { address } if o.about.address == Some(host) => Some(*address),
        _ => None,
    });
    let of = stands_for.unwrap_or(host);
    let mut steps: Vec<(u8, StepAnswer, Option<IpAddr>)> = evidence
        .facts()
        .filter_map(|(o, fact)| match fact {
            Fact::PathStep {
                ttl,
                answer,
                by,
                least: None,
                ..
            } if o.about.address == Some(of) && o.about.port == Some(port) => {
                Some((*ttl, *answer, *by))
            }
            _ => None,
        })
        .collect();
    // One that was missing may have come when it was asked for again.
    steps.sort_by_key(|(ttl, answer, _)| (*ttl, *answer == StepAnswer::Silent));
    steps.dedup_by_key(|(ttl, ..)| *ttl);
    (!steps.is_empty()).then_some(StepsTo { port, steps })
}

/// The control port of a host to which steps were made.
pub fn control_steps(evidence: Evidence<'_>, to: SocketAddr) -> Option<StepsTo> {
    let mut ports: Vec<u16> = evidence
        .facts()
        .filter_map(|(o, fact)| match fact {
            Fact::ControlPort { .. } if o.about.address == Some(to.ip()) => {
                o.about.port.filter(|port| *port != to.port())
            }
            _ => None,
        })
        .collect();
    ports.sort_unstable();
    let mut ways = ports
        .into_iter()
        .filter_map(|p| steps_to(evidence, to.ip(), p));
    ways.next()
}

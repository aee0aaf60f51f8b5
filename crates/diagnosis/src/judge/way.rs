//! The way of a path, device by device, as far as its steps show it.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{Fact, Knocked, StepAnswer};
use chronaxis_model::layer::Micros;

use super::evidence::Evidence;

/// The steps to one port.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct StepsTo {
    /// The port.
    pub port: u16,
    /// For how many devices each lived, what came, and who sent it; by their number.
    pub steps: Vec<(u8, StepAnswer, Option<IpAddr>)>,
    /// Those that were asked for twice, and not answered.
    pub silent_twice: Vec<u8>,
    /// The first device that says in the host's own name that a packet ended at it: it
    /// changes the address, and so passes the port on (RFC 3022). No host says that of what
    /// comes to itself.
    pub passed_on: Option<u8>,
}

impl StepsTo {
    /// The last device that answered, and how far away it is.
    pub fn last_device(&self) -> Option<(u8, IpAddr)> {
        let devices = self
            .steps
            .iter()
            .filter_map(|(ttl, answer, by)| match answer {
                StepAnswer::Expired if self.passed_on.is_none_or(|n| *ttl < n) => {
                    Some((*ttl, (*by)?))
                }
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
                || self.steps.iter().any(|(ttl, answer, _)| {
                    *ttl == at.saturating_sub(1) && *answer == StepAnswer::Expired
                })
        })
    }
}

/// The last device that is known to lie on the way to a silent port: of the way to its
/// neighbour where that ended in silence too, and an answer for the port itself may only
/// have been one too many for the device.
pub fn last_seen(own: &StepsTo, control: Option<&StepsTo>) -> Option<(u8, IpAddr)> {
    let last = own.last_device();
    let behind = last.map_or(1, |(far, _)| far.saturating_add(1));
    let farther = control
        .filter(|c| c.end().is_none() && own.end().is_none())
        .and_then(StepsTo::last_device)
        .filter(|(far, _)| *far >= behind && !own.silent_twice.contains(&behind));
    farther.or(last)
}

/// The steps to a port of a host. Where the way to that port of another address of its
/// network stands for its own, that one's.
pub fn steps_to(evidence: Evidence<'_>, host: IpAddr, port: u16) -> Option<StepsTo> {
    let stands_for = evidence.facts().find_map(|(o, fact)| match fact {
        Fact::PathLike { address }
            if o.about.address == Some(host) && o.about.port == Some(port) =>
        {
            Some(*address)
        }
        _ => None,
    });
    let of = stands_for.unwrap_or(host);
    let source = evidence.facts().find_map(|(o, fact)| match fact {
        Fact::RouteFound { source, .. } if o.about.address == Some(host) => Some(*source),
        _ => None,
    });
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
                // What this machine says of itself is no answer from the way.
                match (*answer, *by) {
                    (StepAnswer::Unreachable, Some(ip)) if Some(ip) == source => {
                        Some((*ttl, StepAnswer::Silent, None))
                    }
                    said => Some((*ttl, said.0, said.1)),
                }
            }
            _ => None,
        })
        .collect();
    // One that was missing may have come when it was asked for again.
    steps.sort_unstable();
    let twice = |pair: &[(u8, StepAnswer, Option<IpAddr>)]| match pair {
        [(a, StepAnswer::Silent, _), (b, StepAnswer::Silent, _)] if a == b => Some(*a),
        _ => None,
    };
    let silent_twice = steps.windows(2).filter_map(twice).collect();
    steps.dedup_by_key(|(ttl, ..)| *ttl);
    let passed_on = steps.iter().find_map(|(ttl, answer, by)| {
        (*answer == StepAnswer::Expired && *by == Some(of)).then_some(*ttl)
    });
    (!steps.is_empty()).then_some(StepsTo {
        port,
        steps,
        silent_twice,
        passed_on,
    })
}

/// What another port of a host did, of those that fit: one that answered, before one that
/// was silent, before one of which a device said that it cannot be reached.
pub fn comparison(
    evidence: Evidence<'_>,
    host: IpAddr,
    fits: impl Fn(u16) -> bool,
) -> Option<(u16, Knocked, Micros)> {
    let rank = |answer: Knocked| match answer {
        Knocked::Connected | Knocked::Refused => 0,
        Knocked::Silent => 1,
        Knocked::Unreachable => 2,
    };
    let knocks = evidence.facts().filter_map(|(o, fact)| match fact {
        Fact::ControlPort { answer, elapsed_us } if o.about.address == Some(host) => {
            let port = o.about.port.filter(|p| fits(*p))?;
            Some((port, *answer, *elapsed_us))
        }
        _ => None,
    });
    knocks.min_by_key(|(port, answer, _)| (rank(*answer), *port))
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

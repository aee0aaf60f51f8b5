//! Which of a project's connections a message speaks of.

use chronaxis_diagnosis::judge::Again;
use chronaxis_messages::failures::Failure as Failed;
use chronaxis_messages::target::of;
use chronaxis_model::target::{End, Target};

use crate::args::Diagnose;
use crate::error::Failure;
use crate::way_in::typed::Typed;
use crate::way_in::{self, Wanted};

/// The connections of a project.
pub(super) fn connections(path: &Typed) -> Result<Vec<Wanted>, Failure> {
    way_in::targets(&Diagnose::of(path.clone()))
}

/// The one that a failure speaks of: nothing in the text contradicts it, and it fits better
/// than any other.
pub(super) fn one<'a>(
    all: &'a [Wanted],
    failed: &Failed,
) -> Option<(&'a Target, Option<&'a Again>)> {
    let told = of(failed);
    let engine_told = failed.parts.engine.is_some() || failed.parts.port.is_some();
    let mut fits: Vec<(u32, &Wanted)> = all
        .iter()
        .filter_map(|wanted| Some((fit(&wanted.target, &told, engine_told)?, wanted)))
        .collect();
    fits.sort_by_key(|(points, _)| std::cmp::Reverse(*points));
    let (best, wanted) = fits.first()?;
    let alone = fits.get(1).is_none_or(|(second, _)| second < best);
    alone.then_some((&wanted.target, wanted.again.as_ref()))
}

/// How well a connection fits what the text tells; none where something contradicts it.
fn fit(known: &Target, told: &Target, engine_told: bool) -> Option<u32> {
    let mut points = 0;
    if engine_told && told.engine.as_str() != "tcp" {
        (known.engine == told.engine).then_some(())?;
        points += 1;
    }
    if known.client == told.client {
        points += 1;
    }
    for (own, other) in [(&known.user, &told.user), (&known.database, &told.database)] {
        if let (Some(own), Some(other)) = (own, other) {
            (own == other).then_some(())?;
            points += 3;
        }
    }
    if let Some(end) = told.ends.first() {
        let same = known.ends.iter().map(|own| same_end(own, end)).max();
        points += same.flatten()?;
    }
    Some(points)
}

/// How well two ends fit: a name may stand for the address in the message.
fn same_end(own: &End, told: &End) -> Option<u32> {
    match (own, told) {
        (End::Socket { socket: own }, End::Socket { socket: told }) => {
            let same = told.starts_with(own.as_str()) || own.starts_with(told.as_str());
            same.then_some(4)
        }
        (
            End::Host { host, port, .. },
            End::Host {
                host: other,
                port: other_port,
                address,
            },
        ) => {
            (port == other_port).then_some(())?;
            let literal = |host: &str| host.parse::<std::net::IpAddr>().is_ok();
            match host.eq_ignore_ascii_case(other) {
                true => Some(6),
                // An address may be the one of a name, a name that of an address.
                false if literal(host) != literal(other) => Some(1),
                false if address.is_some_and(|ip| ip.to_string() == *host) => Some(6),
                false => None,
            }
        }
        _ => None,
    }
}

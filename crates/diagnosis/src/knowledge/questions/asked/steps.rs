//! Questions about the way device by device, and about what this machine does itself.

use std::net::SocketAddr;

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, FilterDecision, Held, Listening, StepAnswer};
use chronaxis_model::layer::Layer;

use super::super::{Answer, answers};
use super::answer;
use crate::judge::way::{StepsTo, last_seen};
use crate::judge::{PathView, Symptom};

fn place(view: &PathView<'_>) -> Option<SocketAddr> {
    match &view.endpoint {
        Endpoint::Tcp(to) => Some(*to),
        Endpoint::Socket(_) => None,
    }
}

/// Where packets to the port end, against those to the control port.
pub(in crate::knowledge::questions) fn path_end(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::PortSilent {
        return None;
    }
    let own = view.steps().filter(|own| own.passed_on.is_none())?;
    let control = view.control_steps();
    let last = last_seen(own, control);
    let Some(control) = control else {
        let (far, by) = last?;
        return answer(
            answers::PathEnd::BothShort,
            format!("the last router that answers is {by}, hop {far}"),
        );
    };
    let port = control.port;
    let far = last.map_or(0, |(far, _)| far);
    // One missing answer may only have been one too many for the device.
    let sure = own.silent_twice.contains(&far.saturating_add(1));
    let until = match last {
        Some((far, by)) => {
            format!("for this port the last answer comes from {by}, hop {far}")
        }
        None => "no router answers for this port".to_owned(),
    };
    match (last, control.end(), control.last_device()) {
        (None, None, None) => answer(
            answers::PathEnd::Nowhere,
            "no router on the way answers for either port",
        ),
        (_, _, Some((farther, other))) if farther > far => match sure {
            true => answer(
                answers::PathEnd::Short,
                format!("{until}; for port {port} from {other}, hop {farther}"),
            ),
            false => None,
        },
        (_, Some((at, _)), _) if at > far.saturating_add(1) => match sure {
            true => answer(
                answers::PathEnd::Short,
                format!("{until}; packets to port {port} reach the host after {at} hops"),
            ),
            false => None,
        },
        (Some((far, by)), Some(_), _) => answer(
            answers::PathEnd::HostEnd,
            format!(
                "{by}, hop {far}, is the last router before the host; it or the host drops the packets"
            ),
        ),
        (Some((far, by)), None, _) => answer(
            answers::PathEnd::BothShort,
            format!("for both ports {by}, hop {far}, is the last router that answers"),
        ),
        (None, ..) => None,
    }
}

/// Whether a device on the way passes the port on to another machine, where the steps tell.
pub(in crate::knowledge::questions) fn passed_on(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom.layer() != Layer::Port {
        return None;
    }
    let to = place(view)?;
    let own = view.steps()?;
    match own.passed_on {
        Some(number) => answer(
            answers::PassedOn::PassedOn,
            format!(
                "hop {number} answers as {}: it forwards this port to another machine",
                to.ip()
            ),
        ),
        None => {
            own.last_device()?;
            answer(
                answers::PassedOn::Direct,
                "no router on the way is seen to forward the port",
            )
        }
    }
}

/// How far away the refusal is made, against the host.
pub(in crate::knowledge::questions) fn refusal_distance(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::PortRefused {
        return None;
    }
    let to = place(view)?;
    let own = view.steps()?;
    let (at, _) = own.end().filter(|(_, a)| *a == StepAnswer::Refused)?;
    if at == 1 && view.gateway().is_some() {
        // The gateway may own the address: only where another port of it lies farther away
        // is the refusal this machine's own.
        let control = view.control_steps()?;
        let beyond = control.last_device().is_some()
            || control.end().is_some_and(|(distance, _)| distance > 1);
        if beyond {
            return answer(
                answers::RefusalDistance::OwnMachine,
                "the refusal comes from before the first router: from this machine itself",
            );
        }
        if control.end().is_none_or(|(_, a)| a == StepAnswer::Refused) {
            return None;
        }
    }
    // A machine that the port is passed on to may stand anywhere.
    if own.passed_on.is_some() {
        return None;
    }
    let control = view.control_steps()?;
    let (host_at, _) = control.end().filter(|_| control.end_is_sure())?;
    let port = control.port;
    if at < host_at {
        let by = device_at(own, at).or_else(|| device_at(control, at));
        let by = by.map_or_else(String::new, |ip| format!(", at {ip}"));
        return answer(
            answers::RefusalDistance::Nearer,
            format!(
                "the refusal comes from {at} hops away{by}; for port {port} the host is {host_at} hops away"
            ),
        );
    }
    match (heard(view, to), heard(view, (to.ip(), port).into())) {
        (Some(true), Some(false)) => answer(
            answers::RefusalDistance::Nearer,
            format!(
                "the refusal comes from one hop nearer than for port {port}: the last router before the host answers in its name"
            ),
        ),
        _ => answer(
            answers::RefusalDistance::Same,
            format!("the refusal comes from the same distance as the host itself (port {port})"),
        ),
    }
}

fn device_at(steps: &StepsTo, number: u8) -> Option<std::net::IpAddr> {
    steps.steps.iter().find_map(|(ttl, _, by)| match by {
        Some(ip) if *ttl == number => Some(*ip),
        _ => None,
    })
}

/// Whether a refusal was heard where only nearer ones are.
fn heard(view: &PathView<'_>, to: SocketAddr) -> Option<bool> {
    view.evidence.facts().find_map(|(o, fact)| match fact {
        Fact::PathStep {
            least: Some(_),
            answer,
            ..
        } if o.about.address == Some(to.ip()) && o.about.port == Some(to.port()) => {
            Some(*answer == StepAnswer::Refused)
        }
        _ => None,
    })
}

/// Whether this machine itself stops it.
pub(in crate::knowledge::questions) fn own_filter(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if !matches!(symptom.layer(), Layer::Port | Layer::Route) {
        return None;
    }
    let nothing = || {
        answer(
            answers::OwnFilter::Nothing,
            "nothing on this machine was seen to block it",
        )
    };
    let rule = view.find(|fact| match fact {
        Fact::OwnFilter {
            decision: FilterDecision::Dropped | FilterDecision::Rejected,
            answers,
            rule,
        } => Some((*answers, rule.as_ref().map_or("", |r| r.as_str()))),
        _ => None,
    });
    if let Some((answers, rule)) = rule {
        let of = if answers { ", for the answers" } else { "" };
        return answer(
            answers::OwnFilter::Blocks,
            format!("this machine's firewall{of}: {rule}"),
        );
    }
    let by_itself = view.icmp().is_some_and(|icmp| view.is_own(icmp));
    // That a neighbour does not answer is told by this machine, too.
    if by_itself && !view.gave_up() {
        return answer(
            answers::OwnFilter::Blocks,
            "this machine itself sends the refusal, before anything leaves it",
        );
    }
    let at_home =
        refusal_distance(view, symptom).is_some_and(|a| a.is(answers::RefusalDistance::OwnMachine));
    if at_home {
        return answer(
            answers::OwnFilter::Blocks,
            "the refusal comes from before the first router: from this machine itself",
        );
    }
    let counted = view.find(|fact| match fact {
        Fact::OwnSendFailures { counted } => Some(*counted),
        _ => None,
    });
    match counted {
        Some(n) if n > 0 && symptom == Symptom::PortSilent => answer(
            answers::OwnFilter::Counted,
            "during the silence, this system counted packets that it could not send",
        ),
        _ => nothing(),
    }
}

pub(in crate::knowledge::questions) fn open_connections(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::PortSilent {
        return None;
    }
    let (count, program, since) = view.find(|fact| match fact {
        Fact::ConnectionsOpen {
            count,
            program,
            since,
        } => Some((*count, program, since)),
        _ => None,
    })?;
    if count == 0 {
        return answer(
            answers::OpenConnections::None,
            "this machine has no open connection to that address",
        );
    }
    let connections = match count {
        1 => "1 connection".to_owned(),
        n => format!("{n} connections"),
    };
    let held = match (program, since) {
        (Some(program), Some(at)) => format!("{program}, running since {at}, holds {connections}"),
        (Some(program), None) => format!("{program} holds {connections}"),
        (None, _) => format!("this machine holds {connections}"),
    };
    answer(
        answers::OpenConnections::Some,
        format!("{held} to there; new ones get no answer"),
    )
}

pub(in crate::knowledge::questions) fn small_segments(
    view: &PathView<'_>,
    _: Symptom,
) -> Option<Answer> {
    let (segment, answered) = view.find(|fact| match fact {
        Fact::SmallSegments { segment, answered } => Some((*segment, *answered)),
        _ => None,
    })?;
    match answered {
        true => answer(
            answers::SmallSegments::Answered,
            format!("with segments of at most {segment} bytes the same connection continues"),
        ),
        false => answer(
            answers::SmallSegments::Stalls,
            format!("with segments of at most {segment} bytes it stalls too"),
        ),
    }
}

/// What listens on this machine, where the target is on it.
fn here<'a>(view: &PathView<'a>) -> Option<Vec<&'a Listening>> {
    let to = place(view)?;
    if !chronaxis_model::reserved_ranges::is_here(to.ip()) && view.source() != Some(to.ip()) {
        return None;
    }
    let looked = |fact: &Fact| matches!(fact, Fact::LocalListener { .. } | Fact::ListenerHere(_));
    view.find(|fact| looked(fact).then_some(()))?;
    Some(view.all(|fact| match fact {
        Fact::ListenerHere(listening) => Some(listening),
        _ => None,
    }))
}

fn named(listening: &Listening) -> String {
    match &listening.program {
        Some(program) => format!("{program} listens"),
        None => "a program listens".to_owned(),
    }
}

pub(in crate::knowledge::questions) fn listens_elsewhere(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::PortRefused {
        return None;
    }
    let to = place(view)?;
    let all = here(view)?;
    let on_port = all
        .iter()
        .find(|l| l.on.is_some_and(|on| on.port() == to.port()));
    if let Some(one) = on_port {
        let on = one.on?;
        let word =
            match on.ip().is_loopback() && !chronaxis_model::reserved_ranges::is_here(to.ip()) {
                true => answers::ListensElsewhere::LoopbackOnly,
                false => answers::ListensElsewhere::AnotherAddress,
            };
        return answer(word, format!("{} on {on}, and not on {to}", named(one)));
    }
    // Whose port it is must be known: another one's usual port proves nothing.
    let known = all.iter().find(|l| l.on.is_some() && l.program.is_some());
    if let Some(one) = known {
        let on = one.on?;
        let ports: std::collections::BTreeSet<u16> = all
            .iter()
            .filter(|l| l.program.is_some())
            .filter_map(|l| Some(l.on?.port()))
            .collect();
        if ports.len() > 1 {
            // Each has a port of its own: the one meant may be another that is down.
            let ports: Vec<String> = ports.iter().map(u16::to_string).collect();
            return answer(
                answers::ListensElsewhere::OtherInstances,
                format!(
                    "other servers of this engine are listening here, on ports {}",
                    ports.join(", ")
                ),
            );
        }
        return answer(
            answers::ListensElsewhere::AnotherPort,
            format!("{} on {on}", named(one)),
        );
    }
    // Somebody holds a port that is usual for the engine, and was not asked who it is.
    let asked = |port: u16| {
        let mut facts = view.evidence.facts();
        facts.any(|(o, fact)| {
            o.about.port == Some(port) && matches!(fact, Fact::EngineElsewhere { .. })
        })
    };
    let speaks = view
        .evidence
        .facts()
        .any(|(_, fact)| matches!(fact, Fact::EngineElsewhere { speaks: true }));
    let mut held = all.iter().filter_map(|l| l.on);
    if speaks || held.any(|on| !asked(on.port())) {
        return None;
    }
    if let Some(path) = all.iter().find_map(|l| l.socket.as_ref()) {
        let path = chronaxis_model::redact::visible(path);
        return answer(
            answers::ListensElsewhere::SocketOnly,
            format!("the server has a socket file, {path}, but no port"),
        );
    }
    answer(
        answers::ListensElsewhere::Nowhere,
        "no server of this engine is seen listening on this machine",
    )
}

pub(in crate::knowledge::questions) fn tunnel(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let nothing = || answer(answers::TunnelSay::Nothing, "no sign of a tunnel");
    let Some(to) = place(view) else {
        return nothing();
    };
    let told = view.find(|fact| match fact {
        Fact::TunnelTold(tunnel) => Some(tunnel),
        _ => None,
    });
    let holder = view
        .all(|fact| match fact {
            Fact::ListenerHere(l) => Some(l),
            _ => None,
        })
        .into_iter()
        .find(|l| {
            l.on.is_some_and(|on| {
                on.port() == to.port() && (on.ip() == to.ip() || on.ip().is_unspecified())
            })
        });
    let refused = symptom == Symptom::PortRefused;
    match (told, holder) {
        (Some(tunnel), None) if refused => answer(
            answers::TunnelSay::Told,
            format!(
                "{} mentions a tunnel from port {} to {}, but nothing is listening on the port",
                tunnel.told_by, tunnel.port, tunnel.to
            ),
        ),
        (Some(tunnel), Some(own)) if own.held == Held::Server => answer(
            answers::TunnelSay::Shadowed,
            format!(
                "{} mentions a tunnel from port {} to {}, but {} there instead",
                tunnel.told_by,
                tunnel.port,
                tunnel.to,
                named(own)
            ),
        ),
        (_, Some(own)) if own.held == Held::Forwarder => {
            let program = own.program.as_ref().map_or("", |p| p.as_str());
            let leads = told.map_or_else(String::new, |t| format!(", which leads to {}", t.to));
            answer(
                answers::TunnelSay::Held,
                format!("{program} holds the port{leads}"),
            )
        }
        _ => nothing(),
    }
}

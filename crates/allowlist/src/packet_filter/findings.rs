//! What else stands in a packet filter, and what is in the way of a request that it stops.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};

use chronaxis_model::found::{CauseId, Warning};

use super::decide::decide;
use super::hidden::Hidden;
use super::{Filter, Hook, Key, Purpose, Rule, Step, Values, Verdict, Wanted};
use crate::answer::{Answer, Barrier, Decision};
use crate::attempt::Attempt;
use crate::own::findings::Finding;

/// Whether a rule always fits.
fn is_unconditional(rule: &Rule) -> bool {
    !rule
        .steps
        .iter()
        .any(|s| matches!(s, Step::Test(_) | Step::VerdictMap { .. }))
}

fn verdict(rule: &Rule) -> Option<&Verdict> {
    rule.steps.iter().find_map(|step| match step {
        Step::Verdict(verdict) => Some(verdict),
        _ => None,
    })
}

/// Whether a rule is for everybody: it tells no address, device, connection or anything else
/// but ports. Says for which ports; none where it tells none.
fn for_everybody(rule: &Rule) -> Option<Option<&Values>> {
    let mut ports = None;
    for step in &rule.steps {
        let test = match step {
            Step::Test(test) => test,
            Step::VerdictMap { .. } => return None,
            _ => continue,
        };
        for operand in &test.key {
            match operand.key {
                Key::DestinationPort if test.wanted == Wanted::These => ports = Some(&test.values),
                Key::Protocol { .. } | Key::SystemFamily | Key::Frame | Key::Flags => {}
                Key::State => match &test.values {
                    Values::AnyBit(bits) if bits & 8 != 0 => {}
                    _ => return None,
                },
                _ => return None,
            }
        }
    }
    Some(ports)
}

/// The family that a rule is for, where it is for one: whether that is IPv6.
fn family(rule: &Rule) -> Option<bool> {
    rule.steps.iter().find_map(|step| {
        let Step::Test(test) = step else { return None };
        let one = match &test.values {
            Values::Ranges(ranges) if test.wanted == Wanted::These => match ranges.as_slice() {
                [(from, to)] if from == to => Some(*from),
                _ => None,
            },
            _ => None,
        };
        test.key.iter().find_map(|operand| match operand.key {
            Key::Protocol { v6 } => v6,
            Key::SystemFamily => one.map(|family| family == 10),
            Key::Frame => one.map(|carried| carried == 0x86dd),
            _ => None,
        })
    })
}

/// Whether a rule lets everybody of this family reach this port.
pub(super) fn opens_to(rule: &Rule, v6: bool, port: u16) -> bool {
    opens(rule, Some(port)) && family(rule).is_none_or(|own| own == v6)
}

/// Whether a rule lets everybody reach some port, or this one: it accepts, and tells nothing
/// but ports.
fn opens(rule: &Rule, port: Option<u16>) -> bool {
    let fits = match (for_everybody(rule), port) {
        (Some(Some(Values::Ranges(ranges))), Some(port)) => {
            let port = u128::from(port);
            ranges
                .iter()
                .any(|(from, to)| (*from..=*to).contains(&port))
        }
        (Some(Some(_)), None) => true,
        _ => false,
    };
    fits && verdict(rule) == Some(&Verdict::Accept)
}

/// Chains through which everybody's requests come: those that the system asks, and those to
/// which a rule for everybody leads.
pub(super) fn of_everybody(filter: &Filter) -> Vec<bool> {
    let mut reached: Vec<bool> = filter
        .chains
        .iter()
        .map(|chain| {
            chain.base.is_some_and(|b| {
                b.purpose == Purpose::Filter && matches!(b.hook, Hook::Input | Hook::Forward)
            })
        })
        .collect();
    let mut left: Vec<usize> = (0..reached.len())
        .filter(|i| reached.get(*i) == Some(&true))
        .collect();
    while let Some(index) = left.pop() {
        let rules = filter.chains.get(index).map_or(&[][..], |c| &c.rules);
        for rule in rules.iter().filter(|r| for_everybody(r).is_some()) {
            if let Some(Verdict::Jump(to) | Verdict::Goto(to)) = verdict(rule)
                && let Some(flag) = reached.get_mut(*to).filter(|flag| !**flag)
            {
                *flag = true;
                left.push(*to);
            }
        }
    }
    reached
}

/// Somebody else's addresses, of the documentation (RFC 5737; RFC 3849).
const STRANGERS: [IpAddr; 2] = [
    IpAddr::V4(Ipv4Addr::new(192, 0, 2, 254)),
    IpAddr::V6(Ipv6Addr::new(0x2001, 0xdb8, 0xffff, 0, 0, 0, 0, 0xfe)),
];

/// Most rules of which it is tried whether everybody gets in by them.
const MOST_OPEN: usize = 100;

/// Whether a stranger does get in by a rule: others before it may have stopped him.
fn lets_strangers_in(filter: &Filter, rule: &Rule, attempt: &Attempt) -> bool {
    let Some(Some(Values::Ranges(ports))) = for_everybody(rule) else {
        return true;
    };
    let port = ports.iter().find_map(|(from, _)| u16::try_from(*from).ok());
    let Some(port) = port else {
        return false;
    };
    let strangers = STRANGERS
        .into_iter()
        .filter(|s| s.is_ipv6() == attempt.to.is_ipv6());
    strangers.into_iter().all(|client| {
        let stranger = Attempt {
            client,
            to: SocketAddr::new(attempt.to.ip(), port),
            ..attempt.clone()
        };
        decide(filter, &stranger, false).answer != Answer::Denied
    })
}

/// Everything that is found, in the order of the rules.
pub fn findings(filter: &Filter, attempt: &Attempt) -> Vec<Finding> {
    let mut out = Vec::new();
    let everybody = of_everybody(filter);
    let mut tried = 0;
    for (chain, inbound) in filter.chains.iter().zip(everybody) {
        let mut hidden = Hidden::default();
        let mut over: Option<&Rule> = None;
        for rule in &chain.rules {
            if let Some(by) = over {
                let text = format!(
                    "this rule never counts: \"{}\" before it decides for every packet",
                    by.text
                );
                let found = Finding::cause(CauseId::AllowListRuleOff, text, rule.spot.clone());
                out.push(found);
                continue;
            }
            if inbound && tried < MOST_OPEN && opens(rule, None) {
                tried += 1;
                if lets_strangers_in(filter, rule, attempt) {
                    let text = "this rule lets the whole world reach a port".to_owned();
                    let spot = rule.spot.clone();
                    out.push(Finding::warning(Warning::AllowListOpenToAll, text, spot));
                }
            }
            let ends = verdict(rule)
                .filter(|v| matches!(v, Verdict::Accept | Verdict::Drop | Verdict::Reject));
            if ends.is_some() && is_unconditional(rule) {
                over = Some(rule);
            }
            out.extend(ends.and_then(|_| hidden.next(rule)));
        }
    }
    out
}

/// What stands in the way of a request that is stopped.
pub(super) fn barrier(filter: &Filter, attempt: &Attempt, decision: &mut Decision) -> Barrier {
    // A rule that would let the request through and stands behind the one that stops it.
    if let Some(by) = &decision.rule {
        let chain = filter.chains.iter().find_map(|chain| {
            let at = chain
                .rules
                .iter()
                .position(|r| Some(&r.spot) == by.spot.as_ref())?;
            Some((chain, at))
        });
        if let Some((chain, at)) = chain {
            let mut without = filter.clone();
            if let Some(own) = without.chains.iter_mut().find(|c| c.spot == chain.spot) {
                own.rules.drain(at..=at);
            }
            let then = match chain.rules.len() <= MOST_TRIED {
                true => decide_request(&without, attempt),
                false => None,
            };
            if let Some(rule) = then {
                let text = format!("\"{}\" would let it through, but it comes later", rule.text);
                decision.remarks.push((text, rule.spot));
                return Barrier::RuleOff;
            }
        }
    }
    match other_port(filter, attempt) {
        Some(rule) => {
            let text = format!(
                "\"{}\" lets {} reach another port",
                rule.text, attempt.client
            );
            decision.remarks.push((text, Some(rule.spot.clone())));
            Barrier::OtherPort
        }
        None => Barrier::NotCovered,
    }
}

/// In longer chains it is not tried what would be without a rule.
const MOST_TRIED: usize = 5_000;

/// The rule by which a request gets through, where it does by one.
fn decide_request(filter: &Filter, attempt: &Attempt) -> Option<crate::answer::Rule> {
    let decision = decide(filter, attempt, false);
    match decision.answer {
        Answer::Allowed => decision.rule,
        _ => None,
    }
}

/// A rule that names the client and is for another port.
fn other_port<'a>(filter: &'a Filter, attempt: &Attempt) -> Option<&'a Rule> {
    let rules = filter.chains.iter().flat_map(|c| &c.rules);
    let mut fitting = rules.filter(|rule| {
        let names = |test: &super::Test| {
            let source = matches!(
                test.key.first().map(|o| &o.key),
                Some(Key::Source { v6 }) if *v6 == attempt.client.is_ipv6()
            );
            let at = crate::block::bits(attempt.client).1;
            let has = matches!(&test.values, Values::Ranges(ranges)
                if ranges.iter().any(|(from, to)| (*from..=*to).contains(&at)));
            source && has && test.wanted == Wanted::These && test.key.len() == 1
        };
        let port = |test: &super::Test| {
            matches!(test.key.first().map(|o| &o.key), Some(Key::DestinationPort))
                && test.wanted == Wanted::These
        };
        let tests = || {
            rule.steps.iter().filter_map(|s| match s {
                Step::Test(test) => Some(test),
                _ => None,
            })
        };
        verdict(rule) == Some(&Verdict::Accept) && tests().any(names) && tests().any(port)
    });
    fitting.next()
}

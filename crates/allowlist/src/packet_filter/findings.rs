//! What else stands in a packet filter, and what is in the way of a request that it stops.

use std::collections::BTreeMap;

use chronaxis_model::found::{CauseId, Warning};

use super::decide::decide;
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

/// Whether a rule lets everybody reach some port: it accepts, tells ports, and no address,
/// device, connection or anything else.
fn opens(rule: &Rule) -> bool {
    let tests = rule.steps.iter().filter_map(|step| match step {
        Step::Test(test) => Some(test),
        _ => None,
    });
    let (mut port, mut only) = (false, true);
    for test in tests {
        for operand in &test.key {
            match operand.key {
                Key::DestinationPort if test.wanted == Wanted::These => port = true,
                Key::Protocol { .. } | Key::SystemFamily | Key::Frame | Key::Flags => {}
                Key::State => {
                    let new = matches!(&test.values, Values::AnyBit(bits) if bits & 8 != 0);
                    only &= new;
                }
                _ => only = false,
            }
        }
    }
    port && only && verdict(rule) == Some(&Verdict::Accept)
}

/// Everything that is found, in the order of the rules.
pub fn findings(filter: &Filter) -> Vec<Finding> {
    let mut out = Vec::new();
    for chain in &filter.chains {
        let inbound = chain.base.is_some_and(|b| {
            b.purpose == Purpose::Filter && matches!(b.hook, Hook::Input | Hook::Forward)
        });
        let mut seen: BTreeMap<String, &Rule> = BTreeMap::new();
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
            if inbound && opens(rule) {
                let text = "this rule lets the whole world reach a port".to_owned();
                let spot = rule.spot.clone();
                out.push(Finding::warning(Warning::AllowListOpenToAll, text, spot));
            }
            let ends = matches!(
                verdict(rule),
                Some(Verdict::Accept | Verdict::Drop | Verdict::Reject)
            );
            if ends && is_unconditional(rule) {
                over = Some(rule);
            }
            let key = format!("{:?}", rule.steps);
            if ends && let Some(by) = seen.get(&key) {
                let text = format!("this rule says the same as \"{}\" before it", by.text);
                let found = Finding::warning(Warning::RuleDuplicate, text, rule.spot.clone());
                out.push(found);
            }
            seen.entry(key).or_insert(rule);
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

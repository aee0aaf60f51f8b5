//! One packet through one chain: how it can end there.

use std::collections::BTreeSet;

use super::packet::{Packet, state};
use super::test::{Fits, fits, row};
use super::{Filter, Mark, MarkValue, Redirect, Rule, Step, Verdict};
use crate::answer;

/// Most jumps from chain to chain: nftables itself allows no more.
const MOST_JUMPS: usize = 16;

/// Most rules that are asked for the packets of one attempt: chains that lead to each other
/// again and again, which the system itself refuses, must end here too.
pub(super) fn most_rules(filter: &Filter) -> usize {
    let rules: usize = filter.chains.iter().map(|c| c.rules.len()).sum();
    rules.saturating_mul(16).saturating_add(10_000)
}

/// How a packet can end in a chain: one way, where everything is known; else several.
#[derive(Clone, Debug, Default)]
pub(super) struct Ends {
    /// It may pass, by this rule.
    pub(super) passes: Option<answer::Rule>,
    /// It may be thrown away, by this rule.
    pub(super) denies: Option<answer::Rule>,
    /// It may come to the end of the chain.
    pub(super) falls: bool,
    /// The first rule of which that depends on something unknown, and on what.
    pub(super) doubt: Option<(answer::Rule, String)>,
}

impl Ends {
    fn doubt(&mut self, rule: &Rule, why: String) {
        self.doubt.get_or_insert_with(|| (rule.shown(), why));
    }

    /// Takes over how it can end in a chain that was asked in between.
    fn add(&mut self, other: Ends) {
        self.passes = self.passes.take().or(other.passes);
        self.denies = self.denies.take().or(other.denies);
        self.doubt = self.doubt.take().or(other.doubt);
    }
}

/// A walk through chains, with what is kept of rules that did not fit.
pub(super) struct Walk<'a> {
    pub(super) filter: &'a Filter,
    /// Each rule that did not fit, once.
    pub(super) passed: Option<Vec<answer::Passed>>,
    /// Where those stand that are kept already.
    pub(super) seen: BTreeSet<usize>,
    /// How many more rules are asked.
    pub(super) left: usize,
}

/// How the next rule is asked.
enum Then {
    Goes,
    Ends,
}

impl Walk<'_> {
    pub(super) fn chain(&mut self, chain: usize, packet: &mut Packet, depth: usize) -> Ends {
        let mut ends = Ends::default();
        let filter = self.filter;
        let Some(chain) = filter.chains.get(chain).filter(|_| depth <= MOST_JUMPS) else {
            ends.falls = true;
            return ends;
        };
        let mut may_return = false;
        for rule in &chain.rules {
            let Some(left) = self.left.checked_sub(1) else {
                ends.doubt(rule, "its chains lead to each other without end".to_owned());
                ends.passes.get_or_insert_with(|| rule.shown());
                ends.denies.get_or_insert_with(|| rule.shown());
                return ends;
            };
            self.left = left;
            match self.rule(rule, packet, depth, &mut ends, &mut may_return) {
                Then::Goes => {}
                Then::Ends => {
                    ends.falls = may_return;
                    return ends;
                }
            }
        }
        ends.falls = true;
        ends
    }

    fn rule(
        &mut self,
        rule: &Rule,
        packet: &mut Packet,
        depth: usize,
        ends: &mut Ends,
        may_return: &mut bool,
    ) -> Then {
        let mut certain = true;
        for step in &rule.steps {
            match step {
                Step::Test(test) => match fits(test, packet) {
                    Fits::Yes => {}
                    Fits::No => {
                        self.pass(rule, packet);
                        return Then::Goes;
                    }
                    Fits::Maybe(why) => {
                        ends.doubt(rule, why);
                        certain = false;
                    }
                },
                Step::SetMark(mark) => set_mark(packet, mark, certain),
                Step::Redirect(to) => return redirect(packet, to, certain, rule, ends),
                Step::Untrack if certain => packet.state = state::UNTRACKED,
                Step::Untrack => packet.state |= state::UNTRACKED,
                Step::Verdict(verdict) => {
                    match self.verdict(verdict, certain, rule, packet, depth, ends, may_return) {
                        Some(then) => return then,
                        None => continue,
                    }
                }
                Step::VerdictMap {
                    key,
                    choices,
                    filled,
                } => {
                    if *filled {
                        let why = "it depends on a map that is filled while the machine runs";
                        ends.doubt(rule, why.to_owned());
                        certain = false;
                    }
                    let mut found = false;
                    for (items, verdict) in choices {
                        let fit = row(items, key, packet);
                        let sure = certain && fit == Fits::Yes;
                        match fit {
                            Fits::No => continue,
                            Fits::Yes => {}
                            Fits::Maybe(why) => ends.doubt(rule, why),
                        }
                        found = true;
                        let then =
                            self.verdict(verdict, sure, rule, packet, depth, ends, may_return);
                        if let Some(then) = then {
                            return then;
                        }
                        if sure {
                            break;
                        }
                    }
                    if !found && !*filled {
                        self.pass(rule, packet);
                        return Then::Goes;
                    }
                }
            }
        }
        Then::Goes
    }

    /// What a verdict does; none where the rule goes on.
    #[allow(
        clippy::too_many_arguments,
        reason = "all of it is the state of one walk"
    )]
    fn verdict(
        &mut self,
        verdict: &Verdict,
        certain: bool,
        rule: &Rule,
        packet: &mut Packet,
        depth: usize,
        ends: &mut Ends,
        may_return: &mut bool,
    ) -> Option<Then> {
        let over = |sure: bool| if sure { Some(Then::Ends) } else { None };
        match verdict {
            Verdict::Accept => {
                ends.passes.get_or_insert_with(|| rule.shown());
                over(certain)
            }
            Verdict::Drop | Verdict::Reject => {
                ends.denies.get_or_insert_with(|| rule.shown());
                over(certain)
            }
            Verdict::Return => {
                *may_return = true;
                over(certain)
            }
            Verdict::Continue => Some(Then::Goes).filter(|_| certain),
            Verdict::Elsewhere(what) => {
                ends.doubt(rule, format!("it depends on {what}"));
                ends.passes.get_or_insert_with(|| rule.shown());
                ends.denies.get_or_insert_with(|| rule.shown());
                over(certain)
            }
            Verdict::Jump(chain) | Verdict::Goto(chain) => {
                let mut inside = packet.clone();
                let inner = self.chain(*chain, &mut inside, depth + 1);
                let falls = inner.falls;
                ends.add(inner);
                match certain {
                    true => *packet = inside,
                    false => either(packet, inside),
                }
                let gone = matches!(verdict, Verdict::Goto(_));
                if gone && falls {
                    *may_return = true;
                }
                match (certain, falls && !gone) {
                    (true, true) => Some(Then::Goes),
                    (true, false) => Some(Then::Ends),
                    (false, _) => None,
                }
            }
        }
    }

    fn pass(&mut self, rule: &Rule, packet: &Packet) {
        let Some(passed) = &mut self.passed else {
            return;
        };
        if self.seen.insert(rule.spot.at.start) {
            passed.push(answer::Passed {
                rule: rule.shown(),
                why: format!("{} does not fit it", packet.title),
            });
        }
    }
}

/// The state after something that may have happened.
fn either(packet: &mut Packet, other: Packet) {
    if packet.mark != other.mark {
        packet.mark = None;
    }
    if packet.connection_mark != other.connection_mark {
        packet.connection_mark = None;
    }
    packet.state |= other.state;
    let moved = packet.destination != other.destination || packet.to != other.to;
    if packet.doubt.is_none() {
        packet.doubt = other.doubt;
    }
    packet.sent_on |= moved || other.sent_on;
}

fn set_mark(packet: &mut Packet, mark: &Mark, certain: bool) {
    let to = match mark.to {
        MarkValue::Unknown => None,
        MarkValue::Of { keep: 0, turn, .. } => Some(turn),
        MarkValue::Of {
            connection,
            keep,
            turn,
        } => {
            let from = match connection {
                true => packet.connection_mark,
                false => packet.mark,
            };
            from.map(|from| (from & keep) ^ turn)
        }
    };
    let place = match mark.connection {
        true => &mut packet.connection_mark,
        false => &mut packet.mark,
    };
    *place = match certain || *place == to {
        true => to,
        false => None,
    };
}

/// A new destination ends the chain for the packet.
fn redirect(
    packet: &mut Packet,
    to: &Redirect,
    certain: bool,
    rule: &Rule,
    ends: &mut Ends,
) -> Then {
    let why = match to {
        _ if !certain => Some("it may be sent on to another place".to_owned()),
        Redirect::Here(port) => {
            if let Some(port) = port {
                packet.to = (*port, *port);
            }
            None
        }
        Redirect::To(ip, port) => {
            if let Some(port) = port {
                packet.to = (*port, *port);
            }
            match *ip == packet.destination {
                true => None,
                false => Some(format!(
                    "it is sent on to {ip}, and whether that lets it in stands elsewhere"
                )),
            }
        }
        Redirect::Unknown => Some("it is sent on to a place that is not known here".to_owned()),
    };
    if let Some(why) = why {
        ends.doubt(rule, why.clone());
        packet.doubt.get_or_insert_with(|| (rule.shown(), why));
        packet.sent_on = true;
    }
    ends.passes.get_or_insert_with(|| rule.shown());
    match certain {
        true => Then::Ends,
        false => Then::Goes,
    }
}

//! The way of a packet through a simulated world.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{Fact, FilterDecision, HostQuestion, Icmp, StepAnswer};
use chronaxis_model::layer::Micros;
use chronaxis_model::order::ECHOES;
use chronaxis_model::redact::Redactor;

use super::{ABSENT_AFTER, Action, Attempt, FirstStretch, ROUND_TRIP, Rule, Speech, World};
use crate::stand_in::Service;

/// For how many devices packets live in this world.
const USUAL_TTL: u8 = 64;

/// Time of a round trip to the next device.
const HOP: Micros = Micros(300);

/// How long an answer of the host itself is waited for.
const NO_ANSWER: Micros = Micros(1_000_000);

fn acts(rules: &[Rule], port: u16) -> Option<Action> {
    let fits = |r: &&Rule| (r.ports.0..=r.ports.1).contains(&port);
    rules.iter().find(fits).map(|r| r.action)
}

fn by<'a>(action: Action, sender: IpAddr) -> Attempt<'a> {
    match action {
        Action::Drop | Action::Lose(_) | Action::DropLarge(_) | Action::PassOn(_) => {
            Attempt::Silent
        }
        Action::RejectReset => Attempt::Refused(None),
        Action::RejectIcmp(kind, code) => {
            let icmp = Icmp { kind, code, sender };
            match (kind, code) {
                (3, 2 | 3) | (1, 4) => Attempt::Refused(Some(icmp)),
                _ => Attempt::Unreachable(icmp, ROUND_TRIP),
            }
        }
    }
}

impl World {
    /// What the client's own table of sockets says of a port of its own.
    pub(super) fn local_listener(&self, to: SocketAddr) -> Fact {
        let host = self.hosts.iter().find(|h| h.address == to.ip());
        let service = host.and_then(|h| h.ports.get(&to.port()));
        let waiting = match service {
            Some(Service::Hung) => 2,
            Some(Service::Asleep) => 1,
            _ => 0,
        };
        Fact::LocalListener {
            listening: service.is_some(),
            waiting,
        }
    }

    /// By which way the client sends.
    pub(super) fn route(&self, to: IpAddr) -> Fact {
        if to.is_loopback() {
            return Fact::RouteFound {
                source: to,
                interface: Some("lo".to_owned()),
                gateway: None,
                prefix: Some(8),
            };
        }
        let gateway = self.routers.first().map(|r| r.address);
        Fact::RouteFound {
            source: self.client,
            interface: Some("up0".to_owned()),
            gateway,
            prefix: Some(if gateway.is_some() { 0 } else { 24 }),
        }
    }

    /// What the client's own filter says, where this user may read it.
    pub(super) fn own_filter(&self, to: SocketAddr) -> Option<Fact> {
        if !self.may_read_rules {
            return None;
        }
        let (decision, what) = match acts(&self.own_rules, to.port())? {
            Action::Drop => (FilterDecision::Dropped, "drop"),
            _ => (FilterDecision::Rejected, "reject"),
        };
        let rule = format!("table inet deck, chain out, rule 4: {what}");
        Some(Fact::OwnFilter {
            decision,
            answers: false,
            rule: Some(Redactor::default().text(&rule)),
        })
    }

    /// How many packets the client's system could not send itself.
    pub(super) fn send_failures(&self, to: SocketAddr) -> u64 {
        let dropped = acts(&self.own_rules, to.port()) == Some(Action::Drop);
        u64::from(dropped && !to.ip().is_loopback())
    }

    pub(super) fn connections_open(&self, to: SocketAddr) -> Fact {
        let mut open = self.open.iter().filter(|(place, ..)| *place == to);
        let count = u32::try_from(open.clone().count()).unwrap_or(u32::MAX);
        let first = open.next();
        Fact::ConnectionsOpen {
            count,
            program: first.map(|(_, program, _)| Redactor::default().text(program)),
            since: first.map(|(.., since)| (*since).to_owned()),
        }
    }

    pub(super) fn listeners_here(&self) -> Vec<Fact> {
        let listening = self.listening.iter().cloned().map(Fact::ListenerHere);
        let tunnels = self.tunnels.iter().cloned().map(Fact::TunnelTold);
        listening.chain(tunnels).collect()
    }

    /// From how many bytes on packets to there vanish.
    pub(super) fn largest_packet(&self, to: SocketAddr) -> Option<usize> {
        let rules = self.routers.iter().flat_map(|r| &r.rules);
        rules
            .filter(|r| (r.ports.0..=r.ports.1).contains(&to.port()))
            .find_map(|r| match r.action {
                Action::DropLarge(bytes) if !to.ip().is_loopback() => Some(bytes),
                _ => None,
            })
    }

    /// What the client's own tables say of the next device.
    pub(super) fn next_device(&self, to: IpAddr) -> Fact {
        let gateway = self.routers.first().map(|r| r.address);
        let there = gateway.is_some() || self.hosts.iter().any(|h| h.address == to);
        let answers = match self.first_stretch {
            FirstStretch::Sound => Some(there),
            FirstStretch::NobodyThere => Some(false),
            FirstStretch::LinkDown => None,
        };
        Fact::NextDevice {
            address: gateway.unwrap_or(to),
            answers,
            link_up: Some(self.first_stretch != FirstStretch::LinkDown),
        }
    }

    /// That nobody has an address, as the system before it says it.
    fn absent<'a>(sender: IpAddr) -> Attempt<'a> {
        let icmp = Icmp {
            kind: 3,
            code: 1,
            sender,
        };
        Attempt::Unreachable(icmp, ABSENT_AFTER)
    }

    /// What serves a port of a host, as a neighbour of that host meets it.
    pub(super) fn service_at(&self, to: SocketAddr) -> Option<&Service> {
        let host = self.hosts.iter().find(|h| h.address == to.ip())?;
        host.ports.get(&to.port())
    }

    pub(super) fn attempt(&self, to: IpAddr, port: u16) -> Attempt<'_> {
        let mut lost = 0;
        let mut at = to;
        if !to.is_loopback() {
            if let Some(action) = acts(&self.own_rules, port) {
                return by(action, self.client);
            }
            match self.first_stretch {
                FirstStretch::Sound => {}
                FirstStretch::NobodyThere => return World::absent(self.client),
                FirstStretch::LinkDown => return Attempt::Silent,
            }
            for router in &self.routers {
                // Who changes the address speaks in the name of the one that was dialled.
                let own = if at == to { router.address } else { to };
                match acts(&router.rules, port) {
                    None | Some(Action::DropLarge(_)) => {}
                    Some(Action::Lose(packets)) => lost += packets,
                    Some(Action::PassOn(other)) => at = other,
                    Some(action) => return by(action, own),
                }
            }
        }
        let Some(host) = self.hosts.iter().find(|h| h.address == at) else {
            return match self.routers.last() {
                Some(_) if at != to => World::absent(to),
                Some(last) => World::absent(last.address),
                None if to.is_loopback() => Attempt::Refused(None),
                None => World::absent(self.client),
            };
        };
        if let Some(action) = acts(&host.rules, port) {
            return by(action, to);
        }
        match host.ports.get(&port) {
            Some(Service::Hung) => Attempt::Silent,
            Some(service) => Attempt::Connected(service, lost),
            None => Attempt::Refused(None),
        }
    }

    /// What a host says when it is asked itself. Rules for all ports fit echoes as well; no
    /// other rule does.
    pub(super) fn host_asked(&self, to: SocketAddr, with: HostQuestion) -> (Fact, Micros) {
        let (port, sent) = match with {
            HostQuestion::Datagram => (to.port(), 1),
            HostQuestion::Echo => (0, ECHOES),
        };
        let own = Icmp {
            kind: 3,
            code: 3,
            sender: to.ip(),
        };
        let (answers, icmp, after) = match self.attempt(to.ip(), port) {
            Attempt::Connected(..) | Attempt::Refused(None) => (true, Some(own), ROUND_TRIP),
            Attempt::Refused(icmp) => (false, icmp, ROUND_TRIP),
            Attempt::Unreachable(icmp, after) => (false, Some(icmp), after),
            Attempt::Silent => (false, None, NO_ANSWER),
        };
        let echo = with == HostQuestion::Echo;
        let fact = Fact::HostAsked {
            with,
            sent,
            received: if answers && echo { sent } else { 0 },
            icmp: icmp.filter(|_| !(answers && echo)),
            elapsed_us: after,
        };
        (fact, after)
    }

    /// What comes of a packet that lives for so many devices, and after how long. Answers
    /// that have fewer left than `least` are not heard.
    pub(super) fn step(&self, to: SocketAddr, ttl: u8, least: Option<u8>) -> (Fact, Micros) {
        let (answer, from, sender) = self.step_answer(to, ttl);
        let arrives = USUAL_TTL.saturating_sub(from.saturating_sub(1));
        let heard = least.is_none_or(|least| arrives >= least);
        let answer = if heard { answer } else { StepAnswer::Silent };
        let elapsed_us = Micros(HOP.0 * u64::from(from.max(1)));
        let fact = Fact::PathStep {
            ttl,
            least,
            answer,
            by: sender.filter(|_| heard),
            elapsed_us,
        };
        (fact, elapsed_us)
    }

    /// The answer, from how many devices away it comes, and who sent it where that is said.
    fn step_answer(&self, to: SocketAddr, ttl: u8) -> (StepAnswer, u8, Option<IpAddr>) {
        let told = |attempt: Attempt<'_>, from: u8| match attempt {
            Attempt::Connected(..) => (StepAnswer::Connected, from, Some(to.ip())),
            Attempt::Refused(None) => (StepAnswer::Refused, from, None),
            Attempt::Refused(Some(icmp)) | Attempt::Unreachable(icmp, _) => {
                (StepAnswer::Unreachable, from, Some(icmp.sender))
            }
            Attempt::Silent => (StepAnswer::Silent, from, None),
        };
        if let Some(action) = acts(&self.own_rules, to.port()) {
            return told(by(action, self.client), 0);
        }
        if self.first_stretch != FirstStretch::Sound {
            return (StepAnswer::Silent, 0, None);
        }
        let mut passed_on = false;
        for (number, router) in (1u8..).zip(&self.routers) {
            let action = acts(&router.rules, to.port());
            // The address is changed before it is seen that the packet ends here.
            passed_on |= matches!(action, Some(Action::PassOn(_)));
            let sender = if passed_on { to.ip() } else { router.address };
            if ttl == number {
                let answer = match router.speech {
                    Speech::Never => (StepAnswer::Silent, number, None),
                    _ => (StepAnswer::Expired, number, Some(sender)),
                };
                return answer;
            }
            match action {
                None | Some(Action::Lose(_) | Action::DropLarge(_) | Action::PassOn(_)) => {}
                Some(action) => return told(by(action, sender), number),
            }
        }
        let beyond = u8::try_from(self.routers.len())
            .unwrap_or(u8::MAX)
            .saturating_add(1);
        match self.attempt(to.ip(), to.port()) {
            // That nobody has the address is said later than a step is waited for.
            Attempt::Unreachable(_, ABSENT_AFTER) => (StepAnswer::Silent, beyond, None),
            attempt => told(attempt, beyond),
        }
    }
}

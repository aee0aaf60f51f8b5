//! What is asked beside the client's own line, on lines that carry neither user nor
//! secret: whether the server encrypts, what older encryption it takes, who answers if not
//! the engine, and whether the engine answers on its usual port.

use std::net::IpAddr;

use chronaxis_engines::{LinePurpose, MOST_PROBES, ServiceProbe, by_id, service_probe};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, HandshakeTrouble, Knocked, Meaning, Spoke};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, LineId, Order, Over, Probe, ProbeId};

use super::{Running, Walk};
use crate::inference::weigh;
use crate::judge::{PathView, Symptom};
use crate::knowledge::questions::Question;

/// Longest wait for an answer to bytes that only ask who is there.
const SHORT: Micros = Micros::from_millis(600);

/// What a line beside the client's own is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum SideConnection {
    /// Whether its host rules let this user in over an encrypted line.
    Encrypted,
    /// What older encryption it takes.
    OldHello,
    /// Whether it encrypts when it is asked first, where the client does not ask.
    Offer,
    /// Who answers, by these bytes; which of the questions it is, from 1.
    Feel(ServiceProbe, u8),
    /// Whether the engine answers on another port that is usual for it; the ports of a
    /// host are asked one after the other.
    Elsewhere,
    /// Whether a line that stalled goes on with small segments.
    SmallSegments,
}

/// The largest segment that every host must be able to take (RFC 9293, section 3.7.1).
const SMALL: u16 = 536;

/// Most other ports of a host that are asked whether the engine is there.
const MOST_PORTS: usize = 3;

impl Walk {
    /// Asks what the end of the client's own line leaves open.
    pub(super) fn ask_beside(&mut self, now: Micros, server: &Endpoint, symptom: Symptom) {
        if server.ip().is_none() {
            return;
        }
        match symptom {
            Symptom::LoginHostRefused
                if !self.offer_is_known() && !by_id(self.target.engine).spec.server_greets =>
            {
                self.begin_beside(now, server, SideConnection::Encrypted);
            }
            Symptom::TlsClosed | Symptom::TlsGarbled if self.skips_request() => {
                self.begin_beside(now, server, SideConnection::Offer);
            }
            Symptom::TlsAlert | Symptom::TlsNothingInCommon | Symptom::TlsClosed => {
                self.begin_beside(now, server, SideConnection::OldHello);
            }
            Symptom::TlsMute if self.is_measured(server) => {
                self.begin_beside(now, server, SideConnection::SmallSegments);
            }
            Symptom::PortRefused
                if self.scope.until > Layer::Port && !self.is_decided(server, symptom) =>
            {
                self.look_elsewhere(now, server, self.other_ports(server));
            }
            Symptom::ListenerOther if self.service_is_known() => {
                self.look_elsewhere(now, server, self.own_port());
            }
            Symptom::ListenerMute
                if self.is_unconfirmed(server) && !self.small_segments_known() =>
            {
                self.begin_beside(now, server, SideConnection::SmallSegments);
            }
            Symptom::ListenerOther | Symptom::ListenerMute | Symptom::ListenerClosed
                if !self.is_asleep() && !self.engine_spoke(server) =>
            {
                self.ask_who_answers(now, server);
            }
            _ => {}
        }
    }

    /// Asks who answers there.
    pub(super) fn ask_who_answers(&mut self, now: Micros, server: &Endpoint) {
        let port = server.port().unwrap_or_default();
        let first = ServiceProbe::first_for(port, by_id(self.target.engine));
        self.begin_beside(now, server, SideConnection::Feel(first, 1));
    }

    /// Whether one cause already stands out, so that nothing more need be asked.
    fn is_decided(&self, server: &Endpoint, symptom: Symptom) -> bool {
        let view = PathView::new(self.evidence(), server);
        let answer = |q: &Question| Some((*q, q.answer(&view, symptom)?));
        let answers = Question::ALL.iter().filter_map(answer).collect();
        weigh(symptom, &answers).decided()
    }

    /// Whether the client begins with TLS at once, though its protocol has a question for it.
    fn skips_request(&self) -> bool {
        self.target.encryption.direct && by_id(self.target.engine).spec.asks_to_encrypt
    }

    fn offer_is_known(&self) -> bool {
        self.evidence().knows_offer()
    }

    fn service_is_known(&self) -> bool {
        self.evidence().knows_service()
    }

    /// Whether the engine answered its own client there, whatever came after.
    fn engine_spoke(&self, server: &Endpoint) -> bool {
        let subject = server.subject();
        let mut seen = self.evidence().at(server).all();
        seen.any(|(o, fact)| o.about == subject && matches!(fact, Fact::SpokeProtocol { .. }))
    }

    /// A program of this machine that leaves connections in its queue answers nothing.
    fn is_asleep(&self) -> bool {
        self.evidence().queue_waits()
    }

    /// Whether the line goes over a network, and the system counted on it.
    fn is_measured(&self, server: &Endpoint) -> bool {
        self.is_measured_with(server, |_| true)
    }

    /// Whether something that was sent on it was never confirmed.
    fn is_unconfirmed(&self, server: &Endpoint) -> bool {
        self.is_measured_with(server, |unconfirmed| unconfirmed > 0)
    }

    fn is_measured_with(&self, server: &Endpoint, fits: impl Fn(u32) -> bool) -> bool {
        let far = |ip: &IpAddr| !chronaxis_model::reserved_ranges::is_here(*ip);
        server.ip().filter(far).is_some_and(|ip| {
            self.evidence().of_host(ip).any(
                |fact| matches!(fact, Fact::LineMeasured { unconfirmed, .. } if fits(*unconfirmed)),
            )
        })
    }

    fn small_segments_known(&self) -> bool {
        self.evidence().knows_small_segments()
    }

    /// The engine's own port.
    fn own_port(&self) -> Vec<u16> {
        let usual = by_id(self.target.engine).spec.usual_port;
        usual.into_iter().collect()
    }

    /// The ports that are usual for the engine. On this machine only those on which its
    /// table shows that something listens.
    fn other_ports(&self, server: &Endpoint) -> Vec<u16> {
        let usual = by_id(self.target.engine).spec.usual_ports.iter().copied();
        let evidence = self.evidence();
        let here = server.ip().is_some_and(|ip| {
            let read = |fact: &Fact| matches!(fact, Fact::LocalListener { .. });
            evidence.of_host(ip).any(read)
        });
        let shown = |port: &u16| {
            evidence.seen().any(|fact| match fact {
                Fact::ListenerHere(l) => l.on.is_some_and(|on| on.port() == *port),
                _ => false,
            })
        };
        usual.filter(|port| !here || shown(port)).collect()
    }

    /// The next of these ports of the host that was not asked, and is not the one that was
    /// dialled; once the engine answers on one, no other is asked.
    fn look_elsewhere(&mut self, now: Micros, server: &Endpoint, ports: Vec<u16>) {
        let Some(ip) = server.ip() else {
            return;
        };
        let dialled: Vec<Endpoint> = self.evidence().endpoints();
        let speaks = |fact: &Fact| matches!(fact, Fact::EngineElsewhere { speaks: true });
        if self.evidence().of_host(ip).any(speaks) {
            return;
        }
        let next = ports
            .into_iter()
            .take(MOST_PORTS + 1)
            .map(|port| Endpoint::Tcp((ip, port).into()))
            .find(|there| !dialled.contains(there) && !self.was_asked(there));
        if let Some(there) = next {
            self.begin_beside(now, &there, SideConnection::Elsewhere);
        }
    }

    /// To which layer it belongs that the engine answers on another port.
    fn layer_elsewhere(&self, server: &Endpoint) -> Layer {
        match self.refused_at(server) {
            true => Layer::Port,
            false => Layer::Listener,
        }
    }

    /// Whether the client's own port of that host refuses.
    fn refused_at(&self, server: &Endpoint) -> bool {
        let refused = |fact: &Fact| matches!(fact, Fact::PortRefused { .. });
        let ip = server.ip();
        ip.is_some_and(|ip| self.evidence().of_host(ip).any(refused))
    }

    fn was_asked(&self, there: &Endpoint) -> bool {
        self.evidence().at(there).any(|fact| match fact {
            // Of a comparison port that connects it is not known yet who answers there.
            Fact::ControlPort { answer, .. } => *answer != Knocked::Connected,
            Fact::EngineElsewhere { .. } => true,
            _ => false,
        })
    }

    fn begin_beside(&mut self, now: Micros, server: &Endpoint, purpose: SideConnection) {
        let (line, what) = match purpose {
            SideConnection::Encrypted => self.opening_with(server, LinePurpose::Encrypted),
            SideConnection::Elsewhere | SideConnection::Offer => {
                self.opening_with(server, LinePurpose::AskOffer)
            }
            SideConnection::OldHello => self.opening_with(server, LinePurpose::OldHello),
            SideConnection::SmallSegments => match self.opening(server) {
                (
                    line,
                    Probe::Open {
                        line: _,
                        over,
                        conversation,
                        ..
                    },
                ) => {
                    let open = Probe::Open {
                        line,
                        over,
                        conversation,
                        segment: Some(SMALL),
                    };
                    (line, open)
                }
                other => other,
            },
            SideConnection::Feel(kind, _) => {
                let line = self.probes.next_line();
                let engine = by_id(self.target.engine);
                let wait = SHORT.min(self.scope.patience_us);
                let conversation = service_probe(kind, engine, wait);
                let over = Over::Endpoint(server.clone());
                let open = Probe::Open {
                    line,
                    over,
                    conversation,
                    segment: None,
                };
                (line, open)
            }
        };
        self.touched.lines.push(server.clone());
        let until = now.after(self.scope.patience_us);
        let running = Running::BesideLine(line, server.clone(), purpose);
        self.start(now, until, server.subject(), running, what);
    }

    /// The line is there, or not; it goes on to the answer and no further.
    pub(super) fn beside_line_ended(
        &mut self,
        now: Micros,
        line: LineId,
        server: &Endpoint,
        purpose: SideConnection,
        how: &Ended,
    ) {
        if !matches!(how, Ended::Resting(_)) {
            return self.beside_over(now, server, purpose);
        }
        let stop = match purpose {
            SideConnection::OldHello | SideConnection::SmallSegments => Layer::Tls,
            SideConnection::Encrypted => Layer::Login,
            _ => Layer::Listener,
        };
        let what = Probe::Advance {
            line,
            stop,
            permit: None,
            withheld: None,
        };
        let running = Running::Beside(line, server.clone(), purpose);
        self.start(now, self.deadline, server.subject(), running, what);
    }

    /// The answer came; the line is left.
    pub(super) fn beside_ended(
        &mut self,
        now: Micros,
        line: LineId,
        server: &Endpoint,
        purpose: SideConnection,
        how: &Ended,
    ) {
        if matches!(how, Ended::Resting(_)) {
            self.orders.push_back(Order::Close(line));
        }
        self.beside_over(now, server, purpose);
    }

    fn beside_over(&mut self, now: Micros, server: &Endpoint, purpose: SideConnection) {
        match purpose {
            SideConnection::Feel(last, number)
                if number < MOST_PROBES && !self.service_is_known() =>
            {
                let closed = |fact: &Fact| match fact {
                    Fact::ServiceAsked { spoke, .. } => *spoke == Spoke::Closed,
                    _ => false,
                };
                let closed = self.evidence().seen().any(closed);
                let next = SideConnection::Feel(last.next_for(number, closed), number + 1);
                self.begin_beside(now, server, next);
            }
            SideConnection::Feel(..) if self.service_is_known() => {
                self.look_elsewhere(now, server, self.own_port());
            }
            SideConnection::SmallSegments if !self.small_segments_known() => {
                let fact = Fact::SmallSegments {
                    segment: SMALL,
                    answered: false,
                };
                self.note(now, Layer::Tls, server.subject(), fact);
            }
            SideConnection::Elsewhere => {
                let about = server.subject();
                let asked = |fact: &Fact| matches!(fact, Fact::EngineElsewhere { .. });
                let answered = self.evidence().at(server).any(asked);
                if !answered {
                    let fact = Fact::EngineElsewhere { speaks: false };
                    self.note(now, self.layer_elsewhere(server), about, fact);
                    if self.refused_at(server) {
                        self.look_elsewhere(now, server, self.other_ports(server));
                    }
                }
            }
            _ => {}
        }
    }

    /// Whether a fact shows that a line came further than the client's own did.
    fn is_beyond_the_stall(&self, fact: &Fact) -> bool {
        let in_handshake = |fact: &Fact| {
            matches!(
                fact,
                Fact::HandshakeFailed {
                    trouble: HandshakeTrouble::Silent,
                    ..
                }
            )
        };
        let stalled_there = self.evidence().seen().any(in_handshake);
        let came = match fact {
            Fact::LineSecured { .. } | Fact::CertificateShown(_) => true,
            Fact::SpokeProtocol { .. } => !stalled_there,
            _ => false,
        };
        came && !self.small_segments_known()
    }

    /// Whether the host rules let an encrypted line pass: the server goes on to ask for a
    /// password, lets it in, or refuses for another reason.
    fn passed_when_encrypted(&self, fact: &Fact) -> Option<(Layer, Fact)> {
        let known = |fact: &Fact| matches!(fact, Fact::EncryptedTried { .. });
        if self.evidence().seen().any(known) {
            return None;
        }
        let passed = match fact {
            Fact::PasswordAsked { .. } | Fact::LoggedIn { .. } => true,
            Fact::ServerRefused { meaning, .. } => *meaning != Meaning::HostNotPermitted,
            _ => return None,
        };
        Some((Layer::Tls, Fact::EncryptedTried { passed }))
    }

    /// Of what is seen on such a line only what it was for counts.
    pub(super) fn beside_observed(
        &mut self,
        now: Micros,
        probe: ProbeId,
        purpose: SideConnection,
        fact: Fact,
    ) {
        let Some(about) = self.probes.get(probe).map(|p| p.about.clone()) else {
            return;
        };
        let noted = match (purpose, fact) {
            (_, fact @ (Fact::LeftNamingNobody { .. } | Fact::LeftCounted)) => {
                Some((Layer::Listener, fact))
            }
            (
                SideConnection::Encrypted | SideConnection::Offer,
                Fact::EncryptionAnswered { offered, .. },
            ) => Some((Layer::Tls, Fact::EncryptionOffer { offered })),
            (SideConnection::Encrypted, fact) => self.passed_when_encrypted(&fact),
            (SideConnection::OldHello, fact @ Fact::HelloAnswered { .. }) => {
                Some((Layer::Tls, fact))
            }
            (SideConnection::Feel(..), fact @ Fact::ServiceAsked { .. }) => {
                Some((Layer::Listener, fact))
            }
            (SideConnection::SmallSegments, fact) if self.is_beyond_the_stall(&fact) => {
                let fact = Fact::SmallSegments {
                    segment: SMALL,
                    answered: true,
                };
                Some((Layer::Tls, fact))
            }
            (SideConnection::Elsewhere, Fact::SpokeProtocol { .. }) => {
                let fact = Fact::EngineElsewhere { speaks: true };
                let server = self.probes.server_of(probe);
                let layer = server.map_or(Layer::Listener, |s| self.layer_elsewhere(&s));
                Some((layer, fact))
            }
            _ => None,
        };
        if let Some((layer, fact)) = noted {
            self.note(now, layer, about, fact);
        }
    }
}

//! One path by itself: how it stands.

mod departure;
mod encryption;
mod layers;
mod lines;
mod times;

use std::cell::OnceCell;

pub use departure::NextSilent;

use chronaxis_engines::{SessionWish, by_id};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{
    Awaited, Fact, HandshakeTrouble, Icmp, IdleEnd, Instance, Meaning, Observation, Unreach,
};
use chronaxis_model::layer::{Layer, Micros, Outcome};
use chronaxis_model::target::End;
use lines::Other;

use super::evidence::{Evidence, Way};
use super::judged::{JudgedPath, LayerJudgement, Status};
use super::session;
use super::symptom::Symptom;
use super::told::is_told;
use super::way::{self, StepsTo};

/// The facts about one path.
#[derive(Clone, Debug)]
pub struct PathView<'a> {
    /// The evidence of which this is a part.
    pub evidence: Evidence<'a>,
    /// Which path.
    pub endpoint: Endpoint,
    facts: Vec<(&'a Observation, &'a Fact)>,
    /// What the other of two lines brought, where the client made a second one.
    other: Option<Other<'a>>,
    /// The steps to its port and to a control port of its host, once somebody wants them.
    steps: OnceCell<(Option<StepsTo>, Option<StepsTo>)>,
}

impl<'a> PathView<'a> {
    /// Picks the facts that are about this path, in the order of their time.
    pub fn new(evidence: Evidence<'a>, endpoint: &Endpoint) -> PathView<'a> {
        let subject = endpoint.subject();
        let mut found: Vec<_> = evidence
            .facts()
            .filter(|(o, _)| {
                o.about.address == subject.address
                    && o.about.port == subject.port
                    && o.about.socket == subject.socket
                    && (o.about.address.is_some() || o.about.socket.is_some())
            })
            .collect();
        found.sort_by_key(|(o, _)| o.at);
        let (facts, other) = lines::apart(found);
        PathView {
            evidence,
            endpoint: endpoint.clone(),
            facts,
            other,
            steps: OnceCell::new(),
        }
    }

    fn both_steps(&self) -> &(Option<StepsTo>, Option<StepsTo>) {
        self.steps.get_or_init(|| match &self.endpoint {
            Endpoint::Tcp(to) => (
                way::steps_to(self.evidence, to.ip(), to.port()),
                way::control_steps(self.evidence, *to),
            ),
            Endpoint::Socket(_) => (None, None),
        })
    }

    /// The steps to its port.
    pub fn steps(&self) -> Option<&StepsTo> {
        self.both_steps().0.as_ref()
    }

    /// The steps to a control port of its host.
    pub fn control_steps(&self) -> Option<&StepsTo> {
        self.both_steps().1.as_ref()
    }

    /// Which device on the way passes its port on to another machine.
    pub fn passed_on_by(&self) -> Option<u8> {
        self.steps()?.passed_on
    }

    /// Whether the client fell back to a second line, and that is the one that counts.
    pub fn fell_back(&self) -> bool {
        self.other.as_ref().is_some_and(|other| other.is_first)
    }

    /// The first fact of the line that does not count, of two, of which the function makes
    /// something.
    pub fn find_on_other_line<T>(&self, pick: impl Fn(&'a Fact) -> Option<T>) -> Option<T> {
        let other = self.other.as_ref()?;
        other.facts.iter().find_map(|(_, fact)| pick(fact))
    }

    /// The first fact about this path of which the function makes something.
    pub fn find<T>(&self, pick: impl Fn(&'a Fact) -> Option<T>) -> Option<T> {
        self.facts.iter().find_map(|(_, fact)| pick(fact))
    }

    /// All of which the function makes something.
    pub fn all<T>(&self, pick: impl Fn(&'a Fact) -> Option<T>) -> Vec<T> {
        self.facts
            .iter()
            .filter_map(|(_, fact)| pick(fact))
            .collect()
    }

    /// The sum of what the function makes of the facts; none where it makes nothing.
    pub fn count(&self, pick: impl Fn(&'a Fact) -> Option<u32>) -> Option<u32> {
        let found = self.all(pick);
        (!found.is_empty()).then(|| found.iter().sum())
    }

    /// The server's refusal, if one came.
    pub fn refusal(&self) -> Option<(Meaning, Awaited)> {
        self.find(|fact| match fact {
            Fact::ServerRefused {
                meaning, awaited, ..
            } => Some((*meaning, *awaited)),
            _ => None,
        })
    }

    /// How this path stands by itself.
    pub fn judge(&self, way: &Way) -> JudgedPath {
        let layers = vec![
            self.route(),
            self.port(),
            self.listener(),
            self.tls(),
            self.login(),
            self.session(),
        ];
        let within = |layer: Layer| layer <= self.evidence.scope.until;
        let symptom = self.symptom().filter(|s| within(s.layer()));
        let untold = self.untold().filter(|layer| within(*layer));
        let first_fault = symptom.map(Symptom::layer).or(untold);
        let mut layers: Vec<LayerJudgement> = layers
            .into_iter()
            .map(|judged| after_a_stop(judged, first_fault, symptom.is_some()))
            .collect();
        if let Some(late) = symptom.filter(|s| s.is_late())
            && let Some(judged) = layers.iter_mut().find(|l| l.layer == late.layer())
        {
            judged.outcome = Outcome::Fault;
            judged.summary.add("; too late for this client");
        }
        let cut_short = |layer: Layer| {
            self.facts.iter().find_map(|(seen, fact)| match fact {
                Fact::BeyondUs {
                    what: chronaxis_model::fact::Beyond::Time,
                    detail,
                } if seen.layer == layer => Some(detail.to_string()),
                _ => None,
            })
        };
        for judged in layers.iter_mut().filter(|l| l.outcome != Outcome::Fault) {
            if let Some(detail) = cut_short(judged.layer) {
                *judged = LayerJudgement::new(judged.layer, Outcome::Untested, detail);
            }
        }
        JudgedPath {
            endpoint: self.endpoint.clone(),
            layers,
            status: Status { symptom, untold },
            walked: self.connected().is_some() && self.was_walked(),
            second_choice: self.is_second_choice(),
            host: way.host,
            taken: way.taken,
        }
    }

    /// The port that was tried; where only a text speaks of it, the one it names.
    pub fn port_tried(&self) -> Option<u16> {
        let told = || match self.evidence.target.ends.first()? {
            End::Host { port, .. } if is_told(self.evidence) => Some(*port),
            _ => None,
        };
        self.endpoint.port().or_else(told)
    }

    fn connected(&self) -> Option<Micros> {
        self.find(|fact| match fact {
            Fact::PortConnected { elapsed_us, .. } => Some(*elapsed_us),
            _ => None,
        })
    }

    /// Whether the walk went on over this path, or would have: nothing was asked beyond
    /// the port, so that every path that connects counts.
    fn was_walked(&self) -> bool {
        self.evidence.scope.until <= Layer::Port
            || self.facts.iter().any(|(_, fact)| {
                matches!(
                    fact,
                    Fact::SpokeProtocol { .. }
                        | Fact::PeerSilent { .. }
                        | Fact::PeerClosed { .. }
                        | Fact::OtherAnswer { .. }
                        | Fact::ServerRefused { .. }
                )
            })
    }

    fn symptom(&self) -> Option<Symptom> {
        self.port_symptom()
            .or_else(|| self.tls_symptom())
            .or_else(|| self.line_symptom())
            .or_else(|| self.sign_in_symptom())
            .or_else(|| self.too_late())
    }

    fn port_symptom(&self) -> Option<Symptom> {
        if self.connected().is_some() {
            return None;
        }
        if self.could_not_try() {
            return Some(Symptom::PortLocalFailure);
        }
        let on_socket = matches!(self.endpoint, Endpoint::Socket(_));
        self.find(|fact| match fact {
            Fact::RouteMissing { .. } => Some(Symptom::RouteNone),
            Fact::PortRefused { icmp: None, .. } if on_socket => Some(Symptom::PortSocketRefused),
            Fact::PortRefused { icmp: None, .. } => Some(Symptom::PortRefused),
            Fact::PortRefused {
                icmp: Some(icmp), ..
            } => Some(icmp_symptom(*icmp)),
            Fact::PortUnreachable {
                icmp: Some(icmp), ..
            } => Some(icmp_symptom(*icmp)),
            Fact::PortUnreachable { .. } => Some(Symptom::PortUnreachable),
            Fact::SocketMissing { .. } => Some(Symptom::PortSocketMissing),
            Fact::SocketNotPermitted { .. } => Some(Symptom::PortSocketClosed),
            Fact::PortSilent { .. } if on_socket => Some(Symptom::PortSocketSilent),
            Fact::PortSilent { .. } => Some(Symptom::PortSilent),
            _ => None,
        })
    }

    /// Whether this machine could not make the first attempt. That it has nothing left for
    /// a further one of ours says nothing about the client's only one.
    fn could_not_try(&self) -> bool {
        self.facts.iter().any(|(o, fact)| {
            matches!(fact, Fact::LocalFailure { .. }) && o.about.attempt.is_none_or(|n| n == 1)
        })
    }

    /// What the server, or what stands in its place, did on the line.
    fn line_symptom(&self) -> Option<Symptom> {
        self.find(|fact| match fact {
            Fact::PeerSilent { awaited, .. } => Some(match awaited.layer() {
                Layer::Listener => Symptom::ListenerMute,
                Layer::Login => Symptom::LoginMute,
                _ => Symptom::SessionMute,
            }),
            Fact::PeerClosed { awaited, .. } => Some(match awaited.layer() {
                Layer::Listener => Symptom::ListenerClosed,
                Layer::Login => Symptom::LoginClosed,
                _ => Symptom::SessionClosed,
            }),
            Fact::OtherAnswer { awaited, .. } => Some(match awaited.layer() {
                Layer::Listener => Symptom::ListenerOther,
                Layer::Login => Symptom::LoginGarbled,
                _ => Symptom::SessionGarbled,
            }),
            Fact::ServerRefused {
                meaning: Meaning::AccessDenied,
                ..
            } if self.has_no_password() => Some(Symptom::LoginNoPassword),
            Fact::ServerRefused {
                meaning, awaited, ..
            } => Some(refusal_symptom(*meaning, *awaited)),
            Fact::ClientDataRefused { .. } => Some(Symptom::SessionGarbled),
            _ => None,
        })
    }

    /// How the encryption ended the way, if it did.
    fn tls_symptom(&self) -> Option<Symptom> {
        if self.older_encryption_would_do() {
            return None;
        }
        self.find(|fact| match fact {
            Fact::HandshakeFailed { trouble, .. } => match trouble {
                HandshakeTrouble::Alert => Some(Symptom::TlsAlert),
                HandshakeTrouble::NothingInCommon => Some(Symptom::TlsNothingInCommon),
                HandshakeTrouble::Garbled => Some(Symptom::TlsGarbled),
                HandshakeTrouble::Certificate => Some(Symptom::TlsCertificate),
                HandshakeTrouble::Closed => Some(Symptom::TlsClosed),
                HandshakeTrouble::Silent => Some(Symptom::TlsMute),
                HandshakeTrouble::BeyondUs => None,
            },
            _ => None,
        })
    }

    /// The suite that the server chose from a hello of ours, where the usual clients have it
    /// and only this program lacks it.
    pub fn older_suite(&self) -> Option<&'static str> {
        let strict = self.evidence.target.client == chronaxis_model::target::ClientId::StrictTls;
        self.find(|fact| match fact {
            Fact::HelloAnswered {
                version: Some(version),
                cipher: Some(cipher),
                ..
            } if version == "TLS 1.2" => chronaxis_engines::older_suite(cipher),
            _ => None,
        })
        .filter(|_| !strict)
    }

    /// Whether the server takes an old version or suite that this client takes too, and only
    /// this program does not.
    fn older_encryption_would_do(&self) -> bool {
        let old = self.find(|fact| match fact {
            Fact::HelloAnswered {
                version: Some(version),
                ..
            } => Some(version.as_str() < "TLS 1.2"),
            _ => None,
        });
        let by_version = self.evidence.target.encryption.takes_old_versions && old == Some(true);
        by_version || self.older_suite().is_some()
    }

    fn sign_in_symptom(&self) -> Option<Symptom> {
        let asked = self.find(|fact| matches!(fact, Fact::PasswordAsked { .. }).then_some(()));
        self.find(|fact| match fact {
            Fact::EncryptionAnswered {
                offered: false,
                demanded: true,
            } => Some(Symptom::TlsNotOffered),
            Fact::MethodUnsupported { .. } => Some(Symptom::LoginMethod),
            Fact::PlaintextRefused => Some(Symptom::LoginPlaintext),
            Fact::ProofWithheldPlaceholder => Some(Symptom::LoginPlaceholder),
            // What was refused before was no password.
            Fact::RefusedBefore { .. } if self.has_no_password() => Some(Symptom::LoginNoPassword),
            Fact::RefusedBefore { .. } if by_id(self.evidence.target.engine).spec.denies_alike => {
                Some(Symptom::LoginDenied)
            }
            Fact::RefusedBefore { .. } => Some(Symptom::LoginCredentials),
            Fact::ServerProofWrong => Some(Symptom::LoginUnproven),
            Fact::Instance(instance) => self.unfit(instance),
            _ => None,
        })
        .or_else(|| self.lasting_fault())
        .or_else(|| (asked.is_some() && self.has_no_password()).then_some(Symptom::LoginNoPassword))
    }

    /// What several sessions, or a long one, brought to light.
    fn lasting_fault(&self) -> Option<Symptom> {
        self.find(|fact| match fact {
            Fact::Repeated(repeats) => session::met_others(self.evidence, repeats),
            Fact::KeptIdle(idle) if idle.end != IdleEnd::Lived => Some(Symptom::SessionIdleCut),
            _ => None,
        })
    }

    fn has_no_password(&self) -> bool {
        let secret = &self.evidence.target.secret;
        !secret.present || secret.form.as_ref().is_some_and(|f| f.characters == 0)
    }

    fn wanted(&self) -> SessionWish {
        let target = self.evidence.target;
        by_id(target.engine).strings.session_wish(target)
    }

    /// Whether the settings ask for no certain kind of server.
    pub fn takes_any(&self) -> bool {
        self.wanted() == SessionWish::Anything
    }

    /// Why this client would not keep the session (PostgreSQL documentation,
    /// "target_session_attrs").
    fn unfit(&self, instance: &Instance) -> Option<Symptom> {
        let read_only = instance.in_recovery || instance.read_only;
        match self.wanted() {
            SessionWish::Writable if read_only => Some(Symptom::SessionReadOnly),
            SessionWish::Primary if instance.in_recovery => Some(Symptom::SessionReadOnly),
            SessionWish::ReadOnly if !read_only => Some(Symptom::SessionWritable),
            SessionWish::Standby if !instance.in_recovery => Some(Symptom::SessionWritable),
            _ => session::symptom(self.evidence, instance),
        }
    }

    /// Whether this client would take the session only if it finds no better one.
    fn is_second_choice(&self) -> bool {
        let in_recovery = self.find(|fact| match fact {
            Fact::Instance(instance) => Some(instance.in_recovery),
            _ => None,
        });
        match (self.wanted(), in_recovery) {
            (SessionWish::RatherStandby, Some(in_recovery)) => !in_recovery,
            (SessionWish::RatherPrimary, Some(in_recovery)) => in_recovery,
            _ => false,
        }
    }

    /// The layer that could not be told, though nothing failed before it.
    fn untold(&self) -> Option<Layer> {
        if self.older_encryption_would_do() {
            return Some(Layer::Tls);
        }
        // Whoever runs this may have the password: it is not in what was given.
        let elsewhere = !self.evidence.target.from_file()
            || super::settings::password_unknown(self.evidence).is_some();
        self.facts.iter().find_map(|(seen, fact)| match fact {
            Fact::BeyondUs { what, .. } => Some(match what {
                chronaxis_model::fact::Beyond::Encryption => Layer::Tls,
                chronaxis_model::fact::Beyond::Time => seen.layer,
                _ => Layer::Login,
            }),
            Fact::HandshakeFailed {
                trouble: HandshakeTrouble::BeyondUs,
                ..
            } => Some(Layer::Tls),
            Fact::ServerSpared { .. } => Some(Layer::Listener),
            Fact::PlaintextWithheld | Fact::ProofWithheldSpent => Some(Layer::Login),
            Fact::PasswordAsked { .. } if self.has_no_password() && elsewhere => Some(Layer::Login),
            _ => None,
        })
    }
}

/// What stands after the layer where it stopped was not reached, unless it was settled
/// before the stop came.
fn after_a_stop(judged: LayerJudgement, stop: Option<Layer>, failed: bool) -> LayerJudgement {
    let empty = judged.outcome == Outcome::Untested && judged.summary.is_empty();
    match stop {
        Some(stop) if judged.layer > stop && empty => {
            let outcome = if failed {
                Outcome::Unreached
            } else {
                Outcome::Untested
            };
            LayerJudgement { outcome, ..judged }
        }
        _ => judged,
    }
}

fn icmp_symptom(icmp: Icmp) -> Symptom {
    match icmp.says() {
        Unreach::Port | Unreach::Prohibited => Symptom::PortProhibited,
        Unreach::Host | Unreach::Network | Unreach::Other => Symptom::PortUnreachable,
    }
}

pub(super) fn refusal_symptom(meaning: Meaning, awaited: Awaited) -> Symptom {
    match meaning {
        Meaning::NotReady | Meaning::Starting => Symptom::ListenerNotReady,
        Meaning::Stopping => Symptom::ListenerStopping,
        Meaning::ServerFull | Meaning::OutOfResources => Symptom::ListenerFull,
        Meaning::ClientBlocked => Symptom::ListenerBlocked,
        Meaning::EncryptionRequired => Symptom::TlsRequired,
        Meaning::AccessDenied => Symptom::LoginDenied,
        Meaning::MethodRefused => Symptom::LoginMethod,
        Meaning::AccountLocked => Symptom::LoginLocked,
        Meaning::PasswordExpired => Symptom::LoginExpired,
        Meaning::HostNotPermitted => Symptom::LoginHostRefused,
        Meaning::CredentialsRefused => Symptom::LoginCredentials,
        Meaning::IdentityRefused => Symptom::LoginIdentity,
        Meaning::AccountLimit => Symptom::LoginLimit,
        Meaning::TooSlow => Symptom::LoginMute,
        Meaning::DatabaseMissing => Symptom::SessionNoDatabase,
        Meaning::DatabaseNotPermitted => Symptom::SessionNotPermitted,
        Meaning::DatabaseClosed => Symptom::SessionDatabaseClosed,
        Meaning::StartupParameterRefused => Symptom::SessionParameter,
        Meaning::VersionRefused => Symptom::ListenerVersion,
        Meaning::ServiceUnknown => Symptom::ListenerNoService,
        Meaning::ServiceNotReady => Symptom::ListenerServiceNotReady,
        Meaning::UserUnknown => Symptom::LoginIdentity,
        Meaning::ProofWrong => Symptom::LoginCredentials,
        Meaning::RoleRequired => Symptom::LoginRoleRequired,
        Meaning::RoleRefused => Symptom::LoginRoleRefused,
        Meaning::Unexplained => match awaited.layer() {
            Layer::Listener | Layer::Tls => Symptom::ListenerUnexplained,
            Layer::Login => Symptom::LoginUnexplained,
            _ => Symptom::SessionUnexplained,
        },
        Meaning::ProtocolRefused | Meaning::ServerInternal | Meaning::Other => {
            match awaited.layer() {
                Layer::Listener | Layer::Tls => Symptom::ListenerRefused,
                Layer::Login => Symptom::LoginRefused,
                _ => Symptom::SessionRefused,
            }
        }
    }
}

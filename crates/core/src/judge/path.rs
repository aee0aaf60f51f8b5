//! One path by itself: from the route to the session.

use super::{Evidence, JudgedPath, LayerJudgement, Stand, Symptom};
use crate::fact::{Awaited, Fact, Icmp, Instance, Meaning, Unreach};
use crate::layer::{Layer, Micros, Outcome};
use crate::order::Endpoint;

/// The layer to which a refusal belongs.
pub fn layer_of_refusal(meaning: Meaning, awaited: Awaited) -> Layer {
    match meaning {
        Meaning::NotReady | Meaning::Stopping | Meaning::ServerFull | Meaning::OutOfResources => {
            Layer::Listener
        }
        Meaning::HostNotPermitted
        | Meaning::CredentialsRefused
        | Meaning::IdentityRefused
        | Meaning::AccountLimit
        | Meaning::TooSlow => Layer::Login,
        Meaning::StartupParameterRefused
        | Meaning::DatabaseMissing
        | Meaning::DatabaseNotPermitted
        | Meaning::DatabaseClosed => Layer::Session,
        Meaning::ProtocolRefused | Meaning::ServerInternal | Meaning::Other => match awaited {
            Awaited::Encryption | Awaited::Greeting => Layer::Listener,
            Awaited::Challenge | Awaited::Admission => Layer::Login,
            Awaited::SessionStart | Awaited::QueryAnswer => Layer::Session,
        },
    }
}

/// The facts about one path.
#[derive(Clone, Debug)]
pub struct PathView<'a> {
    /// The evidence of which this is a part.
    pub evidence: Evidence<'a>,
    /// Which path.
    pub endpoint: Endpoint,
    facts: Vec<&'a Fact>,
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
        PathView {
            evidence,
            endpoint: endpoint.clone(),
            facts: found.into_iter().map(|(_, fact)| fact).collect(),
        }
    }

    /// The first fact about this path of which the function makes something.
    pub fn find<T>(&self, pick: impl Fn(&'a Fact) -> Option<T>) -> Option<T> {
        self.facts.iter().find_map(|fact| pick(fact))
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

    pub(super) fn judge(&self) -> JudgedPath {
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
        let layers = layers
            .into_iter()
            .map(|judged| after_a_stop(judged, first_fault, symptom.is_some()))
            .collect();
        JudgedPath {
            endpoint: self.endpoint.clone(),
            layers,
            stand: Stand { symptom, untold },
            walked: self.connected().is_some() && self.was_walked(),
        }
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
            || self.facts.iter().any(|fact| {
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
            .or_else(|| self.line_symptom())
            .or_else(|| self.sign_in_symptom())
    }

    fn port_symptom(&self) -> Option<Symptom> {
        if self.connected().is_some() {
            return None;
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
            Fact::LocalFailure { .. } => Some(Symptom::PortLocalFailure),
            Fact::PortSilent { .. } if on_socket => Some(Symptom::PortSocketSilent),
            Fact::PortSilent { .. } => Some(Symptom::PortSilent),
            _ => None,
        })
    }

    /// What the server, or what stands in its place, did on the line.
    fn line_symptom(&self) -> Option<Symptom> {
        self.find(|fact| match fact {
            Fact::PeerSilent { awaited, .. } => Some(match stage(*awaited) {
                Layer::Listener => Symptom::ListenerMute,
                Layer::Login => Symptom::LoginMute,
                _ => Symptom::SessionMute,
            }),
            Fact::PeerClosed { awaited, .. } => Some(match stage(*awaited) {
                Layer::Listener => Symptom::ListenerClosed,
                Layer::Login => Symptom::LoginClosed,
                _ => Symptom::SessionClosed,
            }),
            Fact::OtherAnswer { awaited, .. } => Some(match stage(*awaited) {
                Layer::Listener => Symptom::ListenerOther,
                Layer::Login => Symptom::LoginGarbled,
                _ => Symptom::SessionGarbled,
            }),
            Fact::ServerRefused {
                meaning, awaited, ..
            } => Some(refusal_symptom(*meaning, *awaited)),
            _ => None,
        })
    }

    fn sign_in_symptom(&self) -> Option<Symptom> {
        let asked = self.find(|fact| matches!(fact, Fact::PasswordAsked { .. }).then_some(()));
        self.find(|fact| match fact {
            Fact::EncryptionAnswered {
                offered: false,
                demanded: true,
            } => Some(Symptom::TlsNotOffered),
            Fact::MethodUnsupported { .. } => Some(Symptom::LoginMethod),
            Fact::ProofWithheldPlaceholder => Some(Symptom::LoginPlaceholder),
            Fact::RefusedBefore { .. } => Some(Symptom::LoginCredentials),
            Fact::ServerProofWrong => Some(Symptom::LoginUnproven),
            Fact::Instance(instance) if self.wants_writable() && instance.in_recovery => {
                Some(Symptom::SessionReadOnly)
            }
            _ => None,
        })
        .or_else(|| (asked.is_some() && self.has_no_password()).then_some(Symptom::LoginNoPassword))
    }

    fn has_no_password(&self) -> bool {
        let secret = &self.evidence.target.secret;
        !secret.present || secret.form.as_ref().is_some_and(|f| f.characters == 0)
    }

    fn wants_writable(&self) -> bool {
        let wanted = self.evidence.target.options.get("target_session_attrs");
        wanted.is_some_and(|w| matches!(w.as_str(), "read-write" | "primary"))
    }

    /// The layer that could not be told, though nothing failed before it.
    fn untold(&self) -> Option<Layer> {
        let from_bare_string = !self.evidence.target.from_file();
        self.find(|fact| match fact {
            Fact::BeyondUs { what, .. } => Some(match what {
                crate::fact::Beyond::Encryption => Layer::Tls,
                _ => Layer::Login,
            }),
            Fact::PlaintextWithheld | Fact::ProofWithheldSpent => Some(Layer::Login),
            Fact::PasswordAsked { .. } if self.has_no_password() && from_bare_string => {
                Some(Layer::Login)
            }
            _ => None,
        })
    }

    fn route(&self) -> LayerJudgement {
        let layer = Layer::Route;
        self.find(|fact| match fact {
            Fact::RouteFound { source } => Some(LayerJudgement::new(
                layer,
                Outcome::Ok,
                format!("leaves from {source}"),
            )),
            Fact::RouteMissing { error } => Some(LayerJudgement::new(
                layer,
                Outcome::Fault,
                format!("no way to {} ({error})", self.endpoint),
            )),
            _ => None,
        })
        .unwrap_or_else(|| {
            let text = match self.endpoint {
                Endpoint::Socket(_) => "not over the network",
                Endpoint::Tcp(_) => "",
            };
            LayerJudgement::new(layer, Outcome::Untested, text)
        })
    }

    fn port(&self) -> LayerJudgement {
        let layer = Layer::Port;
        let fault = |text: String| LayerJudgement::new(layer, Outcome::Fault, text);
        if let Some(elapsed) = self.connected() {
            let text = format!("{} connects", self.endpoint);
            return LayerJudgement::new(layer, Outcome::Ok, text).taking(elapsed);
        }
        let to = &self.endpoint;
        self.find(|fact| {
            Some(match fact {
                Fact::PortRefused {
                    elapsed_us, icmp, ..
                } => {
                    let text = match icmp {
                        Some(icmp) => {
                            format!("{to} refused: {} from {}", icmp.title(), icmp.sender)
                        }
                        None => format!("{to} refused at once"),
                    };
                    fault(text).taking(*elapsed_us)
                }
                Fact::PortUnreachable {
                    error,
                    elapsed_us,
                    icmp,
                    ..
                } => {
                    let text = match icmp {
                        Some(icmp) => format!("{to}: {} from {}", icmp.title(), icmp.sender),
                        None => format!("{to}: {error}"),
                    };
                    fault(text).taking(*elapsed_us)
                }
                Fact::PortSilent {
                    waited_us,
                    attempts,
                } => {
                    let times = if *attempts == 1 {
                        "attempt"
                    } else {
                        "attempts"
                    };
                    fault(format!("{to} silent, {attempts} {times}")).taking(*waited_us)
                }
                Fact::SocketMissing { .. } => fault(format!("{to} is not there")),
                Fact::SocketNotPermitted { .. } => fault(format!("{to} is closed to this user")),
                Fact::LocalFailure { error } => {
                    fault(format!("this machine could not try: {error}"))
                }
                _ => return None,
            })
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    fn listener(&self) -> LayerJudgement {
        let layer = Layer::Listener;
        if let Some(fault) = self.fault_on(layer) {
            return fault;
        }
        self.find(|fact| match fact {
            Fact::SpokeProtocol { elapsed_us } => Some(
                LayerJudgement::new(
                    layer,
                    Outcome::Ok,
                    format!("speaks {}", self.evidence.target.engine.title()),
                )
                .taking(*elapsed_us),
            ),
            _ => None,
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    fn tls(&self) -> LayerJudgement {
        let layer = Layer::Tls;
        let text = |outcome, text: &str| Some(LayerJudgement::new(layer, outcome, text));
        let beyond = self.find(|fact| match fact {
            Fact::BeyondUs {
                what: crate::fact::Beyond::Encryption,
                ..
            } => text(
                Outcome::Untested,
                "offered; this version of chronaxis cannot encrypt",
            ),
            _ => None,
        });
        beyond
            .or_else(|| {
                self.find(|fact| match fact {
                    Fact::EncryptionAnswered {
                        offered: false,
                        demanded: true,
                    } => text(Outcome::Fault, "demanded here, not offered there"),
                    Fact::EncryptionAnswered { offered: false, .. } => {
                        text(Outcome::Caution, "not offered, so the line is in clear")
                    }
                    Fact::EncryptionAnswered { offered: true, .. } => text(Outcome::Ok, "offered"),
                    Fact::EncryptionNotAsked => {
                        text(Outcome::Caution, "this client does not ask: in clear")
                    }
                    _ => None,
                })
            })
            .or_else(|| {
                let on_socket = matches!(self.endpoint, Endpoint::Socket(_));
                (on_socket && self.connected().is_some())
                    .then(|| LayerJudgement::new(layer, Outcome::Untested, "not over the network"))
            })
            .map(|judged| self.without_caution_here(judged))
            .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    /// A line that never leaves this machine needs no encryption.
    fn without_caution_here(&self, mut judged: LayerJudgement) -> LayerJudgement {
        let here = self.endpoint.ip().is_none_or(|ip| ip.is_loopback());
        if here && judged.outcome == Outcome::Caution {
            judged.outcome = Outcome::Untested;
            judged.summary = "in clear, on this machine only".to_owned();
        }
        judged
    }

    fn login(&self) -> LayerJudgement {
        let layer = Layer::Login;
        if let Some(fault) = self.fault_on(layer) {
            return fault;
        }
        let method = self.find(|fact| match fact {
            Fact::PasswordAsked { method } => Some(method.as_str()),
            _ => None,
        });
        let user = self.evidence.target.user.as_deref().unwrap_or_default();
        let user = crate::redact::visible(user);
        let fault = |text: String| Some(LayerJudgement::new(layer, Outcome::Fault, text));
        let untested = |text: String| Some(LayerJudgement::new(layer, Outcome::Untested, text));
        self.find(|fact| match fact {
            Fact::LoggedIn { elapsed_us } => {
                let how = method.unwrap_or("no password asked");
                let text = format!("signed in as {user}, {how}");
                Some(LayerJudgement::new(layer, Outcome::Ok, text).taking(*elapsed_us))
            }
            Fact::MethodUnsupported { methods } => fault(format!("no method in common: {methods}")),
            Fact::ProofWithheldPlaceholder => {
                fault("the password is a placeholder: not sent".to_owned())
            }
            Fact::ServerProofWrong => fault("the server does not prove itself".to_owned()),
            Fact::RefusedBefore { by } => {
                let by = crate::redact::visible(by);
                fault(format!("refused before, for {by}; not tried again"))
            }
            Fact::ProofWithheldSpent => {
                untested("not tried: another password was refused".to_owned())
            }
            Fact::PlaintextWithheld => {
                untested("asked in clear; not sent so without --allow-plaintext".to_owned())
            }
            Fact::BeyondUs { what, detail } if *what != crate::fact::Beyond::Encryption => {
                untested(detail.to_string())
            }
            _ => None,
        })
        .or_else(|| {
            (method.is_some() && self.has_no_password())
                .then(|| fault(format!("{user} is asked for a password; none is given")))?
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    fn session(&self) -> LayerJudgement {
        let layer = Layer::Session;
        if let Some(fault) = self.fault_on(layer) {
            return fault;
        }
        self.find(|fact| match fact {
            Fact::Instance(instance) => Some(self.session_of(instance)),
            Fact::InstanceUnknown { code, .. } => Some(LayerJudgement::new(
                layer,
                Outcome::Caution,
                format!("open, but it does not say who it is ({code})"),
            )),
            _ => None,
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    fn session_of(&self, instance: &Instance) -> LayerJudgement {
        let role = if instance.in_recovery {
            ", a replica"
        } else {
            ""
        };
        let text = format!(
            "{} on {} {}{role}",
            instance.database,
            self.evidence.target.engine.title(),
            instance
                .version
                .as_str()
                .split(' ')
                .next()
                .unwrap_or_default()
        );
        let outcome = if instance.in_recovery && self.wants_writable() {
            Outcome::Fault
        } else {
            Outcome::Ok
        };
        LayerJudgement::new(Layer::Session, outcome, text).taking(instance.round_trip_us)
    }

    /// What the server's side did on a layer, where that ends the way.
    fn fault_on(&self, layer: Layer) -> Option<LayerJudgement> {
        self.find(|fact| {
            let judged = |text: String| LayerJudgement::new(layer, Outcome::Fault, text);
            match fact {
                Fact::PeerSilent {
                    awaited, waited_us, ..
                } if stage(*awaited) == layer => Some(
                    judged(format!("connected, then silent {}", expecting(*awaited)))
                        .taking(*waited_us),
                ),
                Fact::PeerClosed {
                    awaited,
                    reset,
                    elapsed_us,
                    ..
                } if stage(*awaited) == layer => {
                    let how = if *reset { "reset" } else { "closed" };
                    let text = format!("{how} by the server {}", expecting(*awaited));
                    Some(judged(text).taking(*elapsed_us))
                }
                Fact::OtherAnswer { awaited, begins } if stage(*awaited) == layer => {
                    let begins: String = begins.as_str().chars().take(24).collect();
                    Some(judged(format!(
                        "not {}: begins with \"{begins}\"",
                        self.evidence.target.engine.title()
                    )))
                }
                Fact::ServerRefused {
                    code,
                    meaning,
                    awaited,
                    message,
                    elapsed_us,
                    ..
                } if layer_of_refusal(*meaning, *awaited) == layer => {
                    Some(judged(format!("{code} {message}")).taking(*elapsed_us))
                }
                _ => None,
            }
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

fn stage(awaited: Awaited) -> Layer {
    layer_of_refusal(Meaning::Other, awaited)
}

fn expecting(awaited: Awaited) -> &'static str {
    match awaited {
        Awaited::Encryption | Awaited::Greeting => "to the first request",
        Awaited::Challenge => "before the proof",
        Awaited::Admission => "after the proof",
        Awaited::SessionStart => "after the sign-in",
        Awaited::QueryAnswer => "to the query",
    }
}

fn refusal_symptom(meaning: Meaning, awaited: Awaited) -> Symptom {
    match meaning {
        Meaning::NotReady => Symptom::ListenerNotReady,
        Meaning::Stopping => Symptom::ListenerStopping,
        Meaning::ServerFull | Meaning::OutOfResources => Symptom::ListenerFull,
        Meaning::HostNotPermitted => Symptom::LoginHostRefused,
        Meaning::CredentialsRefused => Symptom::LoginCredentials,
        Meaning::IdentityRefused => Symptom::LoginIdentity,
        Meaning::AccountLimit => Symptom::LoginLimit,
        Meaning::TooSlow => Symptom::LoginMute,
        Meaning::DatabaseMissing => Symptom::SessionNoDatabase,
        Meaning::DatabaseNotPermitted => Symptom::SessionNotPermitted,
        Meaning::DatabaseClosed => Symptom::SessionDatabaseClosed,
        Meaning::StartupParameterRefused => Symptom::SessionParameter,
        Meaning::ProtocolRefused | Meaning::ServerInternal | Meaning::Other => {
            match stage(awaited) {
                Layer::Listener => Symptom::ListenerRefused,
                Layer::Login => Symptom::LoginRefused,
                _ => Symptom::SessionRefused,
            }
        }
    }
}

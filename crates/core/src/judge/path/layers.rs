//! What each layer of a path says.

use super::PathView;
use crate::endpoint::Endpoint;
use crate::fact::{Awaited, Fact, Instance};
use crate::judge::judged::LayerJudgement;
use crate::layer::{Layer, Outcome};

impl PathView<'_> {
    pub(super) fn route(&self) -> LayerJudgement {
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

    pub(super) fn port(&self) -> LayerJudgement {
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

    pub(super) fn listener(&self) -> LayerJudgement {
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

    pub(super) fn tls(&self) -> LayerJudgement {
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

    pub(super) fn login(&self) -> LayerJudgement {
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

    pub(super) fn session(&self) -> LayerJudgement {
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
        let role = match (instance.in_recovery, instance.read_only) {
            (true, _) => ", a replica",
            (false, true) => ", read-only by default",
            (false, false) => "",
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
        let outcome = if self.unfit(instance).is_some() {
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
                } if awaited.layer() == layer => Some(
                    judged(format!("connected, then silent {}", expecting(*awaited)))
                        .taking(*waited_us),
                ),
                Fact::PeerClosed {
                    awaited,
                    reset,
                    elapsed_us,
                    ..
                } if awaited.layer() == layer => {
                    let how = if *reset { "reset" } else { "closed" };
                    let text = format!("{how} by the server {}", expecting(*awaited));
                    Some(judged(text).taking(*elapsed_us))
                }
                Fact::OtherAnswer { awaited, begins } if awaited.layer() == layer => {
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
                } if meaning.layer(*awaited) == layer => {
                    Some(judged(format!("{code} {message}")).taking(*elapsed_us))
                }
                _ => None,
            }
        })
    }
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

//! What each layer of a path says.

use std::net::IpAddr;

use chronaxis_engines::by_id;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Awaited, Beyond, Fact, Instance, Service};
use chronaxis_model::layer::{Layer, Outcome};
use chronaxis_model::reserved_ranges::{self, Purpose};

use super::PathView;
use crate::judge::judged::LayerJudgement;
use crate::judge::services;
use crate::judge::session;
use crate::judge::summary::Summary;
use crate::judge::symptom::Symptom;

impl PathView<'_> {
    pub(super) fn route(&self) -> LayerJudgement {
        let layer = Layer::Route;
        self.find(|fact| match fact {
            Fact::RouteFound {
                source, interface, ..
            } => Some(LayerJudgement::new(
                layer,
                Outcome::Ok,
                self.leaves(*source, interface.as_deref()),
            )),
            Fact::RouteMissing { error } => Some(LayerJudgement::new(
                layer,
                Outcome::Fault,
                format!("no way to {}{}", self.endpoint, self.why_none(error)),
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

    /// From where it leaves, and what is special about where it goes.
    fn leaves(&self, source: IpAddr, interface: Option<&str>) -> String {
        let mut text = format!("leaves from {source}");
        if let Some(interface) = interface.filter(|_| !source.is_loopback()) {
            text.push_str(&format!(
                " by {}",
                chronaxis_model::redact::visible(interface)
            ));
        }
        let range = self.endpoint.ip().and_then(reserved_ranges::range_of);
        if let Some(range) = range.filter(|r| self.is_worth_a_word(*r)) {
            text.push_str(&format!(
                "; {} is {} ({})",
                self.endpoint
                    .ip()
                    .map(|ip| ip.to_string())
                    .unwrap_or_default(),
                range.title,
                range.standard
            ));
        }
        text
    }

    /// What an address is that no single host has.
    fn no_host(&self) -> String {
        let range = self.endpoint.ip().and_then(reserved_ranges::range_of);
        let range = range.filter(|r| r.purpose == Purpose::NoHost);
        range.map_or_else(String::new, |r| {
            format!("; no host has such an address ({})", r.title)
        })
    }

    /// Everybody knows loopback; and the addresses of books are at home in examples
    /// (RFC 6761, section 6.5).
    fn is_worth_a_word(&self, range: reserved_ranges::Range) -> bool {
        match range.purpose {
            Purpose::Loopback => false,
            Purpose::Documentation => !self.evidence.target.ends.iter().any(|end| {
                let text = end.to_string();
                let host = text
                    .rsplit_once(':')
                    .map_or(text.as_str(), |(host, _)| host);
                host.parse::<IpAddr>().is_ok() || host.trim_end_matches('.').ends_with(".example")
            }),
            _ => true,
        }
    }

    pub(super) fn port(&self) -> LayerJudgement {
        let layer = Layer::Port;
        let fault = |text: String| LayerJudgement::new(layer, Outcome::Fault, text);
        if let Some(elapsed) = self.connected() {
            let text = format!("{} connects", self.endpoint);
            return LayerJudgement::new(layer, Outcome::Ok, text).taking(elapsed);
        }
        let to = &self.endpoint;
        let given_up = self.gave_up().then(|| self.next_silent()).flatten();
        let given_up = given_up.as_ref();
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
                    let text = match (icmp, given_up) {
                        (Some(_), Some(silent)) => format!("{to}: {}", silent.text()),
                        (Some(icmp), None) => {
                            format!("{to}: {} from {}", icmp.title(), icmp.sender)
                        }
                        (None, _) => format!("{to}: {error}{}", self.no_host()),
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
                Fact::SocketNotPermitted { .. } => {
                    fault(format!("{to} does not allow this account"))
                }
                Fact::LocalFailure { error } => {
                    fault(format!("this machine could not connect: {error}"))
                }
                _ => return None,
            })
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    pub(super) fn listener(&self) -> LayerJudgement {
        let layer = Layer::Listener;
        if let Some(mut fault) = self.fault_on(layer) {
            let said = self.find(|fact| matches!(fact, Fact::OtherAnswer { .. }).then_some(()));
            if let (Some(service), None) = (self.other_service(), said) {
                fault.summary.add(&format!(
                    "; it is {}",
                    chronaxis_engines::service_title(service)
                ));
            }
            return fault;
        }
        if self.evidence.engine_untold()
            && let Some(service) = self.other_service()
        {
            let text = format!("{} answers", chronaxis_engines::service_title(service));
            return LayerJudgement::new(layer, Outcome::Ok, text);
        }
        self.find(|fact| match fact {
            Fact::SpokeProtocol { elapsed_us } => Some(
                LayerJudgement::new(
                    layer,
                    Outcome::Ok,
                    format!(
                        "speaks {}{}",
                        chronaxis_engines::title(self.evidence.target.engine),
                        self.what_it_offers()
                    ),
                )
                .taking(*elapsed_us),
            ),
            _ => None,
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    /// What a listener offers, or where it sends the client on.
    fn what_it_offers(&self) -> String {
        let sent_on = self.find(|fact| match fact {
            Fact::Redirected(redirect) => Some(redirect),
            _ => None,
        });
        if let Some(redirect) = sent_on {
            return format!(
                "; sends the client on to {redirect} ({})",
                redirect.instance
            );
        }
        let asked_alone = self.evidence.scope.until < Layer::Login;
        self.find(|fact| match fact {
            Fact::ServicesListed(offered) if asked_alone => Some(services::counted(offered)),
            Fact::ServicesWithheld { .. } if asked_alone => {
                Some("; does not list its services".to_owned())
            }
            _ => None,
        })
        .unwrap_or_default()
    }

    pub(super) fn login(&self) -> LayerJudgement {
        let layer = Layer::Login;
        if let Some(mut fault) = self.fault_on(layer) {
            if let Some(also) = self.said_in_clear() {
                fault.summary.add(&format!("; unencrypted: {also}"));
            }
            return fault;
        }
        // The last one asked for is the account's own.
        let method = self.all(|fact| match fact {
            Fact::PasswordAsked { method } => Some(method.as_str()),
            _ => None,
        });
        let method = method.last().copied();
        let user = self.evidence.target.user.as_deref().unwrap_or_default();
        let user = chronaxis_model::redact::visible(user);
        let fault = |text: String| Some(LayerJudgement::new(layer, Outcome::Fault, text));
        let untested = |text: String| Some(LayerJudgement::new(layer, Outcome::Untested, text));
        self.find(|fact| match fact {
            Fact::LoggedIn { elapsed_us } => {
                let how = method.unwrap_or("no password asked for");
                let text = format!("signed in as {user}, {how}");
                Some(LayerJudgement::new(layer, Outcome::Ok, text).taking(*elapsed_us))
            }
            Fact::MethodUnsupported { methods } => fault(format!("no method in common: {methods}")),
            Fact::ProofWithheldPlaceholder => {
                fault("the password is a placeholder: not sent".to_owned())
            }
            Fact::ServerProofWrong => {
                fault("the server could not prove that it knows the password".to_owned())
            }
            Fact::RefusedBefore { by } => {
                let by = chronaxis_model::redact::visible(by);
                fault(format!("already refused for {by}; not tried again"))
            }
            Fact::ProofWithheldSpent => {
                untested("not tried: another password was refused".to_owned())
            }
            Fact::PlaintextRefused => fault(
                "the password is asked for in clear text; this client does not send it that way"
                    .to_owned(),
            ),
            Fact::PlaintextWithheld => untested(
                "the password is asked for in clear text; not sent without --allow-plaintext"
                    .to_owned(),
            ),
            Fact::BeyondUs {
                what: Beyond::LoginMethod | Beyond::ProofCost,
                detail,
            } => untested(detail.to_string()),
            _ => None,
        })
        .or_else(|| {
            (method.is_some() && self.has_no_password()).then(|| {
                fault(format!(
                    "the server asks {user} for a password; none is given"
                ))
            })?
        })
        .or_else(|| {
            // Some protocols send the first proof with the account's name, and the server
            // may refuse the line for another reason.
            let early = matches!(self.refusal(), Some((m, a)) if m.layer(a) < layer);
            (early && method.is_some())
                .then(|| untested("not tested: already refused".to_owned()))?
        })
        .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    pub(super) fn session(&self) -> LayerJudgement {
        let layer = Layer::Session;
        if let Some(fault) = self.fault_on(layer) {
            return fault;
        }
        let asked = self.find(|fact| match fact {
            Fact::ClientDataRefused { asked } => Some(asked),
            _ => None,
        });
        if let Some(asked) = asked {
            let text = format!("the server asks for the file {asked} of this machine; refused");
            return LayerJudgement::new(layer, Outcome::Fault, text);
        }
        self.find(|fact| match fact {
            Fact::Instance(instance) => Some(self.session_of(instance)),
            Fact::InstanceUnknown { code, .. } => Some(LayerJudgement::new(
                layer,
                Outcome::Caution,
                format!("open, but the server does not say which instance it is ({code})"),
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
        let version = instance.version.as_str();
        let engine = match version.contains("MariaDB") {
            true => "MariaDB",
            false => chronaxis_engines::title(self.evidence.target.engine),
        };
        let number = version.split([' ', '-']).next().unwrap_or_default();
        let database = match instance.database.as_str() {
            "" => "no database",
            name => name,
        };
        let where_to = services::instance_called(instance);
        let unfit = self.unfit(instance);
        let without = match unfit {
            Some(Symptom::SessionNoSchema | Symptom::SessionNoPrivileges) => {
                session::unusable(instance)
            }
            _ => String::new(),
        };
        let other = match unfit {
            Some(Symptom::SessionOtherInstance) => {
                let name = instance.name().or_else(|| instance.address.clone());
                format!(", {} answered", name.unwrap_or_default())
            }
            _ => String::new(),
        };
        let lasting = session::lasting(self);
        let text =
            format!("{database} on {engine} {number}{where_to}{role}{without}{other}{lasting}");
        let outcome = match unfit.or_else(|| self.lasting_fault()) {
            Some(_) => Outcome::Fault,
            None => Outcome::Ok,
        };
        LayerJudgement::new(Layer::Session, outcome, text).taking(instance.round_trip_us)
    }

    /// What the server said to the client's second line, in clear, where it is the first
    /// that counts.
    fn said_in_clear(&self) -> Option<String> {
        self.find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()))?;
        self.find_on_other_line(|fact| match fact {
            Fact::ServerRefused { code, message, .. } => Some(format!("{code} {message}")),
            _ => None,
        })
    }

    /// What the server's side did on a layer, where that ends the way.
    fn fault_on(&self, layer: Layer) -> Option<LayerJudgement> {
        self.find(|fact| {
            let judged = |text: Summary| LayerJudgement::new(layer, Outcome::Fault, text);
            match fact {
                Fact::PeerSilent {
                    awaited, waited_us, ..
                } if awaited.layer() == layer => Some(
                    judged(
                        format!(
                            "connected, then no answer {}",
                            self.expecting(*awaited, "to")
                        )
                        .into(),
                    )
                    .taking(*waited_us),
                ),
                Fact::PeerClosed {
                    awaited,
                    reset,
                    elapsed_us,
                    ..
                } if awaited.layer() == layer => {
                    let how = if *reset { "reset" } else { "closed" };
                    let text = format!("{how} by the server {}", self.expecting(*awaited, "at"));
                    Some(judged(text.into()).taking(*elapsed_us))
                }
                Fact::OtherAnswer {
                    awaited,
                    begins,
                    service,
                } if awaited.layer() == layer => {
                    if let Some(service) = service {
                        let text =
                            format!("{} answers", chronaxis_engines::service_title(*service));
                        return Some(judged(text.into()));
                    }
                    let begins: String = begins.as_str().chars().take(24).collect();
                    Some(judged(
                        format!(
                            "not {}: begins with \"{begins}\"",
                            chronaxis_engines::title(self.evidence.target.engine)
                        )
                        .into(),
                    ))
                }
                Fact::ServerRefused {
                    code,
                    meaning,
                    awaited,
                    message,
                    elapsed_us,
                    ..
                } if meaning.layer(*awaited) == layer => {
                    Some(judged(Summary::server_said(code, message)).taking(*elapsed_us))
                }
                _ => None,
            }
        })
    }

    /// When it came, as it follows a word: silent *to* a request, closed *at* a request.
    fn expecting(&self, awaited: Awaited, to: &str) -> String {
        let greets = by_id(self.evidence.target.engine).spec.server_greets;
        let when = match awaited {
            Awaited::Greeting if greets => "instead of greeting",
            Awaited::Encryption | Awaited::Greeting => return format!("{to} the first request"),
            Awaited::Handshake => "in the handshake",
            Awaited::Service => return format!("{to} the request for the service"),
            Awaited::Challenge => "before the password was sent",
            Awaited::Admission => "after the password was sent",
            Awaited::SessionStart => "after the sign-in",
            Awaited::QueryAnswer => return format!("{to} the query"),
        };
        when.to_owned()
    }

    /// Who answers in place of the engine, where that was found out.
    pub fn other_service(&self) -> Option<Service> {
        self.find(|fact| match fact {
            Fact::OtherAnswer { service, .. } | Fact::ServiceAsked { service, .. } => *service,
            _ => None,
        })
    }
}

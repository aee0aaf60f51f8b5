//! A client that is sent on from place to place: each place judged by itself, and what that
//! says of the whole.

use std::net::IpAddr;

use chronaxis_engines::by_id;
use chronaxis_model::fact::{Fact, Observation, Redirect, RedirectTrouble};
use chronaxis_model::layer::{Layer, Outcome};
use chronaxis_model::target::{End, ShownTarget};

use super::PathView;
use super::evidence::{Again, Evidence, Scope};
use super::judged::{Judgement, LayerJudgement, Status};
use super::symptom::Symptom;

/// One place of a chain.
#[derive(Clone, Debug)]
pub struct Place {
    /// The target as it is there.
    pub target: ShownTarget,
    /// What was asked.
    pub scope: Scope,
    /// What was seen there.
    pub log: Vec<Observation>,
    /// Where the client was sent from there.
    pub redirect: Option<Redirect>,
    /// Why it did not go.
    pub trouble: Option<RedirectTrouble>,
}

impl Place {
    /// What the judge and the inference look at, of this place alone.
    pub fn evidence(&self) -> Evidence<'_> {
        Evidence {
            target: &self.target,
            scope: &self.scope,
            log: &self.log,
        }
    }
}

/// The target at the place to which a client is sent on.
pub fn sent_on(target: &ShownTarget, redirect: &Redirect) -> ShownTarget {
    let mut there = target.clone();
    there.ends = vec![End::Host {
        host: redirect.host.as_str().to_owned(),
        port: redirect.port,
        address: None,
    }];
    by_id(target.engine)
        .protocol
        .pin(&mut there.options, redirect.instance.as_str());
    there
}

/// The places over which a log leads, where the client was sent on at all.
pub fn places(evidence: Evidence<'_>) -> Option<Vec<Place>> {
    let redirected = |log: &[Observation]| {
        let told = log.iter().rev().filter_map(Observation::fact);
        told.into_iter().find_map(|fact| match fact {
            Fact::Redirected(redirect) => Some(redirect.clone()),
            _ => None,
        })
    };
    redirected(evidence.log)?;
    let (settings, scope) = (settings(evidence), scope(evidence));
    let listing = |o: &&Observation| matches!(o.fact(), Some(Fact::ServicesListed(_)));
    let listing = evidence.log.iter().find(listing).cloned();
    let mut out: Vec<Place> = Vec::new();
    let mut target = evidence.target.clone();
    let most = by_id(target.engine).protocol.most_redirects();
    for number in 0..=most {
        let number = u32::try_from(number).ok().filter(|n| *n > 0);
        let here = evidence.log.iter().filter(|o| o.about.redirect == number);
        let mut log: Vec<Observation> = here.cloned().collect();
        if log.is_empty() {
            break;
        }
        for one in &mut log {
            one.about.redirect = None;
        }
        if number.is_some() {
            log.splice(0..0, settings.iter().cloned());
            // What the first listener offers bears on who answers; what is offered here comes
            // before it.
            log.extend(listing.iter().cloned());
        }
        let redirect = redirected(&log);
        let trouble = log.iter().find_map(|o| match o.fact() {
            Some(Fact::RedirectNotFollowed { trouble }) => Some(*trouble),
            _ => None,
        });
        let next = redirect.as_ref().map(|redirect| sent_on(&target, redirect));
        out.push(Place {
            target: std::mem::replace(&mut target, next.unwrap_or_else(|| evidence.target.clone())),
            scope: scope.clone(),
            log,
            redirect: redirect.clone(),
            trouble,
        });
        if redirect.is_none() {
            break;
        }
    }
    Some(out)
}

/// What the settings show holds at every place.
fn settings(evidence: Evidence<'_>) -> Vec<Observation> {
    let of_settings = |o: &&Observation| o.layer <= Layer::Bundle && o.about.redirect.is_none();
    evidence.log.iter().filter(of_settings).cloned().collect()
}

/// Whoever repeats the run begins at the first place.
fn scope(evidence: Evidence<'_>) -> Scope {
    let described = || {
        by_id(evidence.target.engine)
            .strings
            .described(evidence.target)
    };
    let again = evidence.scope.again.clone().or_else(|| {
        let shown = !evidence.target.partly_hidden;
        shown.then(|| Again {
            options: Vec::new(),
            target: vec![described()],
            lasting: false,
        })
    });
    Scope {
        again,
        ..evidence.scope.clone()
    }
}

/// Whether the last place was not reached: the client did not go there, or nothing there
/// spoke the protocol.
pub fn is_unreached(chain: &[Place], last: &Judgement) -> bool {
    let sent_on = chain.last().is_some_and(|place| place.redirect.is_some());
    let by_redirect = chain.len() > 1;
    let silent = last.status.symptom.is_some_and(|symptom| {
        symptom.layer() <= Layer::Port
            || matches!(
                symptom,
                Symptom::ListenerMute
                    | Symptom::ListenerSlow
                    | Symptom::ListenerClosed
                    | Symptom::ListenerOther
            )
    });
    (sent_on && !is_given_up(chain)) || (by_redirect && silent)
}

/// Whether the client was sent on, and the time for the target was over before it went.
fn is_given_up(chain: &[Place]) -> bool {
    let last = chain.last();
    last.is_some_and(|place| place.redirect.is_some() && place.trouble.is_none())
}

/// What is wrong with the address under which an instance is registered.
#[derive(Clone, Copy, Debug)]
pub enum WrongAddress<'a> {
    /// No client gets to an instance by it.
    LeadsNowhere(RedirectTrouble),
    /// It leads every client to its own machine, though the listener is on another one.
    LeadsHome(&'a Redirect),
}

/// Whether the address to which the client is sent on is the fault, wherever the client stands.
pub fn registered_wrongly<'a>(view: &PathView<'a>) -> Option<WrongAddress<'a>> {
    let trouble = view.find(|fact| match fact {
        Fact::RedirectNotFollowed { trouble } => Some(*trouble),
        _ => None,
    });
    if let Some(trouble) = trouble {
        return Some(WrongAddress::LeadsNowhere(trouble));
    }
    let listener = view.endpoint.ip()?;
    let redirect = view.find(|fact| match fact {
        Fact::Redirected(redirect) => Some(redirect),
        _ => None,
    })?;
    let host = redirect.host.as_str();
    let own = |ip: IpAddr| ip.is_loopback() || ip.is_unspecified();
    let home = host.eq_ignore_ascii_case("localhost") || host.parse().is_ok_and(own);
    (home && !own(listener)).then_some(WrongAddress::LeadsHome(redirect))
}

/// Hands on what was seen at the place that decides, with how the whole stands: of a client
/// that was sent on, the last place; the one before, where that was not reached.
pub fn at_the_deciding_place<T>(
    evidence: Evidence<'_>,
    with: impl FnOnce(Evidence<'_>, &Judgement) -> T,
) -> T {
    let whole = super::judge(evidence);
    let Some(chain) = places(evidence) else {
        return with(evidence, &whole);
    };
    let unreached = whole.status.symptom == Some(Symptom::ListenerRedirect);
    let sender = chain.iter().rev().find(|place| place.redirect.is_some());
    let deciding = sender.filter(|_| unreached).or(chain.last());
    let Some(deciding) = deciding else {
        return with(evidence, &whole);
    };
    let own = Judgement {
        status: whole.status,
        layers: whole.layers,
        ..super::judge_place(deciding.evidence())
    };
    with(deciding.evidence(), &own)
}

/// Judges the whole of a chain.
pub(super) fn judge(chain: &[Place], one: fn(Evidence<'_>) -> Judgement) -> Judgement {
    let all: Vec<Judgement> = chain.iter().map(|place| one(place.evidence())).collect();
    let (Some(first), Some(last)) = (all.first(), all.last()) else {
        return Judgement {
            layers: Vec::new(),
            paths: Vec::new(),
            lost_names: Vec::new(),
            status: Status::default(),
            decisive: None,
        };
    };
    let unreached = is_unreached(chain, last);
    let mut whole = first.clone();
    whole.status = match unreached {
        true => Status {
            symptom: Some(Symptom::ListenerRedirect),
            untold: None,
        },
        false if is_given_up(chain) => Status {
            symptom: None,
            untold: Some(Layer::Login),
        },
        false => last.status,
    };
    for judged in &mut whole.layers {
        let there = last.layers.iter().find(|l| l.layer == judged.layer);
        *judged = match (judged.layer, there) {
            (Layer::Listener, Some(there)) if unreached => not_reached(chain, last, there),
            (Layer::Listener, Some(there)) => reached(chain, there),
            (Layer::Login | Layer::Session, _) if unreached => {
                LayerJudgement::new(judged.layer, Outcome::Unreached, "")
            }
            (Layer::Tls | Layer::Login | Layer::Session, Some(there)) if !unreached => {
                there.clone()
            }
            _ => continue,
        };
    }
    whole
}

/// The listener's layer, where the last place has spoken.
fn reached(chain: &[Place], there: &LayerJudgement) -> LayerJudgement {
    let end = chain.last().and_then(|place| place.target.ends.first());
    let end = end.map(End::to_string).unwrap_or_default();
    // What ended there before a word of the protocol stands in its own layer.
    if there.summary.is_empty() {
        let text = format!("sends the client on to {end}");
        return LayerJudgement::new(Layer::Listener, Outcome::Ok, text);
    }
    LayerJudgement {
        summary: format!("sent on to {end}: {}", there.summary).into(),
        ..there.clone()
    }
}

/// The listener's layer, where it has not.
fn not_reached(chain: &[Place], last: &Judgement, there: &LayerJudgement) -> LayerJudgement {
    let text = why_not(chain, last);
    let mut judged = LayerJudgement::new(Layer::Listener, Outcome::Fault, text);
    judged.elapsed = there.elapsed;
    judged
}

/// Where the client was sent, and why it does not come there.
fn why_not(chain: &[Place], last: &Judgement) -> String {
    let Some(place) = chain.last() else {
        return String::new();
    };
    if let Some(redirect) = &place.redirect {
        let why = match place.trouble {
            Some(RedirectTrouble::Circle) => "where it has been already: a circle",
            Some(RedirectTrouble::TooOften) => "and it was sent on three times before",
            Some(RedirectTrouble::NoPlace) => "which is no host and port",
            None => "and the time for this target was over",
        };
        return format!("sends the client on to {redirect}, {why}");
    }
    let end = place
        .target
        .ends
        .first()
        .map(End::to_string)
        .unwrap_or_default();
    let failed = last
        .layers
        .iter()
        .find(|l| l.outcome == Outcome::Fault && l.layer >= Layer::Name);
    let why = failed.map_or_else(String::new, |l| format!(": {}", l.summary));
    format!("sends the client on to {end}{why}")
}

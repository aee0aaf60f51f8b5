//! What follows where the client was sent on: the place at which it ended speaks for the
//! whole, unless it was not reached.

use chronaxis_model::found::CauseId;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::visible;
use chronaxis_model::target::End;

use super::{Assessment, Occasion, Verdict, assess_place, decisive_view, shown_causes, verdict_of};
use crate::inference;
use crate::judge::{
    Evidence, Judgement, LayerJudgement, Place, Symptom, at_the_deciding_place, is_unreached,
    judge, registered_wrongly,
};
use crate::knowledge::causes::Owner;

use super::answers_for;
use super::shape::AlsoFound;

/// A place to which the client was sent on.
#[derive(Clone, Debug)]
pub struct PlaceVerdict {
    /// The host, as it was told.
    pub host: String,
    /// The port.
    pub port: u16,
    /// The instance for which it was to ask there.
    pub instance: String,
    /// How each layer ended there, from the name on.
    pub layers: Vec<LayerJudgement>,
    /// How it stopped there.
    pub symptom: Option<Symptom>,
    /// The likeliest cause of that, with its probability.
    pub cause: Option<(String, f64)>,
}

/// Judges a log that leads over several places.
pub(super) fn assess(evidence: Evidence<'_>, chain: &[Place], occasion: &Occasion) -> Assessment {
    let each: Vec<Assessment> = chain
        .iter()
        .map(|place| assess_place(place.evidence(), occasion))
        .collect();
    let whole = judge(evidence);
    let redirects = verdicts(chain, &each);
    let (Some(first), Some(last)) = (each.first(), each.last()) else {
        return assess_place(evidence, occasion);
    };
    let mut out = Assessment {
        paths: first.paths.clone(),
        also_found: also_found(&each),
        redirects,
        ..last.clone()
    };
    if chain.last().is_some_and(|place| place.redirect.is_some())
        || is_unreached(chain, &last.judgement)
    {
        sent_to_nowhere(evidence, &mut out, chain, &whole, last, occasion);
    }
    let way = way(chain);
    out.verdict.handover = out.verdict.handover.map(|said| format!("{way}{said}"));
    out.verdict.as_far_as = evidence.scope.until;
    out.judgement = whole;
    out
}

/// The place that sent the client to where it did not come speaks, and says where to.
fn sent_to_nowhere(
    evidence: Evidence<'_>,
    out: &mut Assessment,
    chain: &[Place],
    whole: &Judgement,
    last: &Assessment,
    occasion: &Occasion,
) {
    let (verdict, weighed, wrong) = at_the_deciding_place(evidence, |evidence, own| {
        let view = decisive_view(evidence, own);
        let wrong = registered_wrongly(&view).is_some();
        let weighed = own.status.symptom.map(|symptom| {
            let answers = answers_for(&view, symptom);
            let weighed = inference::weigh(symptom, &answers);
            (symptom, answers, weighed)
        });
        let verdict = verdict_of(evidence, own, &view, weighed.as_ref(), occasion);
        (verdict, weighed, wrong)
    });
    let trouble = chain.last().and_then(|place| place.trouble);
    let listener = whole.layers.iter().find(|l| l.layer == Layer::Listener);
    let why = listener.map(|l| l.summary.to_string()).unwrap_or_default();
    let layer = last.judgement.status.symptom.map(Symptom::layer);
    let there = match trouble {
        // The place was not reached, though its name leads somewhere: what was seen of it is
        // the proof.
        None if layer >= Some(Layer::Route) => last.verdict.handover.as_deref(),
        _ => None,
    };
    let handover = verdict.handover.map(|own| match there {
        Some(there) => format!("{own} Of the place to which it is sent on: {there}"),
        None => own,
    });
    // An address that is wrong for everybody, and a host that answers with nothing there, are
    // not in the hands of the network.
    let owner = match wrong || last.verdict.owner == Some(Owner::Dba) {
        true => Some(Owner::Dba),
        false => verdict.owner,
    };
    let next_test = last.verdict.next_test.clone().filter(|_| trouble.is_none());
    out.verdict = Verdict {
        headline: format!("The listener {}.", visible(&why)),
        handover,
        owner,
        network: last.verdict.network.clone(),
        next_test: next_test.or(verdict.next_test),
        ..verdict
    };
    let (mut causes, ruled_out) =
        weighed.map_or_else(Default::default, |(_, _, w)| shown_causes(&w));
    for cause in &mut causes {
        if cause.is(CauseId::RedirectUnreachable) {
            cause.owner = owner;
        }
    }
    out.causes = causes;
    out.ruled_out = ruled_out;
}

/// Over which places the client came, in a sentence of its own.
fn way(chain: &[Place]) -> String {
    let ends: Vec<String> = chain
        .iter()
        .filter_map(|place| place.target.ends.first())
        .map(|end| visible(&end.to_string()))
        .collect();
    match ends.as_slice() {
        [_, _, ..] => format!("The client was sent on: {}. ", ends.join(" → ")),
        _ => String::new(),
    }
}

/// What else was seen, at whichever place, each once.
fn also_found(each: &[Assessment]) -> Vec<AlsoFound> {
    let mut out: Vec<AlsoFound> = Vec::new();
    for found in each.iter().flat_map(|one| &one.also_found) {
        if !out
            .iter()
            .any(|known| known.id == found.id && known.text == found.text)
        {
            out.push(found.clone());
        }
    }
    out
}

fn verdicts(chain: &[Place], each: &[Assessment]) -> Vec<PlaceVerdict> {
    let senders = chain.iter().zip(each.iter().skip(1));
    let place = |(sender, there): (&Place, &Assessment)| {
        let redirect = sender.redirect.as_ref()?;
        let first = there.verdict.cause.clone().zip(there.verdict.probability);
        let layers = there.judgement.layers.iter();
        Some(PlaceVerdict {
            host: redirect.host.as_str().to_owned(),
            port: redirect.port,
            instance: redirect.instance.as_str().to_owned(),
            layers: layers.filter(|l| l.layer >= Layer::Name).cloned().collect(),
            symptom: there.judgement.status.symptom,
            cause: first,
        })
    };
    senders.filter_map(place).collect()
}

/// The place as one word.
impl std::fmt::Display for PlaceVerdict {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let end = End::Host {
            host: self.host.clone(),
            port: self.port,
            address: None,
        };
        f.write_str(&visible(&end.to_string()))
    }
}

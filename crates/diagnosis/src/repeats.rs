//! The same target tried again and again: which instance answered how often, what failed, and
//! how long it took. What is kept does not grow with the number of tries.

use std::collections::BTreeMap;

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, FailureMet, Instance, InstanceMet, Repeats};
use chronaxis_model::layer::{Layer, Micros};

use crate::judge::{Evidence, judge};
use crate::verdict::{Occasion, assess};

/// Most instances, and most kinds of failure, that are told apart.
const MOST_KINDS: usize = 64;

/// Most sessions that are held open together.
const MOST_TOGETHER: u32 = 10;

/// So many tries of which none works are enough.
const MOST_IN_VAIN: u32 = 10;

/// Times are counted in classes, each a tenth longer than the one before.
const CLASS: f64 = 1.1;

/// Whether it may turn out otherwise when it is tried again at once: it works, or it failed in
/// a place where another server may answer next time. A refused sign-in is not repeated.
pub fn may_differ(evidence: Evidence<'_>) -> bool {
    let status = judge(evidence).status;
    match status.symptom {
        None => status.works(),
        Some(symptom) => matches!(
            symptom.layer(),
            Layer::Port | Layer::Listener | Layer::Session
        ),
    }
}

/// What came of the tries so far.
#[derive(Debug, Default)]
pub struct Tally {
    runs: u32,
    working: u32,
    answered: u32,
    instances: BTreeMap<(String, String), InstanceMet>,
    failures: BTreeMap<String, u32>,
    classes: BTreeMap<u32, u32>,
    shortest: Option<Micros>,
    longest: Micros,
    together: Option<u32>,
    refused: bool,
}

impl Tally {
    /// Counts a try that took so long.
    pub fn count(&mut self, evidence: Evidence<'_>, took: Micros, occasion: &Occasion) {
        self.runs += 1;
        self.answered += u32::from(is_answered(evidence));
        // One that is not meant, or whose schema is missing, answered too.
        if let Some((place, instance)) = met(evidence) {
            self.meet(&place, instance);
        }
        if judge(evidence).status.works() {
            self.working += 1;
            self.shortest = Some(self.shortest.map_or(took, |known| known.min(took)));
            self.longest = self.longest.max(took);
            let class = (took.0.max(1) as f64).log(CLASS) as u32;
            *self.classes.entry(class).or_default() += 1;
            return;
        }
        let verdict = assess(evidence, occasion).verdict;
        self.refused |= verdict.seen_at == Some(Layer::Login);
        let symptom = verdict.symptom.unwrap_or_else(|| "not tested".to_owned());
        // Before the sign-in a try without a look around knows less than the first one does.
        let told = verdict.seen_at >= Some(Layer::Login);
        let cause = verdict.cause.filter(|_| told);
        let cause = cause.map(|cause| format!(" ({cause})"));
        let what = format!("{symptom}{}", cause.unwrap_or_default());
        if self.failures.len() < MOST_KINDS || self.failures.contains_key(&what) {
            *self.failures.entry(what).or_default() += 1;
        }
    }

    fn meet(&mut self, place: &Endpoint, instance: &Instance) {
        let id = instance.identifier().unwrap_or_default();
        let key = (id, place.to_string());
        if self.instances.len() >= MOST_KINDS && !self.instances.contains_key(&key) {
            return;
        }
        let met = self.instances.entry(key).or_insert_with(|| InstanceMet {
            id: shown_id(instance),
            name: instance.name(),
            address: place.to_string(),
            read_only: instance.in_recovery || instance.read_only,
            started: Some(instance.started.clone()).filter(|s| !s.as_str().is_empty()),
            times: 0,
        });
        met.times += 1;
    }

    /// So many sessions were open at one time.
    pub fn were_together(&mut self, count: u32) {
        self.together = Some(count);
    }

    /// How many tries were made.
    pub fn runs(&self) -> u32 {
        self.runs
    }

    /// Whether a sign-in was refused: then nothing is tried any more.
    pub fn is_refused(&self) -> bool {
        self.refused
    }

    /// Whether nothing worked so often that it hardly will.
    pub fn is_hopeless(&self) -> bool {
        self.working == 0 && self.runs >= MOST_IN_VAIN
    }

    /// What came of them, as a fact.
    pub fn fact(&self) -> Fact {
        let half = self.working.div_ceil(2);
        let mut passed = 0;
        let median = self.classes.iter().find_map(|(class, count)| {
            passed += count;
            (passed >= half).then(|| Micros(CLASS.powi(*class as i32 + 1) as u64))
        });
        let shortest = self.shortest.unwrap_or_default();
        let median = median.unwrap_or_default();
        Fact::Repeated(Box::new(Repeats {
            runs: self.runs,
            working: self.working,
            answered: Some(self.answered),
            together: self.together,
            instances: self.instances.values().cloned().collect(),
            failures: self
                .failures
                .iter()
                .map(|(what, times)| FailureMet {
                    what: what.clone(),
                    times: *times,
                })
                .collect(),
            shortest_us: shortest,
            median_us: median.max(shortest).min(self.longest),
            longest_us: self.longest,
        }))
    }
}

/// Whether whoever was meant answered: in its protocol, or by taking the connection where no
/// more was asked.
fn is_answered(evidence: Evidence<'_>) -> bool {
    let port_only = evidence.scope.until <= Layer::Port;
    evidence.facts().any(|(_, fact)| match fact {
        Fact::SpokeProtocol { .. } | Fact::ServerRefused { .. } => true,
        Fact::PortConnected { .. } => port_only,
        _ => false,
    })
}

/// How many sessions are held open together, of those that were wanted: no more than ten, and
/// than a tenth of the free places that the server tells of.
pub fn together(evidence: Evidence<'_>, wanted: u32) -> u32 {
    let places = met(evidence).and_then(|(_, instance)| {
        let around = instance.surroundings.as_ref()?;
        let places = around.connections?;
        let kept = around.reserved.unwrap_or_default();
        Some(
            places
                .allowed?
                .saturating_sub(kept)
                .saturating_sub(places.used),
        )
    });
    let most = places.map_or(1, |free| (free / 10).max(1));
    wanted.min(MOST_TOGETHER).min(most)
}

/// The instance that answered, and where.
fn met<'a>(evidence: Evidence<'a>) -> Option<(Endpoint, &'a Instance)> {
    evidence.facts().find_map(|(seen, fact)| match fact {
        Fact::Instance(instance) => Some((Endpoint::of(&seen.about)?, &**instance)),
        _ => None,
    })
}

fn shown_id(instance: &Instance) -> chronaxis_model::redact::Redacted {
    // Where it is called by a name, that says more than what makes it unique.
    let named = instance.system_identifier.as_ref();
    let named = named.filter(|id| instance.name().as_ref() == Some(*id));
    let own = named
        .or(instance.uuid.as_ref())
        .or(instance.system_identifier.as_ref());
    own.cloned().unwrap_or_default()
}

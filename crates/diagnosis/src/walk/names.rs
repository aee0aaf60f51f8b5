//! Names: the system's own answer, the hosts file, and every resolver by itself; where a
//! name does not exist, names near it.
//!
//! The walk goes on with the system's answer as soon as that is there. The resolvers are
//! asked beside it, and hold nothing up that works.

mod asking;
mod near;
mod word;

use std::net::{Ipv6Addr, SocketAddr};

use chronaxis_model::fact::{Fact, RecordKind, Resolvers, Subject};
use chronaxis_model::invariant;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, LocalLook, Order, Probe};
use chronaxis_model::reserved_ranges::names_here;
use chronaxis_model::target::End;

use super::{Running, Walk};
use crate::judge::MOST_HOSTS;
use crate::run_cache::{Claim, Seen, Shared};
use crate::run_state::RunState;

/// Most resolvers that are asked.
const MOST_RESOLVERS: usize = 8;

/// Most suffixes that are tried with a name.
const MOST_SUFFIXES: usize = 6;

/// Most aliases that are followed where a resolver does not.
const MOST_FOLLOWED: usize = 4;

/// How long a resolver may take where the way fails for another reason.
pub(super) const BESIDE: Micros = Micros::from_millis(1000);

/// Most hidden addresses that are knocked on.
pub(super) const MOST_HIDDEN: usize = 2;

/// Most places of a service that are looked up.
const MOST_PLACES: usize = 8;

/// One resolver being asked for one name.
#[derive(Debug)]
struct Asking {
    name: String,
    resolver: SocketAddr,
    /// Whole names that are still to be tried, the next one last.
    left: Vec<String>,
    /// The one under way, and how many of its questions are open.
    current: String,
    open: usize,
    /// Whether it gave anything, or failed: then no further suffix is tried.
    settled: bool,
    /// Whether the places of a service are asked for, not addresses.
    places: bool,
    /// How many aliases were followed that the resolver itself did not.
    followed: usize,
}

/// What is near a name that does not exist.
#[derive(Debug)]
struct Near {
    name: String,
    resolver: SocketAddr,
    left: Vec<String>,
    open: usize,
}

/// How far the names of a target are.
#[derive(Debug, Default)]
pub(super) struct Names {
    /// Names whose own look-up another target of the run makes.
    awaited: Vec<String>,
    /// Questions that another target of the run asks.
    awaited_questions: Vec<(SocketAddr, String, String, RecordKind)>,
    asking: Vec<Asking>,
    sources_known: bool,
    began: Micros,
    near: Vec<Near>,
    near_begun: bool,
    /// Whether the places of a service were looked up.
    places_begun: bool,
    /// Whether the questions that are open are given up.
    stopped: bool,
}

impl Names {
    /// Whether something of another target of the run is waited for.
    pub(super) fn awaits(&self) -> bool {
        !self.awaited.is_empty() || !self.awaited_questions.is_empty()
    }
}

impl Walk {
    /// Asks for all names at once, in every way.
    pub(super) fn look_up(&mut self, run: &mut RunState, now: Micros) {
        self.names.began = now;
        self.look_up_list_names(now);
        let names = self.names_told();
        if names.is_empty() {
            self.note(now, Layer::Name, Subject::default(), Fact::NameNotNeeded);
            return;
        }
        let by_system = self.scope.resolvers.is_empty() && !self.by_service_records();
        for name in names.iter().filter(|n| by_system || names_its_link(n)) {
            self.ask_system(run, now, name.clone());
        }
        let what = Probe::LookHere {
            what: LocalLook::NameSources { names },
            redactor: self.redactor.clone(),
        };
        let until = now.after(self.scope.patience_us);
        self.start(now, until, Subject::default(), Running::NameSources, what);
    }

    /// Whether hosts and ports come from service records (RFC 2782).
    fn by_service_records(&self) -> bool {
        self.evidence().by_service_records()
    }

    fn names_told(&self) -> Vec<String> {
        let mut names: Vec<String> = Vec::new();
        let ends = self.target.ends.iter().take(MOST_HOSTS);
        for name in ends.filter_map(End::name) {
            if !names.iter().any(|known| known == name) {
                names.push(name.to_owned());
            }
        }
        names
    }

    fn ask_system(&mut self, run: &mut RunState, now: Micros, name: String) {
        match run
            .cache
            .claim(&Shared::Name(name.clone()), self.turns.number)
        {
            Claim::Pending => self.names.awaited.push(name),
            Claim::Known(seen) => self.note_shared(now, seen),
            Claim::Yours => {
                self.touched.lookups += 1;
                let until = now.after(self.scope.patience_us);
                let about = Subject::name(&name);
                self.start(now, until, about, Running::LookUp, Probe::LookUp { name });
            }
        }
    }

    fn note_shared(&mut self, now: Micros, seen: Vec<Seen>) {
        for (layer, about, fact) in seen {
            self.note(now, layer, about, fact);
        }
    }

    /// The system's own look-up of a name is over.
    pub(super) fn look_up_ended(
        &mut self,
        run: &mut RunState,
        now: Micros,
        about: Subject,
        how: &Ended,
    ) {
        invariant::holds(about.name.is_some(), "a question about a name has the name");
        let name = about.name.clone().unwrap_or_default();
        if matches!(how, Ended::Unanswered) {
            self.take_word_behind_silence(now, &name);
        }
        let seen = self.seen_of(|o, fact| {
            o.name.as_deref() == Some(name.as_str()) && is_systems(fact) && o.resolver.is_none()
        });
        match seen.is_empty() {
            // What failed here may not fail for others.
            true => run.cache.release(&Shared::Name(name)),
            false => run.cache.publish(Shared::Name(name), seen),
        }
    }

    /// What the log holds of something, to be handed on.
    pub(super) fn seen_of(&self, fits: impl Fn(&Subject, &Fact) -> bool) -> Vec<Seen> {
        let seen = self.evidence().seen().all();
        seen.filter(|(o, fact)| fits(&o.about, fact))
            .map(|(o, fact)| (o.layer, o.about.clone(), fact.clone()))
            .collect()
    }

    /// What this machine says of names was read: the resolvers are asked.
    pub(super) fn sources_ended(&mut self, run: &mut RunState, now: Micros) {
        self.names.sources_known = true;
        let Resolvers {
            mut resolvers,
            search,
            ndots,
        } = self.resolvers_configured();
        if !self.scope.resolvers.is_empty() {
            resolvers = self.scope.resolvers.clone();
            let fact = Fact::ResolversFound(Resolvers {
                resolvers: resolvers.clone(),
                search: search.clone(),
                ndots,
            });
            // What the user names stands in place of what is configured.
            self.log
                .take_back(|fact| matches!(fact, Fact::ResolversFound(_)));
            self.note(now, Layer::Name, Subject::default(), fact);
        }
        for name in self.names_told() {
            if names_here(&name) || names_its_link(&name) {
                continue;
            }
            for resolver in resolvers.iter().take(MOST_RESOLVERS) {
                let left = match self.by_service_records() {
                    true => vec![name.trim_end_matches('.').to_owned()],
                    false => candidates(&name, &search, ndots),
                };
                let places = self.by_service_records();
                self.begin_asking(run, now, &name, *resolver, (left, places));
            }
        }
    }

    fn resolvers_configured(&self) -> Resolvers {
        self.evidence().resolvers()
    }

    /// Goes on with what another target of the run has asked meanwhile.
    pub(super) fn take_shared_names(&mut self, run: &mut RunState, now: Micros) {
        for name in std::mem::take(&mut self.names.awaited) {
            self.ask_system(run, now, name);
        }
        for (resolver, name, asked, kind) in std::mem::take(&mut self.names.awaited_questions) {
            if !self.ask_resolver(run, now, resolver, &name, asked, kind) {
                self.question_over(run, now, resolver, &name);
            }
        }
    }

    /// Whether questions to resolvers are open.
    pub(super) fn resolvers_open(&self) -> bool {
        !self.names.awaited_questions.is_empty() || self.probes.any(Running::is_question)
    }

    /// Whether the names are settled as far as the walk needs them; begins what is still
    /// to be asked.
    pub(super) fn names_settled(&mut self, run: &mut RunState, now: Micros) -> bool {
        let own = self.probes.any(|r| {
            matches!(
                r,
                Running::LookUp
                    | Running::NameSources
                    | Running::NearAsk { .. }
                    | Running::ListName { .. }
            )
        });
        if own || !self.names.awaited.is_empty() {
            return false;
        }
        let by_resolvers = !self.scope.resolvers.is_empty() || self.by_service_records();
        if by_resolvers && self.resolvers_open() {
            return false;
        }
        if self.by_service_records() && !self.names.places_begun {
            self.names.places_begun = true;
            let places = self.evidence().service_hosts();
            if places.is_empty() {
                self.take_resolvers_word(now);
            }
            for host in places.into_iter().take(MOST_PLACES) {
                if self.scope.resolvers.is_empty() {
                    self.ask_system(run, now, host);
                    continue;
                }
                for resolver in self.scope.resolvers.clone() {
                    let left = vec![host.clone()];
                    self.begin_asking(run, now, &host, resolver, (left, false));
                }
            }
            return self.probes.is_empty();
        }
        if !self.scope.resolvers.is_empty() {
            self.take_resolvers_word(now);
        }
        let seen = self.evidence().seen().all();
        let lost: Vec<String> = seen
            .filter(|(_, fact)| is_lost(Some(fact)))
            .filter_map(|(o, _)| o.about.name.clone())
            .collect();
        // Where another host is there to go on with, nothing waits for a lost one.
        if self.quiet || lost.is_empty() || !self.evidence().ways().is_empty() {
            return true;
        }
        if self.resolvers_open() {
            return false;
        }
        if !self.names.near_begun {
            self.names.near_begun = true;
            for name in lost.into_iter().take(2) {
                self.begin_near(now, name);
            }
        }
        self.names.near.iter().all(|near| near.open == 0)
    }

    /// Nobody waits for a resolver any longer than this, where the way ended otherwise.
    pub(super) fn resolvers_may_take_until(&self) -> Micros {
        self.names.began.after(BESIDE.min(self.scope.patience_us))
    }

    /// Gives up the questions that are open.
    pub(super) fn stop_questions(&mut self) {
        if std::mem::replace(&mut self.names.stopped, true) {
            return;
        }
        self.names.awaited_questions.clear();
        let open = self.probes.all().filter(|(_, r)| r.is_question());
        let stops: Vec<Order> = open.map(|(id, _)| Order::Stop(id)).collect();
        self.orders.extend(stops);
    }
}

/// Whether a fact is what the walk goes by: the system's own word on a name.
fn is_systems(fact: &Fact) -> bool {
    matches!(
        fact,
        Fact::NameResolved { .. } | Fact::NameFailed { .. } | Fact::NameSilent { .. }
    )
}

fn is_lost(fact: Option<&Fact>) -> bool {
    matches!(
        fact,
        Some(Fact::NameFailed { .. } | Fact::NameSilent { .. })
    )
}

/// Whether it is an address together with its link (RFC 4007, section 11), which only the
/// system can take apart.
fn names_its_link(name: &str) -> bool {
    name.split_once('%')
        .is_some_and(|(ip, _)| ip.parse::<Ipv6Addr>().is_ok())
}

/// The whole names that the system's library would ask for, the first one last
/// (resolv.conf(5), `search` and `ndots`).
fn candidates(name: &str, search: &[String], ndots: u32) -> Vec<String> {
    if let Some(whole) = name.strip_suffix('.') {
        return vec![whole.to_owned()];
    }
    let suffixed = search
        .iter()
        .take(MOST_SUFFIXES)
        .map(|suffix| format!("{name}.{suffix}"));
    let dots = name.matches('.').count();
    let mut out: Vec<String> = match u32::try_from(dots).is_ok_and(|dots| dots >= ndots) {
        true => std::iter::once(name.to_owned()).chain(suffixed).collect(),
        false => suffixed.chain([name.to_owned()]).collect(),
    };
    out.reverse();
    out
}

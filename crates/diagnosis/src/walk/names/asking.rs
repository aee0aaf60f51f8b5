//! One resolver, asked for one name: whole name by whole name, as the system would.

use std::net::SocketAddr;

use chronaxis_model::fact::{Fact, RecordKind, ResolverAnswer, Subject};
use chronaxis_model::invariant;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, Probe};

use super::super::{Running, Walk};
use super::{Asking, MOST_FOLLOWED};
use crate::judge::Evidence;
use crate::run_cache::{Claim, Seen, Shared};
use crate::run_state::RunState;

impl Walk {
    pub(super) fn begin_asking(
        &mut self,
        run: &mut RunState,
        now: Micros,
        name: &str,
        resolver: SocketAddr,
        (left, places): (Vec<String>, bool),
    ) {
        self.names.asking.push(Asking {
            name: name.to_owned(),
            resolver,
            left,
            current: String::new(),
            open: 0,
            settled: false,
            places,
            followed: 0,
        });
        self.ask_next(run, now, self.names.asking.len() - 1);
    }

    /// The next whole name for one resolver, if there is one.
    fn ask_next(&mut self, run: &mut RunState, now: Micros, index: usize) {
        let Some(asking) = self.names.asking.get_mut(index) else {
            return;
        };
        let by_records = asking.places;
        let Some(next) = asking.left.pop() else {
            asking.settled = true;
            return;
        };
        asking.current = next.clone();
        let (name, resolver) = (asking.name.clone(), asking.resolver);
        let questions = match by_records {
            true => vec![
                (format!("_mongodb._tcp.{next}"), RecordKind::Srv),
                (next, RecordKind::Txt),
            ],
            false => vec![(next.clone(), RecordKind::A), (next, RecordKind::Aaaa)],
        };
        for (asked, kind) in questions {
            if self.ask_resolver(run, now, resolver, &name, asked, kind)
                && let Some(asking) = self.names.asking.get_mut(index)
            {
                asking.open += 1;
            }
        }
        let still_open = self.names.asking.get(index).is_some_and(|a| a.open > 0);
        if !still_open {
            self.candidate_over(run, now, index);
        }
    }

    /// Asks one question, unless its answer is known in this run. Says whether one is to
    /// come.
    pub(super) fn ask_resolver(
        &mut self,
        run: &mut RunState,
        now: Micros,
        resolver: SocketAddr,
        name: &str,
        asked: String,
        kind: RecordKind,
    ) -> bool {
        let key = Shared::Asked(resolver, asked.clone(), kind);
        match run.cache.claim(&key, self.turns.number) {
            Claim::Known(seen) => {
                self.note_for(now, name, seen);
                false
            }
            Claim::Pending => {
                let awaited = (resolver, name.to_owned(), asked, kind);
                self.names.awaited_questions.push(awaited);
                true
            }
            Claim::Yours => {
                self.touched.lookups += 1;
                let about = Subject {
                    resolver: Some(resolver),
                    ..Subject::name(name)
                };
                let running = Running::Ask {
                    asked: asked.clone(),
                    kind,
                    began: now,
                };
                let what = Probe::Ask {
                    resolver,
                    asked,
                    kind,
                    redactor: self.redactor.clone(),
                };
                let until = now.after(self.scope.patience_us);
                self.start(now, until, about, running, what);
                true
            }
        }
    }

    /// What another target's question brought, about the name of this one.
    fn note_for(&mut self, now: Micros, name: &str, seen: Vec<Seen>) {
        for (layer, about, fact) in seen {
            let about = Subject {
                name: Some(name.to_owned()),
                ..about
            };
            self.note(now, layer, about, fact);
        }
    }

    /// One question to a resolver is over.
    pub(in crate::walk) fn ask_ended(
        &mut self,
        run: &mut RunState,
        now: Micros,
        about: Subject,
        question: (String, RecordKind, Micros),
        how: &Ended,
    ) {
        let (asked, kind, began) = question;
        let Some(resolver) = about.resolver else {
            return;
        };
        invariant::holds(about.name.is_some(), "a question about a name has the name");
        let name = about.name.clone().unwrap_or_default();
        let known = !self.about_question(resolver, &asked, kind).is_empty();
        if !known && matches!(how, Ended::Unanswered | Ended::Stopped) {
            let fact = Fact::ResolverSilent {
                asked: asked.clone(),
                kind,
                waited_us: now.since(began),
            };
            self.note(now, Layer::Name, about, fact);
        }
        let seen = self.about_question(resolver, &asked, kind);
        run.cache
            .publish(Shared::Asked(resolver, asked.clone(), kind), seen);
        self.question_over(run, now, resolver, &name);
    }

    fn about_question(&self, resolver: SocketAddr, asked: &str, kind: RecordKind) -> Vec<Seen> {
        self.seen_of(|about, fact| {
            about.resolver == Some(resolver) && question_of(fact) == Some((asked, kind))
        })
    }

    pub(super) fn question_over(
        &mut self,
        run: &mut RunState,
        now: Micros,
        resolver: SocketAddr,
        name: &str,
    ) {
        let at = self
            .names
            .asking
            .iter()
            .position(|a| a.resolver == resolver && a.name == name && !a.settled && a.open > 0);
        if let Some(index) = at {
            let done = self.names.asking.get_mut(index).is_some_and(|a| {
                a.open -= 1;
                a.open == 0
            });
            if done {
                self.candidate_over(run, now, index);
            }
        }
    }

    /// All questions about one whole name are over: another one is tried only where there
    /// is no such name, or nothing under it.
    fn candidate_over(&mut self, run: &mut RunState, now: Micros, index: usize) {
        let Some(asking) = self.names.asking.get(index) else {
            return;
        };
        let (resolver, current) = (asking.resolver, asking.current.clone());
        let evidence = Evidence {
            target: &self.shown,
            scope: &self.scope,
            log: self.log.entries(),
        };
        let answers: Vec<&ResolverAnswer> = evidence
            .of_resolver(resolver)
            .all()
            .filter_map(|(_, fact)| match fact {
                Fact::ResolverAnswered(answer) if answer.asked == current => Some(answer.as_ref()),
                _ => None,
            })
            .collect();
        // Who answers for a zone alone does not follow an alias: it is asked for its end.
        let alias = answers.iter().find_map(|a| {
            let bare = a.is_clear() && !a.denies() && !a.circle && a.addresses.is_empty();
            a.aliases.last().filter(|_| bare).cloned()
        });
        if let (Some(alias), Some(asking)) = (alias, self.names.asking.get_mut(index))
            && asking.followed < MOST_FOLLOWED
        {
            asking.followed += 1;
            asking.left = vec![alias.as_str().to_owned()];
            return self.ask_next(run, now, index);
        }
        let empty = |a: &&ResolverAnswer| a.is_clear() && a.addresses.is_empty();
        let goes_on = !answers.is_empty() && answers.iter().all(empty);
        if goes_on && !self.names_work(index) {
            return self.ask_next(run, now, index);
        }
        if let Some(asking) = self.names.asking.get_mut(index) {
            asking.settled = true;
        }
    }

    /// Whether the system found the name without any suffix of ours.
    fn names_work(&self, index: usize) -> bool {
        let Some(asking) = self.names.asking.get(index) else {
            return true;
        };
        let found = |fact: &Fact| matches!(fact, Fact::NameResolved { .. });
        self.evidence().of_name(&asking.name).any(found)
    }
}

fn question_of(fact: &Fact) -> Option<(&str, RecordKind)> {
    match fact {
        Fact::ResolverAnswered(answer) => Some((&answer.asked, answer.kind)),
        Fact::ResolverSilent { asked, kind, .. }
        | Fact::ResolverUnreachable { asked, kind, .. }
        | Fact::ResolverGarbled { asked, kind, .. } => Some((asked, *kind)),
        _ => None,
    }
}

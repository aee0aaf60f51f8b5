//! Names near one that does not exist.

use chronaxis_model::fact::{Fact, RecordKind, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::Probe;

use super::super::{Running, Walk};
use super::{BESIDE, Near};
use crate::near_names;

impl Walk {
    /// Names near one that a resolver denies: after a random one, which shows whether it
    /// denies anything at all.
    pub(super) fn begin_near(&mut self, now: Micros, name: String) {
        let denies = self
            .evidence()
            .of_name(&name)
            .all()
            .find_map(|(o, fact)| match fact {
                Fact::ResolverAnswered(answer) if answer.denies() && answer.aliases.is_empty() => {
                    let zone = answer.zone.as_ref().map(|zone| zone.as_str().to_owned());
                    Some((o.about.resolver?, zone))
                }
                _ => None,
            });
        let whole = name.trim_end_matches('.');
        let Some((resolver, zone)) = denies.filter(|_| name.is_ascii() && whole.contains('.'))
        else {
            return;
        };
        let mut left = near_names::near(&name, zone.as_deref());
        left.reverse();
        let control = near_names::control(&name, &self.seed.value::<8>("name that nobody has"));
        self.names.near.push(Near {
            name,
            resolver,
            left,
            open: 0,
        });
        let index = self.names.near.len() - 1;
        self.ask_near(now, index, control, true);
    }

    fn ask_near(&mut self, now: Micros, index: usize, asked: String, control: bool) {
        let Some(near) = self.names.near.get_mut(index) else {
            return;
        };
        near.open += 1;
        let about = Subject {
            resolver: Some(near.resolver),
            ..Subject::name(&near.name)
        };
        let what = Probe::Ask {
            resolver: near.resolver,
            asked: asked.clone(),
            kind: RecordKind::A,
            redactor: self.redactor.clone(),
        };
        self.touched.lookups += 1;
        let running = Running::NearAsk {
            index,
            asked,
            control,
        };
        let until = now.after(BESIDE.min(self.scope.patience_us));
        self.start(now, until, about, running, what);
    }

    /// A name near the misspelt one was asked for: of the answer only this counts, whether
    /// there is such a name.
    pub(in crate::walk) fn near_observed(
        &mut self,
        now: Micros,
        about: Subject,
        control: bool,
        fact: &Fact,
    ) {
        if let Fact::ResolverAnswered(answer) = fact
            && answer.is_clear()
        {
            let fact = Fact::NearNameAsked {
                asked: answer.asked.clone(),
                control,
                exists: !answer.denies(),
            };
            self.note(now, Layer::Name, about, fact);
        }
    }

    /// One such question is over. Where even the random name is said to exist, the others
    /// would prove nothing.
    pub(in crate::walk) fn near_ended(
        &mut self,
        now: Micros,
        index: usize,
        asked: &str,
        control: bool,
    ) {
        let denied = self.evidence().seen().any(
            |fact| matches!(fact, Fact::NearNameAsked { asked: a, exists: false, .. } if a == asked),
        );
        let Some(near) = self.names.near.get_mut(index) else {
            return;
        };
        near.open = near.open.saturating_sub(1);
        if control && denied {
            for name in std::mem::take(&mut near.left).into_iter().rev() {
                self.ask_near(now, index, name, false);
            }
        }
    }
}

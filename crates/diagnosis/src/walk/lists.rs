//! What lists of rules say of the way, once it is known from which address this machine
//! leaves.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::chain::{Lists, Said, Way};
use chronaxis_model::certificate::TlsMode;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, ListWord, NameTrouble, RecordKind, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::Probe;

use super::names::BESIDE;
use super::{Running, Walk};
use crate::allowlist::word_of;

impl Walk {
    /// With lists of rules that may stand in the way.
    #[must_use]
    pub fn behind(mut self, lists: Option<Arc<dyn Lists>>) -> Walk {
        self.lists = lists;
        self
    }

    /// Looks up the names that stand in the lists: by the first resolver that was named, else
    /// the way this system does it.
    pub(super) fn look_up_list_names(&mut self, now: Micros) {
        if self.scope.until < Layer::Route {
            return;
        }
        let names = self.lists.as_ref().map_or_else(Vec::new, |l| l.names());
        let until = now.after(BESIDE.min(self.scope.patience_us));
        for name in names {
            let whats = match self.scope.resolvers.first() {
                None => vec![Probe::LookUp { name: name.clone() }],
                Some(resolver) => [RecordKind::A, RecordKind::Aaaa]
                    .map(|kind| Probe::Ask {
                        resolver: *resolver,
                        asked: name.clone(),
                        kind,
                        redactor: self.redactor.clone(),
                    })
                    .into_iter()
                    .collect(),
            };
            for what in whats {
                self.touched.lookups += 1;
                let running = Running::ListName { name: name.clone() };
                self.start(now, until, Subject::default(), running, what);
            }
        }
    }

    /// A name that stands in a list was answered for. Failures say nothing.
    pub(super) fn list_name_observed(&mut self, now: Micros, name: &str, fact: Fact) {
        let addresses = match fact {
            Fact::NameResolved { addresses, .. } => addresses,
            Fact::NameFailed {
                trouble: NameTrouble::NoSuchName | NameTrouble::NoAddress,
                ..
            } => Vec::new(),
            Fact::ResolverAnswered(answer) if answer.denies() => Vec::new(),
            // No address of one family says nothing of the other.
            Fact::ResolverAnswered(answer) if !answer.addresses.is_empty() => answer.addresses,
            _ => return,
        };
        let fact = Fact::ListName {
            name: self.redactor.text(name),
            addresses,
        };
        self.note(now, Layer::Route, Subject::default(), fact);
    }

    fn list_names(&self) -> BTreeMap<String, Vec<IpAddr>> {
        let mut out: BTreeMap<String, Vec<IpAddr>> = BTreeMap::new();
        for (_, fact) in self.evidence().seen().all() {
            if let Fact::ListName { name, addresses } = fact {
                let known = out.entry(name.as_str().to_owned()).or_default();
                known.extend(addresses.iter().map(IpAddr::to_canonical));
            }
        }
        out
    }

    /// Asks the lists about an address, and writes down what each says.
    pub(super) fn ask_lists(&mut self, now: Micros, about: &Subject, source: IpAddr) {
        let (Some(lists), Some(ip), Some(port)) = (self.lists.clone(), about.address, about.port)
        else {
            return;
        };
        let to = SocketAddr::new(ip, port);
        let encrypted = match self.target.encryption.mode {
            TlsMode::Never => Some(false),
            TlsMode::Demand => Some(true),
            _ => None,
        };
        let said = lists.says(&Way {
            source,
            to,
            user: self.shown.user.as_deref(),
            database: self.shown.database.as_deref(),
            encrypted,
            names: self.list_names(),
        });
        for mut one in said {
            for (moved, line) in std::mem::take(&mut one.moved) {
                let fact = Fact::ListNameMoved {
                    list: self.redactor.text(&one.list),
                    line,
                    what: self.redactor.text(&moved.text(one.client)),
                };
                self.note(now, Layer::Route, Endpoint::Tcp(to).subject(), fact);
            }
            let fact = self.list_fact(one);
            self.note(now, Layer::Route, Endpoint::Tcp(to).subject(), fact);
        }
    }

    fn list_fact(&self, said: Said) -> Fact {
        let decision = said.decision;
        let word = match (decision.answer, decision.barrier) {
            (Answer::Allowed, _) => ListWord::Covers,
            (Answer::Unknown, _) => ListWord::Unknown,
            (Answer::Denied, barrier) => barrier.map_or(ListWord::Excludes, word_of),
        };
        let remark = decision.remarks.first();
        let remark = remark.map_or_else(String::new, |(text, _)| format!("; {text}"));
        Fact::ListSays {
            list: self.redactor.text(&said.list),
            client: said.client,
            word,
            line: said.line,
            rule: decision.rule.map(|rule| self.redactor.text(&rule.text)),
            why: self.redactor.text(&format!("{}{remark}", decision.why)),
        }
    }
}

//! What lists of rules say of the way, once it is known from which address this machine
//! leaves.

use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::chain::{Lists, Said, Way};
use chronaxis_model::certificate::TlsMode;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, ListWord, Subject};
use chronaxis_model::layer::{Layer, Micros};

use super::Walk;
use crate::allowlist::word_of;

impl Walk {
    /// With lists of rules that may stand in the way.
    #[must_use]
    pub fn behind(mut self, lists: Option<Arc<dyn Lists>>) -> Walk {
        self.lists = lists;
        self
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
        });
        for one in said {
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

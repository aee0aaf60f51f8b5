//! What of a path is a matter of time: its attempts, and whether this client would have
//! given up.

use std::net::SocketAddr;

use chronaxis_model::fact::Fact;
use chronaxis_model::layer::Micros;

use super::PathView;
use crate::judge::going_on::policy;
use crate::judge::symptom::Symptom;

impl PathView<'_> {
    /// The attempts: from where, when they were begun, what came of each.
    pub fn tried(&self) -> Vec<(SocketAddr, Micros, &'static str)> {
        let came = |number: Option<u32>| {
            let of_it = self.facts.iter().filter(|(o, _)| o.about.attempt == number);
            of_it
                .filter_map(|(_, fact)| match fact {
                    Fact::PortConnected { .. } => Some("connected"),
                    Fact::PortRefused { .. } => Some("refused"),
                    Fact::PortUnreachable { .. } => Some("unreachable"),
                    _ => None,
                })
                .next()
                .unwrap_or("silent")
        };
        let all = self.facts.iter().filter_map(|(o, fact)| match fact {
            Fact::PortTried { from } => Some((*from, o.at, came(o.about.attempt))),
            _ => None,
        });
        all.collect()
    }

    /// Which attempt connected, from 1.
    pub fn connected_attempt(&self) -> Option<u32> {
        self.facts.iter().find_map(|(o, fact)| match fact {
            Fact::PortConnected { .. } => Some(o.about.attempt.unwrap_or(1)),
            _ => None,
        })
    }

    /// How long this client's one attempt would have taken. Where a later attempt of ours
    /// connected first, the first one was still unanswered, and would have been sent again
    /// one, three, seven seconds after its beginning (RFC 6298, section 5.5).
    fn connect_of_one_attempt(&self) -> Option<Micros> {
        let elapsed = self.connected()?;
        if self.connected_attempt() == Some(1) {
            return Some(elapsed);
        }
        let at = |wanted: fn(&Fact) -> bool| {
            let found = self.facts.iter().find(|(_, fact)| wanted(fact));
            found.map(|(o, _)| o.at)
        };
        let began = at(|f| matches!(f, Fact::RouteFound { .. }))?;
        let spent = at(|f| matches!(f, Fact::PortConnected { .. }))?.since(began);
        let sent_again = (1..7).map(|n| Micros(((1 << n) - 1) * 1_000_000));
        sent_again.into_iter().find(|at| *at > spent)
    }

    /// Everything succeeded, and this client would have given up before: where.
    pub(super) fn too_late(&self) -> Option<Symptom> {
        let of_client = policy(self.evidence.target);
        let connect = self.connect_of_one_attempt()?;
        // What was our own delay was none of the far side's.
        let ours = self.evidence.ran_late();
        let late =
            |spent: Micros, most: Option<Micros>| most.is_some_and(|most| spent.since(ours) > most);
        if late(connect, of_client.connect_wait.or(of_client.whole_wait)) {
            return Some(Symptom::PortSlow);
        }
        let asks_first = |fact: &Fact| matches!(fact, Fact::EncryptionAnswered { .. });
        let asked = self.find(|fact| asks_first(fact).then_some(())).is_some();
        let answer = self.find(|fact| match fact {
            Fact::SpokeProtocol { elapsed_us } => Some(*elapsed_us),
            _ => None,
        })?;
        if late(answer, of_client.answer_wait) || late(connect.after(answer), of_client.whole_wait)
        {
            return Some(Symptom::ListenerSlow);
        }
        let admitted = self.find(|fact| match fact {
            Fact::LoggedIn { elapsed_us } => Some(*elapsed_us),
            _ => None,
        })?;
        let before = if asked {
            connect.after(answer)
        } else {
            connect
        };
        late(before.after(admitted), of_client.whole_wait).then_some(Symptom::LoginSlow)
    }
}

//! What the resolvers' answers come to: the word that counts where the user names them, and
//! the addresses that the source in use hides.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{Fact, NameTrouble, ResolverAnswer, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::target::End;

use super::super::Walk;
use super::super::side_checks::Look;
use super::{BESIDE, MOST_HIDDEN, is_systems};
use crate::judge::{MOST_HOSTS, judge, name_sources};

impl Walk {
    /// Where the user names the resolvers, the first that knows the name counts: the hosts
    /// file before all of them.
    pub(super) fn take_resolvers_word(&mut self, now: Micros) {
        let places = self.evidence().service_hosts();
        let names = if places.is_empty() {
            self.names_told()
        } else {
            places
        };
        for name in names {
            if self.evidence().of_name(&name).any(is_systems) {
                continue;
            }
            let fact = self.resolvers_word(&name, now);
            self.note(now, Layer::Name, Subject::name(&name), fact);
        }
    }

    /// The system's own look-up has not ended in time. Behind a resolver that is silent it
    /// will ask the next one, and that one's word counts already; else nobody answers.
    pub(super) fn take_word_behind_silence(&mut self, now: Micros, name: &str) {
        let waited_us = self.scope.patience_us;
        let word = self.resolvers_word(name, now);
        if !matches!(word, Fact::NameSilent { .. }) {
            let still = Fact::SystemStillAsks { waited_us };
            self.note(now, Layer::Name, Subject::name(name), still);
        }
        self.note(now, Layer::Name, Subject::name(name), word);
    }

    fn resolvers_word(&self, name: &str, now: Micros) -> Fact {
        let seen = self.evidence().of_name(name).all();
        let facts: Vec<(&Subject, &Fact)> = seen.map(|(o, fact)| (&o.about, fact)).collect();
        let elapsed_us = now.since(self.names.began);
        let hosts = facts.iter().find_map(|(_, fact)| match fact {
            Fact::HostsFileSays { addresses, .. } => Some(addresses.clone()),
            _ => None,
        });
        if let Some(addresses) = hosts {
            return Fact::NameResolved {
                addresses,
                elapsed_us,
            };
        }
        let mut trouble = None;
        let resolvers = self.resolvers_configured().resolvers;
        for resolver in &resolvers {
            let of_it = facts.iter().filter(|(o, _)| o.resolver == Some(*resolver));
            let answers: Vec<&ResolverAnswer> = of_it
                .filter_map(|(_, fact)| match fact {
                    Fact::ResolverAnswered(answer) => Some(&**answer),
                    _ => None,
                })
                .collect();
            let addresses: Vec<IpAddr> = answers.iter().flat_map(|a| a.addresses.clone()).collect();
            if !addresses.is_empty() {
                return Fact::NameResolved {
                    addresses,
                    elapsed_us,
                };
            }
            if answers.is_empty() {
                let garbled = facts.iter().any(|(o, fact)| {
                    o.resolver == Some(*resolver) && matches!(fact, Fact::ResolverGarbled { .. })
                });
                if garbled {
                    trouble = Some(("no answer that can be read", NameTrouble::Failing));
                }
                continue;
            }
            // The last whole name counts: those before it were tries with suffixes, or aliases.
            let last = answers.last().map_or("", |a| a.asked.as_str());
            let of_last: Vec<&&ResolverAnswer> =
                answers.iter().filter(|a| a.asked == last).collect();
            let said = match of_last.as_slice() {
                all if all.iter().all(|a| a.denies()) => ("NXDOMAIN", NameTrouble::NoSuchName),
                all if all.iter().any(|a| !a.is_clear()) => ("SERVFAIL", NameTrouble::Failing),
                _ => ("NODATA", NameTrouble::NoAddress),
            };
            trouble = Some(said);
            // Whoever fails is passed over; whoever says no is believed.
            if said.1 != NameTrouble::Failing {
                break;
            }
        }
        match trouble {
            Some((code, trouble)) => Fact::NameFailed {
                code: code.to_owned(),
                trouble,
                elapsed_us,
            },
            None => Fact::NameSilent {
                waited_us: elapsed_us,
            },
        }
    }

    /// Where the way fails, and other sources of names give other addresses than the one
    /// that is used: whether these would answer.
    pub(in crate::walk) fn knock_on_hidden(&mut self, now: Micros) {
        let evidence = self.evidence();
        let Some(symptom) = judge(evidence).status.symptom else {
            return;
        };
        if symptom.layer() > Layer::Tls || self.scope.until < Layer::Port {
            return;
        }
        let ends = evidence.ends();
        let hidden = ends.iter().take(MOST_HOSTS).flat_map(|end| {
            let port = match end {
                End::Host { port, .. } => *port,
                End::Socket { .. } => 0,
            };
            let name = end.name().unwrap_or_default();
            let hidden = name_sources::compare(evidence, name).other().to_vec();
            hidden.into_iter().map(move |ip| SocketAddr::new(ip, port))
        });
        let hidden: Vec<SocketAddr> = hidden.take(MOST_HIDDEN).collect();
        let until = now.after(self.scope.patience_us.min(BESIDE));
        for to in hidden {
            self.side_checks.plan(Look::Hidden(to), now, until);
        }
    }
}

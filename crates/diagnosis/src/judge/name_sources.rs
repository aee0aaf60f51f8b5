//! The sources of names against each other: hosts file, resolvers, the system's own answer.

use std::net::{IpAddr, SocketAddr};

use chronaxis_model::fact::{Fact, NameTrouble};

use super::evidence::Evidence;

/// What a comparison of a name's sources gives.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Sources {
    /// There is no name, or only one source of it.
    One,
    /// They give the same, or what one of them gives is among what the other does.
    Agree,
    /// The hosts file gives other addresses than every resolver that knows the name.
    HostsFile {
        /// Its line.
        line: u32,
        /// What the resolvers give.
        other: Vec<IpAddr>,
    },
    /// The resolvers give different answers, and the one that is used gives what is used.
    Resolvers {
        /// Who gives the other answer.
        by: SocketAddr,
        /// The other answer.
        other: Vec<IpAddr>,
    },
    /// The system says that there is no such name or address, and every resolver that was
    /// asked gives one: it does not go by them.
    System {
        /// Who gives it.
        by: SocketAddr,
        /// What it gives.
        other: Vec<IpAddr>,
    },
    /// No source that can be asked gives what the system gives: it remembers it.
    Remembered {
        /// What name service gives now.
        other: Vec<IpAddr>,
    },
}

impl Sources {
    /// The addresses that the source in use hides.
    pub fn other(&self) -> &[IpAddr] {
        match self {
            Sources::One | Sources::Agree => &[],
            Sources::HostsFile { other, .. }
            | Sources::Resolvers { other, .. }
            | Sources::System { other, .. }
            | Sources::Remembered { other } => other,
        }
    }
}

/// Addresses in words: the first few.
pub fn listed(all: &[IpAddr]) -> String {
    let words: Vec<String> = all.iter().take(3).map(ToString::to_string).collect();
    words.join(", ")
}

/// What one resolver says of a name, over all its answers.
struct Word {
    resolver: SocketAddr,
    addresses: Vec<IpAddr>,
}

/// Compares the sources of a name.
pub fn compare(evidence: Evidence<'_>, name: &str) -> Sources {
    let words = words(evidence, name);
    let used = evidence.resolved_name(name).unwrap_or_default();
    let known: Vec<&Word> = words.iter().filter(|w| !w.addresses.is_empty()).collect();
    let shares = |word: &&&Word| word.addresses.iter().any(|ip| used.contains(ip));
    let other = |words: &[&Word]| -> Vec<IpAddr> {
        let mut out: Vec<IpAddr> = Vec::new();
        for ip in words.iter().flat_map(|w| &w.addresses) {
            if !out.contains(ip) && !used.contains(ip) {
                out.push(*ip);
            }
        }
        out
    };
    if known.is_empty() {
        return Sources::One;
    }
    if let Some((own, line)) = evidence.hosts_file(name) {
        let in_use = own.iter().any(|ip| used.contains(ip));
        return match known.iter().any(|w| shares(&w)) || !in_use {
            true => Sources::Agree,
            false => Sources::HostsFile {
                line,
                other: other(&known),
            },
        };
    }
    let (same, differing): (Vec<&Word>, Vec<&Word>) = known.iter().partition(|w| shares(w));
    let Some(first) = differing.first() else {
        return Sources::Agree;
    };
    // Where nothing is used, somebody denied the name or failed; else somebody gave it.
    let disagree = !same.is_empty() || (used.is_empty() && words.len() > known.len());
    match (disagree, used.is_empty()) {
        (true, _) => Sources::Resolvers {
            by: first.resolver,
            other: other(&differing),
        },
        (false, false) => Sources::Remembered {
            other: other(&differing),
        },
        (false, true) if is_denied(evidence, name) => Sources::System {
            by: first.resolver,
            other: other(&differing),
        },
        (false, true) => Sources::Agree,
    }
}

/// Whether the system says that there is nothing, rather than that it could not find out.
fn is_denied(evidence: Evidence<'_>, name: &str) -> bool {
    let denial = |fact: &Fact| {
        matches!(
            fact,
            Fact::NameFailed {
                trouble: NameTrouble::NoSuchName | NameTrouble::NoAddress,
                ..
            }
        )
    };
    let mut facts = evidence.facts();
    facts.any(|(o, fact)| o.about.name.as_deref() == Some(name) && denial(fact))
}

fn words(evidence: Evidence<'_>, name: &str) -> Vec<Word> {
    let mut out: Vec<Word> = Vec::new();
    for (resolver, answer) in evidence.resolver_answers(Some(name)) {
        match out.iter_mut().find(|w| w.resolver == resolver) {
            Some(word) => word.addresses.extend(&answer.addresses),
            None => out.push(Word {
                resolver,
                addresses: answer.addresses.clone(),
            }),
        }
    }
    out.sort_by_key(|word| word.resolver);
    out
}

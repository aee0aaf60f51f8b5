//! The lists of a run, asked about the connections that it makes.

use std::collections::BTreeSet;
use std::net::IpAddr;

use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::chain::{Lists, Said, Way};
use jiff::civil::Date;

use super::{Reading, position};

/// Most names that are looked up for the lists of a run.
pub const MOST_NAMES: usize = 16;

/// Lists one behind the other.
pub struct Chain {
    /// The lists, in their order.
    pub lists: Vec<Reading>,
    /// The client's address as the far side sees it, where NAT changes it on the way.
    pub client: Option<IpAddr>,
    /// The day: rules may end.
    pub today: Date,
}

impl std::fmt::Debug for Chain {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Chain")
            .field("lists", &self.lists.len())
            .finish_non_exhaustive()
    }
}

impl Lists for Chain {
    fn says(&self, way: &Way<'_>) -> Vec<Said> {
        let each = self.lists.iter().map(|list| {
            // A list of the client's own network sees the address that this machine has.
            let client = match (self.client, list.rules.guards_client(way.to)) {
                (Some(client), false) => client,
                _ => way.source,
            };
            let attempt = Attempt {
                user: way.user.map(str::to_owned),
                database: way.database.map(str::to_owned),
                encrypted: way.encrypted,
                names: way.names.clone(),
                ..Attempt::new(client, way.to, self.today)
            };
            let decision = list.rules.decide(&attempt, false);
            let spot = decision.rule.as_ref().and_then(|r| r.spot.as_ref());
            Said {
                list: list
                    .sheets
                    .first()
                    .map_or_else(String::new, |s| s.path.clone()),
                client,
                line: spot.map(|spot| position(&list.sheets, spot).0),
                moved: list
                    .rules
                    .moved(&attempt)
                    .into_iter()
                    .map(|moved| {
                        let line = position(&list.sheets, &moved.spot).0;
                        (moved, Some(line))
                    })
                    .collect(),
                decision,
            }
        });
        each.collect()
    }

    fn names(&self) -> Vec<String> {
        let all = self.lists.iter().flat_map(|list| list.rules.names());
        let all: BTreeSet<String> = all.collect();
        all.into_iter().take(MOST_NAMES).collect()
    }
}

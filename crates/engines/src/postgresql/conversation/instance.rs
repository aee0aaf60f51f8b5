//! The one query, which asks who and where the session is.

use chronaxis_model::fact::{Fact, Instance};
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::{Redacted, Redactor};

use super::super::codec::Fields;

/// Two statements in one message: the second may be closed to this user, and its refusal
/// leaves the first one's row as it is. Both only read.
pub(in super::super) const QUERY: &str = "select current_user, session_user, current_database(), \
current_setting('server_version'), host(inet_server_addr()), inet_server_port(), \
pg_is_in_recovery(), pg_postmaster_start_time(), \
current_setting('default_transaction_read_only'); \
select system_identifier from pg_control_system()";

const COLUMNS: usize = 9;

/// What came of it so far.
#[derive(Default)]
pub(super) struct Collected {
    who: Option<Vec<Option<Vec<u8>>>>,
    system: Option<Vec<u8>>,
    error: Option<Fields>,
}

impl Collected {
    /// Takes a row; none where it does not fit the query.
    pub(super) fn take(&mut self, row: Vec<Option<&[u8]>>) -> Option<()> {
        match (row.as_slice(), &self.who, &self.system) {
            (columns, None, _) if columns.len() == COLUMNS => {
                let owned = columns.iter().map(|c| c.map(<[u8]>::to_vec));
                self.who = Some(owned.collect());
            }
            ([Some(system)], Some(_), None) => self.system = Some(system.to_vec()),
            _ => return None,
        }
        Some(())
    }

    pub(super) fn fail(&mut self, fields: Fields) {
        self.error = Some(fields);
    }

    /// The fact, once the server is ready again.
    pub(super) fn fact(&mut self, elapsed: Micros, redactor: &Redactor) -> Fact {
        let Some(who) = self.who.take() else {
            let error = self.error.take().unwrap_or_default();
            return Fact::InstanceUnknown {
                code: error.code(),
                message: redactor.bytes(error.get(b'M')),
            };
        };
        let mut columns = who
            .into_iter()
            .map(|c| c.map(|bytes| redactor.bytes(&bytes)));
        let mut next = || columns.next().flatten();
        let mut text = || next().unwrap_or_default();
        let (user, session_user, database, version) = (text(), text(), text(), text());
        let address = Some(text()).filter(|t| !t.as_str().is_empty());
        let port = text().as_str().parse().ok();
        let in_recovery = text().as_str() == "t";
        Fact::Instance(Box::new(Instance {
            user,
            session_user,
            database,
            version,
            address,
            port,
            in_recovery,
            started: text(),
            read_only: text().as_str() == "on",
            system_identifier: self
                .system
                .take()
                .map(|s: Vec<u8>| -> Redacted { redactor.bytes(&s) }),
            round_trip_us: elapsed,
            ..Instance::default()
        }))
    }
}

//! The one query, which asks who and where the session is.

use chronaxis_model::account::Places;
use chronaxis_model::conversation::Output;
use chronaxis_model::fact::{Fact, Instance, SchemaSeen, Surroundings};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::{Redacted, Redactor};

use super::super::codec::Fields;
use super::{ClientHalf, State};
use crate::idle::{self, Idle};
use crate::inquiry::Columns;
use crate::protocol::Errand;

/// Three statements in one message: a later one may be closed to this user, or not known to
/// the server, and its refusal leaves the rows before it as they are. All only read.
pub(in super::super) const QUERY: &str = "select current_user, session_user, current_database(), \
current_setting('server_version'), host(inet_server_addr()), inet_server_port(), \
pg_is_in_recovery(), pg_postmaster_start_time(), \
current_setting('default_transaction_read_only'); \
select current_schema(), current_setting('search_path'), array_to_string(array(select nspname || \
chr(30) || has_schema_privilege(oid, 'USAGE')::int || has_schema_privilege(oid, 'CREATE')::int \
from pg_namespace where nspname !~ '^pg_' and nspname <> 'information_schema' \
order by nspname limit 200), chr(31)), current_setting('server_encoding'), (select datcollate \
from pg_database where datname = current_database()), current_setting('TimeZone'), \
current_setting('default_transaction_isolation'), (select count(*) from pg_stat_activity \
where datname is not null), current_setting('max_connections'), \
current_setting('superuser_reserved_connections'), (select setting from pg_settings \
where name = 'idle_session_timeout'), current_setting('cluster_name'); \
select system_identifier from pg_control_system()";

const COLUMNS: usize = 9;

/// How many columns the second statement has.
const AROUND: usize = 12;

/// Between the parts of a list, and of one of them: signs that stand in no name (ASCII, unit
/// and record separator).
const BETWEEN: u8 = 0x1f;
const WITHIN: u8 = 0x1e;

impl ClientHalf {
    /// Who and where the session is, is known, or will not be: on with what it is for.
    pub(super) fn known(&mut self, now: Micros, fact: Fact) {
        let (as_whom, limit) = idle::whose(&fact);
        self.observe(Layer::Session, fact);
        match std::mem::take(&mut self.settings.errand) {
            Errand::Nothing => self.leave(),
            Errand::LookUp(inquiry) => self.begin_look_up(now, inquiry, as_whom),
            Errand::Idle(longest) => self.keep_idle(Idle::begin(longest, now, limit)),
            Errand::Stay => {
                self.state = State::Staying;
                self.exchange.ask(Output::Rest(Layer::Session));
            }
        }
    }
}

/// What came of it so far.
#[derive(Default)]
pub(super) struct Collected {
    who: Option<Vec<Option<Vec<u8>>>>,
    around: Option<Vec<Option<Vec<u8>>>>,
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
            (columns, Some(_), None) if columns.len() == AROUND && self.around.is_none() => {
                let owned = columns.iter().map(|c| c.map(<[u8]>::to_vec));
                self.around = Some(owned.collect());
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
            surroundings: self
                .around
                .take()
                .map(|row| Box::new(surroundings(row, redactor))),
            round_trip_us: elapsed,
            ..Instance::default()
        }))
    }
}

fn surroundings(row: Vec<Option<Vec<u8>>>, redactor: &Redactor) -> Surroundings {
    let row: Vec<Option<&[u8]>> = row.iter().map(Option::as_deref).collect();
    let mut row = Columns::of(row, redactor);
    let (schema, search_path) = (row.next(), row.next());
    let schemas = row.parts(BETWEEN).into_iter().filter_map(|one| {
        let at = one.iter().position(|b| *b == WITHIN)?;
        let (name, rights) = one.split_at(at);
        Some(SchemaSeen {
            name: redactor.bytes(name),
            may_use: rights.get(1) == Some(&b'1'),
            may_create: rights.get(2) == Some(&b'1'),
        })
    });
    let schemas = schemas.collect();
    let (encoding, collation) = (row.next(), row.next());
    let (time_zone, isolation) = (row.next(), row.next());
    let (used, allowed): (Option<u32>, Option<u32>) = (row.number(), row.number());
    let reserved = row.number();
    let idle_ms: Option<u64> = row.number();
    Surroundings {
        schema,
        search_path,
        schemas: Some(schemas),
        encoding,
        collation,
        time_zone,
        isolation,
        connections: used.map(|used| Places { used, allowed }),
        reserved,
        idle_limit_s: idle_ms.filter(|ms| *ms > 0).map(|ms| ms.div_ceil(1000)),
        server_name: row.next().filter(|name| !name.as_str().is_empty()),
    }
}

//! The one query, which asks who and where the session is.

use chronaxis_model::account::Places;
use chronaxis_model::conversation::Output;
use chronaxis_model::fact::{Fact, Instance, Meaning, Surroundings};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redacted;

use super::super::codec::{self, Refusal};
use super::super::codes;
use super::{ClientHalf, State};
use crate::idle::{self, Idle};
use crate::protocol::Errand;

/// It only reads, and what it reads is open to every account: its own privileges, the
/// server's names and times.
pub(in super::super) const MARIADB_QUERY: &str = "select current_user(), user(), database(), \
version(), @@hostname, @@port, @@server_id, @@global.read_only, (select variable_value from \
information_schema.global_status where variable_name = 'UPTIME'), (select \
group_concat(distinct privilege_type order by privilege_type separator ', ') from (select \
privilege_type from information_schema.user_privileges where grantee = concat('''', \
replace(current_user(), '@', '''@'''), '''') union select privilege_type from \
information_schema.schema_privileges where table_schema = database() and grantee = \
concat('''', replace(current_user(), '@', '''@'''), '''')) as privileges), @@character_set_database, @@collation_database, @@time_zone, \
@@tx_isolation, (select variable_value from information_schema.global_status where \
variable_name = 'THREADS_CONNECTED'), @@max_connections, @@wait_timeout, null";

/// The same for MySQL, which keeps its times elsewhere.
pub(in super::super) const MYSQL_QUERY: &str = "select current_user(), user(), database(), \
version(), @@hostname, @@port, @@server_id, @@global.read_only, (select variable_value from \
performance_schema.global_status where variable_name = 'Uptime'), (select \
group_concat(distinct privilege_type order by privilege_type separator ', ') from (select \
privilege_type from information_schema.user_privileges where grantee = concat('''', \
replace(current_user(), '@', '''@'''), '''') union select privilege_type from \
information_schema.schema_privileges where table_schema = database() and grantee = \
concat('''', replace(current_user(), '@', '''@'''), '''')) as privileges), @@character_set_database, @@collation_database, @@time_zone, \
@@transaction_isolation, (select variable_value from performance_schema.global_status where \
variable_name = 'Threads_connected'), @@max_connections, @@wait_timeout, @@server_uuid";

/// How many columns it has.
const COLUMNS: usize = 18;

/// What came of it so far.
#[derive(Default)]
pub(super) struct Rows {
    columns: Option<usize>,
    ends: u8,
    row: Option<Vec<Option<Vec<u8>>>>,
}

impl ClientHalf {
    pub(super) fn ask_who(&mut self, now: Micros) {
        let query = if self.is_mariadb() {
            MARIADB_QUERY
        } else {
            MYSQL_QUERY
        };
        self.query(now, query, State::Query(Rows::default()));
    }

    pub(super) fn is_mariadb(&self) -> bool {
        self.greeting.version.windows(7).any(|w| w == b"MariaDB")
    }

    /// Sends a statement (COM_QUERY).
    pub(super) fn query(&mut self, now: Micros, sql: &str, state: State) {
        let mut body = vec![3];
        body.extend_from_slice(sql.as_bytes());
        self.number = 0;
        self.send(now, &body, state);
    }

    pub(super) fn query_packet(&mut self, now: Micros, body: &[u8]) -> Option<()> {
        let State::Query(rows) = &mut self.state else {
            return None;
        };
        match (rows.columns, body.first()?) {
            (_, 0xff) => {
                self.query_refused(now, &Refusal::read(body)?);
                return Some(());
            }
            (None, 0xfb) => {
                self.data_asked(body.get(1..).unwrap_or_default());
                return Some(());
            }
            (None, count) if usize::from(*count) == COLUMNS && body.len() == 1 => {
                rows.columns = Some(COLUMNS);
            }
            (None, _) => return None,
            (Some(_), _) if codec::is_end(body) => rows.ends += 1,
            (Some(columns), _) if rows.ends == 1 && rows.row.is_none() => {
                let row = codec::row(body, columns)?;
                rows.row = Some(row.into_iter().map(|c| c.map(<[u8]>::to_vec)).collect());
            }
            // The columns' own descriptions.
            (Some(_), _) if rows.ends == 0 => {}
            _ => return None,
        }
        if rows.ends == 2 {
            let row = rows.row.take()?;
            let fact = self.instance(row, self.exchange.elapsed(now));
            self.known(now, fact);
        }
        Some(())
    }

    /// Who and where the session is, is known: on with what it is for.
    fn known(&mut self, now: Micros, fact: Fact) {
        let (as_whom, limit) = idle::whose(&fact);
        self.observe(Layer::Session, fact);
        match std::mem::take(&mut self.settings.errand) {
            Errand::Nothing => {
                self.quit();
                self.over();
            }
            Errand::LookUp(inquiry) => self.begin_look_up(now, inquiry, as_whom),
            Errand::Idle(longest) => self.keep_idle(Idle::begin(longest, now, limit)),
            Errand::Stay => {
                self.state = State::Staying;
                self.exchange.ask(Output::Rest(Layer::Session));
            }
        }
    }

    /// A server that asks for a file of the client's, whatever the query was: it gets
    /// none (MySQL documentation, "LOCAL INFILE Request").
    pub(super) fn data_asked(&mut self, name: &[u8]) {
        let asked = self.exchange.redactor.bytes(name);
        self.observe(Layer::Session, Fact::ClientDataRefused { asked });
        self.over();
    }

    /// An answer to the query that is none of its rows: the session stands all the same.
    pub(super) fn odd_answer(&mut self, bytes: &[u8]) {
        self.quit();
        let fact = Fact::InstanceUnknown {
            code: String::new(),
            message: self
                .exchange
                .redactor
                .bytes(bytes.get(..64).unwrap_or(bytes)),
        };
        self.observe(Layer::Session, fact);
        self.over();
    }

    fn query_refused(&mut self, now: Micros, refusal: &Refusal) {
        self.quit();
        if codes::meaning(refusal.number) == Meaning::PasswordExpired {
            return self.refused(now, refusal);
        }
        let fact = Fact::InstanceUnknown {
            code: refusal.number.to_string(),
            message: self.exchange.redactor.bytes(&refusal.message),
        };
        self.observe(Layer::Session, fact);
        self.over();
    }

    fn instance(&self, row: Vec<Option<Vec<u8>>>, elapsed: Micros) -> Fact {
        let redactor = &self.exchange.redactor;
        let mut columns = row
            .into_iter()
            .map(|c| c.map(|bytes| redactor.bytes(&bytes)));
        let mut next = || columns.next().flatten();
        let (user, claimed) = (next().unwrap_or_default(), next().unwrap_or_default());
        let database = next().unwrap_or_default();
        let version = next().unwrap_or_default();
        let host = next();
        let port = next().and_then(|p| p.as_str().parse().ok());
        let server = next();
        let read_only = next().is_some_and(|v| matches!(v.as_str(), "1" | "ON"));
        let up_s = next().and_then(|u| u.as_str().parse().ok());
        let number = |text: Option<Redacted>| text.and_then(|t| t.as_str().parse::<u32>().ok());
        Fact::Instance(Box::new(Instance {
            user,
            session_user: claimed,
            database,
            version,
            port,
            read_only,
            system_identifier: server,
            host,
            up_s,
            privileges: next(),
            surroundings: Some(Box::new(Surroundings {
                encoding: next(),
                collation: next(),
                time_zone: next(),
                isolation: next(),
                connections: number(next()).map(|used| Places {
                    used,
                    allowed: number(next()),
                }),
                idle_limit_s: next().and_then(|s| s.as_str().parse().ok()),
                ..Surroundings::default()
            })),
            uuid: next(),
            round_trip_us: elapsed,
            ..Instance::default()
        }))
    }
}

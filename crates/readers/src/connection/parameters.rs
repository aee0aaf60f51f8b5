//! What the program's driver makes of parameters that its engine's own library does not
//! have: some refuse them, some ask the server for them, some pass over them.

use chronaxis_engines::{Draft, POSTGRESQL, server_takes};
use chronaxis_model::settings::{Defect, DefectKind, Field, Place};
use chronaxis_model::shown;
use chronaxis_model::target::{ClientId, EngineId};

use super::Source;
use crate::driver;
use crate::url_reader::{Takes, UrlReader};

/// A driver that asks the server for what is no parameter of its own.
struct HandsOn {
    client: ClientId,
    /// What people call it.
    title: &'static str,
    /// Its own reader of URLs, where it has an entry there.
    reader: Option<&'static str>,
    /// Its own parameters, which the server never sees.
    own: &'static [&'static str],
}

const HAND_ON: &[HandsOn] = &[
    // pgx 5, `ParseConfig`, and `pgxpool.ParseConfig`.
    HandsOn {
        client: ClientId::Pgx,
        title: "pgx",
        reader: None,
        own: &[
            "host",
            "port",
            "dbname",
            "database",
            "user",
            "password",
            "passfile",
            "connect_timeout",
            "sslmode",
            "sslkey",
            "sslcert",
            "sslrootcert",
            "sslnegotiation",
            "sslpassword",
            "sslsni",
            "ssl_min_protocol_version",
            "ssl_max_protocol_version",
            "channel_binding",
            "krbspn",
            "krbsrvname",
            "target_session_attrs",
            "service",
            "servicefile",
            "min_protocol_version",
            "max_protocol_version",
            "min_read_buffer_size",
            "default_query_exec_mode",
            "statement_cache_capacity",
            "statement_cache_mode",
            "description_cache_capacity",
            "prefer_simple_protocol",
            "pool_max_conns",
            "pool_min_conns",
            "pool_min_idle_conns",
            "pool_max_conn_lifetime",
            "pool_max_conn_lifetime_jitter",
            "pool_max_conn_idle_time",
            "pool_health_check_period",
            "pool_ping_timeout",
        ],
    },
    // lib/pq, `isDriverSetting`.
    HandsOn {
        client: ClientId::GoPq,
        title: "lib/pq",
        reader: None,
        own: &[
            "host",
            "port",
            "dbname",
            "user",
            "password",
            "passfile",
            "connect_timeout",
            "sslmode",
            "sslkey",
            "sslcert",
            "sslrootcert",
            "sslinline",
            "sslsni",
            "sslnegotiation",
            "fallback_application_name",
            "disable_prepared_binary_result",
            "binary_parameters",
            "krbspn",
            "krbsrvname",
            "service",
            "servicefile",
            "target_session_attrs",
            "load_balance_hosts",
        ],
    },
    // postgres 3.4, `parseOptions`.
    HandsOn {
        client: ClientId::PostgresJs,
        title: "postgres.js",
        reader: Some("postgres-js"),
        own: &[
            "max",
            "ssl",
            "sslmode",
            "sslnegotiation",
            "idle_timeout",
            "connect_timeout",
            "max_lifetime",
            "max_pipeline",
            "backoff",
            "keep_alive",
            "prepare",
            "debug",
            "fetch_types",
            "publications",
            "target_session_attrs",
        ],
    },
    // asyncpg 0.30, `_parse_connect_dsn_and_args`.
    HandsOn {
        client: ClientId::Asyncpg,
        title: "asyncpg",
        reader: Some("asyncpg"),
        own: &[
            "host",
            "port",
            "dbname",
            "database",
            "user",
            "password",
            "passfile",
            "sslmode",
            "sslcert",
            "sslkey",
            "sslrootcert",
            "sslnegotiation",
            "sslcrl",
            "sslpassword",
            "ssl_min_protocol_version",
            "ssl_max_protocol_version",
            "target_session_attrs",
            "krbsrvname",
            "gsslib",
            "service",
            "servicefile",
        ],
    },
];

impl Source<'_> {
    /// Judges the parameters of a string by the driver that it goes to: `names` are all that
    /// its reader hands on, where one takes it apart first.
    pub(super) fn judge_parameters(
        &self,
        draft: &mut Draft,
        engine: Option<EngineId>,
        (reader, names): (Option<&UrlReader>, &[String]),
        place: impl Fn() -> Place,
    ) {
        if engine != Some(POSTGRESQL) {
            return;
        }
        let straight = |h: &&HandsOn| reader.is_none_or(|r| h.reader == Some(r.id));
        let hands_on = HAND_ON.iter().find(|h| h.client == draft.client);
        if let Some(hands_on) = hands_on.filter(straight) {
            let parameters = [Field::PARAMETERS, Field::of("keyword")];
            let other = |d: &Defect| {
                d.kind == DefectKind::ParameterUnknown
                    || d.kind == DefectKind::Unreadable && parameters.contains(&d.subject)
            };
            draft.defects.retain(|d| !other(d));
            let named = match names {
                [] => &draft.unknown_parameters,
                names => names,
            };
            let asked = named.iter().map(String::as_str);
            let refused = asked
                .filter(|name| !hands_on.own.contains(name) && !server_takes(name))
                .map(|name| hands_on.refused(name, place()));
            let refused: Vec<Defect> = refused.collect();
            draft.defects.extend(refused);
        } else if draft.client == ClientId::Libpq && self.hands_all_to_libpq(reader) {
            let unknown = |d: &&mut Defect| d.kind == DefectKind::ParameterUnknown;
            for defect in draft.defects.iter_mut().filter(unknown) {
                defect.kind = DefectKind::Unreadable;
                defect.stops = true;
                defect.expected = "a parameter of PostgreSQL's library".to_owned();
            }
        }
    }

    /// Whether the program gives all parameters to PostgreSQL's own library, which refuses
    /// those that it does not know.
    fn hands_all_to_libpq(&self, reader: Option<&UrlReader>) -> bool {
        match reader {
            Some(reader) => reader.takes == Takes::All,
            None => matches!(
                driver::of(self.packages, POSTGRESQL),
                Some((package, Some(ClientId::Libpq))) if package != driver::OF_PHP
            ),
        }
    }
}

impl HandsOn {
    fn refused(&self, name: &str, place: Place) -> Defect {
        Defect {
            kind: DefectKind::SettingRefused,
            subject: Field::PARAMETERS,
            stops: true,
            text: format!(
                "{} asks the server for the setting {}, and PostgreSQL has none of that name",
                self.title,
                shown::key(name, self.own.iter().copied())
            ),
            expected: format!("a parameter of {} or a setting of the server", self.title),
            place: Some(place),
            mended: None,
        }
    }
}

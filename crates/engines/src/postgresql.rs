//! PostgreSQL: its strings, its protocol (version 3.0), its codes.

mod advice;
pub mod codec;
pub mod codes;
mod complete;
mod conversation;
mod described;
mod encryption;
mod greeting;
mod inquiry;
mod parameters;
mod password_file;
mod policy;
mod server_settings;
mod service;
mod service_file;
pub mod sign_in;
mod string;
mod written;

pub use password_file::password_in_file;
pub use server_settings::server_takes;
pub use string::{libpq_takes, psqlodbc_password};

use chronaxis_model::conversation::Conversation;
use chronaxis_model::target::{ClientId, EngineId, ShownTarget, Target};

use crate::named_file::FileWanted;
use crate::policy::{ClientPolicy, SessionWish, TlsFiles};
use crate::protocol::{ConversationPlan, Protocol};
use crate::spec::{ClientRule, Engine, EngineSpec, Language, PairDialect, drivers};
use crate::strings::{ClientEnvironment, Draft, NotFollowed, Strings};
use crate::written::{Form, NotWritten, Parts};

/// Its id.
pub const ID: EngineId = SPEC.id;

/// The engine.
pub static ENGINE: Engine = Engine {
    spec: &SPEC,
    strings: &Postgresql,
    protocol: &Postgresql,
};

static SPEC: EngineSpec = EngineSpec {
    schemes: &["postgresql", "postgres"],
    adapters: &["postgis", "pgsql", "psql", "pg", "pdo-pgsql", "pdo_pgsql"],
    drivers: &drivers(string::DRIVERS),
    jdbc_names: &["postgresql"],
    php_name: Some(string::PHP_LEAD),
    odbc_words: &["postgres", "psql"],
    // .NET's client of PostgreSQL (its documentation, "Connection String Parameters").
    pairs: PairDialect {
        words: &[
            "channelbinding",
            "includeerrordetail",
            "maxautoprepare",
            "noresetonclose",
            "rootcertificate",
            "searchpath",
            "sslnegotiation",
            "targetsessionattributes",
        ],
        keys: &["host", "username"],
        host: None,
    },
    keyword_values: true,
    words: &[
        "postgre", "postgis", "psycopg", "pgsql", "asyncpg", "pg8000", "psqlodbc",
    ],
    whole_words: &["pg", "psql", "pq"],
    driver_words: &[
        "postgresql",
        "postgres",
        "pgsql",
        "django.db.backends.postgresql",
        "django.contrib.gis.db.backends.postgis",
        "org.postgresql.Driver",
        "pdo_pgsql",
        "psycopg2",
        "psycopg",
        "asyncpg",
    ],
    renamed: &[(
        "django.db.backends.postgresql_psycopg2",
        "django.db.backends.postgresql",
    )],
    python_modules: &["psycopg", "psycopg2", "asyncpg", "pg8000", "aiopg"],
    variable_leads: &["postgres", "pg"],
    option_variables: complete::MEANS,
    file_options: &["sslrootcert", "sslcert", "sslkey"],
    own_names: &[("ssl_ca", "sslrootcert")],
    clients: &[
        ClientRule::word("asyncpg", ClientId::Asyncpg),
        ClientRule::word("pg8000", ClientId::Pg8000),
        ClientRule::language(Language::Java, ClientId::Pgjdbc),
        ClientRule::any(ClientId::Libpq),
    ],
    socket_is_host: true,
    in_settings: true,
    has_databases: true,
    data_marks: &["PG_VERSION", "data/PG_VERSION", "pgdata/PG_VERSION"],
    asks_to_encrypt: true,
    usual_port: Some(string::USUAL_PORT),
    usual_ports: &[5432, 5433, 6432],
    socket_folders: &["/var/run/postgresql", "/tmp"],
    socket_files: &[(".s.PGSQL.", "")],
    programs: &["postgres", "postmaster", "pgbouncer"],
    variables: complete::VARIABLES,
    greetings: greeting::ALL,
    advice: advice::ADVICE,
    first_bytes: &codec::ENCRYPTION_REQUEST,
    administrators: &["postgres"],
    queries: &[(conversation::QUERY, "")],
    oldest_servers: &[(ClientId::Asyncpg, (9, 5)), (ClientId::Pgjdbc, (8, 4))],
    inquiry: inquiry::STATEMENTS,
    ..EngineSpec::named("postgresql", "PostgreSQL")
};

/// Both sides of it.
struct Postgresql;

impl Strings for Postgresql {
    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        string::read(text, line)
    }

    fn at(&self, host: &str, port: u16) -> String {
        format!("host='{host}' port={port}")
    }

    fn files(&self, draft: &Draft, around: &ClientEnvironment) -> Vec<FileWanted> {
        complete::files(draft, around)
    }

    fn complete(&self, draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed> {
        complete::complete(draft, around)
    }

    fn described(&self, target: &ShownTarget) -> String {
        described::described(target)
    }

    fn written(&self, parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
        written::written(parts, form)
    }

    fn client_policy(&self, target: &ShownTarget) -> ClientPolicy {
        policy::client(target)
    }

    fn session_wish(&self, target: &ShownTarget) -> SessionWish {
        policy::session(target)
    }

    fn keep_alive(&self, target: &ShownTarget, seconds: u64) -> Option<String> {
        policy::keep_alive(target.client, seconds)
    }

    fn names_schema(&self, target: &ShownTarget) -> bool {
        policy::names_schema(target)
    }

    fn tls_files<'a>(&self, target: &'a ShownTarget) -> TlsFiles<'a> {
        let named = |key: &str| target.options.get(key).map(String::as_str);
        TlsFiles {
            authorities: named("sslrootcert"),
            certificate: named("sslcert"),
            key: named("sslkey"),
        }
    }
}

impl Protocol for Postgresql {
    fn open(&self, plan: ConversationPlan<'_>) -> Box<dyn Conversation> {
        Box::new(conversation::ClientHalf::new(&plan))
    }

    fn start_parameters(&self, target: &ShownTarget) -> Vec<&'static str> {
        parameters::parameters(&parameters::Told {
            client: target.client,
            user: target.user.as_ref(),
            database: target.database.as_ref(),
            options: &target.options,
        })
        .into_iter()
        .map(|(key, _)| key)
        .filter(|key| !matches!(*key, "user" | "database"))
        .collect()
    }
}

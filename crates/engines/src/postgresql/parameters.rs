//! What each client sends at the start.

use std::collections::BTreeMap;

use chronaxis_model::target::ClientId;

/// What of a target they are made of.
pub(super) struct Told<'a> {
    pub(super) client: ClientId,
    pub(super) user: Option<&'a String>,
    pub(super) database: Option<&'a String>,
    pub(super) options: &'a BTreeMap<String, String>,
}

/// The start-up parameters as each client sends them, in its own order (measured by
/// recording each client's first message).
pub(super) fn parameters(target: &Told<'_>) -> Vec<(&'static str, String)> {
    let told = |key: &str| target.options.get(key).cloned();
    let user = || target.user.cloned();
    let database = || target.database.cloned();
    let fixed = |value: &str| Some(value.to_owned());
    let all: Vec<(&'static str, Option<String>)> = match target.client {
        ClientId::Libpq => vec![
            ("user", user()),
            ("database", database()),
            ("replication", told("replication")),
            ("options", told("options")),
            (
                "application_name",
                told("application_name").or_else(|| told("fallback_application_name")),
            ),
            (
                "client_encoding",
                // With this word it sends what its surroundings say.
                told("client_encoding").filter(|v| v != "auto"),
            ),
            ("datestyle", told("datestyle")),
            ("timezone", told("timezone")),
            ("geqo", told("geqo")),
        ],
        ClientId::Pgjdbc => vec![
            ("user", user()),
            ("database", database()),
            ("client_encoding", fixed("UTF8")),
            ("DateStyle", fixed("ISO")),
            ("TimeZone", fixed("UTC")),
            ("extra_float_digits", fixed("2")),
            ("search_path", told("search_path")),
            ("options", told("options")),
            ("replication", told("replication")),
        ],
        ClientId::Asyncpg => vec![
            ("client_encoding", fixed("'utf-8'")),
            ("user", user()),
            ("database", database()),
        ],
        ClientId::Pg8000 => vec![
            ("user", user()),
            ("database", database()),
            ("application_name", told("application_name")),
            ("replication", told("replication")),
        ],
        ClientId::NodePostgres
        | ClientId::PostgresJs
        | ClientId::Pgx
        | ClientId::GoPq
        | ClientId::Npgsql => vec![
            ("user", user()),
            ("database", database()),
            ("options", told("options")),
        ],
        _ => vec![("user", user()), ("database", database())],
    };
    all.into_iter()
        .filter_map(|(key, value)| Some((key, value?)))
        .collect()
}

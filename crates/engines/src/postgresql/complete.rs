//! From a draft to a target: what the C library adds by itself, in its own order.

mod choices;
mod places;

use std::collections::BTreeMap;

use chronaxis_model::fact::Fact;
use chronaxis_model::secret::{Blemish, Secret};
use chronaxis_model::settings::{Defect, DefectKind, Field, check_value};
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::{ClientId, End, Target};

use super::encryption;
use super::password_file::{self, Wanted};
use super::service;
use super::string::KEYWORDS;
use crate::completed::label;
use crate::named_file::FileWanted;
use crate::strings::{ClientEnvironment, Draft, NotFollowed};
use crate::text::pieces::subject;

/// Environment variables and the keywords they stand for (PostgreSQL documentation,
/// "Environment Variables").
pub(super) const MEANS: &[(&str, &str)] = &[
    ("PGHOST", "host"),
    ("PGHOSTADDR", "hostaddr"),
    ("PGPORT", "port"),
    ("PGDATABASE", "dbname"),
    ("PGUSER", "user"),
    ("PGPASSFILE", "passfile"),
    ("PGSERVICE", "service"),
    ("PGOPTIONS", "options"),
    ("PGAPPNAME", "application_name"),
    ("PGSSLMODE", "sslmode"),
    ("PGSSLROOTCERT", "sslrootcert"),
    ("PGSSLCERT", "sslcert"),
    ("PGSSLKEY", "sslkey"),
    ("PGSSLMINPROTOCOLVERSION", "ssl_min_protocol_version"),
    ("PGSSLMAXPROTOCOLVERSION", "ssl_max_protocol_version"),
    ("PGSSLNEGOTIATION", "sslnegotiation"),
    ("PGCHANNELBINDING", "channel_binding"),
    ("PGREQUIREAUTH", "require_auth"),
    ("PGMINPROTOCOLVERSION", "min_protocol_version"),
    ("PGMAXPROTOCOLVERSION", "max_protocol_version"),
    ("PGSSLCERTMODE", "sslcertmode"),
    ("PGGSSENCMODE", "gssencmode"),
    ("PGCONNECT_TIMEOUT", "connect_timeout"),
    ("PGCLIENTENCODING", "client_encoding"),
    ("PGTARGETSESSIONATTRS", "target_session_attrs"),
    ("PGLOADBALANCEHOSTS", "load_balance_hosts"),
    ("PGDATESTYLE", "datestyle"),
    ("PGTZ", "timezone"),
    ("PGGEQO", "geqo"),
];

/// All variables that count, the password's among them.
pub(super) const VARIABLES: &[&str] = &[
    "PGHOST",
    "PGHOSTADDR",
    "PGPORT",
    "PGDATABASE",
    "PGUSER",
    "PGPASSWORD",
    "PGPASSFILE",
    "PGSERVICE",
    "PGSERVICEFILE",
    "PGSYSCONFDIR",
    "PGOPTIONS",
    "PGAPPNAME",
    "PGSSLMODE",
    "PGSSLROOTCERT",
    "PGSSLCERT",
    "PGSSLKEY",
    "PGSSLMINPROTOCOLVERSION",
    "PGSSLMAXPROTOCOLVERSION",
    "PGSSLNEGOTIATION",
    "PGCHANNELBINDING",
    "PGREQUIREAUTH",
    "PGMINPROTOCOLVERSION",
    "PGMAXPROTOCOLVERSION",
    "PGSSLCERTMODE",
    "PGGSSENCMODE",
    "PGCONNECT_TIMEOUT",
    "PGCLIENTENCODING",
    "PGTARGETSESSIONATTRS",
    "PGLOADBALANCEHOSTS",
    "PGDATESTYLE",
    "PGTZ",
    "PGGEQO",
];

/// The library's name for a socket's host in a password file.
const SOCKET_HOST: &str = "localhost";

pub(super) fn files(draft: &Draft, around: &ClientEnvironment) -> Vec<FileWanted> {
    let mut out = Vec::new();
    let mut from_service = None;
    if let Some(asked) = service::asked(draft, around) {
        from_service = service::password_file(&asked.value, around);
        out.extend(service::files(around).into_iter().map(FileWanted::words));
    }
    out.extend(encryption::files(draft, around));
    if matches!(draft.client, ClientId::Pg8000 | ClientId::PostgresJs) {
        return out;
    }
    let told = draft
        .value("passfile")
        .map(|t| t.value.clone())
        .or(from_service)
        .or_else(|| around.variable("PGPASSFILE").map(|t| t.value));
    let path = told.or_else(|| around.home.as_ref().map(|home| format!("{home}/.pgpass")));
    out.extend(path.map(|path| FileWanted {
        private: true,
        ..FileWanted::words(path)
    }));
    out
}

pub(super) fn complete(
    mut draft: Draft,
    around: &ClientEnvironment,
) -> Result<Target, NotFollowed> {
    service::take(&mut draft, around);
    let mut filled = Filled::new(draft, around);
    if let Some(what) = filled.not_followed() {
        return Err(NotFollowed(what));
    }
    filled.check_address();
    filled.check_choices(around);
    let (encryption, wrong) = encryption::of(filled.client, &filled.options, around);
    filled.defects.extend(wrong);
    let mut user = filled.user(around);
    let mut database = filled.database(user.as_deref());
    let mut ends = filled.ends(around);
    filled.secret(around, &ends, database.as_deref(), user.as_deref());
    filled.origin_of("host", "host");
    filled.origin_of("port", "port");
    let late = encryption.stopped_late;
    let stops = filled.defects.iter().any(|d| d.stops_dialling(late));
    if stops {
        // Defaults would only describe a connection that nobody makes.
        let told = |key: &str| filled.values.get(key).map(|t| t.value.clone());
        (database, user, ends) = (told("dbname"), told("user"), Vec::new());
        filled.origins.retain(|_, origin| !origin.is_default());
    }
    Ok(Target {
        label: label(database.as_ref(), &ends),
        engine: super::ID,
        client: filled.client,
        ends,
        database,
        user,
        secret: filled.secret,
        encryption,
        options: filled.options,
        origins: filled.origins,
        form: filled.form,
        read_by: filled.read_by,
        defects: filled.defects,
        withheld: Vec::new(),
        remarks: filled.remarks,
    })
}

/// A target in the making.
struct Filled {
    form: String,
    read_by: Vec<String>,
    client: ClientId,
    values: BTreeMap<String, Sourced<String>>,
    options: BTreeMap<String, String>,
    origins: BTreeMap<String, Origin>,
    secret: Option<Sourced<Secret>>,
    defects: Vec<Defect>,
    /// Keywords that the string gives without a value.
    empty: Vec<String>,
    remarks: Vec<Fact>,
}

impl Filled {
    /// Lays options over the string, and the string over the environment. An empty value
    /// in a string counts as given, but says nothing.
    fn new(draft: Draft, around: &ClientEnvironment) -> Filled {
        let mut defects = draft.defects;
        let mut values = draft.values;
        let client = draft.client;
        for (variable, keyword) in MEANS {
            if listens(client, variable)
                && let Some(told) = around.variable(variable)
                && !values.contains_key(*keyword)
            {
                defects.extend(check_value(subject(keyword), &told.value, None));
                values.insert((*keyword).to_owned(), told);
            }
        }
        for (name, keyword) in [("user", "user"), ("database", "dbname")] {
            if let Some(told) = around.options.get(name) {
                defects.retain(|d| d.subject.as_str() != name || d.stops);
                defects.extend(check_value(name, &told.value, None));
                values.insert(keyword.to_owned(), told.clone());
            }
        }
        let empty = choices::given_empty(&values);
        values.retain(|_, told| !told.value.is_empty());
        let mut filled = Filled {
            form: draft.form,
            read_by: draft.read_by,
            client,
            values,
            options: BTreeMap::new(),
            origins: BTreeMap::new(),
            secret: draft.secret,
            defects,
            empty,
            remarks: Vec::new(),
        };
        filled.take_options();
        filled
    }

    fn take_options(&mut self) {
        const OWN_FIELDS: &[&str] = &["host", "port", "dbname", "user"];
        for (key, told) in &self.values {
            let known = KEYWORDS.contains(&key.as_str())
                || key == "search_path"
                || MEANS.iter().any(|(_, keyword)| keyword == key);
            if known && !OWN_FIELDS.contains(&key.as_str()) {
                self.options.insert(key.clone(), told.value.clone());
                self.origins.insert(key.clone(), told.origin.clone());
            }
        }
    }

    /// What is valid and would change what this client does, and is not followed yet.
    fn not_followed(&self) -> Option<&'static str> {
        let value = |key: &str| self.values.get(key).map_or("", |told| told.value.as_str());
        (value("gssencmode") == "require").then_some("demands for GSSAPI encryption")
    }

    fn origin_of(&mut self, keyword: &str, field: &str) {
        if let Some(told) = self.values.get(keyword) {
            self.origins.insert(field.to_owned(), told.origin.clone());
        }
    }

    fn by_default(&mut self, field: &str, rule: &str) {
        let origin = Origin::Default {
            name: rule.to_owned(),
        };
        self.origins.insert(field.to_owned(), origin);
    }

    fn unreadable(&mut self, subject: &str, text: String, expected: &str) {
        self.defects.push(Defect {
            kind: DefectKind::Unreadable,
            subject: Field::of(subject),
            stops: true,
            text,
            expected: expected.to_owned(),
            place: None,
            mended: None,
        });
    }

    fn user(&mut self, around: &ClientEnvironment) -> Option<String> {
        if let Some(told) = self.values.get("user") {
            self.origins.insert("user".to_owned(), told.origin.clone());
            return Some(told.value.clone());
        }
        if around.os_user.is_some() {
            self.by_default("user", "the account this program runs under");
            return around.os_user.clone();
        }
        self.defects.push(Defect {
            kind: DefectKind::Missing,
            subject: Field::USER,
            stops: true,
            text: "no user is given, and this machine has no name for the account".to_owned(),
            expected: "a user".to_owned(),
            place: None,
            mended: None,
        });
        None
    }

    fn database(&mut self, user: Option<&str>) -> Option<String> {
        if let Some(told) = self.values.get("dbname") {
            self.origins
                .insert("database".to_owned(), told.origin.clone());
            return Some(told.value.clone());
        }
        self.by_default("database", "the user's name");
        user.map(str::to_owned)
    }

    /// The password, from the strongest source that has one. The library takes an empty
    /// one in a string for none and goes on to its password file.
    fn secret(
        &mut self,
        around: &ClientEnvironment,
        ends: &[End],
        database: Option<&str>,
        user: Option<&str>,
    ) {
        let variable = around
            .variable("PGPASSWORD")
            .filter(|_| listens(self.client, "PGPASSWORD"))
            .map(|told| told.map(Secret::new));
        let own = self.secret.take();
        let from_option = around.option_secret.clone();
        if from_option.is_some() {
            self.defects
                .retain(|d| d.subject != Field::PASSWORD || d.stops);
        }
        let found = from_option
            .or(own)
            .or_else(|| around.variable_secret.clone())
            .or(variable);
        self.secret = match found {
            Some(told) if !told.value.shape().has(Blemish::Empty) => Some(told),
            empty => self
                .look_into_password_file(around, ends, database, user)
                .or(empty),
        };
        let Some(told) = &self.secret else { return };
        self.origins
            .insert("secret".to_owned(), told.origin.clone());
        let noted = self.defects.iter().any(|d| d.subject == Field::PASSWORD);
        if !noted {
            let defects = check_value("password", told.value.expose(), None);
            self.defects.extend(defects);
        }
    }

    /// What the password file says for the first place. (The library asks it for each; a
    /// file that says different things for the hosts of one target is not followed.)
    fn look_into_password_file(
        &mut self,
        around: &ClientEnvironment,
        ends: &[End],
        database: Option<&str>,
        user: Option<&str>,
    ) -> Option<Sourced<Secret>> {
        let wanted = around.files_wanted.iter().find(|w| w.private)?;
        let seen = around.files.iter().find(|f| f.path == wanted.path);
        let file = seen.filter(|f| f.regular)?;
        if file.mode & 0o077 != 0 {
            self.remarks.push(Fact::PasswordFileSkipped {
                file: file.path.clone(),
                mode: format!("{:04o}", file.mode & 0o7777),
            });
            return None;
        }
        let (host, port) = match ends.first()? {
            End::Host { host, port, .. } => (host.as_str(), *port),
            End::Socket { socket } => {
                let (folder, name) = socket.rsplit_once('/')?;
                let port = name.rsplit('.').next()?.parse().ok()?;
                let usual = folder == around.socket_folder;
                (if usual { SOCKET_HOST } else { folder }, port)
            }
        };
        let wanted = Wanted {
            host,
            port,
            database: database.unwrap_or_default(),
            user: user.unwrap_or_default(),
        };
        let found = password_file::find(&file.text, &wanted);
        self.remarks.push(Fact::PasswordFileRead {
            file: file.path.clone(),
            line: found.as_ref().map(|(line, _)| *line),
        });
        let (line, secret) = found?;
        let origin = Origin::File {
            file: file.path.clone(),
            line,
            column: 1,
            name: "password".to_owned(),
        };
        Some(Sourced::new(secret, origin))
    }
}

/// Whether a client listens to a variable.
fn listens(client: ClientId, variable: &str) -> bool {
    const ASYNCPG: &[&str] = &[
        "PGHOST",
        "PGPORT",
        "PGUSER",
        "PGPASSWORD",
        "PGDATABASE",
        "PGPASSFILE",
        "PGSSLMODE",
    ];
    const NODE: &[&str] = &["PGHOST", "PGPORT", "PGUSER", "PGPASSWORD", "PGDATABASE"];
    match client {
        ClientId::Libpq | ClientId::Pgx | ClientId::GoPq => true,
        ClientId::Npgsql => matches!(variable, "PGUSER" | "PGPASSWORD" | "PGPASSFILE"),
        ClientId::Asyncpg => ASYNCPG.contains(&variable),
        ClientId::NodePostgres => NODE.contains(&variable) || variable == "PGPASSFILE",
        ClientId::PostgresJs => NODE.contains(&variable),
        _ => false,
    }
}

//! From a draft to a target: what the C library adds by itself, in its own order.

use std::collections::BTreeMap;
use std::net::IpAddr;

use super::password_file::{self, Wanted};
use super::service_file;
use super::string::{KEYWORDS, USUAL_PORT, parse_port};
use crate::engine::spec::{Draft, FileWanted, NotFollowed, Surroundings};
use crate::fact::Fact;
use crate::redact::visible;
use crate::secret::{Blemish, Secret};
use crate::settings::{Defect, DefectKind, check_value, nearest};
use crate::target::{ClientId, End, EngineId, Target};
use crate::told::{Origin, Told};

/// Environment variables and the keywords they stand for (PostgreSQL documentation,
/// "Environment Variables").
const MEANS: &[(&str, &str)] = &[
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
    ("PGSSLNEGOTIATION", "sslnegotiation"),
    ("PGCHANNELBINDING", "channel_binding"),
    ("PGREQUIREAUTH", "require_auth"),
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
    "PGSSLNEGOTIATION",
    "PGCHANNELBINDING",
    "PGREQUIREAUTH",
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

const SSL_MODES: &[&str] = &[
    "disable",
    "allow",
    "prefer",
    "require",
    "verify-ca",
    "verify-full",
];

/// The service file of the user, or the one that a variable names, and the machine's own.
fn service_files(around: &Surroundings) -> Vec<String> {
    let own = around
        .variable("PGSERVICEFILE")
        .map(|t| t.value)
        .or_else(|| {
            around
                .home
                .as_ref()
                .map(|home| format!("{home}/.pg_service.conf"))
        });
    let folder = around
        .variable("PGSYSCONFDIR")
        .map_or_else(|| "/etc/postgresql-common".to_owned(), |t| t.value);
    own.into_iter()
        .chain([format!("{folder}/pg_service.conf")])
        .collect()
}

fn service(draft: &Draft, around: &Surroundings) -> Option<Told<String>> {
    let told = draft.value("service").cloned();
    match draft.client {
        ClientId::Libpq => told.or_else(|| around.variable("PGSERVICE")),
        ClientId::Pgjdbc => told,
        ClientId::Asyncpg | ClientId::Pg8000 => None,
    }
}

pub(super) fn files(draft: &Draft, around: &Surroundings) -> Vec<FileWanted> {
    let mut out = Vec::new();
    let mut from_service = None;
    if let Some(service) = service(draft, around) {
        for path in service_files(around) {
            let seen = around.files.iter().find(|f| f.path == path);
            let entries = seen.and_then(|f| service_file::find(&f.text, &service.value).ok()?);
            let passfile = |e: &&service_file::Entry| e.key == "passfile";
            from_service =
                from_service.or_else(|| entries?.iter().find(passfile).map(|e| e.value.clone()));
            out.push(FileWanted {
                path,
                private: false,
            });
        }
    }
    if draft.client == ClientId::Pg8000 {
        return out;
    }
    let told = draft
        .value("passfile")
        .map(|t| t.value.clone())
        .or(from_service)
        .or_else(|| around.variable("PGPASSFILE").map(|t| t.value));
    let path = told.or_else(|| around.home.as_ref().map(|home| format!("{home}/.pgpass")));
    out.extend(path.map(|path| FileWanted {
        path,
        private: true,
    }));
    out
}

pub(super) fn complete(mut draft: Draft, around: &Surroundings) -> Result<Target, NotFollowed> {
    take_service(&mut draft, around);
    let mut filled = Filled::new(draft, around);
    if let Some(what) = filled.not_followed() {
        return Err(NotFollowed(what));
    }
    filled.check_address();
    filled.check_ssl_mode();
    let mut user = filled.user(around);
    let mut database = filled.database(user.as_deref());
    let mut ends = filled.ends(around);
    filled.secret(around, &ends, database.as_deref(), user.as_deref());
    filled.origin_of("host", "host");
    filled.origin_of("port", "port");
    let stops = filled.defects.iter().any(|d| d.stops);
    if stops {
        // Defaults would only describe a connection that nobody makes.
        let told = |key: &str| filled.values.get(key).map(|t| t.value.clone());
        (database, user, ends) = (told("dbname"), told("user"), Vec::new());
        filled.origins.retain(|_, origin| !origin.is_default());
    }
    let label = match (&database, ends.first()) {
        (Some(database), _) => database.clone(),
        (None, Some(end)) => end.to_string(),
        (None, None) => "a connection".to_owned(),
    };
    Ok(Target {
        label,
        engine: EngineId::Postgresql,
        client: filled.client,
        ends,
        database,
        user,
        secret: filled.secret,
        options: filled.options,
        origins: filled.origins,
        form: filled.form,
        defects: filled.defects,
        remarks: filled.remarks,
    })
}

/// A target in the making.
struct Filled {
    form: String,
    client: ClientId,
    values: BTreeMap<String, Told<String>>,
    options: BTreeMap<String, String>,
    origins: BTreeMap<String, Origin>,
    secret: Option<Told<Secret>>,
    defects: Vec<Defect>,
    remarks: Vec<Fact>,
}

impl Filled {
    /// Lays options over the string, and the string over the environment. An empty value
    /// in a string counts as given, but says nothing.
    fn new(draft: Draft, around: &Surroundings) -> Filled {
        let mut defects = draft.defects;
        let mut values = draft.values;
        let client = draft.client;
        for (variable, keyword) in MEANS {
            if listens(client, variable)
                && let Some(told) = around.variable(variable)
                && !values.contains_key(*keyword)
            {
                defects.extend(check_value(neutral(keyword), &told.value, None));
                values.insert((*keyword).to_owned(), told);
            }
        }
        for (name, keyword) in [("user", "user"), ("database", "dbname")] {
            if let Some(told) = around.options.get(name) {
                defects.retain(|d| d.subject != name || d.stops);
                defects.extend(check_value(name, &told.value, None));
                values.insert(keyword.to_owned(), told.clone());
            }
        }
        values.retain(|_, told| !told.value.is_empty());
        let mut filled = Filled {
            form: draft.form,
            client,
            values,
            options: BTreeMap::new(),
            origins: BTreeMap::new(),
            secret: draft.secret,
            defects,
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
        [
            (
                !value("require_auth").is_empty(),
                "settings of require_auth",
            ),
            (
                value("channel_binding") == "require",
                "demands for channel binding",
            ),
            (
                value("gssencmode") == "require",
                "demands for GSSAPI encryption",
            ),
            (
                value("sslnegotiation") == "direct",
                "direct TLS connections",
            ),
        ]
        .into_iter()
        .find_map(|(there, what)| there.then_some(what))
    }

    /// The parts of a list value, with commas between; none where it is not given.
    fn list(&self, key: &str) -> Vec<String> {
        let told = self.values.get(key);
        told.map_or_else(Vec::new, |t| {
            t.value.split(',').map(str::to_owned).collect()
        })
    }

    fn check_address(&mut self) {
        let no_address = |a: &&String| !a.is_empty() && a.parse::<IpAddr>().is_err();
        let addresses = self.list("hostaddr");
        if let Some(address) = addresses.iter().find(no_address) {
            let text = format!("hostaddr \"{}\" is no address", visible(address));
            let expected = "an IPv4 or IPv6 address; a name goes into host";
            self.unreadable("hostaddr", text, expected);
        }
        let hosts = self.list("host");
        let (hosts, addresses) = (hosts.len(), addresses.len());
        if hosts > 0 && addresses > 0 && hosts != addresses {
            let text = format!("{hosts} hosts are given, and {addresses} addresses in hostaddr");
            self.unreadable("hostaddr", text, "one address for each host");
        }
        let places = hosts.max(addresses).max(1);
        let ports = self.list("port").len();
        if ports > 1 && ports != places {
            let text = format!("{ports} ports are given for {places} hosts");
            self.unreadable("port", text, "one port for all, or one for each host");
        }
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
            subject: subject.to_owned(),
            stops: true,
            text,
            expected: expected.to_owned(),
            place: None,
            mended: None,
        });
    }

    fn check_ssl_mode(&mut self) {
        if let Some(mode) = self.options.get("sslmode").cloned()
            && !SSL_MODES.contains(&mode.as_str())
        {
            let text = format!("sslmode \"{}\" is not known", visible(&mode));
            self.unreadable("sslmode", text, &SSL_MODES.join(", "));
        }
    }

    /// The port of the host at this place in the list.
    fn port(&mut self, index: usize) -> u16 {
        let ports = self.list("port");
        let told = ports
            .get(index)
            .or(ports.first().filter(|_| ports.len() == 1));
        match told.map(String::as_str) {
            None | Some("") => {
                if ports.len() < 2 {
                    self.by_default("port", "the engine's usual port");
                }
                USUAL_PORT
            }
            Some(text) => match parse_port(text) {
                Some(port) => port,
                None => {
                    self.check_port_variable();
                    USUAL_PORT
                }
            },
        }
    }

    fn check_port_variable(&mut self) {
        let from_text = |o: &Origin| matches!(o, Origin::Target { .. } | Origin::Stdin { .. });
        let told = self.values.get("port");
        if let Some(origin) = told.map(|t| t.origin.clone()).filter(|o| !from_text(o)) {
            let text = format!("the port in {} is not a number", origin.shown());
            self.unreadable("port", text, "a number from 1 to 65535");
        }
    }

    fn user(&mut self, around: &Surroundings) -> Option<String> {
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
            subject: "user".to_owned(),
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

    fn ends(&mut self, around: &Surroundings) -> Vec<End> {
        let hosts = self.list("host");
        let addresses = self.list("hostaddr");
        let places = hosts.len().max(addresses.len());
        if places == 0 {
            let over_network = self.client != ClientId::Libpq;
            let (rule, host) = if over_network {
                ("this machine", "localhost")
            } else {
                ("the socket file of this machine", "")
            };
            self.by_default("host", rule);
            return self.end(host, None, 0, around).into_iter().collect();
        }
        (0..places)
            .filter_map(|i| {
                let host = hosts.get(i).map_or("", String::as_str);
                let address = addresses.get(i).and_then(|a| a.parse().ok());
                self.end(host, address, i, around)
            })
            .collect()
    }

    fn end(
        &mut self,
        host: &str,
        address: Option<IpAddr>,
        index: usize,
        around: &Surroundings,
    ) -> Option<End> {
        let port = self.port(index);
        let folder = match (host, address) {
            (host, None) if host.starts_with('@') => {
                let text = "an abstract socket name is given, which is not dialled here".to_owned();
                self.unreadable("host", text, "a host, an address, or a socket folder");
                return None;
            }
            ("", None) => around.socket_folder.as_str(),
            (folder, None) if folder.starts_with('/') => folder,
            ("", Some(ip)) => {
                return Some(End::Host {
                    host: ip.to_string(),
                    port,
                    address: None,
                });
            }
            (host, address) => {
                return Some(End::Host {
                    host: host.to_owned(),
                    port,
                    address,
                });
            }
        };
        Some(End::Socket {
            socket: format!("{}/.s.PGSQL.{port}", folder.trim_end_matches('/')),
        })
    }

    /// The password, from the strongest source that has one. The library takes an empty
    /// one in a string for none and goes on to its password file.
    fn secret(
        &mut self,
        around: &Surroundings,
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
            self.defects.retain(|d| d.subject != "password" || d.stops);
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
        let noted = self.defects.iter().any(|d| d.subject == "password");
        if !noted {
            let defects = check_value("password", told.value.expose(), None);
            self.defects.extend(defects);
        }
    }

    /// What the password file says for the first place. (The library asks it for each; a
    /// file that says different things for the hosts of one target is not followed.)
    fn look_into_password_file(
        &mut self,
        around: &Surroundings,
        ends: &[End],
        database: Option<&str>,
        user: Option<&str>,
    ) -> Option<Told<Secret>> {
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
        Some(Told::new(secret, origin))
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
    match client {
        ClientId::Libpq => true,
        ClientId::Asyncpg => ASYNCPG.contains(&variable),
        ClientId::Pgjdbc | ClientId::Pg8000 => false,
    }
}

/// Lays the values of the service that the draft asks for under the string's own; above
/// them stand only the string and the options.
fn take_service(draft: &mut Draft, around: &Surroundings) {
    let Some(service) = service(draft, around) else {
        return;
    };
    let mut names: Vec<&str> = Vec::new();
    for path in service_files(around) {
        let Some(file) = around.files.iter().find(|f| f.path == path) else {
            continue;
        };
        names.extend(service_file::names(&file.text));
        match service_file::find(&file.text, &service.value) {
            Ok(None) => {}
            Ok(Some(entries)) => return lay_under(draft, &path, entries),
            Err(broken) => {
                let text = format!(
                    "{path}, line {}, service \"{}\": {}",
                    broken.line,
                    visible(&service.value),
                    broken.what
                );
                return draft.defects.push(Defect {
                    kind: DefectKind::Unreadable,
                    subject: "service".to_owned(),
                    stops: true,
                    text,
                    expected: "key=value, with the keys of this client".to_owned(),
                    place: None,
                    mended: None,
                });
            }
        }
    }
    let name = visible(&service.value);
    let near = nearest(&service.value, names.iter().copied());
    let files = service_files(around).join(" or ");
    draft.defects.push(Defect {
        kind: DefectKind::Missing,
        subject: "service".to_owned(),
        stops: true,
        text: format!("the service \"{name}\" is not defined in {files}"),
        expected: near.map_or_else(
            || format!("a section [{name}]"),
            |near| format!("{}, perhaps", visible(near)),
        ),
        place: None,
        mended: None,
    });
}

fn lay_under(draft: &mut Draft, path: &str, entries: Vec<service_file::Entry>) {
    for entry in entries {
        let origin = Origin::File {
            file: path.to_owned(),
            line: entry.line,
            column: entry.column,
            name: entry.key.clone(),
        };
        if entry.key == "password" {
            let secret = Told::new(Secret::new(entry.value), origin);
            draft.secret.get_or_insert(secret);
        } else if !draft.values.contains_key(&entry.key) {
            for one in entry.value.split(',') {
                draft
                    .defects
                    .extend(check_value(neutral(&entry.key), one, None));
            }
            draft
                .values
                .insert(entry.key, Told::new(entry.value, origin));
        }
    }
}

fn neutral(keyword: &str) -> &str {
    match keyword {
        "dbname" => "database",
        other => other,
    }
}

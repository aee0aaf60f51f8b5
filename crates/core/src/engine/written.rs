//! A target in another form, escaped as that form wants it; its password is a variable to
//! fill in, never the password.

mod lines;

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

use crate::target::{ClientId, End, EngineId, ShownTarget};

/// A form in which a connection can be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// A URL.
    Url,
    /// Keywords with values.
    KeywordValue,
    /// A URL for a JDBC driver.
    Jdbc,
    /// A semicolon-separated data-source string, as ODBC takes it.
    DataSource,
    /// Separate fields, as the engine's own settings file has them.
    Fields,
    /// Variables of the environment.
    Environment,
}

/// What a form cannot carry.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotWritten {
    /// The engine has no such form.
    #[error("{engine} has no such form; it has {has}")]
    NoSuchForm {
        /// The engine, by name.
        engine: &'static str,
        /// The forms that it has.
        has: &'static str,
    },
    /// The form has no word for a value.
    #[error("this form cannot say \"{0}\"; a URL can")]
    NoWord(String),
    /// The form takes one host.
    #[error("this form takes one host, and the connection has several; a URL takes them")]
    OneHost,
    /// A socket file, where the form knows hosts only.
    #[error("this form cannot name a socket file; separate fields can")]
    NoSocket,
    /// A value has a character that the form has no escape for.
    #[error(
        "the {0} has a line end or another control character in it, which this form cannot carry"
    )]
    Control(&'static str),
    /// A value of a string has signs that no name has.
    #[error(
        "a value of this connection's string may be a secret in the wrong place, and is not written; mend the string first (chronaxis settings shows where)"
    )]
    MayBeSecret,
    /// There is nothing to write.
    #[error("the connection has no host that could be written")]
    Nowhere,
}

/// What stands as it is in a URL (RFC 3986, section 2.3).
const UNRESERVED: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'-')
    .remove(b'.')
    .remove(b'_')
    .remove(b'~');

fn escaped(text: &str) -> String {
    utf8_percent_encode(text, UNRESERVED).to_string()
}

/// Writes a target in a form. `variable` is the name of the variable that stands for the
/// password, where the target has one.
///
/// # Errors
/// Says what the form cannot carry.
pub fn written(target: &ShownTarget, form: Form, variable: &str) -> Result<String, NotWritten> {
    let told = Told::of(target, variable)?;
    match form {
        Form::Url => url(&told),
        Form::KeywordValue => keyword_value(&told),
        Form::Jdbc => jdbc(&told),
        Form::DataSource => data_source(&told),
        Form::Fields => lines::fields(&told),
        Form::Environment => lines::environment(&told),
    }
}

/// What there is to write.
struct Told<'a> {
    target: &'a ShownTarget,
    hosts: Vec<String>,
    ports: Vec<String>,
    socket: Option<String>,
    password: Option<String>,
    options: Vec<(&'a str, &'a str)>,
}

/// Options that are said by other means, or that only describe how the string was read.
const NOT_OPTIONS: &[&str] = &[
    "srv",
    "instance",
    "socket",
    "hostaddr",
    "read_default_file",
    "passfile",
];

impl<'a> Told<'a> {
    fn of(target: &'a ShownTarget, variable: &str) -> Result<Told<'a>, NotWritten> {
        if target.ends.is_empty() {
            return Err(NotWritten::Nowhere);
        }
        let control = |text: &Option<String>| {
            text.as_ref()
                .is_some_and(|t| t.chars().any(char::is_control))
        };
        if control(&target.user) {
            return Err(NotWritten::Control("user"));
        }
        if control(&target.database) {
            return Err(NotWritten::Control("database"));
        }
        let mut told = Told {
            target,
            hosts: Vec::new(),
            ports: Vec::new(),
            socket: None,
            password: target.secret.present.then(|| format!("${{{variable}}}")),
            options: Vec::new(),
        };
        for end in &target.ends {
            match end {
                End::Host { host, port, .. } => {
                    told.hosts.push(host.clone());
                    told.ports.push(port.to_string());
                }
                End::Socket { socket } => told.socket = Some(socket.clone()),
            }
        }
        let options = target.options.iter();
        told.options = options
            .filter(|(key, _)| !NOT_OPTIONS.contains(&key.as_str()))
            .map(|(key, value)| (key.as_str(), value.as_str()))
            .collect();
        Ok(told)
    }

    fn engine(&self) -> EngineId {
        self.target.engine
    }

    fn user(&self) -> Option<&str> {
        self.target.user.as_deref()
    }

    fn database(&self) -> Option<&str> {
        self.target.database.as_deref()
    }

    /// PostgreSQL's socket as its clients name it: the folder, and the number in the name.
    fn folder_and_port(&self) -> Option<(String, String)> {
        let (folder, file) = self.socket.as_deref()?.rsplit_once('/')?;
        Some((folder.to_owned(), file.rsplit('.').next()?.to_owned()))
    }

    fn one_host(&self) -> Result<(&str, &str), NotWritten> {
        match (self.hosts.as_slice(), self.ports.as_slice(), &self.socket) {
            ([host], [port], None) => Ok((host, port)),
            (_, _, Some(_)) => Err(NotWritten::NoSocket),
            _ => Err(NotWritten::OneHost),
        }
    }

    fn no_options_but(&self, known: &[&str]) -> Result<(), NotWritten> {
        match self.options.iter().find(|(key, _)| !known.contains(key)) {
            Some((key, _)) => Err(NotWritten::NoWord((*key).to_owned())),
            None => Ok(()),
        }
    }

    /// `user:password@`.
    fn account(&self) -> String {
        let user = self.user().map_or_else(String::new, escaped);
        match (&self.password, user.is_empty()) {
            (Some(password), _) => format!("{user}:{password}@"),
            (None, false) => format!("{user}@"),
            (None, true) => String::new(),
        }
    }

    /// `host:port,host:port`.
    fn places(&self) -> String {
        let place = |(host, port): (&String, &String)| match host.contains(':') {
            true => format!("[{host}]:{port}"),
            false => format!("{}:{port}", escaped(host)),
        };
        let each: Vec<String> = self.hosts.iter().zip(&self.ports).map(place).collect();
        each.join(",")
    }
}

fn query(pairs: &[(String, String)]) -> String {
    let each: Vec<String> = pairs
        .iter()
        .map(|(key, value)| format!("{key}={}", escaped(value)))
        .collect();
    match each.is_empty() {
        true => String::new(),
        false => format!("?{}", each.join("&")),
    }
}

fn url(told: &Told<'_>) -> Result<String, NotWritten> {
    let mut pairs: Vec<(String, String)> = Vec::new();
    let mut places = told.places();
    let by_records = told.target.options.contains_key("srv");
    let scheme = match told.engine() {
        EngineId::Mysql if told.target.client == ClientId::Libmariadb => "mariadb",
        EngineId::Mongodb if by_records => "mongodb+srv",
        engine => engine.as_str(),
    };
    if by_records {
        places = told.hosts.join(",");
    }
    if let Some(socket) = &told.socket {
        match told.engine() {
            EngineId::Postgresql => {
                let (folder, port) = told.folder_and_port().ok_or(NotWritten::NoSocket)?;
                pairs.push(("host".to_owned(), folder));
                pairs.push(("port".to_owned(), port));
            }
            _ => {
                "localhost".clone_into(&mut places);
                pairs.push(("socket".to_owned(), socket.clone()));
            }
        }
    }
    let options = told.options.iter();
    pairs.extend(options.map(|(key, value)| ((*key).to_owned(), (*value).to_owned())));
    let database = told.database().map_or_else(String::new, escaped);
    Ok(format!(
        "{scheme}://{}{places}/{database}{}",
        told.account(),
        query(&pairs)
    ))
}

/// PostgreSQL's keywords; a value in single quotes, a quote and a backslash escaped.
fn keyword_value(told: &Told<'_>) -> Result<String, NotWritten> {
    if told.engine() != EngineId::Postgresql {
        return Err(NotWritten::NoSuchForm {
            engine: told.engine().title(),
            has: "url, jdbc, data-source, fields, environment",
        });
    }
    let quoted = |(key, value): &(String, String)| {
        let plain = |c: char| c.is_ascii_alphanumeric() || "._:/,-".contains(c);
        if !value.is_empty() && value.chars().all(plain) {
            return format!("{key}={value}");
        }
        let value = value.replace('\\', "\\\\").replace('\'', "\\'");
        format!("{key}='{value}'")
    };
    let words: Vec<String> = postgresql(told)?.iter().map(quoted).collect();
    Ok(words.join(" "))
}

/// Keywords and values of PostgreSQL's library.
fn postgresql(told: &Told<'_>) -> Result<Vec<(String, String)>, NotWritten> {
    let mut out: Vec<(String, String)> = Vec::new();
    let mut add = |key: &str, value: String| out.push((key.to_owned(), value));
    match told.socket {
        Some(_) => {
            let (folder, port) = told.folder_and_port().ok_or(NotWritten::NoSocket)?;
            add("host", folder);
            add("port", port);
        }
        None => {
            add("host", told.hosts.join(","));
            add("port", told.ports.join(","));
        }
    }
    for (key, value) in [("dbname", told.database()), ("user", told.user())] {
        if let Some(value) = value {
            add(key, value.to_owned());
        }
    }
    if let Some(password) = &told.password {
        add("password", password.clone());
    }
    for (key, value) in &told.options {
        add(key, (*value).to_owned());
    }
    Ok(out)
}

fn jdbc(told: &Told<'_>) -> Result<String, NotWritten> {
    let places = match told.socket {
        Some(_) => return Err(NotWritten::NoSocket),
        None => told.places(),
    };
    let mut pairs: Vec<(String, String)> = Vec::new();
    if let Some(user) = told.user() {
        pairs.push(("user".to_owned(), user.to_owned()));
    }
    let with_password = |text: String| match &told.password {
        // The variable must stay one: it is not escaped.
        Some(password) => {
            let sign = if text.contains('?') { '&' } else { '?' };
            format!("{text}{sign}password={password}")
        }
        None => text,
    };
    let database = told.database().map_or_else(String::new, escaped);
    match told.engine() {
        EngineId::Postgresql => {
            told.no_options_but(&["sslmode", "sslrootcert", "sslcert", "sslkey"])?;
            let options = told.options.iter();
            pairs.extend(options.map(|(key, value)| ((*key).to_owned(), (*value).to_owned())));
            Ok(with_password(format!(
                "jdbc:postgresql://{places}/{database}{}",
                query(&pairs)
            )))
        }
        EngineId::Mysql => {
            told.no_options_but(&[])?;
            let name = if told.target.client == ClientId::Libmariadb {
                "mariadb"
            } else {
                "mysql"
            };
            Ok(with_password(format!(
                "jdbc:{name}://{places}/{database}{}",
                query(&pairs)
            )))
        }
        EngineId::Tds => {
            let (host, port) = told.one_host()?;
            told.no_options_but(&[])?;
            let mut out = format!("jdbc:sqlserver://{host}:{port}");
            for (key, value) in [("databaseName", told.database()), ("user", told.user())] {
                if let Some(value) = value {
                    out.push_str(&format!(";{key}={}", braced(value)));
                }
            }
            if let Some(password) = &told.password {
                out.push_str(&format!(";password={password}"));
            }
            Ok(out)
        }
        engine => Err(NotWritten::NoSuchForm {
            engine: engine.title(),
            has: "url, fields, environment",
        }),
    }
}

/// A value of a data-source string: in braces where it needs them, a closing one doubled.
fn braced(value: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "._:/-".contains(c);
    match !value.is_empty() && value.chars().all(plain) {
        true => value.to_owned(),
        false => format!("{{{}}}", value.replace('}', "}}")),
    }
}

fn data_source(told: &Told<'_>) -> Result<String, NotWritten> {
    let driver = match told.engine() {
        EngineId::Postgresql => "PostgreSQL Unicode",
        EngineId::Mysql if told.target.client == ClientId::Libmariadb => "MariaDB Unicode",
        EngineId::Mysql => "MySQL ODBC Unicode Driver",
        EngineId::Tds => "FreeTDS",
        engine => {
            return Err(NotWritten::NoSuchForm {
                engine: engine.title(),
                has: "url, fields, environment",
            });
        }
    };
    let (host, port) = told.one_host()?;
    let known: &[&str] = match told.engine() {
        EngineId::Postgresql => &["sslmode"],
        _ => &[],
    };
    told.no_options_but(known)?;
    let mut out = format!("Driver={{{driver}}};Server={};Port={port}", braced(host));
    for (key, value) in [("Database", told.database()), ("Uid", told.user())] {
        if let Some(value) = value {
            out.push_str(&format!(";{key}={}", braced(value)));
        }
    }
    if let Some(password) = &told.password {
        out.push_str(&format!(";Pwd={password}"));
    }
    for (key, value) in &told.options {
        out.push_str(&format!(";{key}={}", braced(value)));
    }
    Ok(out)
}

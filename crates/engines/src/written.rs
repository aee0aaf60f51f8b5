//! A target in another form, escaped as that form wants it; its password is a variable to
//! fill in, never the password.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

use chronaxis_model::target::{End, ShownTarget};

use crate::registry::by_id;

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
    #[error("this form takes one host, but the connection has several; use a URL")]
    OneHost,
    /// A socket file, where the form knows hosts only.
    #[error("this form cannot name a socket file; use separate fields")]
    NoSocket,
    /// A value has a character that the form has no escape for.
    #[error(
        "the {0} contains a line break or another control character, which this form cannot express"
    )]
    Control(&'static str),
    /// A value of a string has signs that no name has.
    #[error(
        "a value of this connection's string may be a secret in the wrong place, so it is not written; correct the string first (chronaxis settings shows where)"
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

/// A part of a URL, with everything else percent-encoded (RFC 3986, section 2.1).
pub fn escaped(text: &str) -> String {
    utf8_percent_encode(text, UNRESERVED).to_string()
}

/// Writes a target in a form. `variable` is the name of the variable that stands for the
/// password, where the target has one.
///
/// # Errors
/// Says what the form cannot carry.
pub fn written(target: &ShownTarget, form: Form, variable: &str) -> Result<String, NotWritten> {
    let parts = Parts::of(target, variable)?;
    by_id(target.engine).strings.written(&parts, form)
}

/// What there is to write.
pub struct Parts<'a> {
    pub(crate) target: &'a ShownTarget,
    pub(crate) hosts: Vec<String>,
    pub(crate) ports: Vec<String>,
    pub(crate) socket: Option<String>,
    pub(crate) password: Option<String>,
    pub(crate) options: Vec<(&'a str, &'a str)>,
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

impl<'a> Parts<'a> {
    fn of(target: &'a ShownTarget, variable: &str) -> Result<Parts<'a>, NotWritten> {
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
        let mut told = Parts {
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

    pub(crate) fn user(&self) -> Option<&str> {
        self.target.user.as_deref()
    }

    pub(crate) fn database(&self) -> Option<&str> {
        self.target.database.as_deref()
    }

    pub(crate) fn one_host(&self) -> Result<(&str, &str), NotWritten> {
        match (self.hosts.as_slice(), self.ports.as_slice(), &self.socket) {
            ([host], [port], None) => Ok((host, port)),
            (_, _, Some(_)) => Err(NotWritten::NoSocket),
            _ => Err(NotWritten::OneHost),
        }
    }

    pub(crate) fn no_options_but(&self, known: &[&str]) -> Result<(), NotWritten> {
        match self.options.iter().find(|(key, _)| !known.contains(key)) {
            Some((key, _)) => Err(NotWritten::NoWord((*key).to_owned())),
            None => Ok(()),
        }
    }

    /// `user:password@`.
    pub(crate) fn account(&self) -> String {
        let user = self.user().map_or_else(String::new, escaped);
        match (&self.password, user.is_empty()) {
            (Some(password), _) => format!("{user}:{password}@"),
            (None, false) => format!("{user}@"),
            (None, true) => String::new(),
        }
    }

    /// `host:port,host:port`.
    pub fn places(&self) -> String {
        let place = |(host, port): (&String, &String)| match host.contains(':') {
            true => format!("[{host}]:{port}"),
            false => format!("{}:{port}", escaped(host)),
        };
        let each: Vec<String> = self.hosts.iter().zip(&self.ports).map(place).collect();
        each.join(",")
    }

    /// That the engine has no such form.
    pub fn no_such_form(&self, has: &'static str) -> NotWritten {
        let engine = by_id(self.target.engine).spec.title;
        NotWritten::NoSuchForm { engine, has }
    }

    /// A URL of this scheme, with these pairs before the options.
    pub fn url(&self, scheme: &str, places: &str, pairs: &[(String, String)]) -> String {
        let options = self.options.iter();
        let options = options.map(|(key, value)| ((*key).to_owned(), (*value).to_owned()));
        let pairs: Vec<(String, String)> = pairs.iter().cloned().chain(options).collect();
        let database = self.database().map_or_else(String::new, escaped);
        format!(
            "{scheme}://{}{places}/{database}{}",
            self.account(),
            query(&pairs)
        )
    }

    /// A URL as most JDBC drivers take it, with these options.
    ///
    /// # Errors
    /// Says what the form cannot carry.
    pub(crate) fn jdbc(&self, name: &str, known: &[&str]) -> Result<String, NotWritten> {
        if self.socket.is_some() {
            return Err(NotWritten::NoSocket);
        }
        self.no_options_but(known)?;
        let user = self.user().map(|user| ("user".to_owned(), user.to_owned()));
        let options = self.options.iter();
        let options = options.map(|(key, value)| ((*key).to_owned(), (*value).to_owned()));
        let pairs: Vec<(String, String)> = user.into_iter().chain(options).collect();
        let database = self.database().map_or_else(String::new, escaped);
        let text = format!(
            "jdbc:{name}://{}/{database}{}",
            self.places(),
            query(&pairs)
        );
        Ok(match &self.password {
            // The variable must stay one: it is not escaped.
            Some(password) => {
                let sign = if text.contains('?') { '&' } else { '?' };
                format!("{text}{sign}password={password}")
            }
            None => text,
        })
    }

    /// A semicolon-separated string for this ODBC driver, with these options.
    ///
    /// # Errors
    /// Says what the form cannot carry.
    pub(crate) fn data_source(&self, driver: &str, known: &[&str]) -> Result<String, NotWritten> {
        let (host, port) = self.one_host()?;
        self.no_options_but(known)?;
        let mut out = format!("Driver={{{driver}}};Server={};Port={port}", braced(host));
        for (key, value) in [("Database", self.database()), ("Uid", self.user())] {
            if let Some(value) = value {
                out.push_str(&format!(";{key}={}", braced(value)));
            }
        }
        if let Some(password) = &self.password {
            out.push_str(&format!(";Pwd={password}"));
        }
        for (key, value) in &self.options {
            out.push_str(&format!(";{key}={}", braced(value)));
        }
        Ok(out)
    }

    /// The section's name in a settings file: what the connection is called, as far as a
    /// section can be.
    pub(crate) fn section(&self) -> String {
        let label = self.database().unwrap_or(&self.target.label);
        let plain = |c: char| {
            if c.is_ascii_alphanumeric() || "-_.".contains(c) {
                c
            } else {
                '-'
            }
        };
        label.chars().map(plain).collect()
    }

    /// Separate fields, for an engine that has no settings file of its own.
    ///
    /// # Errors
    /// Says what the form cannot carry.
    pub fn fields(&self) -> Result<String, NotWritten> {
        let mut lines = vec![format!("engine = {}", self.target.engine.as_str())];
        let (host, port) = self.one_host()?;
        lines.extend([format!("host = {host}"), format!("port = {port}")]);
        for (key, value) in [("database", self.database()), ("user", self.user())] {
            lines.extend(value.map(|value| format!("{key} = {value}")));
        }
        lines.extend(self.password.as_ref().map(|p| format!("password = {p}")));
        self.no_options_but(&[])?;
        // Readers of such files differ on quotes, and none has an escape.
        for (key, value) in [("database", self.database()), ("user", self.user())] {
            let value = value.unwrap_or_default();
            let cut = [" #", " ;", "\t#", "\t;"]
                .iter()
                .any(|sign| value.contains(sign));
            if cut || value.trim() != value || value.starts_with(['"', '\'', '$']) {
                return Err(NotWritten::NoWord(format!("{key} with such signs")));
            }
        }
        Ok(format!("[{}]\n{}\n", self.section(), lines.join("\n")))
    }

    /// Variables of these names: the lead of most, the port's, the password's.
    ///
    /// # Errors
    /// Says what the form cannot carry.
    pub fn environment(
        &self,
        lead: &str,
        port_name: &str,
        password_name: &str,
    ) -> Result<String, NotWritten> {
        let (host, port) = self.one_host()?;
        self.no_options_but(&[])?;
        let mut lines = vec![
            variable(&format!("{lead}_HOST"), host)?,
            variable(port_name, port)?,
        ];
        for (key, value) in [("USER", self.user()), ("DATABASE", self.database())] {
            if let Some(value) = value {
                lines.push(variable(&format!("{lead}_{key}"), value)?);
            }
        }
        let password = self.password.as_ref();
        lines.extend(password.map(|p| format!("{password_name}=\"{p}\"")));
        Ok(lines.join("\n") + "\n")
    }
}

/// A variable with its value, quoted for a POSIX shell.
///
/// # Errors
/// A quote in the middle is said by the shell's own means alone.
pub(crate) fn variable(name: &str, value: &str) -> Result<String, NotWritten> {
    if value.contains('\'') {
        return Err(NotWritten::NoWord(format!("{name} with a single quote")));
    }
    let plain = |c: char| c.is_ascii_alphanumeric() || "._:/,-".contains(c);
    Ok(match !value.is_empty() && value.chars().all(plain) {
        true => format!("{name}={value}"),
        // Nothing is special in single quotes but their end.
        false => format!("{name}='{value}'"),
    })
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

/// A value of a data-source string: in braces where it needs them, a closing one doubled.
pub(crate) fn braced(value: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "._:/-".contains(c);
    match !value.is_empty() && value.chars().all(plain) {
        true => value.to_owned(),
        false => format!("{{{}}}", value.replace('}', "}}")),
    }
}

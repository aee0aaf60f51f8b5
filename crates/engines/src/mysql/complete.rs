//! From a draft to a target: what each client adds by itself.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;

use chronaxis_model::secret::Secret;
use chronaxis_model::settings::{Defect, DefectKind, Field, check_value};
use chronaxis_model::shown;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::{ClientId, End, Target};

use super::{encryption, option_file, string};
use crate::completed::label;
use crate::named_file::FileWanted;
use crate::strings::{ClientEnvironment, Draft, NotFollowed};
use crate::text::parse_port;
use crate::text::pieces::subject;

/// Variables to which the families' own libraries listen (MySQL documentation,
/// "Environment Variables").
pub(super) const VARIABLES: &[&str] = &["MYSQL_PWD", "MYSQL_TCP_PORT", "MYSQL_UNIX_PORT"];

/// Values that are the target's own fields, not options.
const OWN_FIELDS: &[&str] = &["host", "port", "dbname", "user"];

/// Whether a client is one of the C libraries, or goes by their rules for files,
/// variables and `localhost`.
fn is_c_library(client: ClientId) -> bool {
    matches!(client, ClientId::Libmysqlclient | ClientId::Libmariadb)
}

/// Whether `localhost` means a socket file to it.
fn localhost_is_socket(client: ClientId) -> bool {
    is_c_library(client) || client == ClientId::Mysqlnd
}

/// Where a draft sends the client for option files: nowhere, unless it says so.
fn option_files(draft: &Draft, around: &ClientEnvironment) -> Option<Vec<FileWanted>> {
    let named = draft.value("read_default_file").map(|t| t.value.clone());
    let asked = named.is_some() || draft.value("read_default_group").is_some();
    asked.then(|| option_file::files(named.as_deref(), around))
}

pub(super) fn files(draft: &Draft, around: &ClientEnvironment) -> Vec<FileWanted> {
    let mut out = option_files(draft, around).unwrap_or_default();
    let group = draft.value("read_default_group").map(|t| t.value.clone());
    let told = option_file::read(&out, around, draft.client, group.as_deref());
    for key in ["ssl_ca", "ssl_cert", "ssl_key", "trust_store", "key_store"] {
        let option = around.options.get("ca").filter(|_| key == "ssl_ca");
        let found = option
            .or_else(|| draft.value(key))
            .or_else(|| told.values.get(key));
        let passphrase = draft.passphrases.get(key).cloned();
        out.extend(found.map(|path| FileWanted::certificates(path.value.clone(), passphrase)));
    }
    out
}

pub(super) fn complete(draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed> {
    let files = option_files(&draft, around).unwrap_or_default();
    let group = draft.value("read_default_group").map(|t| t.value.clone());
    let from_files = option_file::read(&files, around, draft.client, group.as_deref());
    let mut filled = Filled::new(draft, from_files, around);
    if let Some(what) = filled.not_followed() {
        return Err(NotFollowed(what));
    }
    filled.check_words();
    let (how, wrong) = encryption::of(filled.client, &filled.options, around);
    filled.defects.extend(wrong);
    let user = filled.user(around);
    let mut ends = filled.ends(around);
    filled.find_secret(around);
    let database = filled.told("dbname");
    let late = how.stopped_late;
    if filled.defects.iter().any(|d| d.stops_dialling(late)) {
        ends = Vec::new();
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
        encryption: how,
        options: filled.options,
        origins: filled.origins,
        form: filled.form,
        read_by: filled.read_by,
        defects: filled.defects,
        withheld: Vec::new(),
        remarks: Vec::new(),
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
    secret_of_files: Option<Sourced<Secret>>,
    defects: Vec<Defect>,
}

/// The character sets of MySQL and MariaDB (MariaDB documentation, "Supported Character
/// Sets").
const CHARSETS: &[&str] = &[
    "armscii8", "ascii", "big5", "binary", "cp1250", "cp1251", "cp1256", "cp1257", "cp850",
    "cp852", "cp866", "cp932", "dec8", "eucjpms", "euckr", "gb18030", "gb2312", "gbk", "geostd8",
    "greek", "hebrew", "hp8", "keybcs2", "koi8r", "koi8u", "latin1", "latin2", "latin5", "latin7",
    "macce", "macroman", "sjis", "swe7", "tis620", "ucs2", "ujis", "utf16", "utf16le", "utf32",
    "utf8", "utf8mb3", "utf8mb4",
];

/// Whether a word names a character set, or a collation of one.
fn is_charset(word: &str) -> bool {
    let low = word.to_ascii_lowercase();
    let set = low.split('_').next().unwrap_or_default();
    CHARSETS.contains(&set) || low == "auto"
}

impl Filled {
    fn new(draft: Draft, from_files: option_file::Options, around: &ClientEnvironment) -> Filled {
        let mut values = draft.values;
        let mut defects = draft.defects;
        for (name, key) in [("user", "user"), ("database", "dbname")] {
            if let Some(told) = around.options.get(name) {
                defects.retain(|d| d.subject.as_str() != name || d.stops);
                defects.extend(check_value(name, &told.value, None));
                values.insert(key.to_owned(), told.clone());
            }
        }
        values.retain(|_, told| !told.value.is_empty());
        for (key, told) in from_files.values {
            if let Entry::Vacant(free) = values.entry(key) {
                defects.extend(check_value(subject(free.key()), &told.value, None));
                free.insert(told);
            }
        }
        let mut options = BTreeMap::new();
        let mut origins = BTreeMap::new();
        for (key, told) in &values {
            if !OWN_FIELDS.contains(&key.as_str()) {
                options.insert(key.clone(), told.value.clone());
                origins.insert(key.clone(), told.origin.clone());
            }
        }
        for (key, field) in [("host", "host"), ("port", "port"), ("dbname", "database")] {
            if let Some(told) = values.get(key) {
                origins.insert(field.to_owned(), told.origin.clone());
            }
        }
        Filled {
            form: draft.form,
            read_by: draft.read_by,
            client: draft.client,
            values,
            options,
            origins,
            secret: draft.secret,
            secret_of_files: from_files.secret,
            defects,
        }
    }

    fn told(&self, key: &str) -> Option<String> {
        self.values.get(key).map(|t| t.value.clone())
    }

    /// What is valid and would change what this client does, and is not followed yet.
    fn not_followed(&self) -> Option<&'static str> {
        let of_class_path = |key: &str| {
            let told = self.values.get(key).map_or("", |t| t.value.as_str());
            told.starts_with("classpath:")
        };
        if ["ssl_ca", "trust_store", "key_store"]
            .into_iter()
            .any(of_class_path)
        {
            return Some("certificates in a program's class path");
        }
        let protocol = self.told("protocol").map(|p| p.to_ascii_lowercase());
        match protocol.as_deref() {
            Some("pipe" | "memory") => Some("named pipes and shared memory"),
            _ => None,
        }
    }

    fn check_words(&mut self) {
        let mode = self.told("ssl_mode");
        if let Some(mode) = mode.filter(|m| !encryption::is_mode(m)) {
            let text = format!(
                "ssl-mode {} is not known",
                shown::near(&mode, encryption::modes())
            );
            let expected = "disabled, preferred, required, verify_ca or verify_identity";
            self.unreadable("ssl_mode", text, expected);
        }
        let knows = matches!(
            self.client,
            ClientId::Mysqlnd
                | ClientId::Pymysql
                | ClientId::NodeMysql
                | ClientId::Libmysqlclient
                | ClientId::Libmariadb
        );
        let charset = self.told("charset").filter(|set| knows && !is_charset(set));
        if let Some(charset) = charset {
            let text = format!(
                "there is no character set {}",
                shown::near(&charset, CHARSETS.iter().copied())
            );
            self.unreadable("charset", text, "a character set of MySQL, such as utf8mb4");
        }
        for key in ["connect_timeout", "connect_timeout_ms"] {
            let value = self.told(key).filter(|v| v.trim().parse::<u32>().is_err());
            if let Some(value) = value {
                let text = format!("{key} {} is not a whole number", shown::number(&value));
                self.unreadable(key, text, "a whole number");
            }
        }
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

    fn by_default(&mut self, field: &str, rule: &str) {
        let name = rule.to_owned();
        self.origins
            .insert(field.to_owned(), Origin::Default { name });
    }

    fn user(&mut self, around: &ClientEnvironment) -> Option<String> {
        if let Some(told) = self.values.get("user") {
            self.origins.insert("user".to_owned(), told.origin.clone());
            return Some(told.value.clone());
        }
        self.by_default("user", "the account this program runs under");
        around.os_user.clone()
    }

    /// Where it goes. `localhost`, or no host, is a socket file to the C libraries.
    fn ends(&mut self, around: &ClientEnvironment) -> Vec<End> {
        let c_library = is_c_library(self.client);
        let variable = |name: &str| around.variable(name).filter(|_| c_library);
        let host = self.told("host");
        if host.is_none() {
            self.by_default("host", "localhost");
        }
        let host = host.unwrap_or_else(|| "localhost".to_owned());
        let protocol = self.told("protocol").map(|p| p.to_ascii_lowercase());
        let by_tcp = protocol.as_deref() == Some("tcp");
        let socket = self.told("socket").filter(|_| !by_tcp);
        let named_socket =
            socket.is_some() && (host == "localhost" || !localhost_is_socket(self.client));
        let implied = localhost_is_socket(self.client) && host == "localhost" && !by_tcp;
        if named_socket || implied || protocol.as_deref() == Some("socket") {
            let told = socket.or_else(|| variable("MYSQL_UNIX_PORT").map(|t| t.value));
            let socket = told.unwrap_or_else(|| usual_socket(&around.socket_folder));
            return vec![End::Socket { socket }];
        }
        let ports: Vec<String> = match self.told("port") {
            Some(list) => list.split(',').map(str::to_owned).collect(),
            None => match variable("MYSQL_TCP_PORT") {
                Some(told) => {
                    self.origins.insert("port".to_owned(), told.origin);
                    vec![told.value]
                }
                None => {
                    self.by_default("port", "the usual port");
                    Vec::new()
                }
            },
        };
        let hosts: Vec<&str> = host.split(',').collect();
        let port_of = |index: usize| {
            let text = ports
                .get(index)
                .or(ports.first().filter(|_| ports.len() == 1));
            text.filter(|t| !t.is_empty())
                .map_or(Some(string::USUAL_PORT), |t| parse_port(t))
        };
        let ends = hosts.iter().enumerate().filter_map(|(index, host)| {
            Some(End::Host {
                host: if host.is_empty() {
                    "localhost".to_owned()
                } else {
                    (*host).to_owned()
                },
                port: port_of(index)?,
                address: None,
            })
        });
        ends.collect()
    }

    /// The password, from the strongest source that has one.
    fn find_secret(&mut self, around: &ClientEnvironment) {
        let c_library = is_c_library(self.client);
        let variable = around
            .variable("MYSQL_PWD")
            .filter(|_| c_library)
            .map(|told| told.map(Secret::new));
        if around.option_secret.is_some() {
            self.defects
                .retain(|d| d.subject != Field::PASSWORD || d.stops);
        }
        self.secret = around
            .option_secret
            .clone()
            .or(self.secret.take())
            .or(self.secret_of_files.take())
            .or_else(|| around.variable_secret.clone())
            .or(variable);
        let Some(told) = &self.secret else { return };
        self.origins
            .insert("secret".to_owned(), told.origin.clone());
        let noted = self.defects.iter().any(|d| d.subject == Field::PASSWORD);
        if !noted {
            self.defects
                .extend(check_value("password", told.value.expose(), None));
        }
    }
}

/// The name of the socket file in a folder, as the packages that use the folder have it.
fn usual_socket(folder: &str) -> String {
    match folder {
        "/run/mysqld" | "/var/run/mysqld" => format!("{folder}/mysqld.sock"),
        _ => format!("{folder}/mysql.sock"),
    }
}

//! Which format a file is in, and its reading.

mod environment;
mod ini;
mod json;
mod option_file;
mod password_file;
mod php;
mod plain;
mod prisma;
mod properties;
mod python;
mod shell;
mod toml;
mod tree;
mod unit;
mod xml;
mod yaml;

pub(crate) use environment::{braced, is_name};
pub(crate) use ini::reader as ini_reader;
pub use ini::{IniReader, by as ini_by};
pub(crate) use json::{STRICT as STRICT_JSON, beyond_the_standard as beyond_json};
pub use option_file::by_pymysql as option_file_by_pymysql;
pub(crate) use option_file::includes;
pub(crate) use plain::{OF_ODBC, begins};
pub(crate) use python::is_settings as is_python;
pub(crate) use yaml::with_interpolation;

use crate::entry::Parsed;
use crate::text::Text;

/// Deepest nesting of brackets that is read: nobody writes settings deeper, and parsers
/// that call themselves must end.
const DEEPEST: usize = 200;

/// Longest program text that is parsed, in bytes.
const LONGEST_PROGRAM: usize = 1024 * 1024;

/// A format of settings.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Format {
    /// Variables, one a line.
    Environment,
    /// A shell's start-up file, or a script.
    Shell,
    /// A service unit (systemd.exec(5), "Environment=").
    Unit,
    /// Sections with keys.
    Ini,
    /// Java's properties.
    Properties,
    /// TOML 1.0.
    Toml,
    /// JSON (RFC 8259), comments allowed.
    Json,
    /// YAML 1.2.
    Yaml,
    /// XML 1.0.
    Xml,
    /// Prisma's schema.
    Prisma,
    /// A Python module.
    Python,
    /// A PHP script.
    Php,
    /// MySQL's and MariaDB's option files.
    OptionFile,
    /// ODBC's lists of data sources.
    Odbc,
    /// ODBC's list of drivers.
    OdbcDrivers,
    /// PostgreSQL's service file.
    ServiceFile,
    /// PostgreSQL's password file.
    PasswordFile,
    /// Any other text, in which a connection string may stand.
    Plain,
}

impl Format {
    /// What people call it.
    pub fn title(self) -> &'static str {
        match self {
            Format::Environment => "environment file",
            Format::Shell => "shell file",
            Format::Unit => "service unit",
            Format::Ini => "INI file",
            Format::Properties => "properties file",
            Format::Toml => "TOML file",
            Format::Json => "JSON file",
            Format::Yaml => "YAML file",
            Format::Xml => "XML file",
            Format::Prisma => "Prisma schema",
            Format::Python => "Python module",
            Format::Php => "PHP file",
            Format::OptionFile => "option file",
            Format::Odbc => "ODBC data sources",
            Format::OdbcDrivers => "ODBC drivers",
            Format::ServiceFile => "service file",
            Format::PasswordFile => "password file",
            Format::Plain => "text",
        }
    }

    /// One file of it, with its article.
    pub fn one(self) -> String {
        let title = self.title();
        let article = match title.starts_with(['e', 'o', 'I', 'O', 'X']) {
            true => "an",
            false => "a",
        };
        format!("{article} {title}")
    }

    /// The format of a file, by its name.
    pub fn of(path: &str) -> Format {
        let name = path.rsplit('/').next().unwrap_or(path).to_ascii_lowercase();
        let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending);
        match name.as_str() {
            ".pgpass" | "pgpass.conf" | "pgpass" => return Format::PasswordFile,
            "pg_service.conf" | ".pg_service.conf" => return Format::ServiceFile,
            "odbc.ini" | ".odbc.ini" => return Format::Odbc,
            "odbcinst.ini" | ".odbcinst.ini" => return Format::OdbcDrivers,
            "environment" | "env" => return Format::Environment,
            ".profile" | "profile" | ".bashrc" | "bashrc" | ".bash_profile" | ".bash_login"
            | ".zshrc" | ".zshenv" | ".zprofile" | ".kshrc" => return Format::Shell,
            _ => {}
        }
        if name.starts_with(".env") || name.contains(".env.") {
            return Format::Environment;
        }
        match ending {
            "env" => Format::Environment,
            "sh" | "bash" | "zsh" => Format::Shell,
            "service" => Format::Unit,
            "conf" if path.contains(".service.d/") => Format::Unit,
            "ini" | "cfg" | "conf" => Format::Ini,
            "cnf" => Format::OptionFile,
            "properties" => Format::Properties,
            "toml" => Format::Toml,
            "json" | "jsonc" => Format::Json,
            "yaml" | "yml" => Format::Yaml,
            "xml" => Format::Xml,
            "config" if !name.starts_with('.') => Format::Xml,
            "prisma" => Format::Prisma,
            "py" => Format::Python,
            "php" => Format::Php,
            _ => Format::Plain,
        }
    }

    /// Whether its names are variables: one name space, told apart by prefixes.
    pub fn is_flat(self) -> bool {
        matches!(self, Format::Environment | Format::Shell | Format::Unit)
    }

    /// Reads a text. What can be read is; the rest is told.
    pub fn read(self, text: &Text) -> Parsed {
        let string = text.string.as_str();
        let brackets = matches!(self, Format::Json | Format::Toml | Format::Yaml)
            || matches!(self, Format::Python | Format::Php);
        if brackets && crate::text::depth(string) > DEEPEST {
            let mut parsed = Parsed::default();
            let what = format!("brackets nest deeper than {DEEPEST} levels; the file is not read");
            parsed.trouble(0, what, "settings that a person wrote");
            return parsed;
        }
        let program = matches!(self, Format::Python | Format::Php);
        if program && string.len() > LONGEST_PROGRAM {
            let mut parsed = Parsed::default();
            parsed.trouble(
                0,
                "the program text is over 1 MB; it is not read",
                "a settings module",
            );
            return parsed;
        }
        match self {
            Format::Environment => environment::read(text),
            Format::Shell => shell::read(text),
            Format::Unit => unit::read(text),
            Format::Ini => ini::read(text, ini::GENERAL),
            Format::Odbc | Format::OdbcDrivers => ini::read(text, ini::ODBC),
            Format::ServiceFile => ini::service(text),
            Format::Properties => properties::read(text),
            Format::Toml => toml::read(text),
            Format::Json => json::read(text),
            Format::Yaml => yaml::read(string),
            Format::Xml => xml::read(text),
            Format::Prisma => prisma::read(text),
            Format::Python => python::read(string),
            Format::Php => php::read(string),
            Format::OptionFile => option_file::read(text),
            Format::PasswordFile => password_file::read(text),
            Format::Plain => plain::read(string),
        }
    }
}

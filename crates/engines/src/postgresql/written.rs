//! The target in the forms that PostgreSQL's clients read.

use crate::written::{Form, NotWritten, Parts, variable};

/// The variables to which its library listens, by its keywords.
const NAMES: &[(&str, &str)] = &[
    ("host", "PGHOST"),
    ("port", "PGPORT"),
    ("dbname", "PGDATABASE"),
    ("user", "PGUSER"),
    ("sslmode", "PGSSLMODE"),
    ("sslrootcert", "PGSSLROOTCERT"),
    ("sslcert", "PGSSLCERT"),
    ("sslkey", "PGSSLKEY"),
    ("connect_timeout", "PGCONNECT_TIMEOUT"),
    ("channel_binding", "PGCHANNELBINDING"),
    ("target_session_attrs", "PGTARGETSESSIONATTRS"),
    ("application_name", "PGAPPNAME"),
];

pub(super) fn written(parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
    match form {
        Form::Url => url(parts),
        Form::KeywordValue => keyword_value(parts),
        Form::Jdbc => parts.jdbc(
            "postgresql",
            &["sslmode", "sslrootcert", "sslcert", "sslkey"],
        ),
        Form::DataSource => parts.data_source("PostgreSQL Unicode", &["sslmode"]),
        Form::Fields => service_file(parts),
        Form::Environment => environment(parts),
    }
}

/// PostgreSQL's socket as its clients name it: the folder, and the number in the name.
fn folder_and_port(parts: &Parts<'_>) -> Option<(String, String)> {
    let (folder, file) = parts.socket.as_deref()?.rsplit_once('/')?;
    Some((folder.to_owned(), file.rsplit('.').next()?.to_owned()))
}

fn url(parts: &Parts<'_>) -> Result<String, NotWritten> {
    let mut pairs = Vec::new();
    if parts.socket.is_some() {
        let (folder, port) = folder_and_port(parts).ok_or(NotWritten::NoSocket)?;
        pairs.push(("host".to_owned(), folder));
        pairs.push(("port".to_owned(), port));
    }
    Ok(parts.url("postgresql", &parts.places(), &pairs))
}

/// Keywords; a value in single quotes, a quote and a backslash escaped.
fn keyword_value(parts: &Parts<'_>) -> Result<String, NotWritten> {
    let quoted = |(key, value): &(String, String)| {
        let plain = |c: char| c.is_ascii_alphanumeric() || "._:/,-".contains(c);
        if !value.is_empty() && value.chars().all(plain) {
            return format!("{key}={value}");
        }
        let value = value.replace('\\', "\\\\").replace('\'', "\\'");
        format!("{key}='{value}'")
    };
    let words: Vec<String> = keywords(parts)?.iter().map(quoted).collect();
    Ok(words.join(" "))
}

/// Keywords and values of PostgreSQL's library.
fn keywords(parts: &Parts<'_>) -> Result<Vec<(String, String)>, NotWritten> {
    let mut out: Vec<(String, String)> = Vec::new();
    let mut add = |key: &str, value: String| out.push((key.to_owned(), value));
    match parts.socket {
        Some(_) => {
            let (folder, port) = folder_and_port(parts).ok_or(NotWritten::NoSocket)?;
            add("host", folder);
            add("port", port);
        }
        None => {
            add("host", parts.hosts.join(","));
            add("port", parts.ports.join(","));
        }
    }
    for (key, value) in [("dbname", parts.database()), ("user", parts.user())] {
        if let Some(value) = value {
            add(key, value.to_owned());
        }
    }
    if let Some(password) = &parts.password {
        add("password", password.clone());
    }
    for (key, value) in &parts.options {
        add(key, (*value).to_owned());
    }
    Ok(out)
}

/// A section of a service file (PostgreSQL documentation, "The Connection Service File").
fn service_file(parts: &Parts<'_>) -> Result<String, NotWritten> {
    let pairs = keywords(parts)?;
    let edged = pairs.iter().find(|(_, v)| v.trim() != v);
    if let Some((key, _)) = edged {
        return Err(NotWritten::NoWord(format!(
            "{key} with a space at its beginning or end"
        )));
    }
    let lines: Vec<String> = pairs.iter().map(|(k, v)| format!("{k}={v}\n")).collect();
    Ok(format!("[{}]\n{}", parts.section(), lines.concat()))
}

fn environment(parts: &Parts<'_>) -> Result<String, NotWritten> {
    let mut lines = Vec::new();
    for (key, value) in keywords(parts)? {
        if key == "password" {
            continue;
        }
        let name = NAMES.iter().find(|(known, _)| *known == key);
        let (_, name) = name.ok_or(NotWritten::NoWord(key.clone()))?;
        lines.push(variable(name, &value)?);
    }
    let password = parts.password.as_ref();
    lines.extend(password.map(|p| format!("PGPASSWORD=\"{p}\"")));
    Ok(lines.join("\n") + "\n")
}

//! The target in the forms that clients of MySQL and MariaDB read.

use chronaxis_model::target::ClientId;

use crate::written::{Form, NotWritten, Parts};

pub(super) fn written(parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
    let mariadb = parts.target.client == ClientId::Libmariadb;
    let scheme = if mariadb { "mariadb" } else { "mysql" };
    match form {
        Form::Url => Ok(url(parts, scheme)),
        Form::KeywordValue => {
            Err(parts.no_such_form("url, jdbc, data-source, fields, environment"))
        }
        Form::Jdbc => parts.jdbc(scheme, &[]),
        Form::DataSource => {
            let driver = match mariadb {
                true => "MariaDB Unicode",
                false => "MySQL ODBC Unicode Driver",
            };
            parts.data_source(driver, &[])
        }
        Form::Fields => option_file(parts),
        Form::Environment => parts.environment("MYSQL", "MYSQL_TCP_PORT", "MYSQL_PWD"),
    }
}

fn url(parts: &Parts<'_>, scheme: &str) -> String {
    match &parts.socket {
        Some(socket) => {
            let pairs = [("socket".to_owned(), socket.clone())];
            parts.url(scheme, "localhost", &pairs)
        }
        None => parts.url(scheme, &parts.places(), &[]),
    }
}

/// The `[client]` group of an option file.
fn option_file(parts: &Parts<'_>) -> Result<String, NotWritten> {
    let mut lines = Vec::new();
    let quoted = |value: &str| {
        let plain = |c: char| c.is_ascii_alphanumeric() || "._:/-".contains(c);
        match !value.is_empty() && value.chars().all(plain) {
            true => Some(value.to_owned()),
            // There is no escape for a quote inside quotes.
            false if value.contains('"') && value.contains('\'') => None,
            false => {
                let quote = if value.contains('"') { '\'' } else { '"' };
                Some(format!("{quote}{}{quote}", value.replace('\\', "\\\\")))
            }
        }
    };
    match &parts.socket {
        Some(socket) => lines.push(format!("socket={socket}")),
        None => {
            let (host, port) = parts.one_host()?;
            lines.extend([format!("host={host}"), format!("port={port}")]);
            // Without it `localhost` is a socket file to this library.
            lines.extend((host == "localhost").then(|| "protocol=tcp".to_owned()));
        }
    }
    for (key, value) in [("database", parts.database()), ("user", parts.user())] {
        if let Some(value) = value {
            let value =
                quoted(value).ok_or(NotWritten::NoWord(format!("{key} with both quotes")))?;
            lines.push(format!("{key}={value}"));
        }
    }
    lines.extend(parts.password.as_ref().map(|p| format!("password={p}")));
    for (key, value) in &parts.options {
        let value = quoted(value).ok_or(NotWritten::NoWord((*key).to_owned()))?;
        lines.push(format!("{}={value}", key.replace('_', "-")));
    }
    Ok(format!("[client]\n{}\n", lines.join("\n")))
}

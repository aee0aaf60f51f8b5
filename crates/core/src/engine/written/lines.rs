//! Forms of several lines: the engines' own settings files, and variables.

use super::{NotWritten, Told, postgresql};
use crate::target::EngineId;

/// The section's name: what the connection is called, as far as a section can be.
fn section(told: &Told<'_>) -> String {
    let label = told.database().unwrap_or(&told.target.label);
    let plain = |c: char| {
        if c.is_ascii_alphanumeric() || "-_.".contains(c) {
            c
        } else {
            '-'
        }
    };
    label.chars().map(plain).collect()
}

/// Separate fields, as the engine's own settings file has them.
pub(super) fn fields(told: &Told<'_>) -> Result<String, NotWritten> {
    match told.engine() {
        EngineId::Postgresql => {
            let pairs = postgresql(told)?;
            let edged = pairs.iter().find(|(_, v)| v.trim() != v);
            if let Some((key, _)) = edged {
                return Err(NotWritten::NoWord(format!(
                    "{key} with a blank at its edge"
                )));
            }
            let lines: Vec<String> = pairs.iter().map(|(k, v)| format!("{k}={v}\n")).collect();
            Ok(format!("[{}]\n{}", section(told), lines.concat()))
        }
        EngineId::Mysql => option_file(told),
        _ => {
            let mut lines = vec![format!("engine = {}", told.engine().as_str())];
            let (host, port) = told.one_host()?;
            lines.extend([format!("host = {host}"), format!("port = {port}")]);
            for (key, value) in [("database", told.database()), ("user", told.user())] {
                lines.extend(value.map(|value| format!("{key} = {value}")));
            }
            lines.extend(told.password.as_ref().map(|p| format!("password = {p}")));
            told.no_options_but(&[])?;
            // Readers of such files differ on quotes, and none has an escape.
            for (key, value) in [("database", told.database()), ("user", told.user())] {
                let value = value.unwrap_or_default();
                let cut = [" #", " ;", "\t#", "\t;"]
                    .iter()
                    .any(|sign| value.contains(sign));
                if cut || value.trim() != value || value.starts_with(['"', '\'', '$']) {
                    return Err(NotWritten::NoWord(format!("{key} with such signs")));
                }
            }
            Ok(format!("[{}]\n{}\n", section(told), lines.join("\n")))
        }
    }
}

/// The `[client]` group of an option file.
fn option_file(told: &Told<'_>) -> Result<String, NotWritten> {
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
    match &told.socket {
        Some(socket) => lines.push(format!("socket={socket}")),
        None => {
            let (host, port) = told.one_host()?;
            lines.extend([format!("host={host}"), format!("port={port}")]);
            // Without it `localhost` is a socket file to this library.
            lines.extend((host == "localhost").then(|| "protocol=tcp".to_owned()));
        }
    }
    for (key, value) in [("database", told.database()), ("user", told.user())] {
        if let Some(value) = value {
            let value =
                quoted(value).ok_or(NotWritten::NoWord(format!("{key} with both quotes")))?;
            lines.push(format!("{key}={value}"));
        }
    }
    lines.extend(told.password.as_ref().map(|p| format!("password={p}")));
    for (key, value) in &told.options {
        let value = quoted(value).ok_or(NotWritten::NoWord((*key).to_owned()))?;
        lines.push(format!("{}={value}", key.replace('_', "-")));
    }
    Ok(format!("[client]\n{}\n", lines.join("\n")))
}

/// Variables: those of the engine's own client, where it has any.
pub(super) fn environment(told: &Told<'_>) -> Result<String, NotWritten> {
    let quoted = |value: &str| {
        let plain = |c: char| c.is_ascii_alphanumeric() || "._:/,-".contains(c);
        match !value.is_empty() && value.chars().all(plain) {
            true => value.to_owned(),
            // POSIX shell: nothing is special in single quotes but their end.
            false => format!("'{}'", value.replace('\'', "'\\''")),
        }
    };
    let mut lines = Vec::new();
    let mut add = |name: &str, value: &str| {
        // A quote in the middle is said by the shell's own means alone.
        if value.contains('\'') {
            return Err(NotWritten::NoWord(format!("{name} with a single quote")));
        }
        lines.push(format!("{name}={}", quoted(value)));
        Ok(())
    };
    if told.engine() == EngineId::Postgresql {
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
        for (key, value) in postgresql(told)? {
            if key == "password" {
                continue;
            }
            let name = NAMES.iter().find(|(known, _)| *known == key);
            let (_, name) = name.ok_or(NotWritten::NoWord(key.clone()))?;
            add(name, &value)?;
        }
        lines.extend(
            told.password
                .as_ref()
                .map(|p| format!("PGPASSWORD=\"{p}\"")),
        );
        return Ok(lines.join("\n") + "\n");
    }
    let (lead, port_name, password_name) = match told.engine() {
        EngineId::Mysql => ("MYSQL", "MYSQL_TCP_PORT", "MYSQL_PWD"),
        EngineId::Tds => ("MSSQL", "MSSQL_PORT", "MSSQL_PASSWORD"),
        EngineId::Mongodb => ("MONGODB", "MONGODB_PORT", "MONGODB_PASSWORD"),
        engine => {
            return Err(NotWritten::NoSuchForm {
                engine: engine.title(),
                has: "url, fields",
            });
        }
    };
    let (host, port) = told.one_host()?;
    told.no_options_but(&[])?;
    add(&format!("{lead}_HOST"), host)?;
    add(port_name, port)?;
    for (key, value) in [("USER", told.user()), ("DATABASE", told.database())] {
        if let Some(value) = value {
            add(&format!("{lead}_{key}"), value)?;
        }
    }
    lines.extend(
        told.password
            .as_ref()
            .map(|p| format!("{password_name}=\"{p}\"")),
    );
    Ok(lines.join("\n") + "\n")
}

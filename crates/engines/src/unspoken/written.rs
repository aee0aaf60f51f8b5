//! The target in the forms that clients of these engines read.

use crate::written::{Form, NotWritten, Parts, braced};

/// Which forms an engine has beside a URL and separate fields.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Forms {
    /// Strings of its drivers as well.
    Pairs,
    /// Variables as well.
    Variables,
    /// No more.
    None,
}

pub(super) fn written(
    parts: &Parts<'_>,
    form: Form,
    (scheme, lead, has): (&str, &str, Forms),
) -> Result<String, NotWritten> {
    match (form, has) {
        (Form::Url, _) => Ok(url(parts, scheme)),
        (Form::Fields, _) => parts.fields(),
        (Form::Environment, Forms::Pairs | Forms::Variables) => {
            parts.environment(lead, &format!("{lead}_PORT"), &format!("{lead}_PASSWORD"))
        }
        (Form::Environment, Forms::None) => Err(parts.no_such_form("url, fields")),
        (Form::Jdbc, Forms::Pairs) => jdbc(parts),
        (Form::DataSource, Forms::Pairs) => parts.data_source("FreeTDS", &[]),
        (Form::KeywordValue, _) => {
            Err(parts.no_such_form("url, jdbc, data-source, fields, environment"))
        }
        (Form::Jdbc | Form::DataSource, _) => Err(parts.no_such_form("url, fields, environment")),
    }
}

fn url(parts: &Parts<'_>, scheme: &str) -> String {
    let by_records = super::by_records(&parts.target.options);
    match &parts.socket {
        Some(socket) => {
            let pairs = [("socket".to_owned(), socket.clone())];
            parts.url(scheme, "localhost", &pairs)
        }
        None if by_records => parts.url(&format!("{scheme}+srv"), &parts.hosts.join(","), &[]),
        None => parts.url(scheme, &parts.places(), &[]),
    }
}

/// `jdbc:sqlserver://host:port;key=value` (its documentation, "Building the connection URL").
fn jdbc(parts: &Parts<'_>) -> Result<String, NotWritten> {
    if parts.socket.is_some() {
        return Err(NotWritten::NoSocket);
    }
    let (host, port) = parts.one_host()?;
    parts.no_options_but(&[])?;
    let mut out = format!("jdbc:sqlserver://{host}:{port}");
    for (key, value) in [("databaseName", parts.database()), ("user", parts.user())] {
        if let Some(value) = value {
            out.push_str(&format!(";{key}={}", braced(value)));
        }
    }
    if let Some(password) = &parts.password {
        out.push_str(&format!(";password={password}"));
    }
    Ok(out)
}

//! The target in the forms that its clients read.

use chronaxis_model::target::ShownTarget;

use crate::plain_url::url_of;
use crate::written::{Form, NotWritten, Parts, escaped};

/// Its options, in the order in which they are written.
const OPTIONS: [&str; 3] = ["instance", "role", "tls"];

/// A URL, without the secret.
pub(super) fn described(target: &ShownTarget) -> String {
    let told = OPTIONS
        .iter()
        .filter_map(|key| Some(format!("{key}={}", escaped(target.options.get(*key)?))));
    let options: Vec<String> = told.collect();
    let query = match options.is_empty() {
        true => String::new(),
        false => format!("?{}", options.join("&")),
    };
    format!("{}{query}", url_of("directory", target))
}

pub(super) fn written(parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
    match form {
        Form::Url => {
            let instance = parts.target.options.get("instance");
            let pairs: Vec<(String, String)> = instance
                .map(|name| ("instance".to_owned(), name.clone()))
                .into_iter()
                .collect();
            Ok(parts.url("directory", &parts.places(), &pairs))
        }
        Form::Fields => parts.fields(),
        Form::KeywordValue => keyword_value(parts),
        _ => Err(parts.no_such_form("url, keyword-value, fields")),
    }
}

fn keyword_value(parts: &Parts<'_>) -> Result<String, NotWritten> {
    let (host, port) = parts.one_host()?;
    parts.no_options_but(&OPTIONS)?;
    let quoted = |value: &str| match value.contains([' ', '\'', '\\']) || value.is_empty() {
        true => format!("'{}'", value.replace('\\', "\\\\").replace('\'', "\\'")),
        false => value.to_owned(),
    };
    let mut out = vec![format!("host={}", quoted(host)), format!("port={port}")];
    let named = [("service", parts.database()), ("user", parts.user())];
    for (key, value) in named {
        out.extend(value.map(|value| format!("{key}={}", quoted(value))));
    }
    out.extend(parts.password.iter().map(|p| format!("password={p}")));
    for key in OPTIONS {
        let told = parts.target.options.get(key);
        out.extend(told.map(|value| format!("{key}={}", quoted(value))));
    }
    Ok(out.join(" "))
}

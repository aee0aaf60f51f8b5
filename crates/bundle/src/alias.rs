//! Names of connections: where each leads, over other names.

use std::collections::BTreeSet;

use chronaxis_model::redact::visible;
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};

use crate::manifest::Alias;

/// Where a name leads.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Lead<'a> {
    /// To this alias, which says how to connect.
    To(&'a Alias),
    /// To a name that nobody defines.
    Unknown(String),
    /// In a circle, over these names.
    Circle(Vec<String>),
    /// To an alias that says nothing.
    Nothing(&'a Alias),
}

/// Whether a text is a name, and no connection string.
fn is_name(text: &str) -> bool {
    !text.is_empty() && !text.contains([':', '=', '/', ';', ' ', '@'])
}

/// Follows a name.
pub fn follow<'a>(aliases: &'a [Alias], name: &str) -> Lead<'a> {
    let mut seen: BTreeSet<&str> = BTreeSet::new();
    let mut way: Vec<String> = Vec::new();
    let mut next = name;
    loop {
        let Some(alias) = aliases.iter().find(|a| a.name == next) else {
            return Lead::Unknown(next.to_owned());
        };
        way.push(alias.name.clone());
        if !seen.insert(&alias.name) {
            return Lead::Circle(way);
        }
        match &alias.target {
            Some(target) if is_name(&target.text) => next = &target.text,
            Some(_) => return Lead::To(alias),
            None if alias.fields.is_empty() => return Lead::Nothing(alias),
            None => return Lead::To(alias),
        }
    }
}

/// The connection string of an alias; `top` is where its bundle lies.
pub fn string(alias: &Alias, top: &str) -> String {
    match &alias.target {
        Some(target) => target.text.replace("${BUNDLE}", top),
        None => url(alias, top),
    }
}

/// Whether an alias says by its fields where it leads, and not to what.
pub fn lacks_engine(alias: &Alias) -> bool {
    alias.target.is_none() && !alias.fields.iter().any(|(name, _)| name == "engine")
}

/// The fields of an alias as a URL.
fn url(alias: &Alias, top: &str) -> String {
    let field = |name: &str| {
        let found = alias.fields.iter().find(|(n, _)| n == name);
        found.map_or("", |(_, told)| told.text.as_str())
    };
    let escaped = |text: &str| utf8_percent_encode(text, NON_ALPHANUMERIC).to_string();
    let host = match field("host") {
        host if host.contains(':') && !host.starts_with('[') => format!("[{host}]"),
        host => host.to_owned(),
    };
    let user = match field("user") {
        "" => String::new(),
        user => format!("{}@", escaped(user)),
    };
    let port = match field("port") {
        "" => String::new(),
        port => format!(":{port}"),
    };
    // A directory calls a service what others call a database.
    let database = match field("database") {
        "" => field("service"),
        database => database,
    };
    let known = ["engine", "host", "port", "database", "service", "user"];
    let options: Vec<String> = alias
        .fields
        .iter()
        .filter(|(name, _)| !known.contains(&name.as_str()))
        .map(|(name, told)| format!("{name}={}", escaped(&told.text.replace("${BUNDLE}", top))))
        .collect();
    let options = match options.is_empty() {
        true => String::new(),
        false => format!("?{}", options.join("&")),
    };
    format!(
        "{}://{user}{host}{port}/{}{options}",
        field("engine"),
        escaped(database)
    )
}

impl Lead<'_> {
    /// Why this name leads nowhere, in words.
    pub fn trouble(&self, name: &str) -> String {
        let name = visible(name);
        match self {
            Lead::Circle(way) => {
                let way: Vec<String> = way.iter().map(|n| visible(n)).collect();
                format!("the alias {name} leads in a circle: {}", way.join(" → "))
            }
            Lead::Unknown(other) if visible(other) != name => format!(
                "the alias {name} leads to {}, which no alias defines",
                visible(other)
            ),
            Lead::Nothing(last) => format!(
                "the alias {name} leads to {}, which has neither a target nor a host",
                visible(&last.name)
            ),
            _ => format!("the bundle has no alias called {name}"),
        }
    }
}

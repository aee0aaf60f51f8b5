//! From entries to groups: the keys that together describe one connection.

use std::collections::BTreeMap;

use chronaxis_engines::{by_id, engines};

use crate::entry::Entry;
use crate::format::Format;
use crate::names::{Means, Role, engine_word, named};

/// Keys whose inside belongs to the connection above.
const INSIDE: &[&str] = &[
    "options",
    "params",
    "parameters",
    "query",
    "properties",
    "extra",
    "connect_args",
    "dboptions",
];

/// Where Quarkus keeps a connection's URL, apart from its account (Quarkus guides,
/// "Configure data sources").
const IN_QUARKUS: &[&str] = &["jdbc", "reactive"];

/// Those that stand beside the connection's own keys, under no key above.
const BESIDE: &[&str] = &["dboptions"];

/// Keys that belong together.
#[derive(Clone, Debug)]
pub(crate) struct Group {
    /// The document of the file.
    pub(crate) document: usize,
    /// The keys above.
    pub(crate) holder: Vec<String>,
    /// What their names begin with.
    pub(crate) prefix: String,
    /// Role and index of each entry.
    pub(crate) fields: Vec<(Role, usize)>,
}

impl Group {
    /// The entry that counts for a role: the last one.
    pub(crate) fn field(&self, role: Role) -> Option<usize> {
        self.fields
            .iter()
            .rev()
            .find(|(r, _)| *r == role)
            .map(|(_, at)| *at)
    }

    fn has(&self, role: Role) -> bool {
        self.field(role).is_some()
    }

    /// What settings call the connection: the key that holds its fields, or what the names
    /// of its variables begin with.
    pub(crate) fn name(&self, entries: &[Entry], flat: bool) -> String {
        let only_url = self.fields.len() == 1 && self.has(Role::Url);
        let own = self.fields.first().and_then(|(_, at)| entries.get(*at));
        let own = own.map_or("", Entry::key);
        if only_url && (flat || self.holder.is_empty() || !self.prefix.is_empty()) {
            return own.to_owned();
        }
        if !self.prefix.is_empty() {
            return self.prefix.clone();
        }
        let last = self
            .holder
            .iter()
            .rev()
            .find(|key| key.parse::<usize>().is_err());
        last.cloned().unwrap_or_default()
    }

    /// Whether the keys can be a connection at all; what the values say comes later.
    fn may_be_one(&self, entries: &[Entry], format: Format) -> bool {
        if self.has(Role::Url) {
            return true;
        }
        let somewhere = self.has(Role::Host) || self.has(Role::Socket);
        let who = self.has(Role::User) || self.has(Role::Password);
        let what = self.has(Role::Database) || self.has(Role::Name);
        let engine = self
            .engine_words(entries)
            .any(|m| matches!(m, Means::Engine(_)));
        let named = || {
            let mut options = self.options(entries);
            options.any(|e| matches!(e.key(), "service" | "read_default_file"))
        };
        match format {
            Format::Python if engine && named() => true,
            Format::ServiceFile | Format::Odbc | Format::OptionFile => somewhere || who,
            Format::PasswordFile => somewhere,
            _ if engine => somewhere || (who && what),
            _ => {
                somewhere && (self.has(Role::Database) || (who && self.has(Role::Name)))
                    || self.has(Role::Host) && who && self.has(Role::Port)
            }
        }
    }

    /// What stands in the group's dictionary of options.
    pub(crate) fn options<'a>(&'a self, entries: &'a [Entry]) -> impl Iterator<Item = &'a Entry> {
        let of_it = |e: &&Entry| match e.holder().split_last() {
            Some((last, above)) => last == "OPTIONS" && above == self.holder.as_slice(),
            None => false,
        };
        entries.iter().filter(of_it)
    }

    /// What the words of the group say of its engine, the surest first.
    pub(crate) fn engine_words<'a>(
        &'a self,
        entries: &'a [Entry],
    ) -> impl Iterator<Item = Means> + 'a {
        let told = self
            .field(Role::Engine)
            .and_then(|at| entries.get(at)?.value.plain());
        let told = told.and_then(|text| engine_word(text.as_str()));
        let words = std::iter::once(&self.prefix).chain(self.holder.iter().rev());
        told.into_iter()
            .chain(words.filter_map(|word| engine_word(word)))
    }
}

/// Sorts the entries of a file into groups that may be connections, in the order of the
/// file.
pub(crate) fn groups(entries: &[Entry], format: Format, is_chart: bool) -> Vec<Group> {
    let mut by_key: BTreeMap<(usize, Vec<String>, String), Group> = BTreeMap::new();
    for (index, entry) in entries.iter().enumerate().filter(|(_, e)| e.active) {
        let mut holder = entry.holder().to_vec();
        let above = holder.last().map(|key| key.to_ascii_lowercase());
        let of_quarkus = holder.iter().any(|key| key == "quarkus");
        let is_inside = above.is_some_and(|key| {
            let key = key.as_str();
            let inside = INSIDE.contains(&key) || of_quarkus && IN_QUARKUS.contains(&key);
            inside && (holder.len() > 1 || BESIDE.contains(&key))
        });
        if is_inside {
            holder.pop();
        }
        let is_string = entry
            .value
            .plain()
            .is_some_and(|text| is_string(text.as_str()));
        let named = named(entry.key());
        // An application's name is no database's.
        let of_driver = |role| is_inside && matches!(role, Role::Name | Role::Engine);
        let (prefix, role) = match named {
            Some(named) if of_driver(named.role) => continue,
            // Spring binds its own names and no others (its documentation, "Data").
            Some(_) if is_springs(entry) && !of_spring(entry.key()) => continue,
            // A whole string in a host's place is a slip there, not a string of its own.
            Some(named) if !is_string || matches!(named.role, Role::Url | Role::Host) => {
                (named.prefix, named.role)
            }
            _ if is_string => (entry.key().to_owned(), Role::Url),
            _ => continue,
        };
        let key = (entry.document, holder.clone(), prefix.to_ascii_lowercase());
        // `DATABASE_URL` and `DATABASE_URI` are two.
        let told = by_key
            .get(&key)
            .and_then(|g: &Group| entries.get(g.field(Role::Url)?));
        let another = role == Role::Url && told.is_some_and(|e| e.key() != entry.key());
        let key = match another {
            true => (entry.document, holder.clone(), entry.key().to_owned()),
            false => key,
        };
        let group = by_key.entry(key).or_insert_with(|| Group {
            document: entry.document,
            holder,
            prefix,
            fields: Vec::new(),
        });
        // Of two the last counts, in all of these formats.
        match group.fields.iter_mut().find(|(known, _)| *known == role) {
            Some((_, at)) => *at = index,
            None => group.fields.push((role, index)),
        }
    }
    let mut groups: Vec<Group> = by_key.into_values().collect();
    join_strays(&mut groups, entries);
    // What a chart installs by itself has an account and no place yet.
    let placed = |g: &Group| !is_chart || g.has(Role::Url) || g.has(Role::Host);
    groups.retain(|group| group.may_be_one(entries, format) && placed(group));
    groups.sort_by_key(|group| group.fields.first().map(|(_, at)| *at));
    groups
}

/// Whether a key is one of Spring's for its data source.
fn is_springs(entry: &Entry) -> bool {
    let whole = entry.path.join(".").to_ascii_lowercase();
    let inner = whole.strip_prefix("spring.datasource.");
    inner.is_some_and(|inner| !inner.contains('.'))
}

/// Whether Spring binds this key: in any case, with dashes or without.
fn of_spring(key: &str) -> bool {
    let last = key.rsplit('.').next().unwrap_or(key);
    let plain: String = last.chars().filter(|c| !matches!(c, '-' | '_')).collect();
    let known = [
        "url",
        "username",
        "password",
        "driverclassname",
        "name",
        "type",
    ];
    known.contains(&plain.to_ascii_lowercase().as_str())
}

/// `db_name` beside `host` and `user`: a prefix of one key alone is no other connection.
fn join_strays(groups: &mut [Group], entries: &[Entry]) {
    let strays: Vec<(usize, Group)> = groups
        .iter()
        .enumerate()
        .filter(|(_, g)| g.fields.len() == 1 && !g.has(Role::Url))
        .map(|(at, g)| (at, g.clone()))
        .collect();
    for (at, stray) in strays {
        let Some((role, entry)) = stray.fields.first().copied() else {
            continue;
        };
        let low = stray.prefix.to_ascii_lowercase();
        let before = low.strip_suffix("_db");
        let of_database = ["db", "database"].contains(&low.as_str()) || before.is_some();
        if role == Role::Name && !of_database {
            continue;
        }
        // `dbhost` and `dbname`: the word is run together with what it is of.
        let with_lead = format!("{}db", stray.prefix.to_ascii_lowercase());
        let key = entries.get(entry).map_or("", Entry::key);
        let bare_database = role == Role::Database && stray.prefix.is_empty();
        let of_lead = bare_database || key.to_ascii_lowercase().ends_with("dbname");
        let role = if role == Role::Name {
            Role::Database
        } else {
            role
        };
        let home = groups.iter_mut().find(|g| {
            let beside = g.holder == stray.holder && g.document == stray.document;
            let own = g.prefix.to_ascii_lowercase();
            let led = of_lead && own == with_lead || before == Some(own.as_str());
            let bare = g.prefix.is_empty() && !stray.prefix.is_empty();
            beside && (bare || led) && g.fields.len() > 1 && !g.has(role)
        });
        if let Some(home) = home {
            home.fields.push((role, entry));
            if let Some(stray) = groups.get_mut(at) {
                stray.fields.clear();
            }
        }
    }
}

/// The schemes of connection strings that settings hold.
fn schemes() -> impl Iterator<Item = &'static str> + Clone {
    let told = engines().iter().filter(|e| e.spec.in_settings);
    told.flat_map(|e| e.spec.schemes).copied()
}

/// Whether a value is a whole connection string, by its shape.
pub(crate) fn is_string(text: &str) -> bool {
    let bare = text.trim().trim_matches(['"', '\'']);
    let jdbc = bare.strip_prefix("jdbc:");
    let reactive = bare.strip_prefix("r2dbc:");
    let reactive = reactive.map(|rest| rest.strip_prefix("pool:").unwrap_or(rest));
    let bare = jdbc.or(reactive).unwrap_or(bare);
    if let Some((scheme, rest)) = bare.split_once("://") {
        let base = scheme
            .split('+')
            .next()
            .unwrap_or_default()
            .to_ascii_lowercase();
        let misspelt = || {
            (rest.contains('@') || jdbc.is_some())
                && chronaxis_model::settings::nearest(&base, schemes()).is_some()
                && !matches!(engine_word(&base), Some(Means::Foreign))
        };
        let of_engine = || match engine_word(&base) {
            Some(Means::Engine(id)) => by_id(id).spec.in_settings,
            _ => false,
        };
        let known = schemes().any(|known| known == base) || of_engine();
        return !rest.is_empty() && (known || misspelt());
    }
    let marks = || engines().iter().flat_map(|e| e.spec.marks);
    if marks().any(|mark| bare.contains(mark)) {
        return true;
    }
    let low = bare.to_ascii_lowercase();
    let pairs = low.matches('=').count();
    let semicolons = low.contains(';');
    let mut php_names = engines().iter().filter_map(|e| e.spec.php_name);
    if php_names.any(|name| low.starts_with(name)) {
        return pairs > 0;
    }
    if semicolons && pairs > 1 {
        let first = low.split('=').next().unwrap_or_default().trim();
        return matches!(first, "driver" | "server" | "data source" | "host" | "dsn");
    }
    pairs > 1
        && (low.starts_with("host=")
            || low.starts_with("dbname=")
            || low.contains(" host=")
            || low.contains(" dbname="))
}

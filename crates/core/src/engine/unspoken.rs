//! Engines whose strings are read, checked and shown, and whose protocols are not spoken:
//! a walk to them ends at the port, and says so.

mod strings;

use std::collections::{BTreeMap, VecDeque};

use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};

use super::spec::{Draft, Engine, FileWanted, NotFollowed, Surroundings, TalkPlan};
use super::text::parse_port;
use super::text::pieces::subject;
use crate::certificate::Encryption;
use crate::conversation::{Conversation, Input, Output};
use crate::layer::{Layer, Micros};
use crate::permit::Permit;
use crate::settings::{Defect, DefectKind, check_value};
use crate::target::{ClientId, End, EngineId, ShownTarget, Target};
use crate::told::Origin;

/// What one such engine is called, and by what its strings are known.
pub(super) struct Unspoken {
    id: EngineId,
    schemes: &'static [&'static str],
    adapters: &'static [&'static str],
    drivers: &'static [&'static str],
    jdbc_names: &'static [&'static str],
    odbc_words: &'static [&'static str],
    usual_port: Option<u16>,
    administrators: &'static [&'static str],
}

/// The tabular data stream.
pub(super) static TDS: Unspoken = Unspoken {
    id: EngineId::Tds,
    schemes: &["tds", "sqlserver"],
    adapters: &["mssql", "mssqlms", "sqlsrv", "pdo-sqlsrv", "pdo_sqlsrv"],
    drivers: &["pyodbc", "pymssql", "aioodbc"],
    jdbc_names: &["sqlserver"],
    odbc_words: &["sql server", "freetds", "tds"],
    usual_port: Some(1433),
    administrators: &["sa"],
};

/// MongoDB's wire protocol.
pub(super) static MONGODB: Unspoken = Unspoken {
    id: EngineId::Mongodb,
    schemes: &["mongodb", "mongodb+srv"],
    adapters: &[],
    drivers: &[],
    jdbc_names: &[],
    odbc_words: &[],
    usual_port: Some(27017),
    administrators: &["root", "admin"],
};

/// Chronaxis's own service listener.
pub(super) static DIRECTORY: Unspoken = Unspoken {
    id: EngineId::Directory,
    schemes: &["directory"],
    adapters: &[],
    drivers: &[],
    jdbc_names: &[],
    odbc_words: &[],
    usual_port: None,
    administrators: &[],
};

/// A port, whatever is behind it.
pub(super) static TCP: Unspoken = Unspoken {
    id: EngineId::Tcp,
    schemes: &["tcp"],
    adapters: &[],
    drivers: &[],
    jdbc_names: &[],
    odbc_words: &[],
    usual_port: None,
    administrators: &[],
};

impl Engine for Unspoken {
    fn id(&self) -> EngineId {
        self.id
    }

    fn schemes(&self) -> &'static [&'static str] {
        self.schemes
    }

    fn adapters(&self) -> &'static [&'static str] {
        self.adapters
    }

    fn drivers(&self) -> Vec<&'static str> {
        self.drivers.to_vec()
    }

    fn jdbc_names(&self) -> &'static [&'static str] {
        self.jdbc_names
    }

    fn odbc_words(&self) -> &'static [&'static str] {
        self.odbc_words
    }

    fn queries(&self) -> &'static [(&'static str, &'static str)] {
        &[]
    }

    fn usual_port(&self) -> Option<u16> {
        self.usual_port
    }

    fn last_layer(&self, target: &ShownTarget) -> Layer {
        match by_instance(&target.options) {
            Some(_) => Layer::Settings,
            None => Layer::Port,
        }
    }

    fn unspoken(&self, target: &ShownTarget) -> Option<&'static str> {
        let only_a_port = "no protocol is given; what is behind the open port is not asked";
        let not_yet =
            "this version does not speak this engine's protocol; it goes as far as the port";
        match by_instance(&target.options) {
            Some(limit) => Some(limit),
            None if self.id == EngineId::Tcp => Some(only_a_port),
            None => Some(not_yet),
        }
    }

    fn start_parameters(&self, _: &ShownTarget) -> Vec<&'static str> {
        Vec::new()
    }

    fn administrators(&self) -> &'static [&'static str] {
        self.administrators
    }

    fn variables(&self) -> &'static [&'static str] {
        &[]
    }

    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        strings::read(self, text, line)
    }

    fn at(&self, host: &str, port: u16) -> String {
        let scheme = self.schemes.first().copied().unwrap_or_default();
        match host.contains(':') {
            true => format!("{scheme}://[{host}]:{port}"),
            false => format!("{scheme}://{host}:{port}"),
        }
    }

    fn files(&self, _: &Draft, _: &Surroundings) -> Vec<FileWanted> {
        Vec::new()
    }

    fn complete(&self, draft: Draft, around: &Surroundings) -> Result<Target, NotFollowed> {
        Ok(complete(self, draft, around))
    }

    fn described(&self, target: &ShownTarget) -> String {
        let escaped = |text: &str| utf8_percent_encode(text, NON_ALPHANUMERIC).to_string();
        let by_records = target.options.contains_key("srv");
        let scheme = if by_records {
            "mongodb+srv"
        } else {
            self.id.as_str()
        };
        let place = |end: &End| match (end, by_records) {
            (End::Host { host, .. }, true) => host.clone(),
            _ => end.to_string(),
        };
        let places: Vec<String> = target.ends.iter().map(place).collect();
        let user = target
            .user
            .as_deref()
            .map_or_else(String::new, |u| format!("{}@", escaped(u)));
        let database = target.database.as_deref().map_or_else(String::new, escaped);
        format!("{scheme}://{user}{}/{database}", places.join(","))
    }

    fn open(&self, _: TalkPlan<'_>) -> Box<dyn Conversation> {
        Box::new(Silent(VecDeque::new()))
    }
}

/// What keeps us from dialling what the settings say: instance names that another service
/// turns into ports.
fn by_instance(options: &BTreeMap<String, String>) -> Option<&'static str> {
    options
        .contains_key("instance")
        .then_some("the port comes from the instance's name, which this version does not ask for")
}

/// A conversation that says nothing: the walk never goes so far.
struct Silent(VecDeque<Output>);

impl Conversation for Silent {
    fn handle(&mut self, _: Micros, input: Input<'_>) {
        self.0.push_back(match input {
            Input::Opened => Output::Rest(Layer::Port),
            _ => Output::Over,
        });
    }

    fn poll(&mut self) -> Option<Output> {
        self.0.pop_front()
    }

    fn give_back(&mut self) -> Option<Permit> {
        None
    }
}

fn complete(engine: &Unspoken, draft: Draft, around: &Surroundings) -> Target {
    let mut draft = draft;
    let mut origins = BTreeMap::new();
    for (name, key) in [("user", "user"), ("database", "dbname")] {
        if let Some(told) = around.options.get(name) {
            draft.defects.retain(|d| d.subject != name || d.stops);
            draft.defects.extend(check_value(name, &told.value, None));
            draft.values.insert(key.to_owned(), told.clone());
        }
    }
    draft.values.retain(|_, told| !told.value.is_empty());
    let mut options = BTreeMap::new();
    for (key, told) in &draft.values {
        origins.insert(subject(key).to_owned(), told.origin.clone());
        if !matches!(key.as_str(), "host" | "port" | "dbname" | "user") {
            options.insert(key.clone(), told.value.clone());
        }
    }
    let told = |key: &str| draft.values.get(key).map(|t| t.value.clone());
    let (hosts, ports) = (told("host"), told("port"));
    let mut missing = |subject: &str, expected: &str| {
        if draft.defects.iter().any(|d| d.stops) {
            return;
        }
        draft.defects.push(Defect {
            kind: DefectKind::Missing,
            subject: subject.to_owned(),
            stops: true,
            text: format!("no {subject} is given"),
            expected: expected.to_owned(),
            place: None,
            mended: None,
        });
    };
    if hosts.is_none() {
        missing("host", "the host of the server");
    }
    let usual = engine.usual_port;
    if ports.is_none() && usual.is_none() {
        missing("port", "the port: this engine has no usual one");
    }
    if ports.is_none() && usual.is_some() {
        let name = "the usual port".to_owned();
        origins.insert("port".to_owned(), Origin::Default { name });
    }
    let secret = around
        .option_secret
        .clone()
        .or(draft.secret)
        .or_else(|| around.variable_secret.clone());
    if let Some(told) = &secret {
        origins.insert("secret".to_owned(), told.origin.clone());
        if !draft.defects.iter().any(|d| d.subject == "password") {
            let found = check_value("password", told.value.expose(), None);
            draft.defects.extend(found);
        }
    }
    let stops = draft.defects.iter().any(|d| d.stops);
    let ends = match (stops, hosts) {
        (false, Some(hosts)) => ends(&hosts, ports.as_deref(), usual),
        _ => Vec::new(),
    };
    let database = told("dbname");
    let label = database
        .clone()
        .or_else(|| ends.first().map(End::to_string));
    Target {
        label: label.unwrap_or_else(|| "a connection".to_owned()),
        engine: engine.id,
        client: ClientId::Plain,
        ends,
        database,
        user: told("user"),
        secret,
        encryption: Encryption::default(),
        options,
        origins,
        form: draft.form,
        defects: draft.defects,
        withheld: Vec::new(),
        remarks: Vec::new(),
    }
}

/// Hosts and ports, one after the other; one port serves all, an empty one is the usual.
fn ends(hosts: &str, ports: Option<&str>, usual: Option<u16>) -> Vec<End> {
    let ports: Vec<&str> = ports.map(|p| p.split(',').collect()).unwrap_or_default();
    let port_of = |index: usize| {
        let one = ports.first().filter(|_| ports.len() == 1);
        match ports.get(index).or(one).filter(|p| !p.is_empty()) {
            Some(text) => parse_port(text),
            None => usual,
        }
    };
    let each = hosts.split(',').enumerate();
    each.filter_map(|(index, host)| {
        if host.starts_with('/') {
            let socket = host.to_owned();
            return Some(End::Socket { socket });
        }
        Some(End::Host {
            host: host.to_owned(),
            port: port_of(index)?,
            address: None,
        })
    })
    .collect()
}

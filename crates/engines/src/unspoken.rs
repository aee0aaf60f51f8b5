//! Engines whose strings are read, checked and shown, and whose protocols are not spoken:
//! a walk to them ends at the port, and says so.

mod mongodb;
mod strings;
mod written;

use std::collections::{BTreeMap, VecDeque};

use chronaxis_model::certificate::TlsPolicy;
use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::fact::Service;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;
use chronaxis_model::settings::{Defect, DefectKind, Field, check_value};
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::{ClientId, End, EngineId, ShownTarget, Target};

use self::written::Forms;
use super::completed::label;
use super::plain_url::{url_of, url_to};
use super::policy::HostLookup;
use super::protocol::{ConversationPlan, Protocol};
use super::spec::{Engine, EngineSpec, Greeting, PairDialect};
use super::strings::{ClientEnvironment, Draft, NotFollowed, Strings, url_at};
use super::text::parse_port;
use super::text::pieces::subject;
use super::who::holds;
use super::written::{Form, NotWritten, Parts};

/// The strings of one such engine.
struct Unspoken {
    spec: &'static EngineSpec,
    /// The parameters of its URLs that bear on connecting.
    words: &'static [&'static str],
    /// Whether its strings have semicolons, and instances with names.
    pairs: bool,
    /// The lead of its variables, and the forms that it has.
    lead: &'static str,
    forms: Forms,
    /// Why no more than the port is looked at.
    limit: &'static str,
}

const NOT_YET: &str = "this version does not speak this engine's protocol; it tests up to the port";

/// The tabular data stream.
pub(super) static TDS: Engine = Engine {
    spec: &TDS_SPEC,
    strings: &TDS_SIDES,
    protocol: &TDS_SIDES,
};

/// Its id.
pub const TDS_ID: EngineId = TDS_SPEC.id;

static TDS_SPEC: EngineSpec = EngineSpec {
    schemes: &["tds", "sqlserver"],
    adapters: &["mssql", "mssqlms", "sqlsrv", "pdo-sqlsrv", "pdo_sqlsrv"],
    drivers: &["pyodbc", "pymssql", "aioodbc"],
    jdbc_names: &["sqlserver"],
    odbc_words: &["sql server", "freetds", "tds"],
    // .NET's client (its documentation, "ConnectionString").
    pairs: PairDialect {
        words: &[
            "applicationintent",
            "attachdbfilename",
            "columnencryptionsetting",
            "initialcatalog",
            "multipleactiveresultsets",
            "multisubnetfailover",
            "networklibrary",
            "trusted_connection",
            "workstationid",
        ],
        keys: &[],
        host: Some(is_tds_host),
    },
    words: &[
        "sqlserver",
        "sql server",
        "mssql",
        "tdsodbc",
        "freetds",
        "pytds",
    ],
    whole_words: &["tds"],
    driver_words: &[
        "sqlserver",
        "com.microsoft.sqlserver.jdbc.SQLServerDriver",
        "mssql",
    ],
    python_modules: &["pymssql", "pytds"],
    variable_leads: &["mssql"],
    in_settings: true,
    has_databases: true,
    usual_port: Some(1433),
    greetings: &[Greeting {
        service: Service::new("tds"),
        speaks: "TDS",
        title: "a server that speaks TDS",
        // MS-TDS, section 2.2.3.1: a tabular result, end of message, whole in one packet.
        fits: |b| matches!(b, [4, 1, _, _, 0, 0, ..]),
    }],
    administrators: &["sa"],
    ..EngineSpec::named("tds", "TDS")
};

static TDS_SIDES: Unspoken = Unspoken {
    spec: &TDS_SPEC,
    words: strings::TDS_WORDS,
    pairs: true,
    lead: "MSSQL",
    forms: Forms::Pairs,
    limit: NOT_YET,
};

/// A server with a port behind a comma, an instance behind a backslash, or this machine.
fn is_tds_host(value: &str) -> bool {
    let comma = value
        .rsplit_once(',')
        .is_some_and(|(_, p)| p.trim().parse::<u16>().is_ok());
    let here = value.starts_with('(') || value == ".";
    value.starts_with("tcp:") || value.contains('\\') || comma || here
}

/// MongoDB's wire protocol.
pub(super) static MONGODB: Engine = Engine {
    spec: &MONGODB_SPEC,
    strings: &MONGODB_SIDES,
    protocol: &MONGODB_SIDES,
};

/// Its id.
pub const MONGODB_ID: EngineId = MONGODB_SPEC.id;

static MONGODB_SPEC: EngineSpec = EngineSpec {
    schemes: &["mongodb", "mongodb+srv"],
    words: &["mongo"],
    driver_words: &["mongodb", "pymongo", "mongoose"],
    python_modules: &["pymongo"],
    variable_leads: &["mongo"],
    in_settings: true,
    data_marks: &["WiredTiger"],
    usual_port: Some(27017),
    greetings: &[Greeting {
        service: Service::new("mongodb"),
        speaks: "MongoDB",
        title: "a MongoDB server",
        // Its own words for the web.
        fits: |b| holds(b, b"MongoDB"),
    }],
    administrators: &["root", "admin"],
    ..EngineSpec::named("mongodb", "MongoDB")
};

static MONGODB_SIDES: Unspoken = Unspoken {
    spec: &MONGODB_SPEC,
    words: strings::MONGODB_WORDS,
    pairs: false,
    lead: "MONGODB",
    forms: Forms::Variables,
    limit: NOT_YET,
};

/// A port, whatever is behind it.
pub(super) static TCP: Engine = Engine {
    spec: &TCP_SPEC,
    strings: &TCP_SIDES,
    protocol: &TCP_SIDES,
};

/// Its id.
pub const TCP_ID: EngineId = TCP_SPEC.id;

static TCP_SPEC: EngineSpec = EngineSpec {
    schemes: &["tcp"],
    ..EngineSpec::named("tcp", "TCP")
};

static TCP_SIDES: Unspoken = Unspoken {
    spec: &TCP_SPEC,
    words: &[],
    pairs: false,
    lead: "",
    forms: Forms::None,
    limit: "no engine is given, so the open port is not asked what is behind it",
};

impl Unspoken {
    fn scheme(&self) -> &'static str {
        self.spec.schemes.first().copied().unwrap_or_default()
    }
}

impl Strings for Unspoken {
    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        strings::read(self, text, line)
    }

    fn at(&self, host: &str, port: u16) -> String {
        url_at(self.scheme(), host, port)
    }

    fn complete(&self, draft: Draft, around: &ClientEnvironment) -> Result<Target, NotFollowed> {
        Ok(complete(self.spec, draft, around))
    }

    fn described(&self, target: &ShownTarget) -> String {
        let hosts = |target: &ShownTarget| -> Vec<String> {
            let host = |end: &End| match end {
                End::Host { host, .. } => host.clone(),
                End::Socket { .. } => end.to_string(),
            };
            target.ends.iter().map(host).collect()
        };
        match by_records(&target.options) {
            true => url_to(&format!("{}+srv", self.scheme()), &hosts(target), target),
            false => url_of(self.scheme(), target),
        }
    }

    fn written(&self, parts: &Parts<'_>, form: Form) -> Result<String, NotWritten> {
        written::written(parts, form, (self.scheme(), self.lead, self.forms))
    }

    fn host_lookup(&self, target: &ShownTarget) -> HostLookup {
        match by_records(&target.options) {
            true => HostLookup::ServiceRecords,
            false => HostLookup::Addresses,
        }
    }
}

impl Protocol for Unspoken {
    fn open(&self, _: ConversationPlan<'_>) -> Box<dyn Conversation> {
        Box::new(Silent(VecDeque::new()))
    }

    fn last_layer(&self, target: &ShownTarget) -> Layer {
        match by_instance(&target.options) {
            Some(_) => Layer::Settings,
            None => Layer::Port,
        }
    }

    fn unspoken(&self, target: &ShownTarget) -> Option<&'static str> {
        Some(by_instance(&target.options).unwrap_or(self.limit))
    }
}

/// Whether hosts and ports come from service records.
fn by_records(options: &BTreeMap<String, String>) -> bool {
    options.contains_key("srv")
}

/// What keeps us from dialling what the settings say: instance names that another service
/// turns into ports.
fn by_instance(options: &BTreeMap<String, String>) -> Option<&'static str> {
    options
        .contains_key("instance")
        .then_some("the port depends on the instance name, which this version does not look up")
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

/// Fills in what a draft leaves open, for a client that has no rules of its own.
pub(crate) fn complete(spec: &EngineSpec, draft: Draft, around: &ClientEnvironment) -> Target {
    let mut draft = draft;
    let mut origins = BTreeMap::new();
    for (name, key) in [("user", "user"), ("database", "dbname")] {
        if let Some(told) = around.options.get(name) {
            draft
                .defects
                .retain(|d| d.subject.as_str() != name || d.stops);
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
            subject: Field::of(subject),
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
    let usual = spec.usual_port;
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
        if !draft.defects.iter().any(|d| d.subject == Field::PASSWORD) {
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
    Target {
        label: label(database.as_ref(), &ends),
        engine: spec.id,
        client: ClientId::Plain,
        ends,
        database,
        user: told("user"),
        secret,
        encryption: TlsPolicy::default(),
        options,
        origins,
        form: draft.form,
        read_by: draft.read_by,
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

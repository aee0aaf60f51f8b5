//! The connection of which a failure speaks, as a target that can be walked.

use std::collections::BTreeMap;

use chronaxis_engines::{by_id, find};
use chronaxis_model::certificate::TlsPolicy;
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::{ClientId, End, EngineId, Target};

use crate::failures::Failure;
use crate::parts::Parts;

/// The drivers whose rules are known, by the component that speaks for them.
const CLIENTS: &[(&str, ClientId)] = &[
    ("pgjdbc", ClientId::Pgjdbc),
    ("asyncpg", ClientId::Asyncpg),
    ("pg8000", ClientId::Pg8000),
    ("pymysql", ClientId::Pymysql),
    ("connector-j", ClientId::ConnectorJ),
    ("mariadb-java", ClientId::MariadbJava),
    ("mysqli", ClientId::Mysqlnd),
    ("node-postgres", ClientId::NodePostgres),
    ("postgresjs", ClientId::PostgresJs),
    ("node-mysql2", ClientId::NodeMysql),
    ("mariadb-node", ClientId::MariadbNode),
    ("pgx", ClientId::Pgx),
    ("go-pq", ClientId::GoPq),
    ("go-mysql", ClientId::GoMysql),
    ("npgsql", ClientId::Npgsql),
    ("mysql-connector-net", ClientId::MysqlConnector),
];

/// Of the engine of which nothing is known.
const TCP: EngineId = EngineId::new("tcp");

/// The target; its ends are empty where the text does not say where to.
pub fn of(failure: &Failure) -> Target {
    let parts = &failure.parts;
    let engine = engine(parts);
    let ends: Vec<End> = end(parts, engine).into_iter().collect();
    let label = match (ends.first(), &parts.database) {
        (Some(end), Some(database)) => format!("{end}/{database}"),
        (Some(end), None) => end.to_string(),
        (None, Some(database)) => database.clone(),
        (None, None) => match &parts.host {
            Some(host) => host.clone(),
            None => "the error message".to_owned(),
        },
    };
    let line = failure.messages.first().map_or(1, |message| message.line);
    let mut origins = BTreeMap::new();
    let told = [
        ("host", parts.host.is_some() || parts.address.is_some()),
        ("port", parts.port.is_some()),
        ("user", parts.user.is_some()),
        ("database", parts.database.is_some()),
    ];
    for (key, told) in told {
        if told {
            origins.insert(key.to_owned(), Origin::Message { line });
        }
    }
    Target {
        label,
        engine,
        client: client(failure, engine),
        ends,
        database: parts.database.clone(),
        user: parts.user.clone(),
        secret: None,
        encryption: TlsPolicy::default(),
        options: BTreeMap::new(),
        origins,
        form: "an error message".to_owned(),
        read_by: Vec::new(),
        defects: Vec::new(),
        withheld: Vec::new(),
        remarks: Vec::new(),
    }
}

/// The engine: as the message says, else by its usual port.
fn engine(parts: &Parts) -> EngineId {
    let by_port = || {
        let port = parts.port?;
        let usual = |e: &&&'static chronaxis_engines::Engine| e.spec.usual_port == Some(port);
        let found = chronaxis_engines::engines().iter().find(usual)?;
        Some(found.spec.id)
    };
    let by_code = || crate::codes::engine(parts.code.as_deref()?);
    let told = parts.engine.filter(|engine| find(*engine).is_some());
    told.or_else(by_port).or_else(by_code).unwrap_or(TCP)
}

fn end(parts: &Parts, engine: EngineId) -> Option<End> {
    if let (Some(socket), None) = (&parts.socket, &parts.host) {
        return Some(End::Socket {
            socket: socket.clone(),
        });
    }
    let address = parts.address;
    let host = parts.host.clone().or(address.map(|ip| ip.to_string()))?;
    let port = parts.port.or(by_id(engine).spec.usual_port)?;
    Some(End::Host {
        host,
        port,
        address: None,
    })
}

fn client(failure: &Failure, engine: EngineId) -> ClientId {
    let by_component = |component: &str| {
        CLIENTS
            .iter()
            .find(|(id, _)| *id == component)
            .map(|(_, client)| *client)
    };
    let told = failure
        .messages
        .iter()
        .find_map(|message| by_component(&message.component));
    let usual = || {
        let rules = by_id(engine).spec.clients;
        rules
            .iter()
            .find(|r| r.word.is_none() && r.language.is_none())
            .map(|r| r.client)
    };
    told.or_else(usual).unwrap_or(match engine.as_str() {
        "tls" => ClientId::StrictTls,
        "directory" => ClientId::Directory,
        _ => ClientId::Plain,
    })
}

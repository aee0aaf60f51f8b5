//! What real clients say when they fail, explained: the same cause as a diagnosis of the very
//! connection gives.

use std::path::{Path, PathBuf};
use std::process::Command;

use serde_json::Value;

use crate::support::mariadb::Mariadb;
use crate::support::ports::HeldPort;
use crate::support::postgres::Postgres;
use crate::support::real::tally;
use crate::support::{chronaxis, diagnose, finish_with};

const SCRIPTS: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../scripts/judges");

const PASSWORD: &str = "tide-table-9";

/// A connection that fails.
struct Way {
    name: &'static str,
    host: &'static str,
    port: u16,
    user: &'static str,
    password: &'static str,
    database: &'static str,
}

fn judges() -> Option<PathBuf> {
    let folder = PathBuf::from(std::env::var_os("CHRONAXIS_JUDGES")?);
    folder.exists().then_some(folder)
}

/// A server that closes every connection at once.
fn closing() -> HeldPort {
    let port = HeldPort::claim();
    let listener = std::net::TcpListener::bind(("127.0.0.1", port.get())).unwrap();
    std::thread::spawn(move || {
        for line in listener.incoming() {
            drop(line);
        }
    });
    port
}

fn ways(port: u16, closing: u16, nobody: u16) -> Vec<Way> {
    let way = |name, host, port, user, password, database| Way {
        name,
        host,
        port,
        user,
        password,
        database,
    };
    vec![
        way(
            "refused",
            "127.0.0.1",
            nobody,
            "purser",
            PASSWORD,
            "sailings",
        ),
        way(
            "wrong-password",
            "127.0.0.1",
            port,
            "purser",
            "low-tide-3",
            "sailings",
        ),
        way(
            "unknown-user",
            "127.0.0.1",
            port,
            "stowaway",
            PASSWORD,
            "sailings",
        ),
        way(
            "missing-database",
            "127.0.0.1",
            port,
            "purser",
            PASSWORD,
            "sailing",
        ),
        way(
            "closing",
            "127.0.0.1",
            closing,
            "purser",
            PASSWORD,
            "sailings",
        ),
    ]
}

/// The words that start a client, with the connection behind them.
fn command(judges: &Path, starter: &str, client: &str, way: &Way) -> Command {
    let port = way.port.to_string();
    let args = [
        client,
        way.host,
        &port,
        way.user,
        way.password,
        way.database,
    ];
    let script = |name: &str| format!("{SCRIPTS}/{name}");
    let mut command = match starter {
        "python" => {
            let mut command = Command::new(judges.join("py/bin/python"));
            command.arg(script("fail.py")).args(args);
            command
        }
        "node" => {
            let mut command = Command::new("node");
            command.arg(script("fail.js")).args(args);
            command
        }
        "php" => {
            let mut command = Command::new("php");
            command.arg(script("fail.php")).args(args);
            command
        }
        "ruby" => {
            let mut command = Command::new("/usr/bin/ruby");
            command.arg(script("fail.rb")).args(args);
            command
        }
        "java" => {
            let (jar, lead) = match client {
                "postgresql" => ("/usr/share/java/postgresql.jar", "jdbc:postgresql"),
                _ => ("/usr/share/java/mariadb-java-client.jar", "jdbc:mariadb"),
            };
            let url = format!("{lead}://{}:{port}/{}", way.host, way.database);
            let mut command = Command::new("java");
            command.args([
                "-cp",
                jar,
                &script("Fails.java"),
                &url,
                way.user,
                way.password,
            ]);
            command
        }
        _ if client == "psql" => {
            let mut command = Command::new("psql");
            command
                .args([
                    "-w",
                    "-h",
                    way.host,
                    "-p",
                    &port,
                    "-U",
                    way.user,
                    "-d",
                    way.database,
                    "-c",
                    "select 1",
                ])
                .env("PGPASSWORD", way.password);
            command
        }
        _ => {
            let mut command = Command::new("mariadb");
            let password = format!("-p{}", way.password);
            command.args([
                "--no-defaults",
                "--protocol=tcp",
                "-h",
                way.host,
                "-P",
                &port,
                "-u",
                way.user,
            ]);
            command.args([&password, way.database, "-e", "select 1"]);
            command
        }
    };
    command
        .env("CHRONAXIS_JUDGES", judges)
        .env("LC_ALL", "C.UTF-8");
    command
}

fn explained(home: &Path, text: &str) -> (Value, String) {
    let mut command = chronaxis(home);
    command.args(["explain", "--output", "json", "-"]);
    let ran = finish_with(&mut command, text);
    assert!(!ran.stderr.contains("panicked"), "{}", ran.stderr);
    let first = match ran.stdout.starts_with("{\n") {
        true => ran.stdout.clone(),
        false => ran.stdout.lines().next().unwrap_or_default().to_owned(),
    };
    let case = serde_json::from_str(&first).unwrap_or_else(|e| panic!("{e}: {}", ran.stdout));
    (case, ran.stdout)
}

/// Lets each client fail in each way, and holds both answers against each other.
fn compare(clients: &[(&str, &str, &str)], ways: &[Way]) {
    let Some(judges) = judges() else {
        assert!(std::env::var("CHRONAXIS_REAL").is_err(), "no judges");
        return;
    };
    let home = tempfile::tempdir().unwrap();
    let mut wrong = Vec::new();
    for way in ways {
        for (starter, client, scheme) in clients {
            let done = command(&judges, starter, client, way)
                .output()
                .expect(starter);
            let said = format!(
                "{}{}",
                String::from_utf8_lossy(&done.stdout),
                String::from_utf8_lossy(&done.stderr)
            );
            assert!(
                !done.status.success(),
                "{client}, {}: it did not fail",
                way.name
            );
            let (case, all) = explained(home.path(), &said);
            if all.contains(way.password) {
                wrong.push(format!("{client}, {}: the password is shown", way.name));
            }
            let target = format!(
                "{scheme}://{}:{}@{}:{}/{}",
                way.user, way.password, way.host, way.port, way.database
            );
            let (_, walked) = diagnose(home.path(), &[], &target);
            tally("message", &format!("{client} {}", way.name));
            let (ours, theirs) = (&case["verdict"]["cause"], &walked["verdict"]["cause"]);
            // A walk sees what else listens on this machine: other servers of these tests.
            let symptom = |case: &Value| case["verdict"]["symptom"].clone();
            let refused = symptom(&case) == "port/refused" && symptom(&walked) == "port/refused";
            let named = case["causes"]
                .as_array()
                .unwrap()
                .iter()
                .any(|c| c["id"] == *theirs);
            if ours != theirs && !(refused && named) {
                wrong.push(format!(
                    "{client}, {}: explained {ours} ({}), walked {theirs} ({}), of:\n{said}",
                    way.name, case["verdict"]["symptom"], walked["verdict"]["symptom"]
                ));
            }
        }
    }
    assert!(
        wrong.is_empty(),
        "{} wrong\n{}",
        wrong.len(),
        wrong.join("\n\n")
    );
}

#[test]
fn clients_of_postgresql() {
    if !Postgres::available() {
        return;
    }
    let server = Postgres::start(
        "local all all trust\nhost all all all scram-sha-256",
        "",
        "create role purser login password 'tide-table-9'; create database sailings",
    );
    let (closing, nobody) = (closing(), HeldPort::claim());
    compare(
        &[
            ("", "psql", "postgresql"),
            ("python", "psycopg2", "postgresql"),
            ("python", "psycopg", "postgresql"),
            ("python", "asyncpg", "postgresql+asyncpg"),
            ("python", "sqlalchemy", "postgresql"),
            ("python", "django", "postgresql"),
            ("node", "pg", "postgresql+node-postgres"),
            ("node", "postgres", "postgresql+postgresjs"),
            ("node", "sequelize", "postgresql+node-postgres"),
            ("php", "pdo_pgsql", "postgresql"),
            ("php", "pgsql", "postgresql"),
            ("ruby", "pg", "postgresql"),
            ("ruby", "sequel", "postgresql"),
            ("ruby", "active_record", "postgresql"),
            ("java", "postgresql", "postgresql"),
        ],
        &ways(server.port(), closing.get(), nobody.get()),
    );
}

#[test]
fn clients_of_mariadb() {
    if !Mariadb::available() {
        return;
    }
    let server = Mariadb::start(
        &[],
        "create database sailings; create user 'purser'@'%' identified by 'tide-table-9'; grant all on sailings.* to 'purser'@'%'; delete from mysql.global_priv where user = ''; flush privileges",
    );
    let (closing, nobody) = (closing(), HeldPort::claim());
    compare(
        &[
            ("", "mariadb", "mariadb"),
            ("python", "pymysql", "mysql+pymysql"),
            ("python", "sqlalchemy_mysql", "mysql+pymysql"),
            ("node", "mysql2", "mysql"),
            ("node", "mariadb", "mysql"),
            ("php", "pdo_mysql", "mysql"),
            ("php", "mysqli", "mysql"),
            ("ruby", "mysql2", "mysql"),
            ("java", "mariadb", "mysql"),
        ],
        &ways(server.port(), closing.get(), nobody.get()),
    );
}

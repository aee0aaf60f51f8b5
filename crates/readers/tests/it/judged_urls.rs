//! The readers of URLs beside the real ones: generated strings, both readings.

use std::collections::BTreeMap;
use std::process::Command;

use chronaxis_readers::url_reader::by_id;

use crate::judged::{Dice, agree, judges, script, seeded};

/// How many strings each reader gets.
const STRINGS: usize = 2500;

const NAMES: [&str; 5] = ["host", "port", "user", "password", "database"];

/// Pieces of passwords: what people have in theirs, escaped and not.
const PIECES: &[&str] = &[
    "tide", "table", "9", "42", "Q", "é", "#", "?", "/", "@", "%", ":", "+", "&", "=", "!", "$",
    "%40", "%23", "%2F", "%25", "%3A", "%C3%A9", "%zz", "%4", "%20", " ", "\\", "^", "|", "<", "~",
    "*", "(", ";", ",", "'", "\"", "[", "]", "{",
];

fn word(dice: &mut Dice, pieces: &[&str], most: usize) -> String {
    (0..=dice.roll(most)).map(|_| dice.of(pieces)).collect()
}

fn string(dice: &mut Dice, schemes: &[&str]) -> String {
    let scheme = dice.of(schemes);
    let plain = &PIECES[..6];
    let pieces = match dice.roll(3) {
        0 => plain,
        _ => PIECES,
    };
    let user = match dice.roll(6) {
        0 => format!("p{}", word(dice, PIECES, 2)),
        1 => String::new(),
        _ => "purser".to_owned(),
    };
    let password = word(dice, pieces, 4);
    let host = dice.of(&[
        "quay.osmary.example",
        "127.0.0.1",
        "localhost",
        "[::1]",
        "QUAY.osmary.example",
        "",
        "north_quay",
        "quay-1",
    ]);
    let port = dice.of(&["", ":5432", ":3306", ":", ":99999", ":54a2", ":05432"]);
    let database = dice.of(&[
        "/sailings",
        "",
        "/",
        "/sail%20ings",
        "/sail ings",
        "/a/b",
        "/sailings#x",
        "/s%zz",
    ]);
    let query = dice.of(&[
        "",
        "",
        "",
        "?sslmode=require",
        "?a=b&c",
        "?x=%zz",
        "?user=deckhand",
    ]);
    let at = if dice.roll(12) == 0 { "" } else { "@" };
    let account = match dice.roll(8) {
        0 => user,
        1 => String::new(),
        _ => format!("{user}:{password}"),
    };
    let at = if account.is_empty() { "" } else { at };
    format!("{scheme}://{account}{at}{host}{port}{database}{query}")
}

fn compare(reader: &str, schemes: &[&str]) {
    let Some(judges) = judges() else {
        eprintln!("no judges here: {reader} is not compared");
        return;
    };
    let mut dice = seeded(0x0717_0a47, reader);
    let mut texts = Vec::new();
    while texts.len() < STRINGS {
        let text = string(&mut dice, schemes);
        // What a cut password leaves as hosts may be a list with a socket in it.
        let odd = text.contains(',') || text.contains("@%2F");
        if !matches!(reader, "asyncpg" | "postgres-js") || !odd {
            texts.push(text);
        }
    }
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("strings.json");
    std::fs::write(&file, serde_json::to_vec(&texts).expect("JSON")).expect("written");
    let mut command = match reader {
        "node-postgres" | "postgres-js" | "node-mysql2" => {
            let mut node = Command::new("node");
            node.arg(script("urls.js")).arg(reader).arg(&file);
            node.arg(judges.join("node_modules"));
            node
        }
        "php-parse-url" => {
            let mut php = Command::new("php");
            php.arg(script("urls.php")).arg(&file);
            php
        }
        "rails" => {
            let mut ruby = Command::new("/usr/bin/ruby");
            ruby.arg(script("urls.rb")).arg(&file);
            ruby
        }
        _ => {
            let mut python = Command::new(judges.join("py/bin/python"));
            python.arg(script("urls.py")).arg(reader).arg(&file);
            python
        }
    };
    let output = command
        .env("LANG", "C.UTF-8")
        .env("USER", "nobody")
        .output()
        .expect("the judge runs");
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{said}");
    let told = String::from_utf8(output.stdout).expect("UTF-8");
    let theirs: Vec<Option<BTreeMap<String, String>>> = told
        .lines()
        .map(|line| serde_json::from_str(line).unwrap_or_else(|e| panic!("{e}: {line}")))
        .collect();
    assert_eq!(theirs.len(), texts.len(), "an answer a string: {said}");
    let read = by_id(reader).expect("a reader").read;
    let mut wrong = Vec::new();
    let mut taken = 0;
    for (text, theirs) in texts.iter().zip(&theirs) {
        let ours = read(text).ok().map(|parts| {
            let all = NAMES.iter().filter_map(|name| {
                let value = parts.text(name).filter(|v| !v.is_empty())?;
                Some(((*name).to_owned(), value))
            });
            all.collect::<BTreeMap<String, String>>()
        });
        taken += usize::from(theirs.is_some());
        if settled(reader, ours.clone()) != settled(reader, theirs.clone()) {
            wrong.push(format!(
                "{text:?}\n   ours   {ours:?}\n   theirs {theirs:?}"
            ));
        }
    }
    assert!(taken > STRINGS / 5, "{taken} strings were taken");
    agree(&wrong, STRINGS);
}

pub type Values = Option<BTreeMap<String, String>>;

/// A reading without what only a driver's defaults put in, and numbers as numbers.
fn settled(reader: &str, values: Values) -> Values {
    let mut values = values?;
    if let Some(port) = values.get_mut("port") {
        let number: Vec<String> = port
            .split(',')
            .map(|p| p.trim_start_matches('0').to_owned())
            // Where nothing stands behind a host's colon, the drivers put in the usual one.
            .map(|p| {
                if p.is_empty() && port.contains(',') {
                    "5432".to_owned()
                } else {
                    p
                }
            })
            .collect();
        *port = number.join(",");
    }
    if matches!(reader, "asyncpg" | "postgres-js") {
        let defaults = [("host", "localhost"), ("port", "5432")];
        for (name, default) in defaults {
            if values
                .get(name)
                .is_none_or(|v| v == default || v.is_empty())
            {
                values.remove(name);
            }
        }
        let user = values.get("user").cloned();
        if values.get("database") == user.as_ref() {
            values.remove("database");
        }
        if user.is_some_and(|u| u == "nobody" || u == "root") {
            values.remove("user");
            if values
                .get("database")
                .is_some_and(|d| d == "nobody" || d == "root")
            {
                values.remove("database");
            }
        }
    }
    Some(values)
}

/// What our own reading makes of a string for its engine's client; none where it is one that
/// stops the client.
pub fn as_client(text: &str) -> Values {
    let read = chronaxis_engines::recognise(text, None, None).ok()?;
    if read.draft.defects.iter().any(|d| d.stops) {
        return None;
    }
    let keys = [
        ("host", "host"),
        ("port", "port"),
        ("user", "user"),
        ("database", "dbname"),
    ];
    let values = keys
        .iter()
        .filter_map(|(name, key)| Some(((*name).to_owned(), read.draft.value(key)?.value.clone())));
    let mut out: BTreeMap<String, String> = values.collect();
    if let Some(told) = &read.draft.secret {
        out.insert("password".to_owned(), told.value.expose().to_owned());
    }
    out.retain(|_, value| !value.is_empty());
    Some(out)
}

/// PostgreSQL's own library, version 18, by its parser of connection strings.
#[test]
fn as_libpq_does() {
    compare_library("libpq");
}

/// The version 15 of the system.
#[test]
fn as_libpq_15_does() {
    compare_library("libpq15");
}

fn compare_library(judge: &str) {
    let Some(judges) = judges() else {
        eprintln!("no judges here: libpq is not compared");
        return;
    };
    let mut dice = Dice(0x0719_0a47);
    let mut texts = Vec::new();
    while texts.len() < STRINGS {
        let text = string(&mut dice, POSTGRESQL);
        // What a number is, and which parameters there are, is checked when it connects.
        // Spaces are refused by this version and taken by 15; an account that looks like
        // pairs is told as what it may be.
        let odd = ["99999", "54a2", "a=b", "x=%", "user=deckhand", "://p"];
        let text = text.replace("://purser", "://Purser");
        // A blank is for one of them alone: that is said.
        let blank = judge == "libpq" && text.contains(' ');
        if !blank && !odd.iter().any(|odd| text.contains(odd)) {
            texts.push(text);
        }
    }
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("strings.json");
    std::fs::write(&file, serde_json::to_vec(&texts).expect("JSON")).expect("written");
    let output = Command::new(judges.join("py/bin/python"))
        .arg(script("urls.py"))
        .arg(judge)
        .arg(&file)
        .output()
        .expect("the judge runs");
    let told = String::from_utf8(output.stdout).expect("UTF-8");
    let theirs: Vec<Values> = told
        .lines()
        .map(|line| serde_json::from_str(line).expect("JSON"))
        .collect();
    assert_eq!(theirs.len(), texts.len());
    let mut wrong = Vec::new();
    for (text, theirs) in texts.iter().zip(&theirs) {
        let ours = as_client(text);
        // What it cuts in the wrong place is no number and no host: it fails when it
        // connects, and we say so before.
        let cut = theirs.as_ref().is_some_and(|t| {
            let port = t
                .get("port")
                .is_some_and(|p| !p.chars().all(|c| c.is_ascii_digit()));
            let sign = |key: &str| t.get(key).is_some_and(|v| v.contains(['@', ':']));
            port || sign("database") || (sign("host") && !t["host"].contains("::"))
        });
        if &ours != theirs && !(ours.is_none() && cut) {
            wrong.push(format!(
                "{text:?}\n   ours   {ours:?}\n   theirs {theirs:?}"
            ));
        }
    }
    agree(&wrong, STRINGS);
}

const POSTGRESQL: &[&str] = &["postgres", "postgresql"];

#[test]
fn as_dj_database_url_does() {
    compare("dj-database-url", &["postgres", "postgresql", "mysql"]);
}

#[test]
fn as_django_environs_urls_do() {
    compare("django-environ", &["postgres", "psql", "mysql"]);
}

#[test]
fn as_sqlalchemy_does() {
    compare(
        "sqlalchemy",
        &["postgresql", "postgresql+psycopg2", "mysql+pymysql"],
    );
}

#[test]
fn as_asyncpg_does() {
    compare("asyncpg", POSTGRESQL);
}

#[test]
fn as_node_postgres_does() {
    compare("node-postgres", POSTGRESQL);
}

#[test]
fn as_postgres_js_does() {
    compare("postgres-js", POSTGRESQL);
}

#[test]
fn as_mysql2_does() {
    compare("node-mysql2", &["mysql"]);
}

#[test]
fn as_parse_url_does() {
    compare("php-parse-url", &["mysql", "pgsql", "postgresql"]);
}

#[test]
fn as_rails_does() {
    compare("rails", &["postgresql", "mysql2", "postgres"]);
}

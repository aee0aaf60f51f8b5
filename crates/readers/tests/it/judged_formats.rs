//! The readers of other formats beside the real ones: INI files, option files, service files,
//! properties; and strings of drivers that have a form of their own.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;

use chronaxis_readers::entry::Parsed;
use chronaxis_readers::format::{Format, IniReader, ini_by, option_file_by_pymysql};
use chronaxis_readers::text::Text;

use crate::judged::{Dice, agree, judges, script, seeded};
use crate::judged_urls::{Values, as_client};

/// How many files each reader gets.
const FILES: usize = 1000;

/// How many strings each driver gets.
const STRINGS: usize = 2000;

const KEYS: &[&str] = &["host", "user", "password", "port", "Host", "dbname"];

const PIECES: &[&str] = &[
    "tide",
    "table",
    "quay.osmary.example",
    "127.0.0.1",
    "9",
    "é",
    "/",
    ":",
    "=",
    "@",
    ".",
    "-",
    "_",
];

const ODD: &[&str] = &[
    "#", " #", ";", " ;", "'", "\"", "\\", "\\n", "\\\\", "\\s", " ", "\t", "%", "%%", "!", "$",
    "&", "+",
];

/// Stands for a value that only a run of the program tells.
const UNKNOWN: &str = "\u{1}unknown";

/// Sections with their values; none where the reader gives the section up, or the file.
type Sections = Option<BTreeMap<String, Option<BTreeMap<String, String>>>>;

fn word(dice: &mut Dice, odd: usize) -> String {
    (0..dice.roll(5))
        .map(|_| match dice.roll(10) {
            n if n < odd => dice.of(ODD),
            _ => dice.of(PIECES),
        })
        .collect()
}

fn value(dice: &mut Dice) -> String {
    match dice.roll(7) {
        0 => format!("'{}'", word(dice, 2)),
        1 => format!("\"{}\"", word(dice, 2)),
        2 => word(dice, 4),
        _ => word(dice, 1),
    }
}

fn file(dice: &mut Dice, reader: &str) -> String {
    let mut out = String::new();
    let line_end = if dice.roll(10) == 0 { "\r\n" } else { "\n" };
    let sections: &[&str] = match reader {
        "properties" => &[],
        "pymysql" | "my-print-defaults" => &["[client]", "[mysql]"],
        _ => &["[sailings]", "[tickets]"],
    };
    for section in sections {
        out.push_str(section);
        out.push_str(line_end);
        lines(dice, reader, line_end, &mut out);
    }
    if sections.is_empty() {
        lines(dice, reader, line_end, &mut out);
    }
    out
}

fn lines(dice: &mut Dice, reader: &str, line_end: &str, out: &mut String) {
    let mut used: Vec<&str> = Vec::new();
    for _ in 0..1 + dice.roll(4) {
        let key = dice.of(KEYS);
        // Whatever comes twice ends the reading in one of them.
        if dice.roll(12) > 0 && used.iter().any(|k| k.eq_ignore_ascii_case(key)) {
            continue;
        }
        used.push(key);
        let lead = dice.of(&["", "", "", "", "", "", "", "  ", "# ", "; "]);
        let sign = match reader {
            "service" => dice.of(&["=", "=", "=", "=", "=", "=", " = ", "= ", ""]),
            _ => dice.of(&["=", "=", "=", " = ", "= ", " =", ":", ""]),
        };
        let tail = dice.of(&["", "", "", "", "", " ", "\t", " # note", " ; note"]);
        let value = value(dice);
        out.push_str(&format!("{lead}{key}{sign}{value}{tail}{line_end}"));
        if dice.roll(10) == 0 {
            out.push_str(dice.of(&["\n", "  \n", "# note\n"]));
        }
    }
}

fn sections(parsed: &Parsed, depth: usize) -> Sections {
    if parsed.refused.is_some() {
        return None;
    }
    let mut out: BTreeMap<String, Option<BTreeMap<String, String>>> = BTreeMap::new();
    for entry in &parsed.entries {
        let section = match depth {
            0 => String::new(),
            _ => entry.path.first().cloned().unwrap_or_default(),
        };
        let key = entry.path.get(depth..).unwrap_or_default().join(".");
        // What only a run tells is nothing to compare.
        let text = match entry.value.plain() {
            Some(text) => text.as_str().to_owned(),
            None => UNKNOWN.to_owned(),
        };
        if let Some(values) = out.entry(section).or_insert_with(|| Some(BTreeMap::new())) {
            values.insert(key, text);
        }
    }
    for (section, _) in &parsed.refused_in {
        out.insert(section.clone(), None);
    }
    Some(out)
}

/// Our reading, and whether it stops at a value that goes on over lines.
fn ours(reader: &str, text: &str) -> (Sections, bool) {
    let text = Text::new(text.to_owned());
    if reader == "php" {
        let parsed = ini_by(IniReader::Php, &text);
        return (sections(&parsed, 1), !parsed.troubles.is_empty());
    }
    let read = match reader {
        "configparser" => sections(&ini_by(IniReader::Python, &text), 1),
        "service" => sections(&Format::ServiceFile.read(&text), 1),
        "pymysql" => sections(&option_file_by_pymysql(&text), 1),
        "my-print-defaults" => sections(&Format::OptionFile.read(&text), 1),
        "properties" => sections(&Format::Properties.read(&text), 0),
        other => panic!("{other} is none"),
    };
    (read, false)
}

fn asked(mut command: Command) -> Vec<serde_json::Value> {
    let output = command
        .env("LANG", "C.UTF-8")
        .output()
        .expect("the judge runs");
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{said}");
    let told = String::from_utf8(output.stdout).expect("UTF-8");
    let lines = told.lines();
    lines
        .map(|line| serde_json::from_str(line).unwrap_or_else(|e| panic!("{e}: {line}")))
        .collect()
}

fn theirs(reader: &str, judges: &Path, folder: &Path) -> Vec<Sections> {
    let mut command = match reader {
        "php" => {
            let mut php = Command::new("php");
            php.arg(script("formats.php"));
            php
        }
        "properties" => {
            let mut java = Command::new("java");
            java.arg(script("Formats.java")).arg(reader);
            java
        }
        _ => {
            let mut python = Command::new(judges.join("py/bin/python"));
            python.arg(script("formats.py")).arg(reader);
            python
        }
    };
    command.arg(folder);
    let all = asked(command).into_iter();
    let of_java = |v: serde_json::Value| match reader == "properties" && v.is_object() {
        true => serde_json::json!({ "": v }),
        false => v,
    };
    all.map(|v| serde_json::from_value(of_java(v)).expect("sections"))
        .collect()
}

/// What both readings are about: where, who and what, and no section that is empty.
fn settled(reader: &str, read: Sections) -> Sections {
    let mut read = read?;
    for values in read.values_mut().flatten() {
        values.retain(|key, _| KEYS.contains(&key.as_str()) || key == "database");
        if reader == "service" {
            // What the file leaves open, the library fills in by its own rules.
            values.retain(|key, value| {
                let default = match key.as_str() {
                    "port" => value == "5432",
                    "user" | "dbname" => value == "root",
                    _ => false,
                };
                !default && !value.is_empty()
            });
            let user = values.get("user").cloned();
            if values.get("dbname") == user.as_ref() {
                values.remove("dbname");
            }
        }
        if reader == "pymysql" {
            values.retain(|key, _| key != "dbname");
        }
    }
    if matches!(reader, "pymysql" | "my-print-defaults") {
        read.retain(|section, _| section == "client");
    }
    read.retain(|_, values| values.as_ref().is_none_or(|v| !v.is_empty()));
    Some(read)
}

fn compare(reader: &str) {
    let Some(judges) = judges() else {
        eprintln!("no judges here: {reader} is not compared");
        return;
    };
    let folder = tempfile::tempdir().expect("a folder");
    let mut dice = seeded(0x0517_0a47, reader);
    let mut texts = Vec::new();
    for number in 0..FILES {
        // The judge writes a line a value.
        let odd = |text: &str| reader == "my-print-defaults" && text.contains("\\n");
        let mut text = file(&mut dice, reader);
        while odd(&text) {
            text = file(&mut dice, reader);
        }
        std::fs::write(folder.path().join(format!("{number:05}")), &text).expect("written");
        texts.push(text);
    }
    let theirs = theirs(reader, &judges, folder.path());
    assert_eq!(theirs.len(), texts.len(), "an answer a file");
    let mut wrong = Vec::new();
    let (mut taken, mut known) = (0, 0);
    for (text, theirs) in texts.iter().zip(theirs) {
        taken += usize::from(theirs.is_some());
        let (ours, over_lines) = ours(reader, text);
        let (ours, theirs) = (settled(reader, ours), settled(reader, theirs));
        let open = ours.iter().flat_map(BTreeMap::values).flatten();
        let open = over_lines || open.flat_map(BTreeMap::values).any(|v| v == UNKNOWN);
        known += usize::from(!open);
        if ours != theirs && !open {
            wrong.push(format!(
                "{text:?}\n   ours   {ours:?}\n   theirs {theirs:?}"
            ));
        }
    }
    assert!(taken > FILES / 5, "{taken} files were taken");
    assert!(known > FILES / 4, "{known} files were compared");
    agree(&wrong, FILES);
}

/// A word in a URL.
fn in_url(dice: &mut Dice) -> String {
    const PIECES: &[&str] = &[
        "tide", "9", "é", "#", "%40", "%23", "%2F", "%25", "%zz", "%4", "+", "%2B", ":", "!", "$",
        "=", ";",
    ];
    (0..=dice.roll(3)).map(|_| dice.of(PIECES)).collect()
}

fn jdbc(dice: &mut Dice) -> String {
    let hosts = dice.of(&[
        "//quay.osmary.example/",
        "//quay.osmary.example:5433/",
        "//127.0.0.1:5432/",
        "//[::1]:5432/",
        "//quay.osmary.example",
        "//quay-1:5433,quay-2:5434/",
        "//quay:54a2/",
        "//quay:/",
        "///",
        "",
        "/",
        "//localhost:99999/",
    ]);
    let database = dice.of(&[
        "sailings",
        "",
        "sail%20ings",
        "s+a",
        "a/b",
        "s%zz",
        "sail ings",
    ]);
    let mut query = Vec::new();
    if dice.roll(4) > 0 {
        query.push(format!("user={}", in_url(dice)));
        query.push(format!("password={}", in_url(dice)));
    }
    if dice.roll(4) == 0 {
        query.push(
            dice.of(&["sslmode=require", "ssl", "a=b", "user", "sslmode="])
                .to_owned(),
        );
    }
    let sign = if query.is_empty() { "" } else { "?" };
    let scheme = dice.of(&[
        "jdbc:postgresql:",
        "jdbc:postgresql:",
        "jdbc:postgresql:",
        "jdbc:postgres:",
    ]);
    format!("{scheme}{hosts}{database}{sign}{}", query.join("&"))
}

/// An account that looks like pairs is told as what it may be; `+` is a blank to some of its
/// drivers alone.
fn mongodb(dice: &mut Dice) -> String {
    let in_url = |dice: &mut Dice| in_url(dice).replace([';', '=', '+'], "-");
    let account = match dice.roll(4) {
        0 => String::new(),
        1 => format!("p{}@", in_url(dice)),
        _ => format!("p{}:{}@", in_url(dice), in_url(dice)),
    };
    let hosts = dice.of(&[
        "quay.osmary.example",
        "quay.osmary.example:27018",
        "quay-1:27017,quay-2:27018",
        "[::1]:27017",
        "QUAY.osmary.example",
        "quay:",
        "quay:99999",
        "quay:27a",
        "",
    ]);
    let database = dice.of(&["", "/", "/sailings", "/sail%20ings", "/sailings.tickets"]);
    let query = dice.of(&["", "", "?authSource=admin", "?retryWrites=true&w=majority"]);
    format!("mongodb://{account}{hosts}{database}{query}")
}

fn compare_strings(driver: &str, string: fn(&mut Dice) -> String, usual: &str) {
    let Some(judges) = judges() else {
        eprintln!("no judges here: {driver} is not compared");
        return;
    };
    let mut dice = seeded(0x0519_0a47, driver);
    let texts: Vec<String> = (0..STRINGS).map(|_| string(&mut dice)).collect();
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("strings");
    let command = match driver {
        "pgjdbc" => {
            std::fs::write(&file, texts.join("\n")).expect("written");
            let mut java = Command::new("java");
            java.args([
                "-Dfile.encoding=UTF-8",
                "-cp",
                "/usr/share/java/postgresql.jar",
            ]);
            java.arg(script("Formats.java")).arg(driver).arg(&file);
            java
        }
        _ => {
            std::fs::write(&file, serde_json::to_vec(&texts).expect("JSON")).expect("written");
            let mut python = Command::new(judges.join("py/bin/python"));
            python.arg(script("urls.py")).arg(driver).arg(&file);
            python
        }
    };
    let theirs = asked(command);
    assert_eq!(theirs.len(), texts.len(), "an answer a string");
    let mut wrong = Vec::new();
    let mut taken = 0;
    for (text, theirs) in texts.iter().zip(theirs) {
        let theirs: Values = serde_json::from_value(theirs).expect("values");
        taken += usize::from(theirs.is_some());
        let plain = |values: Values| {
            let mut values = values?;
            values.remove("sslmode");
            if let Some(host) = values.get_mut("host") {
                *host = host.replace(['[', ']'], "").to_lowercase();
            }
            // Where none is told, the account's name is the database.
            if values.get("database") == values.get("user") {
                values.remove("database");
            }
            let hosts = values.get("host").map_or(1, |h| h.split(',').count());
            if let Some(ports) = values.get("port") {
                let mut all: Vec<&str> = ports.split(',').collect();
                all.resize(hosts.max(all.len()), usual);
                let all: Vec<&str> = all
                    .iter()
                    .map(|p| if p.is_empty() { usual } else { p })
                    .collect();
                let ports = all.join(",");
                values.insert("port".to_owned(), ports);
            }
            let default = vec![usual; hosts].join(",");
            if values.get("port") == Some(&default) {
                values.remove("port");
            }
            values
                .retain(|key, value| !(value.is_empty() || key == "host" && value == "localhost"));
            Some(values)
        };
        let (ours, theirs) = (plain(as_client(text)), plain(theirs));
        if ours != theirs {
            wrong.push(format!(
                "{text:?}\n   ours   {ours:?}\n   theirs {theirs:?}"
            ));
        }
    }
    assert!(taken > STRINGS / 5, "{taken} strings were taken");
    agree(&wrong, STRINGS);
}

#[test]
fn as_pgjdbc_does() {
    compare_strings("pgjdbc", jdbc, "5432");
}

#[test]
fn as_pymongo_does() {
    compare_strings("pymongo", mongodb, "27017");
}

#[test]
fn as_configparser_does() {
    compare("configparser");
}

#[test]
fn as_phps_ini_reader_does() {
    compare("php");
}

#[test]
fn as_the_library_reads_services() {
    compare("service");
}

#[test]
fn as_pymysql_reads_options() {
    compare("pymysql");
}

#[test]
fn as_mariadb_reads_options() {
    compare("my-print-defaults");
}

#[test]
fn as_java_reads_properties() {
    compare("properties");
}

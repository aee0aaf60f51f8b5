//! The readers of environment files beside the real ones: generated files, both readings.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Command;

use chronaxis_readers::entry::Part;
use chronaxis_readers::reader::{Reader, Unset, by_id};
use chronaxis_readers::text::Text;
use chronaxis_readers::traced::Traced;

/// How many files each reader gets.
const FILES: usize = 1200;

const NAMES: &[&str] = &["A", "B_1", "PASSWORD", "DB_HOST"];

/// Where the judges are installed (`scripts/test`), if they are.
pub fn judges() -> Option<PathBuf> {
    let folder = std::env::var_os("CHRONAXIS_JUDGES").map(PathBuf::from);
    let required = std::env::var("CHRONAXIS_REAL").is_ok_and(|v| v == "require");
    assert!(
        folder.is_some() || !required,
        "CHRONAXIS_JUDGES is not set: run scripts/test"
    );
    folder
}

pub fn script(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../../scripts/judges")
        .join(name)
}

/// A generator of texts: the same ones in every run.
pub struct Dice(pub u64);

impl Dice {
    pub fn roll(&mut self, sides: usize) -> usize {
        // A linear congruential generator (Knuth's constants for 64 bits).
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % sides
    }

    pub fn of<'a>(&mut self, all: &[&'a str]) -> &'a str {
        all[self.roll(all.len())]
    }
}

const PLAIN: &[&str] = &[
    "tide",
    "ab",
    "q7",
    "ab",
    "quay.osmary.example",
    "5432",
    "-",
    "_",
    ".",
    "é",
    "/",
    ":",
    "@",
    "?",
    "%",
    "=",
    ",",
    "+",
    "*",
    "[",
    "]",
];

const ODD: &[&str] = &[
    "#", " #", " # ", "'", "\"", "`", "\\", "\\n", "\\\\", "\\\"", "\\'", " ", "  ", "\t", "!",
    "~", "{", "}", "^", "\u{a0}", ";",
];

const VARIABLES: &[&str] = &[
    "$A",
    "${A}",
    "${PASSWORD}",
    "$DB_HOST",
    "${A:-x}",
    "$",
    "\\$A",
    "\\${A}",
    "${NOT_SET}",
    "$NOT_SET_EITHER",
    "${NOT_SET:-y}",
    "$1",
    "${B_1}",
];

const ABOUT_A: &[&str] = &[
    "$A",
    "${A}",
    "${A:-x}",
    "\\$Z",
    "\\${Z}",
    "${NOT_SET}",
    "${NOT_SET:-y}",
    "${A:+z}",
    "${A-x}",
];

/// What a reader's judge cannot be asked.
fn may_hold(reader: &str, piece: &str) -> bool {
    match reader {
        // The judge puts in variables, which the reader does not.
        "systemd" => !piece.contains('$'),
        // A lone brace, or a command, is another matter than a value.
        "bash" | "posix-shell" if piece == "." => false,
        "bash" | "posix-shell" => {
            !piece.contains(['`', '{', '}', '*', '[', '!']) || piece.starts_with('$')
        }
        // What it puts in is what the variable is at the end, and none may speak of itself.
        "make" => !piece.contains(['$', '`', '\\', '!', ':', '*', '?', '%', '~']),
        // What it puts in is searched for variables again, with what stands before it.
        "dotenv-expand" => !piece.contains('\\') || piece.contains('$'),
        _ => true,
    }
}

fn value(dice: &mut Dice, reader: &str, name: &str) -> String {
    let mut out = String::new();
    // That one hangs where a variable speaks of itself, and replaces the first place that
    // looks the same: what it makes of that is nobody's setting.
    let variables = match (reader, name) {
        ("dotenv-expand", "A") => &["-"],
        ("dotenv-expand", _) => ABOUT_A,
        _ => VARIABLES,
    };
    let inside = |dice: &mut Dice, odd: usize| {
        let mut out = String::new();
        for _ in 0..dice.roll(5) {
            let piece = match dice.roll(10) {
                0..=4 => dice.of(PLAIN),
                n if n < 5 + odd => dice.of(ODD),
                _ => dice.of(variables),
            };
            if may_hold(reader, piece) {
                out.push_str(piece);
            }
        }
        out
    };
    match dice.roll(8) {
        0..=2 => out.push_str(&inside(dice, 3)),
        3 => out.push_str(&format!("'{}'", inside(dice, 2))),
        4 | 5 => out.push_str(&format!("\"{}\"", inside(dice, 2))),
        6 => out.push_str(&format!("\"{}\n{}\"", inside(dice, 1), inside(dice, 1))),
        _ => out.push_str(&format!("{}'{}'", inside(dice, 1), inside(dice, 1))),
    }
    out
}

fn file(dice: &mut Dice, reader: &str) -> String {
    let mut out = String::new();
    let line_end = if dice.roll(8) == 0 { "\r\n" } else { "\n" };
    for _ in 0..1 + dice.roll(5) {
        let mut lead = dice.of(&["", "", "", "", "", "", "export ", "export  ", " ", "# "]);
        let name = dice.of(NAMES);
        let mut sign = dice.of(&["=", "=", "=", "=", "=", "=", "=", " = ", "= ", " =", ""]);
        // That one gives up a file for each of these.
        if reader == "container" && dice.roll(8) > 0 {
            (lead, sign) = (lead.trim_start_matches("export"), sign.trim_start());
        }
        let value = value(dice, reader, name);
        let tail = dice.of(&["", "", "", "", "", " ", "\t", " # note", " #note", "#note"]);
        out.push_str(&format!("{lead}{name}{sign}{value}{tail}{line_end}"));
        if dice.roll(6) == 0 {
            out.push_str(dice.of(&["\n", "  \n", "# note: it's\n", "#\n"]));
        }
    }
    if dice.roll(5) == 0 {
        out.truncate(out.trim_end_matches(['\n', '\r']).len());
    }
    out
}

/// What a reader makes of a text where nothing else is set; none where it gives it up. A
/// value that only a run tells has none.
fn ours(reader: &Reader, text: &str) -> Option<BTreeMap<String, Option<String>>> {
    let text = Text::new(text.to_owned());
    let parsed = (reader.read)(&text);
    if parsed.refused.is_some() && reader.id != "bash" {
        return None;
    }
    let mut out = BTreeMap::new();
    for entry in &parsed.entries {
        let mut value = Some(String::new());
        for part in &entry.value.parts {
            let piece = match part {
                Part::Text(text) => Some(text.as_str().to_owned()),
                Part::Name(_) | Part::Unknown => None,
                Part::Look(look) if look.name == "HOME" => Some("/home/none".to_owned()),
                Part::Look(look) => Some(match (&look.default, reader.unset) {
                    (Some(default), _) => default.as_str().to_owned(),
                    (None, Unset::Empty) => String::new(),
                    // What it looks up is told when the value is asked for.
                    (None, _) if reader.id == "django-environ" => format!("${}", look.name),
                    (None, Unset::Stays) => text.string[look.at.clone()].to_owned(),
                }),
            };
            value = value.zip(piece).map(|(a, b)| a + &b);
        }
        out.insert(entry.key().to_owned(), value);
    }
    Some(out)
}

type Theirs = Option<BTreeMap<String, String>>;

fn judged(reader: &str, judges: &Path, folder: &Path) -> Vec<Theirs> {
    let mut command = match reader {
        "node-dotenv" | "dotenv-expand" | "node-env-file" => {
            let mut node = Command::new("node");
            node.arg(script("environment.js")).arg(reader).arg(folder);
            node.arg(judges.join("node_modules"));
            node
        }
        "python-dotenv" | "decouple" | "django-environ" => {
            let mut python = Command::new(judges.join("py/bin/python"));
            python.arg(script("environment.py")).arg(reader).arg(folder);
            python
        }
        "php-dotenv" | "symfony-dotenv" => {
            let mut php = Command::new("php");
            php.arg(script("environment.php")).arg(reader).arg(folder);
            php
        }
        "ruby-dotenv" => {
            let mut ruby = Command::new("/usr/bin/ruby");
            ruby.arg(script("environment.rb")).arg(reader).arg(folder);
            ruby
        }
        "container" => {
            let mut python = Command::new(judges.join("py/bin/python"));
            python.arg(script("environment_container.py"));
            python.arg("docker").arg(folder);
            python
        }
        "systemd" => {
            let mut python = Command::new(judges.join("py/bin/python"));
            python.arg(script("environment_systemd.py"));
            python.arg(SYSTEMD).arg(folder);
            python
        }
        "bash" | "posix-shell" | "make" => return shell(reader, folder),
        other => panic!("no judge for {other}"),
    };
    let output = command
        .env("LANG", "C.UTF-8")
        .output()
        .expect("the judge runs");
    let told = String::from_utf8(output.stdout).expect("UTF-8");
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    told.lines()
        .map(|line| serde_json::from_str(line).unwrap_or_else(|e| panic!("{e}: {line}")))
        .collect()
}

const SYSTEMD: &str =
    "/usr/lib/systemd/user-environment-generators/30-systemd-environment-d-generator";

fn shell(reader: &str, folder: &Path) -> Vec<Theirs> {
    let shell = match reader {
        "bash" => "/bin/bash",
        _ => "/bin/dash",
    };
    let mut command = Command::new("/bin/sh");
    match reader {
        "make" => command.arg(script("environment_make.sh")).arg(folder),
        _ => command
            .arg(script("environment.sh"))
            .args([shell.as_ref(), folder.as_os_str()]),
    };
    let output = command.arg(NAMES.join(" ")).output().expect("it runs");
    let told = String::from_utf8(output.stdout).expect("UTF-8");
    let mut files = Vec::new();
    let mut file = Some(BTreeMap::new());
    let mut fields = told.split('\0');
    while let (Some(name), Some(value)) = (fields.next(), fields.next()) {
        match (name, &mut file) {
            ("over", _) => files.push(file.replace(BTreeMap::new())),
            ("refused", _) => file = None,
            (_, Some(file)) => drop(file.insert(name.to_owned(), value.to_owned())),
            (_, None) => {}
        }
    }
    files
}

/// Dice for a reader; another seed may be given, to look further by hand.
pub fn seeded(usual: u64, reader: &str) -> Dice {
    let seed = std::env::var("JUDGES_SEED").ok();
    let seed = seed.and_then(|s| s.parse().ok());
    Dice(seed.unwrap_or(usual) + reader.len() as u64)
}

/// That none of so many was read otherwise; the first of them are shown.
pub fn agree(wrong: &[String], of: usize) {
    assert!(
        wrong.is_empty(),
        "{} of {of} are read otherwise:\n{}",
        wrong.len(),
        wrong[..wrong.len().min(14)].join("\n")
    );
}

fn compare(reader: &str) {
    let Some(judges) = judges() else {
        eprintln!("no judges here: {reader} is not compared");
        return;
    };
    let folder = tempfile::tempdir().expect("a folder");
    let mut dice = seeded(0x0511_0a47, reader);
    let mut texts = Vec::new();
    for number in 0..FILES {
        let mut text = file(&mut dice, reader);
        // Arguments of the shell, of which there are none, and names over two lines.
        let odd = |text: &str| ["$@", "$*", "\\\n"].iter().any(|odd| text.contains(odd));
        while reader.contains("sh") && odd(&text) {
            text = file(&mut dice, reader);
        }
        std::fs::write(folder.path().join(format!("{number:05}")), &text).expect("written");
        texts.push(text);
    }
    let theirs = judged(reader, &judges, folder.path());
    assert_eq!(theirs.len(), texts.len(), "an answer a file");
    let reader = by_id(reader).expect("a reader");
    let mut wrong = Vec::new();
    let mut values = 0;
    for (text, theirs) in texts.iter().zip(&theirs) {
        let ours = ours(reader, text);
        // The judge leaves out what is empty.
        let leaves_out = |name: &String| {
            let text = Text::new(text.clone());
            let all = (reader.read)(&text).entries;
            let empty = |v: Option<Traced>| v.is_some_and(|v| v.as_str().is_empty());
            reader.id == "systemd"
                && all
                    .iter()
                    .any(|e| e.key() == name && empty(e.value.plain()))
        };
        let mut ours = ours;
        let mut theirs = theirs.clone();
        let of_shell = matches!(reader.id, "bash" | "posix-shell" | "make");
        let asked = |name: &String| !of_shell || NAMES.contains(&name.as_str());
        ours.iter_mut()
            .for_each(|o| o.retain(|name, _| asked(name) && !leaves_out(name)));
        theirs
            .iter_mut()
            .for_each(|t| t.retain(|name, _| !leaves_out(name)));
        let agree = match (&ours, &theirs) {
            (None, None) => true,
            (Some(ours), Some(theirs)) => {
                values += theirs.len();
                let known = |(name, value): (&String, &Option<String>)| match value {
                    Some(value) => theirs.get(name) == Some(value),
                    None => theirs.contains_key(name),
                };
                ours.len() == theirs.len() && ours.iter().all(known)
            }
            _ => false,
        };
        if !agree {
            wrong.push(format!(
                "{text:?}\n   ours   {ours:?}\n   theirs {theirs:?}"
            ));
        }
    }
    assert!(values > FILES / 4, "{values} values were compared");
    agree(&wrong, FILES);
}

#[test]
fn as_node_dotenv_does() {
    compare("node-dotenv");
}

#[test]
fn as_node_itself_does() {
    compare("node-env-file");
}

#[test]
fn as_dotenv_expand_does() {
    compare("dotenv-expand");
}

#[test]
fn as_python_dotenv_does() {
    compare("python-dotenv");
}

#[test]
fn as_decouple_does() {
    compare("decouple");
}

#[test]
fn as_django_environ_does() {
    compare("django-environ");
}

#[test]
fn as_php_dotenv_does() {
    compare("php-dotenv");
}

#[test]
fn as_symfony_dotenv_does() {
    compare("symfony-dotenv");
}

#[test]
fn as_ruby_dotenv_does() {
    compare("ruby-dotenv");
}

#[test]
fn as_bash_does() {
    compare("bash");
}

#[test]
fn as_make_does() {
    compare("make");
}

#[test]
fn as_a_posix_shell_does() {
    compare("posix-shell");
}

#[test]
fn as_systemd_does() {
    compare("systemd");
}

#[test]
fn as_a_container_engine_does() {
    let there = std::env::split_paths(&std::env::var_os("PATH").unwrap_or_default())
        .any(|folder| folder.join("docker").exists());
    if !there {
        eprintln!("no client of a container engine here: it is not compared");
        return;
    }
    compare("container");
}

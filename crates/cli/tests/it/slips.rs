//! What people paste in the wrong place, or in a form that nobody reads, with a password in
//! it: no command and no output form shows any of that password, and nothing that holds it
//! is announced for lookup.

use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use crate::support::{Ran, chronaxis, finish, finish_with};

/// Passwords without and with signs that the forms have for themselves.
const SECRETS: [&str; 3] = ["Xk7wQzv9TrLm", "Xk7wQ@zv9Tr/Lm4", "Xk7wQ;zv9Tr&Lm=4 yH2u"];

/// As many letters of a secret in a row are a part of it.
const TELLING: usize = 5;

/// What is pasted; `§` stands for the password.
const SLIPS: &str = include_str!("../../../diagnosis/tests/data/slips.json");

fn parts(secret: &str) -> Vec<String> {
    let letters: Vec<char> = secret.chars().collect();
    let windows = letters.windows(TELLING);
    windows
        .map(|w| w.iter().collect::<String>())
        // A part with no sign of its own could be any word.
        .filter(|part: &String| part.chars().filter(|c| c.is_alphanumeric()).count() >= 4)
        .collect()
}

fn shows(ran: &Ran, secret: &str) -> Option<String> {
    let parts = parts(secret);
    for (name, text) in [("stdout", &ran.stdout), ("stderr", &ran.stderr)] {
        if let Some(part) = parts.iter().find(|part| text.contains(part.as_str())) {
            let line = text.lines().find(|l| l.contains(part.as_str()));
            return Some(format!(
                "{name} shows {part:?}: {}",
                line.unwrap_or_default()
            ));
        }
    }
    None
}

/// Every way in which a slip can get into the program; a few of them, where `few`.
fn ways(home: &Path, text: &str, few: bool) -> Vec<(String, Ran)> {
    let mut out = Vec::new();
    let mut plain = |args: &[&str]| {
        let ran = finish(chronaxis(home).args(args));
        out.push((args.join(" ").replace(text, "…"), ran));
    };
    let until = ["diagnose", "--until", "settings"];
    let dry = ["diagnose", "--dry-run"];
    let json = ["--output", "json"];
    plain(&[&dry[..], &["--", text]].concat());
    plain(&[&until[..], &json[..], &["--", text]].concat());
    if !few {
        plain(&[&until[..], &["-v", "--", text]].concat());
        plain(&[&until[..], &["-vv", "--", text]].concat());
        plain(&[&until[..], &["--output", "markdown", "--", text]].concat());
        plain(&[&dry[..], &["--engine", "postgresql", "--", text]].concat());
        plain(&[&until[..], &json[..], &["--engine", "mysql", "--", text]].concat());
        plain(&[text]);
        plain(&["causes", "--", text]);
        plain(&["lab", "start", "--", text]);
        plain(&["settings", "--", text]);
        plain(&[&dry[..], &[format!("crew.env#{text}").as_str()]].concat());
        for option in [
            "--until",
            "--engine",
            "--resolver",
            "--password-file",
            "--targets",
        ] {
            let glued = format!("{option}={text}");
            plain(&[&dry[..], &["host=127.0.0.1 user=purser", &glued]].concat());
        }
        let save = format!("--save=nowhere/{text}");
        plain(&[&until[..], &["host=127.0.0.1 user=purser", &save]].concat());
        for option in ["--user", "--database"] {
            plain(&[&until[..], &["-v", "host=127.0.0.1", option, text]].concat());
        }
    }
    let files: &[&str] = match few {
        true => &["x.env"],
        false => &[
            "x.env",
            "x.yaml",
            "x.json",
            "x.ini",
            "x.toml",
            "x.py",
            "x.php",
            ".pgpass",
            "x.properties",
            "odbc.ini",
            "x.txt",
        ],
    };
    for name in files {
        std::fs::write(home.join(name), text).unwrap();
        plain(&["settings", name]);
        if !few {
            plain(&[&until[..], &["-v", name]].concat());
            plain(&["settings", "--output", "json", name]);
            plain(&[&dry[..], &[name]].concat());
        }
        std::fs::remove_file(home.join(name)).unwrap();
    }
    std::fs::write(home.join("list.txt"), text).unwrap();
    plain(&[&dry[..], &["--targets", "list.txt"]].concat());
    let stdin = finish_with(
        chronaxis(home).args([&until[..], &["-v", "-"]].concat()),
        text,
    );
    out.push(("stdin".to_owned(), stdin));
    out
}

#[test]
fn no_slip_shows_any_of_the_password() {
    let next = AtomicUsize::new(0);
    let wrong = Mutex::new(Vec::new());
    // Each slip goes a few ways with every password, and a third of them every way with one.
    let slips: Vec<String> = serde_json::from_str(SLIPS).unwrap();
    let all: Vec<(&str, &str, bool)> = slips
        .iter()
        .enumerate()
        .flat_map(|(number, slip)| {
            let secrets = SECRETS.iter().enumerate();
            let full = number % 3;
            let fewer = move |i: usize| full != 0 || i != (number / 3) % SECRETS.len();
            secrets.map(move |(i, secret)| (slip.as_str(), *secret, fewer(i)))
        })
        .collect();
    std::thread::scope(|scope| {
        for _ in 0..4 {
            scope.spawn(|| {
                let home = tempfile::tempdir().unwrap();
                std::fs::write(
                    home.path().join("crew.env"),
                    "DATABASE_URL=postgresql://purser@quay.osmary.example/sailings\n",
                )
                .unwrap();
                while let Some((slip, secret, few)) = all.get(next.fetch_add(1, Ordering::Relaxed))
                {
                    let text = slip.replace('§', secret);
                    for (way, ran) in ways(home.path(), &text, *few) {
                        if let Some(shown) = shows(&ran, secret) {
                            wrong
                                .lock()
                                .unwrap()
                                .push(format!("{way}: {slip:?}: {shown}"));
                        }
                        assert!(
                            matches!(ran.status, 0..=3),
                            "{way} {slip:?}: {}",
                            ran.stderr
                        );
                    }
                }
            });
        }
    });
    let wrong = wrong.into_inner().unwrap();
    assert!(
        wrong.is_empty(),
        "{} show it:\n{}",
        wrong.len(),
        wrong.join("\n")
    );
}

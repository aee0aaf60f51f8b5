//! Files that hand an environment file to a reader: scripts, start commands, recipes.

use chronaxis_engines::{MYSQL, POSTGRESQL};
use chronaxis_model::target::EngineId;

use crate::text::Text;

/// What a file says of another one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Handing {
    /// The reader.
    pub(crate) reader: &'static str,
    /// The file that it is given, as written there.
    pub(crate) path: String,
    /// The engine whose client program the same file starts, if it starts one.
    pub(crate) engine: Option<EngineId>,
    /// Which start of a program it belongs to: files of one start are read one over the
    /// other.
    pub(crate) start: usize,
}

/// Client programs, by the names with which scripts start them.
const CLIENTS: &[(&str, EngineId)] = &[
    ("psql", POSTGRESQL),
    ("pg_dump", POSTGRESQL),
    ("pg_restore", POSTGRESQL),
    ("pg_isready", POSTGRESQL),
    ("mysql", MYSQL),
    ("mysqldump", MYSQL),
    ("mariadb", MYSQL),
    ("mariadb-dump", MYSQL),
];

/// Names of files with commands in them, beside those of the shell.
const RECIPES: &[&str] = &[
    "Makefile",
    "makefile",
    "GNUmakefile",
    "Procfile",
    "Dockerfile",
    "Containerfile",
    "Justfile",
    "justfile",
    "package.json",
];

/// Whether a file may hand an environment file to a reader.
pub(crate) fn may(path: &str, bytes: &[u8]) -> bool {
    let name = path.rsplit('/').next().unwrap_or(path);
    let script = name.ends_with(".sh") || name.ends_with(".bash");
    let holds = |word: &[u8]| bytes.windows(word.len()).any(|w| w == word);
    let own = !crate::packages::is_foreign(path);
    own && (script || RECIPES.contains(&name)) && bytes.len() < 256 * 1024 && holds(b"env")
}

/// The engine whose client program a script starts.
pub(crate) fn client_started(text: &Text) -> Option<EngineId> {
    let started = |line: &str| {
        let mut words =
            line.split(|c: char| c.is_whitespace() || matches!(c, ';' | '&' | '|' | '('));
        words.find_map(|w| CLIENTS.iter().find(|(name, _)| *name == w))
    };
    let lines = text.lines().map(|(_, line)| line);
    let mut clients = lines.filter(|l| !l.trim_start().starts_with('#'));
    clients.find_map(started).map(|(_, id)| *id)
}

/// What a file hands to whom.
pub(crate) fn of(path: &str, text: &Text) -> Vec<Handing> {
    let bash = text
        .string
        .lines()
        .next()
        .is_some_and(|l| l.starts_with("#!") && l.contains("bash"))
        || path.ends_with(".bash");
    let mut out = Vec::new();
    let engine = client_started(text);
    // A script is one start from its first line to its last, a recipe one a line.
    let script = path.ends_with(".sh") || path.ends_with(".bash");
    for (begin, line) in text.lines() {
        let start = if script { 0 } else { begin };
        let bare = line.trim();
        if bare.starts_with('#') {
            continue;
        }
        let words: Vec<&str> = bare
            .split(|c: char| {
                c.is_whitespace() || matches!(c, '"' | '\'' | ';' | '&' | '(' | ')' | ',')
            })
            .filter(|w| !w.is_empty())
            .collect();
        for (at, word) in words.iter().enumerate() {
            let next = || words.get(at + 1).map(|w| (*w).to_owned());
            let option = word.strip_prefix("--env-file");
            let named = match option {
                Some("") => next(),
                Some(rest) => rest
                    .strip_prefix('=')
                    .or_else(|| rest.strip_prefix("-if-exists="))
                    .map(str::to_owned),
                None => None,
            };
            if let (Some(path), Some(reader)) = (named, runner(&words, at)) {
                out.push(Handing {
                    reader,
                    path,
                    engine,
                    start,
                });
            }
            let recipe = path.ends_with("akefile");
            let included = matches!(*word, "include" | "-include" | "sinclude");
            if recipe
                && included
                && at == 0
                && let Some(path) = next()
                && path.contains("env")
            {
                out.push(Handing {
                    reader: "make",
                    path,
                    engine,
                    start: 0,
                });
            }
            let sourced = match *word {
                "source" => Some("bash"),
                "." if bash => Some("bash"),
                "." => Some("posix-shell"),
                _ => None,
            };
            if let (Some(reader), Some(path)) = (sourced, next())
                && path.contains("env")
                && !path.ends_with("activate")
            {
                out.push(Handing {
                    reader,
                    path,
                    engine,
                    start,
                });
            }
        }
    }
    out.dedup();
    out
}

/// Who takes the option that stands behind these words.
fn runner(words: &[&str], at: usize) -> Option<&'static str> {
    let before = words.get(..at)?;
    let has = |name: &str| before.iter().any(|w| w.rsplit('/').next() == Some(name));
    if has("docker-compose") || ((has("docker") || has("podman")) && has("compose")) {
        return Some("compose");
    }
    if has("docker") || has("podman") || has("nerdctl") {
        return Some("container");
    }
    if has("node") || has("tsx") {
        return Some("node-env-file");
    }
    if has("uvicorn") || has("flask") {
        return Some("python-dotenv");
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn commands_hand_files_to_readers() {
        let cases = [
            (
                "start.sh",
                "#!/bin/sh\nset -a\n. ./.env\n",
                "posix-shell ./.env",
            ),
            (
                "start.sh",
                "#!/usr/bin/env bash\nsource .env && run\n",
                "bash .env",
            ),
            (
                "run.sh",
                "docker run --rm --env-file prod.env image",
                "container prod.env",
            ),
            (
                "Makefile",
                "up:\n\tdocker compose --env-file=.env.local up",
                "compose .env.local",
            ),
            (
                "package.json",
                "{\"scripts\": {\"start\": \"node --env-file=.env a.js\"}}",
                "node-env-file .env",
            ),
            ("run.sh", "# . ./.env\n. venv/bin/activate\n", ""),
        ];
        for (path, text, wanted) in cases {
            let found = of(path, &Text::new(text.to_owned()));
            let told: Vec<String> = found
                .iter()
                .map(|h| format!("{} {}", h.reader, h.path))
                .collect();
            assert_eq!(told.join(", "), wanted, "{path}");
        }
    }
}

//! Option files, as the families' own libraries read them where they are told to (MySQL
//! documentation, "Using Option Files").

use std::collections::BTreeMap;

use chronaxis_model::secret::Secret;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::ClientId;

use crate::named_file::{FileSeen, FileWanted};
use crate::strings::ClientEnvironment;

/// Most files that include each other.
const MOST_FILES: usize = 64;

/// What a set of option files says.
#[derive(Default)]
pub(super) struct Options {
    pub(super) values: BTreeMap<String, Sourced<String>>,
    pub(super) secret: Option<Sourced<Secret>>,
}

/// The files that a library would read: the one named, or its usual ones; and those that
/// these include, as far as they are known yet.
pub(super) fn files(named: Option<&str>, around: &ClientEnvironment) -> Vec<FileWanted> {
    let mut paths: Vec<(String, bool)> = match named {
        Some(path) => vec![(path.to_owned(), false)],
        None => {
            let home = around.home.as_ref();
            let usual = ["/etc/my.cnf", "/etc/mysql/my.cnf"].map(str::to_owned);
            let own = home.map(|home| format!("{home}/.my.cnf"));
            usual
                .into_iter()
                .chain(own)
                .map(|path| (path, false))
                .collect()
        }
    };
    let mut at = 0;
    while let Some((path, folder)) = paths.get(at).cloned() {
        at += 1;
        let inside: Vec<(String, bool)> = if folder {
            let prefix = format!("{}/", path.trim_end_matches('/'));
            let in_it = |f: &&FileSeen| f.path.starts_with(&prefix) && f.path.ends_with(".cnf");
            around
                .files
                .iter()
                .filter(in_it)
                .map(|f| (f.path.clone(), false))
                .collect()
        } else {
            seen(around, &path).map_or_else(Vec::new, |f| includes(&f.text))
        };
        for one in inside {
            if paths.len() < MOST_FILES && !paths.contains(&one) {
                paths.push(one);
            }
        }
    }
    paths
        .into_iter()
        .map(|(path, folder)| FileWanted {
            folder,
            ..FileWanted::words(path)
        })
        .collect()
}

fn seen<'a>(around: &'a ClientEnvironment, path: &str) -> Option<&'a FileSeen> {
    around.files.iter().find(|f| f.path == path && f.regular)
}

fn includes(text: &str) -> Vec<(String, bool)> {
    let named = |line: &str, word: &str| {
        let rest = line.trim().strip_prefix(word)?;
        rest.starts_with([' ', '\t'])
            .then(|| rest.trim().to_owned())
    };
    text.lines()
        .filter_map(|line| {
            named(line, "!includedir")
                .map(|path| (path, true))
                .or_else(|| named(line, "!include").map(|path| (path, false)))
        })
        .collect()
}

/// The groups that count for a client; `group` is one more that it was told.
fn groups(client: ClientId, group: Option<&str>) -> Vec<String> {
    let mut out = vec!["client".to_owned()];
    if client == ClientId::Libmariadb {
        out.extend(["client-server".to_owned(), "client-mariadb".to_owned()]);
    }
    out.extend(group.map(str::to_owned));
    out
}

/// Reads the files in their order; what comes later counts.
pub(super) fn read(
    wanted: &[FileWanted],
    around: &ClientEnvironment,
    client: ClientId,
    group: Option<&str>,
) -> Options {
    let groups = groups(client, group);
    let mut out = Options::default();
    for file in wanted.iter().filter(|w| !w.folder) {
        // A file that everybody may write is passed over by these libraries.
        if let Some(file) = seen(around, &file.path).filter(|f| f.mode & 0o002 == 0) {
            out.take(file, &groups);
        }
    }
    out
}

impl Options {
    fn take(&mut self, file: &FileSeen, groups: &[String]) {
        let mut counts = false;
        for (number, line) in (1u32..).zip(file.text.lines()) {
            let bare = line.trim_start();
            if bare.is_empty() || bare.starts_with(['#', ';', '!']) {
                continue;
            }
            if let Some(group) = bare.strip_prefix('[').and_then(|g| g.split(']').next()) {
                counts = groups.iter().any(|g| g == group.trim());
                continue;
            }
            if counts {
                self.line(file, number, line);
            }
        }
    }

    fn line(&mut self, file: &FileSeen, number: u32, line: &str) {
        let (key, value) = line.split_once('=').unwrap_or((line, ""));
        let has_value = line.contains('=');
        let written = key.trim();
        let key = written.replace('-', "_");
        let column = line.split_once('=').map_or(1, |(before, after)| {
            let blanks = after.chars().take_while(|c| c.is_whitespace()).count();
            before.chars().count() + 2 + blanks
        });
        let origin = Origin::File {
            file: file.path.clone(),
            line: number,
            column: u32::try_from(column).unwrap_or(u32::MAX),
            name: written.to_owned(),
        };
        let value = unescaped(value);
        match key.as_str() {
            "password" if has_value => {
                self.secret = Some(Sourced::new(Secret::new(value), origin));
            }
            "password" => {}
            "database" => {
                self.values
                    .insert("dbname".to_owned(), Sourced::new(value, origin));
            }
            "host" | "port" | "user" | "socket" | "protocol" | "ssl_ca" | "ssl_cert"
            | "ssl_key" | "ssl_mode" | "connect_timeout" | "default_auth" | "tls_version" => {
                self.values.insert(key, Sourced::new(value, origin));
            }
            "ssl" | "ssl_verify_server_cert" | "enable_cleartext_plugin" => {
                let value = if has_value { value } else { "1".to_owned() };
                self.values.insert(key, Sourced::new(value, origin));
            }
            "skip_ssl" => {
                self.values
                    .insert("ssl".to_owned(), Sourced::new("0".to_owned(), origin));
            }
            _ => {}
        }
    }
}

/// A value as these libraries take it: outer blanks off, a comment sign after a blank cuts
/// it, quotes round it go, a backslash escapes (MySQL documentation, "Option File
/// Syntax").
fn unescaped(raw: &str) -> String {
    let raw = raw.trim();
    let quote = raw.chars().next().filter(|c| matches!(c, '"' | '\''));
    let inner = match quote {
        Some(quote) => {
            let rest = raw.get(1..).unwrap_or_default();
            rest.find(quote)
                .map_or(raw, |end| rest.get(..end).unwrap_or_default())
        }
        None => {
            let cut = raw.find(" #").or_else(|| raw.find("\t#"));
            cut.map_or(raw, |at| raw.get(..at).unwrap_or_default())
                .trim_end()
        }
    };
    let mut out = String::new();
    let mut chars = inner.chars();
    while let Some(c) = chars.next() {
        match (c, chars.clone().next()) {
            ('\\', Some(next)) => {
                let meant = match next {
                    'n' => Some('\n'),
                    't' => Some('\t'),
                    'r' => Some('\r'),
                    'b' => Some('\u{8}'),
                    's' => Some(' '),
                    '\\' => Some('\\'),
                    _ => None,
                };
                match meant {
                    Some(meant) => {
                        out.push(meant);
                        chars.next();
                    }
                    None => out.push('\\'),
                }
            }
            (c, _) => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn surroundings(files: &[(&str, &str)]) -> ClientEnvironment {
        let file = |(path, text): &(&str, &str)| FileSeen {
            path: (*path).to_owned(),
            mode: 0o600,
            regular: true,
            root_owned: false,
            text: ((*text).to_owned()).into(),
            ..FileSeen::default()
        };
        ClientEnvironment {
            home: Some("/home/purser".to_owned()),
            files: files.iter().map(file).collect(),
            ..ClientEnvironment::default()
        }
    }

    #[test]
    fn included_files_and_folders_are_wanted_and_a_circle_ends() {
        let around = surroundings(&[
            (
                "/etc/my.cnf",
                "!includedir /etc/my.cnf.d/\n!include /etc/quay.cnf\n",
            ),
            ("/etc/quay.cnf", "!include /etc/my.cnf\n"),
            (
                "/etc/my.cnf.d/a.cnf",
                "[client]\nhost=quay.osmary.example\n",
            ),
        ]);
        let wanted = files(None, &around);
        let paths: Vec<&str> = wanted.iter().map(|w| w.path.as_str()).collect();
        assert!(paths.contains(&"/etc/quay.cnf"), "{paths:?}");
        assert!(paths.contains(&"/etc/my.cnf.d/a.cnf"), "{paths:?}");
        let read = read(&wanted, &around, ClientId::Libmysqlclient, None);
        assert_eq!(read.values["host"].value, "quay.osmary.example");
    }

    #[test]
    fn groups_quotes_comments_and_escapes_count_as_in_the_library() {
        let text = "[mysqld]\nport=1\n[client]\nport = 3307 # quay\nuser='pur#ser'\n\
                    password=\"a#b\"\n[client-mariadb]\nhost=lighthouse\n[ferry]\nssl-ca=/x\\sy\n";
        let around = surroundings(&[("/x.cnf", text)]);
        let wanted = files(Some("/x.cnf"), &around);
        let mysql = read(&wanted, &around, ClientId::Libmysqlclient, Some("ferry"));
        assert_eq!(mysql.values["port"].value, "3307");
        assert_eq!(mysql.values["user"].value, "pur#ser");
        assert_eq!(mysql.values["ssl_ca"].value, "/x y");
        assert_eq!(mysql.secret.unwrap().value.expose(), "a#b");
        assert!(!mysql.values.contains_key("host"));
        let mariadb = read(&wanted, &around, ClientId::Libmariadb, None);
        assert_eq!(mariadb.values["host"].value, "lighthouse");
    }
}

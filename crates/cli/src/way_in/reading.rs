//! From paths to connections: files are found and read here, what they mean is told by the
//! readers.

use std::path::{Path, PathBuf};

use chronaxis_diagnosis::survey::LookedAt;
use chronaxis_model::target::EngineId;
use chronaxis_readers::format::Format;
use chronaxis_readers::{Connection, Project, Report};

use crate::error::Failure;
use crate::files::{self, Reach};
use crate::machine::ThisMachine;

/// How far round a file its neighbours are looked at, for what they say of the same
/// connection.
const ROUND: Reach = Reach {
    all: false,
    depth: Some(2),
    most: Some(2000),
};

/// A whole folder, as deep as a look over its settings goes.
const WHOLE: Reach = Reach {
    all: false,
    depth: None,
    most: None,
};

/// Files included by option files: how often one may lead to others.
const MOST_INCLUDES: usize = 8;

/// What was read, and what was passed over.
pub(crate) struct Read {
    pub(crate) report: Report,
    pub(crate) looked_at: LookedAt,
    pub(crate) paths: Vec<String>,
}

/// A path as typed, and the connection's name behind the sign.
pub(crate) fn split(text: &str) -> (&str, Option<&str>) {
    if Path::new(text).exists() {
        return (text, None);
    }
    // Behind a folder the name may be a file's with a name of its own behind it.
    let mut signs = text.match_indices('#').map(|(at, _)| text.split_at(at));
    if let Some((folder, name)) = signs.find(|(before, _)| Path::new(before).is_dir()) {
        return (folder, name.get(1..).filter(|name| !name.is_empty()));
    }
    match text.rsplit_once('#') {
        Some((path, name)) if !path.is_empty() => (path, Some(name)),
        _ => (text, None),
    }
}

/// Whether a target's text means a file or folder.
pub(crate) fn is_path(text: &str) -> bool {
    let (path, name) = split(text);
    if text.contains("://") || text.starts_with("jdbc:") {
        return false;
    }
    if Path::new(path).exists() {
        return true;
    }
    // Nothing is there: still a path, where it can be nothing else.
    let pairs = path.contains('=') || path.contains(';');
    let folders = path.starts_with(['/', '.', '~']) || (path.contains('/') && !path.contains(':'));
    let settings = Format::of(path) != Format::Plain && !path.contains(':');
    !pairs && (folders || settings || name.is_some())
}

/// Reads files and folders.
pub(crate) fn read(paths: &[PathBuf], all: bool, with_environment: bool) -> Result<Read, Failure> {
    let reach = Reach { all, ..WHOLE };
    let mut looked_at = LookedAt::default();
    let mut project = Project::default();
    let mut taken = Vec::new();
    for path in paths {
        take(&mut project, &mut taken, path, reach, &mut looked_at)?;
    }
    Ok(finish(project, taken, looked_at, with_environment))
}

/// Reads a folder as a stranger's: what only the environment of this process knows stays
/// out, for the folder names the hosts to which it would be sent.
pub(crate) fn read_folder(path: &Path) -> Result<Read, Failure> {
    let mut looked_at = LookedAt::default();
    let mut project = Project::of_program();
    let mut taken = Vec::new();
    take(&mut project, &mut taken, path, WHOLE, &mut looked_at)?;
    Ok(finish(project, taken, looked_at, false))
}

/// What a connection of a folder is called behind the folder: its name, or, where another
/// one has the same, its file's too.
pub(crate) fn called(report: &Report, index: usize, folder: &str) -> String {
    let Some(own) = report.connections.get(index) else {
        return String::new();
    };
    let same = report
        .connections
        .iter()
        .filter(|c| is_called(c, &own.name));
    if same.count() == 1 {
        return own.name.clone();
    }
    let folder = folder
        .strip_prefix("./")
        .unwrap_or(folder)
        .trim_end_matches('/');
    let inside = own
        .file
        .strip_prefix(folder)
        .and_then(|rest| rest.strip_prefix('/'));
    format!("{}#{}", inside.unwrap_or(&own.file), own.name)
}

/// The connections of a folder that can be walked, each once: samples are nobody's.
pub(crate) fn all_of(report: &Report) -> Vec<usize> {
    let mut seen = std::collections::BTreeSet::new();
    let all = report.connections.iter().enumerate();
    all.filter(|(_, c)| !c.is_sample() && !c.passed_over && c.engine.is_some())
        .filter(|(_, c)| {
            // What else stands beside these makes no other connection of it.
            let keys = [
                "host", "port", "socket", "user", "dbname", "sslmode", "ssl_mode",
            ];
            let values = keys.map(|key| c.value(key).map(str::to_owned));
            let secret = c
                .draft
                .secret
                .as_ref()
                .map(|told| told.value.expose().to_owned());
            let engine = c.engine.map(EngineId::as_str);
            seen.insert((engine, values, secret, c.unknown.len()))
        })
        .map(|(index, _)| index)
        .collect()
}

/// Reads one file, and what lies round it: that is context, no subject.
pub(crate) fn read_with_neighbours(path: &Path) -> Result<Read, Failure> {
    let mut looked_at = LookedAt::default();
    let mut project = Project::default();
    let mut taken = Vec::new();
    let all = Reach { all: true, ..ROUND };
    take(&mut project, &mut taken, path, all, &mut looked_at)?;
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    if path.is_file() {
        // What cannot be looked at round it is no reason to leave the file itself.
        let mut beside = LookedAt::default();
        let _ = take(&mut project, &mut taken, folder, ROUND, &mut beside);
    }
    Ok(finish(project, taken, looked_at, true))
}

/// Reads the texts of an archive, by their paths in it. Nothing of this process's environment
/// counts.
pub(crate) fn of_texts<'a>(texts: impl IntoIterator<Item = (&'a str, &'a [u8])>) -> Read {
    let mut project = Project::of_program();
    for (path, bytes) in texts {
        project.add(path, bytes, None);
    }
    Read {
        report: project.report(&ThisMachine::new()),
        looked_at: LookedAt::default(),
        paths: Vec::new(),
    }
}

/// The environment of this process alone.
pub(crate) fn environment() -> Read {
    finish(Project::default(), Vec::new(), LookedAt::default(), true)
}

fn finish(
    mut project: Project,
    mut taken: Vec<String>,
    mut looked_at: LookedAt,
    with_environment: bool,
) -> Read {
    follow_includes(&mut project, &mut taken, &mut looked_at);
    if with_environment {
        let text = |pair: (std::ffi::OsString, std::ffi::OsString)| {
            Some((pair.0.into_string().ok()?, pair.1.into_string().ok()?))
        };
        project.add_environment(std::env::vars_os().filter_map(text));
    }
    Read {
        report: project.report(&ThisMachine::new()),
        looked_at,
        paths: taken,
    }
}

fn take(
    project: &mut Project,
    taken: &mut Vec<String>,
    path: &Path,
    reach: Reach,
    looked_at: &mut LookedAt,
) -> Result<(), Failure> {
    let found = files::look(path, reach, looked_at).map_err(|cause| Failure::File {
        path: path.to_owned(),
        cause,
    })?;
    for file in found {
        if taken.contains(&file.path) {
            continue;
        }
        match project.add(&file.path, &file.bytes, Some(file.mode)) {
            chronaxis_readers::Taken::Read => {
                looked_at.read += 1;
                taken.push(file.path);
            }
            chronaxis_readers::Taken::Context => {}
            chronaxis_readers::Taken::Binary => looked_at.binaries += 1,
        }
    }
    Ok(())
}

/// Option files name others, which their client reads as if they stood there.
fn follow_includes(project: &mut Project, taken: &mut Vec<String>, looked_at: &mut LookedAt) {
    for _ in 0..MOST_INCLUDES {
        let mut new = false;
        for (from, named, folder) in project.included() {
            let base = Path::new(&from).parent().unwrap_or(Path::new(""));
            let path = base.join(named);
            let inside = match folder {
                false => vec![path],
                true => std::fs::read_dir(&path)
                    .map(|all| all.filter_map(|e| Some(e.ok()?.path())).collect())
                    .unwrap_or_default(),
            };
            for path in inside {
                let is_list = !folder || path.extension().is_some_and(|e| e == "cnf");
                if is_list && !taken.contains(&path.to_string_lossy().into_owned()) {
                    let before = taken.len();
                    let _ = take(project, taken, &path, ROUND, looked_at);
                    new |= taken.len() > before;
                }
            }
        }
        if !new {
            return;
        }
    }
}

/// Picks the connection that a path and name mean. Neighbours of the file do not count.
pub(crate) fn chosen<'a>(
    report: &'a Report,
    path: &str,
    name: Option<&str>,
) -> Result<(usize, &'a Connection), Failure> {
    let is_folder = Path::new(path).is_dir();
    let bare = path.strip_prefix("./").unwrap_or(path);
    let own =
        |c: &&(usize, &Connection)| is_folder || path == "the environment" || c.1.file == bare;
    let all: Vec<(usize, &Connection)> = report
        .connections
        .iter()
        .enumerate()
        .filter(|c| own(&c))
        .filter(|(_, c)| name.is_some() || !is_folder || !(c.passed_over || c.is_sample()))
        .collect();
    let names = || {
        all.iter()
            .map(|(index, c)| match is_folder {
                true => called(report, *index, path),
                false => c.name.clone(),
            })
            .collect()
    };
    let Some(name) = name else {
        return match all.as_slice() {
            [] => Err(Failure::NoConnection {
                path: path.to_owned(),
                why: match trouble_in(report) {
                    why if why.is_empty() && is_folder => UNREAD.to_owned(),
                    why => why,
                },
            }),
            [one] => Ok(*one),
            _ => Err(Failure::SeveralConnections {
                path: path.to_owned(),
                names: names(),
            }),
        };
    };
    let fits: Vec<&(usize, &Connection)> = all.iter().filter(|(_, c)| is_called(c, name)).collect();
    match fits.as_slice() {
        [one] => Ok(**one),
        [] => Err(Failure::NoSuchConnection {
            path: path.to_owned(),
            name: name.to_owned(),
            names: names(),
        }),
        several => {
            let described = several
                .iter()
                .map(|(_, c)| format!("{}#{}", c.file, c.name));
            Err(Failure::SeveralConnections {
                path: path.to_owned(),
                names: described.collect(),
            })
        }
    }
}

fn is_called(connection: &Connection, name: &str) -> bool {
    let whole = format!("{}#{}", connection.file, connection.name);
    connection.name == name || whole == name || whole.ends_with(&format!("/{name}"))
}

/// What a folder without a connection may have.
const UNREAD: &str = ". Settings files and programs in Python and PHP are read; those in other languages are not: give the connection string itself";

fn trouble_in(report: &Report) -> String {
    let first = report.troubles.first();
    first.map_or_else(String::new, |d| {
        let place = d.place.as_ref().and_then(|p| p.whereabouts());
        format!(" ({}: {})", place.unwrap_or_default(), d.text)
    })
}

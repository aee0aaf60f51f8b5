//! Tunnels that are meant to begin at a port of this machine: told by the arguments of an
//! SSH client that runs, or by the user's own configuration of it, or this machine's
//! (ssh_config(5), `LocalForward`, `Include`). Nothing of it is changed, and no key is read.

use std::path::{Path, PathBuf};

use chronaxis_model::fact::Tunnel;
use chronaxis_model::redact::Redactor;

use crate::here::Here;

/// Longest configuration that is read.
const LONGEST: u64 = 1024 * 1024;

/// Most files that are read: those may include one another.
const MOST_FILES: usize = 128;

/// The tunnel that is meant to begin at this port, if anything tells of one. A process
/// that runs counts before a file.
pub(crate) fn from_port(here: &Here, port: u16, redactor: &Redactor) -> Option<Tunnel> {
    by_process(here, port, redactor).or_else(|| by_configuration(port, redactor))
}

fn by_process(here: &Here, port: u16, redactor: &Redactor) -> Option<Tunnel> {
    let processes = here.processes()?;
    processes.called().iter().find_map(|process| {
        let (local, to) = in_arguments(&process.arguments)
            .into_iter()
            .find(|(local, _)| *local == port)?;
        Some(Tunnel {
            port: local,
            to: redactor.text(&to),
            told_by: redactor.text(&format!("process {} ({})", process.id, process.name)),
            runs: true,
        })
    })
}

/// The forwards among an SSH client's arguments: local port, and where to.
fn in_arguments(arguments: &[String]) -> Vec<(u16, String)> {
    let mut out = Vec::new();
    let mut words = arguments.iter().skip(1);
    while let Some(word) = words.next() {
        let told = match word.strip_prefix("-L") {
            Some("") => words.next().map(String::as_str),
            Some(rest) => Some(rest),
            None => None,
        };
        out.extend(told.and_then(forward));
    }
    out
}

/// `[bind:]port:host:hostport` (ssh(1), `-L`).
fn forward(told: &str) -> Option<(u16, String)> {
    let (rest, far_port) = told.rsplit_once(':')?;
    let (rest, host) = match rest.strip_suffix(']') {
        Some(open) => {
            let (rest, host) = open.rsplit_once('[')?;
            (rest.strip_suffix(':')?, format!("[{host}]"))
        }
        None => {
            let (rest, host) = rest.rsplit_once(':')?;
            (rest, host.to_owned())
        }
    };
    let local = rest.rsplit(':').next()?.parse().ok()?;
    Some((local, format!("{host}:{far_port}")))
}

/// The user's own configuration, then this machine's.
fn by_configuration(port: u16, redactor: &Redactor) -> Option<Tunnel> {
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let own = home.map(|home| (home.join(".ssh"), "config"));
    let machines = (PathBuf::from("/etc/ssh"), "ssh_config");
    let mut read = Vec::new();
    let (path, line, to) = own
        .into_iter()
        .chain([machines])
        .find_map(|(folder, file)| in_file(&folder, &folder.join(file), port, &mut read))?;
    Some(Tunnel {
        port,
        to: redactor.text(&to),
        told_by: redactor.text(&format!("line {line} of {}", path.display())),
        runs: false,
    })
}

/// The forward from this port in a file, or in what that includes: the file, the line, and
/// where to. Relative patterns are of this folder. Each file is read once, whatever includes
/// whatever.
fn in_file(
    folder: &Path,
    path: &Path,
    port: u16,
    read: &mut Vec<PathBuf>,
) -> Option<(PathBuf, usize, String)> {
    if read.len() >= MOST_FILES || read.iter().any(|known| known == path) {
        return None;
    }
    read.push(path.to_owned());
    let found = std::fs::metadata(path).ok()?;
    if !found.is_file() || found.len() > LONGEST {
        return None;
    }
    let text = std::fs::read_to_string(path).ok()?;
    lines_of(&text).find_map(|(number, line)| match line {
        Line::Forward(local, to) => (local == port).then(|| (path.to_owned(), number, to)),
        Line::Include(patterns) => {
            let mut included = patterns.iter().flat_map(|p| included(folder, p));
            included.find_map(|path| in_file(folder, &path, port, read))
        }
    })
}

/// The files that a pattern stands for, in their order.
fn included(folder: &Path, pattern: &str) -> Vec<PathBuf> {
    let home = std::env::var_os("HOME").map(PathBuf::from);
    let whole = match (pattern.strip_prefix("~/"), home) {
        (Some(rest), Some(home)) => home.join(rest),
        _ => folder.join(pattern),
    };
    let found = whole.to_str().and_then(|whole| glob::glob(whole).ok());
    found.into_iter().flatten().flatten().collect()
}

/// A line that matters here.
#[derive(Debug, PartialEq, Eq)]
enum Line {
    /// From this local port to there.
    Forward(u16, String),
    /// Files of these patterns are read in its place.
    Include(Vec<String>),
}

/// The lines that matter, each with its number.
fn lines_of(text: &str) -> impl Iterator<Item = (usize, Line)> {
    (1..).zip(text.lines()).filter_map(|(number, line)| {
        let mut words = line
            .split(|c: char| c.is_whitespace() || c == '=')
            .map(|word| word.trim_matches('"'))
            .filter(|word| !word.is_empty());
        let key = words.next()?;
        if key.eq_ignore_ascii_case("include") {
            return Some((number, Line::Include(words.map(str::to_owned).collect())));
        }
        if !key.eq_ignore_ascii_case("localforward") {
            return None;
        }
        let local: u16 = words.next()?.rsplit(':').next()?.parse().ok()?;
        Some((number, Line::Forward(local, words.next()?.to_owned())))
    })
}

#[cfg(test)]
mod tests {
    use super::{Line, forward, in_arguments, lines_of};

    #[test]
    fn forwards_are_read_as_ssh_reads_them() {
        let to = |local, far: &str| Some((local, far.to_owned()));
        let quay = "quay.osmary.example:5432";
        assert_eq!(forward("6543:quay.osmary.example:5432"), to(6543, quay));
        assert_eq!(
            forward("127.0.0.1:6543:quay.osmary.example:5432"),
            to(6543, quay)
        );
        assert_eq!(
            forward("[::1]:6543:[2001:db8::7]:5432"),
            to(6543, "[2001:db8::7]:5432")
        );
        assert_eq!(forward("6543"), None);
        let words = [
            "ssh",
            "-N",
            "-L6543:quay.osmary.example:5432",
            "-L",
            "7:b:8",
        ];
        let words: Vec<String> = words.map(str::to_owned).to_vec();
        assert_eq!(
            in_arguments(&words),
            [(6543, quay.to_owned()), (7, "b:8".to_owned())]
        );
    }

    #[test]
    fn a_configuration_tells_of_forwards_and_further_files() {
        let text = "Host quay\n  User purser\n  localForward=localhost:6543 berth:5432\n\
                    Include \"ways/*\" ~/.ssh/more\n# LocalForward 1 a:2\nLocalForward x\n";
        let lines: Vec<_> = lines_of(text).collect();
        let more = vec!["ways/*".to_owned(), "~/.ssh/more".to_owned()];
        let forward = Line::Forward(6543, "berth:5432".to_owned());
        assert_eq!(lines, [(3, forward), (4, Line::Include(more))]);
    }
}

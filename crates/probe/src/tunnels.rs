//! Tunnels that are meant to begin at a port of this machine: told by the arguments of an
//! SSH client that runs, or by the user's own configuration of it (ssh_config(5),
//! `LocalForward`). Nothing of it is changed, and no key is read.

use std::path::PathBuf;

use chronaxis_core::fact::Tunnel;
use chronaxis_core::redact::Redactor;

use crate::tables;

/// Longest configuration that is read.
const LONGEST: u64 = 1024 * 1024;

/// The tunnel that is meant to begin at this port, if anything tells of one. A process
/// that runs counts before a file.
pub(crate) fn from_port(port: u16, redactor: &Redactor) -> Option<Tunnel> {
    by_process(port, redactor).or_else(|| by_configuration(port, redactor))
}

fn by_process(port: u16, redactor: &Redactor) -> Option<Tunnel> {
    let processes = tables::processes()?;
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

fn by_configuration(port: u16, redactor: &Redactor) -> Option<Tunnel> {
    let home = std::env::var_os("HOME")?;
    let path = PathBuf::from(home).join(".ssh/config");
    let found = std::fs::metadata(&path).ok()?;
    if !found.is_file() || found.len() > LONGEST {
        return None;
    }
    let text = std::fs::read_to_string(&path).ok()?;
    let (line, to) = in_configuration(&text, port)?;
    Some(Tunnel {
        port,
        to: redactor.text(&to),
        told_by: redactor.text(&format!("line {line} of {}", path.display())),
        runs: false,
    })
}

/// The line that forwards this port, and where to.
fn in_configuration(text: &str, port: u16) -> Option<(usize, String)> {
    (1..).zip(text.lines()).find_map(|(number, line)| {
        let mut words = line
            .split(|c: char| c.is_whitespace() || c == '=')
            .filter(|word| !word.is_empty());
        if !words.next()?.eq_ignore_ascii_case("localforward") {
            return None;
        }
        let local: u16 = words.next()?.rsplit(':').next()?.parse().ok()?;
        (local == port).then_some((number, words.next()?.to_owned()))
    })
}

#[cfg(test)]
mod tests {
    use super::{forward, in_arguments, in_configuration};

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
    fn a_configuration_tells_of_a_forward() {
        let text = "Host quay\n  User purser\n  localForward=localhost:6543 berth:5432\n";
        assert_eq!(
            in_configuration(text, 6543),
            Some((3, "berth:5432".to_owned()))
        );
        assert_eq!(in_configuration(text, 5432), None);
    }
}

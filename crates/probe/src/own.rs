//! What this machine itself does to packets on their way out, and to the answers: its filter,
//! where this user may read it, and what its system counts.

use std::net::SocketAddr;
use std::path::Path;
use std::process::Stdio;

use chronaxis_model::fact::{Fact, FilterDecision};
use chronaxis_model::redact::Redactor;
use procfs::net::TcpState;
use tokio::process::Command;

use crate::here::Here;
use crate::local_firewall::{self, Going, Packet};

/// Where the program that prints the filter's rules lies. It is not looked for elsewhere:
/// what runs with privileges must not come from a folder of the user's.
const PRINTERS: [&str; 2] = ["/usr/sbin/nft", "/sbin/nft"];

/// What the filter does with packets to there, from a port of this machine, and with the
/// answers to them; none where this user may not read it, or there is none.
pub(crate) async fn filter(
    (far, near): (SocketAddr, Option<SocketAddr>),
    interface: Option<String>,
    redactor: Redactor,
) -> Option<Fact> {
    if !nix::unistd::geteuid().is_root() {
        return None;
    }
    let printer = PRINTERS.iter().find(|path| Path::new(path).exists())?;
    // It ends with whoever waits for it.
    let printed = Command::new(printer)
        .args(["--json", "list", "ruleset"])
        .env_clear()
        .stdin(Stdio::null())
        .stderr(Stdio::null())
        .kill_on_drop(true)
        .output()
        .await
        .ok()?;
    let rules = serde_json::from_slice(&printed.stdout).ok()?;
    let packet = |going| Packet {
        going,
        far,
        near,
        interface: interface.clone(),
    };
    let out = local_firewall::decide(&rules, &packet(Going::Out));
    let back = local_firewall::decide(&rules, &packet(Going::Back));
    // What lets packets out may still not let the answers in.
    let (decided, answers) = match (out.decision, back.decision) {
        (FilterDecision::LetThrough, FilterDecision::LetThrough) if out.rules == 0 => return None,
        (FilterDecision::LetThrough, decision) => (back, decision != FilterDecision::LetThrough),
        _ => (out, false),
    };
    Some(Fact::OwnFilter {
        decision: decided.decision,
        answers,
        rule: decided.rule.map(|text| redactor.text(&text)),
    })
}

/// How many packets of connections the system could not send, or send again, since it
/// started (`TCPRetransFail` of /proc/net/netstat). A drop by a rule for what this machine
/// sends counts there; a drop elsewhere does not.
pub(crate) fn send_failures() -> Option<u64> {
    let text = std::fs::read_to_string("/proc/net/netstat").ok()?;
    counter_in(&text, "TcpExt:", "TCPRetransFail")
}

/// A counter of a table in which a line of names stands over a line of numbers.
fn counter_in(text: &str, table: &str, name: &str) -> Option<u64> {
    let mut lines = text.lines().filter(|line| line.starts_with(table));
    let names = lines.next()?.split_whitespace();
    let numbers = lines.next()?.split_whitespace();
    let (_, number) = names.zip(numbers).find(|(known, _)| *known == name)?;
    number.parse().ok()
}

/// Connections of this machine to there that stand open.
pub(crate) fn connections(here: &Here, to: SocketAddr, redactor: &Redactor) -> Option<Fact> {
    let table = here.sockets()?;
    let same = |remote: SocketAddr| {
        remote.port() == to.port() && remote.ip().to_canonical() == to.ip().to_canonical()
    };
    let mut open: Vec<u64> = table
        .iter()
        .filter(|e| e.state == TcpState::Established && same(e.remote_address))
        .map(|e| e.inode)
        .collect();
    let processes = here.processes().unwrap_or_default();
    // What this run opened itself, for another target, speaks for nobody.
    open.retain(|inode| !processes.owner(*inode).is_some_and(|owner| owner.is_us()));
    if open.iter().any(|inode| processes.owner(*inode).is_none()) {
        let ours = crate::processes::ours();
        open.retain(|inode| !ours.contains(inode));
    }
    let owner = open.iter().find_map(|inode| processes.owner(*inode));
    Some(Fact::ConnectionsOpen {
        count: u32::try_from(open.len()).unwrap_or(u32::MAX),
        since: owner.and_then(|process| process.started.map(crate::clock::rfc3339)),
        program: owner.map(|process| redactor.text(&process.name)),
    })
}

#[cfg(test)]
mod tests {
    use super::counter_in;

    #[test]
    fn a_counter_is_found_under_its_name() {
        let text = "TcpExt: A TCPRetransFail B\nTcpExt: 1 22 3\nIpExt: TCPRetransFail\nIpExt: 9\n";
        assert_eq!(counter_in(text, "TcpExt:", "TCPRetransFail"), Some(22));
        assert_eq!(counter_in(text, "TcpExt:", "C"), None);
        assert_eq!(counter_in("", "TcpExt:", "A"), None);
    }
}

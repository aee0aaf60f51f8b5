//! What is real in the tests: whether it must be there, and a tally of what ran.

use std::io::Write as _;
use std::process::Command;

/// Whether a missing real part is a failure (`CHRONAXIS_REAL=require`).
fn required() -> bool {
    std::env::var("CHRONAXIS_REAL").is_ok_and(|v| v == "require")
}

/// Goes on only where the real part is there. Otherwise fails if it is required, and says
/// that the test did not run if it is not.
pub fn available(kind: &str, there: bool) -> bool {
    if there {
        return true;
    }
    assert!(
        !required(),
        "CHRONAXIS_REAL=require, and this machine has no {kind}"
    );
    eprintln!("not run: this machine has no {kind}");
    false
}

/// Notes that a case ran against something real; `scripts/test` counts these.
pub fn tally(kind: &str, case: &str) {
    let Ok(path) = std::env::var("CHRONAXIS_TALLY") else {
        return;
    };
    let file = std::fs::OpenOptions::new()
        .create(true)
        .append(true)
        .open(path);
    // In one write: tests run side by side, and pieces of two lines would mix into neither.
    let line = format!("{kind} {case}\n");
    let mut file = file.expect("the tally can be written");
    file.write_all(line.as_bytes()).expect("written");
}

/// Whether the tests run as root.
pub fn is_root() -> bool {
    nix::unistd::geteuid().is_root()
}

/// A program, as a user without any rights where the tests run as root.
pub fn as_nobody(program: &str) -> Command {
    if !is_root() {
        return Command::new(program);
    }
    let mut command = Command::new("setpriv");
    command
        .args(["--reuid=65534", "--regid=65534", "--clear-groups"])
        .arg(program);
    command
}

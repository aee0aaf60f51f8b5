//! Runs the built program in a known surrounding: no environment but what a test gives,
//! a home of its own, nothing on stderr unless said.

#![allow(dead_code, reason = "each test file uses a part")]
#![allow(
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::print_stderr,
    unreachable_pub,
    reason = "a harness that cannot go on says so"
)]

pub mod filters;
pub mod haproxy;
pub mod lab_directory;
pub mod mariadb;
pub mod namespaces;
pub mod papers;
pub mod pgbouncer;
pub mod ports;
pub mod postgres;
pub mod real;
pub mod unbound;

use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::sync::mpsc;
use std::thread;
use std::time::Duration;

use nix::sys::signal::{Signal, kill};
use nix::unistd::Pid;
use serde_json::Value;

/// Puts this test on a machine of its own, so that what else listens here is not found: a
/// network namespace where that can be made, for the thread and whatever it starts. False
/// where it cannot, and something does listen on a usual port.
pub fn alone() -> bool {
    if real::is_root() {
        nix::sched::unshare(nix::sched::CloneFlags::CLONE_NEWNET).expect("a namespace");
        let up = Command::new("ip")
            .args(["link", "set", "lo", "up"])
            .status();
        assert!(up.expect("ip runs").success());
        return true;
    }
    let usual = [5432, 5433, 6432, 3306];
    let free = |port: &u16| std::net::TcpStream::connect(("127.0.0.1", *port)).is_err();
    let alone = usual.iter().all(free);
    if !alone {
        eprintln!("not run: a server of this machine listens on a usual port");
    }
    alone
}

/// What came of a run.
pub struct Ran {
    pub status: i32,
    pub stdout: String,
    pub stderr: String,
}

impl Ran {
    fn of(output: Output) -> Ran {
        Ran {
            status: output.status.code().unwrap_or(-1),
            stdout: String::from_utf8(output.stdout).expect("stdout is UTF-8"),
            stderr: String::from_utf8(output.stderr).expect("stderr is UTF-8"),
        }
    }

    /// The case, from `--output json`.
    pub fn case(&self) -> Value {
        assert_eq!(self.stderr, "", "stderr is empty");
        serde_json::from_str(&self.stdout)
            .unwrap_or_else(|e| panic!("no case ({e}): {}", self.stdout))
    }
}

/// The program with an empty environment and this home.
pub fn chronaxis(home: &Path) -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin!("chronaxis"));
    command
        .env_clear()
        .env("HOME", home)
        .env("LANG", "C.UTF-8")
        .env("PATH", "/usr/bin:/bin")
        .current_dir(home);
    command
}

/// Runs it with these arguments.
pub fn run(home: &Path, args: &[&str]) -> Ran {
    finish(chronaxis(home).args(args))
}

/// The longest that any run may take before it counts as one that does not end. It is no
/// measure of speed: `scripts/bench` measures that.
const ENDLESS: Duration = Duration::from_secs(90);

/// Runs a prepared command.
pub fn finish(command: &mut Command) -> Ran {
    let child = command
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the program starts");
    ended(child)
}

/// What came of a started program, which is killed when it does not end.
pub fn ended(child: Child) -> Ran {
    let id = Pid::from_raw(i32::try_from(child.id()).expect("an id"));
    let (over, waits) = mpsc::channel::<()>();
    let watch = thread::spawn(move || {
        let late = waits.recv_timeout(ENDLESS) == Err(mpsc::RecvTimeoutError::Timeout);
        if late {
            let _ = kill(id, Signal::SIGKILL);
        }
        late
    });
    let output = child.wait_with_output().expect("the program ends");
    drop(over);
    assert!(!watch.join().expect("the watch ends"), "it did not end");
    Ran::of(output)
}

/// Runs a prepared command with this on its standard input.
pub fn finish_with(command: &mut Command, stdin: &str) -> Ran {
    use std::io::Write as _;
    let mut child = command
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the program starts");
    let mut pipe = child.stdin.take().expect("a pipe");
    // The program may end before it reads all.
    let _ = pipe.write_all(stdin.as_bytes());
    drop(pipe);
    ended(child)
}

/// Diagnoses and gives the case; `args` go before the target.
pub fn diagnose(home: &Path, args: &[&str], target: &str) -> (i32, Value) {
    let mut all = vec!["diagnose", "--output", "json"];
    all.extend(args);
    all.push(target);
    let ran = run(home, &all);
    let case = ran.case();
    (ran.status, case)
}

/// Diagnoses, and diagnoses anew where the machine held the program up for long, as its
/// own fact tells: for claims about short waits against servers that count nothing.
pub fn diagnose_undisturbed(home: &Path, args: &[&str], target: &str) -> (i32, Value) {
    let mut ran = diagnose(home, args, target);
    for _ in 0..2 {
        if !ran.1.to_string().contains("\"ran-late\"") {
            break;
        }
        ran = diagnose(home, args, target);
    }
    ran
}

/// `state cause symptom` of a case, for short claims.
pub fn gist(case: &Value) -> String {
    let verdict = &case["verdict"];
    let text = |key: &str| verdict[key].as_str().unwrap_or("-").to_owned();
    format!("{} {} {}", text("state"), text("cause"), text("symptom"))
}

/// Copies the built program. Another program does it: a file that this one has open for
/// writing is handed down to whatever another thread starts meanwhile, and cannot be
/// executed while that runs.
pub fn copy_program(to: &Path) {
    let mut copy = Command::new("cp");
    copy.arg(assert_cmd::cargo::cargo_bin!("chronaxis")).arg(to);
    assert!(copy.status().expect("cp runs").success());
}

/// Opens a folder to everybody's reading.
pub fn open_to_all(folder: &Path) {
    use std::os::unix::fs::PermissionsExt as _;
    std::fs::set_permissions(folder, std::fs::Permissions::from_mode(0o755)).expect("opened");
}

/// Runs cases `(name, args, target, wanted gist)` and lists those that differ.
pub fn check_cases(kind: &str, home: &Path, cases: &[(&str, &[&str], String, &str)]) {
    let mut wrong = Vec::new();
    for (name, args, target, wanted) in cases {
        let (status, case) = diagnose_undisturbed(home, args, target);
        let found = gist(&case);
        real::tally(kind, name);
        let fits_status = match wanted.split(' ').next() {
            Some("working") => status == 0,
            Some("broken") => status == 1,
            _ => status == 3,
        };
        if found != *wanted || !fits_status {
            wrong.push(format!(
                "{name}: {found} (status {status}), wanted {wanted}"
            ));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

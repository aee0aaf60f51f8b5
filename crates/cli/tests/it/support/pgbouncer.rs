//! A real PgBouncer in a temporary folder, as an unprivileged user, ended with the test.

use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use tempfile::TempDir;

use super::ports::HeldPort;
use super::real;

const PROGRAM: &str = "/usr/sbin/pgbouncer";

pub struct Pgbouncer {
    folder: TempDir,
    port: HeldPort,
    running: Option<Child>,
}

impl Pgbouncer {
    /// Whether this machine has it; see [`real::available`].
    pub fn available() -> bool {
        real::available("PgBouncer", Path::new(PROGRAM).exists())
    }

    /// A pooler with these databases and settings, and one user.
    pub fn start(databases: &str, settings: &str, user: &str, password: &str) -> Pgbouncer {
        let folder = tempfile::tempdir().expect("a folder");
        super::open_to_all(folder.path());
        let held = HeldPort::claim();
        let port = held.get();
        let at = |name: &str| folder.path().join(name);
        let users = format!("\"{user}\" \"{password}\"\n");
        std::fs::write(at("users.txt"), users).expect("written");
        let text = format!(
            "[databases]\n{databases}\n[pgbouncer]\nlisten_addr = 127.0.0.1\nlisten_port = {port}\n\
             auth_type = scram-sha-256\nauth_file = {}\nunix_socket_dir =\n{settings}\n",
            at("users.txt").display()
        );
        std::fs::write(at("pooler.ini"), text).expect("written");
        // Without a log of its own it writes to standard error.
        let log = std::fs::File::create(at("log")).expect("a log");
        let running = real::as_nobody(PROGRAM)
            .arg(at("pooler.ini"))
            .stdout(Stdio::null())
            .stderr(log)
            .spawn()
            .expect("PgBouncer starts");
        let until = Instant::now() + Duration::from_secs(10);
        while TcpStream::connect(("127.0.0.1", port)).is_err() {
            assert!(Instant::now() < until, "PgBouncer did not get there");
            std::thread::sleep(Duration::from_millis(20));
        }
        Pgbouncer {
            folder,
            port: held,
            running: Some(running),
        }
    }

    pub fn port(&self) -> u16 {
        self.port.get()
    }

    pub fn folder(&self) -> &Path {
        self.folder.path()
    }
}

impl Drop for Pgbouncer {
    fn drop(&mut self) {
        if let Some(mut running) = self.running.take() {
            let _ = running.kill();
            let _ = running.wait();
        }
    }
}

//! A real MariaDB in a temporary folder, as an unprivileged user, ended with the test.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use tempfile::TempDir;

use super::ports::HeldPort;
use super::real;

const SERVER: &str = "/usr/sbin/mariadbd";
const CLIENT: &str = "/usr/bin/mariadb";

pub struct Mariadb {
    folder: TempDir,
    port: HeldPort,
    server: Option<Child>,
    namespace: Option<String>,
}

impl Mariadb {
    /// Whether this machine has it; see [`real::available`].
    pub fn available() -> bool {
        real::available("MariaDB", Path::new(SERVER).exists())
    }

    /// A new server with these settings, started, and with these statements run.
    pub fn start(settings: &[&str], statements: &str) -> Mariadb {
        Mariadb::start_in(None, settings, statements)
    }

    /// The same, in a network namespace.
    pub fn start_in(namespace: Option<&str>, settings: &[&str], statements: &str) -> Mariadb {
        let folder = tempfile::tempdir().expect("a folder");
        super::open_to_all(folder.path());
        if real::is_root() {
            let owned = Command::new("chown")
                .arg("nobody")
                .arg(folder.path())
                .status();
            assert!(owned.expect("chown runs").success());
        }
        let held = HeldPort::claim();
        let mut server = Mariadb {
            folder,
            port: held,
            server: None,
            namespace: namespace.map(str::to_owned),
        };
        server.install();
        server.up(settings);
        server.sql(statements);
        server
    }

    /// Makes its first data. One at a time: several at once have been seen to run out of the
    /// kernel's room for asynchronous IO; and once more if it fails all the same.
    fn install(&self) {
        static ONE: Mutex<()> = Mutex::new(());
        let _one = ONE.lock().unwrap_or_else(PoisonError::into_inner);
        let mut said = String::new();
        for _ in 0..3 {
            let _ = std::fs::remove_dir_all(self.at("data"));
            let made = self
                .unprivileged("/usr/bin/mariadb-install-db")
                .args([
                    "--no-defaults",
                    "--auth-root-authentication-method=normal",
                    "--skip-test-db",
                    "--skip-name-resolve",
                    "--innodb-use-native-aio=0",
                ])
                .arg(format!("--datadir={}", self.at("data").display()))
                .output()
                .expect("mariadb-install-db runs");
            if made.status.success() {
                return;
            }
            said = String::from_utf8_lossy(&made.stderr).into_owned();
        }
        panic!("mariadb-install-db: {said}");
    }

    pub fn at(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub fn port(&self) -> u16 {
        self.port.get()
    }

    pub fn socket(&self) -> PathBuf {
        self.at("s.sock")
    }

    fn unprivileged(&self, program: &str) -> Command {
        let mut words: Vec<String> = Vec::new();
        if let Some(namespace) = &self.namespace {
            words.extend(["ip", "netns", "exec", namespace].map(str::to_owned));
        }
        if real::is_root() {
            let down = [
                "setpriv",
                "--reuid=nobody",
                "--regid=nogroup",
                "--clear-groups",
            ];
            words.extend(down.map(str::to_owned));
        }
        words.push(program.to_owned());
        let mut command = Command::new(&words[0]);
        command.args(&words[1..]);
        command
    }

    fn up(&mut self, settings: &[&str]) {
        let log = std::fs::File::create(self.at("log")).expect("a log");
        let child = self
            .unprivileged(SERVER)
            .arg("--no-defaults")
            .arg(format!("--datadir={}", self.at("data").display()))
            .arg(format!("--socket={}", self.socket().display()))
            .arg(format!("--pid-file={}", self.at("pid").display()))
            .arg(format!("--port={}", self.port.get()))
            .args([
                "--bind-address=0.0.0.0",
                "--innodb-flush-log-at-trx-commit=0",
                "--innodb-use-native-aio=0",
            ])
            .args([
                "--innodb-buffer-pool-size=16M",
                "--plugin-load-add=auth_ed25519",
            ])
            .args(settings)
            .stdout(Stdio::null())
            .stderr(log)
            .spawn();
        self.server = Some(child.expect("mariadbd starts"));
        let until = Instant::now() + Duration::from_secs(40);
        loop {
            let log = std::fs::read_to_string(self.at("log")).unwrap_or_default();
            if log.contains("ready for connections") {
                return;
            }
            assert!(Instant::now() < until, "MariaDB did not get there: {log}");
            std::thread::sleep(Duration::from_millis(30));
        }
    }

    /// Its own client with these arguments.
    pub fn client(&self, args: &[&str]) -> Output {
        let mut command = Command::new(CLIENT);
        command
            .env_clear()
            .arg("--no-defaults")
            .args(args)
            .stdin(Stdio::null());
        command.output().expect("mariadb runs")
    }

    /// Statements as administrator, over the socket file.
    pub fn sql(&self, statements: &str) -> String {
        let socket = self.socket().display().to_string();
        let done = self.client(&["-N", "-u", "root", "-S", &socket, "-e", statements]);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(done.status.success(), "{statements}: {said}");
        String::from_utf8_lossy(&done.stdout).into_owned()
    }
}

impl Drop for Mariadb {
    fn drop(&mut self) {
        if let Some(mut server) = self.server.take() {
            let _ = server.kill();
            let _ = server.wait();
        }
    }
}

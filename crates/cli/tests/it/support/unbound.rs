//! A real name server in a temporary folder, on a free port, as an unprivileged user.

use std::io::Write as _;
use std::net::{SocketAddr, UdpSocket};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use super::ports::HeldPort;
use super::real;

const PROGRAM: &str = "/usr/sbin/unbound";

/// It; gone when dropped.
pub struct Unbound {
    process: Child,
    /// Where it is asked.
    pub at: SocketAddr,
    /// Kept as long as it runs, where the port was chosen here.
    port: Option<HeldPort>,
    _folder: tempfile::TempDir,
}

impl Unbound {
    /// Whether this machine has it; see [`real::available`].
    pub fn available() -> bool {
        real::available("unbound", Path::new(PROGRAM).exists())
    }

    /// Starts it with a zone `osmary.example` of these records. `more` goes into its
    /// server section.
    pub fn start(records: &str, more: &str) -> Unbound {
        let held = HeldPort::claim();
        let at = SocketAddr::from(([127, 0, 0, 1], held.get()));
        let mut server = Unbound::start_at(at, records, more);
        server.port = Some(held);
        server
    }

    /// The same, to be asked there.
    pub fn start_at(at: SocketAddr, records: &str, more: &str) -> Unbound {
        let folder = tempfile::tempdir().expect("a folder");
        super::open_to_all(folder.path());
        let zone = folder.path().join("zone");
        let text = format!(
            "$ORIGIN osmary.example.\n$TTL 60\n@ IN SOA ns hostmaster 1 600 300 3600 60\n@ IN NS ns\nns IN A 127.0.0.1\n{records}"
        );
        std::fs::write(&zone, text).expect("written");
        let config = folder.path().join("unbound.conf");
        let mut file = std::fs::File::create(&config).expect("a file");
        write!(
            file,
            "server:\n interface: {ip}@{port}\n port: {port}\n do-daemonize: no\n username: \"\"\n chroot: \"\"\n pidfile: \"\"\n use-syslog: no\n logfile: \"\"\n num-threads: 1\n module-config: \"iterator\"\n access-control: 127.0.0.0/8 allow\n {more}\nremote-control:\n control-enable: no\nauth-zone:\n name: \"osmary.example.\"\n zonefile: \"{zone}\"\n for-downstream: yes\n for-upstream: no\n fallback-enabled: no\n",
            ip = at.ip(),
            port = at.port(),
            zone = zone.display(),
        )
        .expect("written");
        let mut command = match real::is_root() {
            true => {
                let mut command = Command::new("setpriv");
                command
                    .args(["--reuid=65534", "--regid=65534", "--clear-groups"])
                    .arg(PROGRAM);
                command
            }
            false => Command::new(PROGRAM),
        };
        let process = command
            .args(["-d", "-c"])
            .arg(&config)
            .current_dir(folder.path())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("it starts");
        let server = Unbound {
            process,
            at,
            port: None,
            _folder: folder,
        };
        server.wait();
        server
    }

    /// Waits until it answers anything.
    fn wait(&self) {
        let socket = UdpSocket::bind("127.0.0.1:0").expect("a socket");
        socket
            .set_read_timeout(Some(Duration::from_millis(50)))
            .expect("set");
        socket.connect(self.at).expect("connected");
        // A question for the zone's own record (RFC 1035, section 4.1).
        let question = b"\x12\x34\x01\0\0\x01\0\0\0\0\0\0\x06osmary\x07example\0\0\x06\0\x01";
        let began = Instant::now();
        while began.elapsed() < Duration::from_secs(10) {
            let _ = socket.send(question);
            let mut buffer = [0u8; 512];
            if socket.recv(&mut buffer).is_ok() {
                return;
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        panic!("the name server does not answer");
    }
}

impl Drop for Unbound {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

//! A real HAProxy in a temporary folder, as an unprivileged user, ended with the test.

use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use tempfile::TempDir;

use super::ports::HeldPort;
use super::real;

const PROGRAM: &str = "/usr/sbin/haproxy";

pub struct Haproxy {
    _folder: TempDir,
    port: HeldPort,
    running: Child,
}

impl Haproxy {
    /// Whether this machine has it; see [`real::available`].
    pub fn available() -> bool {
        real::available("HAProxy", Path::new(PROGRAM).exists())
    }

    /// A balancer before the servers on these ports, with these settings of its own.
    pub fn start(settings: &str, servers: &[u16]) -> Haproxy {
        let folder = tempfile::tempdir().expect("a folder");
        super::open_to_all(folder.path());
        let held = HeldPort::claim();
        let port = held.get();
        let mut text = format!(
            "defaults\n  mode tcp\n  timeout connect 2s\n  timeout client 1m\n  timeout server 1m\n\
             listen quay\n  bind 127.0.0.1:{port}\n{settings}\n"
        );
        for (number, server) in servers.iter().enumerate() {
            text.push_str(&format!("  server berth{number} 127.0.0.1:{server}\n"));
        }
        let path = folder.path().join("haproxy.cfg");
        std::fs::write(&path, text).expect("written");
        let running = real::as_nobody(PROGRAM)
            .args(["-db", "-f"])
            .arg(&path)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("HAProxy starts");
        let balancer = Haproxy {
            _folder: folder,
            port: held,
            running,
        };
        let until = Instant::now() + Duration::from_secs(10);
        // Its own port is there before it takes anybody: a connection counts as one in turn.
        while TcpStream::connect(("127.0.0.1", port)).is_err() {
            assert!(Instant::now() < until, "HAProxy did not get there");
            std::thread::sleep(Duration::from_millis(20));
        }
        balancer
    }

    pub fn port(&self) -> u16 {
        self.port.get()
    }
}

impl Drop for Haproxy {
    fn drop(&mut self) {
        let _ = self.running.kill();
        let _ = self.running.wait();
    }
}

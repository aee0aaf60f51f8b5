//! `chronaxis lab start --directory FILE`, until it is dropped.

use std::io::{BufRead as _, BufReader};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Stdio};

use super::chronaxis;

/// A running directory.
pub struct Directory {
    child: Child,
    /// What it said when it was up.
    pub said: String,
}

/// So many ports of this machine that are free, one after another from the first.
pub fn free_ports(count: u16) -> u16 {
    for _ in 0..64 {
        let first = TcpListener::bind("127.0.0.1:0").expect("a port");
        let port = first.local_addr().expect("an address").port();
        let bind = |n| TcpListener::bind(("127.0.0.1", port.checked_add(n)?)).ok();
        let rest: Vec<_> = (1..count).map(bind).collect();
        if rest.iter().all(Option::is_some) {
            return port;
        }
    }
    panic!("no {count} ports in a row");
}

impl Directory {
    /// Runs it with this file; `{0}`, `{1}`, … are ports from this one on.
    pub fn start(home: &Path, text: &str, port: u16) -> Directory {
        let mut text = text.to_owned();
        for n in 0..8u16 {
            text = text.replace(&format!("{{{n}}}"), &(port + n).to_string());
        }
        let path = home.join("directory.toml");
        std::fs::write(&path, text).expect("written");
        let mut child = chronaxis(home)
            .args(["lab", "start", "--directory", "directory.toml"])
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("it starts");
        let mut lines = BufReader::new(child.stdout.take().expect("a pipe")).lines();
        let mut said = String::new();
        while let Some(Ok(line)) = lines.next() {
            said.push_str(&line);
            said.push('\n');
            if line.contains("is running") {
                break;
            }
        }
        assert!(said.contains("is running"), "{said}");
        Directory { child, said }
    }

    /// The file with the certificate of its issuer, where it encrypts.
    pub fn ca(&self) -> String {
        let (_, path) = self.said.split_once("--ca ").expect("it encrypts");
        path.lines().next().expect("a path").to_owned()
    }
}

impl Drop for Directory {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

//! A client, a router and a server in network namespaces of their own, joined by veth
//! pairs. Needs root. The addresses are those of Osmary Ferries.

use std::io::Write as _;
use std::net::SocketAddr;
use std::path::Path;
use std::process::{Command, Stdio};

use chronaxis_lab::harbour::Harbour;
use chronaxis_lab::stand_in::Service;
use nix::sched::{CloneFlags, setns};

use super::{Ran, finish, real};

pub const CLIENT: &str = "10.8.4.21";
pub const ROUTER: &str = "10.8.4.1";
pub const SERVER: &str = "198.51.100.7";
pub const SECOND: &str = "198.51.100.8";
/// On the server's network, and nobody has it.
pub const ABSENT: &str = "198.51.100.99";

/// The three of them; gone when dropped.
pub struct Net {
    client: String,
    router: String,
    server: String,
}

impl Net {
    /// Whether this machine can make them; see [`real::available`].
    pub fn available() -> bool {
        let tools = Path::new("/usr/sbin/nft").exists() && Path::new("/usr/bin/setpriv").exists();
        real::available("root, nftables and setpriv", real::is_root() && tools)
    }

    /// Builds them. `tag` keeps tests that run side by side apart.
    pub fn new(tag: &str) -> Net {
        let name = |role: &str| format!("cx{}{tag}{role}", std::process::id() % 100_000);
        let net = Net {
            client: name("c"),
            router: name("r"),
            server: name("s"),
        };
        for one in [&net.client, &net.router, &net.server] {
            ip(&["netns", "add", one]);
            ip(&["-n", one, "link", "set", "lo", "up"]);
        }
        net.join(&net.client, CLIENT, ROUTER);
        net.join(&net.server, SERVER, "198.51.100.1");
        ip(&[
            "-n",
            &net.server,
            "addr",
            "add",
            &format!("{SECOND}/24"),
            "dev",
            "up0",
        ]);
        net.exec(&net.router, &["sysctl", "-qw", "net.ipv4.ip_forward=1"]);
        net
    }

    /// A veth pair between a host and the router, and the host's default route.
    fn join(&self, host: &str, address: &str, gateway: &str) {
        let at_router = format!("to{}", &host[host.len() - 1..]);
        ip(&[
            "-n",
            host,
            "link",
            "add",
            "up0",
            "type",
            "veth",
            "peer",
            "name",
            &at_router,
            "netns",
            &self.router,
        ]);
        ip(&[
            "-n",
            host,
            "addr",
            "add",
            &format!("{address}/24"),
            "dev",
            "up0",
        ]);
        ip(&[
            "-n",
            &self.router,
            "addr",
            "add",
            &format!("{gateway}/24"),
            "dev",
            &at_router,
        ]);
        ip(&["-n", host, "link", "set", "up0", "up"]);
        ip(&["-n", &self.router, "link", "set", &at_router, "up"]);
        ip(&["-n", host, "route", "add", "default", "via", gateway]);
    }

    /// The name of the server's namespace, in which the client's address has a name: a
    /// server that looks it up would else wait for name service.
    pub fn server_name(&self) -> &str {
        let folder = format!("/etc/netns/{}", self.server);
        std::fs::create_dir_all(&folder).expect("a folder");
        let hosts = format!("127.0.0.1 localhost\n{CLIENT} deck-4.osmary.example\n");
        std::fs::write(format!("{folder}/hosts"), hosts).expect("written");
        &self.server
    }

    fn exec(&self, namespace: &str, words: &[&str]) {
        let done = Command::new("ip")
            .args(["netns", "exec", namespace])
            .args(words)
            .status();
        assert!(done.expect("ip runs").success(), "{words:?}");
    }

    /// Rules for what the router passes on.
    pub fn at_router(&self, rules: &str) {
        self.rules(&self.router, "forward", rules);
    }

    /// Rules for what the server takes in.
    pub fn at_server(&self, rules: &str) {
        self.rules(&self.server, "input", rules);
    }

    fn rules(&self, namespace: &str, hook: &str, rules: &str) {
        let text = format!(
            "table inet osmary {{ chain way {{ type filter hook {hook} priority 0; policy accept;\n{rules}\n}}\n}}\n"
        );
        let mut nft = Command::new("ip")
            .args(["netns", "exec", namespace, "nft", "-f", "-"])
            .stdin(Stdio::piped())
            .spawn()
            .expect("nft starts");
        nft.stdin
            .take()
            .expect("a pipe")
            .write_all(text.as_bytes())
            .expect("written");
        assert!(nft.wait().expect("nft ends").success(), "{text}");
    }

    /// Forbids the client a network by its own routing table.
    pub fn prohibit(&self, network: &str) {
        ip(&["-n", &self.client, "route", "add", "prohibit", network]);
    }

    /// Takes the client's way to other networks away.
    pub fn cut_off(&self) {
        ip(&["-n", &self.client, "route", "del", "default"]);
    }

    /// Leaves the client one port to connect from, and takes it: a connection of another
    /// program to the same place stands open.
    pub fn one_port_left_and_taken(&self, address: &str, port: u16) {
        let range = "net.ipv4.ip_local_port_range=40000 40000";
        self.exec(&self.client, &["sysctl", "-qw", range]);
        let namespace = format!("/var/run/netns/{}", self.client);
        let to = format!("{address}:{port}");
        let taken = std::thread::spawn(move || {
            let file = std::fs::File::open(namespace).expect("the namespace");
            setns(file, CloneFlags::CLONE_NEWNET).expect("entered");
            std::net::TcpStream::connect(to).expect("connected")
        });
        // Open until the test's process ends.
        std::mem::forget(taken.join().expect("it connects"));
    }

    /// What the client's hosts file says.
    pub fn hosts(&self, lines: &str) {
        let folder = format!("/etc/netns/{}", self.client);
        std::fs::create_dir_all(&folder).expect("a folder");
        std::fs::write(format!("{folder}/hosts"), lines).expect("written");
    }

    /// Where the client asks for names.
    pub fn resolver(&self, address: &str) {
        let folder = format!("/etc/netns/{}", self.client);
        std::fs::create_dir_all(&folder).expect("a folder");
        std::fs::write(
            format!("{folder}/resolv.conf"),
            format!("nameserver {address}\n"),
        )
        .expect("written");
    }

    /// Serves on the server's side.
    pub fn serve(&self, address: &str, port: u16, service: Service) -> Harbour {
        let namespace = format!("/var/run/netns/{}", self.server);
        let address: SocketAddr = format!("{address}:{port}").parse().expect("an address");
        let thread = std::thread::spawn(move || {
            let file = std::fs::File::open(namespace).expect("the namespace");
            setns(file, CloneFlags::CLONE_NEWNET).expect("entered");
            Harbour::at(address, service).expect("bound")
        });
        thread.join().expect("it serves")
    }

    /// Runs the program at the client's side, as nobody, with an empty environment.
    pub fn run(&self, args: &[&str]) -> Ran {
        // The build folder may be closed to others.
        let folder = tempfile::tempdir().expect("a folder");
        let program = folder.path().join("chronaxis");
        super::copy_program(&program);
        super::open_to_all(folder.path());
        let mut command = Command::new("/usr/sbin/ip");
        command
            .env_clear()
            .env("PATH", "/usr/sbin:/usr/bin:/sbin:/bin")
            .args(["netns", "exec", &self.client])
            .args([
                "setpriv",
                "--reuid=65534",
                "--regid=65534",
                "--clear-groups",
                "--inh-caps=-all",
            ])
            .arg(&program)
            .args(args)
            .current_dir("/");
        finish(&mut command)
    }
}

impl Drop for Net {
    fn drop(&mut self) {
        for one in [&self.client, &self.router, &self.server] {
            let _ = Command::new("ip").args(["netns", "del", one]).status();
        }
        for one in [&self.client, &self.server] {
            let _ = std::fs::remove_dir_all(format!("/etc/netns/{one}"));
        }
    }
}

fn ip(words: &[&str]) {
    let done = Command::new("ip").args(words).status();
    assert!(done.expect("ip runs").success(), "ip {words:?}");
}

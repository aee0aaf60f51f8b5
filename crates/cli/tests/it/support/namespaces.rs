//! A client, two routers and a server in network namespaces of their own, joined by veth
//! pairs. Needs root. The addresses are those of Osmary Ferries.

mod names;
mod ways;

use std::net::SocketAddr;
use std::path::Path;
use std::process::Command;
use std::sync::atomic::{AtomicUsize, Ordering};

use chronaxis_lab::loopback::LoopbackServers;
use chronaxis_lab::stand_in::Service;
use nix::sched::{CloneFlags, setns};
use serde_json::Value;

use super::{Ran, finish, gist, real};

pub const CLIENT: &str = "10.8.4.21";
pub const FIRST_ROUTER: &str = "10.8.4.1";
/// The second router, as the client sees it.
pub const ROUTER: &str = "203.0.113.1";
pub const SERVER: &str = "198.51.100.7";
pub const SECOND: &str = "198.51.100.8";
pub const SERVER_SIX: &str = "2001:db8:7::7";
/// On the server's network, and nobody has it.
pub const ABSENT: &str = "198.51.100.99";

/// The four of them; gone when dropped.
pub struct Net {
    client: String,
    first: String,
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
        // Tests run side by side, and two may choose the same tag.
        static MADE: AtomicUsize = AtomicUsize::new(0);
        let (run, made) = (std::process::id(), MADE.fetch_add(1, Ordering::Relaxed));
        let name = |role: &str| format!("cx{run}{tag}{made}{role}");
        let net = Net {
            client: name("c"),
            first: name("f"),
            router: name("r"),
            server: name("s"),
        };
        for one in net.all() {
            ip(&["netns", "add", one]);
            ip(&["-n", one, "link", "set", "lo", "up"]);
        }
        net.join(&net.client, (CLIENT, 24), &net.first, FIRST_ROUTER);
        net.join(&net.first, ("203.0.113.2", 24), &net.router, ROUTER);
        net.join(&net.server, (SERVER, 24), &net.router, "198.51.100.1");
        ip(&[
            "-n",
            &net.router,
            "route",
            "add",
            "10.8.4.0/24",
            "via",
            "203.0.113.2",
        ]);
        ip(&[
            "-n",
            &net.server,
            "addr",
            "add",
            &format!("{SECOND}/24"),
            "dev",
            "up0",
        ]);
        for router in [&net.first, &net.router] {
            net.exec(router, &["sysctl", "-qw", "net.ipv4.ip_forward=1"]);
        }
        net
    }

    fn all(&self) -> [&String; 4] {
        [&self.client, &self.first, &self.router, &self.server]
    }

    /// A veth pair between a host and a router, and the host's default route.
    fn join(&self, host: &str, (address, bits): (&str, u8), router: &str, gateway: &str) {
        let at_router = format!("to{}", &host[host.len() - 1..]);
        ip(&[
            "-n", host, "link", "add", "up0", "type", "veth", "peer", "name", &at_router, "netns",
            router,
        ]);
        ip(&[
            "-n",
            host,
            "addr",
            "add",
            &format!("{address}/{bits}"),
            "dev",
            "up0",
        ]);
        ip(&[
            "-n",
            router,
            "addr",
            "add",
            &format!("{gateway}/{bits}"),
            "dev",
            &at_router,
        ]);
        ip(&["-n", host, "link", "set", "up0", "up"]);
        ip(&["-n", router, "link", "set", &at_router, "up"]);
        ip(&["-n", host, "route", "add", "default", "via", gateway]);
    }

    fn exec(&self, namespace: &str, words: &[&str]) {
        let done = Command::new("ip")
            .args(["netns", "exec", namespace])
            .args(words)
            .status();
        assert!(done.expect("ip runs").success(), "{words:?}");
    }

    /// Gives the server further addresses.
    pub fn server_has(&self, address: &str, bits: u8) {
        let address = format!("{address}/{bits}");
        ip(&["-n", &self.server, "addr", "add", &address, "dev", "up0"]);
    }

    /// The client's own address on its link.
    pub fn link_local(&self) -> String {
        let listed = Command::new("ip")
            .args(["-n", &self.client, "-6", "-o", "addr", "show", "dev", "up0"])
            .args(["scope", "link"])
            .output()
            .expect("ip runs");
        let text = String::from_utf8_lossy(&listed.stdout);
        let mut words = text.split([' ', '/']);
        let found = words.find(|word| word.starts_with("fe80"));
        found.expect("a link-local address").to_owned()
    }

    /// Addresses of IPv6 for all, and the ways between them.
    pub fn with_six(&self) {
        let add = |host: &str, address: &str, device: &str| {
            ip(&[
                "-n", host, "-6", "addr", "add", address, "dev", device, "nodad",
            ]);
        };
        add(&self.client, "2001:db8:4::21/64", "up0");
        add(&self.first, "2001:db8:4::1/64", "toc");
        add(&self.first, "2001:db8:3::2/64", "up0");
        add(&self.router, "2001:db8:3::1/64", "tof");
        add(&self.router, "2001:db8:7::1/64", "tos");
        add(&self.server, &format!("{SERVER_SIX}/64"), "up0");
        let way = |host: &str, to: &str, by: &str| {
            ip(&["-n", host, "-6", "route", "add", to, "via", by]);
        };
        way(&self.client, "default", "2001:db8:4::1");
        way(&self.first, "2001:db8:7::/64", "2001:db8:3::1");
        way(&self.router, "2001:db8:4::/64", "2001:db8:3::2");
        way(&self.server, "default", "2001:db8:7::1");
        for router in [&self.first, &self.router] {
            self.exec(router, &["sysctl", "-qw", "net.ipv6.conf.all.forwarding=1"]);
        }
        self.until_six_is_settled();
    }

    /// Before its own addresses are known to be nobody else's, a host answers no neighbour
    /// (RFC 4862, section 5.4).
    fn until_six_is_settled(&self) {
        let tentative = |namespace: &&String| {
            let listed = Command::new("ip")
                .args(["-n", namespace, "-6", "addr", "show", "tentative"])
                .output();
            !listed.expect("ip runs").stdout.is_empty()
        };
        let began = std::time::Instant::now();
        while self.all().iter().any(tentative) {
            assert!(began.elapsed().as_secs() < 10, "addresses settle");
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
    }

    /// Serves on the server's side.
    pub fn serve(&self, address: &str, port: u16, service: Service) -> LoopbackServers {
        let ip: std::net::IpAddr = address.parse().expect("an address");
        self.in_namespace(&self.server, move || {
            LoopbackServers::at((ip, port).into(), service).expect("bound")
        })
    }

    /// Serves on the client's own side.
    pub fn serve_here(&self, address: &str, port: u16, service: Service) -> LoopbackServers {
        let ip: std::net::IpAddr = address.parse().expect("an address");
        self.in_namespace(&self.client, move || {
            LoopbackServers::at((ip, port).into(), service).expect("bound")
        })
    }

    /// Serves on the first router, on all of its addresses.
    pub fn serve_at_first_router(&self, port: u16, service: Service) -> LoopbackServers {
        let place = SocketAddr::from(([0, 0, 0, 0], port));
        self.in_namespace(&self.first, move || {
            LoopbackServers::at(place, service).expect("bound")
        })
    }

    /// Listens on a socket file of the client's side.
    pub fn listen_on_file(&self, path: &Path) -> std::os::unix::net::UnixListener {
        let path = path.to_owned();
        self.in_namespace(&self.client, move || {
            std::os::unix::net::UnixListener::bind(path).expect("bound")
        })
    }

    /// A server whose queue of connections is full, and whom nobody serves: this machine's
    /// other programs hold the connections. Open until the test's process ends.
    pub fn full_queue(&self, address: &str, port: u16) {
        let place: SocketAddr = format!("{address}:{port}").parse().expect("an address");
        let listener = self.in_namespace(&self.server, move || {
            let socket = socket2::Socket::new(
                socket2::Domain::for_address(place),
                socket2::Type::STREAM,
                None,
            )
            .expect("a socket");
            socket.bind(&place.into()).expect("bound");
            socket.listen(0).expect("listens");
            socket
        });
        std::mem::forget(listener);
        let guests = self.in_namespace(&self.client, move || {
            let guest = || {
                let socket = socket2::Socket::new(
                    socket2::Domain::for_address(place),
                    socket2::Type::STREAM,
                    None,
                )
                .expect("a socket");
                socket.set_nonblocking(true).expect("set");
                let _ = socket.connect(&place.into());
                socket
            };
            let guests: Vec<_> = (0..3).map(|_| guest()).collect();
            std::thread::sleep(std::time::Duration::from_millis(100));
            guests
        });
        std::mem::forget(guests);
    }

    /// Runs something in one of the namespaces.
    fn in_namespace<T: Send + 'static>(
        &self,
        namespace: &str,
        does: impl FnOnce() -> T + Send + 'static,
    ) -> T {
        let namespace = format!("/var/run/netns/{namespace}");
        let thread = std::thread::spawn(move || {
            let file = std::fs::File::open(namespace).expect("the namespace");
            setns(file, CloneFlags::CLONE_NEWNET).expect("entered");
            does()
        });
        thread.join().expect("it is done")
    }

    /// Runs the program at the client's side, as nobody, with an empty environment.
    pub fn run(&self, args: &[&str]) -> Ran {
        self.run_as(
            &[
                "setpriv",
                "--reuid=65534",
                "--regid=65534",
                "--clear-groups",
                "--inh-caps=-all",
            ],
            args,
        )
    }

    /// Lets every user of the client's side send echoes, as most systems are set up.
    pub fn lets_echoes_out(&self) {
        let all = "net.ipv4.ping_group_range=0 2147483647";
        self.exec(&self.client, &["sysctl", "-qw", all]);
    }

    /// The same as the administrator, who may read the filter.
    pub fn run_as_root(&self, args: &[&str]) -> Ran {
        self.run_as(&["env"], args)
    }

    fn run_as(&self, who: &[&str], args: &[&str]) -> Ran {
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
            .args(who)
            .arg(&program)
            .args(args)
            .current_dir("/");
        finish(&mut command)
    }
}

impl Drop for Net {
    fn drop(&mut self) {
        for one in self.all() {
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

/// Diagnoses as nobody at the client's side, and holds the conclusion against the scene's.
pub fn as_in_scene(net: &Net, scene: &str, host: &str) -> Value {
    let target = format!("postgresql://purser:lantern-oil-42@{host}:5432/sailings");
    scene_with(net, scene, &target)
}

pub fn scene_with(net: &Net, scene: &str, target: &str) -> Value {
    scene_by(net, scene, &[], target)
}

/// The same with these arguments before the target.
pub fn scene_by(net: &Net, scene: &str, args: &[&str], target: &str) -> Value {
    let mut words = vec!["diagnose", "--output", "json"];
    words.extend(args);
    words.push(target);
    let ran = net.run(&words);
    let case = ran.case();
    let expected = chronaxis_lab::scenes::find(scene)
        .expect("a scene")
        .expected;
    let wanted = format!(
        "{} {} {}",
        expected.state.as_str(),
        expected.cause.unwrap_or("-"),
        expected.symptom.unwrap_or("-")
    );
    assert_eq!(gist(&case), wanted, "{scene}: {}", ran.stdout);
    assert_eq!(case["vantage"]["user"], "nobody", "unprivileged");
    real::tally("namespace", scene);
    keep(scene, &case);
    case
}

/// Keeps a case for the score of the inference (`scripts/record-cases`): without the name
/// of this machine.
fn keep(scene: &str, case: &Value) {
    let Ok(folder) = std::env::var("CHRONAXIS_KEEP") else {
        return;
    };
    let host = case["vantage"]["host"].as_str().expect("a host");
    let text = serde_json::to_string_pretty(case).expect("JSON");
    let text = text.replace(host, "quay-office");
    std::fs::write(format!("{folder}/{scene}.json"), text + "\n").expect("kept");
}

/// The ICMP message of the first fact that has one.
pub fn icmp(case: &Value) -> Value {
    let facts = case["layers"][4]["facts"]
        .as_array()
        .expect("facts of the port");
    let found = facts.iter().find(|f| f["icmp"].is_object());
    found.map_or(Value::Null, |f| f["icmp"].clone())
}

/// The first candidates.
pub fn causes_of(case: &Value, count: usize) -> Vec<String> {
    let all = case["causes"].as_array().expect("a list").iter();
    let ids = all.map(|c| c["id"].as_str().expect("an id").to_owned());
    ids.take(count).collect()
}

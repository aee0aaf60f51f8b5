//! A client, two routers and a server in network namespaces of their own, joined by veth
//! pairs. Needs root. The addresses are those of Osmary Ferries.

use std::io::Write as _;
use std::net::SocketAddr;
use std::path::Path;
use std::process::{Command, Stdio};

use chronaxis_lab::harbour::Harbour;
use chronaxis_lab::stand_in::Service;
use nix::sched::{CloneFlags, setns};

use serde_json::Value;

use super::unbound::Unbound;
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
        let name = |role: &str| format!("cx{}{tag}{role}", std::process::id() % 100_000);
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

    /// Rules for what the second router passes on.
    pub fn at_router(&self, rules: &str) {
        self.rules(&self.router, "forward", rules);
    }

    /// Rules for what the first router passes on.
    pub fn at_first_router(&self, rules: &str) {
        self.rules(&self.first, "forward", rules);
    }

    /// Rules for what the client sends.
    pub fn at_client(&self, rules: &str) {
        self.rules(&self.client, "output", rules);
    }

    /// Rules for what the client takes in; it drops the rest.
    pub fn client_takes_in(&self, rules: &str) {
        self.rules(&self.client, "input", &format!("{rules}\ndrop"));
    }

    /// Counts what comes to the first router and fits.
    pub fn count_at_first_router(&self, matches: &str) {
        self.rules(&self.first, "prerouting", &format!("{matches} counter"));
    }

    /// What was counted there.
    pub fn counted_at_first_router(&self) -> u64 {
        let printed = Command::new("ip")
            .args(["netns", "exec", &self.first, "nft", "list", "ruleset"])
            .output()
            .expect("nft runs");
        let text = String::from_utf8_lossy(&printed.stdout);
        let mut words = text.split_whitespace().skip_while(|w| *w != "packets");
        words.nth(1).expect("a counter").parse().expect("a number")
    }

    /// Lets the routers say nothing of packets that end at them.
    pub fn quiet_routers(&self) {
        for router in [&self.first, &self.router] {
            self.rules(router, "output", "icmp type time-exceeded drop");
        }
    }

    /// Lets routers and server say as much as they like: messages of ICMP are else counted.
    pub fn outspoken(&self) {
        for one in [&self.first, &self.router, &self.server] {
            self.exec(one, &["sysctl", "-qw", "net.ipv4.icmp_ratelimit=0"]);
            self.exec(one, &["sysctl", "-qw", "net.ipv6.icmp.ratelimit=0"]);
        }
    }

    /// Lets the second router say of one packet a second that it ends at it.
    pub fn sparing_router(&self) {
        let rule = "icmp type time-exceeded limit rate over 1/second burst 1 packets drop";
        self.rules(&self.router, "output", rule);
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

    /// Takes IPv6 away from the client altogether.
    pub fn without_six(&self) {
        let off = "net.ipv6.conf.all.disable_ipv6=1";
        self.exec(&self.client, &["sysctl", "-qw", off]);
    }

    /// Lets each router send what goes to a network to the other one.
    pub fn circle(&self, network: &str) {
        let way = |router: &str, by: &str| ip(&["-n", router, "route", "add", network, "via", by]);
        way(&self.first, ROUTER);
        way(&self.router, "203.0.113.2");
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

    /// Rules for what the server takes in.
    pub fn at_server(&self, rules: &str) {
        self.rules(&self.server, "input", rules);
    }

    fn rules(&self, namespace: &str, hook: &str, rules: &str) {
        self.table("inet", namespace, ("filter", hook), rules);
    }

    fn table(&self, family: &str, namespace: &str, (kind, hook): (&str, &str), rules: &str) {
        let text = format!(
            "table {family} osmary {{ chain {hook} {{ type {kind} hook {hook} priority 0; policy accept;\n{rules}\n}}\n}}\n"
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

    /// Lets the client's routes lead a network nowhere: `unreachable`, `blackhole`, `prohibit`.
    pub fn route_to_nowhere(&self, kind: &str, network: &str) {
        ip(&["-n", &self.client, "route", "replace", kind, network]);
    }

    /// Forbids the client to connect by TCP, by a rule of its own.
    pub fn prohibit_connections(&self) {
        ip(&[
            "-n",
            &self.client,
            "rule",
            "add",
            "ipproto",
            "tcp",
            "prohibit",
        ]);
    }

    /// Lets the client send everything by another next device.
    pub fn sends_by(&self, device: &str) {
        ip(&[
            "-n",
            &self.client,
            "route",
            "replace",
            "default",
            "via",
            device,
        ]);
    }

    /// Takes out the cable between the client and the first router.
    pub fn cable_out(&self) {
        ip(&["-n", &self.first, "link", "set", "toc", "down"]);
    }

    /// Lets the second router pass a port on to another machine.
    pub fn passes_on(&self, port: u16, to: &str) {
        let rule = format!("tcp dport {port} dnat to {to}");
        self.table("ip", &self.router, ("nat", "prerouting"), &rule);
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
        let to = format!("{address}:{port}");
        let taken = self.in_namespace(&self.client, move || {
            std::net::TcpStream::connect(to).expect("connected")
        });
        // Open until the test's process ends.
        std::mem::forget(taken);
    }

    /// What the client's hosts file says.
    pub fn hosts(&self, lines: &str) {
        let folder = format!("/etc/netns/{}", self.client);
        std::fs::create_dir_all(&folder).expect("a folder");
        std::fs::write(format!("{folder}/hosts"), lines).expect("written");
    }

    /// Where the client asks for names.
    pub fn resolver(&self, address: &str) {
        self.resolvers(&format!("nameserver {address}\n"));
    }

    /// The client is set up to ask nobody for names.
    pub fn no_resolver(&self) {
        self.resolvers("");
    }

    fn resolvers(&self, text: &str) {
        let folder = format!("/etc/netns/{}", self.client);
        std::fs::create_dir_all(&folder).expect("a folder");
        std::fs::write(format!("{folder}/resolv.conf"), text).expect("written");
    }

    /// A real name server at the client's side, on a loopback address.
    pub fn name_server(&self, records: &str) -> Unbound {
        let records = records.to_owned();
        self.in_namespace(&self.client, move || Unbound::start(&records, ""))
    }

    /// The client's system looks names up in its hosts file alone (nsswitch.conf(5)).
    pub fn goes_by_hosts_only(&self) {
        let folder = format!("/etc/netns/{}", self.client);
        std::fs::create_dir_all(&folder).expect("a folder");
        std::fs::write(format!("{folder}/nsswitch.conf"), "hosts: files\n").expect("written");
    }

    /// The client is set up to ask one place that says nothing, and then a real name server.
    pub fn behind_a_silent_resolver(&self, records: &str) -> (std::net::UdpSocket, Unbound) {
        let anybody = "net.ipv4.ip_unprivileged_port_start=0";
        self.exec(&self.client, &["sysctl", "-qw", anybody]);
        self.resolvers("nameserver 127.0.0.53\nnameserver 127.0.0.1\n");
        let records = records.to_owned();
        self.in_namespace(&self.client, move || {
            let mute = std::net::UdpSocket::bind("127.0.0.53:53").expect("bound");
            let at = SocketAddr::from(([127, 0, 0, 1], 53));
            (mute, Unbound::start_at(at, &records, ""))
        })
    }

    /// The client is set up to ask a real name server of its own, as machines are.
    pub fn asks_here(&self, records: &str) -> Unbound {
        let anybody = "net.ipv4.ip_unprivileged_port_start=0";
        self.exec(&self.client, &["sysctl", "-qw", anybody]);
        self.resolver("127.0.0.1");
        let records = records.to_owned();
        self.in_namespace(&self.client, move || {
            Unbound::start_at(SocketAddr::from(([127, 0, 0, 1], 53)), &records, "")
        })
    }

    /// A place at the client's side where questions go and no answer comes from.
    pub fn mute_resolver(&self) -> std::net::UdpSocket {
        self.in_namespace(&self.client, || {
            std::net::UdpSocket::bind("127.0.0.1:0").expect("bound")
        })
    }

    /// Serves on the server's side.
    pub fn serve(&self, address: &str, port: u16, service: Service) -> Harbour {
        let ip: std::net::IpAddr = address.parse().expect("an address");
        self.in_namespace(&self.server, move || {
            Harbour::at((ip, port).into(), service).expect("bound")
        })
    }

    /// Serves on the client's own side.
    pub fn serve_here(&self, address: &str, port: u16, service: Service) -> Harbour {
        let ip: std::net::IpAddr = address.parse().expect("an address");
        self.in_namespace(&self.client, move || {
            Harbour::at((ip, port).into(), service).expect("bound")
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

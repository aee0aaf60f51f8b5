//! What is wrong on the way: rules, routes, links.

use std::io::Write as _;
use std::process::{Command, Stdio};

use super::{FIRST_ROUTER, Net, ROUTER, ip};

impl Net {
    /// Rules for what the second router passes on.
    pub fn at_router(&self, rules: &str) {
        self.rules(&self.router, "forward", rules);
    }

    /// Rules for what the first router passes on.
    pub fn at_first_router(&self, rules: &str) {
        self.rules(&self.first, "forward", rules);
    }

    /// The second router remembers connections for so many idle seconds, and drops what belongs to
    /// none that it remembers (nf_conntrack-sysctl: `tcp_timeout_established`, `tcp_loose`).
    pub fn router_forgets_after(&self, seconds: u32) {
        self.at_router("ct state established accept\ntcp flags & (syn | ack) == syn accept\nmeta l4proto tcp drop");
        for setting in [
            format!("net.netfilter.nf_conntrack_tcp_timeout_established={seconds}"),
            "net.netfilter.nf_conntrack_tcp_loose=0".to_owned(),
        ] {
            self.exec(&self.router, &["sysctl", "-qw", &setting]);
        }
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

    /// Rules for what the server takes in.
    pub fn at_server(&self, rules: &str) {
        self.rules(&self.server, "input", rules);
    }

    pub(super) fn rules(&self, namespace: &str, hook: &str, rules: &str) {
        self.table("inet", namespace, ("filter", hook), rules);
    }

    pub(super) fn table(
        &self,
        family: &str,
        namespace: &str,
        (kind, hook): (&str, &str),
        rules: &str,
    ) {
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

    /// Takes out the cable between the client and the first router. The client goes on to
    /// remember it: else it would depend on the moment when the system forgets.
    pub fn cable_out(&self) {
        let shown = Command::new("ip")
            .args(["-n", &self.first, "-o", "link", "show", "toc"])
            .output()
            .expect("ip runs");
        let text = String::from_utf8_lossy(&shown.stdout);
        let mut words = text.split_whitespace().skip_while(|w| *w != "link/ether");
        let address = words.nth(1).expect("a link-layer address");
        ip(&[
            "-n",
            &self.client,
            "neigh",
            "replace",
            FIRST_ROUTER,
            "lladdr",
            address,
            "dev",
            "up0",
            "nud",
            "permanent",
        ]);
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
}

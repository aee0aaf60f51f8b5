//! Rulesets of nftables, drawn.

use super::{Draw, Made};

/// Everything that a rule may ask, and how often it was made.
pub struct Maker<'a> {
    pub draw: &'a mut Draw,
    pub made: &'a mut Made,
}

const V4: [&str; 7] = [
    "10.8.4.21",
    "10.8.0.0/16",
    "10.0.0.0/8",
    "192.0.2.0/24",
    "10.9.1.0-10.9.1.9",
    "0.0.0.0/0",
    "10.8.4.16-10.8.4.31",
];

const V6: [&str; 4] = [
    "2001:db8:8::21",
    "2001:db8:8::/48",
    "2001:db8::/32",
    "2001:db8:9::1-2001:db8:9::ff",
];

impl Maker<'_> {
    fn count(&mut self, name: &'static str) {
        *self.made.entry(name).or_default() += 1;
    }

    fn test(&mut self, hook: &str) -> String {
        let v4 = *self.draw.one(&V4.each_ref());
        let v6 = *self.draw.one(&V6.each_ref());
        let (name, text): (&'static str, String) = match self.draw.below(38) {
            0 | 1 => ("ip saddr", format!("ip saddr {v4}")),
            2 => ("ip saddr !=", format!("ip saddr != {v4}")),
            3 => (
                "ip saddr set",
                "ip saddr { 10.8.4.21, 192.0.2.0/25, 10.9.0.0-10.9.255.255 }".into(),
            ),
            4 => (
                "ip saddr != set",
                "ip saddr != { 10.8.0.0/16, 192.0.2.77 }".into(),
            ),
            5 => ("mask", "ip saddr & 255.0.0.255 == 10.0.0.21".into()),
            6 => ("ip6 saddr", format!("ip6 saddr {v6}")),
            7 => ("ip6 saddr !=", format!("ip6 saddr != {v6}")),
            8 => (
                "ip6 saddr set",
                "ip6 saddr { 2001:db8:8::21, 2001:db8:9::/64 }".into(),
            ),
            9 => ("ip daddr", "ip daddr 10.8.0.0/24".into()),
            10 | 11 => ("dport", format!("tcp dport {}", self.port())),
            12 => ("dport range", "tcp dport 5000-5999".into()),
            13 => ("dport set", "tcp dport { 5432, 6000-6431, 8080 }".into()),
            14 => ("dport !=", format!("tcp dport != {}", self.port())),
            15 => ("dport >", format!("tcp dport > {}", self.port())),
            16 => ("sport", "tcp sport 1024-65535".into()),
            17 => ("ct state new", "ct state new".into()),
            18 => (
                "ct state set",
                "ct state { new, related, untracked }".into(),
            ),
            19 => ("ct state !=", "ct state != established".into()),
            20 => ("ct state any", "ct state new,established".into()),
            21 => ("iifname", format!("iifname \"{}\"", self.device(hook))),
            22 => (
                "iifname !=",
                format!("iifname != \"{}\"", self.device(hook)),
            ),
            23 => ("iifname wildcard", "iifname \"up*\"".into()),
            24 => ("l4proto", "meta l4proto { tcp, udp }".into()),
            25 => ("ip protocol", "ip protocol tcp".into()),
            26 => (
                "nfproto",
                format!("meta nfproto {}", self.draw.one(&["ipv4", "ipv6"])),
            ),
            27 => ("other protocol", "udp dport 5432".into()),
            28 => ("icmp", "icmp type echo-request".into()),
            29 => ("named set", "ip saddr @offices".into()),
            30 => ("concatenation", "ip saddr . tcp dport @pairs".into()),
            31 => (
                "concatenation inline",
                "ip saddr . tcp dport { 10.8.4.21 . 5432, 192.0.2.77 . 6432 }".into(),
            ),
            32 => ("tcp flags", "tcp flags & (fin|syn|rst|ack) == syn".into()),
            33 => ("tcp flags any", "tcp flags syn".into()),
            34 => ("fib", "fib daddr type local".into()),
            35 => ("ct direction", "ct direction original".into()),
            36 => (
                "ct original",
                "meta l4proto tcp ct original proto-dst 5432".into(),
            ),
            _ => (
                "ct original address",
                "ct original ip saddr 10.8.0.0/16".into(),
            ),
        };
        self.count(name);
        text
    }

    fn port(&mut self) -> &'static str {
        self.draw.one(&["5432", "6432", "5433", "22"])
    }

    fn device(&mut self, hook: &str) -> &'static str {
        match hook {
            "output" => "lo",
            _ => self.draw.one(&["up0", "lo", "eth0"]),
        }
    }

    fn verdict(&mut self, chains: bool) -> String {
        let (name, text): (&'static str, &str) = match self.draw.below(16) {
            0..=6 => ("accept", "accept"),
            7..=9 => ("drop", "drop"),
            10 => ("reject", "reject"),
            11 => ("reject reset", "meta l4proto tcp reject with tcp reset"),
            12 if chains => ("jump", "jump offices_only"),
            13 if chains => ("goto", "goto offices_only"),
            14 => ("counter", "counter accept"),
            15 => ("log", "log prefix \"cx\" accept"),
            _ => ("return", "return"),
        };
        self.count(name);
        text.to_owned()
    }

    fn rule(&mut self, hook: &str, chains: bool) -> String {
        let odd = self.draw.below(22);
        let special: Option<(&'static str, String)> = match odd {
            0 => Some((
                "vmap",
                "tcp dport vmap { 5432 : accept, 6432 : drop, 7000-7999 : accept }".into(),
            )),
            1 => Some(("named vmap", "tcp dport vmap @by_port".into())),
            2 if chains => Some((
                "vmap jump",
                "ip saddr vmap { 10.8.0.0/16 : jump offices_only, 192.0.2.0/24 : drop }".into(),
            )),
            3 => Some((
                "mark",
                "meta mark set 0x10\n  meta mark 0x10 tcp dport 5432 accept".into(),
            )),
            4 => Some((
                "mark bits",
                "meta mark set 0x35\n  meta mark set meta mark and 0xf0 or 0x1\n  meta mark and 0xff == 0x31 ip saddr 10.0.0.0/8 accept"
                    .into(),
            )),
            5 => Some((
                "ct mark",
                "meta mark set 0x7\n  ct mark set meta mark\n  ct mark 0x7 tcp dport 6432 accept".into(),
            )),
            6 if self.draw.chance(70) => Some(("limit", "limit rate 1000/second accept".into())),
            _ => None,
        };
        if let Some((name, text)) = special {
            self.count(name);
            return text;
        }
        let mut words = Vec::new();
        for _ in 0..1 + self.draw.below(2) {
            words.push(self.test(hook));
        }
        // nft 1.0.6 leaves a test of the family out of what it prints, where it takes it for
        // one that another test brings: by itself it stays.
        if let Some(family) = words.iter().find(|w| w.starts_with("meta nfproto")) {
            let verdict = self.draw.one(&["accept", "drop"]);
            return format!("{family} {verdict}");
        }
        words.push(self.verdict(chains));
        words.join(" ")
    }

    fn chain(&mut self, name: &str, base: Option<(&str, &str, bool)>, rules: &[String]) -> String {
        let mut out = format!(" chain {name} {{\n");
        if let Some((hook, priority, drops)) = base {
            let policy = if drops { "drop" } else { "accept" };
            out.push_str(&format!(
                "  type filter hook {hook} priority {priority}; policy {policy};\n"
            ));
        }
        for rule in rules {
            out.push_str(&format!("  {rule}\n"));
        }
        out.push_str(" }\n");
        out
    }

    /// A ruleset.
    pub fn ruleset(&mut self) -> String {
        let mut out = String::from(
            "flush ruleset\ntable inet cx {\n set offices {\n  type ipv4_addr; flags interval;\n  elements = { 10.8.0.0/16, 192.0.2.64-192.0.2.79 }\n }\n set pairs {\n  type ipv4_addr . inet_service; flags interval;\n  elements = { 10.8.0.0/16 . 5432, 10.9.1.5 . 6000-6999 }\n }\n map by_port {\n  type inet_service : verdict;\n  elements = { 5432 : accept, 5433 : drop }\n }\n",
        );
        let inner: Vec<String> = (0..1 + self.draw.below(3))
            .map(|_| self.rule("any", false))
            .collect();
        out.push_str(&self.chain("offices_only", None, &inner));
        if self.draw.chance(45) {
            let raw = match self.draw.chance(50) {
                true => {
                    self.count("notrack");
                    vec!["tcp dport 5433 notrack".to_owned()]
                }
                false => (0..1 + self.draw.below(2))
                    .map(|_| self.rule("prerouting", false))
                    .collect(),
            };
            let priority = *self.draw.one(&[&"-300", &"-150", &"0"]);
            let priority = if raw[0].ends_with("notrack") {
                "-300"
            } else {
                priority
            };
            out.push_str(&self.chain("early", Some(("prerouting", priority, false)), &raw));
            self.count("prerouting");
        }
        if self.draw.chance(25) {
            out.push_str(" chain redirected {\n  type nat hook prerouting priority -100; policy accept;\n  tcp dport 6432 redirect to :5432\n }\n");
            self.count("redirect");
        }
        let drops = self.draw.chance(70);
        let mut rules = Vec::new();
        if self.draw.chance(60) {
            rules.push("ct state established,related accept".to_owned());
            self.count("ct state in");
        } else if drops && self.draw.chance(60) {
            rules.push("tcp flags & (syn|ack) == ack accept".to_owned());
            self.count("tcp flags mask");
        }
        if self.draw.chance(30) {
            rules.push("iifname \"lo\" accept".to_owned());
        }
        rules.extend((0..3 + self.draw.below(5)).map(|_| self.rule("input", true)));
        out.push_str(&self.chain("arrives", Some(("input", "0", drops)), &rules));
        if self.draw.chance(30) {
            let second: Vec<String> = (0..1 + self.draw.below(2))
                .map(|_| self.rule("input", true))
                .collect();
            out.push_str(&self.chain("later", Some(("input", "10", false)), &second));
            self.count("second chain");
        }
        if self.draw.chance(30) {
            let drops = self.draw.chance(40);
            let rules = match self.draw.chance(60) {
                true => vec!["ct state established accept".to_owned()],
                false => vec![
                    "tcp sport { 5432, 5433 } accept".to_owned(),
                    "oifname \"up0\" ip daddr 10.8.0.0/16 accept".to_owned(),
                ],
            };
            out.push_str(&self.chain("leaves", Some(("output", "0", drops)), &rules));
            self.count("output");
        }
        out.push_str("}\n");
        out
    }
}

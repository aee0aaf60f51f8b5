//! Rulesets of iptables, drawn.

use super::{Draw, Made};

/// Everything that a rule may ask, and how often it was made.
pub struct Maker<'a> {
    pub draw: &'a mut Draw,
    pub made: &'a mut Made,
    pub v6: bool,
}

impl Maker<'_> {
    fn count(&mut self, name: &'static str) {
        *self.made.entry(name).or_default() += 1;
    }

    fn source(&mut self) -> &'static str {
        match self.v6 {
            true => self.draw.one(&[
                "2001:db8:8::21",
                "2001:db8:8::/48",
                "2001:db8::/32",
                "2001:db8:9::/64",
            ]),
            false => self.draw.one(&[
                "10.8.4.21/32",
                "10.8.0.0/16",
                "10.0.0.0/8",
                "192.0.2.0/24",
                "10.9.1.0/29",
            ]),
        }
    }

    fn test(&mut self) -> String {
        let source = self.source();
        let range = match self.v6 {
            true => "2001:db8:8::1-2001:db8:8::ff",
            false => "10.8.4.16-10.9.255.255",
        };
        let port = self.draw.one(&["5432", "6432", "5433"]);
        let (name, text): (&'static str, String) = match self.draw.below(22) {
            0 | 1 => ("-s", format!("-s {source}")),
            2 => ("! -s", format!("! -s {source}")),
            3 => (
                "-d",
                format!(
                    "-d {}",
                    if self.v6 {
                        "2001:db8:8::7"
                    } else {
                        "10.8.0.0/24"
                    }
                ),
            ),
            4..=6 => ("--dport", format!("-p tcp -m tcp --dport {port}")),
            7 => ("! --dport", format!("-p tcp -m tcp ! --dport {port}")),
            8 => ("--dport range", "-p tcp -m tcp --dport 5000:5999".into()),
            9 => ("--sport", "-p tcp -m tcp --sport 1024:65535".into()),
            10 => (
                "multiport",
                "-p tcp -m multiport --dports 5432,6000:6431".into(),
            ),
            11 => (
                "! multiport",
                "-p tcp -m multiport ! --dports 5433,6432".into(),
            ),
            12 => ("ctstate", "-m conntrack --ctstate NEW,RELATED".into()),
            13 => ("! ctstate", "-m conntrack ! --ctstate ESTABLISHED".into()),
            14 => ("state", "-m state --state NEW".into()),
            15 => (
                "-i",
                format!("-i {}", self.draw.one(&["up0", "lo", "up+", "eth0"])),
            ),
            16 => ("! -i", format!("! -i {}", self.draw.one(&["lo", "eth0"]))),
            17 => ("iprange", format!("-m iprange --src-range {range}")),
            18 => ("udp", "-p udp -m udp --dport 5432".into()),
            19 => ("syn", "-p tcp -m tcp --syn".into()),
            20 => (
                "comment",
                format!("-m comment --comment \"the \\\"office\\\" -j DROP\" -s {source}"),
            ),
            _ => ("addrtype", "-m addrtype --dst-type LOCAL".into()),
        };
        self.count(name);
        text
    }

    fn target(&mut self, chains: bool) -> String {
        let (name, text): (&'static str, &str) = match self.draw.below(17) {
            0..=7 => ("ACCEPT", "-j ACCEPT"),
            8..=10 => ("DROP", "-j DROP"),
            11 => ("REJECT", "-j REJECT"),
            12 | 13 if chains => ("chain", "-j offices"),
            14 if chains => ("-g", "-g offices"),
            15 => ("RETURN", "-j RETURN"),
            _ => ("ACCEPT", "-j ACCEPT"),
        };
        self.count(name);
        text.to_owned()
    }

    fn rule(&mut self, chain: &str, chains: bool) -> String {
        if chains && self.draw.chance(8) {
            self.count("mark");
            return format!(
                "-A {chain} -j MARK --set-xmark 0x15/0xff\n-A {chain} -m mark --mark 0x10/0xf0 -p tcp -m tcp --dport 5432 -j ACCEPT\n"
            );
        }
        if self.draw.chance(5) {
            self.count("LOG");
            return format!("-A {chain} -j LOG --log-prefix \"cx \"\n");
        }
        if self.draw.chance(6) {
            self.count("limit");
            return format!("-A {chain} -m limit --limit 1000/sec -j ACCEPT\n");
        }
        let tests: Vec<String> = (0..1 + self.draw.below(2)).map(|_| self.test()).collect();
        // A protocol is told once only.
        let twice = tests.iter().filter(|t| t.starts_with("-p")).count() > 1;
        let twice = twice || tests.iter().filter(|t| t.contains("-s ")).count() > 1;
        let twice = twice || tests.iter().filter(|t| t.contains("-d ")).count() > 1;
        let twice = twice
            || tests
                .iter()
                .filter(|t| t.starts_with("-i") || t.starts_with("! -i"))
                .count()
                > 1;
        let tests = if twice { &tests[..1] } else { &tests[..] };
        let target = self.target(chains);
        format!("-A {chain} {} {target}\n", tests.join(" "))
    }

    /// A ruleset.
    pub fn ruleset(&mut self) -> String {
        let mut out = String::new();
        if self.draw.chance(38) {
            self.count("raw");
            let chain = "PREROUTING";
            out.push_str("*raw\n:PREROUTING ACCEPT [0:0]\n:OUTPUT ACCEPT [0:0]\n");
            match self.draw.chance(65) {
                true => {
                    self.count("NOTRACK");
                    out.push_str("-A PREROUTING -p tcp -m tcp --dport 5433 -j CT --notrack\n");
                }
                false => {
                    let source = self.source();
                    out.push_str(&format!("-A {chain} -s {source} -j DROP\n"));
                }
            }
            out.push_str("COMMIT\n");
        }
        if self.draw.chance(25) {
            self.count("REDIRECT");
            out.push_str("*nat\n:PREROUTING ACCEPT [0:0]\n:INPUT ACCEPT [0:0]\n:OUTPUT ACCEPT [0:0]\n:POSTROUTING ACCEPT [0:0]\n-A PREROUTING -p tcp -m tcp --dport 6432 -j REDIRECT --to-ports 5432\nCOMMIT\n");
        }
        let drops = self.draw.chance(70);
        let policy = if drops { "DROP" } else { "ACCEPT" };
        let output = match self.draw.chance(28) {
            true => {
                self.count("OUTPUT");
                "DROP"
            }
            false => "ACCEPT",
        };
        out.push_str(&format!(
            "*filter\n:INPUT {policy} [0:0]\n:FORWARD ACCEPT [0:0]\n:OUTPUT {output} [0:0]\n:offices - [0:0]\n"
        ));
        // Neighbours of IPv6 are found by packets too.
        if self.v6 {
            out.push_str("-A INPUT -p ipv6-icmp -j ACCEPT\n-A OUTPUT -p ipv6-icmp -j ACCEPT\n");
        }
        if output == "DROP" {
            match self.draw.chance(50) {
                true => out.push_str("-A OUTPUT -m conntrack --ctstate ESTABLISHED -j ACCEPT\n"),
                false => out.push_str("-A OUTPUT -p tcp -m tcp --sport 5432 -j ACCEPT\n"),
            }
        }
        if self.draw.chance(70) {
            self.count("ctstate ESTABLISHED");
            out.push_str("-A INPUT -m conntrack --ctstate RELATED,ESTABLISHED -j ACCEPT\n");
        } else if self.draw.chance(90) {
            self.count("tcp-flags");
            out.push_str("-A INPUT -p tcp -m tcp --tcp-flags SYN,ACK ACK -j ACCEPT\n");
        }
        for _ in 0..2 + self.draw.below(5) {
            let rule = self.rule("INPUT", true);
            out.push_str(&rule);
        }
        for _ in 0..1 + self.draw.below(3) {
            let rule = self.rule("offices", false);
            out.push_str(&rule);
        }
        out.push_str("COMMIT\n");
        out
    }
}

//! Where to go: hosts, addresses and ports, each a list with commas between.

use std::net::IpAddr;

use chronaxis_model::settings::Field;
use chronaxis_model::shown;
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::{ClientId, End};

use super::super::string::USUAL_PORT;
use super::Filled;
use crate::strings::ClientEnvironment;
use crate::text::parse_port;

impl Filled {
    /// The parts of a list value, with commas between; none where it is not given.
    fn list(&self, key: &str) -> Vec<String> {
        let told = self.values.get(key);
        told.map_or_else(Vec::new, |t| {
            t.value.split(',').map(str::to_owned).collect()
        })
    }

    pub(super) fn check_address(&mut self) {
        let no_address = |a: &&String| !a.is_empty() && a.parse::<IpAddr>().is_err();
        let addresses = self.list("hostaddr");
        if let Some(address) = addresses.iter().find(no_address) {
            let text = format!(
                "hostaddr {} is not an address",
                shown::quoted("hostaddr", address)
            );
            let expected = "an IPv4 or IPv6 address; a name goes into host";
            self.unreadable("hostaddr", text, expected);
        }
        let hosts = self.list("host");
        let (hosts, addresses) = (hosts.len(), addresses.len());
        if hosts > 0 && addresses > 0 && hosts != addresses {
            let text = format!("{hosts} hosts are given, and {addresses} addresses in hostaddr");
            self.unreadable("hostaddr", text, "one address for each host");
        }
        let places = hosts.max(addresses).max(1);
        let ports = self.list("port").len();
        if ports > 1 && ports != places {
            let text = format!("{ports} ports are given for {places} hosts");
            self.unreadable("port", text, "one port for all, or one for each host");
        }
    }

    /// The port of the host at this place in the list.
    fn port(&mut self, index: usize) -> u16 {
        let ports = self.list("port");
        let told = ports
            .get(index)
            .or(ports.first().filter(|_| ports.len() == 1));
        match told.map(String::as_str) {
            None | Some("") => {
                if ports.len() < 2 {
                    self.by_default("port", "the engine's usual port");
                }
                USUAL_PORT
            }
            Some(text) => match parse_port(text) {
                Some(port) => port,
                None => {
                    self.check_port_variable();
                    USUAL_PORT
                }
            },
        }
    }

    fn check_port_variable(&mut self) {
        let from_text = |o: &Origin| matches!(o, Origin::Target { .. } | Origin::Stdin { .. });
        if self
            .defects
            .iter()
            .any(|d| d.subject == Field::PORT && d.stops)
        {
            return;
        }
        let told = self.values.get("port");
        if let Some(origin) = told.map(|t| t.origin.clone()).filter(|o| !from_text(o)) {
            let text = format!("the port in {} is not a number", origin.shown());
            self.unreadable("port", text, "a number from 1 to 65535");
        }
    }

    pub(super) fn ends(&mut self, around: &ClientEnvironment) -> Vec<End> {
        let hosts = self.list("host");
        let addresses = self.list("hostaddr");
        let places = hosts.len().max(addresses.len());
        if places == 0 {
            let over_network = self.client != ClientId::Libpq;
            let (rule, host) = if over_network {
                ("this machine", "localhost")
            } else {
                ("the socket file of this machine", "")
            };
            self.by_default("host", rule);
            return self.end(host, None, 0, around).into_iter().collect();
        }
        (0..places)
            .filter_map(|i| {
                let host = hosts.get(i).map_or("", String::as_str);
                let address = addresses.get(i).and_then(|a| a.parse().ok());
                self.end(host, address, i, around)
            })
            .collect()
    }

    fn end(
        &mut self,
        host: &str,
        address: Option<IpAddr>,
        index: usize,
        around: &ClientEnvironment,
    ) -> Option<End> {
        let port = self.port(index);
        let folder = match (host, address) {
            (host, None) if host.starts_with('@') => {
                let text = "an abstract socket name is given, which this program cannot connect to"
                    .to_owned();
                self.unreadable("host", text, "a host, an address, or a socket folder");
                return None;
            }
            ("", None) => around.socket_folder.as_str(),
            (folder, None) if folder.starts_with('/') => folder,
            ("", Some(ip)) => {
                return Some(End::Host {
                    host: ip.to_string(),
                    port,
                    address: None,
                });
            }
            (host, address) => {
                return Some(End::Host {
                    host: host.to_owned(),
                    port,
                    address,
                });
            }
        };
        Some(End::Socket {
            socket: format!("{}/.s.PGSQL.{port}", folder.trim_end_matches('/')),
        })
    }
}

//! Where the client of a net gets its names from.

use std::net::SocketAddr;

use super::{CLIENT, Net};
use crate::support::unbound::Unbound;

impl Net {
    /// The name of the server's namespace, in which the client's address has a name: a
    /// server that looks it up would else wait for name service.
    pub fn server_name(&self) -> &str {
        let folder = format!("/etc/netns/{}", self.server);
        std::fs::create_dir_all(&folder).expect("a folder");
        let hosts = format!("127.0.0.1 localhost\n{CLIENT} deck-4.osmary.example\n");
        std::fs::write(format!("{folder}/hosts"), hosts).expect("written");
        &self.server
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
}

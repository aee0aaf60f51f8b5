//! Two network namespaces, a filter in one of them, and connections from the other: the
//! kernel says what rules mean.

pub mod iptables;
pub mod nft;

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read as _, Write as _};
use std::net::{IpAddr, SocketAddr};
use std::os::fd::{AsFd as _, AsRawFd as _};
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use nix::poll::{PollFd, PollFlags, PollTimeout, poll};
use nix::sched::{CloneFlags, setns};
use socket2::{Domain, Protocol, Socket, Type};

/// The server's addresses.
pub const SERVER: [&str; 2] = ["10.8.0.7", "2001:db8:8::7"];

/// The clients' addresses.
pub const CLIENTS: [&str; 5] = [
    "10.8.4.21",
    "10.9.1.5",
    "192.0.2.77",
    "2001:db8:8::21",
    "2001:db8:9::5",
];

/// The ports on which something listens.
pub const PORTS: [u16; 3] = [5432, 6432, 5433];

/// The device by which packets come to the server.
pub const DEVICE: &str = "up0";

/// How long a connection may take that is let in: the way is two devices of one kernel.
pub const PATIENCE: Duration = Duration::from_millis(200);

/// How long it may take where a busy machine was perhaps only late.
pub const LONG: Duration = Duration::from_secs(5);

/// Numbers that look drawn, the same in every run.
pub struct Draw(u64);

impl Draw {
    pub fn new(seed: u64) -> Draw {
        Draw(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    pub fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as usize % n
    }

    pub fn one<'a, T: ?Sized>(&mut self, of: &[&'a T]) -> &'a T {
        of[self.below(of.len())]
    }

    /// True in so many of a hundred cases.
    pub fn chance(&mut self, percent: usize) -> bool {
        self.below(100) < percent
    }
}

/// How often each expression was made.
pub type Made = BTreeMap<&'static str, usize>;

/// A pair of namespaces.
pub struct Ground {
    client: String,
    server: String,
}

fn run(words: &[&str]) {
    let done = Command::new(words[0]).args(&words[1..]).status();
    assert!(done.expect("runs").success(), "{words:?}");
}

impl Ground {
    pub fn new() -> Ground {
        static MADE: AtomicUsize = AtomicUsize::new(0);
        let n = MADE.fetch_add(1, Ordering::Relaxed);
        let id = std::process::id();
        let ground = Ground {
            client: format!("cxf{id}c{n}"),
            server: format!("cxf{id}s{n}"),
        };
        let (client, server) = (ground.client.as_str(), ground.server.as_str());
        for name in [client, server] {
            run(&["ip", "netns", "add", name]);
            run(&["ip", "-n", name, "link", "set", "lo", "up"]);
        }
        run(&[
            "ip", "-n", client, "link", "add", DEVICE, "type", "veth", "peer", "name", DEVICE,
            "netns", server,
        ]);
        for name in [client, server] {
            // Nothing is to be waited for before an address counts.
            let off = "net.ipv6.conf.up0.accept_dad=0";
            run(&["ip", "netns", "exec", name, "sysctl", "-qw", off]);
            run(&["ip", "-n", name, "link", "set", DEVICE, "up"]);
        }
        let add = |name: &str, address: &str| {
            let length = if address.contains(':') { 48 } else { 16 };
            let address = format!("{address}/{length}");
            run(&["ip", "-n", name, "addr", "add", &address, "dev", DEVICE]);
        };
        SERVER.iter().for_each(|a| add(server, a));
        CLIENTS.iter().for_each(|a| add(client, a));
        for net in ["10.9.0.0/16", "192.0.2.0/24", "2001:db8:9::/48"] {
            run(&["ip", "-n", server, "route", "add", net, "dev", DEVICE]);
        }
        // Filters stop the questions by which IPv6 finds neighbours, too: all are known.
        let link = |name: &str| {
            let words = ["-n", name, "-br", "link", "show", "dev", DEVICE];
            let shown = Command::new("ip").args(words).output().expect("ip runs");
            let shown = String::from_utf8_lossy(&shown.stdout).into_owned();
            shown.split_whitespace().nth(2).expect("a link").to_owned()
        };
        let knows = |name: &str, address: &str, at: &str| {
            run(&[
                "ip",
                "-n",
                name,
                "neigh",
                "replace",
                address,
                "lladdr",
                at,
                "dev",
                DEVICE,
                "nud",
                "permanent",
            ]);
        };
        let (of_client, of_server) = (link(client), link(server));
        SERVER.iter().for_each(|a| knows(client, a, &of_server));
        CLIENTS.iter().for_each(|a| knows(server, a, &of_client));
        ground
    }

    /// Does something with sockets of a namespace, on a thread of its own.
    fn inside<T: Send>(name: &str, what: impl FnOnce() -> T + Send) -> T {
        std::thread::scope(|scope| {
            let thread = scope.spawn(|| {
                let file = File::open(format!("/run/netns/{name}")).expect("a namespace");
                setns(file.as_fd(), CloneFlags::CLONE_NEWNET).expect("entered");
                what()
            });
            thread.join().expect("no panic")
        })
    }

    /// Listens on all ports, and sends a byte to everybody who is let in.
    pub fn listen(&self) -> Listening {
        let sockets = Self::inside(&self.server, || {
            let each = [Domain::IPV4, Domain::IPV6].into_iter().flat_map(|domain| {
                PORTS.into_iter().map(move |port| {
                    let socket = Socket::new(domain, Type::STREAM, Some(Protocol::TCP)).unwrap();
                    socket.set_reuse_address(true).unwrap();
                    let at: SocketAddr = match domain == Domain::IPV6 {
                        true => {
                            socket.set_only_v6(true).unwrap();
                            (std::net::Ipv6Addr::UNSPECIFIED, port).into()
                        }
                        false => (std::net::Ipv4Addr::UNSPECIFIED, port).into(),
                    };
                    socket.bind(&at.into()).unwrap();
                    socket.listen(64).unwrap();
                    socket
                })
            });
            each.collect::<Vec<Socket>>()
        });
        for socket in sockets {
            std::thread::spawn(move || {
                while let Ok((mut taken, _)) = socket.accept() {
                    let _ = taken.write_all(b"!");
                    // Held until the client has read: its end is for it to make.
                    std::thread::spawn(move || {
                        let _ = taken.set_read_timeout(Some(Duration::from_secs(2)));
                        let _ = (&taken).read(&mut [0u8; 8]);
                    });
                }
            });
        }
        Listening
    }

    /// Runs a program in the server's namespace with a text as its input.
    pub fn at_server(&self, words: &[&str], input: &str) -> Result<String, String> {
        let mut child = Command::new("ip")
            .args(["netns", "exec", &self.server])
            .args(words)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("runs");
        child
            .stdin
            .take()
            .expect("a pipe")
            .write_all(input.as_bytes())
            .ok();
        let done = child.wait_with_output().expect("ends");
        match done.status.success() {
            true => Ok(String::from_utf8_lossy(&done.stdout).into_owned()),
            false => Err(String::from_utf8_lossy(&done.stderr).into_owned()),
        }
    }

    /// Whether each of these connections is let in: its client hears the server's byte.
    pub fn connect(&self, wanted: &[(IpAddr, SocketAddr)], patience: Duration) -> Vec<bool> {
        Self::inside(&self.client, || {
            let sockets: Vec<Socket> = wanted
                .iter()
                .map(|(from, to)| {
                    let domain = Domain::for_address(*to);
                    let socket = Socket::new(domain, Type::STREAM, Some(Protocol::TCP)).unwrap();
                    socket.set_nonblocking(true).unwrap();
                    socket.bind(&SocketAddr::new(*from, 0).into()).unwrap();
                    let _ = socket.connect(&(*to).into());
                    socket
                })
                .collect();
            heard(&sockets, patience)
        })
    }
}

/// Which sockets bring a byte in time.
fn heard(sockets: &[Socket], patience: Duration) -> Vec<bool> {
    let until = Instant::now() + patience;
    let mut out = vec![None; sockets.len()];
    while out.iter().any(Option::is_none) && Instant::now() < until {
        let left = until.saturating_duration_since(Instant::now());
        let open: Vec<usize> = (0..sockets.len()).filter(|i| out[*i].is_none()).collect();
        let mut asked: Vec<PollFd<'_>> = open
            .iter()
            .map(|i| PollFd::new(sockets[*i].as_fd(), PollFlags::POLLIN))
            .collect();
        let wait = PollTimeout::try_from(left).unwrap_or(PollTimeout::ZERO);
        if poll(&mut asked, wait).unwrap_or(0) == 0 {
            break;
        }
        for (index, ready) in open.iter().zip(&asked) {
            let events = ready.revents().unwrap_or(PollFlags::empty());
            if events.contains(PollFlags::POLLIN) {
                let mut byte = [std::mem::MaybeUninit::uninit(); 1];
                let read = sockets[*index].recv(&mut byte);
                out[*index] = Some(matches!(read, Ok(1)));
            } else if events.intersects(PollFlags::POLLERR | PollFlags::POLLHUP) {
                out[*index] = Some(false);
            }
        }
    }
    sockets.iter().for_each(|s| {
        let _ = s.as_raw_fd();
        let _ = s.set_linger(Some(Duration::ZERO));
    });
    out.into_iter().map(|o| o.unwrap_or(false)).collect()
}

/// The server's ports are open as long as the program runs.
pub struct Listening;

impl Drop for Ground {
    fn drop(&mut self) {
        for name in [&self.client, &self.server] {
            let _ = Command::new("ip").args(["netns", "del", name]).status();
        }
    }
}

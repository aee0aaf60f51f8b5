//! The same worlds on loopback: real sockets, free ports, threads that end with it.

use std::collections::BTreeMap;
use std::io::{self, Read as _, Write as _};
use std::net::{Shutdown, SocketAddr, TcpListener, TcpStream};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use socket2::{Domain, Socket, Type};

use crate::stand_in::{Counted, Counts, Reaction, Service};

/// Longest that a stand-in waits for bytes before it lets a line go.
const PATIENCE: Duration = Duration::from_secs(30);

/// Ports that are held, and the threads behind them. Dropping it frees all.
pub struct LoopbackServers {
    ports: BTreeMap<u16, u16>,
    counted: Arc<Counted>,
    stop: Arc<AtomicBool>,
    threads: Vec<(Socket, JoinHandle<()>)>,
    held: Vec<Socket>,
    filled: Vec<Socket>,
}

impl LoopbackServers {
    /// Opens a loopback port for each service, and holds one port closed for each entry
    /// without a service. The port below each is held closed too, so that a control port
    /// meets nobody else's server.
    ///
    /// # Errors
    /// Passes on what the system says when it has no port to give.
    pub fn open(services: &[(u16, Option<Service>)]) -> io::Result<LoopbackServers> {
        let mut servers = LoopbackServers::empty();
        let mut places = Vec::new();
        for (nominal, service) in services {
            let (socket, address) = servers.take_pair()?;
            servers.ports.insert(*nominal, address.port());
            places.push((socket, address, service.clone()));
        }
        for (socket, address, service) in places {
            match service.map(|service| service.moved(&servers.ports)) {
                None => servers.held.push(socket),
                Some(Service::Hung) => servers.fill(socket, address)?,
                Some(Service::Asleep) => {
                    socket.listen(8)?;
                    servers.held.push(socket);
                }
                Some(service) => servers.serve(socket, service)?,
            }
        }
        Ok(servers)
    }

    /// Serves at one address and port of this machine, for tests in network namespaces:
    /// the threads stay in the namespace of the caller.
    ///
    /// # Errors
    /// Passes on what the system says when it cannot bind there.
    pub fn at(address: SocketAddr, service: Service) -> io::Result<LoopbackServers> {
        let mut servers = LoopbackServers::empty();
        let socket = bind(address)?;
        servers.serve(socket, service)?;
        Ok(servers)
    }

    fn empty() -> LoopbackServers {
        LoopbackServers {
            ports: BTreeMap::new(),
            counted: Arc::new(Counted::default()),
            stop: Arc::new(AtomicBool::new(false)),
            threads: Vec::new(),
            held: Vec::new(),
            filled: Vec::new(),
        }
    }

    /// The real port that stands for a scene's own.
    pub fn port(&self, nominal: u16) -> u16 {
        self.ports.get(&nominal).copied().unwrap_or(nominal)
    }

    /// What the far side saw. A port that takes no connection counts none.
    pub fn counts(&self) -> Counts {
        self.counted.now()
    }

    /// What the far side saw, once so many lines are counted, or after this long: the
    /// threads behind the ports may lag behind a client that has already left.
    pub fn counts_after(&self, lines: u32, at_most: Duration) -> Counts {
        let began = Instant::now();
        loop {
            let counts = self.counts();
            let served = !self.threads.is_empty();
            if counts.lines >= lines || !served || began.elapsed() >= at_most {
                return counts;
            }
            std::thread::sleep(Duration::from_millis(1));
        }
    }

    fn take_pair(&mut self) -> io::Result<(Socket, SocketAddr)> {
        let mut last = io::Error::from(io::ErrorKind::AddrInUse);
        for _ in 0..64 {
            let upper = bind(loopback(0))?;
            let address = address_of(&upper)?;
            match bind(loopback(address.port() - 1)) {
                Ok(lower) => {
                    self.held.push(lower);
                    return Ok((upper, address));
                }
                Err(error) => last = error,
            }
        }
        Err(last)
    }

    /// A listening socket whose queue is full: the kernel drops what comes.
    fn fill(&mut self, socket: Socket, address: SocketAddr) -> io::Result<()> {
        socket.listen(0)?;
        for _ in 0..3 {
            let guest = Socket::new(Domain::IPV4, Type::STREAM, None)?;
            guest.set_nonblocking(true)?;
            let _ = guest.connect(&address.into());
            self.filled.push(guest);
        }
        // The handshakes of the guests are the kernel's own; give it a moment.
        std::thread::sleep(Duration::from_millis(20));
        self.held.push(socket);
        Ok(())
    }

    fn serve(&mut self, socket: Socket, service: Service) -> io::Result<()> {
        socket.listen(128)?;
        let own = socket.try_clone()?;
        let listener: TcpListener = socket.into();
        let (counted, stop) = (self.counted.clone(), self.stop.clone());
        let thread = std::thread::Builder::new()
            .name("stand-in".to_owned())
            .spawn(move || {
                for stream in listener.incoming() {
                    if stop.load(Ordering::SeqCst) {
                        return;
                    }
                    let Ok(stream) = stream else { continue };
                    counted.line();
                    let (service, counted) = (service.clone(), counted.clone());
                    let _ = std::thread::Builder::new().spawn(move || {
                        let _ = serve_line(stream, &service, &counted);
                    });
                }
            })?;
        self.threads.push((own, thread));
        Ok(())
    }
}

impl Drop for LoopbackServers {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::SeqCst);
        for (listener, thread) in self.threads.drain(..) {
            // Wakes the thread out of its wait (accept(2) fails once reading is shut down).
            let _ = listener.shutdown(Shutdown::Read);
            let _ = thread.join();
        }
    }
}

fn serve_line(mut stream: TcpStream, service: &Service, counted: &Arc<Counted>) -> io::Result<()> {
    stream.set_nodelay(true)?;
    stream.set_read_timeout(Some(PATIENCE))?;
    let mut server = service.serve(counted);
    let mut reactions = server.opened();
    let mut buffer = [0u8; 4096];
    loop {
        for reaction in reactions {
            match reaction {
                Reaction::Send(bytes) => stream.write_all(&bytes)?,
                Reaction::Pause(ms) => std::thread::sleep(Duration::from_millis(ms)),
                Reaction::Close => {
                    let _ = stream.shutdown(Shutdown::Write);
                    // Read on to the end, or unread bytes would turn the close into a reset
                    // that takes the last message with it.
                    stream.set_read_timeout(Some(Duration::from_millis(200)))?;
                    while stream.read(&mut buffer)? > 0 {}
                    return Ok(());
                }
            }
        }
        let n = stream.read(&mut buffer)?;
        if n == 0 {
            return Ok(());
        }
        reactions = server.received(buffer.get(..n).unwrap_or_default());
    }
}

fn loopback(port: u16) -> SocketAddr {
    ([127, 0, 0, 1], port).into()
}

fn bind(address: SocketAddr) -> io::Result<Socket> {
    let socket = Socket::new(Domain::for_address(address), Type::STREAM, None)?;
    socket.bind(&address.into())?;
    Ok(socket)
}

fn address_of(socket: &Socket) -> io::Result<SocketAddr> {
    socket
        .local_addr()?
        .as_socket()
        .ok_or_else(|| io::ErrorKind::AddrNotAvailable.into())
}

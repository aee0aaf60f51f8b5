//! Lines over other things than sockets: a channel of another line, and in it a pipe to a
//! program.

use std::collections::BTreeSet;
use std::io::{self, Read as _, Write as _};
use std::net::{SocketAddr, TcpListener};
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll};

use chronaxis_model::conversation::{Conversation, Input, Output};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Decider, Ended, Event, LineId, Order, Over, Probe, ProbeId, Shared};
use chronaxis_model::permit::Permit;
use chronaxis_probe::carrier::{Carrier, Carriers, ChildPipe, Opening};
use chronaxis_probe::{Clock, Together};
use tokio::io::{AsyncRead, AsyncWrite, DuplexStream, ReadBuf};
use tokio::process::Command;

/// Says something, and waits for what is said to it.
struct Greeter {
    outputs: Vec<Output>,
    rests: bool,
}

impl Greeter {
    fn boxed(rests: bool) -> Box<dyn Conversation> {
        let outputs = Vec::new();
        Box::new(Greeter { outputs, rests })
    }
}

impl Conversation for Greeter {
    fn handle(&mut self, _: Micros, input: Input<'_>) {
        let next = match input {
            Input::Opened if self.rests => Output::Rest(Layer::Port),
            Input::Opened => Output::Send(b"ahoy".to_vec()),
            Input::Bytes(b"ahoy to you") => {
                let elapsed_us = Micros(1);
                self.outputs.push(Output::Over);
                Output::Observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us })
            }
            _ => Output::Over,
        };
        self.outputs.push(next);
    }

    fn poll(&mut self) -> Option<Output> {
        self.outputs.pop()
    }

    fn give_back(&mut self) -> Option<Permit> {
        None
    }
}

/// Opens a line to a relay, and one over it.
#[derive(Default)]
struct TwoLines {
    begun: u32,
    waiting: bool,
    seen: Vec<Fact>,
    ended: Vec<String>,
    /// Where the second one goes.
    to: Option<SocketAddr>,
}

#[derive(Default)]
struct Nothing;

impl Shared for Nothing {
    fn take_woken(&mut self) -> BTreeSet<usize> {
        BTreeSet::new()
    }

    fn woke_late(&mut self, _: Micros) {}
}

fn relay() -> Endpoint {
    Endpoint::Tcp("192.0.2.1:22".parse().unwrap())
}

impl Decider for TwoLines {
    type Shared = Nothing;

    fn poll(&mut self, _: &mut Nothing, now: Micros) -> Order {
        let until = now.after(Micros(10_000_000));
        if self.waiting {
            return Order::Wait(until);
        }
        self.begun += 1;
        self.waiting = true;
        let over = match (self.begun, self.to) {
            (1, _) => Over::Endpoint(relay()),
            (2, Some(to)) => Over::Line {
                line: LineId(1),
                to: Endpoint::Tcp(to),
            },
            _ => return Order::Over,
        };
        Order::Start {
            probe: ProbeId(self.begun),
            what: Probe::Open {
                line: LineId(self.begun),
                over,
                conversation: Greeter::boxed(self.begun == 1),
                segment: None,
            },
            until,
        }
    }

    fn handle(&mut self, _: &mut Nothing, _: Micros, event: Event) {
        match event {
            Event::Observed { fact, .. } => self.seen.push(fact),
            Event::Ended { how, .. } => {
                self.ended.push(match how {
                    Ended::Done => "done".to_owned(),
                    Ended::Resting(layer) => format!("rests at {layer}"),
                    other => format!("{other:?}"),
                });
                self.waiting = false;
            }
        }
    }

    fn number(&self) -> usize {
        0
    }

    fn awaits_others(&self) -> bool {
        false
    }

    fn ring(&mut self) {}

    fn deadline(&self) -> Micros {
        Micros(20_000_000)
    }
}

/// A carrier from whose far end a program leads on.
struct Relay(DuplexStream);

impl AsyncRead for Relay {
    fn poll_read(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
        buffer: &mut ReadBuf<'_>,
    ) -> Poll<io::Result<()>> {
        Pin::new(&mut self.0).poll_read(context, buffer)
    }
}

impl AsyncWrite for Relay {
    fn poll_write(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
        bytes: &[u8],
    ) -> Poll<io::Result<usize>> {
        Pin::new(&mut self.0).poll_write(context, bytes)
    }

    fn poll_flush(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.0).poll_flush(context)
    }

    fn poll_shutdown(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.0).poll_shutdown(context)
    }
}

impl Carrier for Relay {
    fn channel(&mut self, to: &Endpoint) -> Option<Opening<'_>> {
        let Endpoint::Tcp(to) = to else { return None };
        let script = format!(
            "exec 3<>/dev/tcp/{}/{}; cat <&3 & exec cat >&3",
            to.ip(),
            to.port()
        );
        Some(Box::pin(async move {
            let pipe = ChildPipe::start(Command::new("bash").args(["-c", &script]))?;
            Ok(Box::new(pipe) as Box<dyn Carrier>)
        }))
    }
}

struct ByRelay;

impl Carriers for ByRelay {
    fn open<'a>(&'a self, to: &Endpoint) -> Option<Opening<'a>> {
        (*to == relay()).then(|| {
            Box::pin(async {
                let (near, _far) = tokio::io::duplex(64);
                Ok(Box::new(Relay(near)) as Box<dyn Carrier>)
            }) as Opening<'a>
        })
    }
}

/// A server that answers to one greeting.
fn server() -> SocketAddr {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let at = listener.local_addr().unwrap();
    std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().unwrap();
        let mut heard = [0; 4];
        stream.read_exact(&mut heard).unwrap();
        assert_eq!(&heard, b"ahoy");
        stream.write_all(b"ahoy to you").unwrap();
    });
    at
}

#[tokio::test]
async fn a_line_over_a_channel_of_another_line_which_is_a_pipe_to_a_program() {
    let mut walk = TwoLines {
        to: Some(server()),
        ..TwoLines::default()
    };
    let together = Together::<Nothing>::default().carried_by(Arc::new(ByRelay));
    chronaxis_probe::run(&mut walk, &together, Clock::start(), |_, _| {}).await;
    assert_eq!(walk.ended, ["rests at port", "done"]);
    let spoke = |fact: &Fact| matches!(fact, Fact::SpokeProtocol { .. });
    assert!(walk.seen.iter().any(spoke), "{:?}", walk.seen);
    let routed = |fact: &Fact| matches!(fact, Fact::RouteFound { .. });
    assert!(!walk.seen.iter().any(routed), "no socket of this machine");
}

/// A socket leads nowhere from its far end, and says so.
#[tokio::test]
async fn a_line_that_carries_nothing() {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let at = listener.local_addr().unwrap();
    struct Straight(SocketAddr);
    impl Carriers for Straight {
        fn open<'a>(&'a self, to: &Endpoint) -> Option<Opening<'a>> {
            (*to == relay()).then(|| {
                let to = self.0;
                Box::pin(async move {
                    let stream = tokio::net::TcpStream::connect(to).await?;
                    Ok(Box::new(stream) as Box<dyn Carrier>)
                }) as Opening<'a>
            })
        }
    }
    let mut walk = TwoLines {
        to: Some(at),
        ..TwoLines::default()
    };
    let together = Together::<Nothing>::default().carried_by(Arc::new(Straight(at)));
    chronaxis_probe::run(&mut walk, &together, Clock::start(), |_, _| {}).await;
    assert_eq!(walk.ended, ["rests at port", "done"]);
    let refused = |fact: &Fact| matches!(fact, Fact::PortUnreachable { .. });
    assert!(walk.seen.iter().any(refused), "{:?}", walk.seen);
}

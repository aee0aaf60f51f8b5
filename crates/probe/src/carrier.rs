//! What carries the bytes of a line: a socket, a socket file, a channel of another line, a
//! pipe to a program. Whatever can be read and written is one, once it says what else is known
//! of it.

mod child;

use std::future::Future;
use std::io;
use std::pin::Pin;

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::Micros;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::{TcpStream, UnixStream};

use crate::sockopt;

pub use child::ChildPipe;

/// A channel that is being opened.
pub type Opening<'a> = Pin<Box<dyn Future<Output = io::Result<Box<dyn Carrier>>> + Send + 'a>>;

/// What carries the bytes of a line. Encryption, and the conversation above it, know nothing
/// of what it is.
pub trait Carrier: AsyncRead + AsyncWrite + Unpin + Send {
    /// What the system counted on it.
    fn measured(&self) -> Option<Fact> {
        None
    }

    /// A channel that leads on from its far end; none where it leads nowhere.
    fn channel(&mut self, _to: &Endpoint) -> Option<Opening<'_>> {
        None
    }
}

/// Who opens what carries a line, where that is no socket of this machine.
pub trait Carriers: Send + Sync {
    /// What leads to there; none where a socket does.
    fn open<'a>(&'a self, to: &Endpoint) -> Option<Opening<'a>>;
}

impl Carrier for TcpStream {
    fn measured(&self) -> Option<Fact> {
        let info = sockopt::tcp_info(self)?;
        Some(Fact::LineMeasured {
            round_trip_us: Micros(info.round_trip_us.into()),
            retransmits: info.retransmits,
            unconfirmed: info.unconfirmed,
        })
    }
}

impl Carrier for UnixStream {}

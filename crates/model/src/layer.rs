//! The steps of the way, and how each of them ended.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One step of the way from a program to its database. The order of the variants is the
/// order of the way.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Layer {
    /// What the client was told.
    Settings,
    /// Certificates, keys and aliases that come as an archive or a folder.
    Bundle,
    /// From the host's name to its addresses.
    Name,
    /// Whether this machine has a way to the address, and by which of its own addresses.
    Route,
    /// Whether the port takes a connection.
    Port,
    /// Whether the right service answers there, and takes clients.
    Listener,
    /// Encryption of the line.
    Tls,
    /// Proof of who the client is.
    Login,
    /// The database, the instance behind it, one round trip.
    Session,
}

impl Layer {
    /// All layers, in the order of the way.
    pub const ALL: [Layer; 9] = [
        Layer::Settings,
        Layer::Bundle,
        Layer::Name,
        Layer::Route,
        Layer::Port,
        Layer::Listener,
        Layer::Tls,
        Layer::Login,
        Layer::Session,
    ];

    /// The name by which options, outputs and files call this layer.
    pub fn as_str(self) -> &'static str {
        match self {
            Layer::Settings => "settings",
            Layer::Bundle => "bundle",
            Layer::Name => "name",
            Layer::Route => "route",
            Layer::Port => "port",
            Layer::Listener => "listener",
            Layer::Tls => "tls",
            Layer::Login => "login",
            Layer::Session => "session",
        }
    }

    /// Finds a layer by its name.
    pub fn from_name(name: &str) -> Option<Layer> {
        Layer::ALL.into_iter().find(|l| l.as_str() == name)
    }

    /// The position on the way, from 0.
    pub fn index(self) -> usize {
        self as usize
    }
}

impl fmt::Display for Layer {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.as_str())
    }
}

/// How a layer ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// Nothing wrong.
    Ok,
    /// It works, but somebody should look at it.
    Caution,
    /// The way ends here.
    Fault,
    /// An earlier layer failed.
    Unreached,
    /// Nothing to test, not asked for, or beyond this program.
    Untested,
}

impl Outcome {
    /// The word for it in every output.
    pub fn as_str(self) -> &'static str {
        match self {
            Outcome::Ok => "ok",
            Outcome::Caution => "caution",
            Outcome::Fault => "fault",
            Outcome::Unreached => "unreached",
            Outcome::Untested => "untested",
        }
    }
}

/// A moment or a span on the run's own clock, in microseconds.
///
/// The run begins at 0; only the edge knows which time of day that was.
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(transparent)]
pub struct Micros(pub u64);

impl Micros {
    /// So many milliseconds.
    pub const fn from_millis(ms: u64) -> Micros {
        Micros(ms * 1000)
    }

    /// The span from an earlier moment to this one; zero if it was later.
    pub fn since(self, earlier: Micros) -> Micros {
        Micros(self.0.saturating_sub(earlier.0))
    }

    /// This moment and a span after it.
    pub fn after(self, span: Micros) -> Micros {
        Micros(self.0.saturating_add(span.0))
    }
}

impl fmt::Display for Micros {
    /// Writes the span as people read it: `0.4 ms`, `12 ms`, `4.00 s`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let us = self.0;
        let text = match us {
            0..10_000 => format!("{:.1} ms", us as f64 / 1e3),
            10_000..1_000_000 => format!("{} ms", us / 1000),
            _ => format!("{:.2} s", us as f64 / 1e6),
        };
        f.pad(&text)
    }
}

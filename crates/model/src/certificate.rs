//! A server's certificates: what stands in them, and whether a given client takes them.
//!
//! Pure: the chain, the client's policy, the time and whatever can check a signature are
//! parameters. The edge that drives the TLS library hands the chain in here, and does
//! what [`judge`] says; nothing is accepted first and judged later.

mod host_name;
mod judge;
mod names;
mod pem;
mod policy;
mod read;

pub use judge::{ChainDefect, Judged, judge};
pub use names::{ChainTrouble, Signatures, Signed};
pub use pem::{PemTrouble, certificates, private_key, written as pem_written};
pub use policy::{
    Ask, Check, CommonName, Identity, Policy, ShownTlsPolicy, TlsMode, TlsPolicy, Trusted, Version,
};
pub use read::{Certificate, Key, Unreadable, day, read, rsa_key};

//! Encryption between a conversation and its socket, without the socket.
//!
//! [`EncryptedConversation`] stands where an edge would hold a bare conversation: bytes from the wire go
//! in, bytes for the wire come out, and what the conversation asks for in between is done
//! here with the TLS library. The library decides nothing about certificates: it hands
//! the chain to the core's judge and does what that says.

#![forbid(unsafe_code)]

mod encrypted;
mod old_locks;
mod pump;
mod recorder;
mod signatures;
mod tools;

pub use encrypted::{EncryptedConversation, Step};
pub use signatures::ByRing;
pub use tools::belongs;

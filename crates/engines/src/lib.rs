//! What is known of each engine: its connection strings and its protocol, a folder each and
//! one line in the registry, and what they share.
//!
//! Nothing in this crate opens a socket, reads a file, a clock, the environment or a
//! random source: all of these are parameters.

#![forbid(unsafe_code)]

mod advice;
mod beyond_ascii;
mod certificate_files;
mod completed;
pub mod directory;
mod encryption;
mod exchange;
mod hello;
mod idle;
mod inquiry;
pub mod mysql;
mod named_file;
mod own_dates;
mod plain_url;
mod policy;
pub mod postgresql;
mod protocol;
mod recognise;
mod reference;
mod registry;
pub mod scram;
mod seed;
mod service_probe;
mod spec;
mod strings;
pub(crate) mod text;
pub mod tls;
mod unspoken;
mod who;
mod written;

pub use advice::{Advice, CertificateAdvice, Entrant, Refusal};
pub use completed::completed;
pub use directory::ID as DIRECTORY;
pub use exchange::Exchange;
pub use hello::older_suite;
pub use idle::time_for as time_for_idle;
pub use inquiry::Statement;
pub use mysql::ID as MYSQL;
pub use named_file::{Encoding, FileSeen, FileWanted, Holds, Shut};
pub use own_dates::{note_dates, note_token};
pub use plain_url::{complete_url, read_url, url_of};
pub use policy::{ClientPolicy, HostLookup, SecondAttempt, SessionWish, TlsFiles};
pub use postgresql::{
    ID as POSTGRESQL, libpq_takes, password_in_file, psqlodbc_password, server_takes,
};
pub use protocol::{ConversationPlan, Errand, LinePurpose, Protocol};
pub use recognise::{EngineBy, NotATarget, Recognised, recognise};
pub use reference::note_reference;
pub use registry::{by_id, engines, find, register, title};
pub use seed::{LineSeeds, Seed};
pub use service_probe::{MOST_PROBES, ServiceProbe, service_probe};
pub use spec::{ClientRule, Engine, EngineSpec, Greeting, Language, PairDialect};
pub use strings::{ClientEnvironment, Draft, NotFollowed, Proof, Strings, url_at};
pub use text::is_harmless;
pub use tls::ID as TLS;
pub use unspoken::{MONGODB_ID as MONGODB, TCP_ID as TCP, TDS_ID as TDS};
pub use who::{TLS_SERVICE, answered as who_speaks, service_title, services, speaks};
pub use written::{Form, NotWritten, Parts, escaped, written};

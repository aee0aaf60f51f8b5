//! One file a subcommand.

pub(crate) mod allowlist;
pub(crate) mod bundle;
pub(crate) mod causes;
pub(crate) mod demo;
pub(crate) mod diagnose;
pub(crate) mod explain;
pub(crate) mod lab;
pub(crate) mod listeners;
pub(crate) mod settings;

//! One file a subcommand.

pub(crate) mod causes;
pub(crate) mod diagnose;

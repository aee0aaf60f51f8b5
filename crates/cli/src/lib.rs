//! The command line of Chronaxis.
//!
//! A library only so that the man pages, the completions and the reference can be made
//! from the same definitions; nothing here is meant for other programs.

mod args;
mod bundles;
mod certificate_text;
mod client_environment;
mod command;
mod delivery;
mod echo;
mod error;
mod files;
mod first_word;
mod hints;
mod input;
mod machine;
mod one_target;
mod render;
mod rules;
mod running;
mod saved;
mod side_by_side;
mod way_in;

use std::process::ExitCode;

use clap::{CommandFactory as _, Parser as _};

use crate::args::{Cli, Command};

/// The whole tree of commands and options, as `--help` shows it.
pub fn definitions() -> clap::Command {
    Cli::command()
}

/// Runs the program with the arguments of the process.
pub fn main() -> ExitCode {
    error::install_defect_hook();
    let typed: Vec<_> = std::env::args_os().collect();
    let cli = match Cli::try_parse_from(first_word::with_command(typed)) {
        Ok(cli) => cli,
        Err(refused) => return error::report_usage(&refused),
    };
    let done = match cli.command {
        Command::Diagnose(args) => command::diagnose::run(&args),
        Command::Settings(args) => command::settings::run(&args),
        Command::Bundle(args) => command::bundle::run(&args),
        Command::Allowlist(args) => command::allowlist::run(&args),
        Command::Listeners(args) => command::listeners::run(&args),
        Command::Explain(args) => command::explain::run(&args),
        Command::Causes(args) => command::causes::run(&args),
        Command::Lab(args) => command::lab::run(&args),
        Command::Demo(args) => command::demo::run(&args),
    };
    error::conclude(done)
}

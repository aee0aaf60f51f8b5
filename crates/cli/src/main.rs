//! The command line of Chronaxis.

mod args;
mod command;
mod error;
mod render;
mod surroundings;

use std::process::ExitCode;

use clap::Parser as _;

use crate::args::{Cli, Command};

fn main() -> ExitCode {
    error::install_defect_hook();
    let cli = match Cli::try_parse() {
        Ok(cli) => cli,
        Err(refused) => return error::report_usage(&refused),
    };
    let done = match cli.command {
        Command::Diagnose(args) => command::diagnose::run(&args),
        Command::Causes(args) => command::causes::run(&args),
        Command::Lab(args) => command::lab::run(&args),
        Command::Demo(args) => command::demo::run(&args),
    };
    error::conclude(done)
}

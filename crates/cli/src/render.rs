//! Output forms, one file each. They write to what they are handed.

pub(crate) mod catalogue;
pub(crate) mod json;
pub(crate) mod listeners;
pub(crate) mod markdown;
pub(crate) mod network;
pub(crate) mod page;
pub(crate) mod plan;
pub(crate) mod progress;
pub(crate) mod scenes;
pub(crate) mod settings;
pub(crate) mod several;
pub(crate) mod text;

use anstream::{AutoStream, ColorChoice};

/// Standard output, with colour where it is a terminal that wants it.
pub(crate) fn out(plain: bool) -> AutoStream<std::io::Stdout> {
    let choice = if plain {
        ColorChoice::Never
    } else {
        AutoStream::choice(&std::io::stdout())
    };
    AutoStream::new(std::io::stdout(), choice)
}

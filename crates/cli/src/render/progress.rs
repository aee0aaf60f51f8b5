//! A line on standard error, only where that is a terminal.

use std::io::IsTerminal as _;
use std::time::Duration;

use chronaxis_model::layer::Layer;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// A run shorter than this shows no progress.
const UNSEEN: Duration = Duration::from_millis(400);

/// Says what is waited for.
pub(crate) struct Progress(Option<ProgressBar>);

impl Progress {
    /// Shown only if wanted, and standard error is a terminal.
    pub(crate) fn new(wanted: bool) -> Progress {
        if !wanted || !std::io::stderr().is_terminal() {
            return Progress(None);
        }
        let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::hidden());
        if let Ok(style) = ProgressStyle::with_template("  {msg} {elapsed_precise:.dim}") {
            bar.set_style(style);
        }
        let shown = bar.clone();
        // What is over at once needs no such line.
        let later = std::thread::Builder::new().spawn(move || {
            std::thread::sleep(UNSEEN);
            if !shown.is_finished() {
                shown.set_draw_target(ProgressDrawTarget::stderr());
                shown.enable_steady_tick(Duration::from_millis(200));
            }
        });
        Progress(later.ok().map(|_| bar))
    }

    /// This layer is settled; the next is under way.
    pub(crate) fn reached(&self, layer: Layer) {
        if let (Some(bar), Some(next)) = (&self.0, Layer::ALL.get(layer.index() + 1)) {
            bar.set_message(format!("looking at {next}"));
        }
    }

    /// Prints something else without the line in its way.
    pub(crate) fn aside<T>(&self, print: impl FnOnce() -> T) -> T {
        match &self.0 {
            Some(bar) => bar.suspend(print),
            None => print(),
        }
    }

    /// Takes the line away.
    pub(crate) fn over(&self) {
        if let Some(bar) = &self.0 {
            bar.finish_and_clear();
        }
    }
}

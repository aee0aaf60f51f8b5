//! What a command hands out: its reports on standard output in their order, its cases in a
//! file, and the status with which the program ends. The same for every command.

use std::collections::BTreeMap;
use std::io::Write;

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::judge::Evidence;
use chronaxis_diagnosis::report::{self, Block, diagnosis, several};
use chronaxis_diagnosis::verdict::State;
use chronaxis_model::document::to_json;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::target::ShownTarget;
use serde::Serialize;
use tokio::runtime::Runtime;

use crate::args::{Diagnose, Output, TextOrJson};
use crate::error::Failure;
use crate::render::text::Text;
use crate::render::{self, markdown};
use crate::saved::Saved;

/// Status of a command that found nothing wrong.
pub(crate) const NOTHING_WRONG: u8 = 0;

/// Status where a fault was found.
const FAULT: u8 = 1;

/// Status where it cannot be told from here.
const UNTOLD: u8 = 3;

/// The status for one state.
pub(crate) fn status_of(state: State) -> u8 {
    match state {
        State::Working => NOTHING_WRONG,
        State::Broken => FAULT,
        State::Undecided => UNTOLD,
    }
}

/// The status for several: the first that occurs of broken, undecided, working.
fn status_of_all(states: &[State]) -> u8 {
    let order = [State::Broken, State::Undecided, State::Working];
    let worst = order.into_iter().find(|state| states.contains(state));
    worst.map_or(NOTHING_WRONG, status_of)
}

/// Hands out a document that is no case, as text or as JSON; gives the status.
pub(crate) fn document(
    form: TextOrJson,
    plain: bool,
    state: State,
    json: &impl Serialize,
    report: impl FnOnce() -> Vec<Block>,
) -> Result<u8, Failure> {
    let mut out = render::out(plain);
    match form {
        TextOrJson::Text => Text::default().blocks(&mut out, &report())?,
        TextOrJson::Json => {
            let text = to_json(json, false).map_err(std::io::Error::from)?;
            writeln!(out, "{text}")?;
        }
    }
    out.flush()?;
    Ok(status_of(state))
}

/// How much of a case is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Extent {
    /// A line.
    Line,
    /// What a person would say.
    Usual,
    /// All facts and every contact too.
    All,
}

/// Where the cases of a diagnosis go.
pub(crate) struct Delivery {
    form: Output,
    extent: Extent,
    plain: bool,
    count: usize,
    saved: Option<Saved>,
    states: Vec<State>,
    /// The report of a single target, while it grows.
    text: Text,
    /// The next of several that is to be shown, and what came before its turn.
    next: usize,
    early: BTreeMap<usize, Early>,
    common: several::Grouped,
}

/// What is kept of a case until those before it are there: no more than is shown of it.
enum Early {
    Row(Box<several::Row>),
    Text(Vec<u8>),
}

impl Delivery {
    /// Begins; what is to be saved is refused before anything is sent.
    pub(crate) fn begin(args: &Diagnose) -> Result<Delivery, Failure> {
        let saved = args.save.as_deref().map(Saved::at).transpose()?;
        Ok(Delivery {
            form: args.output,
            extent: match (args.quiet, args.verbose) {
                (true, _) => Extent::Line,
                (false, 0) => Extent::Usual,
                (false, _) => Extent::All,
            },
            plain: args.plain,
            count: 1,
            saved,
            states: Vec::new(),
            text: Text::default(),
            next: 0,
            early: BTreeMap::new(),
            common: several::Grouped::default(),
        })
    }

    /// So many targets follow.
    pub(crate) fn expect(&mut self, count: usize) {
        self.count = count;
    }

    /// Whether layers are shown as they settle: of a single target, as text.
    pub(crate) fn streams(&self) -> bool {
        self.count == 1 && self.form == Output::Text && self.extent != Extent::Line
    }

    /// A single target's report begins.
    pub(crate) fn head(
        &mut self,
        target: &ShownTarget,
        vantage: &chronaxis_diagnosis::case::Vantage,
    ) -> Result<(), Failure> {
        match self.streams() {
            true => self.show(&[diagnosis::head(target, vantage)]),
            false => Ok(()),
        }
    }

    /// A layer of a single target is settled.
    pub(crate) fn settled(&mut self, evidence: Evidence<'_>, layer: Layer) -> Result<(), Failure> {
        let block = self
            .streams()
            .then(|| diagnosis::settled(evidence, layer, self.extent == Extent::All));
        match block.flatten() {
            Some(block) => self.show(&[block]),
            None => Ok(()),
        }
    }

    /// A single target is waited for, and this is what for.
    pub(crate) fn waits_for(&mut self, now: Micros, what: &str) -> Result<(), Failure> {
        match self.streams() {
            true => self.show(&[Block::Remark(format!("{now}: waiting for {what}"))]),
            false => Ok(()),
        }
    }

    fn show(&mut self, blocks: &[Block]) -> Result<(), Failure> {
        let mut out = render::out(self.plain);
        self.text.blocks(&mut out, blocks)?;
        out.flush()?;
        Ok(())
    }

    /// A case has come to its end: `index` is its place in the list.
    pub(crate) fn ended(&mut self, index: usize, case: &Case) -> Result<(), Failure> {
        self.states.push(case.verdict.state);
        if let Some(saved) = &mut self.saved {
            saved.add(case)?;
        }
        if self.streams() {
            return self.show(&diagnosis::conclusion(case, self.extent == Extent::All));
        }
        let early = self.kept(index, case)?;
        if self.form == Output::Json {
            // Whoever reads lines of JSON tells them apart by their target.
            return self.put(early);
        }
        self.early.insert(index, early);
        while let Some(early) = self.early.remove(&self.next) {
            self.next += 1;
            self.put(early)?;
        }
        Ok(())
    }

    /// A case that nobody walked: all of it at once, one after the other.
    pub(crate) fn in_full(&mut self, index: usize, case: &Case) -> Result<(), Failure> {
        self.states.push(case.verdict.state);
        if let Some(saved) = &mut self.saved {
            saved.add(case)?;
        }
        let in_text = self.form == Output::Text && self.extent != Extent::Line;
        let early = match in_text {
            true => {
                let mut text = Vec::new();
                if index > 0 {
                    writeln!(text)?;
                }
                let blocks = diagnosis::whole(case, self.extent == Extent::All);
                return self.show_apart(&text, &blocks);
            }
            false => self.kept(index, case)?,
        };
        self.put(early)
    }

    fn show_apart(&mut self, before: &[u8], blocks: &[Block]) -> Result<(), Failure> {
        let mut out = render::out(self.plain);
        out.write_all(before)?;
        Text::default().blocks(&mut out, blocks)?;
        out.flush()?;
        Ok(())
    }

    /// All cases of what nobody walked are there: the status is known.
    pub(crate) fn read_over(self) -> Result<u8, Failure> {
        if let Some(saved) = self.saved {
            let runtime = crate::client_environment::runtime()?;
            saved.keep(&runtime)?;
        }
        Ok(status_of_all(&self.states))
    }

    fn put(&mut self, early: Early) -> Result<(), Failure> {
        match early {
            Early::Row(row) => {
                if self.next == 1 {
                    self.show(&[several::head(self.count, &row.from)])?;
                }
                self.show(&[Block::Target(row.line.clone())])?;
                self.common.add(*row);
            }
            Early::Text(text) => {
                let mut out = render::out(self.plain);
                out.write_all(&text)?;
                out.flush()?;
            }
        }
        Ok(())
    }

    fn kept(&self, index: usize, case: &Case) -> Result<Early, Failure> {
        let first = index == 0;
        let mut text = Vec::new();
        match (self.form, self.extent) {
            (Output::Json, _) => {
                let json = to_json(case, self.count > 1).map_err(std::io::Error::from)?;
                writeln!(text, "{json}")?;
            }
            (Output::Markdown, extent) => {
                if !first {
                    writeln!(text)?;
                }
                let blocks = diagnosis::whole(case, extent == Extent::All);
                markdown::page(&mut text, &blocks)?;
            }
            (Output::Text, Extent::Line) => writeln!(text, "{}", diagnosis::in_a_line(case))?,
            (Output::Text, Extent::All) => {
                if !first {
                    writeln!(text)?;
                }
                Text::default().blocks(&mut text, &diagnosis::whole(case, true))?;
            }
            (Output::Text, Extent::Usual) => {
                return Ok(Early::Row(Box::new(several::Row::of(case))));
            }
        }
        Ok(Early::Text(text))
    }

    /// All have come to their end: what they have in common is said, the cases are put in
    /// their place, and the status is known.
    pub(crate) fn over(mut self, took: Micros, runtime: &Runtime) -> Result<u8, Failure> {
        let in_rows = self.form == Output::Text && self.extent == Extent::Usual;
        if self.count > 1 && in_rows {
            let common = std::mem::take(&mut self.common);
            self.show(&[common.summary(took)])?;
        }
        if let Some(saved) = self.saved {
            saved.keep(runtime)?;
        }
        Ok(status_of_all(&self.states))
    }
}

/// What the plans of several targets hand out.
pub(crate) fn plan(
    args: &Diagnose,
    index: usize,
    count: usize,
    target: &ShownTarget,
    steps: &[chronaxis_diagnosis::walk::Step],
) -> Result<(), Failure> {
    let mut out = render::out(args.plain);
    if args.output == Output::Json {
        render::json::plan(&mut out, target, steps, count > 1)?;
        return Ok(());
    }
    if index > 0 {
        writeln!(out)?;
    }
    Text::default().blocks(&mut out, &report::plan::steps(target, steps))?;
    out.flush()?;
    Ok(())
}

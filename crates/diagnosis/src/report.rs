//! What is worth saying, in which words and in which order: decided here, once, for every
//! form of output. A form only lays out what it is handed.
//!
//! A report is made of blocks. It can be handed on block by block, as they become known. All
//! its texts are ready to be shown: what came from outside is masked and made visible.

pub mod allowlist;
pub mod bundle;
pub mod catalogue;
mod contacts;
pub mod diagnosis;
mod entries;
mod lasting;
mod listener;
pub mod listeners;
mod marks;
mod network;
pub mod plan;
mod reasons;
mod session;
pub mod several;
mod sides;
pub mod survey;
mod to_do;
mod told;

use std::borrow::Cow;

use chronaxis_model::layer::{Layer, Micros, Outcome};

/// How a piece of text is meant; a form without colour leaves it out, and nothing is lost.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Tone {
    /// As it is.
    #[default]
    Plain,
    /// Less important than what stands beside it.
    Weak,
    /// What it is about.
    Strong,
    /// It works.
    Good,
    /// Worth a look.
    Look,
    /// It fails of this.
    Bad,
}

/// A piece of a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Piece {
    /// Its text.
    pub text: String,
    /// How it is meant.
    pub tone: Tone,
}

impl Piece {
    /// A piece in a tone.
    pub fn new(text: impl Into<String>, tone: Tone) -> Piece {
        Piece {
            text: text.into(),
            tone,
        }
    }

    /// A plain one.
    pub fn plain(text: impl Into<String>) -> Piece {
        Piece::new(text, Tone::Plain)
    }

    /// What it is about.
    pub fn strong(text: impl Into<String>) -> Piece {
        Piece::new(text, Tone::Strong)
    }
}

/// A part of a report.
#[derive(Clone, Debug, PartialEq)]
pub enum Block {
    /// What it is about, and how it was made.
    Head {
        /// What it is about.
        title: Vec<Piece>,
        /// From where, by whose rules, when.
        remark: String,
    },
    /// A layer, once nothing can change it.
    Layer(LayerLine),
    /// How it stands.
    Verdict(VerdictLine),
    /// What belongs together.
    Section(Section),
    /// What the items that follow have in common: a file, a layer.
    Group(Vec<Piece>),
    /// One of several things.
    Item(Item),
    /// Things of one kind, a row each.
    Table(Table),
    /// One target of several.
    Target(TargetLine),
    /// What several targets have in common.
    Summary(Summary),
    /// A remark by itself.
    Remark(String),
}

/// A layer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LayerLine {
    /// Which.
    pub layer: Layer,
    /// How it ended.
    pub outcome: Outcome,
    /// The time that it took.
    pub elapsed: Option<Micros>,
    /// The one fact that matters.
    pub summary: String,
    /// All facts, where they are wanted.
    pub facts: Vec<String>,
    /// Whether times belong to it: a text tells none.
    pub timed: bool,
}

/// How it stands: the part that nobody may miss.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct VerdictLine {
    /// In a word or two.
    pub state: &'static str,
    /// How that is meant.
    pub tone: Tone,
    /// Where, or up to where.
    pub place: String,
    /// How sure the first cause is; empty where nothing failed.
    pub certainty: Cow<'static, str>,
    /// One sentence; empty where the state says it all.
    pub headline: String,
    /// The cause, where one stands out.
    pub cause: Option<String>,
    /// Who can fix it.
    pub owner: Option<&'static str>,
}

/// What a section is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Topic {
    /// Which instance answered, and over what connection.
    Session,
    /// The places to which the client was sent on.
    Redirects,
    /// What more than one look showed.
    Lasting,
    /// The messages of a text.
    Said,
    /// What the log of the server says.
    Log,
    /// Where in the settings a fault stands.
    Place,
    /// What speaks for which cause, and against it.
    Reasons,
    /// The certificates that the server showed.
    Certificate,
    /// What to do.
    Fix,
    /// What to tell whoever can fix it.
    Message,
    /// What a network team needs.
    Network,
    /// How to prove it, or what to test.
    Next,
    /// What else was seen.
    Warnings,
    /// The addresses, each by itself.
    Addresses,
    /// Where values come from.
    Sources,
    /// What was touched.
    Contacts,
    /// What lists say.
    Lists,
    /// What would have to change in a file.
    Change,
    /// Whatever a document has beside its items.
    Notes,
}

impl Topic {
    /// Its heading.
    pub fn title(self) -> &'static str {
        match self {
            Topic::Session => "Session",
            Topic::Redirects => "Redirects",
            Topic::Lasting => "Over time",
            Topic::Said => "What it says",
            Topic::Log => "The server's log",
            Topic::Place => "Place",
            Topic::Reasons => "Causes",
            Topic::Certificate => "Certificates",
            Topic::Fix => "Fix",
            Topic::Message => "Message to send",
            Topic::Network => "For the network team",
            Topic::Next => "Next step",
            Topic::Warnings => "Also found",
            Topic::Addresses => "Addresses",
            Topic::Sources => "Sources",
            Topic::Contacts => "Contacts",
            Topic::Lists => "Lists",
            Topic::Change => "Smallest change",
            Topic::Notes => "Notes",
        }
    }
}

/// What belongs together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Section {
    /// What it is about.
    pub topic: Topic,
    /// Its entries, in order.
    pub entries: Vec<Entry>,
}

/// A key and what stands beside it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Entry {
    /// The key; empty where it goes on with the one before.
    pub key: Cow<'static, str>,
    /// What it says.
    pub body: Body,
    /// How that is meant.
    pub tone: Tone,
}

/// What an entry says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Body {
    /// A text.
    Text(String),
    /// A short figure, and a text to it.
    Figure(String, String),
    /// A value, and who says so.
    Value(String, String),
    /// A command, to be copied.
    Command(String),
    /// A change of a file, as a unified diff.
    Diff(Vec<String>),
    /// A piece of the settings, with the part that is meant.
    Marked {
        /// The piece.
        excerpt: String,
        /// Where the part begins, in characters from 0.
        at: usize,
        /// How long it is, in characters.
        width: usize,
    },
}

/// One of several things.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Item {
    /// What it is.
    pub title: Vec<Piece>,
    /// More about it.
    pub remarks: Vec<String>,
    /// What was found about it.
    pub entries: Vec<Entry>,
}

/// A table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Table {
    /// The columns.
    pub columns: Vec<Column>,
    /// A cell for each column.
    pub rows: Vec<Vec<String>>,
    /// Whether a cell that is too long goes on below, within its column.
    pub folded: bool,
}

/// A column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Column {
    /// Its heading.
    pub title: &'static str,
    /// The width of most of its cells, in characters.
    pub width: usize,
    /// How its cells are meant.
    pub tone: Tone,
}

/// One target of several.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TargetLine {
    /// What it is called.
    pub name: String,
    /// Where it goes, where that does not stand in the name already.
    pub place: Option<String>,
    /// How it stands.
    pub state: &'static str,
    /// How that is meant.
    pub tone: Tone,
    /// The time that it took.
    pub elapsed: Micros,
    /// The cause, or what is open.
    pub finding: String,
}

/// What several targets have in common.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Summary {
    /// How many there are, in which time.
    pub title: String,
    /// How many stand how.
    pub counts: String,
    /// The groups, the worst first, and of these the largest.
    pub groups: Vec<TargetGroup>,
    /// Which targets lead to the same instance, in sentences.
    pub shared: Vec<String>,
}

/// Targets that failed alike.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TargetGroup {
    /// How many.
    pub count: usize,
    /// The cause, or how it failed.
    pub finding: String,
    /// Where that was met, or what it may be.
    pub more: String,
    /// How it is meant.
    pub tone: Tone,
    /// Some of them, and how many more.
    pub names: String,
}

/// A probability, in steps of 5 %.
pub fn percent(probability: f64) -> String {
    match (probability * 20.0).round() as u32 * 5 {
        0 => "<5 %".to_owned(),
        100 => ">95 %".to_owned(),
        steps => format!("{steps} %"),
    }
}

/// A moment of RFC 3339 as people read it.
fn moment(started: &str) -> String {
    started.replace('T', " ").replace('Z', " UTC")
}

/// `1 thing`, `2 things`.
fn counted(n: usize, one: &str, many: &str) -> String {
    format!("{n} {}", if n == 1 { one } else { many })
}

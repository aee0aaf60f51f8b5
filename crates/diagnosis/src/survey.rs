//! What a look over settings files found, in the shape that all commands share.

pub mod named;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_model::found::{CauseId, FindingId};
use chronaxis_model::layer::Layer;
use chronaxis_model::settings::{Defect, Field, Place, Weight};
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::ShownTarget;

use crate::knowledge::causes::{Cause, cause};
use crate::schema::schema_of;
use crate::verdict::{AlsoFound, ShownCause, State, Verdict};

/// The format's name.
pub const FORMAT: &str = "chronaxis-settings";

/// The format's version.
pub const VERSION: u32 = 1;

/// A finding about a connection.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Finding {
    /// The cause or caution that it is.
    #[schemars(schema_with = "crate::knowledge::causes::finding_schema")]
    pub id: FindingId,
    /// What it means where nothing is tried.
    pub weight: Weight,
    /// Which value has it.
    pub subject: Field,
    /// What is there; without any secret.
    pub text: String,
    /// What was expected.
    pub expected: String,
    /// Where.
    pub place: Option<Place>,
    /// The mended line, its secret hidden.
    pub mended: Option<String>,
}

impl From<&Defect> for Finding {
    fn from(defect: &Defect) -> Finding {
        Finding {
            id: defect.cause(),
            weight: defect.weight(),
            subject: defect.subject.clone(),
            text: defect.text.clone(),
            expected: defect.expected.clone(),
            place: defect.place.clone(),
            mended: defect.mended.clone(),
        }
    }
}

/// A value that only the environment, or a run of the program, would tell.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct UnknownValue {
    /// Which value.
    pub subject: Field,
    /// The variables it waits for.
    pub variables: Vec<String>,
    /// Where it stands.
    pub origin: Origin,
}

/// A file with certificates or a key that a connection names.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct NamedFile {
    /// The option that names it.
    pub option: String,
    /// Its path, as the settings have it.
    pub path: String,
    /// Where it lies on this machine; null where it is not here.
    pub lies_at: Option<String>,
    /// What stands in it: public halves, and nothing else.
    pub holds: Vec<String>,
}

/// A connection that the files describe.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Described {
    /// What its file calls it.
    pub name: String,
    /// The file.
    pub file: String,
    /// The line on which it begins.
    pub line: u32,
    /// Whether its engine is told; where not, `target.engine` is `tcp`.
    pub engine_told: bool,
    /// The connection, without its secret.
    pub target: ShownTarget,
    /// What is not known without a run.
    pub unknown: Vec<UnknownValue>,
    /// Files with certificates or a key that it names.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub files: Vec<NamedFile>,
    /// What was found about it.
    pub findings: Vec<Finding>,
}

/// One value of a field on which descriptions differ.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SaidValue {
    /// The value; of a password only which ones are the same.
    pub value: String,
    /// Who says it: file, name, and where.
    pub places: Vec<Origin>,
}

/// A field on which descriptions differ.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct FieldDifference {
    /// The field.
    pub field: String,
    /// How passwords compare: `different`, or `differs-by-outer-blanks-or-case`.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub likeness: Option<String>,
    /// Its values.
    pub values: Vec<SaidValue>,
}

/// Descriptions of one connection that differ.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Differing {
    /// What they are about.
    pub about: String,
    /// The connections, as `file#name`.
    pub connections: Vec<String>,
    /// The fields on which they differ.
    pub fields: Vec<FieldDifference>,
}

/// What was looked at, and what was not.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct LookedAt {
    /// Files seen.
    pub files: usize,
    /// Files that may describe a connection, and were read.
    pub read: usize,
    /// Binaries passed over.
    pub binaries: usize,
    /// Files over 2 MB passed over.
    pub too_large: usize,
    /// Files and folders that ignore files leave out.
    pub ignored: usize,
    /// Pipes, sockets and devices passed over.
    pub special: usize,
    /// Links that lead out of the tree, not followed.
    pub links_out: usize,
    /// What could not be opened, with the reason.
    pub unreadable: Vec<String>,
}

/// A process whose settings changed after it was started.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Stale {
    /// Its number.
    pub pid: i32,
    /// Its command, arguments left out: they may hold a secret.
    pub command: String,
    /// When it was started, RFC 3339, UTC.
    pub started: String,
    /// The file that changed since.
    pub file: String,
    /// When that was, RFC 3339, UTC.
    pub changed: String,
    /// By what the process knows the file: an argument, its environment, an open file.
    pub by: String,
    /// Another process of the same program that was started after the change.
    pub fresh_twin: Option<i32>,
}

/// All of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Survey {
    /// `chronaxis-settings`.
    pub format: String,
    /// 1.
    pub version: u32,
    /// The version of the program.
    pub tool: String,
    /// How it stands.
    pub verdict: Verdict,
    /// The first finding's cause; a doubt is as likely as not.
    pub causes: Vec<ShownCause>,
    /// Every other finding.
    pub also_found: Vec<AlsoFound>,
    /// The connections.
    pub connections: Vec<Described>,
    /// Where descriptions of the same connection differ.
    pub disagreements: Vec<Differing>,
    /// What could not be read.
    pub troubles: Vec<Finding>,
    /// Processes that run with older settings, where that was asked.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub running: Option<Vec<Stale>>,
    /// What was looked at.
    pub looked_at: LookedAt,
}

/// The JSON Schema of a survey.
pub fn schema() -> serde_json::Value {
    schema_of::<Survey>(FORMAT)
}

impl Survey {
    /// Concludes from what was found.
    pub fn new(
        tool: &str,
        connections: Vec<Described>,
        disagreements: Vec<Differing>,
        troubles: Vec<Finding>,
        running: Option<Vec<Stale>>,
        looked_at: LookedAt,
    ) -> Survey {
        let mut all: Vec<Finding> = connections
            .iter()
            .flat_map(|c| c.findings.clone())
            .collect();
        all.extend(troubles.iter().cloned());
        all.extend(disagreements.iter().map(differing));
        all.extend(running.iter().flatten().map(stale));
        let worst = all.iter().map(|f| f.weight).max();
        let state = match worst {
            Some(Weight::Fault) => State::Broken,
            Some(Weight::Doubt) => State::Undecided,
            Some(Weight::Caution) | None => State::Working,
        };
        let at = all
            .iter()
            .position(|f| Some(f.weight) == worst && state != State::Working);
        let first = at.and_then(|at| all.get(at)).cloned();
        let others = all.iter().enumerate().filter(|(i, _)| Some(*i) != at);
        let also_found = others.map(|(_, finding)| also(finding)).collect();
        let headline = headline(&connections, &all, first.as_ref());
        let probability = match state {
            State::Broken => Some(1.0),
            State::Undecided => Some(0.5),
            State::Working => None,
        };
        Survey {
            format: FORMAT.to_owned(),
            version: VERSION,
            tool: tool.to_owned(),
            causes: causes(first.as_ref(), probability),
            verdict: verdict(state, headline, first.as_ref(), probability),
            also_found,
            connections,
            disagreements,
            troubles,
            running,
            looked_at,
        }
    }
}

fn verdict(
    state: State,
    headline: String,
    first: Option<&Finding>,
    probability: Option<f64>,
) -> Verdict {
    let known = first.and_then(|f| entry(f.id));
    let fix = match first {
        Some(finding) => {
            let place = finding.place.as_ref().and_then(Place::whereabouts);
            let place = place.map_or_else(String::new, |place| format!("{place}: "));
            let fixes = known.map_or(&[][..], |c| c.fix);
            fixes.iter().map(|fix| format!("{place}{fix}")).collect()
        }
        None => Vec::new(),
    };
    Verdict {
        seen_at: first.map(|_| Layer::Settings),
        cause: first.map(|f| f.id.as_str().to_owned()),
        layer: first.map(|_| known.map_or(Layer::Settings, |c| c.layer)),
        probability,
        owner: known.and_then(|c| c.owner),
        fix,
        ..Verdict::bare(state, Layer::Settings, headline)
    }
}

fn causes(first: Option<&Finding>, probability: Option<f64>) -> Vec<ShownCause> {
    let (Some(first), Some(probability)) = (first, probability) else {
        return Vec::new();
    };
    let shown = |id: FindingId, probability| {
        let known = entry(id);
        ShownCause {
            id: id.as_str().to_owned(),
            layer: known.map_or(Layer::Settings, |c| c.layer),
            owner: known.and_then(|c| c.owner),
            probability,
            speaks_for: Vec::new(),
            against: Vec::new(),
        }
    };
    let mut out = vec![shown(first.id, probability)];
    if probability < 1.0 {
        out.push(shown(CauseId::SomethingElse.into(), 1.0 - probability));
    }
    out
}

/// The entry of the catalogue, if it is a cause.
fn entry(id: FindingId) -> Option<&'static Cause> {
    id.cause().and_then(cause)
}

fn also(finding: &Finding) -> AlsoFound {
    AlsoFound {
        id: finding.id.as_str().to_owned(),
        layer: entry(finding.id).map_or(Layer::Settings, |c| c.layer),
        text: finding.text.clone(),
        place: finding.place.clone(),
    }
}

fn differing(d: &Differing) -> Finding {
    let fields: Vec<&str> = d.fields.iter().map(|f| f.field.as_str()).collect();
    Finding {
        id: CauseId::SourcesDisagree.into(),
        weight: Weight::Doubt,
        subject: Field::of(fields.first().copied().unwrap_or_default()),
        text: format!(
            "{} is described in {} places, and they differ on {}",
            d.about,
            d.connections.len(),
            fields.join(", ")
        ),
        expected: "one value in all places, or a reason".to_owned(),
        place: None,
        mended: None,
    }
}

fn stale(s: &Stale) -> Finding {
    let twin = s.fresh_twin.map_or_else(String::new, |pid| {
        format!("; process {pid} of the same program was started after it: probably two copies of the same service")
    });
    Finding {
        id: CauseId::SettingsNotReloaded.into(),
        weight: Weight::Doubt,
        subject: Field::PROCESS,
        text: format!(
            "process {} ({}) was started {} and {} changed {}{twin}",
            s.pid, s.command, s.started, s.file, s.changed
        ),
        expected: "restart the process, if it reads its settings only once".to_owned(),
        place: None,
        mended: None,
    }
}

/// One sentence.
fn headline(connections: &[Described], all: &[Finding], first: Option<&Finding>) -> String {
    let count = |weight: Weight| all.iter().filter(|f| f.weight == weight).count();
    let plural = |n: usize, one: &str, many: &str| match n {
        1 => format!("1 {one}"),
        n => format!("{n} {many}"),
    };
    let described = plural(connections.len(), "connection", "connections");
    match (count(Weight::Fault), count(Weight::Doubt), first) {
        (0, 0, _) => format!("{described}; nothing is wrong with how they are written."),
        (0, doubts, _) => format!(
            "{described}; {} that only a test can settle.",
            plural(doubts, "thing", "things")
        ),
        (faults, 0, _) => format!("{described}; {}.", plural(faults, "fault", "faults")),
        (faults, doubts, _) => format!(
            "{described}; {}, and {} that only a test can settle.",
            plural(faults, "fault", "faults"),
            plural(doubts, "thing", "things")
        ),
    }
}

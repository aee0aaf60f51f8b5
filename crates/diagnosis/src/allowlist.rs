//! What allow-lists say of an attempt, in the shape of all JSON.

mod verdict;

use std::net::{IpAddr, SocketAddr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use chronaxis_allowlist::answer::{Answer, Barrier};
use chronaxis_model::fact::ListWord;
use chronaxis_model::found::FindingId;
use chronaxis_model::layer::Layer;
use chronaxis_model::settings::Place;

use crate::schema::schema_of;
use crate::verdict::{AlsoFound, ShownCause, State, Verdict};

use self::verdict::{known, verdict};

/// The format's name.
pub const FORMAT: &str = "chronaxis-allowlist";

/// The format's version.
pub const VERSION: u32 = 1;

/// Whether an attempt gets through.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ShownAnswer {
    /// It does.
    Allowed,
    /// It does not.
    Denied,
    /// What decides is not in the list.
    Unknown,
}

impl From<Answer> for ShownAnswer {
    fn from(answer: Answer) -> ShownAnswer {
        match answer {
            Answer::Allowed => ShownAnswer::Allowed,
            Answer::Denied => ShownAnswer::Denied,
            Answer::Unknown => ShownAnswer::Unknown,
        }
    }
}

impl ShownAnswer {
    /// The word for it in outputs.
    pub fn as_str(self) -> &'static str {
        match self {
            ShownAnswer::Allowed => "allowed",
            ShownAnswer::Denied => "denied",
            ShownAnswer::Unknown => "unknown",
        }
    }

    /// How it stands then.
    pub fn state(self) -> State {
        match self {
            ShownAnswer::Allowed => State::Working,
            ShownAnswer::Denied => State::Broken,
            ShownAnswer::Unknown => State::Undecided,
        }
    }
}

/// A rule.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownRule {
    /// What it says, on one line.
    pub text: String,
    /// Where it stands.
    pub place: Option<Place>,
}

/// A rule that was passed over.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PassedRule {
    /// The rule.
    pub rule: ShownRule,
    /// Why it did not decide.
    pub why: String,
}

/// Something in a list.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ListFinding {
    /// The cause or caution that it is.
    #[schemars(schema_with = "crate::knowledge::causes::finding_schema")]
    pub id: FindingId,
    /// What is there.
    pub text: String,
    /// Where.
    pub place: Option<Place>,
}

/// A change of a file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownChange {
    /// What it is for: `let-in`, exactly this client; `close`, a hole.
    pub purpose: String,
    /// Who gets in by it, in words; empty where it closes a hole.
    pub who: String,
    /// The file.
    pub file: String,
    /// The change, as a unified diff; secrets that stand near it are covered.
    pub diff: String,
    /// The commands that make it where the rules are in force, where there are some.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub commands: Vec<String>,
}

/// What one list says.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ListAnswer {
    /// Its file.
    pub file: String,
    /// Its kind: `own-toml`, `host-rules`, …
    pub kind: String,
    /// What that is called.
    pub title: String,
    /// Whether the attempt gets through it.
    pub answer: ShownAnswer,
    /// The rule that decides.
    pub rule: Option<ShownRule>,
    /// Why.
    pub why: String,
    /// What stands in the way, where it is denied.
    #[serde(skip)]
    pub barrier: Option<Barrier>,
    /// Whether the far side sees another address: NAT stands between.
    #[serde(skip)]
    pub other_address: bool,
    /// What else is to be said of this attempt.
    pub remarks: Vec<ListRemark>,
    /// The rules that were passed over, where they are wanted.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub passed: Vec<PassedRule>,
}

/// A remark about an attempt.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ListRemark {
    /// What it is.
    pub text: String,
    /// Where it can be seen.
    pub place: Option<Place>,
}

/// All of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Allowlist {
    /// `chronaxis-allowlist`.
    pub format: String,
    /// 1.
    pub version: u32,
    /// The version of the program.
    pub tool: String,
    /// Whether the attempt gets through all lists.
    pub answer: ShownAnswer,
    /// The client; none where there are many.
    pub client: Option<IpAddr>,
    /// Where it wants to go; none where that is many places.
    pub to: Option<SocketAddr>,
    /// The rule that decides.
    pub rule: Option<ShownRule>,
    /// How it stands.
    pub verdict: Verdict,
    /// The cause, where it is denied.
    pub causes: Vec<ShownCause>,
    /// What else stands in the lists.
    pub also_found: Vec<AlsoFound>,
    /// The same, as the lists have it.
    pub findings: Vec<ListFinding>,
    /// What each list says, in the order given.
    pub lists: Vec<ListAnswer>,
    /// The smallest changes.
    pub changes: Vec<ShownChange>,
    /// Names in the lists that were looked up (`--resolver`).
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub names: Vec<NameLookedUp>,
    /// Who reaches what, where that was asked of many (`--matrix`).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub matrix: Option<Vec<Pair>>,
    /// Who gains or loses access between two versions of a list (`--between`).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub between: Option<Vec<ShownDifference>>,
}

/// A name that stands in a list, looked up.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct NameLookedUp {
    /// The name.
    pub name: String,
    /// Its addresses: none where there is no such name, null where no resolver said.
    pub addresses: Option<Vec<IpAddr>>,
}

/// One client and one place.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Pair {
    /// The client.
    pub client: IpAddr,
    /// Where it wants to go.
    pub to: SocketAddr,
    /// Whether it gets there.
    pub answer: ShownAnswer,
    /// The list that decides.
    pub file: String,
    /// The line of the rule that decides.
    pub line: Option<u32>,
}

/// Clients for whom two versions of a list differ.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ShownDifference {
    /// `gains`, `loses`, or `unclear`.
    pub change: String,
    /// The clients: an address, a prefix, or a range.
    pub clients: String,
    /// The ports.
    pub ports: String,
    /// The rule of the older list that decided; none for what it does when no rule fits.
    pub old: Option<ShownRule>,
    /// The rule of the newer list that decides.
    pub new: Option<ShownRule>,
}

/// The JSON Schema of the document (draft 2020-12), made from these types.
pub fn schema() -> serde_json::Value {
    schema_of::<Allowlist>(FORMAT)
}

/// The word of a fact for what stands in the way.
pub fn word_of(barrier: Barrier) -> ListWord {
    match barrier {
        Barrier::NotCovered => ListWord::Excludes,
        Barrier::OtherPort => ListWord::OtherPort,
        Barrier::RuleOff => ListWord::RuleOff,
        Barrier::WayBack => ListWord::WayBack,
        Barrier::HostRules => ListWord::HostRules,
    }
}

impl Allowlist {
    /// Concludes from what the lists say: a chain, of which the first that denies decides.
    pub fn new(
        tool: &str,
        client: IpAddr,
        to: SocketAddr,
        lists: Vec<ListAnswer>,
        findings: Vec<ListFinding>,
        changes: Vec<ShownChange>,
        command: &str,
    ) -> Allowlist {
        let denied = lists.iter().find(|l| l.answer == ShownAnswer::Denied);
        let open = lists.iter().find(|l| l.answer == ShownAnswer::Unknown);
        let last = lists.last();
        // What is not known before a list that denies anyway changes nothing.
        let deciding = denied.or(open).or(last);
        let answer = deciding.map_or(ShownAnswer::Unknown, |l| l.answer);
        let found = deciding.and_then(|l| l.barrier).and_then(known);
        let verdict = verdict(answer, client, to, deciding, &lists, &changes, command);
        let causes = found.map(|known| ShownCause {
            id: known.id.as_str().to_owned(),
            layer: known.layer,
            owner: known.owner,
            probability: 1.0,
            speaks_for: Vec::new(),
            against: Vec::new(),
        });
        let also_found = findings.iter().map(|finding| AlsoFound {
            id: finding.id.as_str().to_owned(),
            layer: Layer::Route,
            text: finding.text.clone(),
            place: finding.place.clone(),
        });
        Allowlist {
            format: FORMAT.to_owned(),
            version: VERSION,
            tool: tool.to_owned(),
            answer,
            client: Some(client),
            to: Some(to),
            rule: deciding.and_then(|l| l.rule.clone()),
            verdict,
            causes: causes.into_iter().collect(),
            also_found: also_found.collect(),
            findings,
            lists,
            changes,
            names: Vec::new(),
            matrix: None,
            between: None,
        }
    }

    /// With the names in the lists that were looked up for it.
    #[must_use]
    pub fn with_names(self, names: Vec<NameLookedUp>) -> Allowlist {
        Allowlist { names, ..self }
    }

    /// What lists say of many pairs.
    pub fn of_pairs(tool: &str, pairs: Vec<Pair>) -> Allowlist {
        let count = |answer| pairs.iter().filter(|p| p.answer == answer).count();
        let (allowed, denied, unknown) = (
            count(ShownAnswer::Allowed),
            count(ShownAnswer::Denied),
            count(ShownAnswer::Unknown),
        );
        let answer = match (denied, unknown) {
            (0, 0) => ShownAnswer::Allowed,
            (0, _) => ShownAnswer::Unknown,
            _ => ShownAnswer::Denied,
        };
        let headline = format!(
            "Of {} pairs of a client and a place, {allowed} are allowed, {denied} denied, {unknown} unknown.",
            pairs.len()
        );
        Allowlist {
            matrix: Some(pairs),
            ..Allowlist::bare(tool, answer, headline)
        }
    }

    /// What differs between two versions of a list.
    pub fn of_versions(tool: &str, differences: Vec<ShownDifference>) -> Allowlist {
        let count = |change: &str| differences.iter().filter(|d| d.change == change).count();
        let headline = match differences.is_empty() {
            true => "The two versions let in exactly the same clients.".to_owned(),
            false => format!(
                "The two versions differ: {} ranges of clients gain access, {} lose it, {} are unclear.",
                count("gains"),
                count("loses"),
                count("unclear")
            ),
        };
        let answer = match differences.is_empty() {
            true => ShownAnswer::Allowed,
            false => ShownAnswer::Denied,
        };
        Allowlist {
            between: Some(differences),
            ..Allowlist::bare(tool, answer, headline)
        }
    }

    fn bare(tool: &str, answer: ShownAnswer, headline: String) -> Allowlist {
        Allowlist {
            format: FORMAT.to_owned(),
            version: VERSION,
            tool: tool.to_owned(),
            answer,
            client: None,
            to: None,
            rule: None,
            verdict: Verdict::bare(answer.state(), Layer::Route, headline),
            causes: Vec::new(),
            also_found: Vec::new(),
            findings: Vec::new(),
            lists: Vec::new(),
            changes: Vec::new(),
            names: Vec::new(),
            matrix: None,
            between: None,
        }
    }
}

//! Network policies of Kubernetes (its API, `networking.k8s.io/v1`): for a workload that some
//! policy selects, only what one of these policies allows; for others everything.

use std::net::IpAddr;

use chronaxis_model::found::{CauseId, Warning};

use crate::answer::{self, Answer, Barrier, Decision, Passed, Spot};
use crate::attempt::{Attempt, Labels};
use crate::block::Block;
use crate::own::findings::{Finding, of_range};

/// The label by which every namespace carries its own name.
pub const NAMESPACE: &str = "kubernetes.io/metadata.name";

/// How labels are to be.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Selector {
    /// Labels that must be there.
    pub labels: Vec<(String, String)>,
    /// What else must hold of labels.
    pub expressions: Vec<Expression>,
}

/// What must hold of a label.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Expression {
    /// Its key.
    pub key: String,
    /// What.
    pub operator: Operator,
    /// The values of which it speaks.
    pub values: Vec<String>,
}

/// What an expression asks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Operator {
    /// The value is one of these.
    In,
    /// It is none of these, or not there.
    NotIn,
    /// There is one.
    Exists,
    /// There is none.
    DoesNotExist,
}

impl Selector {
    /// Whether it selects everything.
    pub fn is_all(&self) -> bool {
        self.labels.is_empty() && self.expressions.is_empty()
    }

    fn fits(&self, labels: &Labels) -> bool {
        let plain = self
            .labels
            .iter()
            .all(|(k, v)| labels.get(k).is_some_and(|given| given == v));
        plain
            && self.expressions.iter().all(|e| {
                let given = labels.get(&e.key);
                match e.operator {
                    Operator::In => given.is_some_and(|v| e.values.contains(v)),
                    Operator::NotIn => given.is_none_or(|v| !e.values.contains(v)),
                    Operator::Exists => given.is_some(),
                    Operator::DoesNotExist => given.is_none(),
                }
            })
    }

    fn keys(&self) -> impl Iterator<Item = &str> {
        let plain = self.labels.iter().map(|(k, _)| k.as_str());
        plain.chain(self.expressions.iter().map(|e| e.key.as_str()))
    }
}

/// One of the ends that a rule allows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Peer {
    /// Addresses, without these.
    pub block: Option<(Block, Vec<Block>)>,
    /// Whether bits behind a prefix were set.
    pub host_bits: bool,
    /// Workloads; of the policy's own namespace, where no namespace is told.
    pub pods: Option<Selector>,
    /// Namespaces.
    pub namespaces: Option<Selector>,
    /// Where it is written.
    pub at: std::ops::Range<usize>,
}

/// Ports that a rule allows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Port {
    /// Whether it is for TCP.
    pub tcp: bool,
    /// The first one; none for all.
    pub from: Option<u16>,
    /// The last one.
    pub to: Option<u16>,
    /// A name, in the place of a number.
    pub name: Option<String>,
}

/// A rule of a policy.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rule {
    /// From or to whom; empty for everybody.
    pub peers: Vec<Peer>,
    /// For which ports; empty for all.
    pub ports: Vec<Port>,
    /// Where it is written.
    pub at: std::ops::Range<usize>,
    /// What it says, on one line.
    pub text: String,
}

/// A policy.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Policy {
    /// Its name.
    pub name: String,
    /// Its namespace; the one that `kubectl` has at hand where none is told.
    pub namespace: Option<String>,
    /// For which workloads it is.
    pub pods: Selector,
    /// What may come in; none where it does not say.
    pub ingress: Option<Vec<Rule>>,
    /// What may go out; none where it does not say.
    pub egress: Option<Vec<Rule>>,
    /// Where it is written.
    pub at: std::ops::Range<usize>,
    /// Where its list of incoming rules is written.
    pub ingress_at: std::ops::Range<usize>,
}

impl Policy {
    fn shown(&self) -> answer::Rule {
        answer::Rule {
            spot: Some(Spot::own(self.at.clone())),
            text: format!("policy {}", self.name),
        }
    }

    fn rule(&self, rule: &Rule) -> answer::Rule {
        answer::Rule {
            spot: Some(Spot::own(rule.at.clone())),
            text: format!("policy {}: {}", self.name, rule.text),
        }
    }
}

/// All policies of a file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Policies {
    /// In the order of the file, which does not matter.
    pub policies: Vec<Policy>,
}

/// Whether something fits.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Fits {
    Yes,
    No,
    Maybe(String),
}

/// One end of a connection, as policies see it.
struct End<'a> {
    ip: IpAddr,
    labels: Option<&'a Labels>,
    /// The option that tells its labels.
    option: &'static str,
}

fn selects(policy: &Policy, end: &End<'_>) -> Fits {
    let namespace = end.labels.and_then(|l| l.get(NAMESPACE));
    if let (Some(told), Some(own)) = (namespace, &policy.namespace)
        && told != own
    {
        return Fits::No;
    }
    if policy.pods.is_all() {
        return Fits::Yes;
    }
    match end.labels {
        Some(labels) => match policy.pods.fits(labels) {
            true => Fits::Yes,
            false => Fits::No,
        },
        None => Fits::Maybe(format!(
            "it depends on the labels of {} ({} k=v,…)",
            end.ip, end.option
        )),
    }
}

/// Whether a peer is the other end.
fn is_peer(peer: &Peer, policy: &Policy, end: &End<'_>) -> Fits {
    if let Some((block, except)) = &peer.block {
        let within = block.has(end.ip) && !except.iter().any(|e| e.has(end.ip));
        return match (within, end.labels) {
            (false, _) => Fits::No,
            (true, None) => Fits::Yes,
            (true, Some(_)) => Fits::Maybe(
                "it depends on the network of the cluster whether ranges of addresses are meant for workloads too"
                    .to_owned(),
            ),
        };
    }
    let Some(labels) = end.labels else {
        return Fits::Maybe(format!(
            "it depends on whether {} is a workload with these labels ({} k=v,…)",
            end.ip, end.option
        ));
    };
    let namespace = labels.get(NAMESPACE);
    let in_namespace = match &peer.namespaces {
        None => match (namespace, &policy.namespace) {
            (Some(told), Some(own)) if told != own => Fits::No,
            _ => Fits::Yes,
        },
        Some(selector) if selector.is_all() => Fits::Yes,
        Some(selector) => match selector.keys().all(|key| key == NAMESPACE) {
            true if namespace.is_some() => {
                let own = labels
                    .iter()
                    .filter(|(k, _)| k.as_str() == NAMESPACE)
                    .map(|(k, v)| (k.clone(), v.clone()))
                    .collect();
                match selector.fits(&own) {
                    true => Fits::Yes,
                    false => Fits::No,
                }
            }
            _ => Fits::Maybe(format!(
                "it depends on the labels of that workload's namespace ({NAMESPACE}=NAME among its labels tells the name)"
            )),
        },
    };
    let pods = peer.pods.as_ref().is_none_or(|s| s.fits(labels));
    match (pods, in_namespace) {
        (false, _) | (_, Fits::No) => Fits::No,
        (true, fits) => fits,
    }
}

fn is_port(rule: &Rule, port: u16) -> Fits {
    if rule.ports.is_empty() {
        return Fits::Yes;
    }
    let mut open = Fits::No;
    for one in rule.ports.iter().filter(|p| p.tcp) {
        match (one.from, one.to, &one.name) {
            (_, _, Some(name)) => {
                open = Fits::Maybe(format!(
                    "it depends on which port the workload calls \"{}\"",
                    chronaxis_model::redact::visible(name)
                ));
            }
            (None, ..) => return Fits::Yes,
            (Some(from), to, _) if (from..=to.unwrap_or(from)).contains(&port) => {
                return Fits::Yes;
            }
            _ => {}
        }
    }
    open
}

/// How a rule stands to a connection: whether its peers fit, and whether its ports do.
fn fits(rule: &Rule, policy: &Policy, end: &End<'_>, port: u16) -> (Fits, Fits) {
    let mut peer = match rule.peers.is_empty() {
        true => Fits::Yes,
        false => Fits::No,
    };
    for one in &rule.peers {
        match is_peer(one, policy, end) {
            Fits::Yes => peer = Fits::Yes,
            Fits::Maybe(why) if peer == Fits::No => peer = Fits::Maybe(why),
            _ => {}
        }
        if peer == Fits::Yes {
            break;
        }
    }
    (peer, is_port(rule, port))
}

fn both(a: Fits, b: Fits) -> Fits {
    match (a, b) {
        (Fits::No, _) | (_, Fits::No) => Fits::No,
        (Fits::Maybe(why), _) | (_, Fits::Maybe(why)) => Fits::Maybe(why),
        _ => Fits::Yes,
    }
}

/// One direction: what the policies that select `this` end say of the other.
fn direction(
    policies: &Policies,
    (this, other): (&End<'_>, &End<'_>),
    port: u16,
    inbound: bool,
    passed: &mut Vec<Passed>,
) -> Decision {
    let way = if inbound { "come in" } else { "go out" };
    let mut allowed: Option<answer::Rule> = None;
    let mut isolated: Option<&Policy> = None;
    let mut doubt: Option<(answer::Rule, String)> = None;
    let (mut may_allow, mut may_deny) = (false, false);
    let mut other_port: Option<answer::Rule> = None;
    for policy in &policies.policies {
        let rules = match inbound {
            true => &policy.ingress,
            false => &policy.egress,
        };
        let Some(rules) = rules else {
            continue;
        };
        let selected = selects(policy, this);
        if selected == Fits::No {
            continue;
        }
        let mut best = Fits::No;
        for rule in rules {
            let (peer, ports) = fits(rule, policy, other, port);
            let named = peer == Fits::Yes && ports == Fits::No && !rule.peers.is_empty();
            if named && other_port.is_none() {
                other_port = Some(policy.rule(rule));
            }
            let missing = if peer == Fits::No {
                "the other end"
            } else {
                "the port"
            };
            match both(peer, ports) {
                Fits::Yes => {
                    if selected == Fits::Yes {
                        allowed = allowed.or(Some(policy.rule(rule)));
                    }
                    best = Fits::Yes;
                }
                Fits::Maybe(why) => {
                    doubt.get_or_insert((policy.rule(rule), why.clone()));
                    if best == Fits::No {
                        best = Fits::Maybe(why);
                    }
                }
                Fits::No => passed.push(Passed {
                    rule: policy.rule(rule),
                    why: format!("{missing} is not what it allows"),
                }),
            }
        }
        match &selected {
            Fits::Yes => isolated = isolated.or(Some(policy)),
            Fits::Maybe(why) => {
                doubt.get_or_insert((policy.shown(), why.clone()));
            }
            Fits::No => {}
        }
        may_allow |= best != Fits::No;
        may_deny |= best != Fits::Yes;
    }
    if let Some(rule) = allowed {
        let why = format!("this rule lets it {way}");
        return Decision::new(Answer::Allowed, Some(rule), why);
    }
    match (isolated, doubt) {
        (None, None) => Decision::new(
            Answer::Allowed,
            None,
            format!("no policy says what may {way}"),
        ),
        (Some(policy), _) if !may_allow => {
            let why = format!("a policy selects {}, and none lets this {way}", this.ip);
            let mut decision = Decision::new(Answer::Denied, Some(policy.shown()), why);
            let barrier = match other_port {
                Some(rule) => {
                    let text = format!("\"{}\" is for another port", rule.text);
                    decision.remarks.push((text, rule.spot));
                    Barrier::OtherPort
                }
                None => Barrier::NotCovered,
            };
            decision.behind(barrier)
        }
        (None, Some(_)) if !may_deny => {
            let why = format!("whichever policies select it, they let it {way}");
            Decision::new(Answer::Allowed, None, why)
        }
        (_, Some((rule, why))) => Decision::new(Answer::Unknown, Some(rule), why),
        (Some(policy), None) => {
            let why = "what decides is not in the file";
            Decision::new(Answer::Unknown, Some(policy.shown()), why)
        }
    }
}

/// What the policies say of an attempt; with every rule that was passed over if `keep`.
pub fn decide(policies: &Policies, attempt: &Attempt, keep: bool) -> Decision {
    let client = End {
        ip: attempt.client,
        labels: attempt.client_labels.as_ref(),
        option: "--client-labels",
    };
    let server = End {
        ip: attempt.to.ip(),
        labels: attempt.to_labels.as_ref(),
        option: "--to-labels",
    };
    let port = attempt.to.port();
    let mut passed = Vec::new();
    let comes = direction(policies, (&server, &client), port, true, &mut passed);
    let mut decision = comes;
    // Whether the client is a workload of the cluster at all is for its labels to tell.
    if client.labels.is_some() {
        let goes = direction(policies, (&client, &server), port, false, &mut passed);
        let first = |d: &Decision| d.answer == Answer::Denied;
        let second = |d: &Decision| d.answer == Answer::Unknown;
        if (first(&goes) && !first(&decision))
            || (second(&goes) && decision.answer == Answer::Allowed)
        {
            decision = goes;
        }
    } else if policies.policies.iter().any(|p| p.egress.is_some()) {
        let text = "rules for what goes out are left aside: whether the client is a workload of the cluster is not told (--client-labels)";
        decision.remarks.push((text.to_owned(), None));
    }
    if keep {
        decision.passed = passed;
    }
    decision
}

/// What else stands in the policies.
pub fn findings(policies: &Policies) -> Vec<Finding> {
    let mut out = Vec::new();
    for policy in &policies.policies {
        for rule in policy.ingress.iter().flatten() {
            let spot = Spot::own(rule.at.clone());
            let world = |p: &Peer| {
                p.block
                    .as_ref()
                    .is_some_and(|(b, except)| b.is_all() && except.is_empty())
            };
            if rule.peers.is_empty() || rule.peers.iter().any(world) {
                let text = format!("policy {} lets everybody in by this rule", policy.name);
                out.push(Finding::warning(Warning::AllowListOpenToAll, text, spot));
            }
        }
        let rules = policy.ingress.iter().chain(&policy.egress).flatten();
        for peer in rules.flat_map(|r| &r.peers) {
            if let Some((block, except)) = &peer.block {
                let spot = Spot::own(peer.at.clone());
                of_range(block, peer.host_bits, "the range", &spot, &mut out);
                for hole in except.iter().filter(|e| !block.covers(e)) {
                    let text = format!("{hole} is excepted from {block}, and is no part of it");
                    out.push(Finding::cause(
                        CauseId::AllowListRuleOff,
                        text,
                        spot.clone(),
                    ));
                }
            }
        }
    }
    out
}

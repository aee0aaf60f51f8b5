//! What lists conclude of an attempt: who may, by which rule, and what to do.

use std::net::{IpAddr, SocketAddr};

use chronaxis_allowlist::answer::Barrier;
use chronaxis_model::layer::Layer;
use chronaxis_model::settings::Place;

use super::{ListAnswer, ShownAnswer, ShownChange, word_of};
use crate::knowledge::causes::{Cause, Owner, cause};
use crate::verdict::{NextTest, Verdict};

/// The catalogue's entry for what stands in the way.
pub(super) fn known(barrier: Barrier) -> Option<&'static Cause> {
    word_of(barrier).cause().and_then(cause)
}

/// A file of the lists, for messages: where the deciding rule stands.
fn at_place(place: Option<&Place>) -> String {
    let place = place.and_then(|p| Some((p.file.clone()?, p.line?)));
    place.map_or_else(String::new, |(file, line)| format!("{file}, line {line}"))
}

/// The verdict on an attempt.
pub(super) fn verdict(
    answer: ShownAnswer,
    client: IpAddr,
    to: SocketAddr,
    deciding: Option<&ListAnswer>,
    lists: &[ListAnswer],
    changes: &[ShownChange],
    command: &str,
) -> Verdict {
    let barrier = deciding.and_then(|l| l.barrier);
    let known = barrier.and_then(known);
    let layer = known.map_or(Layer::Route, |c| c.layer);
    let why = deciding.map_or("", |l| l.why.as_str());
    let of = match (lists.len(), deciding) {
        (0 | 1, _) | (_, None) => String::new(),
        (n, Some(_)) if answer == ShownAnswer::Allowed => format!("; all {n} lists let it through"),
        (_, Some(list)) => format!("; {} decides", list.file),
    };
    let headline = match answer {
        ShownAnswer::Allowed => format!("{client} may connect to {to}: {why}{of}."),
        ShownAnswer::Denied => format!("{client} may not connect to {to}: {why}{of}."),
        ShownAnswer::Unknown => {
            format!("It cannot be told whether {client} may connect to {to}: {why}{of}.")
        }
    };
    let mut verdict = Verdict::bare(answer.state(), layer, headline);
    let place = deciding
        .and_then(|l| l.rule.as_ref())
        .map(|r| at_place(r.place.as_ref()))
        .filter(|p| !p.is_empty());
    if let Some(known) = known {
        verdict.seen_at = Some(layer);
        verdict.cause = Some(known.id.as_str().to_owned());
        verdict.layer = Some(known.layer);
        verdict.probability = Some(1.0);
        verdict.owner = known.owner;
        let let_in = changes.iter().find(|c| c.purpose == "let-in");
        let then = match deciding.map(|l| l.kind.as_str()) {
            Some("host-rules") => " Then reload the server: select pg_reload_conf().",
            _ => "",
        };
        verdict.fix = match let_in {
            Some(change) => vec![format!(
                "In {}, make the change shown below: it lets in {}.{then}",
                change.file, change.who
            )],
            None if deciding.is_some_and(|l| l.other_address) => vec![format!(
                "Find out which public address {client} has towards {}, and ask again with it as --client.",
                to.ip()
            )],
            None => known.fix.iter().map(|f| (*f).to_owned()).collect(),
        };
        let other_address = deciding.is_some_and(|l| l.other_address);
        verdict.handover = (!other_address)
            .then_some(())
            .and_then(|()| handover(client, to, deciding, place.as_deref(), known.owner));
    }
    let untold = deciding
        .filter(|list| list.rule.is_some() || list.kind.starts_with("accounts"))
        .map_or(Vec::new(), |list| untold(&list.kind, command));
    let open_words = match untold.is_empty() {
        true => "What it depends on stands in no option and not in the file: look it up, or try the connection with chronaxis diagnose.".to_owned(),
        false => format!(
            "If it depends on what an option tells, add that and ask again: {}.",
            untold.join(", ")
        ),
    };
    verdict.next_test = Some(NextTest {
        question: "allow-list".to_owned(),
        what: match answer {
            ShownAnswer::Allowed => "If the connection fails all the same, the list that is in force may be another one: compare it with this file.".to_owned(),
            ShownAnswer::Denied if deciding.is_some_and(|l| l.other_address) => {
                "With that address in the place of this one:".to_owned()
            }
            ShownAnswer::Denied => "After the change, this command should say allowed.".to_owned(),
            ShownAnswer::Unknown => open_words,
        },
        command: Some(command.to_owned()),
    });
    verdict
}

/// The options that could tell more about an attempt in a list of this kind, and were not
/// given.
fn untold(kind: &str, command: &str) -> Vec<&'static str> {
    let options: &[&'static str] = match kind {
        "host-rules" => &["--user", "--database", "--encrypted", "--resolver"],
        "accounts-csv" | "accounts-json" => &["--user"],
        "nftables" | "iptables" => &["--interface"],
        kind if kind.starts_with("network-policies") => &["--client-labels", "--to-labels"],
        _ => &[],
    };
    let given = |option: &&&str| !command.split(' ').any(|word| word == **option);
    options.iter().filter(given).copied().collect()
}

fn handover(
    client: IpAddr,
    to: SocketAddr,
    deciding: Option<&ListAnswer>,
    place: Option<&str>,
    owner: Option<Owner>,
) -> Option<String> {
    let list = deciding?;
    let what = match owner {
        Some(Owner::Dba) => "host rules",
        _ => "allow-list",
    };
    let rule = match (&list.rule, place) {
        (Some(rule), Some(place)) => format!(" The rule ({place}): {}.", rule.text),
        _ => String::new(),
    };
    let remark = list.remarks.first();
    let remark = remark.map_or_else(String::new, |r| format!(" Note: {}.", r.text));
    Some(format!(
        "Please let {client} connect to {}, TCP port {}. By the {what} in {} it is turned away: {}.{rule}{remark}",
        to.ip(),
        to.port(),
        list.file,
        list.why
    ))
}

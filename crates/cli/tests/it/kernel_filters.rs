//! The kernel judges what packet filters mean: drawn rulesets are loaded in a namespace,
//! connections made through them, and each answer compared with ours.

use std::net::{IpAddr, SocketAddr};

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_readers::allowlist::{Alone, Reading, close, let_in, read};
use chronaxis_readers::text::Text;
use jiff::civil::date;

use crate::support::filters::{
    CLIENTS, DEVICE, Draw, Ground, LONG, Made, PATIENCE, PORTS, SERVER, iptables, nft,
};
use crate::support::real::{available, is_root, tally};

/// How many rulesets are made, where nothing else is told.
const NFTABLES: usize = 160;
const IPTABLES: usize = 100;

/// How many rulesets are made in this run.
fn wanted(usual: usize) -> usize {
    let told = std::env::var("CHRONAXIS_RULESETS").ok();
    told.and_then(|n| n.parse().ok()).unwrap_or(usual)
}

fn attempts(v6: Option<bool>) -> Vec<Attempt> {
    let mut out = Vec::new();
    for client in CLIENTS {
        let client: IpAddr = client.parse().unwrap();
        if v6.is_some_and(|v6| v6 != client.is_ipv6()) {
            continue;
        }
        let server: IpAddr = SERVER[usize::from(client.is_ipv6())].parse().unwrap();
        for port in PORTS {
            out.push(Attempt {
                interface: Some(DEVICE.to_owned()),
                ..Attempt::new(client, SocketAddr::new(server, port), date(2026, 11, 29))
            });
        }
    }
    out
}

fn reading(text: &str) -> Reading {
    match read("ruleset", Text::new(text.to_owned()), &Alone) {
        Ok(reading) => reading,
        Err((_, broken)) => panic!("{broken:?}\n{text}"),
    }
}

#[derive(Default)]
struct Tally {
    rulesets: usize,
    allowed: usize,
    denied: usize,
    unknown: usize,
    wrong: Vec<String>,
    changes: usize,
    closings: usize,
}

/// Holds our answers against the kernel's.
fn compare(ground: &Ground, text: &str, attempts: &[Attempt], source: &str, tally: &mut Tally) {
    let list = reading(text);
    let connections: Vec<(IpAddr, SocketAddr)> =
        attempts.iter().map(|a| (a.client, a.to)).collect();
    let kernel = ground.connect(&connections, PATIENCE);
    tally.rulesets += 1;
    for (attempt, mut connects) in attempts.iter().zip(kernel) {
        let decision = list.rules.decide(attempt, false);
        if decision.answer == Answer::Allowed && !connects {
            connects = ground.connect(&[(attempt.client, attempt.to)], LONG)[0];
        }
        match (decision.answer, connects) {
            (Answer::Unknown, _) => {
                tally.unknown += 1;
                continue;
            }
            (Answer::Allowed, true) => tally.allowed += 1,
            (Answer::Denied, false) => tally.denied += 1,
            (answer, _) => tally.wrong.push(format!(
                "{} to {}: we say {answer:?} ({}; {:?}), the kernel {}\n{source}",
                attempt.client,
                attempt.to,
                decision.why,
                decision.rule.map(|r| r.text),
                if connects {
                    "lets it in"
                } else {
                    "keeps it out"
                },
            )),
        }
    }
}

#[allow(clippy::print_stdout, reason = "the figures of a run")]
fn conclude(kind: &str, tally: &Tally, made: &Made) {
    let all = tally.allowed + tally.denied + tally.unknown + tally.wrong.len();
    println!(
        "{kind}: {} rulesets, {all} connections: {} allowed, {} denied, {} unknown, {} wrong; {} changes and {} closings proved",
        tally.rulesets,
        tally.allowed,
        tally.denied,
        tally.unknown,
        tally.wrong.len(),
        tally.changes,
        tally.closings
    );
    for (name, count) in made {
        println!("  {count:>5} {name}");
    }
    let shown: Vec<&String> = tally.wrong.iter().take(4).collect();
    assert!(
        tally.wrong.is_empty(),
        "{} wrong:\n{}",
        tally.wrong.len(),
        shown
            .iter()
            .map(|s| s.as_str())
            .collect::<Vec<_>>()
            .join("\n")
    );
    assert!(tally.allowed * 4 >= all, "a quarter is allowed");
    assert!(tally.denied * 4 >= all, "a quarter is denied");
    assert!(tally.unknown * 10 <= all, "a tenth is unknown at most");
    if tally.rulesets >= IPTABLES {
        let rare: Vec<_> = made.iter().filter(|(_, n)| **n < 20).collect();
        assert!(rare.is_empty(), "each expression twenty times: {rare:?}");
    }
    assert!(tally.changes > 0, "some changes were proved");
    assert!(tally.closings > 0, "some closings were proved");
}

/// A hole is closed by the change that is proposed: the client still gets in, and nobody does
/// who did not before.
fn prove_closing(
    ground: &Ground,
    text: &str,
    attempts: &[Attempt],
    load: impl Fn(&str) -> Result<(), String>,
    tally: &mut Tally,
) {
    let list = reading(text);
    let says = |a: &Attempt| list.rules.decide(a, false).answer;
    let allowed = attempts.iter().filter(|a| says(a) == Answer::Allowed);
    let found = allowed
        .filter_map(|attempt| Some((attempt, close(&list, attempt, &Alone)?)))
        .next();
    let Some((attempt, change)) = found else {
        return;
    };
    if load(text).is_err() {
        return;
    }
    if let Err(why) = load(&change.after) {
        tally
            .wrong
            .push(format!("the closing does not load: {why}\n{}", change.diff));
        return;
    }
    tally.closings += 1;
    let after = reading(&change.after);
    for other in attempts {
        let connects = ground.connect(&[(other.client, other.to)], PATIENCE)[0];
        let same = other.client == attempt.client && other.to == attempt.to;
        let fits = match (same, says(other), after.rules.decide(other, false).answer) {
            (true, ..) => connects || ground.connect(&[(other.client, other.to)], LONG)[0],
            (false, Answer::Denied, _) | (false, _, Answer::Denied) => !connects,
            _ => true,
        };
        if !fits {
            tally.wrong.push(format!(
                "after the closing for {} to {}, {} to {} {}\n{}",
                attempt.client,
                attempt.to,
                other.client,
                other.to,
                if connects { "gets in" } else { "is kept out" },
                change.diff
            ));
        }
    }
}

/// A denied connection is let in by the change that is proposed, and nobody else is.
fn prove_change(
    ground: &Ground,
    text: &str,
    attempts: &[Attempt],
    load: impl Fn(&str) -> Result<(), String>,
    tally: &mut Tally,
) {
    let list = reading(text);
    let denied = |a: &&Attempt| list.rules.decide(a, false).answer == Answer::Denied;
    let Some(attempt) = attempts.iter().find(denied) else {
        return;
    };
    let Some(change) = let_in(&list, attempt, &Alone) else {
        return;
    };
    // Not all that nft prints is taken by itself again.
    if load(text).is_err() {
        return;
    }
    if let Err(why) = load(&change.after) {
        tally
            .wrong
            .push(format!("the change does not load: {why}\n{}", change.diff));
        return;
    }
    let connections: Vec<(IpAddr, SocketAddr)> =
        attempts.iter().map(|a| (a.client, a.to)).collect();
    let after = ground.connect(&connections, PATIENCE);
    tally.changes += 1;
    for (other, mut connects) in attempts.iter().zip(after) {
        let same = other.client == attempt.client && other.to == attempt.to;
        let before = list.rules.decide(other, false).answer;
        if !connects && (same || before == Answer::Allowed) {
            connects = ground.connect(&[(other.client, other.to)], LONG)[0];
        }
        // What is redirected to the port is the same connection to every later rule.
        let redirected = other.client == attempt.client && text.to_lowercase().contains("redirect");
        let fits = match (same, before) {
            (true, _) => connects,
            _ if redirected => true,
            (false, Answer::Allowed) => connects,
            (false, Answer::Denied) => !connects,
            (false, Answer::Unknown) => true,
        };
        if !fits {
            tally.wrong.push(format!(
                "after the change for {} to {}, {} to {} {}\n{}",
                attempt.client,
                attempt.to,
                other.client,
                other.to,
                if connects { "gets in" } else { "is kept out" },
                change.diff
            ));
        }
    }
}

#[test]
fn nftables_as_the_kernel_has_it() {
    let there = is_root() && std::path::Path::new("/usr/sbin/nft").exists();
    if !available("root and nftables", there) {
        return;
    }
    let ground = Ground::new();
    let _listening = ground.listen();
    let mut draw = Draw::new(18);
    let mut made = Made::new();
    let mut counted = Tally::default();
    let attempts = attempts(None);
    while counted.rulesets < wanted(NFTABLES) {
        let mut now = Made::new();
        let source = nft::Maker {
            draw: &mut draw,
            made: &mut now,
        }
        .ruleset();
        if let Err(why) = ground.at_server(&["nft", "-f", "-"], &source) {
            // Two tests in one rule may contradict each other, which nft does not take.
            assert!(why.contains("conflicting protocols"), "{why}\n{source}");
            continue;
        }
        for (name, count) in now {
            *made.entry(name).or_default() += count;
        }
        let printed = ground.at_server(&["nft", "-j", "list", "ruleset"], "");
        let printed = printed.expect("nft prints");
        compare(&ground, &printed, &attempts, &source, &mut counted);
        let load = |text: &str| {
            // What nft prints does not flush what is there.
            ground.at_server(&["nft", "flush", "ruleset"], "")?;
            ground
                .at_server(&["nft", "-j", "-f", "-"], text)
                .map(|_| ())
        };
        if counted.rulesets % 4 == 0 {
            prove_change(&ground, &printed, &attempts, load, &mut counted);
        }
        prove_closing(&ground, &printed, &attempts, load, &mut counted);
    }
    conclude("nftables", &counted, &made);
    for n in 0..counted.rulesets {
        tally("filter", &format!("nftables {n}"));
    }
}

#[test]
fn iptables_as_the_kernel_has_it() {
    let there = is_root() && std::path::Path::new("/usr/sbin/iptables-restore").exists();
    if !available("root and iptables", there) {
        return;
    }
    let ground = Ground::new();
    let _listening = ground.listen();
    let mut draw = Draw::new(81);
    let mut made = Made::new();
    let mut counted = Tally::default();
    while counted.rulesets < wanted(IPTABLES) {
        let v6 = counted.rulesets % 3 == 2;
        let (restore, save) = match v6 {
            true => ("ip6tables-restore", "ip6tables-save"),
            false => ("iptables-restore", "iptables-save"),
        };
        let source = iptables::Maker {
            draw: &mut draw,
            made: &mut made,
            v6,
        }
        .ruleset();
        ground
            .at_server(&["nft", "flush", "ruleset"], "")
            .expect("flushed");
        if let Err(why) = ground.at_server(&[restore], &source) {
            panic!("{restore} takes what is made: {why}\n{source}");
        }
        let printed = ground.at_server(&[save], "").expect("printed");
        let attempts = attempts(Some(v6));
        compare(&ground, &printed, &attempts, &source, &mut counted);
        let load = |text: &str| {
            ground.at_server(&["nft", "flush", "ruleset"], "")?;
            ground.at_server(&[restore], text).map(|_| ())
        };
        if counted.rulesets % 4 == 0 {
            prove_change(&ground, &printed, &attempts, load, &mut counted);
        }
        prove_closing(&ground, &printed, &attempts, load, &mut counted);
    }
    conclude("iptables", &counted, &made);
    for n in 0..counted.rulesets {
        tally("filter", &format!("iptables {n}"));
    }
}

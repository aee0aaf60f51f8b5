//! The targets of iptables.

use std::collections::BTreeMap;

use chronaxis_allowlist::packet_filter::{Mark, MarkValue, Redirect, Step, Verdict};

use super::matches::masked;
use super::options::{Words, skip};

/// Targets that change nothing of what becomes of a packet.
const NO_MATTER: [&str; 16] = [
    "LOG",
    "NFLOG",
    "ULOG",
    "TRACE",
    "AUDIT",
    "TCPMSS",
    "CLASSIFY",
    "TOS",
    "DSCP",
    "TTL",
    "HL",
    "SECMARK",
    "CONNSECMARK",
    "CHECKSUM",
    "SET",
    "RATEEST",
];

/// Reads a target with its options.
pub(super) fn read(
    target: &str,
    words: &mut Words,
    chains: &BTreeMap<String, usize>,
    steps: &mut Vec<Step>,
) -> Result<(), String> {
    if let Some(chain) = chains.get(target) {
        steps.push(Step::Verdict(Verdict::Jump(*chain)));
        return Ok(());
    }
    let options = rest(words);
    let value = |name: &str| {
        let mut all = options.iter();
        all.find(|(option, _)| option == name)
            .map(|(_, v)| v.as_str())
    };
    let has = |name: &str| options.iter().any(|(option, _)| option == name);
    let step = match target {
        "ACCEPT" => Step::Verdict(Verdict::Accept),
        "DROP" => Step::Verdict(Verdict::Drop),
        "REJECT" => Step::Verdict(Verdict::Reject),
        "RETURN" => Step::Verdict(Verdict::Return),
        "SNAT" | "MASQUERADE" | "NETMAP" => Step::Verdict(Verdict::Accept),
        "NOTRACK" => Step::Untrack,
        "CT" if has("--notrack") => Step::Untrack,
        "CT" => return Ok(()),
        "REDIRECT" => {
            let port = value("--to-ports").map(|p| p.parse::<u16>().ok());
            Step::Redirect(match port {
                None => Redirect::Here(None),
                Some(Some(port)) => Redirect::Here(Some(port)),
                Some(None) => Redirect::Unknown,
            })
        }
        "DNAT" => Step::Redirect(destination(value("--to-destination").unwrap_or_default())),
        "MARK" => Step::SetMark(Mark {
            connection: false,
            to: match (value("--set-xmark"), value("--set-mark")) {
                (Some(text), _) => turned(text, false)?,
                (None, Some(text)) => turned(text, true)?,
                _ => MarkValue::Unknown,
            },
        }),
        "CONNMARK" => connection_mark(&options)?,
        target if NO_MATTER.contains(&target) => return Ok(()),
        _ => Step::Verdict(Verdict::Elsewhere(match target {
            "QUEUE" | "NFQUEUE" => "a program to which the packet is handed".to_owned(),
            _ => "a target that is not understood here".to_owned(),
        })),
    };
    steps.push(step);
    Ok(())
}

/// The options behind a target, to the end of the rule.
fn rest(words: &mut Words) -> Vec<(String, String)> {
    let mut out = Vec::new();
    while let Some(option) = words.next() {
        let value = match words.peek() {
            Some(next) if !next.starts_with("--") => words.next().unwrap_or_default(),
            _ => String::new(),
        };
        skip(words);
        out.push((option, value));
    }
    out
}

/// `--set-xmark V/M` takes the bits of M out and turns those of V; `--set-mark` sets them.
fn turned(text: &str, set: bool) -> Result<MarkValue, String> {
    let (value, mask) = masked(text)?;
    Ok(MarkValue::Of {
        connection: false,
        keep: match set {
            true => !(mask | value),
            false => !mask,
        },
        turn: value,
    })
}

fn connection_mark(options: &[(String, String)]) -> Result<Step, String> {
    let whole = |name: &str| {
        let mut all = options.iter();
        let told = all.find(|(option, _)| option == name);
        told.is_none_or(|(_, v)| masked(v).is_ok_and(|(mask, _)| mask == u32::MAX))
    };
    let alike = whole("--nfmask") && whole("--ctmask") && whole("--mask");
    let copy = |connection: bool, from: bool| Mark {
        connection,
        to: match alike {
            true => MarkValue::Of {
                connection: from,
                keep: u32::MAX,
                turn: 0,
            },
            false => MarkValue::Unknown,
        },
    };
    for (option, value) in options {
        match option.as_str() {
            "--save-mark" => return Ok(Step::SetMark(copy(true, false))),
            "--restore-mark" => return Ok(Step::SetMark(copy(false, true))),
            "--set-xmark" | "--set-mark" => {
                let to = match turned(value, option == "--set-mark")? {
                    MarkValue::Of { keep, turn, .. } => MarkValue::Of {
                        connection: true,
                        keep,
                        turn,
                    },
                    MarkValue::Unknown => MarkValue::Unknown,
                };
                return Ok(Step::SetMark(Mark {
                    connection: true,
                    to,
                }));
            }
            _ => {}
        }
    }
    Ok(Step::SetMark(Mark {
        connection: true,
        to: MarkValue::Unknown,
    }))
}

/// `ADDR[:PORT]`; ranges of them are not told to one.
fn destination(text: &str) -> Redirect {
    if let Ok(to) = text.parse::<std::net::SocketAddr>() {
        return Redirect::To(to.ip(), Some(to.port()));
    }
    if let Ok(ip) = text.trim_matches(['[', ']']).parse() {
        return Redirect::To(ip, None);
    }
    match text.strip_prefix(':').map(str::parse) {
        Some(Ok(port)) => Redirect::Here(Some(port)),
        _ => Redirect::Unknown,
    }
}

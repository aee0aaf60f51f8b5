//! Statements of nftables: tests, verdicts, marks, new destinations.

use chronaxis_allowlist::packet_filter::{
    Key, Mark, MarkValue, Operand, Redirect, Step, Test, Values, Verdict, Wanted,
};

use super::Names;
use super::expression::{items, key, number, values};
use crate::node::Node;

/// Statements that change nothing of what becomes of a packet.
const NO_MATTER: [&str; 8] = [
    "counter",
    "log",
    "dup",
    "flow",
    "ct helper",
    "ct timeout",
    "ct expectation",
    "secmark",
];

/// Reads a statement into steps.
pub(super) fn read(node: &Node<'_>, table: &str, names: &Names<'_>, steps: &mut Vec<Step>) {
    let Some(field) = node.fields().first() else {
        steps.push(Step::Test(Test::unknown(
            "a statement that is not understood here",
        )));
        return;
    };
    let value = &field.value;
    if let Some(verdict) = names.verdict(node, table) {
        steps.push(Step::Verdict(verdict));
        return;
    }
    match field.name.as_ref() {
        "match" => steps.push(Step::Test(test(value, table, names))),
        "vmap" => steps.push(verdict_map(value, table, names)),
        "mangle" => mangle(value, steps),
        "notrack" => steps.push(Step::Untrack),
        "redirect" => {
            let port = value.get("port").and_then(number);
            let port = port.and_then(|p| u16::try_from(p).ok());
            let told = value.get("port").is_some();
            steps.push(Step::Redirect(match told && port.is_none() {
                true => Redirect::Unknown,
                false => Redirect::Here(port),
            }));
        }
        "dnat" => steps.push(Step::Redirect(dnat(value))),
        // The source changes, and the rest of the chain is not asked.
        "snat" | "masquerade" => steps.push(Step::Verdict(Verdict::Accept)),
        "set" => {
            // Adding to a set changes nothing now, unless more hangs on it.
            if value.get("stmt").is_some() {
                steps.push(Step::Test(Test::unknown(
                    "a rate for each element of a set",
                )));
            }
        }
        "limit" | "quota" => steps.push(Step::Test(Test::unknown("how much was sent before"))),
        "ct count" => steps.push(Step::Test(Test::unknown("how many connections there are"))),
        "meter" => steps.push(Step::Test(Test::unknown(
            "how much that client sent before",
        ))),
        "fwd" | "tproxy" | "synproxy" => steps.push(Step::Verdict(Verdict::Elsewhere(
            "where the packet is handed on to".to_owned(),
        ))),
        other if NO_MATTER.contains(&other) => {}
        _ => steps.push(Step::Test(Test::unknown(
            "a statement that is not understood here",
        ))),
    }
}

fn test(value: &Node<'_>, table: &str, names: &Names<'_>) -> Test {
    let (Some(left), Some(right)) = (value.get("left"), value.get("right")) else {
        return Test::unknown("an expression that is not understood here");
    };
    let key = key(left);
    let op = value.get("op").and_then(Node::scalar).unwrap_or("==");
    let by_name = key.len() == 1
        && matches!(
            key.first().map(|o| &o.key),
            Some(Key::ComesBy | Key::LeavesBy)
        );
    let wanted = match op {
        "!=" | "!" => Wanted::Others,
        _ => Wanted::These,
    };
    let set = |name: &str| names.sets.get(&(table.to_owned(), name.to_owned()));
    let mut filled = false;
    let values = if let Some(name) = right.scalar().and_then(|t| t.strip_prefix('@')) {
        match set(name) {
            Some(named) => {
                filled = named.filled;
                let rows = named.elements.iter().map(|(items, _)| items.clone());
                values(rows.collect(), by_name)
            }
            None => Values::Unknown("a set that is not in the file".to_owned()),
        }
    } else if let Some(set) = right.get("set") {
        let rows = match set.elements() {
            [] => vec![items(set)],
            elements => elements.iter().map(items).collect(),
        };
        values(rows, by_name)
    } else {
        plain(op, right, by_name)
    };
    Test {
        key,
        values,
        wanted,
        filled,
    }
}

/// A value that is no set.
fn plain(op: &str, right: &Node<'_>, by_name: bool) -> Values {
    let unknown = || Values::Unknown("a value that is not understood here".to_owned());
    let one = number(right);
    match (op, one) {
        ("in" | "!", Some(bits)) => Values::AnyBit(bits),
        ("<", Some(0)) => Values::Ranges(Vec::new()),
        ("<", Some(n)) => Values::Ranges(vec![(0, n - 1)]),
        ("<=", Some(n)) => Values::Ranges(vec![(0, n)]),
        (">", Some(n)) if n < u128::MAX => Values::Ranges(vec![(n + 1, u128::MAX)]),
        (">=", Some(n)) => Values::Ranges(vec![(n, u128::MAX)]),
        ("==" | "!=", _) => values(vec![items(right)], by_name),
        _ => unknown(),
    }
}

fn verdict_map(value: &Node<'_>, table: &str, names: &Names<'_>) -> Step {
    let not_understood = || {
        Step::Verdict(Verdict::Elsewhere(
            "a map that is not in the file".to_owned(),
        ))
    };
    let (Some(left), Some(data)) = (value.get("key"), value.get("data")) else {
        return not_understood();
    };
    let key = key(left);
    let mut choices = Vec::new();
    let mut filled = false;
    let mut take = |row: Vec<_>, to: &Node<'_>| {
        let verdict = names
            .verdict(to, table)
            .unwrap_or_else(|| Verdict::Elsewhere("a verdict that is not understood".to_owned()));
        choices.push((row, verdict));
    };
    if let Some(name) = data.scalar().and_then(|t| t.strip_prefix('@')) {
        let Some(named) = names.sets.get(&(table.to_owned(), name.to_owned())) else {
            return not_understood();
        };
        filled = named.filled;
        for (row, to) in &named.elements {
            if let Some(to) = to {
                take(row.clone(), to);
            }
        }
    } else {
        for pair in data.get("set").map_or(&[][..], Node::elements) {
            match pair.elements() {
                [from, to] => take(items(from), to),
                _ => return not_understood(),
            }
        }
    }
    Step::VerdictMap {
        key,
        choices,
        filled,
    }
}

/// Something of the packet is changed.
fn mangle(value: &Node<'_>, steps: &mut Vec<Step>) {
    let changed = value.get("key").map(key).unwrap_or_default();
    let connection = match changed.first().map(|o| &o.key) {
        Some(Key::Mark { connection }) => *connection,
        // Priorities, sizes and lives of packets decide nothing; addresses and ports do.
        Some(Key::Unknown(_)) => return,
        _ => {
            steps.push(Step::Verdict(Verdict::Elsewhere(
                "what is changed in the packet".to_owned(),
            )));
            return;
        }
    };
    let to = value.get("value").map_or(MarkValue::Unknown, mark);
    steps.push(Step::SetMark(Mark { connection, to }));
}

fn mark(value: &Node<'_>) -> MarkValue {
    if let Some(number) = number(value).and_then(|n| u32::try_from(n).ok()) {
        return MarkValue::Of {
            connection: false,
            keep: 0,
            turn: number,
        };
    }
    match key(value).as_slice() {
        [
            Operand {
                key: Key::Mark { connection },
                bits,
            },
        ] => {
            let (keep, turn) = bits.map_or((u32::MAX, 0), |b| (b.keep as u32, b.turn as u32));
            MarkValue::Of {
                connection: *connection,
                keep,
                turn,
            }
        }
        _ => MarkValue::Unknown,
    }
}

fn dnat(value: &Node<'_>) -> Redirect {
    let ip = value.get("addr").and_then(Node::scalar);
    let ip = ip.and_then(|text| text.parse().ok());
    let port = value.get("port");
    let number = port.and_then(number).and_then(|p| u16::try_from(p).ok());
    match (ip, port.is_some() && number.is_none()) {
        (Some(ip), false) => Redirect::To(ip, number),
        _ => Redirect::Unknown,
    }
}

//! Statements of nftables as somebody would type them, roughly: for outcomes, not for nft.

use chronaxis_model::redact::visible;

use crate::node::{Is, Node};

/// Most elements of a set that are shown.
const MOST: usize = 6;

/// One statement.
pub(super) fn statement(node: &Node<'_>) -> String {
    let Some(field) = node.fields().first() else {
        return "…".to_owned();
    };
    let value = &field.value;
    let inner = |key: &str| value.get(key).map(expression).unwrap_or_default();
    match field.name.as_ref() {
        "match" => {
            let op = value.get("op").and_then(Node::scalar).unwrap_or("==");
            let op = match op {
                "==" | "in" => String::new(),
                other => format!("{} ", visible(other)),
            };
            format!("{} {op}{}", inner("left"), inner("right"))
        }
        "vmap" => format!("{} vmap {}", inner("key"), inner("data")),
        "mangle" => format!("{} set {}", inner("key"), inner("value")),
        "jump" | "goto" => format!("{} {}", field.name, inner("target")),
        "limit" => "limit rate …".to_owned(),
        "counter" | "log" => field.name.to_string(),
        "dnat" | "redirect" => {
            let port = inner("port");
            let colon = if port.is_empty() { "" } else { ":" };
            format!("{} to {}{colon}{port}", field.name, inner("addr"))
        }
        other => visible(other),
    }
}

fn expression(node: &Node<'_>) -> String {
    match &node.is {
        Is::Null => String::new(),
        Is::Text(text) | Is::Bare(text) => visible(text),
        Is::List(parts) => several(parts, ","),
        Is::Map(fields) => {
            let Some(field) = fields.first() else {
                return String::new();
            };
            let value = &field.value;
            let word = |key: &str| value.get(key).map(expression).unwrap_or_default();
            match field.name.as_ref() {
                "payload" => format!("{} {}", word("protocol"), word("field")),
                "meta" => match word("key").as_str() {
                    key @ ("iif" | "iifname" | "oif" | "oifname") => key.to_owned(),
                    key => format!("meta {key}"),
                },
                "ct" => match word("dir").as_str() {
                    "" => format!("ct {}", word("key")),
                    dir => format!("ct {dir} {}", word("key")),
                },
                "fib" => format!("fib {} {}", word("flags"), word("result")),
                "prefix" => format!("{}/{}", word("addr"), word("len")),
                "range" => match value.elements() {
                    [from, to] => format!("{}-{}", expression(from), expression(to)),
                    _ => "…".to_owned(),
                },
                "set" => format!("{{ {} }}", several(value.elements(), ", ")),
                "concat" => several(value.elements(), " . "),
                "elem" => word("val"),
                "map" => format!("{} map {}", word("key"), word("data")),
                sign @ ("&" | "|" | "^" | "<<" | ">>") => match value.elements() {
                    [left, right] => format!("{} {sign} {}", expression(left), expression(right)),
                    _ => "…".to_owned(),
                },
                "jump" | "goto" => format!("{} {}", field.name, word("target")),
                other => visible(other),
            }
        }
    }
}

fn several(parts: &[Node<'_>], between: &str) -> String {
    let shown: Vec<String> = parts
        .iter()
        .take(MOST)
        .map(|part| match part.elements() {
            // A pair of a map.
            [from, to] if matches!(part.is, Is::List(_)) => {
                format!("{} : {}", expression(from), expression(to))
            }
            _ => expression(part),
        })
        .collect();
    let more = if parts.len() > MOST { ", …" } else { "" };
    format!("{}{more}", shown.join(between))
}

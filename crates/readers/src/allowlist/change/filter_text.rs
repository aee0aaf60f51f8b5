//! Edits of packet filters as text.

use std::net::IpAddr;

use chronaxis_allowlist::packet_filter::{Filter, FilterEdit, NewAccept, Rule};

use super::super::Kind;
use super::TextEdit;
use super::own_text::end_of_text;
use crate::node;
use crate::text::Text;

pub(super) fn edit(
    kind: Kind,
    text: &Text,
    filter: &Filter,
    edit: &FilterEdit,
) -> Option<TextEdit> {
    let text = text.string.as_str();
    let (at, line, command) = match (kind, edit) {
        (Kind::Iptables, FilterEdit::Insert(new)) => {
            let (at, line) = iptables(text, filter, new)?;
            (at, line, None)
        }
        (Kind::Nftables, FilterEdit::Insert(new)) => nftables(text, filter, new)?,
        (
            _,
            FilterEdit::Narrow {
                chain,
                rule,
                client,
            },
        ) => {
            let rule = filter.chains.get(*chain)?.rules.get(*rule)?;
            let (at, line) = narrowed(kind, text, rule, *client)?;
            (at, line, None)
        }
        _ => return None,
    };
    Some(TextEdit {
        sheet: 0,
        at: at..at,
        text: line,
        command,
        own: None,
    })
}

/// One more test in a rule: that it is this client.
fn narrowed(kind: Kind, text: &str, rule: &Rule, client: IpAddr) -> Option<(usize, String)> {
    if kind == Kind::Iptables {
        let line = text.get(rule.spot.at.clone())?;
        let name = line.find("-A ").map(|n| n + 3)?;
        let end = name + line.get(name..)?.find(' ')?;
        let length = if client.is_ipv6() { 128 } else { 32 };
        return Some((rule.spot.at.start + end, format!(" -s {client}/{length}")));
    }
    let root = node::json(text).ok()?;
    let at = rule.spot.at.start;
    let all = root.get("nftables")?.elements();
    let element = all.iter().find(|e| e.at.start <= at && at < e.at.end)?;
    let first = element.get("rule")?.get("expr")?.elements().first()?;
    let protocol = if client.is_ipv6() { "ip6" } else { "ip" };
    let test = matches(protocol, "saddr", &format!("\"{client}\""));
    Some((first.at.start, format!("{test}, ")))
}

/// A test of a field of a packet, as nftables writes it.
fn matches(protocol: &str, field: &str, value: &str) -> String {
    format!(
        "{{\"match\": {{\"op\": \"==\", \"left\": {{\"payload\": {{\"protocol\": \"{protocol}\", \"field\": \"{field}\"}}}}, \"right\": {value}}}}}"
    )
}

/// The line before the rule that decides, or behind the last rule of the chain.
fn iptables(text: &str, filter: &Filter, new: &NewAccept) -> Option<(usize, String)> {
    let chain = filter.chains.get(new.chain)?;
    let declared = text.get(chain.spot.at.clone())?.trim();
    let name = declared.strip_prefix(':')?.split(' ').next()?;
    let length = if new.client.is_ipv6() { 128 } else { 32 };
    let (client, port) = (format!("{}/{length}", new.client), new.to.port());
    let line = match new.back {
        false => format!("-A {name} -s {client} -p tcp -m tcp --dport {port} -j ACCEPT\n"),
        true => format!("-A {name} -d {client} -p tcp -m tcp --sport {port} -j ACCEPT\n"),
    };
    let before = new.before.and_then(|index| chain.rules.get(index));
    if let Some(rule) = before {
        return Some((rule.spot.at.start, line));
    }
    if let Some(last) = chain.rules.last() {
        let end = last.spot.at.end;
        let rest = text.get(end..)?;
        return Some(match rest.find('\n') {
            Some(n) => (end + n + 1, line),
            None => (text.len(), format!("\n{line}")),
        });
    }
    // Rules stand behind all declarations of their table.
    let from = chain.spot.at.end;
    let commit = text.get(from..)?.find("\nCOMMIT");
    match commit {
        Some(n) => Some((from + n + 1, line)),
        None => Some((end_of_text(text).0, line)),
    }
}

/// An object before the rule that decides, or behind the last one of the list.
fn nftables(
    text: &str,
    filter: &Filter,
    new: &NewAccept,
) -> Option<(usize, String, Option<String>)> {
    let chain = filter.chains.get(new.chain)?;
    let root = node::json(text).ok()?;
    let all = root.get("nftables")?.elements();
    let declared = all
        .iter()
        .filter_map(|e| e.get("chain"))
        .find(|c| c.at == chain.spot.at)?;
    let word = |key: &str| declared.get(key).and_then(node::Node::scalar);
    let (family, table, name) = (word("family")?, word("table")?, word("name")?);
    let quoted = |text: &str| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
    let protocol = if new.client.is_ipv6() { "ip6" } else { "ip" };
    let (end, port) = if new.back {
        ("daddr", "sport")
    } else {
        ("saddr", "dport")
    };
    let object = format!(
        "{{\"rule\": {{\"family\": {}, \"table\": {}, \"chain\": {}, \"expr\": [{}, {}, {{\"accept\": null}}]}}}}",
        quoted(family),
        quoted(table),
        quoted(name),
        matches(protocol, end, &format!("\"{}\"", new.client)),
        matches("tcp", port, &new.to.port().to_string()),
    );
    let before = new.before.and_then(|index| chain.rules.get(index));
    let element = |at: usize| all.iter().find(|e| e.at.start <= at && at < e.at.end);
    // Names in a command are plain words, or there is no command.
    let plain = [family, table, name].iter().all(|word| {
        word.chars()
            .all(|c| c.is_ascii_alphanumeric() || "_-./".contains(c))
            && !word.is_empty()
    });
    let words = format!(
        "{protocol} {end} {} tcp {port} {} accept",
        new.client,
        new.to.port()
    );
    match before {
        Some(rule) => {
            let element = element(rule.spot.at.start)?;
            let handle = element.get("rule").and_then(|r| r.get("handle"));
            let handle = handle.and_then(node::Node::number).filter(|_| plain);
            let command = handle
                .map(|n| format!("nft insert rule {family} {table} {name} handle {n} {words}"));
            Some((element.at.start, format!("{object}, "), command))
        }
        None => {
            let at = all.last()?.at.end;
            let command = plain.then(|| format!("nft add rule {family} {table} {name} {words}"));
            Some((at, format!(", {object}"), command))
        }
    }
}

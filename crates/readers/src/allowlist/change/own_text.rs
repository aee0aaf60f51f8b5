//! Edits of our own format as text, in whichever syntax a list is written.

use chronaxis_allowlist::own::change::{Edit, NewRule};
use chronaxis_allowlist::own::{Direction, List};

use super::super::{Kind, own_csv};
use super::TextEdit;
use crate::text::Text;

/// One edit of a list; none where its text is of a shape that is not edited here.
pub(super) fn edit(kind: Kind, text: &Text, list: &List, edit: &Edit) -> Option<TextEdit> {
    let text = text.string.as_str();
    let (at, new) = match edit {
        Edit::Insert(before, new) => insert(kind, text, list, *before, new)?,
        Edit::AddPort(index, port) => {
            let rule = list.rules.get(*index).filter(|r| !r.ports_at.is_empty())?;
            let (comma, quote) = match kind {
                Kind::OwnCsv => (" ", ""),
                _ => (", ", "\""),
            };
            let words = rule.ports.to_string().replace(", ", comma);
            (
                rule.ports_at.clone(),
                format!("{quote}{words}{comma}{port}{quote}"),
            )
        }
        Edit::SwitchOn(index) => {
            let rule = list.rules.get(*index)?;
            let at = rule.enabled_at.clone();
            (!at.is_empty()).then_some((at, "true".to_owned()))?
        }
        Edit::SwitchOff(index) => switch_off(kind, text, list, *index)?,
        Edit::Replace(index, peers) => {
            let rule = list.rules.get(*index)?;
            let first = peers.first()?;
            let keep = peers.iter().find(|(_, ip)| ip.is_some());
            let (which, ip) = keep.unwrap_or(first);
            let peer = rule.peers.get(*which)?;
            match ip {
                Some(ip) => {
                    let raw = text.get(peer.at.clone())?;
                    let quote = raw.chars().next().filter(|c| matches!(c, '"' | '\''));
                    let quote = quote.map_or_else(String::new, String::from);
                    (peer.at.clone(), format!("{quote}{ip}{quote}"))
                }
                None => (without(text, &peer.at), String::new()),
            }
        }
    };
    Some(TextEdit {
        sheet: 0,
        at,
        text: new,
        command: None,
        own: Some(edit.clone()),
    })
}

/// An element of a list, with the comma that goes with it.
fn without(text: &str, at: &std::ops::Range<usize>) -> std::ops::Range<usize> {
    let is_between = |c: char| c.is_whitespace() || c == ',';
    let behind = text.get(at.end..).unwrap_or_default();
    let rest = behind.trim_start_matches(is_between);
    let after = behind.get(..behind.len() - rest.len()).unwrap_or_default();
    let last = rest.starts_with([']', '"', '\'']) && !after.contains(',');
    let before = text.get(..at.start).unwrap_or_default();
    let kept = before.trim_end_matches(is_between);
    match last || after.contains('\n') {
        true => kept.len()..at.end,
        false => at.start..at.end + after.len(),
    }
}

/// The beginning of the line in which a byte stands, above the comments that belong to it.
pub(super) fn above_comments(text: &str, at: usize, sign: &str) -> usize {
    let line = |at: usize| {
        text.get(..at)
            .and_then(|t| t.rfind('\n'))
            .map_or(0, |n| n + 1)
    };
    let mut from = line(at);
    while from > 0 {
        let before = line(from - 1);
        let above = text.get(before..from).unwrap_or_default().trim();
        if !above.starts_with(sign) {
            break;
        }
        from = before;
    }
    // What stands at the top of a file is about the whole of it.
    match from {
        0 => line(at),
        from => from,
    }
}

/// Where to go on at the end of a text, and the line end that is wanted before.
pub(super) fn end_of_text(text: &str) -> (usize, &'static str) {
    match text.is_empty() || text.ends_with('\n') {
        true => (text.len(), ""),
        false => (text.len(), "\n"),
    }
}

fn ports(new: &NewRule) -> String {
    match new.ports.0 == new.ports.1 {
        true => new.ports.0.to_string(),
        false => format!("{}-{}", new.ports.0, new.ports.1),
    }
}

/// The keys of a new rule with their values; those that have their usual value are left out.
fn keys(new: &NewRule) -> Vec<(&'static str, String, bool)> {
    let mut out = Vec::new();
    if new.direction == Direction::Outbound {
        out.push(("direction", "outbound".to_owned(), true));
    }
    out.push(("ports", ports(new), true));
    out.push(("peers", new.peer.to_string(), true));
    if let Some(number) = new.priority {
        out.push(("priority", number.to_string(), false));
    }
    out
}

/// The rule as keys with values on one line.
fn inline(new: &NewRule, equals: &str, quote_keys: bool) -> String {
    let pairs = keys(new).into_iter().map(|(key, value, quoted)| {
        let key = if quote_keys {
            format!("\"{key}\"")
        } else {
            key.to_owned()
        };
        match (key.trim_matches('"'), quoted) {
            ("peers", _) => format!("{key}{equals}[\"{value}\"]"),
            (_, true) => format!("{key}{equals}\"{value}\""),
            (_, false) => format!("{key}{equals}{value}"),
        }
    });
    pairs.collect::<Vec<_>>().join(", ")
}

type Piece = (std::ops::Range<usize>, String);

fn insert(
    kind: Kind,
    text: &str,
    list: &List,
    before: Option<usize>,
    new: &NewRule,
) -> Option<Piece> {
    let next = before.and_then(|i| list.rules.get(i));
    let last = list.rules.last();
    match kind {
        Kind::OwnCsv => {
            let line = csv_line(text, new)?;
            let (at, lead) = match next {
                Some(rule) => (above_comments(text, rule.at.start, "#"), ""),
                None => end_of_text(text),
            };
            Some((at..at, format!("{lead}{line}\n")))
        }
        Kind::OwnToml => {
            let tables =
                last.is_none_or(|r| text.get(r.at.clone()).is_some_and(|t| t.starts_with("[[")));
            if !tables {
                return element(
                    text,
                    next,
                    last,
                    &format!("{{ {} }}", inline(new, " = ", false)),
                );
            }
            let mut block = "[[rule]]\n".to_owned();
            for (key, value, quoted) in keys(new) {
                block.push_str(&match (key, quoted) {
                    ("peers", _) => format!("peers = [\"{value}\"]\n"),
                    (_, true) => format!("{key} = \"{value}\"\n"),
                    (_, false) => format!("{key} = {value}\n"),
                });
            }
            Some(match next {
                Some(rule) => {
                    let at = above_comments(text, rule.at.start, "#");
                    (at..at, format!("{block}\n"))
                }
                None => {
                    let (at, lead) = end_of_text(text);
                    (at..at, format!("{lead}\n{block}"))
                }
            })
        }
        Kind::OwnJson => {
            let object = format!("{{{}}}", inline(new, ": ", true));
            element(text, next, last, &object)
        }
        Kind::OwnYaml => yaml(text, next, last, new),
        _ => None,
    }
}

/// A new element in a list in brackets.
fn element(
    text: &str,
    next: Option<&chronaxis_allowlist::own::Rule>,
    last: Option<&chronaxis_allowlist::own::Rule>,
    new: &str,
) -> Option<Piece> {
    let blanks = |at: usize| {
        let before = text.get(..at).unwrap_or_default();
        let kept = before.trim_end();
        before.get(kept.len()..).unwrap_or_default().to_owned()
    };
    match (next, last) {
        (Some(rule), _) => {
            let at = rule.at.start;
            let between = match blanks(at) {
                b if b.is_empty() => " ".to_owned(),
                b => b,
            };
            Some((at..at, format!("{new},{between}")))
        }
        (None, Some(rule)) => {
            let at = rule.at.end;
            Some((at..at, format!(",{}{new}", blanks(rule.at.start))))
        }
        (None, None) => None,
    }
}

/// A new element of a list in YAML.
fn yaml(
    text: &str,
    next: Option<&chronaxis_allowlist::own::Rule>,
    last: Option<&chronaxis_allowlist::own::Rule>,
    new: &NewRule,
) -> Option<Piece> {
    let line_start = |at: usize| {
        text.get(..at)
            .and_then(|t| t.rfind('\n'))
            .map_or(0, |n| n + 1)
    };
    let Some(sample) = next.or(last) else {
        if text.lines().any(|l| l.starts_with("rule:")) {
            return None;
        }
        let (at, lead) = end_of_text(text);
        let body = yaml_item("  ", new);
        return Some((at..at, format!("{lead}rule:\n{body}")));
    };
    let start = line_start(sample.at.start);
    let lead = text.get(start..sample.at.start)?;
    let Some(indent) = lead
        .trim_end()
        .strip_suffix('-')
        .filter(|i| i.trim().is_empty())
    else {
        let flow = format!("{{{}}}", inline(new, ": ", false));
        return element(text, next, last, &flow);
    };
    let item = yaml_item(indent, new);
    match next {
        Some(rule) => {
            let at = above_comments(text, rule.at.start, "#");
            Some((at..at, item))
        }
        None => {
            let end = sample.at.end;
            let rest = text.get(end..).unwrap_or_default();
            match rest.find('\n') {
                Some(n) => Some((end + n + 1..end + n + 1, item)),
                None => Some((text.len()..text.len(), format!("\n{item}"))),
            }
        }
    }
}

fn yaml_item(indent: &str, new: &NewRule) -> String {
    let mut out = String::new();
    for (index, (key, value, quoted)) in keys(new).into_iter().enumerate() {
        let lead = if index == 0 { "- " } else { "  " };
        out.push_str(&match (key, quoted) {
            ("peers", _) => format!("{indent}{lead}peers: [\"{value}\"]\n"),
            ("ports", _) => format!("{indent}{lead}ports: \"{value}\"\n"),
            _ => format!("{indent}{lead}{key}: {value}\n"),
        });
    }
    out
}

/// A line of a table with the values of a new rule; none where it lacks a column that the
/// rule needs.
fn csv_line(text: &str, new: &NewRule) -> Option<String> {
    let table = own_csv::Table::open(text).ok()?;
    let mut cells = Vec::new();
    let mut left = keys(new);
    for name in &table.names {
        let found = left.iter().position(|(key, ..)| key == name);
        cells.push(match found {
            Some(index) => left.remove(index).1,
            None => match name.as_str() {
                "direction" => "inbound".to_owned(),
                "action" => "allow".to_owned(),
                "protocol" => "tcp".to_owned(),
                "enabled" => "true".to_owned(),
                _ => String::new(),
            },
        });
    }
    left.is_empty().then(|| cells.join(","))
}

fn switch_off(kind: Kind, text: &str, list: &List, index: usize) -> Option<Piece> {
    let rule = list.rules.get(index)?;
    if !rule.enabled_at.is_empty() {
        return Some((rule.enabled_at.clone(), "false".to_owned()));
    }
    let (start, end) = (rule.at.start, rule.at.end);
    let raw = text.get(rule.at.clone())?;
    let in_braces = raw.ends_with('}').then_some(end - 1);
    match (kind, in_braces) {
        (Kind::OwnCsv, _) => Some((start..start, "# ".to_owned())),
        (Kind::OwnJson, Some(at)) => Some((at..at, ", \"enabled\": false".to_owned())),
        (Kind::OwnToml, Some(at)) => {
            let at = text.get(..at)?.trim_end().len();
            Some((at..at, ", enabled = false".to_owned()))
        }
        (Kind::OwnToml, None) => Some((end..end, "\nenabled = false".to_owned())),
        (Kind::OwnYaml, Some(at)) => {
            let at = text.get(..at)?.trim_end().len();
            Some((at..at, ", enabled: false".to_owned()))
        }
        (Kind::OwnYaml, None) => {
            let line = text.get(..start)?.rfind('\n').map_or(0, |n| n + 1);
            let column = start - line;
            Some((end..end, format!("\n{}enabled: false", " ".repeat(column))))
        }
        _ => None,
    }
}

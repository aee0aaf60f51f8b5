//! Edits of host rules as text.

use chronaxis_allowlist::host_rules::{HostRules, Kind, NewRecord, RecordEdit};

use super::super::Sheet;
use super::TextEdit;
use super::own_text::{above_comments, end_of_text};

pub(super) fn edit(sheets: &[Sheet], rules: &HostRules, edit: &RecordEdit) -> Option<TextEdit> {
    match edit {
        RecordEdit::Insert(before, new) => {
            let line = format!("{}\n", record(rules, new));
            match before.and_then(|index| rules.records.get(index)) {
                Some(record) => {
                    let sheet = record.spot.sheet;
                    let text = sheets.get(sheet)?.text.string.as_str();
                    let at = above_comments(text, record.spot.at.start, "#");
                    Some(TextEdit {
                        sheet,
                        at: at..at,
                        text: line,
                        command: None,
                        own: None,
                    })
                }
                None => {
                    let text = sheets.first()?.text.string.as_str();
                    let (at, lead) = end_of_text(text);
                    Some(TextEdit {
                        sheet: 0,
                        at: at..at,
                        text: format!("{lead}{line}"),
                        command: None,
                        own: None,
                    })
                }
            }
        }
        RecordEdit::Narrow(index, ip) => {
            let record = rules.records.get(*index)?;
            let length = if ip.is_ipv6() { 128 } else { 32 };
            Some(TextEdit {
                sheet: record.spot.sheet,
                at: record.address_at.clone(),
                text: format!("{ip}/{length}"),
                command: None,
                own: None,
            })
        }
    }
}

/// A record in the columns that such files usually have.
fn record(rules: &HostRules, new: &NewRecord) -> String {
    let length = if new.client.is_ipv6() { 128 } else { 32 };
    let client = format!("{}/{length}", new.client);
    let database = new.database.as_deref().map_or("all".to_owned(), quoted);
    let user = new.user.as_deref().map_or("all".to_owned(), quoted);
    let kind = new.kind.as_str();
    let wide = rules
        .records
        .iter()
        .any(|r| r.kind != Kind::Local && r.text.len() < 200 && r.spot.at.len() > r.text.len() + 6);
    match wide {
        true => format!(
            "{kind:<7} {database:<15} {user:<15} {client:<23} {}",
            new.method
        ),
        false => format!("{kind} {database} {user} {client} {}", new.method),
    }
}

/// A name as the file must have it, to mean nothing else.
fn quoted(name: &str) -> String {
    let keywords = ["all", "sameuser", "samerole", "samegroup", "replication"];
    let plain = |c: char| c.is_alphanumeric() || c == '_' || c == '-' || c == '.';
    match !name.is_empty() && name.chars().all(plain) && !keywords.contains(&name) {
        true => name.to_owned(),
        false => format!("\"{}\"", name.replace('"', "\"\"")),
    }
}

//! Edits of a list of accounts as text.

use std::net::IpAddr;

use chronaxis_allowlist::accounts::Accounts;

use super::super::{Kind, own_csv};
use super::TextEdit;
use super::own_text::end_of_text;
use crate::text::Text;

/// One more account.
pub(super) fn add(
    kind: Kind,
    text: &Text,
    accounts: &Accounts,
    (user, client): &(String, IpAddr),
) -> Option<TextEdit> {
    let text = text.string.as_str();
    let plain = user
        .chars()
        .all(|c| c.is_alphanumeric() || "_-.$".contains(c));
    if !plain {
        return None;
    }
    let (at, new) = match kind {
        Kind::AccountsCsv => {
            let table = own_csv::Table::open(text).ok()?;
            let cells: Vec<String> = table
                .names
                .iter()
                .map(|name| match name.as_str() {
                    "user" => user.clone(),
                    "host" => client.to_string(),
                    _ => String::new(),
                })
                .collect();
            let (at, lead) = end_of_text(text);
            (at, format!("{lead}{}\n", cells.join(",")))
        }
        Kind::AccountsJson => {
            let last = accounts.accounts.last()?;
            let before = text.get(..last.at.start)?;
            let blanks = before.get(before.trim_end().len()..)?;
            let object = format!("{{\"user\": \"{user}\", \"host\": \"{client}\"}}");
            (last.at.end, format!(",{blanks}{object}"))
        }
        _ => return None,
    };
    Some(TextEdit {
        sheet: 0,
        at: at..at,
        text: new,
        command: Some(format!("create user '{user}'@'{client}' identified by '…'")),
        own: None,
    })
}

/// An account for one address, in the place of one for every address.
pub(super) fn narrow(
    text: &Text,
    accounts: &Accounts,
    user: &str,
    client: IpAddr,
) -> Option<TextEdit> {
    let mut all = accounts.accounts.iter();
    let account = all.find(|a| a.user == user && a.is_everywhere())?;
    let raw = text.string.get(account.host_at.clone())?;
    let quote = if raw.starts_with('"') { "\"" } else { "" };
    let command = format!(
        "rename user '{user}'@'{}' to '{user}'@'{client}'",
        account.host
    );
    Some(TextEdit {
        sheet: 0,
        at: account.host_at.clone(),
        text: format!("{quote}{client}{quote}"),
        command: Some(command),
        own: None,
    })
}

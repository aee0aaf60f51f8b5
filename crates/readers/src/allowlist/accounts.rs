//! Accounts of MySQL and MariaDB as a list: columns or keys `user` and `host`, as
//! `select user, host from mysql.user` gives them; whatever else is there is passed over.

use chronaxis_allowlist::accounts::{Account, Accounts};

use super::own_csv::{Table, cell_at};
use crate::node::{Broken, Is, Node};

/// Whether names of columns are those of such a list.
pub(super) fn are_columns(names: &[String]) -> bool {
    let has = |name: &str| names.iter().any(|n| n.eq_ignore_ascii_case(name));
    has("user") && has("host")
}

/// Whether a tree is such a list.
pub(super) fn is_list(root: &Node<'_>) -> bool {
    let first = root.elements().first();
    let names = |node: &Node<'_>| -> Vec<String> {
        node.fields().iter().map(|f| f.name.to_string()).collect()
    };
    first.is_some_and(|node| are_columns(&names(node)))
}

pub(super) fn of_table(text: &str) -> Result<Accounts, Broken> {
    let mut table = Table::open(text)?;
    let column = |name: &str| table.names.iter().position(|n| n == name);
    let (Some(user), Some(host)) = (column("user"), column("host")) else {
        return Err(Broken::new(
            table.from,
            "the header has no user and host",
            "user,host",
        ));
    };
    let mut out = Accounts::default();
    while let Some(line) = table.next() {
        let (at, cells) = line?;
        let Some(name) = cells.get(host) else {
            return Err(Broken::new(
                at.start,
                "this account has no host",
                "USER,HOST",
            ));
        };
        out.accounts.push(Account {
            user: cells.get(user).cloned().unwrap_or_default(),
            host: name.clone(),
            host_at: cell_at(text, &at, name),
            at,
        });
    }
    match out.accounts.is_empty() {
        false => Ok(out),
        true => Err(Broken::new(
            table.from,
            "there is no account in it",
            "USER,HOST",
        )),
    }
}

pub(super) fn of_tree(root: &Node<'_>) -> Result<Accounts, Broken> {
    let mut out = Accounts::default();
    for node in root.elements() {
        let value = |name: &str| {
            let mut fields = node.fields().iter();
            fields
                .find(|f| f.name.eq_ignore_ascii_case(name))
                .map(|f| &f.value)
        };
        let text = |node: Option<&Node<'_>>| match node.map(|n| &n.is) {
            Some(Is::Text(text) | Is::Bare(text)) => Some(text.to_string()),
            Some(Is::Null) => Some(String::new()),
            _ => None,
        };
        let (Some(user), Some(host)) = (text(value("user")), text(value("host"))) else {
            return Err(Broken::new(
                node.at.start,
                "this account has no user or no host",
                "{\"user\": \"…\", \"host\": \"…\"}",
            ));
        };
        out.accounts.push(Account {
            user,
            host,
            at: node.at.clone(),
            host_at: value("host").map_or(0..0, |n| n.at.clone()),
        });
    }
    Ok(out)
}

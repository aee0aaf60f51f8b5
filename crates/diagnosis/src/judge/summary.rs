//! The one fact that matters, in a few words.

use std::net::IpAddr;

use chronaxis_model::fact::{Fact, NameTrouble};

use super::evidence::Evidence;

pub(super) fn settings(evidence: Evidence<'_>) -> String {
    let counted = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingsRead { given, by_default } => Some((*given, *by_default)),
        _ => None,
    });
    let (given, by_default) = counted.unwrap_or_default();
    let form = &evidence.target.form;
    let converted = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::HostBeyondAscii {
            told,
            in_dns,
            converted: true,
        } => Some(format!("; this client asks for {told} as {in_dns}")),
        _ => None,
    });
    let converted = converted.unwrap_or_default();
    match by_default {
        0 => format!("{form}, {given} values given{converted}"),
        _ => format!("{form}, {given} values given, {by_default} by default{converted}"),
    }
}

pub(super) fn addresses(host: &str, addresses: &[IpAddr]) -> String {
    match addresses {
        [] => format!("{host} has no address"),
        [one] => format!("{host} is {one}"),
        [first, rest @ ..] => format!("{host} is {first} and {} more", rest.len()),
    }
}

pub(super) fn name_trouble(host: &str, trouble: NameTrouble, code: &str) -> String {
    match trouble {
        NameTrouble::NoSuchName => format!("{host} does not exist"),
        NameTrouble::NoAddress => format!("{host} has no address"),
        NameTrouble::Failing => format!("{host}: the DNS lookup fails ({code})"),
        NameTrouble::NotAName => format!("{host} is not a host name"),
    }
}

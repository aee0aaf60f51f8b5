//! What to do about a cause.

use std::net::IpAddr;

use crate::fact::{Fact, Meaning};
use crate::judge::name_sources::{Sources, compare};
use crate::judge::{Evidence, NextSilent, PathView};
use crate::knowledge::causes::Cause;
use crate::settings::DefectKind;
use crate::target::EngineId;
use crate::told::Origin;
use crate::{shell, shown};

/// What to do about a cause: where the value at fault stands, how it should read, and what
/// the catalogue says.
pub(super) fn fix(view: &PathView<'_>, entry: Option<&Cause>) -> Vec<String> {
    let evidence = view.evidence;
    if let Some(particular) = entry.and_then(|e| particular(view, e.id)) {
        return vec![particular];
    }
    let mut out: Vec<String> = entry
        .into_iter()
        .flat_map(|e| e.fix.iter().map(|f| (*f).to_owned()))
        .collect();
    if let Some(origin) = entry.and_then(|e| origin(evidence, e.id)) {
        out.insert(0, format!("The value comes from {}.", origin.shown()));
    }
    if let Some(port) = answers_elsewhere(evidence).filter(|_| {
        entry.is_some_and(|e| matches!(e.id, "wrong-service-on-port" | "port-of-other-engine"))
    }) {
        let engine = evidence.target.engine.title();
        out.insert(
            0,
            format!("{engine} answers on port {port} of the same host."),
        );
    }
    if entry.is_some_and(|e| e.id == "credentials-rejected") && in_clear_though_offered(evidence) {
        out.push(
            "The line was in clear, and the server offers encryption: if the account or the server insists on it, that is answered in the same words. Try it encrypted."
                .to_owned(),
        );
    }
    if entry.is_some_and(|e| e.id == "credentials-rejected")
        && let Some(host) = host_of_account(view)
    {
        out.push(format!(
            "The server looks accounts up by user and host, and took this client for {host}: an account that exists for another host only, or an anonymous account for {host}, is answered in the same words. SELECT user, host FROM mysql.user shows them."
        ));
    }
    if entry.is_some_and(|e| e.id == "credentials-rejected") && was_told_1698(view) {
        out.push(
            "1698 is also said of an account that signs in through the socket, as the account of the operating system (unix_socket): it takes no password from elsewhere."
                .to_owned(),
        );
    }
    if let Some(mended) = entry.and_then(|e| mended(evidence, e.id)) {
        out.insert(0, format!("Write it as: {mended}"));
    }
    out
}

/// What to do where more is known than the cause alone.
fn particular(view: &PathView<'_>, cause: &str) -> Option<String> {
    let text = match cause {
        "client-resource-exhausted" if is_forbidden(view) => {
            "Find what forbids this user to connect: a rule of this machine's routing, a security module, the profile of a container.".to_owned()
        }
        "resolvers-disagree" if is_deaf(view.evidence) => {
            "See by which sources this machine looks names up (the line for hosts in nsswitch.conf), and whether something on it remembers that there was none.".to_owned()
        }
        "no-route" => match view.next_silent() {
            Some(silent) => first_stretch(&silent),
            None if view.is_led_nowhere() => {
                "Take the route out that leads there to nowhere, or bring up the private link or VPN for which it stands in.".to_owned()
            }
            None => return None,
        },
        "client-host-not-permitted" => host_rule(view)?,
        "bundle-permissions" => {
            let key = key_open_to_others(view.evidence)?;
            format!("chmod 600 {}", shell::quoted(&key))
        }
        "host-down" => {
            let number = view.passed_on_by()?;
            format!(
                "Start the machine to which device {number} on the way passes this port on, or let it pass it on to another one."
            )
        }
        _ => return None,
    };
    Some(text)
}

/// The rule that is missing on the server, as it is written there.
fn host_rule(view: &PathView<'_>) -> Option<String> {
    let evidence = view.evidence;
    let told = view.find(|fact| match fact {
        Fact::ServerRefused { message, .. } => Some(message.as_str()),
        _ => None,
    })?;
    // The address as the server sees it, behind whatever translates it on the way.
    let seen = told.split('"').find_map(|word| word.parse::<IpAddr>().ok());
    let from = seen.or_else(|| {
        view.find(|fact| match fact {
            Fact::RouteFound { source, .. } => Some(*source),
            _ => None,
        })
    })?;
    let user = evidence
        .target
        .user
        .as_deref()
        .filter(|u| shown::is_name(u))?;
    let database = evidence.target.database.as_deref();
    match evidence.target.engine {
        EngineId::Postgresql => {
            let bits = if from.is_ipv4() { 32 } else { 128 };
            let database = database.filter(|d| shown::is_name(d))?;
            Some(format!(
                "If this user is meant to get in from here: add to the server's pg_hba.conf, above any rule that rejects it, and reload the server: host {database} {user} {from}/{bits} scram-sha-256"
            ))
        }
        EngineId::Mysql => Some(format!(
            "If this user is meant to get in from here: make the account for this host, or for a pattern that covers it: CREATE USER '{user}'@'{from}' IDENTIFIED BY '…';"
        )),
        _ => None,
    }
}

/// The file of a key that its client refuses for its mode.
fn key_open_to_others(evidence: Evidence<'_>) -> Option<String> {
    let open = |fact: &Fact| match fact {
        Fact::SettingDefect(defect) => defect.kind == DefectKind::FileOpen,
        _ => false,
    };
    evidence.facts().find(|(_, fact)| open(fact))?;
    let options = &evidence.target.options;
    let file = options.get("sslkey").or_else(|| options.get("ssl_key"))?;
    shown::is_path(file).then(|| file.clone())
}

/// Whether this machine's system does not go by what resolvers say.
pub(super) fn is_deaf(evidence: Evidence<'_>) -> bool {
    let ends = evidence.ends();
    let mut names = ends.iter().filter_map(|end| end.name());
    names.any(|name| matches!(compare(evidence, name), Sources::System { .. }))
}

/// Whether something on this machine forbids this user to connect: that is no lack.
fn is_forbidden(view: &PathView<'_>) -> bool {
    view.find(|fact| match fact {
        Fact::LocalFailure { error } => Some(matches!(error.as_str(), "EACCES" | "EPERM")),
        _ => None,
    })
    .unwrap_or_default()
}

/// The way is there, and nobody takes what is sent along it.
fn first_stretch(silent: &NextSilent) -> String {
    match &silent.link_down {
        Some(interface) => format!(
            "Bring up the link of {}, or what stands at its other end.",
            crate::redact::visible(interface)
        ),
        None => format!(
            "Bring up {}, the next device on the way, or send by another one.",
            silent.device
        ),
    }
}

/// The other port on which the engine answers, where that was asked.
fn answers_elsewhere(evidence: Evidence<'_>) -> Option<u16> {
    evidence.facts().find_map(|(o, fact)| match fact {
        Fact::EngineElsewhere { speaks: true } => o.about.port,
        _ => None,
    })
}

fn was_told_1698(view: &PathView<'_>) -> bool {
    let told = |fact: &Fact| match fact {
        Fact::ServerRefused { code, .. } => Some(code == "1698"),
        _ => None,
    };
    view.find(told).unwrap_or_default()
}

/// For whom the server took this client, as it says with a refusal: `'user'@'host'`.
fn host_of_account(view: &PathView<'_>) -> Option<String> {
    let told = view.find(|fact| match fact {
        Fact::ServerRefused {
            meaning: Meaning::AccessDenied,
            message,
            ..
        } => Some(message.as_str()),
        _ => None,
    })?;
    let host = told.split("'@'").nth(1)?.split('\'').next()?;
    shown::is_host(host).then(|| format!("'{host}'"))
}

/// Whether the server offers encryption that this client does not use, and answers for all
/// reasons alike.
fn in_clear_though_offered(evidence: Evidence<'_>) -> bool {
    let any = |wanted: fn(&Fact) -> bool| evidence.facts().any(|(_, fact)| wanted(fact));
    any(|f| matches!(f, Fact::EncryptionOffer { offered: true }))
        && any(|f| {
            let meaning = Meaning::AccessDenied;
            matches!(f, Fact::ServerRefused { meaning: m, .. } if *m == meaning)
        })
}

/// The mended text of the defect that is this cause.
fn mended(evidence: Evidence<'_>, id: &str) -> Option<String> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.cause() == id => defect.mended.clone(),
        _ => None,
    })
}

/// Where the value comes from whose defect is this cause.
fn origin<'a>(evidence: Evidence<'a>, id: &str) -> Option<&'a Origin> {
    let subject = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if !defect.stops && defect.cause() == id => {
            Some(defect.subject.as_str())
        }
        _ => None,
    })?;
    let field = if subject == "password" {
        "secret"
    } else {
        subject
    };
    evidence.target.origins.get(field)
}

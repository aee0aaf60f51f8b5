//! Which instance answered, as whom, and over what line.

use std::io::{self, Write};

use chronaxis_diagnosis::case::Case;
use chronaxis_model::fact::{Fact, Instance, OwnCertificate, ShownChain};

use super::entry;

/// What the session and the line are like.
pub(super) fn instance(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let log = case.log().unwrap_or_default();
    let facts: Vec<&Fact> = log.iter().filter_map(|o| o.fact()).collect();
    for fact in &facts {
        if let Fact::Instance(instance) = fact {
            session(out, case, instance)?;
        }
    }
    for fact in &facts {
        match fact {
            Fact::LineSecured {
                version,
                cipher,
                own_certificate,
                ..
            } => {
                let shown = match own_certificate {
                    OwnCertificate::NotAsked => "",
                    OwnCertificate::AskedNoneThere => ", no client certificate needed",
                    OwnCertificate::Shown => ", with the client's certificate",
                };
                entry(out, "encryption", &format!("{version}, {cipher}{shown}"))?;
            }
            Fact::CertificateShown(chain) => certificate(out, chain)?,
            _ => {}
        }
    }
    Ok(())
}

/// What the server showed, where that is what the client does not take.
pub(super) fn papers(out: &mut impl Write, case: &Case) -> io::Result<()> {
    let symptom = case.verdict.symptom.as_deref().unwrap_or_default();
    if !symptom.starts_with("tls/") {
        return Ok(());
    }
    let log = case.log().unwrap_or_default();
    let shown = log.iter().find_map(|o| match o.fact() {
        Some(Fact::CertificateShown(chain)) => Some(chain),
        _ => None,
    });
    match shown {
        Some(chain) => certificate(out, chain),
        None => Ok(()),
    }
}

fn session(out: &mut impl Write, case: &Case, instance: &Instance) -> io::Result<()> {
    let role = match (instance.in_recovery, instance.read_only) {
        (true, _) => "replica (in recovery)",
        (false, true) => "read-only",
        (false, false) => "writable",
    };
    let port = instance
        .port
        .map_or_else(String::new, |p| format!(" port {p}"));
    let place = match (&instance.address, &instance.host) {
        (Some(address), _) => format!("its own address is {address}{port}"),
        (None, Some(host)) => format!("its own name is {host}{port}"),
        (None, None) => "over a socket file".to_owned(),
    };
    let signed_in = if instance.session_user == instance.user {
        String::new()
    } else {
        format!(", signed in as {}", instance.session_user)
    };
    let database = match instance.database.as_str() {
        "" => "no database",
        name => name,
    };
    let user = &instance.user;
    entry(out, "session", &format!("{user} in {database}{signed_in}"))?;
    let engine = match instance.version.as_str().contains("MariaDB") {
        true => "MariaDB",
        false => chronaxis_engines::title(case.target.engine),
    };
    let text = format!("{engine} {}, {role}, {place}", instance.version);
    entry(out, "instance", &text)?;
    if !instance.started.as_str().is_empty() {
        entry(out, "started", instance.started.as_str())?;
    }
    if let Some(seconds) = instance.up_s {
        entry(out, "up for", &span(seconds))?;
    }
    if let Some(id) = &instance.system_identifier {
        entry(out, "identifier", &id.to_string())?;
    }
    if let Some(privileges) = &instance.privileges {
        entry(out, "rights", privileges.as_str())?;
    }
    Ok(())
}

fn certificate(out: &mut impl Write, chain: &ShownChain) -> io::Result<()> {
    let Some(own) = chain.certificates.first() else {
        return Ok(());
    };
    let names: Vec<String> = own.names.iter().map(ToString::to_string).collect();
    let names = match names.is_empty() {
        true => own.subject.to_string(),
        false => names.join(", "),
    };
    let text = format!(
        "for {names}, by {}, {} to {}, {}",
        own.issuer, own.not_before, own.not_after, own.key
    );
    entry(out, "certificate", &text)?;
    for above in chain.certificates.iter().skip(1) {
        let text = format!(
            "{}, by {}, {} to {}",
            above.subject, above.issuer, above.not_before, above.not_after
        );
        entry(out, "also sent", &text)?;
    }
    Ok(())
}

/// A span as people say it.
fn span(seconds: u64) -> String {
    let (days, hours, minutes) = (seconds / 86_400, seconds / 3600 % 24, seconds / 60 % 60);
    match (days, hours) {
        (0, 0) => format!("{minutes} min {} s", seconds % 60),
        (0, hours) => format!("{hours} h {minutes} min"),
        (1, hours) => format!("1 day {hours} h"),
        (days, hours) => format!("{days} days {hours} h"),
    }
}

//! Which instance answered, as whom, and over what connection.

use chronaxis_model::fact::{
    Fact, Instance, Observation, OwnCertificate, ShownChain, Surroundings,
};
use chronaxis_model::layer::Layer;
use chronaxis_model::target::End;

use super::entries::Entries;
use super::{Block, Topic};
use crate::case::Case;

/// What the session and the line are like.
pub(super) fn instance(case: &Case, log: &[Observation]) -> Option<Block> {
    let mut out = Entries::default();
    let facts: Vec<&Fact> = log.iter().filter_map(|o| o.fact()).collect();
    for fact in &facts {
        if let Fact::Instance(instance) = fact {
            session(&mut out, case, instance);
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
                out.text("encryption", format!("{version}, {cipher}{shown}"));
            }
            Fact::CertificateShown(chain) => certificate(&mut out, chain),
            _ => {}
        }
    }
    out.section(Topic::Session)
}

/// What the server showed, where the encryption is what failed.
pub(super) fn refused_certificates(case: &Case, log: &[Observation]) -> Option<Block> {
    if case.verdict.seen_at != Some(Layer::Tls) {
        return None;
    }
    let shown = log.iter().find_map(|o| match o.fact() {
        Some(Fact::CertificateShown(chain)) => Some(chain),
        _ => None,
    });
    let mut out = Entries::default();
    certificate(&mut out, shown?);
    out.section(Topic::Certificate)
}

/// Whether an instance says more of itself than its name.
pub(super) fn tells_of_itself(instance: &Instance) -> bool {
    instance.surroundings.is_some() || instance.address.is_some() || instance.host.is_some()
}

/// Whether the client goes over a network, or to a port of this machine.
fn is_over_network(case: &Case) -> bool {
    let host = |end: &End| matches!(end, End::Host { .. });
    case.target.ends.iter().any(host)
}

fn session(out: &mut Entries, case: &Case, instance: &Instance) {
    let role = match (instance.in_recovery, instance.read_only) {
        (true, _) => ", replica (in recovery)",
        (false, true) => ", read-only",
        (false, false) if tells_of_itself(instance) => ", writable",
        (false, false) => "",
    };
    let port = instance
        .port
        .map_or_else(String::new, |p| format!(" port {p}"));
    let place = match (&instance.address, &instance.host) {
        (Some(address), _) => format!(", its own address is {address}{port}"),
        (None, Some(host)) => format!(", its own name is {host}{port}"),
        (None, None) if is_over_network(case) => String::new(),
        (None, None) => ", over a socket file".to_owned(),
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
    out.text("session", format!("{user} in {database}{signed_in}"));
    let engine = match instance.version.as_str().contains("MariaDB") {
        true => "MariaDB",
        false => chronaxis_engines::title(case.target.engine),
    };
    let old = older_than_supported(case, instance).unwrap_or_default();
    let text = format!("{engine} {}{role}{place}{old}", instance.version);
    out.text("instance", text);
    if !instance.started.as_str().is_empty() {
        out.text("started", instance.started.as_str());
    }
    if let Some(seconds) = instance.up_s {
        out.text("up for", span(seconds));
    }
    if let Some(id) = &instance.system_identifier {
        out.text("identifier", id.to_string());
    }
    if let Some(databases) = &instance.databases {
        out.text("databases", databases.as_str());
    }
    if let Some(privileges) = &instance.privileges {
        out.text("rights", privileges.as_str());
    }
    if let Some(around) = &instance.surroundings {
        surroundings(out, around);
    }
}

/// Where things are looked for and made, in which letters and times, and how full it is.
fn surroundings(out: &mut Entries, around: &Surroundings) {
    if around.schemas.is_some() {
        let own = around.schema.as_ref();
        let rights = own.and_then(|own| {
            let all = around.schemas.iter().flatten();
            all.into_iter().find(|one| one.name == *own)
        });
        let may = match rights {
            Some(one) if one.may_create => ", may use it and create in it",
            Some(one) if one.may_use => ", may use it, not create in it",
            _ => "",
        };
        let name = own.map_or("none that can be used", |own| own.as_str());
        let path = around.search_path.as_ref().map_or("", |path| path.as_str());
        out.text("schema", format!("{name}{may} (search path {path})"));
    }
    let words = [
        ("", &around.encoding),
        ("collation ", &around.collation),
        ("time zone ", &around.time_zone),
        ("transactions ", &around.isolation),
    ];
    let words: Vec<String> = words
        .into_iter()
        .filter_map(|(lead, value)| Some(format!("{lead}{}", value.as_ref()?)))
        .collect();
    if !words.is_empty() {
        out.text("defaults", words.join(", "));
    }
    if let Some(places) = around.connections {
        let allowed = places
            .allowed
            .map_or_else(String::new, |n| format!(" of {n}"));
        let kept = match around.reserved {
            Some(kept) if kept > 0 => format!(", {kept} of them for administrators"),
            _ => String::new(),
        };
        let idle = around.idle_limit_s.map_or_else(String::new, |s| {
            format!("; sessions are ended after {} idle", span(s))
        });
        out.text(
            "connections",
            format!("{} in use{allowed}{kept}{idle}", places.used),
        );
    }
}

/// A server that this client's makers do not support any more.
fn older_than_supported(case: &Case, instance: &Instance) -> Option<String> {
    let version = instance.version.as_str();
    let client = case.target.client;
    let engine = chronaxis_engines::by_id(case.target.engine);
    let (_, least) = engine
        .spec
        .oldest_servers
        .iter()
        .find(|(of, _)| *of == client)?;
    let mut numbers = version
        .split(['.', '-', ' '])
        .map_while(|part| part.parse::<u32>().ok());
    let own = (numbers.next()?, numbers.next().unwrap_or_default());
    // MariaDB counts on its own.
    let old = own < *least && !version.contains("MariaDB");
    let (major, minor) = least;
    old.then(|| {
        format!(
            ", older than {} supports ({major}.{minor} and later)",
            client.as_str()
        )
    })
}

fn certificate(out: &mut Entries, chain: &ShownChain) {
    let Some(own) = chain.certificates.first() else {
        return;
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
    out.text("certificate", text);
    for above in chain.certificates.iter().skip(1) {
        let text = format!(
            "{}, by {}, {} to {}",
            above.subject, above.issuer, above.not_before, above.not_after
        );
        out.text("also sent", text);
    }
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

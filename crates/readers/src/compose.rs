//! Compose files: services, what they publish, what they run on (the Compose
//! Specification).

use chronaxis_engines::by_id;
use chronaxis_model::target::EngineId;

use crate::entry::{Entry, Look, Part, Quotes, Value};
use crate::format::{braced, is_name};
use crate::names::{Means, engine_word};
use crate::traced::Traced;

/// A published port.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Published {
    /// On the machine itself; none where the machine chooses.
    pub(crate) outside: Option<u16>,
    /// Inside the container.
    pub(crate) inside: u16,
    /// Where it stands.
    pub(crate) at: std::ops::Range<usize>,
}

/// A secret or a configuration as a service names it.
#[derive(Clone, Debug)]
struct Given {
    /// Which of the two: the key under which the composition defines it.
    kind: &'static str,
    /// Its name there.
    name: String,
    /// Where it lies inside, where that is said.
    target: Option<String>,
}

impl Given {
    /// Where it lies inside (Compose Specification, "Services top-level elements").
    fn inside(&self) -> String {
        let target = self.target.as_ref().unwrap_or(&self.name);
        match (self.kind, target.starts_with('/')) {
            (_, true) => target.clone(),
            ("secrets", false) => format!("/run/secrets/{target}"),
            (_, false) => format!("/{target}"),
        }
    }
}

/// A service of a compose file.
#[derive(Clone, Debug, Default)]
pub(crate) struct Service {
    /// Its name, which is a host name inside.
    pub(crate) name: String,
    /// Further names of it inside.
    pub(crate) aliases: Vec<String>,
    /// What engine its image is.
    pub(crate) engine: Option<EngineId>,
    /// Its published ports.
    pub(crate) ports: Vec<Published>,
    /// Its files of variables.
    pub(crate) env_files: Vec<String>,
    /// Whether a file of them may be absent.
    pub(crate) optional_files: bool,
    /// Folders and files of the project that are part of it.
    pub(crate) folders: Vec<String>,
    /// Folders and files of the machine, and where each lies inside.
    pub(crate) mounts: Vec<(String, String)>,
    /// Secrets and configurations of the composition that it is given, and where each lies inside.
    given: Vec<Given>,
    /// Folders of the machine with the database's own files, and where each is named.
    pub(crate) data: Vec<String>,
    /// Whether it uses the machine's own network.
    pub(crate) on_host: bool,
    /// The services that it waits for.
    pub(crate) waits_for: Vec<String>,
    /// Its networks.
    pub(crate) networks: Vec<String>,
}

impl Service {
    /// The port of its engine inside.
    pub(crate) fn inner_port(&self) -> Option<u16> {
        by_id(self.engine?).spec.usual_port
    }

    /// Whether it goes by this name inside.
    pub(crate) fn is_called(&self, host: &str) -> bool {
        self.name == host || self.aliases.iter().any(|alias| alias == host)
    }

    /// Whether another service can reach it.
    pub(crate) fn shares_network(&self, other: &Service) -> bool {
        let plain = |s: &Service| s.networks.is_empty();
        match (plain(self), plain(other)) {
            (true, true) => true,
            (false, false) => self.networks.iter().any(|n| other.networks.contains(n)),
            (true, false) => other.networks.iter().any(|n| n == "default"),
            (false, true) => self.networks.iter().any(|n| n == "default"),
        }
    }
}

/// Whether a YAML document is a compose file.
pub(crate) fn is_one(entries: &[Entry]) -> bool {
    let service_key = |e: &Entry| {
        let key = e.path.get(2).map(String::as_str);
        e.path.first().is_some_and(|k| k == "services")
            && matches!(
                key,
                Some("image" | "build" | "environment" | "env_file" | "ports" | "command")
            )
    };
    entries.iter().any(service_key)
}

/// The services of a compose file.
pub(crate) fn services(entries: &[Entry]) -> Vec<Service> {
    let mut out: Vec<Service> = Vec::new();
    for entry in entries {
        let [root, name, rest @ ..] = entry.path.as_slice() else {
            continue;
        };
        if root != "services" || rest.is_empty() {
            continue;
        }
        let at = match out.iter().position(|s| s.name == *name) {
            Some(at) => at,
            None => {
                out.push(Service {
                    name: name.clone(),
                    ..Service::default()
                });
                out.len() - 1
            }
        };
        if let Some(service) = out.get_mut(at) {
            take(service, rest, &entry.value);
        }
    }
    for service in &mut out {
        let files = service
            .given
            .iter()
            .filter_map(|given| Some((file_of(entries, given)?, given.inside())));
        service.mounts.extend(files.collect::<Vec<_>>());
    }
    out
}

/// The file of the machine that a secret or a configuration is.
fn file_of(entries: &[Entry], given: &Given) -> Option<String> {
    let path = [given.kind, given.name.as_str(), "file"];
    let entry = entries.iter().find(|e| e.path == path)?;
    let file = entry.value.plain()?.as_str().to_owned();
    // What neither begins with a dot nor with a slash lies in the project too.
    Some(match file.starts_with(['.', '/', '~']) {
        true => file,
        false => format!("./{file}"),
    })
}

fn take(service: &mut Service, keys: &[String], value: &Value) {
    let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
    // A list's indices say nothing here.
    let keys: Vec<&str> = keys
        .into_iter()
        .filter(|k| k.parse::<usize>().is_err())
        .collect();
    if let ["networks", name, ..] = keys.as_slice()
        && !service.networks.iter().any(|n| n == name)
    {
        service.networks.push((*name).to_owned());
    }
    if let ["depends_on", name, ..] = keys.as_slice() {
        service.waits_for.push((*name).to_owned());
    }
    if keys.as_slice() == ["image"] {
        // A variable in it is the version, as a rule.
        let known = value.parts.iter().map(|part| match part {
            Part::Text(text) => text.as_str(),
            Part::Look(look) => look.default.as_ref().map_or("", Traced::as_str),
            Part::Name(_) | Part::Unknown => "",
        });
        if let Some(Means::Engine(id)) = engine_word(&known.collect::<String>()) {
            service.engine = Some(id);
        }
        return;
    }
    let Some(text) = value.plain() else {
        return;
    };
    let text = text.as_str();
    match keys.as_slice() {
        ["depends_on"] => service.waits_for.push(text.to_owned()),
        ["container_name" | "hostname"] => service.aliases.push(text.to_owned()),
        ["networks"] => service.networks.push(text.to_owned()),
        ["networks", _, "aliases"] => service.aliases.push(text.to_owned()),
        ["network_mode"] => service.on_host = text == "host",
        ["ports"] => service.ports.extend(published(text, value)),
        ["ports", "target"] => {
            let inside = text.parse().unwrap_or_default();
            service.ports.push(Published {
                outside: None,
                inside,
                at: value.at.clone(),
            });
        }
        ["ports", "published"] => {
            if let Some(last) = service.ports.last_mut() {
                last.outside = text.parse().ok();
            }
        }
        ["env_file"] | ["env_file", "path"] => service.env_files.push(text.to_owned()),
        ["env_file", "required"] if text == "false" => service.optional_files = true,
        ["build"] | ["build", "context"] => service.folders.push(text.to_owned()),
        ["secrets"] | ["secrets", "source"] => give(service, "secrets", text),
        ["configs"] | ["configs", "source"] => give(service, "configs", text),
        ["secrets" | "configs", "target"] => {
            if let Some(last) = service.given.last_mut() {
                last.target = Some(text.to_owned());
            }
        }
        ["volumes"] => volume(service, text),
        ["volumes", "source"] => volume(service, &format!("{text}:?")),
        ["volumes", "target"] => {
            if let Some((_, inside)) = service.mounts.last_mut().filter(|(_, i)| i == "?") {
                text.clone_into(inside);
            }
        }
        _ => {}
    }
}

fn give(service: &mut Service, kind: &'static str, name: &str) {
    service.given.push(Given {
        kind,
        name: name.to_owned(),
        target: None,
    });
}

/// The short form of a volume: a folder of the machine and where it lies inside.
fn volume(service: &mut Service, text: &str) {
    let mut pieces = text.split(':');
    let (Some(source), Some(inside)) = (pieces.next(), pieces.next()) else {
        return;
    };
    if !source.starts_with(['.', '/', '~']) {
        return;
    }
    service.folders.push(source.to_owned());
    service.mounts.push((source.to_owned(), inside.to_owned()));
    const DATA: &[&str] = &[
        "/var/lib/postgresql",
        "/var/lib/mysql",
        "/data/db",
        "/bitnami",
    ];
    if DATA.iter().any(|known| inside.starts_with(known)) {
        service.data.push(source.to_owned());
    }
}

/// The short form of a port: `[address:][outside:]inside[/protocol]`.
fn published(text: &str, value: &Value) -> Option<Published> {
    let bare = text.split('/').next()?;
    let mut pieces = bare.rsplit(':');
    let inside = pieces.next()?.split('-').next()?.parse().ok()?;
    let outside = pieces
        .next()
        .and_then(|p| p.split('-').next()?.parse().ok());
    Some(Published {
        outside,
        inside,
        at: value.at.clone(),
    })
}

/// A value as compose has it before anything else: `$NAME` and `${NAME…}` are variables, `$$`
/// is the sign itself (the Compose Specification, "Interpolation").
pub(crate) fn interpolated(value: &Value) -> Value {
    let mut parts = Vec::new();
    for part in &value.parts {
        match part {
            Part::Text(text) if text.as_str().contains('$') => parts.extend(pieces(text)),
            part => parts.push(part.clone()),
        }
    }
    Value {
        parts,
        ..value.clone()
    }
}

fn pieces(text: &Traced) -> Vec<Part> {
    let string = text.as_str();
    let mut parts = Vec::new();
    let mut known = Traced::default();
    let mut at = 0;
    while let Some(rest) = string.get(at..).filter(|r| !r.is_empty()) {
        let (_, from) = text.origin(at);
        let bare = rest
            .strip_prefix('$')
            .map(|r| r.len() - r.trim_start_matches(is_word).len());
        let look = braced(rest, from).or_else(|| {
            let length = bare.filter(|length| *length > 0)?;
            let name = rest.get(1..1 + length)?;
            let look = Look {
                name: name.to_owned(),
                default: None,
                required: false,
                by_program: false,
                at: from..from + 1 + length,
            };
            is_name(name).then_some((look, 1 + length))
        });
        if rest.starts_with("$$") {
            known.append(&text.slice(at..at + 1));
            at += 2;
        } else if let Some((look, length)) = look {
            if !known.as_str().is_empty() {
                parts.push(Part::Text(std::mem::take(&mut known)));
            }
            parts.push(Part::Look(look));
            at += length;
        } else {
            let length = rest.chars().next().map_or(1, char::len_utf8);
            known.append(&text.slice(at..at + length));
            at += length;
        }
    }
    if !known.as_str().is_empty() || parts.is_empty() {
        parts.push(Part::Text(known));
    }
    parts
}

fn is_word(c: char) -> bool {
    c.is_ascii_alphanumeric() || c == '_'
}

/// The variables of the services as entries of their own: `[service, NAME]`. What a
/// database's own image is told makes its accounts; it is no connection.
pub(crate) fn environment(entries: &[Entry]) -> Vec<Entry> {
    let mut out = Vec::new();
    for entry in entries {
        let [root, service, section, key] = entry.path.as_slice() else {
            continue;
        };
        if root != "services" || section != "environment" {
            continue;
        }
        if key.parse::<usize>().is_err() {
            let path = vec![service.clone(), key.clone()];
            out.push(Entry {
                path,
                ..entry.clone()
            });
            continue;
        }
        // The list form: `NAME=value`.
        let Some((Part::Text(text), rest)) = entry.value.parts.split_first() else {
            continue;
        };
        let Some((name, _)) = text.as_str().split_once('=') else {
            continue;
        };
        let (_, begins) = text.origin(0);
        let value: Traced = text.slice(name.len() + 1..text.as_str().len());
        let (_, from) = text.origin(name.len() + 1);
        let known = std::iter::once(Part::Text(value));
        let value = Value {
            parts: known.chain(rest.iter().cloned()).collect(),
            at: from..entry.value.at.end.max(from),
            quotes: Quotes::None,
            cut: entry.value.cut,
        };
        let path = vec![service.clone(), name.to_owned()];
        let mut listed = Entry::new(path, begins..begins + name.len(), value);
        listed.document = entry.document;
        listed.file = entry.file;
        out.push(listed);
    }
    out
}

//! Allow-lists from files: read, with what they include; and what an attempt is made of.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::net::{IpAddr, SocketAddr};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::ScopedJoinHandle;
use std::time::Duration;

use chronaxis_allowlist::attempt::{Attempt, Labels};
use chronaxis_allowlist::chain::Lists;
use chronaxis_model::shown;
use chronaxis_probe::name_service;
use chronaxis_readers::allowlist::{self, Broken, Chain, Others, Reading};
use chronaxis_readers::text::Text;
use jiff::civil::Date;

use crate::client_environment;
use crate::echo;
use crate::error::Failure;
use crate::input;

/// The largest list that is read, in bytes: a million rules are some 100 MB.
const LARGEST: u64 = 256 * 1024 * 1024;

/// Files that a list includes.
pub(crate) struct Files;

impl Others for Files {
    fn file(&self, path: &str) -> Result<Vec<u8>, Option<String>> {
        input::whole(Path::new(path), LARGEST).map_err(|error| match error.kind() {
            io::ErrorKind::NotFound => None,
            _ => Some(error.to_string()),
        })
    }

    fn folder(&self, path: &str) -> Result<Vec<String>, String> {
        let entries = std::fs::read_dir(path).map_err(|error| error.to_string())?;
        let mut out = Vec::new();
        for entry in entries {
            let entry = entry.map_err(|error| error.to_string())?;
            out.push(entry.path().to_string_lossy().into_owned());
        }
        Ok(out)
    }

    fn at_once(&self, one: &mut (dyn FnMut() + Send), other: &mut (dyn FnMut() + Send)) {
        let work = Mutex::new(one);
        let one = || work.lock().unwrap_or_else(PoisonError::into_inner)();
        at_once(one, other);
    }
}

/// Two pieces of work at one time: lists can be long.
pub(crate) fn at_once<A: Send, B>(one: impl Fn() -> A + Sync, other: impl FnOnce() -> B) -> (A, B) {
    std::thread::scope(|scope| {
        let begun = std::thread::Builder::new().spawn_scoped(scope, &one);
        let other = other();
        match begun.map(ScopedJoinHandle::join) {
            Ok(Ok(one)) => (one, other),
            Ok(Err(panic)) => std::panic::resume_unwind(panic),
            // This machine gives no thread.
            Err(_) => (one(), other),
        }
    })
}

/// Reads a list.
pub(crate) fn list(path: &Path) -> Result<Reading, Failure> {
    list_for(path, None)
}

/// Reads a list; where it breaks off, what the rules before that say of an attempt is told.
pub(crate) fn list_for(path: &Path, attempt: Option<&Attempt>) -> Result<Reading, Failure> {
    let text = text(path)?;
    let shown = path.to_string_lossy().into_owned();
    allowlist::read(&shown, text, &Files).map_err(|(sheets, why)| {
        let sheet = sheets.get(why.sheet);
        let file = sheet.map_or_else(|| path.to_owned(), |s| PathBuf::from(&s.path));
        let until = attempt.filter(|_| why.sheet == 0).and_then(|attempt| {
            let text = &sheet?.text.string;
            let (read, decision) =
                allowlist::before_the_break(&shown, text, why.at, attempt, &Files)?;
            let spot = decision.rule?.spot?;
            let (line, _) = allowlist::position(&read.sheets, &spot);
            Some(format!(
                ". The rules before that can be read, and decide: {} is {} by the one in line {line}",
                attempt.client,
                decision.answer.as_str()
            ))
        });
        let failure = broken(&file, sheet.map(|s| &s.text), why);
        match (failure, until) {
            (Failure::List { place, what, expected }, Some(until)) => Failure::List {
                place,
                what,
                expected: format!("{expected}{until}"),
            },
            (failure, _) => failure,
        }
    })
}

/// Reads a file of another kind.
pub(crate) fn read<T>(
    path: &Path,
    read: impl FnOnce(&str) -> Result<T, Broken>,
) -> Result<T, Failure> {
    let text = text(path)?;
    read(&text.string).map_err(|why| broken(path, Some(&text), why))
}

fn text(path: &Path) -> Result<Text, Failure> {
    let bytes = input::whole(path, LARGEST).map_err(|cause| Failure::File {
        path: path.to_owned(),
        cause,
    })?;
    Text::decode(&bytes).map_err(|_| Failure::List {
        place: echo::path(path),
        what: "this is no text".to_owned(),
        expected: "a text file".to_owned(),
    })
}

fn broken(path: &Path, text: Option<&Text>, why: Broken) -> Failure {
    let (line, column) = text.map_or((1, 1), |text| text.position(why.at));
    Failure::List {
        place: format!("{}, line {line}, column {column}", echo::path(path)),
        what: why.what,
        expected: why.expected,
    }
}

/// The lists on the way of a diagnosis; none where none are given.
pub(crate) fn chain(
    files: &[PathBuf],
    client: Option<&str>,
) -> Result<Option<Arc<dyn Lists>>, Failure> {
    let lists: Vec<Reading> = files
        .iter()
        .map(|file| list(file))
        .collect::<Result<_, _>>()?;
    let client = client
        .map(|text| self::client("--client-address", text))
        .transpose()?;
    let today = today();
    Ok((!lists.is_empty()).then(|| {
        let chain = Chain {
            lists,
            client,
            today,
        };
        Arc::new(chain) as Arc<dyn Lists>
    }))
}

/// The address of a client.
pub(crate) fn client(option: &'static str, text: &str) -> Result<IpAddr, Failure> {
    text.parse().map_err(|_| Failure::Address {
        option,
        value: shown::value("host", text),
        expected: "not an address; expected one like 198.51.100.77 or 2001:db8::7",
    })
}

/// An address with a port.
pub(crate) fn place(option: &'static str, text: &str) -> Result<SocketAddr, Failure> {
    text.parse().map_err(|_| Failure::Address {
        option,
        value: shown::value("host", text),
        expected: "not an address with a port; expected one like 203.0.113.10:5432 or [2001:db8::10]:5432, since rules are about addresses, not names",
    })
}

/// `K=V,…`.
pub(crate) fn labels(option: &'static str, text: Option<&str>) -> Result<Option<Labels>, Failure> {
    let Some(text) = text else {
        return Ok(None);
    };
    let mut out = Labels::new();
    for pair in text.split(',').map(str::trim).filter(|p| !p.is_empty()) {
        let Some((key, value)) = pair.split_once('=') else {
            return Err(Failure::Address {
                option,
                value: shown::hidden(text),
                expected: "a label has no =; expected labels like app=booking,tier=web",
            });
        };
        out.insert(key.trim().to_owned(), value.trim().to_owned());
    }
    Ok(Some(out))
}

/// The day, in UTC.
pub(crate) fn today() -> Date {
    jiff::Timestamp::now()
        .to_zoned(jiff::tz::TimeZone::UTC)
        .date()
}

/// The port of name service, where a resolver is given without one (RFC 1035, section 4.2).
const NAME_SERVICE: u16 = 53;

/// `ADDR`, `ADDR:PORT`, `[ADDR]:PORT`.
pub(crate) fn resolver(told: &str) -> Result<SocketAddr, Failure> {
    let bare = told.trim_start_matches('[').trim_end_matches(']').parse();
    told.parse()
        .or_else(|_| bare.map(|ip| SocketAddr::new(ip, NAME_SERVICE)))
        .map_err(|_| Failure::Resolver(shown::value("host", told)))
}

/// How long a resolver may take for a name that stands in a list.
const PATIENCE: Duration = Duration::from_secs(3);

/// The addresses of the names that stand in lists, by the first resolver that says; nothing
/// where none does.
pub(crate) fn names(
    lists: &[Reading],
    resolvers: &[String],
) -> Result<BTreeMap<String, Option<Vec<IpAddr>>>, Failure> {
    let resolvers: Vec<SocketAddr> = resolvers
        .iter()
        .map(|told| resolver(told))
        .collect::<Result<_, _>>()?;
    let wanted: BTreeSet<String> = lists.iter().flat_map(|l| l.rules.names()).collect();
    let mut out = BTreeMap::new();
    if resolvers.is_empty() || wanted.is_empty() {
        return Ok(out);
    }
    let runtime = client_environment::runtime()?;
    runtime.block_on(async {
        for name in wanted.into_iter().take(allowlist::MOST_NAMES) {
            let mut found = None;
            for resolver in &resolvers {
                found = name_service::addresses(*resolver, &name, PATIENCE).await;
                if found.is_some() {
                    break;
                }
            }
            out.insert(name, found);
        }
    });
    Ok(out)
}

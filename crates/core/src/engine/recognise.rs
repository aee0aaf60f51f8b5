//! Which engine and form a target's text is written in.

use super::registry::{ENGINES, by_id};
use super::spec::{Draft, Engine};
use super::text::data_source;
use crate::redact::{mask_connection_text, visible};
use crate::settings::{Defect, DefectKind, Excerpt, nearest};
use crate::target::EngineId;

/// Why a text is no target; the texts hold no secret.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotATarget {
    /// Nothing stands there.
    #[error(
        "the target is empty; expected a connection string, for example postgresql://purser@quay.osmary.example/sailings"
    )]
    Empty,
    /// `HOST:PORT` without the engine.
    #[error(
        "\"{0}\" does not say which engine answers there; add --engine (postgresql, mysql, tds, mongodb, directory, tcp or tls), or write it as a URL"
    )]
    EngineUnsaid(String),
    /// `HOST:PORT` that is not one.
    #[error("\"{shown}\" is not HOST:PORT: {why}")]
    NotHostPort {
        /// The text, masked.
        shown: String,
        /// What is wrong.
        why: &'static str,
    },
    /// A scheme like no known one.
    #[error(
        "the scheme of \"{0}\" is no engine's; expected one of postgresql://, postgres://, mysql://, mariadb://, tds://, sqlserver://, mongodb://, mongodb+srv://, directory://, tcp://, tls://"
    )]
    SchemeFarOff(String),
    /// A data-source string whose driver is none of a known engine.
    #[error(
        "the driver {0} of the data-source string is no known engine's; expected a driver for PostgreSQL, MySQL, MariaDB or TDS, or --engine"
    )]
    DriverUnknown(String),
}

/// A text that was recognised.
pub struct Recognised {
    /// The engine.
    pub engine: &'static dyn Engine,
    /// The draft.
    pub draft: Draft,
}

/// Finds out what a text is and reads it. `line` is its line on standard input, if it
/// came from there. `engine` is what an option says of it.
///
/// # Errors
/// Says why the text is no target at all; a defective target is a draft with defects.
pub fn recognise(
    text: &str,
    line: Option<u32>,
    engine: Option<EngineId>,
) -> Result<Recognised, NotATarget> {
    let bare = text.trim_start();
    if bare.trim().is_empty() {
        return Err(NotATarget::Empty);
    }
    let shown = || visible(&mask_connection_text(bare.trim()));
    if let Some(rest) = bare.strip_prefix("jdbc:") {
        let name = rest.split([':', '?']).next().unwrap_or_default();
        return by_jdbc_name(text, name, line);
    }
    if let Some(scheme) = scheme_of(bare) {
        return by_scheme(text, scheme, line, engine)
            .ok_or_else(|| NotATarget::SchemeFarOff(shown()));
    }
    let reader = engine.map(by_id);
    let by_php_name = |e: &&&'static dyn Engine| e.php_name().is_some_and(|n| bare.starts_with(n));
    if let Some(engine) = ENGINES
        .iter()
        .find(by_php_name)
        .filter(|_| bare.contains('='))
    {
        let draft = engine.read(text, line);
        return Ok(Recognised {
            engine: *engine,
            draft,
        });
    }
    if data_source::is_odbc(bare)
        && let Some(driver) = data_source::driver(bare)
    {
        return by_driver(text, &driver, line, reader);
    }
    if bare.contains('=') {
        let engine = reader.unwrap_or(by_id(EngineId::Postgresql));
        let draft = engine.read(text, line);
        return Ok(Recognised { engine, draft });
    }
    let Some(engine) = reader else {
        return Err(NotATarget::EngineUnsaid(shown()));
    };
    let (host, port) = host_port(bare.trim()).map_err(|why| NotATarget::NotHostPort {
        shown: shown(),
        why,
    })?;
    let draft = engine.read(&engine.at(host, port), line);
    Ok(Recognised {
        engine,
        draft: Draft {
            form: "HOST:PORT".to_owned(),
            ..draft
        },
    })
}

/// A data-source string, by the name of its driver.
fn by_driver(
    text: &str,
    driver: &str,
    line: Option<u32>,
    asked: Option<&'static dyn Engine>,
) -> Result<Recognised, NotATarget> {
    let low = driver.to_ascii_lowercase();
    let of_it = |e: &&&'static dyn Engine| e.odbc_words().iter().any(|word| low.contains(word));
    let engine = ENGINES.iter().find(of_it).copied().or(asked);
    match engine {
        Some(engine) => Ok(Recognised {
            engine,
            draft: engine.read(text, line),
        }),
        None => Err(NotATarget::DriverUnknown(visible(driver))),
    }
}

/// What stands before `://`, if that comes before any blank or `=`.
fn scheme_of(text: &str) -> Option<&str> {
    let (scheme, _) = text.split_once("://")?;
    let fits = !scheme.is_empty()
        && scheme
            .chars()
            .all(|c| c.is_ascii_alphanumeric() || matches!(c, '+' | '-' | '.' | '_' | ':'));
    fits.then_some(scheme)
}

fn by_scheme(
    text: &str,
    scheme: &str,
    line: Option<u32>,
    asked: Option<EngineId>,
) -> Option<Recognised> {
    let known = || {
        ENGINES
            .iter()
            .flat_map(|e| e.schemes().iter().map(move |s| (*e, *s)))
    };
    // A scheme may have a plus sign of its own.
    if let Some((engine, _)) = known().find(|(_, s)| *s == scheme) {
        return Some(Recognised {
            engine,
            draft: engine.read(text, line),
        });
    }
    let (base, driver) = match scheme.split_once('+') {
        Some((base, driver)) => (base, Some(driver)),
        None => (scheme, None),
    };
    if let Some((engine, _)) = known().find(|(_, s)| *s == base) {
        let drivers = engine.drivers();
        let meant = match driver {
            Some(driver) if !drivers.contains(&driver) => {
                nearest(driver, drivers.iter().copied()).or(drivers.first().copied())
            }
            _ => None,
        };
        return Some(match meant {
            None => Recognised {
                engine,
                draft: engine.read(text, line),
            },
            Some(meant) => misspelt(text, scheme, &format!("{base}+{meant}"), engine, line),
        });
    }
    let low = base.to_ascii_lowercase();
    let near = nearest(&low, known().map(|(_, s)| s).chain(["psql", "pgsql", "pg"]));
    let engine = match (near, asked) {
        (Some(near), _) => known()
            .find(|(_, s)| *s == near)
            .map_or(by_id(EngineId::Postgresql), |(e, _)| e),
        (None, Some(id)) => by_id(id),
        (None, None) => return None,
    };
    let mut meant = match near {
        Some(near) if known().any(|(_, s)| s == near) => near,
        _ => engine.schemes().first().copied().unwrap_or_default(),
    }
    .to_owned();
    if let Some(driver) = driver.filter(|d| engine.drivers().contains(d)) {
        meant = format!("{meant}+{driver}");
    }
    Some(misspelt(text, scheme, &meant, engine, line))
}

/// `jdbc:NAME:…`. A JDBC driver takes its own name only, not the other schemes of its
/// engine.
fn by_jdbc_name(text: &str, name: &str, line: Option<u32>) -> Result<Recognised, NotATarget> {
    let own = |e: &&&'static dyn Engine| e.jdbc_names().contains(&name);
    if let Some(engine) = ENGINES.iter().find(own) {
        let draft = engine.read(text, line);
        return Ok(Recognised {
            engine: *engine,
            draft,
        });
    }
    let names = ENGINES
        .iter()
        .flat_map(|e| e.schemes().iter().chain(e.jdbc_names()).copied());
    let near = nearest(&name.to_ascii_lowercase(), names);
    let engine = near.and_then(|near| {
        let of_it = |e: &&&'static dyn Engine| {
            e.jdbc_names().contains(&near) || e.schemes().contains(&near)
        };
        ENGINES.iter().find(of_it)
    });
    match engine {
        Some(engine) => {
            let scheme = format!("jdbc:{name}");
            let names = engine.jdbc_names();
            let own = names.iter().find(|n| Some(**n) == near).or(names.first());
            let meant = format!("jdbc:{}", own.copied().unwrap_or_default());
            Ok(misspelt(text, &scheme, &meant, *engine, line))
        }
        None => Err(NotATarget::SchemeFarOff(visible(&mask_connection_text(
            text.trim(),
        )))),
    }
}

/// Reads a text as if its scheme were spelt right, and notes that it is not.
fn misspelt(
    text: &str,
    scheme: &str,
    meant: &str,
    engine: &'static dyn Engine,
    line: Option<u32>,
) -> Recognised {
    let from = text.find(scheme).unwrap_or(0);
    let rest = text.get(from + scheme.len()..).unwrap_or_default();
    let masked = mask_connection_text(text);
    let span = from..from + scheme.len();
    let defect = Defect {
        kind: DefectKind::SchemeUnknown,
        subject: "scheme".to_owned(),
        stops: true,
        text: format!("the scheme \"{}\" is not known", visible(scheme)),
        expected: if meant.starts_with("jdbc:") {
            format!("{meant}:")
        } else {
            format!("{meant}://")
        },
        place: Some(Excerpt::new(&masked, Vec::new()).mark(span)),
        mended: Some(visible(&mask_connection_text(&format!("{meant}{rest}")))),
    };
    let mut draft = engine.read(&format!("{meant}{rest}"), line);
    draft.defects.insert(0, defect);
    Recognised { engine, draft }
}

fn host_port(text: &str) -> Result<(&str, u16), &'static str> {
    let (host, port) = text
        .rsplit_once(':')
        .ok_or("there is no colon; expected for example quay.osmary.example:5432")?;
    let host = match host.strip_prefix('[') {
        Some(inner) => inner
            .strip_suffix(']')
            .ok_or("the bracket of the IPv6 address is not closed")?,
        None if host.contains(':') => {
            return Err("an IPv6 address needs brackets: [2001:db8::7]:5432");
        }
        None => host,
    };
    if host.is_empty() || host.contains(['\'', '\\', ' ', '/', '@']) {
        return Err("the host before the colon is not a host name or address");
    }
    let port = port
        .parse::<u16>()
        .ok()
        .filter(|p| *p > 0)
        .ok_or("the port is not a number from 1 to 65535")?;
    Ok((host, port))
}

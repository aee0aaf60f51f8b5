//! Which engine and form a target's text is written in.

mod no_target;

pub use no_target::NotATarget;

use chronaxis_model::settings::{Defect, DefectKind, Excerpt, Field, nearest};
use chronaxis_model::shown;
use chronaxis_model::target::{ClientId, EngineId};

use super::registry::{by_id, engines};
use super::spec::Engine;
use super::strings::Draft;
use super::text::{data_source, has_key, is_foreign, is_scheme};
use no_target::{is_complaint, no_form, scheme_shown};

/// What says which engine is meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EngineBy {
    /// The text itself: its scheme, its driver, its form.
    Text,
    /// An option.
    Option,
    /// The port, which is usual for it.
    Port,
    /// Nothing does: whoever answers is asked.
    Nothing,
}

/// A text that was recognised.
pub struct Recognised {
    /// The engine.
    pub engine: &'static Engine,
    /// What says that it is this one.
    pub by: EngineBy,
    /// The draft.
    pub draft: Draft,
}

/// Marks of templates, and their ends.
const TEMPLATES: &[(&str, &str)] = &[
    ("{{", "}}"),
    ("<%", "%>"),
    ("${", "}"),
    ("$(", ")"),
    ("%(", ")s"),
];

/// Whether a template stands in a text, which somebody else fills in.
fn holds_template(text: &str) -> bool {
    let holds = |(begin, end): &(&str, &str)| {
        let behind = text.split_once(begin).map(|(_, behind)| behind);
        behind.is_some_and(|behind| behind.contains(end))
    };
    TEMPLATES.iter().any(holds)
}

/// What a template breaks in a text is nothing that somebody mistyped.
fn with_template(mut recognised: Recognised, text: &str) -> Recognised {
    if !holds_template(text) {
        return recognised;
    }
    for defect in &mut recognised.draft.defects {
        if defect.stops && matches!(defect.kind, DefectKind::Unreadable | DefectKind::NotEscaped) {
            defect.kind = DefectKind::Placeholder;
            "this is a template that another program fills in".clone_into(&mut defect.text);
            "the text after it was filled in, as the program gets it"
                .clone_into(&mut defect.expected);
            defect.mended = None;
        }
    }
    recognised
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
    by_form(text, line, engine).map(|recognised| with_template(recognised, text))
}

fn by_form(
    text: &str,
    line: Option<u32>,
    engine: Option<EngineId>,
) -> Result<Recognised, NotATarget> {
    let bare = text.trim_start();
    if bare.trim().is_empty() {
        return Err(NotATarget::Empty);
    }
    if let Some(rest) = bare.strip_prefix("jdbc:") {
        let name = rest.split([':', '?']).next().unwrap_or_default();
        return by_jdbc_name(text, name, line);
    }
    if let Some(scheme) = scheme_of(bare) {
        return by_scheme(text, scheme, line, engine)
            .ok_or_else(|| NotATarget::SchemeFarOff(scheme_shown(scheme)));
    }
    let by_mark = |e: &&&'static Engine| e.spec.marks.iter().any(|mark| bare.contains(mark));
    if let Some(engine) = engines().iter().find(by_mark) {
        return Ok(Recognised {
            engine,
            by: EngineBy::Text,
            draft: engine.strings.read(text, line),
        });
    }
    if is_complaint(bare) {
        return Err(NotATarget::ErrorText);
    }
    let reader = engine.map(by_id);
    let by_php_name = |e: &&&'static Engine| e.spec.php_name.is_some_and(|n| bare.starts_with(n));
    if let Some(engine) = engines()
        .iter()
        .find(by_php_name)
        .filter(|_| bare.contains('='))
    {
        let draft = engine.strings.read(text, line);
        return Ok(Recognised {
            engine,
            by: EngineBy::Text,
            draft,
        });
    }
    if data_source::is_one(bare) {
        if let Some(driver) = data_source::driver(bare) {
            return by_driver(text, &driver, line, reader);
        }
        let told = reader.or(data_source::engine(bare).map(by_id));
        let engine = told.ok_or(NotATarget::EngineOfPairsUnsaid)?;
        let mut draft = engine.strings.read(text, line);
        let unknown = unknown_client(draft.client);
        draft.defects.extend(unknown);
        return Ok(Recognised {
            engine,
            by: EngineBy::Text,
            draft,
        });
    }
    if bare.contains('=') {
        if !has_key(bare) {
            return Err(no_form(bare));
        }
        let engine = reader.or_else(of_keyword_values).ok_or(no_form(bare))?;
        let draft = engine.strings.read(text, line);
        return Ok(Recognised {
            engine,
            by: EngineBy::Text,
            draft,
        });
    }
    let place = host_port(bare.trim());
    let by_port = |port: u16| {
        let usual = |e: &&&'static Engine| {
            e.spec.usual_port == Some(port) || e.spec.usual_ports.contains(&port)
        };
        engines().iter().find(usual).copied()
    };
    let (host, port) = match (place, reader) {
        (Ok(place), _) => place,
        (Err(why), Some(_)) => return Err(NotATarget::NotHostPort { why }),
        (Err(_), None) => return Err(no_form(bare)),
    };
    let (engine, by, form) = match (reader, by_port(port)) {
        (Some(engine), _) => (engine, EngineBy::Option, "HOST:PORT"),
        (None, Some(engine)) => (
            engine,
            EngineBy::Port,
            "HOST:PORT, the engine taken from the port",
        ),
        (None, None) => return Err(NotATarget::EngineUnsaid(bare.trim().to_owned())),
    };
    let draft = engine.strings.read(&engine.strings.at(host, port), line);
    Ok(Recognised {
        engine,
        by,
        draft: Draft {
            form: form.to_owned(),
            ..draft
        },
    })
}

/// The engine whose strings are keywords with values, where nothing else is said.
fn of_keyword_values() -> Option<&'static Engine> {
    let fits = |e: &&&'static Engine| e.spec.keyword_values;
    engines().iter().find(fits).copied()
}

/// The clients that read pairs without a driver's name have rules of their own for
/// encryption, which are not known here.
fn unknown_client(related: ClientId) -> Option<Defect> {
    if related == ClientId::Plain {
        return None;
    }
    let related = related.as_str();
    Some(Defect {
        kind: DefectKind::ClientUnknown,
        subject: Field::CLIENT,
        stops: false,
        text: format!(
            "a data-source string without a driver is for .NET; it is judged as {related} would read it"
        ),
        expected: "the same result, except where the clients have different defaults".to_owned(),
        place: None,
        mended: None,
    })
}

/// A data-source string, by the name of its driver.
fn by_driver(
    text: &str,
    driver: &str,
    line: Option<u32>,
    asked: Option<&'static Engine>,
) -> Result<Recognised, NotATarget> {
    let low = driver.to_ascii_lowercase();
    let of_it = |e: &&&'static Engine| e.spec.odbc_words.iter().any(|word| low.contains(word));
    let engine = engines().iter().find(of_it).copied().or(asked);
    match engine {
        Some(engine) => Ok(Recognised {
            engine,
            by: EngineBy::Text,
            draft: engine.strings.read(text, line),
        }),
        None => Err(NotATarget::DriverUnknown(shown::words(driver))),
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
        engines()
            .iter()
            .flat_map(|e| e.spec.schemes.iter().map(move |s| (*e, *s)))
    };
    let adapters = || {
        engines()
            .iter()
            .flat_map(|e| e.spec.adapters.iter().map(move |s| (*e, *s)))
    };
    // A scheme may have a plus sign of its own.
    if let Some((engine, _)) = known().find(|(_, s)| *s == scheme) {
        return Some(Recognised {
            engine,
            by: EngineBy::Text,
            draft: engine.strings.read(text, line),
        });
    }
    let (base, driver) = match scheme.split_once('+') {
        Some((base, driver)) => (base, Some(driver)),
        None => (scheme, None),
    };
    if let Some((engine, _)) = known().chain(adapters()).find(|(_, s)| *s == base) {
        let drivers = engine.spec.drivers;
        let meant = match driver {
            Some(driver) if !drivers.contains(&driver) => {
                nearest(driver, drivers.iter().copied()).or(drivers.first().copied())
            }
            _ => None,
        };
        return Some(match meant {
            None => Recognised {
                engine,
                by: EngineBy::Text,
                draft: engine.strings.read(text, line),
            },
            Some(meant) => misspelt(text, scheme, &format!("{base}+{meant}"), engine, line),
        });
    }
    let low = base.to_ascii_lowercase();
    if is_foreign(&low) {
        return None;
    }
    let near = nearest(&low, known().chain(adapters()).map(|(_, s)| s));
    let engine = match (near, asked) {
        (Some(near), _) => known().chain(adapters()).find(|(_, s)| *s == near)?.0,
        (None, Some(id)) => by_id(id),
        (None, None) => return None,
    };
    let mut meant = match near {
        Some(near) if known().any(|(_, s)| s == near) => near,
        _ => engine.spec.schemes.first().copied().unwrap_or_default(),
    }
    .to_owned();
    if let Some(driver) = driver.filter(|d| engine.spec.drivers.contains(d)) {
        meant = format!("{meant}+{driver}");
    }
    Some(misspelt(text, scheme, &meant, engine, line))
}

/// `jdbc:NAME:…`. A JDBC driver takes its own name only, not the other schemes of its
/// engine.
fn by_jdbc_name(text: &str, name: &str, line: Option<u32>) -> Result<Recognised, NotATarget> {
    let own = |e: &&&'static Engine| e.spec.jdbc_names.contains(&name);
    if let Some(engine) = engines().iter().find(own) {
        let draft = engine.strings.read(text, line);
        return Ok(Recognised {
            engine,
            by: EngineBy::Text,
            draft,
        });
    }
    let names = engines()
        .iter()
        .flat_map(|e| e.spec.schemes.iter().chain(e.spec.jdbc_names).copied());
    let near = nearest(&name.to_ascii_lowercase(), names);
    let engine = near.and_then(|near| {
        let of_it = |e: &&&'static Engine| {
            e.spec.jdbc_names.contains(&near) || e.spec.schemes.contains(&near)
        };
        engines().iter().find(of_it)
    });
    match engine {
        Some(engine) => {
            let scheme = format!("jdbc:{name}");
            let names = engine.spec.jdbc_names;
            let own = names.iter().find(|n| Some(**n) == near).or(names.first());
            let meant = format!("jdbc:{}", own.copied().unwrap_or_default());
            Ok(misspelt(text, &scheme, &meant, engine, line))
        }
        None => {
            let scheme = format!("jdbc:{name}");
            Err(NotATarget::SchemeFarOff(scheme_shown(&scheme)))
        }
    }
}

/// Reads a text as if its scheme were spelt right, and notes that it is not.
fn misspelt(
    text: &str,
    scheme: &str,
    meant: &str,
    engine: &'static Engine,
    line: Option<u32>,
) -> Recognised {
    let from = text.find(scheme).unwrap_or(0);
    let rest = text.get(from + scheme.len()..).unwrap_or_default();
    let mut draft = engine.strings.read(&format!("{meant}{rest}"), line);
    // Only what is so near to a known word that it can be nothing else.
    let near = shown::is_slip_of(&scheme.to_ascii_lowercase(), [meant]) || is_scheme(scheme);
    let typed = match near {
        true => scheme.to_owned(),
        false => "…".to_owned(),
    };
    let behind = draft.shown.strip_prefix(meant).unwrap_or("://…");
    let defect = Defect {
        kind: DefectKind::SchemeUnknown,
        subject: Field::SCHEME,
        stops: true,
        text: match near {
            true => format!("the scheme \"{scheme}\" is not known"),
            false => format!("{} is not known", scheme_shown(scheme)),
        },
        expected: if meant.starts_with("jdbc:") {
            format!("{meant}:")
        } else {
            format!("{meant}://")
        },
        place: Some(Excerpt::new(&format!("{typed}{behind}"), Vec::new()).mark(0..typed.len())),
        mended: Some(draft.shown.clone()),
    };
    draft.defects.insert(0, defect);
    Recognised {
        engine,
        by: EngineBy::Text,
        draft,
    }
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
    if !shown::is_host(host) {
        return Err("the host before the colon is not a host name or address");
    }
    let port = port
        .parse::<u16>()
        .ok()
        .filter(|p| *p > 0)
        .ok_or("the port is not a number from 1 to 65535")?;
    Ok((host, port))
}

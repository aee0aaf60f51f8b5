//! From what is asked for to drafts: what the text or the file says, each value with its
//! place, before any client's own rules fill the gaps.

use std::path::Path;
use std::rc::Rc;

use chronaxis_engines::{Draft, Engine, EngineBy, NotATarget, recognise};
use chronaxis_model::target::EngineId;
use chronaxis_readers::Connection;

use super::bundle_alias;
use super::bundled::Material;
use super::reading::{self, Read};
use super::request::Request;
use super::typed::Typed;
use crate::client_environment::Environment;
use crate::error::Failure;

/// A connection that was described, and by what.
pub(crate) struct Described {
    pub(crate) by: DescribedBy,
    /// Whether the variables of this process count for it.
    pub(crate) environment: Environment,
    /// The name under which it is shown, where its own is not enough.
    pub(crate) label: Option<String>,
    /// What its bundle gives it.
    pub(crate) material: Option<Rc<Material>>,
}

/// What describes it.
pub(crate) enum DescribedBy {
    /// A connection string.
    Text {
        typed: Typed,
        draft: Box<Draft>,
        engine: &'static Engine,
        engine_by: EngineBy,
    },
    /// A connection of files.
    File {
        read: Rc<Read>,
        index: usize,
        /// The words that name it again.
        word: String,
    },
    /// A connection of the environment.
    Environment {
        read: Rc<Read>,
        index: usize,
        name: Option<Typed>,
    },
}

impl Described {
    /// The connection, where files or the environment describe it.
    pub(crate) fn connection(&self) -> Option<&Connection> {
        match &self.by {
            DescribedBy::Text { .. } => None,
            DescribedBy::File { read, index, .. }
            | DescribedBy::Environment { read, index, .. } => read.report.connections.get(*index),
        }
    }
}

/// The drafts of a request: one, or all of a folder.
pub(crate) fn of(
    request: &Request,
    engine: Option<EngineId>,
    number: usize,
    passphrase_file: Option<&Path>,
) -> Result<Vec<Described>, Failure> {
    if let Request::File(typed) | Request::Folder(typed) = request
        && let Some(alias) = bundle_alias::of_alias(typed, passphrase_file, engine, number)
    {
        return alias.map(|one| vec![one]);
    }
    match request {
        Request::Text { typed, line } => text(typed, *line, engine, number).map(|one| vec![one]),
        Request::File(typed) => file(typed).map(|one| vec![one]),
        Request::Folder(typed) => folder(typed),
        Request::Environment(name) => environment(name.as_ref()).map(|one| vec![one]),
    }
}

fn text(
    typed: &Typed,
    line: Option<u32>,
    engine: Option<EngineId>,
    number: usize,
) -> Result<Described, Failure> {
    let text = typed.expose();
    let (read, untold) = match recognise(text, line, engine) {
        // A place of which nothing says what it is: whoever answers there is asked.
        Err(NotATarget::EngineUnsaid(place)) if is_plainly_a_place(&place) => {
            (recognise(text, line, Some(chronaxis_engines::TCP)), true)
        }
        read => (read, false),
    };
    let read = read.map_err(|cause| Failure::Target { number, cause })?;
    Ok(Described {
        by: DescribedBy::Text {
            typed: typed.clone(),
            draft: Box::new(read.draft),
            engine: read.engine,
            engine_by: if untold { EngineBy::Nothing } else { read.by },
        },
        environment: Environment::Counts,
        label: None,
        material: None,
    })
}

/// Whether a place cannot be a user and a number that is the password: its host has a dot,
/// is an address, or is this machine.
fn is_plainly_a_place(place: &str) -> bool {
    let host = place.rsplit_once(':').map_or("", |(host, _)| host);
    host.contains(['.', ':']) || host == "localhost"
}

/// What a file describes, with what its neighbours show.
fn file(typed: &Typed) -> Result<Described, Failure> {
    let (path, name) = reading::split(typed.expose());
    let is_folder = Path::new(path).is_dir();
    let read = match is_folder {
        true => reading::read_folder(Path::new(path))?,
        false => reading::read_with_neighbours(Path::new(path))?,
    };
    let (index, _) = reading::chosen(&read.report, path, name)?;
    Ok(Described {
        by: DescribedBy::File {
            read: Rc::new(read),
            index,
            word: typed.expose().to_owned(),
        },
        environment: match is_folder {
            true => Environment::LeftOut,
            false => Environment::Counts,
        },
        label: None,
        material: None,
    })
}

/// All connections of a folder; a single one too.
fn folder(typed: &Typed) -> Result<Vec<Described>, Failure> {
    let folder = typed.expose();
    let read = Rc::new(reading::read_folder(Path::new(folder))?);
    let mut chosen = reading::all_of(&read.report);
    if chosen.is_empty() {
        chosen = vec![reading::chosen(&read.report, folder, None)?.0];
    }
    let several = chosen.len() > 1;
    let described = |index: usize| {
        let connection = read.report.connections.get(index);
        let label = connection.map_or_else(String::new, |c| format!("{}#{}", c.file, c.name));
        // What is typed again is the folder: its files may outrank one another.
        let word = match several {
            true => format!("{folder}#{}", reading::called(&read.report, index, folder)),
            false => folder.to_owned(),
        };
        Described {
            label: (several && !label.is_empty()).then_some(label),
            by: DescribedBy::File {
                read: read.clone(),
                index,
                word,
            },
            environment: Environment::LeftOut,
            material: None,
        }
    };
    Ok(chosen.into_iter().map(described).collect())
}

fn environment(name: Option<&Typed>) -> Result<Described, Failure> {
    let read = reading::environment();
    let (index, _) = reading::chosen(&read.report, "the environment", name.map(Typed::expose))?;
    Ok(Described {
        by: DescribedBy::Environment {
            read: Rc::new(read),
            index,
            name: name.cloned(),
        },
        environment: Environment::Counts,
        label: None,
        material: None,
    })
}

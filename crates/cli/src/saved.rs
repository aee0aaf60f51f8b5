//! `--save`: the cases in a file, one a line. Written without a name, then beside the file,
//! then renamed: nobody ever sees half a case, and whoever interrupts finds nothing left.

use std::fs::{File, Permissions};
use std::io::{self, Seek as _, Write as _};
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};

use chronaxis_diagnosis::case::Case;
use chronaxis_model::document::to_json;
use tempfile::NamedTempFile;
use tokio::runtime::Runtime;
use tokio::signal::unix::{Signal, SignalKind, signal};

use crate::error::Failure;
use crate::input;

/// Largest file of cases that is replaced; its beginning tells what it is.
const LONGEST_CASE: u64 = 512 * 1024 * 1024;

/// Links that are followed to the file.
const MOST_LINKS: usize = 16;

/// A file that is being written.
pub(crate) struct Saved {
    /// As it was named.
    path: PathBuf,
    /// What the name leads to.
    to: PathBuf,
    mode: Option<u32>,
    cases: Option<File>,
}

impl Saved {
    /// Begins, unless what stands there is no case.
    pub(crate) fn at(path: &Path) -> Result<Saved, Failure> {
        let to = followed(path);
        let mode = may_replace(&to).map_err(|refused| match refused {
            Refused::NoCase => Failure::WouldOverwrite(path.to_owned()),
            Refused::Unread(cause) => Failure::File {
                path: path.to_owned(),
                cause,
            },
        })?;
        Ok(Saved {
            path: path.to_owned(),
            to,
            mode,
            cases: None,
        })
    }

    fn failed(&self, cause: io::Error) -> Failure {
        Failure::File {
            path: self.path.clone(),
            cause,
        }
    }

    /// Adds a case.
    pub(crate) fn add(&mut self, case: &Case) -> Result<(), Failure> {
        let text = to_json(case, true).map_err(|e| self.failed(e.into()))?;
        let mut cases = match self.cases.take() {
            Some(cases) => cases,
            None => tempfile::tempfile_in(self.folder()).map_err(|e| self.failed(e))?,
        };
        writeln!(cases, "{text}").map_err(|e| self.failed(e))?;
        self.cases = Some(cases);
        Ok(())
    }

    fn folder(&self) -> &Path {
        match self.to.parent() {
            Some(folder) if !folder.as_os_str().is_empty() => folder,
            _ => Path::new("."),
        }
    }

    /// Puts it in its place. From here on the usual signals wait for that.
    pub(crate) fn keep(mut self, runtime: &Runtime) -> Result<(), Failure> {
        let Some(cases) = self.cases.take() else {
            return Ok(());
        };
        let _uninterrupted = uninterrupted(runtime);
        self.put(cases).map_err(|e| self.failed(e))
    }

    fn put(&self, mut cases: File) -> io::Result<()> {
        cases.rewind()?;
        let mut beside = NamedTempFile::new_in(self.folder())?;
        io::copy(&mut cases, &mut beside)?;
        if let Some(mode) = self.mode {
            beside
                .as_file()
                .set_permissions(Permissions::from_mode(mode))?;
        }
        beside.persist(&self.to)?;
        Ok(())
    }
}

/// Takes the signals that would end the program between writing and renaming.
fn uninterrupted(runtime: &Runtime) -> Vec<Signal> {
    let _inside = runtime.enter();
    let kinds = [
        SignalKind::interrupt(),
        SignalKind::terminate(),
        SignalKind::hangup(),
    ];
    kinds
        .into_iter()
        .filter_map(|kind| signal(kind).ok())
        .collect()
}

/// What a path leads to through links, whether that is there or not.
fn followed(path: &Path) -> PathBuf {
    let mut at = path.to_owned();
    for _ in 0..MOST_LINKS {
        let Ok(next) = std::fs::read_link(&at) else {
            break;
        };
        at = match at.parent() {
            Some(folder) => folder.join(next),
            None => next,
        };
    }
    at
}

enum Refused {
    NoCase,
    Unread(io::Error),
}

/// The mode of the file that is to be replaced; none where there is none.
fn may_replace(path: &Path) -> Result<Option<u32>, Refused> {
    let meta = match std::fs::metadata(path) {
        Ok(meta) => meta,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(Refused::Unread(error)),
    };
    if !meta.is_file() {
        return Err(Refused::NoCase);
    }
    if meta.len() > LONGEST_CASE {
        return Err(Refused::NoCase);
    }
    let bytes = input::whole(path, LONGEST_CASE).map_err(Refused::Unread)?;
    let text = String::from_utf8(bytes).map_err(|_| Refused::NoCase)?;
    let first = text.lines().next().unwrap_or_default();
    let holds_case = Case::read(first).is_ok() || Case::read(&text).is_ok();
    match holds_case {
        true => Ok(Some(meta.permissions().mode() & 0o7777)),
        false => Err(Refused::NoCase),
    }
}

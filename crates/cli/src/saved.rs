//! `--save`: the cases in a file, one a line. Written beside it, then renamed: nobody ever
//! sees half a case.

use std::io::Write as _;
use std::path::{Path, PathBuf};

use chronaxis_core::case::Case;
use tempfile::NamedTempFile;

use crate::error::Failure;

/// A file that is being written.
pub(crate) struct Saved {
    path: PathBuf,
    beside: Option<NamedTempFile>,
}

impl Saved {
    /// Begins, unless what stands there is no case.
    pub(crate) fn at(path: &Path) -> Result<Saved, Failure> {
        may_replace(path)?;
        Ok(Saved {
            path: path.to_owned(),
            beside: None,
        })
    }

    fn failed(&self, cause: std::io::Error) -> Failure {
        Failure::File {
            path: self.path.clone(),
            cause,
        }
    }

    /// Adds a case.
    pub(crate) fn add(&mut self, case: &Case) -> Result<(), Failure> {
        let text = serde_json::to_string(case).map_err(|e| self.failed(e.into()))?;
        let mut beside = match self.beside.take() {
            Some(beside) => beside,
            None => self.begin().map_err(|e| self.failed(e))?,
        };
        writeln!(beside, "{text}").map_err(|e| self.failed(e))?;
        self.beside = Some(beside);
        Ok(())
    }

    fn begin(&self) -> std::io::Result<NamedTempFile> {
        let folder = match self.path.parent() {
            Some(folder) if !folder.as_os_str().is_empty() => folder,
            _ => Path::new("."),
        };
        NamedTempFile::new_in(folder)
    }

    /// Puts it in its place.
    pub(crate) fn keep(mut self) -> Result<(), Failure> {
        let Some(beside) = self.beside.take() else {
            return Ok(());
        };
        match beside.persist(&self.path) {
            Ok(_) => Ok(()),
            Err(e) => Err(self.failed(e.error)),
        }
    }
}

fn may_replace(path: &Path) -> Result<(), Failure> {
    let text = match std::fs::read_to_string(path) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(()),
        Err(error) if error.kind() == std::io::ErrorKind::InvalidData => {
            return Err(Failure::WouldOverwrite(path.to_owned()));
        }
        Err(cause) => {
            return Err(Failure::File {
                path: path.to_owned(),
                cause,
            });
        }
    };
    let first = text.lines().next().unwrap_or_default();
    let holds_case = Case::read(&text).is_ok() || Case::read(first).is_ok();
    if holds_case {
        Ok(())
    } else {
        Err(Failure::WouldOverwrite(path.to_owned()))
    }
}

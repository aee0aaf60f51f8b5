//! What is asked for: the targets of the arguments, of lists, of standard input, of the
//! environment.

use std::path::Path;

use super::reading;
use super::typed::Typed;
use crate::args::Diagnose;
use crate::echo;
use crate::error::Failure;
use crate::input;

/// Longest list of targets.
const LONGEST_LIST: u64 = 16 * 1024 * 1024;

/// One thing that is asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Request {
    /// A text, and its line where it stands in a list.
    Text { typed: Typed, line: Option<u32> },
    /// A settings file, and perhaps the connection's name behind it.
    File(Typed),
    /// A folder, all its connections.
    Folder(Typed),
    /// The variables of this process, and perhaps a name.
    Environment(Option<Typed>),
}

/// Refuses what contradicts itself, before anything is read.
pub(crate) fn check(args: &Diagnose) -> Result<(), Failure> {
    let from_stdin = args.targets.iter().any(|t| t.expose() == "-");
    match from_stdin && args.password_stdin {
        true => Err(Failure::StdinTwice),
        false => Ok(()),
    }
}

/// All that is asked for, in its order.
pub(crate) fn all(args: &Diagnose) -> Result<Vec<Request>, Failure> {
    let mut out = Vec::new();
    for typed in &args.targets {
        match typed.expose() {
            "-" => out.extend(list_on_stdin()?),
            _ => out.push(of(typed.clone(), None)),
        }
    }
    for path in &args.targets_file {
        out.extend(list_in(path)?);
    }
    if let Some(name) = &args.environment {
        let named = Some(name).filter(|name| !name.expose().is_empty());
        out.push(Request::Environment(named.cloned()));
    }
    Ok(out)
}

/// What a text asks for.
fn of(typed: Typed, line: Option<u32>) -> Request {
    if Path::new(typed.expose()).is_dir() {
        Request::Folder(typed)
    } else if reading::is_path(typed.expose()) {
        Request::File(typed)
    } else {
        Request::Text { typed, line }
    }
}

/// The targets that a file lists.
fn list_in(path: &Path) -> Result<Vec<Request>, Failure> {
    let read = input::whole(path, LONGEST_LIST);
    let bytes = read.map_err(|cause| Failure::File {
        path: path.to_owned(),
        cause,
    })?;
    list(&echo::path(path), bytes)
}

/// The targets that standard input lists.
fn list_on_stdin() -> Result<Vec<Request>, Failure> {
    let bytes = input::bounded(std::io::stdin(), LONGEST_LIST).map_err(Failure::Stdin)?;
    list("standard input", bytes)
}

/// The lines of a list that hold something, with their numbers. The line end goes; a space
/// before it is the target's own. A line that begins with `#` is a remark.
fn list(name: &str, bytes: Vec<u8>) -> Result<Vec<Request>, Failure> {
    let text = String::from_utf8(bytes).map_err(|_| Failure::NotUtf8(name.to_owned()))?;
    let lines: Vec<_> = (1u32..)
        .zip(text.lines())
        .filter(|(_, line)| !line.trim().is_empty() && !line.trim_start().starts_with('#'))
        .map(|(number, line)| of(line.into(), Some(number)))
        .collect();
    if lines.is_empty() {
        return Err(Failure::ListEmpty(name.to_owned()));
    }
    Ok(lines)
}

//! What stands around a target: environment, files, account, machine. Read here, judged
//! in the core.

use std::env::VarError;
use std::fs;
use std::io::Read as _;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::Path;
use std::sync::OnceLock;

use chronaxis_diagnosis::case::Vantage;
use chronaxis_engines::{ClientEnvironment, Draft, Engine, FileSeen, FileWanted, Holds, Seed};
use chronaxis_model::secret::Secret;
use chronaxis_model::sourced::{Origin, Sourced};
use nix::unistd::{User, geteuid};
use tokio::runtime::{Builder, Runtime};
use zeroize::Zeroizing;

use crate::args::Diagnose;
use crate::bundles;
use crate::certificate_text;
use crate::error::Failure;
use crate::input;

/// The variable of our own that may hold the password.
const PASSWORD_VARIABLE: &str = "CHRONAXIS_PASSWORD";

/// Longest password file that is read.
const LONGEST_FILE: u64 = 2 * 1024 * 1024;

/// What the options of the command say, and the password of its options.
pub(crate) fn from_options(args: &Diagnose) -> Result<ClientEnvironment, Failure> {
    let mut around = ClientEnvironment::default();
    for (name, option, value) in [
        ("user", "--user", &args.user),
        ("database", "--database", &args.database),
    ] {
        if let Some(value) = value {
            let origin = Origin::Argument {
                name: option.to_owned(),
            };
            around
                .options
                .insert(name, Sourced::new(value.clone(), origin));
        }
    }
    if let Some(path) = &args.ca {
        // Asked for here by name: that it cannot be read is no finding about the target.
        input::whole(path, LONGEST_FILE).map_err(|cause| Failure::File {
            path: path.clone(),
            cause,
        })?;
        let origin = Origin::Argument {
            name: "--ca".to_owned(),
        };
        let path = path.to_string_lossy().into_owned();
        around.options.insert("ca", Sourced::new(path, origin));
    }
    around.option_secret = secret_of_options(args)?;
    around.passphrase = bundles::passphrase(args.passphrase_file.as_deref())?;
    Ok(around)
}

fn secret_of_options(args: &Diagnose) -> Result<Option<Sourced<Secret>>, Failure> {
    let (name, bytes) = if args.password_stdin {
        let bytes = input::bounded(std::io::stdin(), LONGEST_FILE).map_err(Failure::Stdin)?;
        ("--password-stdin", bytes)
    } else if let Some(path) = &args.password_file {
        let bytes = input::whole(path, LONGEST_FILE).map_err(|cause| Failure::File {
            path: path.clone(),
            cause,
        })?;
        ("--password-file", bytes)
    } else {
        return Ok(None);
    };
    let text = String::from_utf8(bytes).map_err(|_| Failure::NotUtf8(name.to_owned()))?;
    let bare = text.strip_suffix('\n').unwrap_or(&text);
    let bare = bare
        .strip_suffix('\r')
        .filter(|_| bare.len() < text.len())
        .unwrap_or(bare);
    let origin = Origin::Argument {
        name: name.to_owned(),
    };
    Ok(Some(Sourced::new(Secret::new(bare), origin)))
}

/// Whether the variables of this process count.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Environment {
    /// They do: what is walked is what a client started here would do.
    Counts,
    /// They do not: the settings are somebody else's.
    LeftOut,
}

/// Adds what this machine knows, for one engine and draft.
pub(crate) fn of_machine(
    mut around: ClientEnvironment,
    engine: &Engine,
    draft: &Draft,
    environment: Environment,
) -> Result<ClientEnvironment, Failure> {
    let counts = environment == Environment::Counts;
    for name in engine.spec.variables.iter().filter(|_| counts) {
        if let Some(value) = variable(name)? {
            around.variables.insert((*name).to_owned(), value);
        }
    }
    let password = variable(PASSWORD_VARIABLE)?.filter(|_| counts);
    around.variable_secret = password.map(|text| {
        let origin = Origin::Variable {
            name: PASSWORD_VARIABLE.to_owned(),
        };
        Sourced::new(Secret::new(text), origin)
    });
    around.belongs = Some(chronaxis_tls::belongs);
    let account = own_account();
    around.home = std::env::var("HOME")
        .ok()
        .filter(|h| !h.is_empty())
        .or_else(|| Some(account.as_ref()?.dir.to_str()?.to_owned()));
    around.os_user = account.as_ref().map(|a| a.name.clone());
    let folders = engine.spec.socket_folders;
    let there = folders.iter().find(|folder| Path::new(folder).is_dir());
    around.socket_folder = there.map_or("/tmp", |folder| folder).to_owned();
    // A file may name another one: ask again until nothing new is wanted.
    loop {
        let wanted = engine.strings.files(draft, &around);
        let new: Vec<&FileWanted> = wanted
            .iter()
            .filter(|w| !around.files_wanted.contains(w))
            .collect();
        if new.is_empty() {
            around.files_wanted = wanted;
            break;
        }
        let seen: Vec<FileSeen> = {
            let spare = around.passphrase.as_ref();
            new.into_iter().flat_map(|one| read(one, spare)).collect()
        };
        around.files.extend(seen);
        around.files_wanted.extend(wanted);
    }
    Ok(around)
}

/// The account under which the program runs, asked of the system once.
fn own_account() -> Option<&'static User> {
    static ACCOUNT: OnceLock<Option<User>> = OnceLock::new();
    ACCOUNT
        .get_or_init(|| User::from_uid(geteuid()).ok().flatten())
        .as_ref()
}

/// An environment variable, which must be text.
fn variable(name: &str) -> Result<Option<String>, Failure> {
    match std::env::var(name) {
        Ok(value) => Ok(Some(value)),
        Err(VarError::NotPresent) => Ok(None),
        Err(VarError::NotUnicode(_)) => Err(Failure::NotUtf8(format!("the variable {name}"))),
    }
}

/// Most files of one folder that are read.
const MOST_FILES: usize = 256;

/// What there is of something that a client would read: a file, or the files of a folder,
/// in the order of their names.
fn read(wanted: &FileWanted, spare: Option<&Secret>) -> Vec<FileSeen> {
    if !wanted.folder {
        return read_file(wanted, spare).into_iter().collect();
    }
    let Ok(entries) = fs::read_dir(&wanted.path) else {
        return Vec::new();
    };
    let mut paths: Vec<String> = entries
        .filter_map(|entry| Some(entry.ok()?.path().to_str()?.to_owned()))
        .take(MOST_FILES)
        .collect();
    paths.sort();
    let inside = paths.into_iter().map(|path| FileWanted {
        private: wanted.private,
        ..FileWanted::words(path)
    });
    inside.filter_map(|one| read_file(&one, spare)).collect()
}

/// A file that a client would read, if it is there and can be read. Only regular files are
/// opened: a pipe or device could hold us up, or change. `spare` is the passphrase that the
/// command was given, for keys of which the settings say none.
pub(crate) fn read_file(wanted: &FileWanted, spare: Option<&Secret>) -> Option<FileSeen> {
    let path = &wanted.path;
    let found = fs::metadata(path).ok()?;
    let regular = found.is_file();
    let mode = found.permissions().mode();
    let closed = !wanted.private || mode & 0o077 == 0;
    let seen = if regular && closed && found.size() <= LONGEST_FILE {
        let bytes = Zeroizing::new(fs::read(path).ok()?);
        match &wanted.holds {
            Holds::Words => FileSeen {
                text: String::from_utf8_lossy(&bytes).into_owned().into(),
                ..FileSeen::default()
            },
            Holds::Certificates(passphrase) => {
                certificate_text::seen(&bytes, passphrase.as_ref().or(spare))
            }
        }
    } else {
        FileSeen::default()
    };
    Some(FileSeen {
        path: path.clone(),
        mode,
        regular,
        root_owned: found.uid() == 0,
        ..seen
    })
}

/// The name of the account under which the program runs.
fn account() -> String {
    User::from_uid(geteuid())
        .ok()
        .flatten()
        .map_or_else(|| geteuid().to_string(), |a| a.name)
}

/// This machine's name.
fn machine() -> String {
    nix::unistd::gethostname()
        .ok()
        .and_then(|name| name.into_string().ok())
        .unwrap_or_else(|| "this machine".to_owned())
}

/// Random bytes, of which everything random in a walk is made.
pub(crate) fn seed() -> Result<Seed, Failure> {
    let mut seed = [0u8; 32];
    fs::File::open("/dev/urandom")
        .and_then(|mut file| file.read_exact(&mut seed))
        .map_err(Failure::Random)?;
    Ok(Seed::new(seed))
}

/// Where and when a run begins.
pub(crate) fn vantage() -> Vantage {
    Vantage {
        host: machine(),
        user: account(),
        started: now(),
        ..Vantage::default()
    }
}

/// The time: RFC 3339, UTC.
pub(crate) fn now() -> String {
    format!("{:.3}", jiff::Timestamp::now())
}

/// Descriptors that the runtime opens for itself.
const RUNTIME_FILES: usize = 7;

/// What drives the sockets of a run.
pub(crate) fn runtime() -> Result<Runtime, Failure> {
    // The runtime panics where the machine has no descriptors left for its own pipes: ask
    // for as many as it needs, and say so instead.
    let spare: Result<Vec<fs::File>, _> = (0..RUNTIME_FILES)
        .map(|_| fs::File::open("/dev/null"))
        .collect();
    spare.map_err(Failure::Runtime)?;
    Builder::new_current_thread()
        .enable_io()
        .enable_time()
        .build()
        .map_err(Failure::Runtime)
}

//! What went wrong with the use of the program, and with which status it ends: decided
//! here and nowhere else.

use std::io::{self, Write as _};
use std::path::PathBuf;
use std::process::ExitCode;

use chronaxis_engines::{NotATarget, NotFollowed, NotWritten};
use chronaxis_model::invariant;
use chronaxis_model::redact::visible;
use chronaxis_model::shown;

use crate::echo;
use crate::hints;

/// Wrong use, or input that cannot be read.
pub(crate) const USAGE: u8 = 2;

/// A defect of this program.
pub(crate) const DEFECT: u8 = 70;

/// Why a command could not do its work.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    #[error("target {number}: {cause}")]
    Target { number: usize, cause: NotATarget },
    #[error("target {number}: {cause}")]
    NotFollowed { number: usize, cause: NotFollowed },
    #[error(
        "--engine {0}: not a known engine; expected postgresql, mysql (MariaDB too), tds, mongodb, directory, tcp or tls"
    )]
    Engine(String),
    #[error(
        "the target - and --password-stdin both need standard input; put the password into a file (--password-file) or into CHRONAXIS_PASSWORD"
    )]
    StdinTwice,
    #[error(
        "--admin cannot be read from standard input; name a file (FILE or FILE#NAME), or write a target whose password is in the client's password file"
    )]
    AdminFromStdin,
    #[error("--admin describes {0} connections; name one of them, as FILE#NAME")]
    AdminIsSeveral(usize),
    #[error("{option}: {cause}")]
    OptionsTarget {
        option: &'static str,
        cause: NotATarget,
    },
    #[error("{path}: no line of this password file is for this host, port, database and user")]
    NoLineForIt { path: String },
    #[error("--reference must name a settings file, as FILE or FILE#NAME")]
    ReferenceNoFile,
    #[error(
        "--admin: {0} has no accounts that a second target could look up; expected a target of PostgreSQL, MySQL or MariaDB"
    )]
    AdminOfEngine(&'static str),
    #[error("--reference describes {0} connections; name one of them, as FILE#NAME")]
    ReferenceIsSeveral(usize),
    #[error("{0} is for one target, and there are {1}; give one target")]
    ForOneTarget(&'static str, usize),
    #[error("--dry-run can print text and JSON only; use --output text or json")]
    DryRunForm,
    #[error("standard input: {0}")]
    Stdin(#[source] io::Error),
    #[error("{0} contains no target; expected one per line")]
    ListEmpty(String),
    #[error(
        "--resolver {0}: not an address; expected one like 192.0.2.53, 192.0.2.53:5353 or [2001:db8::53]:53"
    )]
    Resolver(String),
    #[error("{path}: {cause}", path = echo::path(.path))]
    File { path: PathBuf, cause: io::Error },
    #[error("--for describes no connection, or several; name one, for example FILE#NAME")]
    SeveralForBundle,
    #[error("{path}: {why}", path = echo::path(.path))]
    Unpack { path: PathBuf, why: String },
    #[error("{0}: not UTF-8 text; expected UTF-8")]
    NotUtf8(String),
    #[error("--save {path}: the file exists but is not a saved case, so it was not overwritten. Choose another file", path = echo::path(.0))]
    WouldOverwrite(PathBuf),
    #[error("{path}: no connection is described there{why}")]
    NoConnection { path: String, why: String },
    #[error("{path}: there is no connection called \"{name}\"; there {are}", are = listed(.names))]
    NoSuchConnection {
        path: String,
        name: String,
        names: Vec<String>,
    },
    #[error("{path}: several connections are described there; name one, for example {first}. There {are}", first = pasteable(path, .names), are = listed(.names))]
    SeveralConnections { path: String, names: Vec<String> },
    #[error("{path}: the engine of \"{name}\" is not given there; add --engine")]
    EngineUntold { path: String, name: String },
    #[error("{name}: {cause}")]
    NotWritten { name: String, cause: NotWritten },
    #[error("there is no cause called \"{id}\"{hint}")]
    NoSuchCause { id: String, hint: String },
    #[error("there is no scene called \"{id}\"{hint}")]
    NoSuchScene { id: String, hint: String },
    #[error(
        "the scene \"{0}\" exists in the simulated network only, so it has no live target; chronaxis demo runs it"
    )]
    SimulatedScene(&'static str),
    #[error("the directory file {path}: {why}")]
    Directory { path: String, why: String },
    #[error("the scene \"{id}\": {cause}")]
    Scene { id: &'static str, cause: String },
    #[error("--output csv is for --matrix and --between; use --output text or json")]
    CsvForm,
    #[error("--between: {0}")]
    NotCompared(chronaxis_readers::allowlist::between::NotCompared),
    #[error("{option} {value}: {expected}")]
    Address {
        option: &'static str,
        value: String,
        expected: &'static str,
    },
    #[error("{place}: {what}; expected {expected}")]
    List {
        place: String,
        what: String,
        expected: String,
    },
    #[error("the system returned no random bytes: {0}")]
    Random(#[source] io::Error),
    #[error("the runtime could not be started: {0}")]
    Runtime(#[source] io::Error),
    #[error("standard output: {0}")]
    Output(#[from] io::Error),
}

/// A connection of a file, as a shell takes it: a number sign inside a word has no meaning.
fn pasteable(path: &str, names: &[String]) -> String {
    let word = format!("{path}#{}", names.first().map_or("", String::as_str));
    let plain = word.replace('#', "");
    match chronaxis_model::shell::quoted(&plain) == plain {
        true => word,
        false => chronaxis_model::shell::quoted(&word),
    }
}

/// `are a, b and c`, for messages.
fn listed(names: &[String]) -> String {
    const MOST: usize = 12;
    let title = |name: &String| match shown::is_title(name) || is_place_in_file(name) {
        true => visible(name),
        false => shown::hidden(name),
    };
    let shown: Vec<String> = names.iter().take(MOST).map(title).collect();
    let more = match names.len().saturating_sub(MOST) {
        0 => String::new(),
        n => format!(" and {n} more"),
    };
    match names.len() {
        0 => "is none".to_owned(),
        1 => format!("is {}", shown.join("")),
        _ => format!("are {}{more}", shown.join(", ")),
    }
}

/// `FILE#NAME`, or `NAME (FILE)`.
fn is_place_in_file(name: &str) -> bool {
    let (file, title) = match name.split_once('#') {
        Some(both) => both,
        None => match name.strip_suffix(')').and_then(|n| n.split_once(" (")) {
            Some((title, file)) => (file, title),
            None => return false,
        },
    };
    shown::is_path(file) && shown::is_title(title)
}

/// Ends the program: a status from a command that worked, or a message.
pub(crate) fn conclude(done: Result<u8, Failure>) -> ExitCode {
    match done {
        Ok(_) if let Some(broken) = invariant::broken() => {
            let place = broken.place;
            say(&format!(
                "this is a bug in chronaxis at {}:{}: it should hold that {}. Do not rely on the result above",
                place.file(),
                place.line(),
                broken.what
            ));
            ExitCode::from(DEFECT)
        }
        Ok(status) => {
            // A reader that went away has seen enough; a full disk is worth a word. Neither
            // changes what was found.
            if let Some(trouble) = crate::render::trouble() {
                say(&format!("standard output: {trouble}"));
            }
            ExitCode::from(status)
        }
        Err(failure) => {
            say(&failure.to_string());
            ExitCode::from(USAGE)
        }
    }
}

/// Shows what the argument parser refused. It repeats what was typed, which may be a
/// connection string in the wrong place: secrets are masked.
pub(crate) fn report_usage(refused: &clap::Error) -> ExitCode {
    use clap::error::ErrorKind;
    let asked_for = matches!(
        refused.kind(),
        ErrorKind::DisplayHelp | ErrorKind::DisplayVersion
    );
    if asked_for {
        let _ = refused.print();
        return ExitCode::SUCCESS;
    }
    if refused.kind() == ErrorKind::InvalidSubcommand && looks_like_a_target(refused) {
        say("a command is missing before the target; expected chronaxis diagnose TARGET");
        return ExitCode::from(USAGE);
    }
    let unknown = refused.get(clap::error::ContextKind::InvalidArg);
    if refused.kind() == ErrorKind::UnknownArgument
        && let Some(typed) = unknown.map(ToString::to_string)
        && let Some(instead) = hints::instead_of(&typed)
    {
        let name = typed.split(['=', ' ']).next().unwrap_or_default();
        say(&format!("there is no option {name}; {instead}"));
        return ExitCode::from(USAGE);
    }
    let text = refused.render().to_string();
    let lines: Vec<String> = text.lines().map(visible).collect();
    let text = lines.join("\n");
    say(text.strip_prefix("error: ").unwrap_or(&text));
    ExitCode::from(USAGE)
}

/// Whether what stands in the command's place has the signs of a connection string. It is
/// not repeated then: it may hold a secret in a form that no masking foresees.
fn looks_like_a_target(refused: &clap::Error) -> bool {
    let typed = refused.get(clap::error::ContextKind::InvalidSubcommand);
    typed.is_some_and(|word| word.to_string().contains(['=', '/', '@', ':', ' ']))
}

/// From now on a panic ends the program with its own status, and says where, not what: the
/// message could hold anything.
pub(crate) fn install_defect_hook() {
    std::panic::set_hook(Box::new(|info| {
        let place = info
            .location()
            .map_or_else(String::new, |l| format!(" at {}:{}", l.file(), l.line()));
        say(&format!(
            "this is a bug in chronaxis{place}; it says nothing about the target"
        ));
        std::process::exit(i32::from(DEFECT));
    }));
}

/// Says something on standard error, without what was typed and may be a secret. Where
/// nobody can hear it, nothing is lost but the words.
fn say(text: &str) {
    let text = echo::without_arguments(text, std::env::args_os().skip(1));
    let _ = writeln!(io::stderr(), "chronaxis: {text}");
}

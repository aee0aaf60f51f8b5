//! The arguments as typed; what they mean is worked out in each command.

mod allowlist;
mod bundle;
mod explain;

use std::path::PathBuf;

use chronaxis_model::layer::Layer;
use clap::{Args, Parser, Subcommand, ValueEnum};

pub(crate) use self::allowlist::{Allowlist, ListOutput, YesNo};
pub(crate) use self::bundle::Bundle;
pub(crate) use self::explain::Explain;
use crate::way_in::typed::Typed;

const EXAMPLES: &str = "Examples:
  chronaxis postgresql://purser@quay.osmary.example/sailings
  chronaxis .env                     the connection that a settings file describes
  chronaxis quay.osmary.example:5432
  chronaxis settings .               every connection of a project, without trying any
  chronaxis causes firewall-drops    what a cause looks like, and who fixes it
  chronaxis demo                     all of it on simulated servers";

/// Finds out why a program cannot connect to its database
///
/// Tests the connection layer by layer (settings, bundle, name, route, port, listener, tls,
/// login, session) and names the likely cause: how sure it is, why, what was ruled out, and
/// who can fix it. It changes nothing and risks at most one failed sign-in per server and
/// account (more only with --try-repairs).
#[derive(Debug, Parser)]
#[command(
    name = "chronaxis",
    version,
    propagate_version = true,
    after_help = EXAMPLES,
)]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Diagnose(Box<Diagnose>),
    Settings(Settings),
    Bundle(Bundle),
    Allowlist(Box<Allowlist>),
    Listeners(Listeners),
    Explain(Explain),
    Causes(Causes),
    #[command(subcommand)]
    Lab(Lab),
    Demo(Demo),
}

const LAB_EXAMPLES: &str = "Examples:
  chronaxis lab list
  chronaxis lab start wrong-password hung-server
  chronaxis lab start --directory examples/directory/directory.toml";

/// Simulated servers with known faults: lists the scenes, or runs them
#[derive(Debug, Subcommand)]
#[command(after_help = LAB_EXAMPLES)]
pub(crate) enum Lab {
    /// Lists the scenes: where each can be run, and what the diagnosis must be
    List {
        /// No colour
        #[arg(long)]
        plain: bool,
    },
    /// Runs the servers of scenes on free loopback ports until interrupted, and prints
    /// their targets
    ///
    /// A scene of the simulated network has no live target and is refused.
    Start {
        /// Scenes by their ids; without any, all that can be played on loopback
        #[arg(value_name = "SCENE")]
        scenes: Vec<String>,
        /// Runs a directory with its instances from this file, in place of scenes
        ///
        /// The file and the protocol are described in docs/directory.md; an example is
        /// examples/directory/directory.toml. All servers listen on loopback.
        #[arg(long, value_name = "FILE", conflicts_with = "scenes")]
        directory: Option<PathBuf>,
    },
}

const DEMO_EXAMPLES: &str = "Example:
  chronaxis demo";

/// Runs every scene, diagnoses it, and compares the result with what is expected
///
/// On free loopback ports, or in a simulated network where loopback cannot reproduce
/// it (marked ~). Shows one diagnosis in full. Exit status 0 only if all agree.
#[derive(Args, Debug)]
#[command(after_help = DEMO_EXAMPLES)]
pub(crate) struct Demo {
    /// No colour
    #[arg(long)]
    pub(crate) plain: bool,
}

const DIAGNOSE_EXAMPLES: &str = "Examples:
  chronaxis diagnose 'host=quay.osmary.example user=purser dbname=sailings' --password-stdin
  chronaxis diagnose .env
  chronaxis diagnose 'config/database.yml#production'
  chronaxis diagnose - < target.txt
  chronaxis diagnose --dry-run mysql://purser@quay.osmary.example/manifest
  chronaxis diagnose --output json --save case.json quay.osmary.example:5432";

/// Tests each target layer by layer and says what is wrong
///
/// Exit status: 0 working, 1 broken, 3 undecided, 2 wrong use, 70 a defect of chronaxis.
#[derive(Args, Debug)]
#[command(after_help = DIAGNOSE_EXAMPLES)]
pub(crate) struct Diagnose {
    /// What to look into: a URL (JDBC too), key=value pairs, HOST:PORT,
    /// FILE, FILE#NAME, FOLDER or FOLDER#NAME for settings, BUNDLE#ALIAS, or - for stdin
    ///
    /// One target per line on stdin. A password in a target on the command line is visible
    /// in the process list; use - or one of the password options instead.
    #[arg(
        required_unless_present_any = ["environment", "targets_file"],
        value_name = "TARGET",
        allow_hyphen_values = false
    )]
    pub(crate) targets: Vec<Typed>,

    /// A file with more targets, one per line, as on stdin
    ///
    /// Empty lines and lines that begin with # are ignored. Several targets are tested in
    /// parallel, and shown in a table with a summary.
    #[arg(long = "targets", value_name = "FILE")]
    pub(crate) targets_file: Vec<PathBuf>,

    /// Ask this resolver, ADDR or ADDR:PORT, instead of the system's
    ///
    /// May be given several times. The hosts file still counts before it.
    #[arg(long, value_name = "ADDR[:PORT]")]
    pub(crate) resolver: Vec<String>,

    /// Read a target from this process's environment variables; NAME if they describe several
    #[arg(long, value_name = "NAME", num_args = 0..=1, require_equals = true, default_missing_value = "")]
    pub(crate) environment: Option<Typed>,

    /// The protocol spoken there: postgresql, mysql (MariaDB too), tls; or tds, mongodb,
    /// directory, tcp, as far as the port
    #[arg(long, value_name = "E")]
    pub(crate) engine: Option<String>,

    /// The account, instead of the target's own
    #[arg(long, value_name = "U")]
    pub(crate) user: Option<String>,

    /// The database, instead of the target's own
    #[arg(long, value_name = "D")]
    pub(crate) database: Option<String>,

    /// Read the password from stdin (one final line break is not part of it)
    #[arg(long, conflicts_with = "password_file")]
    pub(crate) password_stdin: bool,

    /// Read the password from a file (one final line break is not part of it)
    #[arg(long, value_name = "F")]
    pub(crate) password_file: Option<PathBuf>,

    /// Stop after this layer [default: session]
    #[arg(long, value_name = "LAYER", value_parser = parse_layer)]
    pub(crate) until: Option<Layer>,

    /// Connection attempts to an address that does not answer, spread over one patience
    #[arg(long, value_name = "N", default_value_t = 3, value_parser = clap::value_parser!(u32).range(1..=20))]
    pub(crate) attempts: u32,

    /// How long to wait for one complete answer, in seconds
    #[arg(long, value_name = "SECONDS", default_value = "4", allow_negative_numbers = true, value_parser = parse_seconds)]
    pub(crate) patience: u64,

    /// Time limit for one target, in seconds
    #[arg(long, value_name = "SECONDS", default_value = "15", allow_negative_numbers = true, value_parser = parse_seconds)]
    pub(crate) deadline: u64,

    /// Allow the password to be sent in clear text over an unencrypted connection, if the server asks for that
    #[arg(long)]
    pub(crate) allow_plaintext: bool,

    /// Allow the password to be sent over an unencrypted connection, protected by the
    /// server's public key, if the server asks for that
    ///
    /// An attacker in the middle of an unencrypted connection can substitute another key,
    /// and then has the password.
    #[arg(long)]
    pub(crate) allow_server_key: bool,

    /// A credential bundle (folder, archive, keystore): its CA certificates, client certificate
    /// and key are used
    ///
    /// The bundle is checked first; with a fault that keeps a client from using it, nothing is
    /// sent.
    #[arg(long, value_name = "PATH")]
    pub(crate) bundle: Option<PathBuf>,

    /// The passphrase of the bundle, or of keys that settings name; else CHRONAXIS_PASSPHRASE in the environment
    #[arg(long, value_name = "F")]
    pub(crate) passphrase_file: Option<PathBuf>,

    /// A file (PEM, DER, PKCS #12) with the CA certificates to trust, instead of those that the client
    /// would trust
    #[arg(long, value_name = "FILE")]
    pub(crate) ca: Option<PathBuf>,

    /// A list of rules on the way, or the server's own, of any kind that chronaxis allowlist
    /// reads; several are a chain
    ///
    /// What it says of this machine's address is weighed in the verdict.
    #[arg(long, value_name = "FILE")]
    pub(crate) rules: Vec<PathBuf>,

    /// This machine's address as the far side sees it, where NAT changes it
    #[arg(long, value_name = "ADDR", requires = "rules")]
    pub(crate) client_address: Option<String>,

    /// Try at most three corrected forms of a refused password: outer spaces removed,
    /// quotes removed, percent escapes decoded
    ///
    /// Each only if the given password shows that mistake, and only after it was refused;
    /// each may be one more failed sign-in.
    #[arg(long)]
    pub(crate) try_repairs: bool,

    /// A second target on the same server, with more rights: it looks up what the server knows
    /// of the first one's account and database
    ///
    /// It only reads; docs/sign-in.md lists the statements, --dry-run shows them. Its password
    /// comes from its own string, file or password file, never from CHRONAXIS_PASSWORD or
    /// --password-stdin. For one target at a time.
    #[arg(long, value_name = "TARGET2")]
    pub(crate) admin: Option<Typed>,

    /// Settings known to be right (another program's, an administrator's, a password file):
    /// shows what differs, of the password only how
    #[arg(long, value_name = "FILE[#NAME]")]
    pub(crate) reference: Option<Typed>,

    /// Try again until it works, until waiting cannot help, or until this time is over; in seconds
    ///
    /// For start-up scripts: with -q the exit status says all. A sign-in is repeated only if
    /// the server itself said "not yet". For one target at a time.
    #[arg(long, value_name = "SECONDS", allow_negative_numbers = true, value_parser = parse_long)]
    pub(crate) wait: Option<u64>,

    /// Connect N times one after another, then with some sessions open together: shows which
    /// instances answer, what fails, and the times
    ///
    /// At most 10 sessions are open together, and a tenth of the server's free connections.
    /// The first refused sign-in ends it. For one target at a time.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub(crate) repeat: Option<u32>,

    /// Read this log of the server, of a pooler or balancer before it, or of the SSH server:
    /// what it says of this connection
    ///
    /// May be given several times. PostgreSQL (stderr, CSV, JSON), MySQL and MariaDB (text,
    /// JSON), PgBouncer, HAProxy (TCP format), OpenSSH, MongoDB. Matched by time, client
    /// address and port, user and database; of a large one the end is read. For one target at a time.
    #[arg(long = "server-log", value_name = "FILE")]
    pub(crate) server_log: Vec<PathBuf>,

    /// The instance that is meant: an identifier, name or address that it reports
    #[arg(long, value_name = "TEXT")]
    pub(crate) expect: Option<String>,

    /// Keep one session idle, and use it after pauses of 1, 2, 4, … seconds, the longest of
    /// this length: finds out what ends idle sessions
    ///
    /// Takes up to twice this time. For one target at a time.
    #[arg(long, value_name = "SECONDS", allow_negative_numbers = true, value_parser = parse_long)]
    pub(crate) hold: Option<u64>,

    /// Print every lookup, connection, sign-in and query that would be made, and make none
    #[arg(long, conflicts_with_all = ["save", "verbose", "quiet"])]
    pub(crate) dry_run: bool,

    /// The form of the output
    #[arg(long, value_enum, value_name = "FORM", default_value_t = Output::Text)]
    pub(crate) output: Output,

    /// Save the case as JSON (replaces a file only if it holds a case)
    ///
    /// Several targets: one case per line.
    #[arg(long, value_name = "FILE")]
    pub(crate) save: Option<PathBuf>,

    /// No colour
    ///
    /// NO_COLOR in the environment does the same.
    #[arg(long)]
    pub(crate) plain: bool,

    /// Show all facts and every contact; twice: a trace log on stderr too
    #[arg(short, long, conflicts_with = "quiet", action = clap::ArgAction::Count)]
    pub(crate) verbose: u8,

    /// Show the verdict line only
    #[arg(short, long)]
    pub(crate) quiet: bool,
}

impl Diagnose {
    /// Those of a diagnosis of one target, with nothing more said.
    pub(crate) fn of(target: Typed) -> Diagnose {
        Diagnose {
            targets: vec![target],
            targets_file: Vec::new(),
            resolver: Vec::new(),
            environment: None,
            engine: None,
            user: None,
            database: None,
            password_stdin: false,
            password_file: None,
            until: None,
            attempts: 3,
            patience: 4_000_000,
            deadline: 15_000_000,
            allow_plaintext: false,
            allow_server_key: false,
            bundle: None,
            passphrase_file: None,
            ca: None,
            rules: Vec::new(),
            client_address: None,
            try_repairs: false,
            admin: None,
            reference: None,
            wait: None,
            repeat: None,
            server_log: Vec::new(),
            expect: None,
            hold: None,
            dry_run: false,
            output: Output::Text,
            save: None,
            plain: false,
            verbose: 0,
            quiet: false,
        }
    }
}

const SETTINGS_EXAMPLES: &str = "Examples:
  chronaxis settings .
  chronaxis settings .env config/ --output json
  chronaxis settings '.env#DB' --as jdbc";

/// Finds every connection described in files or folders, checks each, shows where they
/// disagree
///
/// Nothing is contacted and nothing is changed. Ignored files (.gitignore), binaries and
/// files over 2 MB are skipped and counted. Passwords are compared, never shown. Exit
/// status: 0 nothing wrong, 1 a fault, 3 something that only a test can settle, 2 wrong use.
#[derive(Args, Debug)]
#[command(after_help = SETTINGS_EXAMPLES)]
pub(crate) struct Settings {
    /// Files and folders; PATH#NAME for one connection of them
    #[arg(required = true, value_name = "PATH")]
    pub(crate) paths: Vec<Typed>,

    /// Also look into files that are ignored (.gitignore)
    #[arg(long)]
    pub(crate) all: bool,

    /// Find processes that were started before a file they use was changed (Linux)
    #[arg(long)]
    pub(crate) running: bool,

    /// Write one connection in another form, with a variable in place of its password
    #[arg(long = "as", value_enum, value_name = "FORM", conflicts_with_all = ["running", "output"])]
    pub(crate) as_form: Option<Form>,

    /// The form of the output
    #[arg(long, value_enum, value_name = "FORM", default_value_t = TextOrJson::Text)]
    pub(crate) output: TextOrJson,

    /// No colour
    ///
    /// NO_COLOR in the environment does the same.
    #[arg(long)]
    pub(crate) plain: bool,
}

const LISTENERS_EXAMPLES: &str = "Examples:
  chronaxis listeners
  sudo chronaxis listeners --output json";

/// Shows what is listening on this machine: addresses, accounts and programs
///
/// Read from this system's own tables (Linux); nothing is contacted without --ask. Programs
/// of other accounts are visible to the administrator only. Exit status: 0, or 3 where the
/// system shows no such table.
#[derive(Args, Debug)]
#[command(after_help = LISTENERS_EXAMPLES)]
pub(crate) struct Listeners {
    /// Ask each one which protocol it speaks
    ///
    /// At most three connections to each, with a few bytes that contain no account and no password.
    #[arg(long)]
    pub(crate) ask: bool,

    /// The form of the output
    #[arg(long, value_enum, value_name = "FORM", default_value_t = TextOrJson::Text)]
    pub(crate) output: TextOrJson,

    /// No colour
    ///
    /// NO_COLOR in the environment does the same.
    #[arg(long)]
    pub(crate) plain: bool,
}

/// A form in which a connection can be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Form {
    /// A URL
    Url,
    /// Keywords with values
    KeywordValue,
    /// A URL for a JDBC driver
    Jdbc,
    /// A semicolon-separated data-source string
    DataSource,
    /// Separate fields, as the engine's own settings file has them
    Fields,
    /// Variables of the environment
    Environment,
}

/// The form of the output of `settings` and `listeners`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum TextOrJson {
    /// For people
    Text,
    /// One JSON object
    Json,
}

/// The form of the output.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Output {
    /// For people
    Text,
    /// The case, one JSON object per target
    Json,
    /// For a ticket or a wiki page
    Markdown,
}

const CAUSES_EXAMPLES: &str = "Examples:
  chronaxis causes
  chronaxis causes firewall-drops
  chronaxis causes --output json";

/// Lists the known causes: what each looks like, how to tell it apart, and who can fix it
#[derive(Args, Debug)]
#[command(after_help = CAUSES_EXAMPLES)]
pub(crate) struct Causes {
    /// One cause, by its id; without it, all of them in brief
    #[arg(value_name = "ID")]
    pub(crate) id: Option<String>,

    /// The form of the output
    #[arg(long, value_enum, value_name = "FORM", default_value_t = TextOrJson::Text)]
    pub(crate) output: TextOrJson,

    /// No colour
    #[arg(long)]
    pub(crate) plain: bool,
}

fn parse_layer(text: &str) -> Result<Layer, String> {
    Layer::from_name(text).ok_or_else(|| {
        let names: Vec<&str> = Layer::ALL.iter().map(|l| l.as_str()).collect();
        format!("not a layer; expected one of {}", names.join(", "))
    })
}

/// The same, up to a day: for what waits or stays idle.
fn parse_long(text: &str) -> Result<u64, String> {
    match text.parse::<f64>() {
        Ok(seconds) if (0.05..=86_400.0).contains(&seconds) => Ok((seconds * 1e6) as u64),
        _ => Err("expected seconds from 0.05 to 86400".to_owned()),
    }
}

/// Seconds, with a fraction if need be, as microseconds.
fn parse_seconds(text: &str) -> Result<u64, String> {
    match text.parse::<f64>() {
        Ok(seconds) if (0.05..=3600.0).contains(&seconds) => Ok((seconds * 1e6) as u64),
        _ => Err("expected seconds from 0.05 to 3600".to_owned()),
    }
}

//! The arguments of `allowlist`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

const ALLOWLIST_EXAMPLES: &str = "Examples:
  chronaxis allowlist --rules inbound.toml --client 198.51.100.77 --to 203.0.113.10:5432
  chronaxis allowlist --rules pg_hba.conf --client 10.8.4.7 --to 10.8.0.10:5432 \\
      --user purser --database sailings --encrypted yes
  chronaxis allowlist --rules inbound.toml --matrix who-to-where.csv
  chronaxis allowlist --between inbound.old.toml inbound.toml";

/// Says whether a list of rules lets a client through, by which rule, and what would have
/// to change
///
/// Reads allow-lists of chronaxis's own format (TOML, YAML, JSON, CSV), pg_hba.conf, the JSON
/// ruleset of nftables, iptables-save, accounts of MySQL (user and host, CSV or JSON), and
/// NetworkPolicy; the kind is told from the content. Nothing is contacted and nothing is changed. Exit status:
/// 0 allowed, 1 denied, 3 cannot be told, 2 wrong use or a list that cannot be read.
#[derive(Args, Debug)]
#[command(after_help = ALLOWLIST_EXAMPLES)]
pub(crate) struct Allowlist {
    /// A file with rules; several are a chain, and the first that denies decides
    #[arg(long, required_unless_present = "between", value_name = "FILE")]
    pub(crate) rules: Vec<PathBuf>,

    /// The client's address, as the far side sees it
    #[arg(long, required_unless_present_any = ["matrix", "between"], value_name = "ADDR")]
    pub(crate) client: Option<String>,

    /// Where it wants to go: an address with a port, IPv6 in brackets
    #[arg(long, required_unless_present_any = ["matrix", "between"], value_name = "HOST:PORT")]
    pub(crate) to: Option<String>,

    /// Who reaches what: a CSV file with the columns client and to; exit status 1 if any is
    /// denied
    ///
    /// A line with a client alone, or a place alone, names it for all: each of these clients
    /// with each of these places.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["client", "to", "between"])]
    pub(crate) matrix: Option<PathBuf>,

    /// Two versions of a list: exactly who gains and who loses access to which ports; exit
    /// status 1 if anything changed
    #[arg(long, num_args = 2, value_names = ["OLD", "NEW"], conflicts_with_all = ["client", "rules"])]
    pub(crate) between: Vec<PathBuf>,

    /// The account, for lists that distinguish accounts
    #[arg(long, value_name = "U")]
    pub(crate) user: Option<String>,

    /// The database, for lists that distinguish databases
    #[arg(long, value_name = "D")]
    pub(crate) database: Option<String>,

    /// Whether the connection is encrypted, for lists that distinguish it
    #[arg(long, value_enum, value_name = "yes|no")]
    pub(crate) encrypted: Option<YesNo>,

    /// Look up host names that stand in the lists at this resolver, ADDR or ADDR:PORT
    ///
    /// Repeatable; the first that answers counts. Without it nothing is looked up, and what
    /// depends on a name is unknown.
    #[arg(long, value_name = "ADDR[:PORT]")]
    pub(crate) resolver: Vec<String>,

    /// The interface by which it comes in, for lists that distinguish interfaces
    #[arg(long, value_name = "NAME")]
    pub(crate) interface: Option<String>,

    /// The client's labels, where it is a workload of a cluster; its namespace's name as
    /// kubernetes.io/metadata.name
    #[arg(long, value_name = "K=V,…")]
    pub(crate) client_labels: Option<String>,

    /// The labels of what it wants to reach
    #[arg(long, value_name = "K=V,…")]
    pub(crate) to_labels: Option<String>,

    /// Show every rule that was passed over, and why
    #[arg(short, long)]
    pub(crate) verbose: bool,

    /// The form of the output
    #[arg(long, value_enum, value_name = "FORM", default_value_t = ListOutput::Text)]
    pub(crate) output: ListOutput,

    /// No colour
    ///
    /// NO_COLOR in the environment does the same.
    #[arg(long)]
    pub(crate) plain: bool,
}

/// The form of the output of `allowlist`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ListOutput {
    /// For people
    Text,
    /// One JSON object
    Json,
    /// A line for each pair or difference (--matrix, --between)
    Csv,
}

/// Yes or no.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum YesNo {
    /// It is
    Yes,
    /// It is not
    No,
}

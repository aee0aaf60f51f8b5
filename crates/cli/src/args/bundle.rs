//! The arguments of `bundle`.

use std::path::PathBuf;

use clap::Args;

use super::TextOrJson;
use crate::way_in::typed::Typed;

const BUNDLE_EXAMPLES: &str = "Examples:
  chronaxis bundle sailings-bundle.zip
  chronaxis bundle ~/certificates -v
  chronaxis bundle quay.p12 --passphrase-file passphrase
  chronaxis bundle certificates --for .env
  chronaxis bundle sailings-bundle.zip --unpack certificates --dry-run";

/// Inspects a credential bundle: what each part is, what belongs together, what is wrong
///
/// PATH is a folder, an archive (.zip, .tar, .tar.gz), a keystore (PKCS #12), or a file in PEM
/// or DER. Nothing is sent, except with --live. Exit status 1: a fault; 3: something is locked, and no passphrase
/// was given.
#[derive(Debug, Args)]
#[command(after_help = BUNDLE_EXAMPLES)]
pub(crate) struct Bundle {
    /// The bundle
    #[arg(value_name = "PATH")]
    pub(crate) path: PathBuf,

    /// The passphrase of keys and keystores; else CHRONAXIS_PASSPHRASE in the environment
    #[arg(long, value_name = "F")]
    pub(crate) passphrase_file: Option<PathBuf>,

    /// Hold the bundle against the settings of this target: a URL, FILE, FILE#NAME, …
    ///
    /// Whether the paths that they name lead into the bundle, and what they lack.
    #[arg(long = "for", value_name = "TARGET", conflicts_with = "unpack")]
    pub(crate) target: Option<Typed>,

    /// With --for: connect to the server, without sending any password: did a CA certificate
    /// of the bundle issue its certificate, does it accept the client's
    #[arg(long, requires = "target")]
    pub(crate) live: bool,

    /// Unpack the archive into this new folder, all of it or nothing
    ///
    /// Keys and keystores become readable by their owner alone. Absolute paths in its texts
    /// that lead to files of the bundle are rewritten, and each change is shown.
    #[arg(long, value_name = "DIR")]
    pub(crate) unpack: Option<PathBuf>,

    /// With --unpack: show what would be written, and write nothing
    #[arg(long, requires = "unpack")]
    pub(crate) dry_run: bool,

    /// Show everything that stands in certificates
    #[arg(short, long)]
    pub(crate) verbose: bool,

    /// The form of the output
    #[arg(long, value_enum, value_name = "FORM", default_value_t = TextOrJson::Text)]
    pub(crate) output: TextOrJson,

    /// No colour
    ///
    /// NO_COLOR in the environment does the same.
    #[arg(long)]
    pub(crate) plain: bool,
}

//! `chronaxis TARGET`: a first word that plainly is a target is diagnosed, as if `diagnose`
//! stood before it.

use std::ffi::OsString;
use std::path::Path;

use clap::CommandFactory as _;

use crate::args::Cli;

/// The arguments, with the command that was left out.
pub(crate) fn with_command(mut args: Vec<OsString>) -> Vec<OsString> {
    if leaves_command_out(args.get(1..).unwrap_or_default()) {
        args.insert(1, OsString::from("diagnose"));
    }
    args
}

/// Whether the first word is a target; options of `diagnose` may stand before it.
fn leaves_command_out(args: &[OsString]) -> bool {
    let mut words = args.iter().map(|arg| arg.to_str().unwrap_or_default());
    let Some(first) = words.next() else {
        return false;
    };
    if !first.starts_with('-') {
        return is_target(first);
    }
    let own = ["-h", "--help", "-V", "--version", "-"];
    !own.contains(&first) && words.all(|word| !is_command(word)) && args.iter().any(as_target)
}

fn as_target(arg: &OsString) -> bool {
    arg.to_str().is_some_and(is_target)
}

fn is_command(word: &str) -> bool {
    let cli = Cli::command();
    word == "help" || cli.get_subcommands().any(|c| c.get_name() == word)
}

/// Whether a word plainly is a target, or a text that is best answered as one.
fn is_target(word: &str) -> bool {
    if word.starts_with('-') || is_command(word) {
        return false;
    }
    let digits = |port: &str| !port.is_empty() && port.chars().all(|c| c.is_ascii_digit());
    let place = word
        .rsplit_once(':')
        .is_some_and(|(host, port)| !host.is_empty() && digits(port));
    let path = word.split('#').next().unwrap_or_default();
    let file = path.contains(['/', '.']) && Path::new(path).exists();
    word.contains("://") || word.contains(['=', ' ']) || place || file
}

#[cfg(test)]
mod tests {
    use super::with_command;

    fn inserted(args: &[&str]) -> bool {
        let mut all = vec!["chronaxis".into()];
        all.extend(args.iter().map(Into::into));
        let count = all.len();
        with_command(all).len() > count
    }

    #[test]
    fn what_plainly_is_a_target_needs_no_command() {
        for target in [
            "postgresql://quay/sailings",
            "host=quay user=purser",
            "Server=quay;Port=3306;Uid=u",
            "quay.osmary.example:5432",
            "[2001:db8::7]:5432",
            "./Cargo.toml",
            "Cargo.toml#sailings",
            "could not connect to server: Connection refused",
        ] {
            assert!(inserted(&[target]), "{target}");
            assert!(inserted(&["-q", target]), "{target}");
            assert!(!inserted(&["diagnose", target]), "{target}");
        }
        for word in [
            "diagnose",
            "help",
            "causes",
            "diagnos",
            "--help",
            "-V",
            "src",
            "nowhere.env",
        ] {
            assert!(!inserted(&[word]), "{word}");
        }
        assert!(!inserted(&[]));
    }
}

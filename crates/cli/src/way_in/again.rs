//! The words that repeat a run for one of its targets: those that were typed, a secret among
//! them left to standard input.

use chronaxis_diagnosis::judge::Again;
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::Target;

use super::draft::{Described, DescribedBy};
use crate::args::Diagnose;

/// The words for this target; none where they cannot be told without a secret, and the
/// target is to be described in another way.
pub(crate) fn of(args: &Diagnose, described: &Described, target: &Target) -> Option<Again> {
    let own_secret = target
        .secret
        .as_ref()
        .is_some_and(|told| matches!(told.origin, Origin::Target { .. } | Origin::Stdin { .. }));
    let word = match &described.by {
        // An alias of a bundle is what was typed.
        DescribedBy::Text { typed, .. } if described.material.is_some() => {
            typed.expose().to_owned()
        }
        DescribedBy::Text { typed, draft, .. } if typed.expose() == draft.shown && !own_secret => {
            draft.shown.clone()
        }
        DescribedBy::Text { .. } => {
            let shown = target.shown();
            let told = !target.ends.is_empty() && !shown.partly_hidden;
            match told {
                true => chronaxis_engines::by_id(target.engine)
                    .strings
                    .described(&shown),
                false => "-".to_owned(),
            }
        }
        DescribedBy::File { word, .. } => word.clone(),
        DescribedBy::Environment { name: None, .. } => "--environment".to_owned(),
        DescribedBy::Environment {
            name: Some(name), ..
        } => format!("--environment={}", name.expose()),
    };
    let mut options = options(args);
    if own_secret && word != "-" {
        options.push(vec!["--password-stdin".to_owned()]);
    }
    let locks = match &described.by {
        DescribedBy::Text { draft, .. } => !draft.passphrases.is_empty(),
        _ => false,
    };
    if locks && word != "-" && args.passphrase_file.is_none() {
        options.push(vec!["--passphrase-file".to_owned(), "FILE".to_owned()]);
    }
    Some(Again {
        options,
        target: vec![word],
        lasting: described.connection().is_some() || described.material.is_some(),
    })
}

/// The options that say what is asked and of whom; not those of the output.
fn options(args: &Diagnose) -> Vec<Vec<String>> {
    let mut out: Vec<Vec<String>> = Vec::new();
    let mut add = |name: &str, value: Option<String>| {
        out.push(std::iter::once(name.to_owned()).chain(value).collect());
    };
    let told = [
        ("--engine", &args.engine),
        ("--user", &args.user),
        ("--database", &args.database),
    ];
    for (name, value) in told {
        if let Some(value) = value {
            let subject = name.trim_start_matches('-');
            // What may be a secret in the wrong place is not repeated here either.
            if chronaxis_model::shown::may_show(subject, value) {
                add(name, Some(value.clone()));
            }
        }
    }
    for resolver in &args.resolver {
        add("--resolver", Some(resolver.clone()));
    }
    for rules in &args.rules {
        add("--rules", Some(rules.to_string_lossy().into_owned()));
    }
    if let Some(address) = &args.client_address {
        add("--client-address", Some(address.clone()));
    }
    let paths = [
        ("--bundle", &args.bundle),
        ("--passphrase-file", &args.passphrase_file),
        ("--ca", &args.ca),
        ("--password-file", &args.password_file),
    ];
    for (name, path) in paths {
        if let Some(path) = path {
            add(name, Some(path.to_string_lossy().into_owned()));
        }
    }
    if let Some(admin) = &args.admin {
        // Shown only where it plainly holds no secret: a file, or a name in one.
        let word = match super::reading::is_path(admin.expose()) {
            true => admin.expose(),
            false => "TARGET2",
        };
        add("--admin", Some(word.to_owned()));
    }
    if let Some(reference) = &args.reference {
        add("--reference", Some(reference.expose().to_owned()));
    }
    if let Some(until) = args.until {
        add("--until", Some(until.to_string()));
    }
    if args.attempts != 3 {
        add("--attempts", Some(args.attempts.to_string()));
    }
    let seconds = |us: u64| format!("{}", us as f64 / 1e6);
    if let Some(text) = args
        .expect
        .as_ref()
        .filter(|text| chronaxis_model::shown::may_show("host", text))
    {
        add("--expect", Some(text.clone()));
    }
    if let Some(count) = args.repeat {
        add("--repeat", Some(count.to_string()));
    }
    for (name, value) in [("--wait", args.wait), ("--hold", args.hold)] {
        if let Some(value) = value {
            add(name, Some(seconds(value)));
        }
    }
    for (name, value, usual) in [
        ("--patience", args.patience, 4),
        ("--deadline", args.deadline, 15),
    ] {
        if value != usual * 1_000_000 {
            add(name, Some(seconds(value)));
        }
    }
    for (name, set) in [
        ("--password-stdin", args.password_stdin),
        ("--allow-plaintext", args.allow_plaintext),
        ("--allow-server-key", args.allow_server_key),
        ("--try-repairs", args.try_repairs),
    ] {
        if set {
            add(name, None);
        }
    }
    out
}

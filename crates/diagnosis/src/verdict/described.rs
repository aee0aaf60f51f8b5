//! Commands that diagnose this target again: with the words that were typed where these are
//! known, else with the target in a form that the program reads; never with its secret.

use chronaxis_engines::by_id;
use chronaxis_model::shell;

use crate::judge::Evidence;

pub(super) fn engine(evidence: Evidence<'_>) -> &'static str {
    evidence.target.engine.as_str()
}

/// The same diagnosis again.
pub(super) fn again(evidence: Evidence<'_>) -> String {
    again_with(evidence, &[])
}

/// The same with these options, each with its value; they take the place of their own kind.
pub(super) fn again_with(evidence: Evidence<'_>, more: &[&[&str]]) -> String {
    let replaced = |option: &[String]| {
        let name = option.first().map(String::as_str).unwrap_or_default();
        let same = |new: &&[&str]| new.first().is_some_and(|n| *n == name);
        let is_password = |name: &str| name.starts_with("--password-");
        more.iter()
            .any(|new| same(new) || (is_password(name) && new.iter().any(|n| is_password(n))))
    };
    let typed = evidence.scope.again.as_ref();
    let options = match typed {
        Some(again) => again.options.clone(),
        None => of_scope(evidence),
    };
    let target = match typed {
        Some(again) => again.target.clone(),
        None => vec![described(evidence)],
    };
    // Standard input has room for one of the two.
    let from_stdin = target.iter().any(|word| word == "-");
    let kept = options.iter().filter(|option| !replaced(option)).flatten();
    let added = more.iter().copied().flatten().copied();
    let words = ["chronaxis", "diagnose"]
        .into_iter()
        .chain(kept.map(String::as_str))
        .chain(added)
        .filter(|word| !(from_stdin && *word == "--password-stdin"))
        .chain(target.iter().map(String::as_str));
    shell::command(words)
}

/// What was asked of the run beside its target, as far as the scope tells.
fn of_scope(evidence: Evidence<'_>) -> Vec<Vec<String>> {
    let scope = evidence.scope;
    let mut options = Vec::new();
    for resolver in &scope.resolvers {
        options.push(vec!["--resolver".to_owned(), resolver.to_string()]);
    }
    if scope.until
        < by_id(evidence.target.engine)
            .protocol
            .last_layer(evidence.target)
    {
        options.push(vec!["--until".to_owned(), scope.until.to_string()]);
    }
    options
}

/// The target, in the form that makes the same client's rules count. One that cannot be
/// shown in full, or dialled, is to be handed in again.
fn described(evidence: Evidence<'_>) -> String {
    if evidence.target.ends.is_empty() || evidence.target.partly_hidden {
        return "-".to_owned();
    }
    by_id(evidence.target.engine)
        .strings
        .described(evidence.target)
}

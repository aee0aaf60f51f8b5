//! `chronaxis allowlist`.

mod many;

use chronaxis_allowlist::answer::{Answer, Decision, Rule, Spot};
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_diagnosis::allowlist::{
    Allowlist, ListAnswer, ListFinding, ListRemark, NameLookedUp, PassedRule, ShownChange,
    ShownRule,
};
use chronaxis_diagnosis::report;
use chronaxis_model::settings::Place;
use chronaxis_model::{shell, shown};
use chronaxis_readers::allowlist::{self as lists, Change, Reading};

use crate::args;
use crate::delivery;
use crate::error::Failure;
use crate::rules::{self, Files, at_once};

pub(crate) fn run(args: &args::Allowlist) -> Result<u8, Failure> {
    if let Some(file) = &args.matrix {
        return many::matrix(args, file);
    }
    if let [old, new] = args.between.as_slice() {
        return many::between(args, old, new);
    }
    let form = form(args.output)?;
    let attempt = attempt(args)?;
    let read = args.rules.iter();
    let read = read.map(|file| rules::list_for(file, Some(&attempt)));
    let read: Vec<Reading> = read.collect::<Result<_, _>>()?;
    let names = rules::names(&read, &args.resolver)?;
    let known = names.iter();
    let known = known.filter_map(|(name, found)| Some((name.clone(), found.clone()?)));
    let attempt = Attempt {
        names: known.collect(),
        ..attempt
    };
    let decided: Vec<Decision> = read
        .iter()
        .map(|one| one.rules.decide(&attempt, args.verbose))
        .collect();
    let answers = read.iter().zip(&decided).map(|(one, d)| answer(one, d));
    let (findings, changes) = at_once(
        || read.iter().flat_map(|one| found(one, &attempt)).collect(),
        || changes(&read, &decided, &attempt),
    );
    let document = Allowlist::new(
        env!("CARGO_PKG_VERSION"),
        attempt.client,
        attempt.to,
        answers.collect(),
        findings,
        changes,
        &command(args),
    );
    let names = names.into_iter();
    let names = names.map(|(name, addresses)| NameLookedUp { name, addresses });
    let document = document.with_names(names.collect());
    let state = document.verdict.state;
    delivery::document(form, args.plain, state, &document, || {
        report::allowlist::report(&document, args.verbose)
    })
}

/// The form for what is no table.
fn form(output: args::ListOutput) -> Result<args::TextOrJson, Failure> {
    match output {
        args::ListOutput::Text => Ok(args::TextOrJson::Text),
        args::ListOutput::Json => Ok(args::TextOrJson::Json),
        args::ListOutput::Csv => Err(Failure::CsvForm),
    }
}

fn attempt(args: &args::Allowlist) -> Result<Attempt, Failure> {
    let client = rules::client("--client", args.client.as_deref().unwrap_or_default())?;
    let to = rules::place("--to", args.to.as_deref().unwrap_or_default())?;
    Ok(Attempt {
        client: client.to_canonical(),
        to: std::net::SocketAddr::new(to.ip().to_canonical(), to.port()),
        ..common(args)?
    })
}

/// What all attempts of a question have in common.
fn common(args: &args::Allowlist) -> Result<Attempt, Failure> {
    let nobody = std::net::Ipv4Addr::UNSPECIFIED;
    Ok(Attempt {
        user: args.user.clone(),
        database: args.database.clone(),
        encrypted: args.encrypted.map(|told| told == args::YesNo::Yes),
        interface: args.interface.clone(),
        client_labels: rules::labels("--client-labels", args.client_labels.as_deref())?,
        to_labels: rules::labels("--to-labels", args.to_labels.as_deref())?,
        ..Attempt::new(nobody.into(), (nobody, 0).into(), rules::today())
    })
}

fn place(read: &Reading, spot: Option<&Spot>) -> Option<Place> {
    read.place(spot?)
}

fn shown(read: &Reading, rule: &Rule) -> ShownRule {
    ShownRule {
        text: rule.text.clone(),
        place: place(read, rule.spot.as_ref()),
    }
}

fn path(read: &Reading) -> String {
    read.sheets
        .first()
        .map_or_else(String::new, |s| s.path.clone())
}

fn answer(read: &Reading, decision: &Decision) -> ListAnswer {
    ListAnswer {
        file: path(read),
        kind: read.kind.id().to_owned(),
        title: read.kind.title().to_owned(),
        answer: decision.answer.into(),
        rule: decision.rule.as_ref().map(|rule| shown(read, rule)),
        why: decision.why.clone(),
        barrier: decision.barrier,
        other_address: decision.other_address,
        remarks: decision
            .remarks
            .iter()
            .map(|(text, spot)| ListRemark {
                text: text.clone(),
                place: place(read, spot.as_ref()),
            })
            .collect(),
        passed: decision
            .passed
            .iter()
            .map(|passed| PassedRule {
                rule: shown(read, &passed.rule),
                why: passed.why.clone(),
            })
            .collect(),
    }
}

fn found(read: &Reading, attempt: &Attempt) -> Vec<ListFinding> {
    let findings = read.rules.findings(attempt).into_iter();
    findings
        .map(|finding| ListFinding {
            id: finding.id,
            text: finding.text,
            place: place(read, finding.spot.as_ref()),
        })
        .collect()
}

/// What lets the client in where a list keeps it out; else what closes the hole through
/// which it comes in.
fn changes(read: &[Reading], decided: &[Decision], attempt: &Attempt) -> Vec<ShownChange> {
    let of = |purpose: &str, change: Change| ShownChange {
        purpose: purpose.to_owned(),
        file: change.file,
        who: change.who,
        diff: change.diff,
        commands: change.commands,
    };
    let each = read
        .iter()
        .zip(decided)
        .filter_map(|(one, decision)| match decision.answer {
            // The change would be for an address that the far side never sees.
            Answer::Denied if decision.other_address => None,
            Answer::Denied => {
                lists::let_in(one, attempt, &Files).map(|change| of("let-in", change))
            }
            Answer::Allowed => lists::close(one, attempt, &Files).map(|change| of("close", change)),
            Answer::Unknown => None,
        });
    each.collect()
}

/// The words that repeat the question.
fn command(args: &args::Allowlist) -> String {
    let mut words = vec!["chronaxis".to_owned(), "allowlist".to_owned()];
    for file in &args.rules {
        words.push("--rules".to_owned());
        words.push(shell::quoted(&file.to_string_lossy()));
    }
    for resolver in &args.resolver {
        words.extend(["--resolver".to_owned(), shell::quoted(resolver)]);
    }
    let encrypted = args.encrypted.map(|told| match told {
        args::YesNo::Yes => "yes".to_owned(),
        args::YesNo::No => "no".to_owned(),
    });
    let told = [
        ("--client", args.client.clone()),
        ("--to", args.to.clone()),
        ("--user", args.user.clone()),
        ("--database", args.database.clone()),
        ("--encrypted", encrypted),
        ("--interface", args.interface.clone()),
        ("--client-labels", args.client_labels.clone()),
        ("--to-labels", args.to_labels.clone()),
    ];
    for (option, value) in told {
        let subject = option.trim_start_matches('-');
        // What may be a secret in the wrong place is not repeated.
        let may =
            |v: &String| !matches!(subject, "user" | "database") || shown::may_show(subject, v);
        if let Some(value) = value.filter(may) {
            words.push(option.to_owned());
            words.push(shell::quoted(&value));
        }
    }
    words.join(" ")
}

//! `chronaxis settings`.

mod files;

use std::io::Write as _;
use std::path::PathBuf;

use chronaxis_diagnosis::report;
use chronaxis_diagnosis::survey::named::named;
use chronaxis_diagnosis::survey::{
    Described, Differing, FieldDifference, Finding, SaidValue, Survey, UnknownValue,
};
use chronaxis_engines::NotWritten;
use chronaxis_model::found::CauseId;
use chronaxis_model::redact::without_words;
use chronaxis_model::secret::Secret;
use chronaxis_model::settings::{Defect, Field};
use chronaxis_model::shown;
use chronaxis_readers::{Connection, Disagreement, Likeness};
use chronaxis_tls::ByRing;

use crate::args::{Form, Settings};
use crate::delivery;
use crate::error::Failure;
use crate::render;
use crate::running;
use crate::way_in::complete::as_written;
use crate::way_in::reading::{self, Read};
use crate::way_in::typed::Typed;

pub(crate) fn run(args: &Settings) -> Result<u8, Failure> {
    let (paths, names) = paths(args);
    let mut read = reading::read(&paths, args.all, false)?;
    if let Some(form) = args.as_form {
        return write_as(args, &read, form);
    }
    keep_named(&mut read, args, &names)?;
    let survey = masked(survey(args.running, &read)?, &secrets(&read));
    let state = survey.verdict.state;
    delivery::document(args.output, args.plain, state, &survey, || {
        report::survey::report(&survey)
    })
}

/// A look over these paths, as a program has it.
pub(crate) fn of_paths(paths: &[PathBuf]) -> Result<Survey, Failure> {
    let read = reading::read(paths, false, false)?;
    Ok(masked(survey(false, &read)?, &secrets(&read)))
}

/// The paths, each without the name behind it; and the names.
fn paths(args: &Settings) -> (Vec<PathBuf>, Vec<Option<&str>>) {
    args.paths
        .iter()
        .map(|text| {
            let (path, name) = reading::split(text.expose());
            (PathBuf::from(path), name)
        })
        .unzip()
}

/// Leaves out what a name behind a path leaves out.
fn keep_named(read: &mut Read, args: &Settings, names: &[Option<&str>]) -> Result<(), Failure> {
    if names.iter().all(Option::is_none) {
        return Ok(());
    }
    let mut kept = Vec::new();
    for (text, name) in args.paths.iter().zip(names) {
        let (path, _) = reading::split(text.expose());
        if name.is_some() {
            kept.push(reading::chosen(&read.report, path, *name)?.0);
        }
    }
    let report = &mut read.report;
    report
        .disagreements
        .retain(|d| d.connections.iter().any(|c| kept.contains(c)));
    let about: Vec<usize> = report
        .disagreements
        .iter()
        .flat_map(|d| d.connections.clone())
        .collect();
    // What a disagreement speaks of stays, without findings of its own.
    for (number, connection) in report.connections.iter_mut().enumerate() {
        if !kept.contains(&number) {
            connection.findings.clear();
            connection.draft.defects.clear();
            if !about.contains(&number) {
                connection.name.clear();
            }
        }
    }
    Ok(())
}

/// Every secret that was read: none may be shown, wherever it stands a second time.
fn secrets(read: &Read) -> Vec<Secret> {
    let told = read.report.connections.iter();
    told.flat_map(|c| {
        let password = c.draft.secret.as_ref().map(|told| told.value.clone());
        password
            .into_iter()
            .chain(c.draft.passphrases.values().cloned())
    })
    .collect()
}

fn survey(with_running: bool, read: &Read) -> Result<Survey, Failure> {
    let report = &read.report;
    let mut described = Vec::new();
    for connection in report.connections.iter().filter(|c| !c.name.is_empty()) {
        described.push(of(connection)?);
    }
    let disagreements = report
        .disagreements
        .iter()
        .map(|d| differing(d, &report.connections));
    let running = with_running.then(|| running::stale(&read.paths));
    Ok(Survey::new(
        env!("CARGO_PKG_VERSION"),
        described,
        disagreements.collect(),
        report.troubles.iter().map(Finding::from).collect(),
        running,
        read.looked_at.clone(),
    ))
}

fn of(connection: &Connection) -> Result<Described, Failure> {
    let completed = as_written(connection)?;
    let (target, mut defects): (_, Vec<Defect>) = match completed {
        Ok(target) => (target.shown(), target.defects),
        // What this version does not follow is no fault of theirs.
        Err(_) => {
            const OWN: [&str; 5] = ["host", "port", "dbname", "user", "socket"];
            let mut plain = connection.clone();
            let own = |key: &String| OWN.contains(&key.as_str());
            plain.draft.values.retain(|key, _| own(key));
            match as_written(&plain)? {
                Ok(target) => (target.shown(), connection.draft.defects.clone()),
                Err(cause) => return Err(Failure::NotFollowed { number: 1, cause }),
            }
        }
    };
    defects.extend(connection.findings.iter().cloned());
    let mut target = target;
    // That a driver is absent says nothing about where it would go.
    if defects
        .iter()
        .any(|d| d.stops && d.subject != Field::DRIVER && !d.kind.is_of_files())
    {
        target.ends.clear();
    }
    let mut findings: Vec<Finding> = Vec::new();
    for defect in &defects {
        let finding = Finding::from(defect);
        let same = |f: &Finding| f.id == finding.id && f.subject == finding.subject;
        if !findings
            .iter()
            .any(|f| same(f) && (f.place == finding.place || finding.place.is_none()))
        {
            findings.push(finding);
        }
    }
    let now = jiff::Timestamp::now().as_second();
    let (named, of_files) = named(&files::of(connection), &ByRing, now);
    findings.extend(of_files);
    findings.sort_by_key(|f| std::cmp::Reverse(f.weight));
    if connection.engine.is_none() {
        // Which port is usual, only the engine says.
        findings.retain(|f| f.id != CauseId::SettingMissing.into() || f.subject != Field::PORT);
    }
    let unknown = connection.unknown.iter().map(|u| UnknownValue {
        subject: u.subject.clone(),
        variables: u.variables.clone(),
        origin: u.origin.clone(),
    });
    Ok(Described {
        files: named,
        name: connection.name.clone(),
        file: connection.file.clone(),
        line: connection.line,
        engine_told: connection.engine.is_some(),
        target,
        unknown: unknown.collect(),
        findings,
    })
}

fn differing(disagreement: &Disagreement, connections: &[Connection]) -> Differing {
    let name = |number: &usize| {
        let found = connections.get(*number);
        found.map_or_else(String::new, |c| format!("{}#{}", c.file, c.name))
    };
    Differing {
        about: disagreement.about.clone(),
        connections: disagreement.connections.iter().map(name).collect(),
        fields: disagreement
            .fields
            .iter()
            .map(|field| FieldDifference {
                field: field.field.clone(),
                likeness: field.likeness.map(|l| {
                    let word = match l {
                        Likeness::Different => "different",
                        Likeness::ByBlanksOrCase => "differs-by-outer-blanks-or-case",
                    };
                    word.to_owned()
                }),
                values: field
                    .values
                    .iter()
                    .map(|said| SaidValue {
                        value: match field.likeness {
                            // A letter for each different one.
                            Some(_) => said.value.clone(),
                            None => shown::value(&field.field, &said.value),
                        },
                        places: said.by.iter().map(|(_, origin)| origin.clone()).collect(),
                    })
                    .collect(),
            })
            .collect(),
    }
}

/// The findings with every secret masked, should one stand where nobody expects it. The
/// values that are shown as what they are stay: to mask a user for being like a password
/// would tell the password.
fn masked(mut survey: Survey, secrets: &[Secret]) -> Survey {
    let mask = |text: &mut String| *text = without_words(text, secrets);
    let of_connections = survey.connections.iter_mut().flat_map(|c| &mut c.findings);
    for finding in of_connections.chain(&mut survey.troubles) {
        mask(&mut finding.text);
        finding.mended.iter_mut().for_each(mask);
        if let Some(place) = &mut finding.place {
            mask(&mut place.excerpt);
        }
    }
    for found in &mut survey.also_found {
        mask(&mut found.text);
        if let Some(place) = &mut found.place {
            mask(&mut place.excerpt);
        }
    }
    survey.verdict.fix.iter_mut().for_each(mask);
    survey
}

/// Writes one connection in another form.
fn write_as(args: &Settings, read: &Read, form: Form) -> Result<u8, Failure> {
    let text = args.paths.first().map_or("", Typed::expose);
    let (path, name) = reading::split(text);
    let (_, connection) = reading::chosen(&read.report, path, name)?;
    if connection.engine.is_none() {
        return Err(Failure::EngineUntold {
            path: connection.file.clone(),
            name: connection.name.clone(),
        });
    }
    let target = as_written(connection)?;
    let target = target.map_err(|cause| Failure::NotFollowed { number: 1, cause })?;
    if target.shown().partly_hidden && connection.is_of_string() {
        return Err(Failure::NotWritten {
            name: connection.name.clone(),
            cause: NotWritten::MayBeSecret,
        });
    }
    let mut shown = target.told();
    // A default of the client's own is not said by anybody.
    shown.user = shown.user.filter(|_| told(&target, "user"));
    shown.database = shown.database.filter(|_| told(&target, "database"));
    let waits = connection
        .unknown
        .iter()
        .any(|u| u.subject == Field::PASSWORD);
    shown.secret.present |= waits;
    let form = match form {
        Form::Url => chronaxis_engines::Form::Url,
        Form::KeywordValue => chronaxis_engines::Form::KeywordValue,
        Form::Jdbc => chronaxis_engines::Form::Jdbc,
        Form::DataSource => chronaxis_engines::Form::DataSource,
        Form::Fields => chronaxis_engines::Form::Fields,
        Form::Environment => chronaxis_engines::Form::Environment,
    };
    let written =
        chronaxis_engines::written(&shown, form, &variable(connection)).map_err(|cause| {
            Failure::NotWritten {
                name: connection.name.clone(),
                cause,
            }
        })?;
    let mut out = render::out(true);
    writeln!(out, "{}", written.trim_end())?;
    Ok(0)
}

fn told(target: &chronaxis_model::target::Target, key: &str) -> bool {
    target.origins.get(key).is_some_and(|o| !o.is_default())
}

/// The variable that stands for the password: the one that it comes from, or one named
/// after the connection.
fn variable(connection: &Connection) -> String {
    let waits = connection
        .unknown
        .iter()
        .find(|u| u.subject == Field::PASSWORD);
    if let Some(name) = waits.and_then(|u| u.variables.first()) {
        return name.clone();
    }
    let name = connection.value("dbname").unwrap_or(&connection.name);
    let word = |c: char| {
        if c.is_ascii_alphanumeric() {
            c.to_ascii_uppercase()
        } else {
            '_'
        }
    };
    let mut name: String = name.chars().map(word).collect();
    if !name.starts_with(|c: char| c.is_ascii_alphabetic()) {
        name.insert_str(0, "DB_");
    }
    format!("{name}_PASSWORD")
}

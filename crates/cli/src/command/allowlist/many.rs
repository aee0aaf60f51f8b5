//! Questions to lists about many clients at one time: who reaches what, and what differs
//! between two versions.

use std::collections::BTreeMap;
use std::io::Write as _;
use std::path::Path;

use chronaxis_allowlist::answer::Rule;
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_diagnosis::allowlist::{Allowlist, Pair, ShownDifference, ShownRule};
use chronaxis_diagnosis::report;
use chronaxis_readers::allowlist::between::{Difference, between as compared};
use chronaxis_readers::allowlist::matrix::{Asked, Said, pairs};
use chronaxis_readers::allowlist::{Reading, Rules, position};

use super::{common, form, path, shown};
use crate::args::{self, ListOutput};
use crate::delivery;
use crate::error::Failure;
use crate::render;
use crate::rules::{self, at_once};

pub(super) fn matrix(args: &args::Allowlist, file: &Path) -> Result<u8, Failure> {
    let lists: Vec<Reading> = args
        .rules
        .iter()
        .map(|file| rules::list(file))
        .collect::<Result<_, _>>()?;
    let common = common(args)?;
    let wanted = rules::read(file, pairs)?;
    let mut asked = Asked::of(&lists);
    let names: Vec<String> = lists.iter().map(path).collect();
    let each = wanted.into_iter().map(|(client, to)| {
        let attempt = Attempt {
            client: client.to_canonical(),
            to: std::net::SocketAddr::new(to.ip().to_canonical(), to.port()),
            ..common.clone()
        };
        let said = asked.says(&attempt);
        Pair {
            client,
            to,
            answer: said.answer.into(),
            file: names.get(said.list).cloned().unwrap_or_default(),
            line: line(&lists, &said, &attempt),
        }
    });
    let document = Allowlist::of_pairs(env!("CARGO_PKG_VERSION"), each.collect());
    if args.output == ListOutput::Csv {
        let rows = document.matrix.iter().flatten().map(|pair| {
            vec![
                pair.client.to_string(),
                pair.to.to_string(),
                pair.answer.as_str().to_owned(),
                pair.file.clone(),
                pair.line.map_or_else(String::new, |n| n.to_string()),
            ]
        });
        csv(
            args.plain,
            &["client", "to", "answer", "file", "line"],
            rows,
        )?;
        return Ok(delivery::status_of(document.verdict.state));
    }
    deliver(args, &document)
}

/// The line of the rule that decides.
fn line(lists: &[Reading], said: &Said, attempt: &Attempt) -> Option<u32> {
    let list = lists.get(said.list)?;
    let at = match (&list.rules, said.rule) {
        (Rules::Own(own), Some(index)) => own.rules.get(index)?.at.start,
        (Rules::Own(_), None) => return None,
        (rules, _) => {
            let spot = rules.decide(attempt, false).rule?.spot?;
            return Some(position(&list.sheets, &spot).0);
        }
    };
    Some(list.sheets.first()?.text.position(at).0)
}

pub(super) fn between(args: &args::Allowlist, old: &Path, new: &Path) -> Result<u8, Failure> {
    let (old, new) = at_once(|| rules::list(old), || rules::list(new));
    let (old, new) = (old?, new?);
    let to = args.to.as_deref().map(|to| rules::place("--to", to));
    let found = compared(&old, &new, &common(args)?, to.transpose()?);
    let differences = found.map_err(Failure::NotCompared)?.into_iter();
    let (mut before, mut after) = (Shown::of(&old), Shown::of(&new));
    let differences = differences
        .map(|d| difference(&mut before, &mut after, &d))
        .collect();
    let document = Allowlist::of_versions(env!("CARGO_PKG_VERSION"), differences);
    if args.output == ListOutput::Csv {
        let place = |rule: &Option<ShownRule>| {
            let line = rule.as_ref().and_then(|r| r.place.as_ref()?.line);
            line.map_or_else(String::new, |n| n.to_string())
        };
        let rows = document.between.iter().flatten().map(|d| {
            vec![
                d.change.clone(),
                d.clients.clone(),
                d.ports.clone(),
                place(&d.old),
                place(&d.new),
            ]
        });
        let names = ["change", "clients", "ports", "old_line", "new_line"];
        csv(args.plain, &names, rows)?;
        return Ok(delivery::status_of(document.verdict.state));
    }
    deliver(args, &document)
}

/// Rules as they are shown, each made once.
struct Shown<'a> {
    list: &'a Reading,
    known: BTreeMap<(usize, usize), ShownRule>,
}

impl<'a> Shown<'a> {
    fn of(list: &'a Reading) -> Shown<'a> {
        Shown {
            list,
            known: BTreeMap::new(),
        }
    }

    fn rule(&mut self, rule: &Rule) -> ShownRule {
        let key = rule.spot.as_ref().map(|s| (s.sheet, s.at.start));
        let list = self.list;
        match key {
            Some(key) => {
                let known = self.known.entry(key);
                known.or_insert_with(|| shown(list, rule)).clone()
            }
            None => shown(list, rule),
        }
    }
}

fn difference(old: &mut Shown<'_>, new: &mut Shown<'_>, found: &Difference) -> ShownDifference {
    ShownDifference {
        change: found.change.as_str().to_owned(),
        clients: found.clients.to_string(),
        ports: found.ports.to_string(),
        old: found.old.as_ref().map(|rule| old.rule(rule)),
        new: found.new.as_ref().map(|rule| new.rule(rule)),
    }
}

fn deliver(args: &args::Allowlist, document: &Allowlist) -> Result<u8, Failure> {
    let state = document.verdict.state;
    delivery::document(form(args.output)?, args.plain, state, document, || {
        report::allowlist::report(document, false)
    })
}

/// A table for other programs (RFC 4180).
fn csv(
    plain: bool,
    names: &[&str],
    rows: impl Iterator<Item = Vec<String>>,
) -> Result<(), Failure> {
    let mut out = render::out(plain);
    let write = || -> std::io::Result<()> {
        let mut table = csv::Writer::from_writer(Vec::new());
        table.write_record(names)?;
        for row in rows {
            table.write_record(&row)?;
        }
        let bytes = table.into_inner().map_err(|e| e.into_error())?;
        out.write_all(&bytes)?;
        out.flush()
    };
    Ok(write()?)
}

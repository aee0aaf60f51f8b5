//! Logs of the server that were given: read when the walk is over, since the server writes
//! what it did after it did it.

use std::path::{Path, PathBuf};
use std::time::Duration;

use chronaxis_diagnosis::verdict::Occasion;
use chronaxis_diagnosis::walk::{Touched, Walk};
use chronaxis_messages::log;
use chronaxis_messages::log::matching::{Run, of_run};
use chronaxis_model::fact::{Fact, LogStands, Observation, ServerLogRead, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redactor;

use crate::{echo, input};

/// Most of a log that is read: its end.
const MOST: u64 = 24 * 1024 * 1024;

/// Servers write an entry up to some milliseconds after the client heard.
const LATER: Duration = Duration::from_millis(60);

/// Reads the logs, and lets the walk know what they say of it.
pub(super) async fn read(
    files: &[PathBuf],
    occasion: &Occasion,
    hidden: &Redactor,
    walk: &mut Walk,
) {
    if files.is_empty() {
        return;
    }
    tokio::time::sleep(LATER).await;
    let run = run_of(walk, occasion);
    let at = walk.evidence().log.last().map_or(Micros(0), |o| o.at);
    let learnt = files
        .iter()
        .map(|file| Fact::ServerLogRead(Box::new(one(file, &run, hidden))))
        .map(|fact| Observation::new(Layer::Login, at, Subject::default(), fact))
        .collect();
    walk.learn(learnt, &Touched::default());
}

fn one(file: &Path, run: &Run, hidden: &Redactor) -> ServerLogRead {
    let name = echo::path(file);
    let unread = |why: String| ServerLogRead {
        file: name.clone(),
        kind: String::new(),
        stands: LogStands::Unread,
        why: hidden.text(&why),
        entries: Vec::new(),
        clock_ahead_us: None,
        others: None,
        left_out: None,
    };
    let tail = match input::tail(file, MOST) {
        Ok(tail) => tail,
        Err(cause) => return unread(format!("cannot be read: {cause}")),
    };
    let text = String::from_utf8_lossy(&tail.bytes);
    let Some(form) = log::recognise(&text) else {
        return unread(
            "is no log of a kind that is known; expected one of PostgreSQL, MySQL, MariaDB, PgBouncer, HAProxy, OpenSSH or MongoDB".to_owned(),
        );
    };
    let year = jiff::Zoned::now().year();
    let read = log::read(form, &text, year);
    let mut told = of_run(&name, &read, run, hidden);
    told.left_out = tail.left_out;
    told
}

/// What the log of the walk says of this side.
fn run_of(walk: &Walk, occasion: &Occasion) -> Run {
    let began = occasion
        .started
        .parse::<jiff::Timestamp>()
        .map_or(0, jiff::Timestamp::as_microsecond);
    let at = |micros: Micros| began + i64::try_from(micros.0).unwrap_or(0);
    let evidence = walk.evidence();
    let mut lines = Vec::new();
    let mut met = false;
    for (seen, fact) in evidence.facts() {
        match fact {
            Fact::PortConnected {
                from: Some(from), ..
            } => lines.push((*from, at(seen.at))),
            Fact::ServerRefused { .. } => met = true,
            _ => {}
        }
    }
    let last = evidence.log.last().map_or(Micros(0), |o| o.at);
    Run {
        from: began,
        to: at(last),
        zone: i64::from(jiff::Zoned::now().offset().seconds()) * 1_000_000,
        lines,
        user: evidence.target.user.clone(),
        database: evidence.target.database.clone(),
        met,
    }
}

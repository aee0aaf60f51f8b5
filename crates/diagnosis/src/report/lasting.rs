//! What was waited for, which instances answered, and how a long session went.

use chronaxis_model::fact::{Fact, IdleSession, Observation, Repeats, WaitedFor};

use super::entries::Entries;
use super::{Block, Column, Table, Tone, Topic, session};

/// Where there was more than one look.
pub(super) fn of_log(log: &[Observation]) -> Vec<Block> {
    let mut out = Entries::default();
    let mut table = None;
    for fact in log.iter().filter_map(Observation::fact) {
        match fact {
            Fact::Waited { spells } => waited(&mut out, spells),
            Fact::Repeated(all) => {
                repeated(&mut out, all);
                table = instances(all, tells_of_itself(log));
            }
            Fact::KeptIdle(idle) => kept_idle(&mut out, idle, tells_of_itself(log)),
            _ => {}
        }
    }
    out.section(Topic::Lasting)
        .into_iter()
        .chain(table)
        .collect()
}

fn waited(out: &mut Entries, spells: &[WaitedFor]) {
    let texts = spells.iter().map(|one| {
        let tries = match one.tries {
            1 => "1 more attempt".to_owned(),
            n => format!("{n} more attempts"),
        };
        format!("{} for {} ({tries})", one.for_us, one.what)
    });
    out.list("waited", texts);
}

fn repeated(out: &mut Entries, all: &Repeats) {
    let open = all
        .together
        .map_or_else(String::new, |n| format!(", {n} sessions open together"));
    out.text(
        "attempts",
        format!("{} of {} worked{open}", all.working, all.runs),
    );
    if let Some(answered) = all.answered {
        let lost = all.runs.saturating_sub(answered);
        let text = format!("{} sent, {answered} answered, {lost} lost", all.runs);
        out.text("requests", text);
    }
    if all.working > 0 {
        let text = format!(
            "{} shortest, {} median, {} longest",
            all.shortest_us, all.median_us, all.longest_us
        );
        out.text("times", text);
    }
    let failed = all.failures.iter().map(|one| match one.times {
        1 => format!("once {}", one.what),
        many => format!("{many} times {}", one.what),
    });
    out.list("failed", failed);
}

fn instances(all: &Repeats, tells_role: bool) -> Option<Block> {
    let column = |title, width| Column {
        title,
        width,
        tone: Tone::Plain,
    };
    let rows: Vec<Vec<String>> = all
        .instances
        .iter()
        .map(|met| {
            let name = met.name.as_ref().map_or("", |name| name.as_str());
            let role = match (met.read_only, tells_role) {
                (true, _) => "read-only",
                (false, true) => "writable",
                (false, false) => "",
            };
            vec![
                met.id.to_string(),
                name.to_owned(),
                met.address.clone(),
                role.to_owned(),
                met.times.to_string(),
            ]
        })
        .collect();
    let columns = vec![
        column("instance", 24),
        column("name", 14),
        column("at", 18),
        column("role", 9),
        column("answered", 8),
    ];
    (!rows.is_empty()).then_some(Block::Table(Table {
        columns,
        rows,
        folded: true,
    }))
}

/// Whether the server tells of its own limits, and whether it takes writes.
fn tells_of_itself(log: &[Observation]) -> bool {
    let tells = |fact: &Fact| match fact {
        Fact::Instance(instance) => session::tells_of_itself(instance),
        _ => false,
    };
    log.iter().filter_map(Observation::fact).any(tells)
}

fn kept_idle(out: &mut Entries, idle: &IdleSession, tells_limits: bool) {
    let ended = match idle.ended_us {
        None => format!("good after a pause of {}", idle.survived_us),
        Some(ended) if idle.survived_us.0 == 0 => format!("ended in a pause of {ended}"),
        Some(ended) => format!(
            "good after a pause of {}, ended in one of {ended}",
            idle.survived_us
        ),
    };
    let limit = match idle.server_limit_s {
        Some(limit) => format!("; the server's own limit is {limit} s"),
        None if tells_limits => "; the server has no limit of its own".to_owned(),
        None => String::new(),
    };
    out.text("idle", format!("{ended}{limit}"));
}

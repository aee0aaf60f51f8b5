//! What answers each question: the log, looked at for one path.

pub(super) mod account;
pub(super) mod departure;
pub(super) mod encryption;
pub(super) mod lists;
pub(super) mod names;
pub(super) mod port;
pub(super) mod services;
pub(super) mod steps;
pub(super) mod way;

use chronaxis_engines::by_id;
use chronaxis_model::fact::{Awaited, Fact, Meaning};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::secret::{Blemish, Repair};
use chronaxis_model::settings::{DefectKind, Field};
use chronaxis_model::token::{TokenDates, moment_shown};

use super::{Answer, Word, answers};
use crate::judge::{PathView, Symptom};

/// An answer, by its word and what was seen.
fn answer(word: impl Into<Word>, text: impl Into<String>) -> Option<Answer> {
    Some(Answer {
        word: word.into(),
        text: text.into(),
    })
}

/// A failure that took longer than this is a silence that somebody turned into an answer.
const SLOW_NAME: Micros = Micros::from_millis(2000);

/// Nothing in the log answers it: it takes another machine, another time, or another person.
pub(super) fn from_outside(_: &PathView<'_>, _: Symptom) -> Option<Answer> {
    None
}

/// Messages and logs answer it; where none was given, nothing does.
pub(super) fn log_names(_: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    match symptom {
        Symptom::LoginRefused => answer(
            answers::LogNames::Nothing,
            "no log of the pooler says which it is",
        ),
        // Elsewhere the server itself tells, or its own tables do.
        _ => answer(answers::LogNames::ServerSays, ""),
    }
}

const ROLE_WORDS: &[(&str, answers::RoleWords)] = &[
    ("does not exist", answers::RoleWords::NoSuchRole),
    (
        "is not permitted to log in",
        answers::RoleWords::MayNotSignIn,
    ),
    (
        "ertificate authentication failed",
        answers::RoleWords::Certificate,
    ),
    ("Peer authentication failed", answers::RoleWords::OwnAccount),
    (
        "Ident authentication failed",
        answers::RoleWords::OwnAccount,
    ),
];

const HOST_WORDS: &[(&str, answers::HostWords)] = &[
    ("valid client certificate", answers::HostWords::Certificate),
    ("pg_hba.conf", answers::HostWords::NoRule),
];

const STATE_WORDS: &[(&str, answers::StateWords)] = &[
    ("starting up", answers::StateWords::Starting),
    (
        "not yet accepting connections",
        answers::StateWords::Starting,
    ),
    ("not accepting connections", answers::StateWords::Starting),
    ("in recovery mode", answers::StateWords::Starting),
    ("shutting down", answers::StateWords::Stopping),
];

/// The refusals whose meaning their code alone does not tell.
fn unclear_refusal<'a>(view: &PathView<'a>) -> Option<(bool, &'a str)> {
    view.find(|fact| match fact {
        Fact::ServerRefused {
            meaning: Meaning::ProtocolRefused | Meaning::ServerInternal | Meaning::Other,
            routine,
            message,
            ..
        } => Some((routine.is_some(), message.as_str())),
        _ => None,
    })
}

pub(super) fn refused_by(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    match unclear_refusal(view)? {
        (true, _) => answer(
            answers::RefusedBy::Server,
            "the refusal names a routine of the server",
        ),
        (false, _) => answer(
            answers::RefusedBy::Pooler,
            "the refusal names no routine of the server, which is typical of a pooler",
        ),
    }
}

/// Words are the last resort, here as elsewhere; a pooler's are never translated.
pub(super) fn pooler_words(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    const KNOWN: &[(&str, answers::PoolerWords)] = &[
        ("no such database", answers::PoolerWords::Database),
        ("startup parameter", answers::PoolerWords::Parameter),
        ("startup packet", answers::PoolerWords::Parameter),
        ("authentication failed", answers::PoolerWords::Credentials),
        ("no such user", answers::PoolerWords::Credentials),
        ("no more connections allowed", answers::PoolerWords::Limit),
        // Its pool is full, or the server behind it cannot be reached: said alike.
        ("query_wait_timeout", answers::PoolerWords::Waited),
        ("does not exist", answers::PoolerWords::Database),
        ("cannot connect to server", answers::PoolerWords::Backend),
        ("server login", answers::PoolerWords::Backend),
        ("server conn crashed", answers::PoolerWords::Backend),
    ];
    let (by_server, message) = unclear_refusal(view)?;
    let (_, word) = KNOWN.iter().find(|(words, _)| message.contains(words))?;
    if by_server {
        return None;
    }
    answer(*word, format!("the pooler says: {message}"))
}

pub(super) fn sent_parameters(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    unclear_refusal(view)?;
    let sent = by_id(view.evidence.target.engine)
        .protocol
        .start_parameters(view.evidence.target);
    if sent.is_empty() {
        return answer(
            answers::SentParameters::None,
            "the client sends nothing but user and database at the start",
        );
    }
    answer(
        answers::SentParameters::Some,
        format!("the client sends at the start: {}", sent.join(", ")),
    )
}

pub(super) fn repaired_secret(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    let tried = view.all(|fact| match fact {
        Fact::RepairTried { repair, accepted } => Some((*repair, *accepted)),
        _ => None,
    });
    match tried.iter().find(|(_, accepted)| *accepted) {
        Some((repair, _)) => {
            let word = match repair {
                Repair::BlanksOff | Repair::QuotesOff => answers::RepairedSecret::BlanksOff,
                Repair::PercentDecoded => answers::RepairedSecret::Decoded,
            };
            answer(word, format!("the password {} is accepted", repair.title()))
        }
        None if tried.is_empty() => None,
        None => answer(
            answers::RepairedSecret::None,
            "no corrected form of the password is accepted either",
        ),
    }
}

pub(super) fn token_date(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    if !matches!(symptom, Symptom::LoginDenied | Symptom::LoginCredentials) {
        return None;
    }
    let given = view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::TokenGiven { token, dates } => Some((token, *dates)),
        _ => None,
    });
    let at = |seconds: Option<i64>| seconds.map_or_else(String::new, moment_shown);
    match given {
        Some((token, TokenDates::Past)) => answer(
            answers::TokenDate::Past,
            format!(
                "the password is {} that counted until {}",
                token.kind.title(),
                at(token.expires)
            ),
        ),
        Some((token, TokenDates::NotYet)) => answer(
            answers::TokenDate::NotYet,
            format!(
                "the password is {} that counts only from {} on",
                token.kind.title(),
                at(token.not_before)
            ),
        ),
        Some((token, TokenDates::InTime)) => answer(
            answers::TokenDate::Plain,
            format!(
                "the password is {}, in time by its own dates",
                token.kind.title()
            ),
        ),
        _ => answer(
            answers::TokenDate::Plain,
            "the password is no token with dates",
        ),
    }
}

/// Which value a symptom turns on.
fn value_in_question(symptom: Symptom) -> &'static [Field] {
    match symptom {
        Symptom::NameNotFound | Symptom::NameNoAddress => const { &[Field::HOST] },
        Symptom::PortSocketMissing | Symptom::PortSocketRefused => const { &[Field::HOST] },
        Symptom::LoginCredentials | Symptom::LoginDenied => {
            const { &[Field::PASSWORD, Field::USER] }
        }
        Symptom::LoginIdentity => const { &[Field::USER] },
        Symptom::LoginHostRefused => const { &[Field::USER, Field::DATABASE] },
        Symptom::SessionNoDatabase | Symptom::ListenerNoService => const { &[Field::DATABASE] },
        _ => const { &[] },
    }
}

/// Which values a symptom may turn on, wherever they were told.
fn turns_on(symptom: Symptom) -> &'static [Field] {
    match symptom.layer() {
        _ if symptom == Symptom::ListenerNoService => {
            const { &[Field::DATABASE, Field::HOST, Field::PORT] }
        }
        Layer::Name => const { &[Field::HOST] },
        Layer::Route | Layer::Port | Layer::Listener | Layer::Tls => {
            const { &[Field::HOST, Field::PORT, Field::SOCKET] }
        }
        Layer::Login => {
            const {
                &[
                    Field::PASSWORD,
                    Field::USER,
                    Field::DATABASE,
                    Field::HOST,
                    Field::STRING,
                ]
            }
        }
        Layer::Session => const { &[Field::DATABASE, Field::USER] },
        Layer::Settings | Layer::Bundle => const { &[] },
    }
}

pub(super) fn settings_say(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let subjects = turns_on(symptom);
    // A value that shows a slip of its own needs no other place to explain it.
    let slips = |subject: &Field| {
        let own = |d: &chronaxis_model::settings::Defect| {
            let form = matches!(
                d.kind,
                DefectKind::StrayWhitespace | DefectKind::Placeholder | DefectKind::LookAlike
            );
            form && d.subject == *subject
        };
        view.evidence
            .facts()
            .any(|(_, fact)| matches!(fact, Fact::SettingDefect(d) if own(d)))
    };
    let said = |wanted: DefectKind| {
        view.evidence.facts().find_map(|(_, fact)| match fact {
            Fact::SettingDefect(d)
                if d.kind == wanted
                    && subjects.contains(&d.subject)
                    && !(wanted == DefectKind::SourcesDisagree && slips(&d.subject)) =>
            {
                Some(d.text.clone())
            }
            _ => None,
        })
    };
    // What is sure of itself before what may be meant so.
    let words = [
        (
            DefectKind::LoopbackElsewhere,
            answers::SettingsSay::Loopback,
        ),
        (
            DefectKind::ContainerNameOutside,
            answers::SettingsSay::ContainerName,
        ),
        (DefectKind::BackslashEaten, answers::SettingsSay::Backslash),
        (DefectKind::Inactive, answers::SettingsSay::Inactive),
        (
            DefectKind::SourcesDisagree,
            answers::SettingsSay::AnotherPlace,
        ),
    ];
    let found = words
        .into_iter()
        .find_map(|(kind, word)| Some((word, said(kind)?)));
    match found {
        Some((answers::SettingsSay::Inactive, text)) => match inactive_port_that_answers(view) {
            Some(port) => answer(
                answers::SettingsSay::InactiveAnswers,
                format!("{text}, and the engine answers on that one: {port}"),
            ),
            None => answer(answers::SettingsSay::Inactive, text),
        },
        Some((word, text)) => answer(word, text),
        None => answer(
            answers::SettingsSay::Nothing,
            "nothing else in the settings explains it",
        ),
    }
}

/// The port of a line that does not count, where that is the very port on which the engine
/// answers.
fn inactive_port_that_answers(view: &PathView<'_>) -> Option<u16> {
    let facts = || view.evidence.facts();
    let inactive: Vec<u16> = facts()
        .filter_map(|(_, fact)| match fact {
            Fact::SettingDefect(d)
                if d.kind == DefectKind::Inactive && d.subject == Field::PORT =>
            {
                let place = d.place.as_ref()?;
                let marked = place.excerpt.chars().skip(place.at).take(place.width);
                marked.collect::<String>().parse().ok()
            }
            _ => None,
        })
        .collect();
    facts().find_map(|(o, fact)| {
        let port = match fact {
            Fact::EngineElsewhere { speaks: true } => o.about.port,
            Fact::ListenerHere(listening) => listening.on.map(|on| on.port()),
            _ => None,
        };
        port.filter(|port| inactive.contains(port))
    })
}

pub(super) fn value_shape(view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
    let subjects = value_in_question(symptom);
    if subjects.is_empty() {
        return None;
    }
    let defects = view.evidence.facts().filter_map(|(_, fact)| match fact {
        Fact::SettingDefect(d) if subjects.contains(&d.subject) => Some(d),
        _ => None,
    });
    for defect in defects {
        let shape = match defect.kind {
            DefectKind::StrayWhitespace | DefectKind::CommentKept
                if defect.subject != Field::PASSWORD =>
            {
                answers::ValueShape::BlankElsewhere
            }
            DefectKind::StrayWhitespace if matters(view, symptom) => answers::ValueShape::Blank,
            DefectKind::CommentKept => answers::ValueShape::Blank,
            DefectKind::Placeholder => answers::ValueShape::Placeholder,
            DefectKind::LookAlike => answers::ValueShape::LookAlike,
            // What its reader makes of the value is not what stands there.
            DefectKind::CutShort => answers::ValueShape::Percent,
            _ => continue,
        };
        return answer(shape, defect.text.clone());
    }
    let form = view.evidence.target.secret.form.as_ref();
    let of_password = matches!(symptom, Symptom::LoginCredentials | Symptom::LoginDenied);
    if of_password && form.is_some_and(|f| f.has(Blemish::PercentEncoded)) {
        return answer(
            answers::ValueShape::Percent,
            "the password contains a percent escape",
        );
    }
    let told = |field: &Field| {
        let origin = view.evidence.target.origins.get(field.as_str());
        origin.map(|origin| !origin.is_default())
    };
    // Who names a socket file needs no host.
    let socket_told = told(&Field::SOCKET) == Some(true);
    let left_out = subjects
        .iter()
        .find(|s| told(s) == Some(false) && !(**s == Field::HOST && socket_told));
    // What no rule fits was named.
    let named = symptom == Symptom::LoginHostRefused;
    if let Some(subject) = left_out.filter(|_| !named) {
        return answer(
            answers::ValueShape::LeftOut,
            format!("the {subject} is not in the settings; the client used its default"),
        );
    }
    let database = by_id(view.evidence.target.engine).spec.database_word;
    let called = |field: &Field| match *field == Field::DATABASE {
        true => database.to_owned(),
        false => field.to_string(),
    };
    let names: Vec<String> = subjects.iter().map(called).collect();
    answer(
        answers::ValueShape::Clean,
        format!("no visible mistake in the {}", names.join(" or the ")),
    )
}

/// SASLprep drops zero-width characters and maps a no-break space to a space (RFC 4013,
/// sections 2.1 and 2.2): under SCRAM only what is left at an edge fails.
fn matters(view: &PathView<'_>, symptom: Symptom) -> bool {
    let by_scram = view.find(|fact| match fact {
        Fact::PasswordAsked { method } => Some(method.starts_with("SCRAM")),
        _ => None,
    });
    let form = view.evidence.target.secret.form.as_ref();
    let plain_blank = form.is_some_and(|f| {
        f.has(Blemish::LeadingBlank) || f.has(Blemish::TrailingBlank) || f.has(Blemish::Quoted)
    });
    symptom != Symptom::LoginCredentials || by_scram != Some(true) || plain_blank
}

pub(super) fn name_speed(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    let elapsed = view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::NameFailed { elapsed_us, .. } => Some(*elapsed_us),
        _ => None,
    })?;
    if elapsed < SLOW_NAME {
        answer(
            answers::NameSpeed::Quick,
            format!("the failure came after {elapsed}"),
        )
    } else {
        answer(
            answers::NameSpeed::Slow,
            format!("the failure came after {elapsed}, as after a timeout"),
        )
    }
}

pub(super) fn proof_before(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    let (_, awaited) = view.refusal()?;
    let sent = view
        .find(|fact| matches!(fact, Fact::ProofSent).then_some(()))
        .is_some();
    let admitted = awaited == Awaited::SessionStart;
    match (sent, admitted) {
        (true, true) => answer(
            answers::ProofBefore::Accepted,
            "the password was accepted before the refusal",
        ),
        (false, _) => answer(answers::ProofBefore::NoneAsked, "no password was asked for"),
        (true, false) => None,
    }
}

pub(super) fn role_words(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    words(view, Meaning::IdentityRefused, ROLE_WORDS)
}

pub(super) fn host_words(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    words(view, Meaning::HostNotPermitted, HOST_WORDS)
}

pub(super) fn state_words(view: &PathView<'_>, _: Symptom) -> Option<Answer> {
    // Some servers have a code of its own for it, which no words need explain.
    if view
        .refusal()
        .is_some_and(|(meaning, _)| meaning == Meaning::Starting)
    {
        return answer(
            answers::StateWords::Starting,
            "the server's code says that it is starting",
        );
    }
    words(view, Meaning::NotReady, STATE_WORDS)
}

/// Words are the last resort: they are translated, and say something only where they are
/// the untranslated ones.
fn words<W: Copy + Into<Word>>(
    view: &PathView<'_>,
    of: Meaning,
    known: &[(&str, W)],
) -> Option<Answer> {
    view.find(|fact| match fact {
        Fact::ServerRefused {
            meaning, message, ..
        } if *meaning == of => known
            .iter()
            .find(|(words, _)| message.as_str().contains(words))
            .map(|(_, word)| (*word, message.as_str())),
        _ => None,
    })
    .and_then(|(word, message)| answer(word, format!("the server says: {message}")))
}

//! What somebody with more rights says of the account and its database.

use chronaxis_engines::{Refusal, by_id};
use chronaxis_model::account::{AccountTold, SameServer};
use chronaxis_model::fact::{Fact, IdleEnd, Meaning};
use chronaxis_model::layer::Micros;
use chronaxis_model::reference::{ReferenceCompared, SecretsCompared};

use super::super::{Answer, answers};
use super::answer;
use crate::administrator::{self, Word};
use crate::judge::{PathView, Symptom};

/// Servers look at their limits about once a second.
const LIMIT_PRECISION: Micros = Micros::from_millis(1_500);

/// The directory or module that keeps the password, where the refusal names it.
fn keeper(view: &PathView<'_>) -> Option<&'static str> {
    let engine = by_id(view.evidence.target.engine);
    view.find(|fact| match fact {
        Fact::ServerRefused {
            code,
            meaning,
            message,
            ..
        } => (engine.spec.advice.keeper)(&Refusal {
            meaning: *meaning,
            code,
            message: message.as_str(),
        }),
        _ => None,
    })
}

/// What the server itself says of the account, where its codes tell apart what others say
/// alike.
fn told_by_server(view: &PathView<'_>) -> Option<(answers::AccountStands, &'static str)> {
    let tells_apart = by_id(view.evidence.target.engine).spec.tells_apart;
    match view.refusal()?.0 {
        Meaning::HostNotPermitted if tells_apart => Some((
            answers::AccountStands::HostExcluded,
            "the server says that it is the address; of an unknown user or service it would say that",
        )),
        Meaning::ProofWrong => Some((
            answers::AccountStands::InOrder,
            "the server says that the proof is wrong; of an unknown user or a locked account it would say that",
        )),
        Meaning::UserUnknown => Some((
            answers::AccountStands::NoSuchUser,
            "the server says that there is no such user",
        )),
        _ => None,
    }
}

/// The view, where it is one of this very server.
fn believed<'a>(view: &PathView<'a>) -> Option<&'a AccountTold> {
    administrator::told(view.evidence).filter(|told| told.server == SameServer::Same)
}

pub(in crate::knowledge::questions) fn looked(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let silent = matches!(
        symptom,
        Symptom::LoginCredentials | Symptom::LoginDenied | Symptom::LoginHostRefused
    );
    if !silent {
        return answer(
            answers::AccountLooked::ServerSays,
            "the server itself says what is wrong",
        );
    }
    if let Some(name) = other_password(view) {
        return answer(
            answers::AccountLooked::Yes,
            format!("{name} has another password for this account"),
        );
    }
    if let Some((_, text)) = told_by_server(view) {
        return answer(answers::AccountLooked::Yes, text);
    }
    let standing = believed(view).and_then(|told| administrator::standing(told, view, symptom));
    match standing {
        Some(standing) if standing.word == Word::Exists => answer(
            answers::AccountLooked::Partly,
            "part of the account was looked up on the server",
        ),
        Some(_) => answer(
            answers::AccountLooked::Yes,
            "the account was looked up on the server",
        ),
        None => match keeper(view) {
            Some(keeper) => answer(
                answers::AccountLooked::ServerSays,
                format!("the server says that {keeper} decides on this account"),
            ),
            None => answer(
                answers::AccountLooked::No,
                "nobody with more rights looked the account up on the server",
            ),
        },
    }
}

pub(in crate::knowledge::questions) fn stands(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    let bears = matches!(
        symptom,
        Symptom::LoginCredentials
            | Symptom::LoginDenied
            | Symptom::LoginIdentity
            | Symptom::LoginHostRefused
    );
    if !bears {
        return None;
    }
    if let Some((word, text)) = told_by_server(view) {
        return answer(word, text);
    }
    let seen = believed(view);
    let standing =
        seen.and_then(|told| Some((told, administrator::standing(told, view, symptom)?)));
    let Some((told, standing)) = standing else {
        let keeper = keeper(view)?;
        return answer(
            answers::AccountStands::Elsewhere,
            format!("the server's own words: it asks {keeper} about this account's password"),
        );
    };
    let word = match standing.word {
        Word::NoSuchDatabase => answers::AccountStands::NoSuchDatabase,
        Word::NoSuchUser => answers::AccountStands::NoSuchUser,
        Word::MayNotSignIn => answers::AccountStands::MayNotSignIn,
        Word::Expired => answers::AccountStands::Expired,
        Word::NoPassword => answers::AccountStands::NoPassword,
        Word::Elsewhere => answers::AccountStands::Elsewhere,
        Word::HostExcluded => answers::AccountStands::HostExcluded,
        Word::NeedsEncryption => answers::AccountStands::NeedsEncryption,
        Word::NeedsCertificate => answers::AccountStands::NeedsCertificate,
        Word::InOrder => answers::AccountStands::InOrder,
        Word::Exists => answers::AccountStands::Exists,
    };
    answer(
        word,
        format!("{} on the server sees: {}", told.asked_as, standing.text),
    )
}

pub(in crate::knowledge::questions) fn database(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::SessionNotPermitted {
        return answer(
            answers::DatabaseThere::ServerSays,
            "the server itself says what is wrong",
        );
    }
    let name = view.evidence.target.database.as_deref().unwrap_or_default();
    let told = believed(view);
    match told.and_then(administrator::database) {
        Some(true) => answer(
            answers::DatabaseThere::There,
            format!("the database {name} exists, as an administrator sees"),
        ),
        Some(false) => answer(
            answers::DatabaseThere::Missing,
            format!("there is no database {name} on the server, as an administrator sees"),
        ),
        None => answer(
            answers::DatabaseThere::Untold,
            "the server does not say whether the database exists",
        ),
    }
}

pub(in crate::knowledge::questions) fn idle_end(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if symptom != Symptom::SessionIdleCut {
        return None;
    }
    let idle = view.find(|fact| match fact {
        Fact::KeptIdle(idle) => Some(idle),
        _ => None,
    })?;
    let ended = idle.ended_us.unwrap_or_default();
    let by_limit = idle
        .server_limit_s
        .filter(|limit| Micros(limit.saturating_mul(1_000_000)) <= ended.after(LIMIT_PRECISION));
    match (&idle.end, by_limit) {
        (IdleEnd::Said { code, message }, _) => answer(
            answers::IdleEnd::ServerSaid,
            format!("the server ended it: {code} {message}"),
        ),
        (IdleEnd::Closed { .. }, Some(limit)) => answer(
            answers::IdleEnd::ServerLimit,
            format!("the server's own settings end sessions after {limit} s idle"),
        ),
        (IdleEnd::Closed { reset }, None) => answer(
            answers::IdleEnd::Unexplained,
            format!(
                "the connection was {}, and the server's own settings do not end it so early",
                if *reset { "reset" } else { "closed" }
            ),
        ),
        (IdleEnd::Silent, _) => answer(
            answers::IdleEnd::Unexplained,
            "no answer came any more: something on the way forgot the connection",
        ),
        (IdleEnd::Lived, _) => None,
    }
}

/// Settings that are known to be right, where they are of the same account and have another
/// password.
fn other_password<'a>(view: &PathView<'a>) -> Option<&'a str> {
    let compared = compared(view)?;
    let differs = matches!(
        compared.secret,
        Some(SecretsCompared::Different | SecretsCompared::ByCase)
    );
    let same_account = compared
        .different
        .iter()
        .all(|one| !matches!(one.field.as_str(), "engine" | "host" | "port" | "user"));
    (differs && same_account).then_some(compared.reference.as_str())
}

fn compared<'a>(view: &PathView<'a>) -> Option<&'a ReferenceCompared> {
    view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::ReferenceCompared(compared) => Some(&**compared),
        _ => None,
    })
}

pub(in crate::knowledge::questions) fn reference(
    view: &PathView<'_>,
    symptom: Symptom,
) -> Option<Answer> {
    if !matches!(symptom, Symptom::LoginCredentials | Symptom::LoginDenied) {
        return None;
    }
    let compared = compared(view)?;
    let name = &compared.reference;
    let other_user = compared.different.iter().any(|one| one.field == "user");
    let word = match compared.secret {
        _ if other_user => return None,
        Some(SecretsCompared::Equal) => answers::ReferenceSays::Same,
        Some(SecretsCompared::Different | SecretsCompared::ByCase) => {
            answers::ReferenceSays::AnotherPassword
        }
        Some(SecretsCompared::ByBlanks | SecretsCompared::ByQuotes) => {
            answers::ReferenceSays::Blanks
        }
        Some(SecretsCompared::ByEncoding) => answers::ReferenceSays::Encoding,
        _ => return None,
    };
    let how = compared.secret.map_or("", SecretsCompared::title);
    answer(
        word,
        format!("the password is, against that of {name}: {how}"),
    )
}

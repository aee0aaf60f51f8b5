//! What to test next, with a command that can be run.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::Layer;
use chronaxis_model::secret::Blemish;
use chronaxis_model::settings::DefectKind;
use chronaxis_model::shell;

use super::described::{again, again_with, engine};
use super::shape::NextTest;
use crate::inference::{self, Answers};
use crate::judge::{Evidence, PathView, Status, Symptom};
use crate::knowledge::questions::{Question, answers};

/// The questions that somebody could still answer for this path, with a command or by
/// asking.
pub fn open_questions(view: &PathView<'_>, answers: &Answers) -> Vec<Question> {
    let mut open = vec![
        Question::AtTheHost,
        Question::OtherVantage,
        Question::LaterAgain,
        Question::ServerLog,
        Question::EncryptionOffer,
        Question::LongerPatience,
        Question::RepairedSecret,
    ];
    let repairable = view.evidence.target.secret.form.as_ref().is_some_and(|f| {
        let shows = [
            Blemish::LeadingBlank,
            Blemish::TrailingBlank,
            Blemish::Invisible,
            Blemish::Quoted,
            Blemish::PercentEncoded,
        ];
        shows.into_iter().any(|b| f.has(b))
    });
    let here = answers
        .get(&Question::TargetPlace)
        .is_some_and(|a| !a.is(answers::TargetPlace::Elsewhere));
    open.retain(|q| match q {
        Question::RepairedSecret => repairable,
        // This is the host, and no other network leads to it.
        Question::AtTheHost | Question::OtherVantage => !here,
        _ => true,
    });
    open.retain(|q| !answers.contains_key(q));
    open
}

/// The most telling open question, and how to answer it.
pub(super) fn choose(view: &PathView<'_>, symptom: Symptom, answers: &Answers) -> Option<NextTest> {
    let open = open_questions(view, answers);
    let question = inference::next_question(symptom, answers, &open)?;
    let port_only = |to: &Endpoint| {
        let to = to.to_string();
        let engine = engine(view.evidence);
        shell::command([
            "chronaxis",
            "diagnose",
            &to,
            "--engine",
            engine,
            "--until",
            "port",
        ])
    };
    let (what, command) = match question {
        Question::AtTheHost => (
            "Run it on the database host itself. If it connects, a firewall in between is the cause. If it is refused, nothing listens on that address, and the report names what does. If it is silent, the server or the host is the cause.",
            Some(port_only(&view.endpoint)),
        ),
        Question::OtherVantage => (
            "Run it from another network, ideally from one where it works for somebody. If it connects there, a firewall or allow-list is the cause. If it is silent there too, the host is.",
            Some(port_only(&view.endpoint)),
        ),
        Question::LaterAgain => (
            "Run it again in a minute. If it works, the problem has passed. If it is refused, the server has stopped. If nothing changes, somebody has to look at the server.",
            Some(again(view.evidence)),
        ),
        Question::ServerLog => (
            "Ask the administrator for the log of the server, or of the pooler in front of it, at the time of this run: it says what the client is not told.",
            None,
        ),
        Question::LongerPatience => (
            "Run it with more patience. If it answers, the server is only slow. If not, nothing behind the port is responding.",
            Some(again_with(
                view.evidence,
                &[&["--patience", "30"], &["--deadline", "60"]],
            )),
        ),
        Question::RepairedSecret => (
            "Let it try the corrected forms of the given password: at most three more sign-ins, which may fail. If one is accepted, that is the proof.",
            Some(again_with(
                view.evidence,
                &[&["--try-repairs"], &["--password-stdin"]],
            )),
        ),
        Question::EncryptionOffer => (
            "Run it with encryption switched on in the settings. If the server offers it, the rule may be for encrypted connections only.",
            Some(again(view.evidence)),
        ),
        _ => return None,
    };
    Some(NextTest {
        question: question.as_str().to_owned(),
        what: what.to_owned(),
        command,
    })
}

/// Where the way is clear up to a point that could not be tested.
pub(super) fn for_untold(evidence: Evidence<'_>, status: Status) -> Option<NextTest> {
    let layer = status.untold?;
    let no_password = status.symptom == Some(Symptom::LoginNoPassword);
    let (question, what, command) = match layer {
        Layer::Settings if is_beyond(evidence) => (
            "unread-file",
            "Name a copy of the file in a form that this program reads, or connect once with the program itself.",
            again(evidence),
        ),
        Layer::Settings => (
            "unknown-value",
            "Set the variable here as it is set where the program runs, or run this there.",
            again(evidence),
        ),
        Layer::Login if no_password => (
            "password",
            "Run it again with the password; it will be tried once.",
            again_with(evidence, &[&["--password-stdin"]]),
        ),
        Layer::Login if withheld_in_clear(evidence) => (
            "sign-in-in-clear",
            "If nobody can listen in on the network, allow it: the password is then sent once, in clear text.",
            again_with(evidence, &[&["--allow-plaintext"], &["--password-stdin"]]),
        ),
        Layer::Login => (
            "sign-in",
            "Run the program's own client once with the same settings, and read its message.",
            again(evidence),
        ),
        _ => (
            "encrypted-line",
            "Run the program's own client with the same settings. What happens once the connection is encrypted?",
            again(evidence),
        ),
    };
    Some(NextTest {
        question: question.to_owned(),
        what: what.to_owned(),
        command: (no_password || withheld_in_clear(evidence) || layer == Layer::Settings)
            .then_some(command),
    })
}

/// Whether a file is in a form that is not read here.
fn is_beyond(evidence: Evidence<'_>) -> bool {
    evidence.facts().any(|(_, fact)| match fact {
        Fact::SettingDefect(d) => d.stops && d.kind == DefectKind::FileBeyond,
        _ => false,
    })
}

fn withheld_in_clear(evidence: Evidence<'_>) -> bool {
    evidence
        .facts()
        .any(|(_, fact)| matches!(fact, Fact::PlaintextWithheld))
}

/// The same again, to prove the fix.
pub(super) fn after_the_fix(evidence: Evidence<'_>) -> Option<NextTest> {
    // What stands in a file is mended there; a string is to be given anew.
    let in_file = evidence.facts().any(|(_, fact)| match fact {
        Fact::SettingDefect(d) => d.stops && d.place.as_ref().is_some_and(|p| p.file.is_some()),
        _ => false,
    });
    let lasting = evidence.scope.again.as_ref().is_some_and(|a| a.lasting);
    let (what, command) = if evidence.target.ends.is_empty() && !in_file && !lasting {
        let what = "After the fix, give the mended string to this on its standard input.";
        (what, "chronaxis diagnose -".to_owned())
    } else {
        (
            "After the fix, run the same command again: it should succeed.",
            again(evidence),
        )
    };
    Some(NextTest {
        question: "after-the-fix".to_owned(),
        what: what.to_owned(),
        command: Some(command),
    })
}

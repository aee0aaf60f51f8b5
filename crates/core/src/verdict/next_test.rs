//! What to test next, with a command that can be run.

use super::shape::NextTest;
use crate::endpoint::Endpoint;
use crate::fact::Fact;
use crate::inference::{self, Answers};
use crate::judge::{Evidence, PathView, Stand, Symptom};
use crate::knowledge::questions::Question;
use crate::layer::Layer;

/// The most telling open question, and how to answer it.
pub(super) fn choose(view: &PathView<'_>, symptom: Symptom, answers: &Answers) -> Option<NextTest> {
    let open = [
        Question::AtTheHost,
        Question::OtherVantage,
        Question::LaterAgain,
        Question::ServerLog,
        Question::EncryptionOffer,
    ];
    let question = inference::next_question(symptom, answers, &open)?;
    let port_only = |to: &Endpoint| {
        format!(
            "chronaxis diagnose {to} --engine {} --until port",
            engine(view.evidence)
        )
    };
    let (what, command) = match question {
        Question::AtTheHost => (
            "Run it on the database host itself. Connected: a filter on the way is at fault. Refused: nothing listens. Silent: the server or the host is at fault.",
            Some(port_only(&view.endpoint)),
        ),
        Question::OtherVantage => (
            "Run it from another network, best from where it works for somebody. Connected there: a filter or list stands between. Silent there too: the host.",
            Some(port_only(&view.endpoint)),
        ),
        Question::LaterAgain => (
            "Run it again in a minute. Works: it passes by itself. Refused: it has stopped. The same: somebody must look at it.",
            Some(again(view.evidence)),
        ),
        Question::ServerLog => (
            "Ask the administrator for the server's log at the time of this run: it says what the client is not told.",
            None,
        ),
        Question::EncryptionOffer => (
            "Run it so that the client asks for encryption. If the server offers it, the rule may be for encrypted lines only.",
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
pub(super) fn for_untold(evidence: Evidence<'_>, stand: Stand) -> Option<NextTest> {
    let layer = stand.untold?;
    let no_password = stand.symptom == Some(Symptom::LoginNoPassword);
    let (question, what, command) = match layer {
        Layer::Login if no_password => (
            "password",
            "Run it again with the password, which then is tried once.",
            format!(
                "chronaxis diagnose --password-stdin {}",
                described(evidence)
            ),
        ),
        Layer::Login if withheld_in_clear(evidence) => (
            "sign-in-in-clear",
            "If nobody can listen on the line, allow it: the password then goes out in clear, once.",
            format!(
                "chronaxis diagnose --allow-plaintext --password-stdin {}",
                described(evidence)
            ),
        ),
        Layer::Login => (
            "sign-in",
            "Run the program's own client once with the same settings, and read what it says.",
            again(evidence),
        ),
        _ => (
            "encrypted-line",
            "Run the program's own client with the same settings: what happens after the line is encrypted?",
            again(evidence),
        ),
    };
    Some(NextTest {
        question: question.to_owned(),
        what: what.to_owned(),
        command: (no_password || withheld_in_clear(evidence)).then_some(command),
    })
}

fn withheld_in_clear(evidence: Evidence<'_>) -> bool {
    evidence
        .facts()
        .any(|(_, fact)| matches!(fact, Fact::PlaintextWithheld))
}

/// The same again, to prove the fix.
pub(super) fn after_the_fix(evidence: Evidence<'_>) -> Option<NextTest> {
    let (what, command) = if evidence.target.ends.is_empty() {
        let what = "After the fix, give the mended string to this on its standard input.";
        (what, "chronaxis diagnose -".to_owned())
    } else {
        (
            "After the fix, the same command proves it.",
            again(evidence),
        )
    };
    Some(NextTest {
        question: "after-the-fix".to_owned(),
        what: what.to_owned(),
        command: Some(command),
    })
}

fn engine(evidence: Evidence<'_>) -> &'static str {
    evidence.target.engine.as_str()
}

fn again(evidence: Evidence<'_>) -> String {
    format!("chronaxis diagnose {}", described(evidence))
}

/// The target without its secret, in a form that the program reads, quoted for a shell.
fn described(evidence: Evidence<'_>) -> String {
    let target = evidence.target;
    let mut pairs: Vec<(String, String)> = Vec::new();
    match target.ends.first() {
        Some(crate::target::End::Host { host, port }) => {
            pairs.push(("host".to_owned(), host.clone()));
            pairs.push(("port".to_owned(), port.to_string()));
        }
        Some(crate::target::End::Socket { socket }) => {
            let (folder, file) = socket.rsplit_once('/').unwrap_or(("", socket));
            pairs.push(("host".to_owned(), folder.to_owned()));
            let port = file.rsplit('.').next().unwrap_or_default();
            pairs.push(("port".to_owned(), port.to_owned()));
        }
        None => return "-".to_owned(),
    }
    for (key, value) in [("dbname", &target.database), ("user", &target.user)] {
        if let Some(value) = value {
            pairs.push((key.to_owned(), value.clone()));
        }
    }
    if let Some(mode) = target.options.get("sslmode") {
        pairs.push(("sslmode".to_owned(), mode.clone()));
    }
    let words: Vec<String> = pairs
        .into_iter()
        .map(|(key, value)| format!("{key}={}", quoted(&value)))
        .collect();
    format!("\"{}\"", words.join(" "))
}

/// A value as the keyword/value form wants it, inside double quotes of a shell.
fn quoted(value: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "._:/-".contains(c);
    let value = crate::redact::visible(value);
    if !value.is_empty() && value.chars().all(plain) {
        return value;
    }
    let mut out = String::from("'");
    for c in value.chars() {
        match c {
            '\'' | '\\' => {
                out.push_str("\\\\");
                out.push(c);
            }
            '"' | '$' | '`' => {
                out.push('\\');
                out.push(c);
            }
            c => out.push(c),
        }
    }
    out.push('\'');
    out
}

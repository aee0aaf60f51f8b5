//! What the steps of a way say: where packets end, against those to the port beside it.

use std::net::{IpAddr, SocketAddr};

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::judge::{Evidence, PathView, Symptom};
use chronaxis_diagnosis::knowledge::questions::Question;
use chronaxis_diagnosis::verdict::answers_for;
use chronaxis_lab::{rehearsal, scenes};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Observation, StepAnswer};
use chronaxis_model::layer::{Layer, Micros};
use proptest::prelude::*;

const PORT: u16 = 5432;
const BESIDE: u16 = 5431;

/// One step: the port, for how many devices it lived, what came.
type Step = (u16, u8, StepAnswer);

fn device(ttl: u8) -> IpAddr {
    IpAddr::from([10, 8, 0, ttl])
}

/// The case of a dropped port, with these steps in place of its own.
fn with_steps(case: &Case, steps: &[Step]) -> Vec<Observation> {
    let host: IpAddr = "198.51.100.7".parse().unwrap();
    let others = case.log().unwrap().into_iter();
    let mut log: Vec<Observation> = others
        .filter(|o| !matches!(o.fact(), Some(Fact::PathStep { .. })))
        .collect();
    log.extend(steps.iter().map(|(port, ttl, answer)| {
        let expired = *answer == StepAnswer::Expired;
        let fact = Fact::PathStep {
            ttl: *ttl,
            least: None,
            answer: *answer,
            by: expired.then(|| device(*ttl)),
            elapsed_us: Micros(300),
        };
        let to = SocketAddr::new(host, *port);
        Observation::new(Layer::Port, Micros(0), Endpoint::Tcp(to).subject(), fact)
    }));
    log
}

fn dropped() -> Case {
    rehearsal::case_of(&scenes::find("dropped").unwrap()).unwrap()
}

/// The word and the text of where packets end; none where that is not known.
fn path_end(case: &Case, steps: &[Step]) -> Option<(&'static str, String)> {
    let log = with_steps(case, steps);
    let evidence = Evidence {
        target: &case.target,
        scope: &case.scope,
        log: &log,
    };
    let to = Endpoint::Tcp("198.51.100.7:5432".parse().unwrap());
    let answers = answers_for(&PathView::new(evidence, &to), Symptom::PortSilent);
    let answer = answers.get(&Question::PathEnd)?;
    Some((answer.word.as_str(), answer.text.clone()))
}

/// Steps to a port: `e` for expired, `.` for silence, `:` for silence twice, `r` for a
/// refusal.
fn to(port: u16, pattern: &str) -> Vec<Step> {
    let steps = (1u8..).zip(pattern.chars()).flat_map(|(ttl, sign)| {
        let (answer, times) = match sign {
            'e' => (StepAnswer::Expired, 1),
            'r' => (StepAnswer::Refused, 1),
            ':' => (StepAnswer::Silent, 2),
            _ => (StepAnswer::Silent, 1),
        };
        std::iter::repeat_n((port, ttl, answer), times)
    });
    steps.collect()
}

#[test]
fn where_packets_end_against_those_to_the_port_beside() {
    let case = dropped();
    let cases = [
        ("ee:", "eer", Some("host-end"), "10.8.0.2"),
        // A device nearer than the last one before the host.
        ("e:", "eer", Some("short"), "10.8.0.1"),
        // One missing answer may have been one too many.
        ("e..", "eer", None, ""),
        (":..", "eer", Some("short"), "no router"),
        ("...", "eer", None, ""),
        // Nothing of the host answers, and the port beside shows one device more.
        ("e..", "ee:", Some("both-short"), "10.8.0.2"),
        ("e:.", "ee:", Some("short"), "10.8.0.1"),
        ("ee:", "ee:", Some("both-short"), "10.8.0.2"),
        ("ee:", "", Some("both-short"), "10.8.0.2"),
        ("...", "...", Some("nowhere"), "no router"),
        // A device in between that never says a word is nobody's end.
        ("e.e:", "e.er", Some("host-end"), "10.8.0.3"),
    ];
    for (own, beside, word, names) in cases {
        let steps = [to(PORT, own), to(BESIDE, beside)].concat();
        let found = path_end(&case, &steps);
        assert_eq!(
            found.as_ref().map(|(word, _)| *word),
            word,
            "{own:?} against {beside:?}: {found:?}"
        );
        let text = found.map(|(_, text)| text).unwrap_or_default();
        assert!(text.contains(names), "{own:?} against {beside:?}: {text}");
    }
}

fn any_step() -> impl Strategy<Value = Step> {
    let port = prop_oneof![Just(PORT), Just(BESIDE)];
    let answer = prop_oneof![
        Just(StepAnswer::Expired),
        Just(StepAnswer::Silent),
        Just(StepAnswer::Refused),
        Just(StepAnswer::Unreachable),
        Just(StepAnswer::Connected),
    ];
    (port, any::<u8>(), answer)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever comes, in whatever order: the same is said of it, and only a device that
    /// answered is named.
    #[test]
    fn the_order_in_which_answers_come_does_not_matter(
        steps in proptest::collection::vec(any_step(), 0..24),
        turn in 0usize..24,
    ) {
        let case = dropped();
        let mut turned = steps.clone();
        let middle = turn % turned.len().max(1);
        turned.rotate_left(middle);
        let said = path_end(&case, &steps);
        prop_assert_eq!(&said, &path_end(&case, &turned));
        if let Some((_, text)) = said {
            for ttl in 0..=u8::MAX {
                let answered = steps.iter().any(|(_, t, a)| *t == ttl && *a == StepAnswer::Expired);
                let named = format!("{},", device(ttl));
                prop_assert!(answered || !text.contains(&named), "{text}");
            }
        }
    }
}

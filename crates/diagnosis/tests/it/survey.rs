//! What is concluded from findings alone, where nothing was tried.

use chronaxis_diagnosis::survey::{Differing, FieldDifference, Finding, LookedAt, Stale, Survey};
use chronaxis_diagnosis::verdict::State;
use chronaxis_model::settings::{Defect, DefectKind, Field, Weight};

fn finding(kind: DefectKind, subject: &str) -> Finding {
    Finding::from(&Defect {
        kind,
        subject: Field::of(subject),
        stops: false,
        text: format!("something about the {subject}"),
        expected: "something else".to_owned(),
        place: None,
        mended: None,
    })
}

fn survey(
    findings: Vec<Finding>,
    differing: Vec<Differing>,
    running: Option<Vec<Stale>>,
) -> Survey {
    Survey::new(
        "test",
        Vec::new(),
        differing,
        findings,
        running,
        LookedAt::default(),
    )
}

fn differing() -> Differing {
    Differing {
        about: "sailings".to_owned(),
        connections: vec!["a#x".to_owned(), "b#x".to_owned()],
        fields: vec![FieldDifference {
            field: "port".to_owned(),
            likeness: None,
            values: Vec::new(),
        }],
    }
}

#[test]
fn the_weightiest_finding_makes_the_verdict() {
    let caution = || finding(DefectKind::SecretReadable, "password");
    let doubt = || finding(DefectKind::PortMistyped, "port");
    let fault = || finding(DefectKind::StrayWhitespace, "password");
    let cases = [
        (vec![], State::Working, None),
        (vec![caution()], State::Working, None),
        (
            vec![caution(), doubt()],
            State::Undecided,
            Some("port-mistyped"),
        ),
        (
            vec![caution(), doubt(), fault()],
            State::Broken,
            Some("password-has-stray-whitespace"),
        ),
    ];
    for (findings, state, cause) in cases {
        let count = findings.len();
        let survey = survey(findings, Vec::new(), None);
        assert_eq!(survey.verdict.state, state);
        assert_eq!(survey.verdict.cause.as_deref(), cause);
        let shown = usize::from(cause.is_some());
        assert_eq!(survey.also_found.len(), count - shown, "each is told once");
        let sum: f64 = survey.causes.iter().map(|c| c.probability).sum();
        assert!(cause.is_none() || (sum - 1.0).abs() < 1e-9);
    }
}

#[test]
fn differences_and_old_processes_are_doubts() {
    let differs = survey(Vec::new(), vec![differing()], None);
    assert_eq!(differs.verdict.state, State::Undecided);
    assert_eq!(differs.verdict.cause.as_deref(), Some("sources-disagree"));
    let stale = Stale {
        pid: 7,
        command: "booking".to_owned(),
        started: "2031-03-01T06:00:00Z".to_owned(),
        file: "a.ini".to_owned(),
        changed: "2031-03-01T07:00:00Z".to_owned(),
        by: "an argument".to_owned(),
        fresh_twin: Some(9),
    };
    let runs = survey(Vec::new(), Vec::new(), Some(vec![stale]));
    assert_eq!(runs.verdict.cause.as_deref(), Some("settings-not-reloaded"));
    let none = survey(Vec::new(), Vec::new(), Some(Vec::new()));
    assert_eq!(none.verdict.state, State::Working);
}

/// Every kind has a cause or caution of the catalogue, and a weight that fits it.
#[test]
fn every_kind_is_in_the_catalogue() {
    use chronaxis_diagnosis::knowledge::causes::cause;
    use chronaxis_model::found::FindingId;
    let kinds = [
        DefectKind::Unreadable,
        DefectKind::SchemeUnknown,
        DefectKind::Missing,
        DefectKind::Placeholder,
        DefectKind::StrayWhitespace,
        DefectKind::NotEscaped,
        DefectKind::LookAlike,
        DefectKind::OtherEnginesPort,
        DefectKind::FileMissing,
        DefectKind::FileElsewhere,
        DefectKind::FileUnusable,
        DefectKind::FileOpen,
        DefectKind::FileLocked,
        DefectKind::FileMismatch,
        DefectKind::FileExpired,
        DefectKind::FileBeyond,
        DefectKind::AliasUnknown,
        DefectKind::PortMistyped,
        DefectKind::Unresolved,
        DefectKind::CutShort,
        DefectKind::BackslashEaten,
        DefectKind::LoopbackElsewhere,
        DefectKind::ContainerNameOutside,
        DefectKind::SourcesDisagree,
        DefectKind::Inactive,
        DefectKind::Ineffective,
        DefectKind::NotReloaded,
        DefectKind::LibraryMissing,
        DefectKind::SecretReadable,
        DefectKind::Administrator,
        DefectKind::EmptyPassword,
        DefectKind::PortTaken,
    ];
    for kind in kinds {
        let id = kind.cause(&Field::HOST);
        let caution = matches!(id, FindingId::Warning(_));
        assert!(caution || id.cause().and_then(cause).is_some(), "{id}");
        assert_eq!(caution, kind.weight() == Weight::Caution, "{id}");
    }
}

//! A connection written in another form and read back is the same connection.

use chronaxis_engines::{ClientEnvironment, Form, NotWritten, by_id, recognise, written};
use chronaxis_model::settings::Field;
use chronaxis_model::target::{EngineId, ShownTarget, Target};
use chronaxis_readers::{Nowhere, Project};
use proptest::prelude::*;

const FORMS: [Form; 6] = [
    Form::Url,
    Form::KeywordValue,
    Form::Jdbc,
    Form::DataSource,
    Form::Fields,
    Form::Environment,
];

fn around() -> ClientEnvironment {
    ClientEnvironment {
        os_user: Some("deckhand".to_owned()),
        socket_folder: "/run/osmary".to_owned(),
        ..ClientEnvironment::default()
    }
}

fn of_string(text: &str, engine: EngineId) -> Target {
    let read = recognise(text, None, Some(engine)).unwrap_or_else(|e| panic!("{text}: {e}"));
    assert_eq!(read.engine.spec.id, engine, "{text}");
    read.engine.strings.complete(read.draft, &around()).unwrap()
}

/// Reads what was written, as whoever gets it would.
fn back(text: &str, form: Form, engine: EngineId) -> ShownTarget {
    let path = match (form, engine) {
        (Form::Fields, chronaxis_engines::POSTGRESQL) => "pg_service.conf",
        (Form::Fields, chronaxis_engines::MYSQL) => "my.cnf",
        (Form::Fields, _) => "a.ini",
        (Form::Environment, _) => "a.sh",
        _ => return of_string(text, engine).told(),
    };
    let mut project = Project::default();
    project.add(path, text.as_bytes(), None);
    let report = project.report(&Nowhere);
    assert_eq!(report.connections.len(), 1, "{text}");
    let one = &report.connections[0];
    assert_eq!(one.engine, Some(engine), "{text}");
    let mut shown = one.target(by_id(engine), &around()).unwrap().told();
    // The variable that stands for the password is seen as one.
    shown.secret.present |= one.unknown.iter().any(|u| u.subject == Field::PASSWORD);
    shown
}

/// Ends, database, user, options, and whether there is a password.
type Gist = (
    String,
    Option<String>,
    Option<String>,
    Vec<(String, String)>,
    bool,
);

/// What must be the same.
fn gist(target: &ShownTarget) -> Gist {
    let ends: Vec<String> = target.ends.iter().map(ToString::to_string).collect();
    // How one says that localhost is no socket file is the form's own business.
    let own = ["protocol", "srv"];
    let options = target
        .options
        .iter()
        .filter(|(key, _)| !own.contains(&key.as_str()));
    (
        ends.join(","),
        target.database.clone(),
        target.user.clone(),
        options.map(|(k, v)| (k.clone(), v.clone())).collect(),
        target.secret.present,
    )
}

fn word() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => "[a-z][a-z0-9_]{0,10}",
        2 => "[a-z][a-zA-Z0-9 @:/?#%&=+{}\\[\\];,'\"\\\\$~é-]{0,10}[a-z]",
    ]
}

fn host() -> impl Strategy<Value = String> {
    prop_oneof![
        Just("quay.osmary.example".to_owned()),
        Just("192.0.2.7".to_owned()),
        Just("2001:db8::7".to_owned()),
        "[a-z]{1,8}\\.osmary\\.example",
    ]
}

/// A URL of an engine with these parts, escaped by the test's own hand.
fn url(
    engine: EngineId,
    host: &str,
    port: u16,
    user: &str,
    database: &str,
    secret: bool,
    option: bool,
) -> String {
    let escaped = |text: &str| {
        text.bytes()
            .map(|b| format!("%{b:02X}"))
            .collect::<String>()
    };
    let place = if host.contains(':') {
        format!("[{host}]")
    } else {
        host.to_owned()
    };
    let password = if secret { ":low" } else { "" };
    let query = match (engine, option) {
        (chronaxis_engines::POSTGRESQL, true) => "?sslmode=require",
        (chronaxis_engines::MONGODB, true) => "?authSource=harbour",
        _ => "",
    };
    format!(
        "{}://{}{password}@{place}:{port}/{}{query}",
        engine.as_str(),
        escaped(user),
        escaped(database)
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(250))]

    #[test]
    fn every_form_read_back_is_the_same_connection(
        engine in prop::sample::select(vec![chronaxis_engines::POSTGRESQL, chronaxis_engines::MYSQL, chronaxis_engines::TDS, chronaxis_engines::MONGODB]),
        host in host(),
        port in 1u16..,
        user in word(),
        database in word(),
        secret: bool,
        option: bool,
    ) {
        // MongoDB takes fewer signs in a database's name, and its drivers refuse the others.
        let of_mongo = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_');
        let plain = database.chars().all(of_mongo) && !database.is_empty();
        prop_assume!(engine != chronaxis_engines::MONGODB || plain);
        let told = of_string(&url(engine, &host, port, &user, &database, secret, option), engine);
        let shown = told.told();
        for form in FORMS {
            match written(&shown, form, "THE_PASSWORD") {
                Ok(text) => {
                    let again = back(&text, form, engine);
                    prop_assert_eq!(gist(&again), gist(&shown), "{:?} {}", form, text);
                    prop_assert!(!text.contains("low") || user.contains("low") || database.contains("low") || host.contains("low"));
                }
                Err(NotWritten::NoSuchForm { .. } | NotWritten::NoWord(_)) => {}
                Err(other) => prop_assert!(false, "{:?}: {}", form, other),
            }
        }
    }
}

#[test]
fn several_hosts_sockets_and_what_a_form_cannot_say() {
    let several = of_string(
        "postgresql://purser@a.osmary.example:1,b.osmary.example:2/sailings",
        chronaxis_engines::POSTGRESQL,
    )
    .told();
    for form in [
        Form::Url,
        Form::KeywordValue,
        Form::Jdbc,
        Form::Fields,
        Form::Environment,
    ] {
        let text = written(&several, form, "P").unwrap();
        assert_eq!(
            gist(&back(&text, form, chronaxis_engines::POSTGRESQL)),
            gist(&several),
            "{text}"
        );
    }
    assert_eq!(
        written(&several, Form::DataSource, "P"),
        Err(NotWritten::OneHost)
    );
    let socket = of_string(
        "host=/run/osmary port=5433 user=purser dbname=sailings",
        chronaxis_engines::POSTGRESQL,
    )
    .told();
    for form in [
        Form::Url,
        Form::KeywordValue,
        Form::Fields,
        Form::Environment,
    ] {
        let text = written(&socket, form, "P").unwrap();
        assert_eq!(
            gist(&back(&text, form, chronaxis_engines::POSTGRESQL)),
            gist(&socket),
            "{text}"
        );
    }
    assert_eq!(written(&socket, Form::Jdbc, "P"), Err(NotWritten::NoSocket));
    let options = of_string(
        "host=a channel_binding=require user=b dbname=c",
        chronaxis_engines::POSTGRESQL,
    )
    .told();
    assert!(matches!(
        written(&options, Form::Jdbc, "P"),
        Err(NotWritten::NoWord(_))
    ));
    let records = of_string(
        "mongodb+srv://purser@lookout.osmary.example/lookout",
        chronaxis_engines::MONGODB,
    )
    .told();
    assert_eq!(
        written(&records, Form::Url, "P").unwrap(),
        "mongodb+srv://purser@lookout.osmary.example/lookout"
    );
}

//! The further forms of a target: several hosts, service files, JDBC, drivers in the
//! scheme; and the slips that a value shows by itself.

use chronaxis_diagnosis::judge::{Evidence, Scope, policy};
use chronaxis_engines::{ClientEnvironment, FileSeen, recognise};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::settings::{DefectKind, usual_port_meant};
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::{End, Target};
use proptest::prelude::*;

fn around() -> ClientEnvironment {
    ClientEnvironment {
        os_user: Some("deckhand".to_owned()),
        home: Some("/home/deckhand".to_owned()),
        socket_folder: "/run/osmary".to_owned(),
        ..ClientEnvironment::default()
    }
}

fn read_in(text: &str, around: &ClientEnvironment) -> Target {
    let read = recognise(text, None, None).unwrap_or_else(|e| panic!("{text}: {e}"));
    let mut around = around.clone();
    around.files_wanted = read.engine.strings.files(&read.draft, &around);
    read.engine.strings.complete(read.draft, &around).unwrap()
}

fn read(text: &str) -> Target {
    read_in(text, &around())
}

fn ends(target: &Target) -> String {
    let ends: Vec<String> = target.ends.iter().map(End::to_string).collect();
    ends.join(" ")
}

/// What stops it, or its places, user, database, secret and client.
fn told(text: &str) -> String {
    let target = read(text);
    if let Some(defect) = target.defects.iter().find(|d| d.stops) {
        return format!("{:?} {}", defect.kind, defect.subject);
    }
    let secret = target.secret.as_ref().map_or("-", |s| s.value.expose());
    format!(
        "{} {} {} {secret} {}",
        ends(&target),
        target.user.as_deref().unwrap_or("-"),
        target.database.as_deref().unwrap_or("-"),
        target.client.as_str()
    )
}

fn check(cases: &[(&str, &str)]) {
    let wrong: Vec<String> = cases
        .iter()
        .filter(|(text, wanted)| told(text) != *wanted)
        .map(|(text, wanted)| format!("{text}\n  {}\n  wanted {wanted}", told(text)))
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn several_places_are_kept_in_the_clients_order() {
    check(&[
        ("host=a,b user=u dbname=d", "a:5432 b:5432 u d - libpq"),
        ("host=a,b port=1,2 user=u dbname=d", "a:1 b:2 u d - libpq"),
        ("host=a,b port=7 user=u dbname=d", "a:7 b:7 u d - libpq"),
        ("host=a,b port=,2 user=u dbname=d", "a:5432 b:2 u d - libpq"),
        (
            "host=a,/srv/pg user=u dbname=d",
            "a:5432 /srv/pg/.s.PGSQL.5432 u d - libpq",
        ),
        (
            "host=a, user=u dbname=d",
            "a:5432 /run/osmary/.s.PGSQL.5432 u d - libpq",
        ),
        (
            "hostaddr=192.0.2.1,192.0.2.2 user=u dbname=d",
            "192.0.2.1:5432 192.0.2.2:5432 u d - libpq",
        ),
        ("host=a,b port=1,2,3 user=u", "Unreadable port"),
        ("host=a,b hostaddr=192.0.2.1 user=u", "Unreadable hostaddr"),
        ("host=a,b port=1,x user=u", "Unreadable port"),
        ("host=a,<host> user=u", "Placeholder host"),
        ("postgresql://u@a:1,b:2/d", "a:1 b:2 u d - libpq"),
        ("postgresql://u@a,b:2/d", "a:5432 b:2 u d - libpq"),
        (
            "postgresql://u@[2001:db8::1]:1,[2001:db8::2]/d",
            "[2001:db8::1]:1 [2001:db8::2]:5432 u d - libpq",
        ),
        ("postgresql://u:p@a%2Eb:1,c/d", "a.b:1 c:5432 u d p libpq"),
        ("postgresql://u@a:1,b:x/d", "Unreadable port"),
        (
            "host=a user=u connect_timeout=soon",
            "Unreadable connect_timeout",
        ),
        ("host=a user=u keepalives=x", "Unreadable keepalives"),
        (
            "host=a user=u dbname=d connect_timeout=' 3 '",
            "a:5432 u d - libpq",
        ),
        (
            "host=a user=u dbname=d connect_timeout=-1",
            "a:5432 u d - libpq",
        ),
        (
            "host=a user=u target_session_attrs=writable",
            "Unreadable target_session_attrs",
        ),
        (
            "host=a user=u load_balance_hosts=maybe",
            "Unreadable load_balance_hosts",
        ),
    ]);
    let mut around = around();
    around
        .variables
        .insert("PGCONNECT_TIMEOUT".into(), String::new());
    let stopped = |text: &str| read_in(text, &around).defects.iter().any(|d| d.stops);
    assert!(
        stopped("host=a user=u"),
        "an empty variable counts, as measured"
    );
    assert!(!stopped("host=a user=u connect_timeout=3"));
    let target = read("host=a,b hostaddr=192.0.2.1,192.0.2.2 user=u");
    assert_eq!(ends(&target), "a:5432 b:5432", "the names stay");
    let dialled: Vec<_> = target
        .ends
        .iter()
        .filter_map(End::dialled_address)
        .collect();
    assert_eq!(dialled.len(), 2, "and nothing is looked up");
}

#[test]
fn a_jdbc_url_is_read_as_its_driver_reads_it() {
    check(&[
        (
            "jdbc:postgresql://a:1,b/d?user=u&password=p%2B+q",
            "a:1 b:5432 u d p+ q pgjdbc",
        ),
        ("jdbc:postgresql:d?user=u", "localhost:5432 u d - pgjdbc"),
        ("jdbc:postgresql://a/?user=u", "a:5432 u u - pgjdbc"),
        (
            "jdbc:postgresql://[2001:db8::1]:7/d?user=u",
            "[2001:db8::1]:7 u d - pgjdbc",
        ),
        ("jdbc:postgresql://a/d", "a:5432 deckhand d - pgjdbc"),
        (
            "jdbc:postgresql://a/d?user=u&berth=7&flag",
            "a:5432 u d - pgjdbc",
        ),
        ("jdbc:postgresql://a?user=u", "Unreadable string"),
        ("jdbc:postgresql://u:p@a/d", "Unreadable host"),
        ("jdbc:postgresql://a:x/d?user=u", "Unreadable port"),
        (
            "jdbc:postgresql://a/d?user=u&password=p%zz",
            "NotEscaped password",
        ),
        ("jdbc:postgres://a/d?user=u", "SchemeUnknown scheme"),
        (
            "jdbc:postgresql://a/d?sslmode=perhaps",
            "Unreadable sslmode",
        ),
        (
            "jdbc:postgresql://a/d?connectTimeout=soon",
            "Unreadable connect_timeout",
        ),
        (
            "jdbc:postgresql://a/d?targetServerType=writable",
            "Unreadable target_session_attrs",
        ),
        (
            "jdbc:postgresql://a/d?user=u&targetServerType=preferPrimary",
            "a:5432 u d - pgjdbc",
        ),
    ]);
    let target = read("jdbc:postgresql://u:sea-glass-7@a/d");
    let shown = format!("{:?}", target.defects);
    assert!(!shown.contains("sea-glass-7"), "{shown}");
    let mut around = around();
    around.variables.insert("PGUSER".into(), "nobody".into());
    assert_eq!(
        read_in("jdbc:postgresql://a/d", &around).user.as_deref(),
        Some("deckhand"),
        "this driver listens to no variable"
    );
    let target = read(
        "jdbc:postgresql://a,b/d?ssl=true&targetServerType=secondary&loadBalanceHosts=true&connectTimeout=3",
    );
    assert_eq!(target.options["sslmode"], "verify-full");
    assert_eq!(target.options["target_session_attrs"], "read-only");
    let habits = policy(&target.shown());
    assert!(habits.shuffles && habits.first_address_only);
    assert_eq!(habits.connect_wait, Some(Micros(3_000_000)));
}

#[test]
fn a_driver_in_the_scheme_says_whose_rules_count() {
    check(&[
        ("postgresql+psycopg2://u:p@a/d", "a:5432 u d p libpq"),
        (
            "postgresql+psycopg://u@a/d?sslmode=require",
            "a:5432 u d - libpq",
        ),
        (
            "postgres+asyncpg://u@a/d?ssl=require",
            "a:5432 u d - asyncpg",
        ),
        ("postgresql+pg8000://u@/d", "localhost:5432 u d - pg8000"),
        (
            "postgresql+asyncpg://u@a/d?sslmode=require",
            "Unreadable parameters",
        ),
        ("postgresql+psycop://u@a/d", "SchemeUnknown scheme"),
        ("postgressql+psycopg2://u@a/d", "SchemeUnknown scheme"),
    ]);
    let target = read("postgresql+psycop://u@a/d");
    assert_eq!(target.defects[0].expected, "postgresql+psycopg://");
    let wrong = &read("postgresql+asyncpg://u@a/d?sslmode=require").defects[0];
    assert!(wrong.expected.contains("ssl"), "{}", wrong.expected);
}

const SERVICES: &str = "# the harbour's\n[manifest]\nhost=m\n\n[sailings]\nhost=quay\nport = 7\nport=7000\nuser=purser\npassword=tide\npassfile=/srv/pass\n\n[later]\nhost=z\n";

fn with_services(text: &str, services: &str) -> Target {
    let mut around = around();
    let file = |path: &str, mode, text: &str| FileSeen {
        path: path.to_owned(),
        mode,
        regular: true,
        root_owned: false,
        text: (text.to_owned()).into(),
        ..FileSeen::default()
    };
    around
        .files
        .push(file("/home/deckhand/.pg_service.conf", 0o644, services));
    read_in(text, &around)
}

#[test]
fn a_service_lies_between_the_string_and_the_environment() {
    let services = SERVICES.replace("port = 7\n", "");
    let target = with_services("service=sailings dbname=d user=string", &services);
    assert_eq!(ends(&target), "quay:7000");
    assert_eq!(target.user.as_deref(), Some("string"));
    assert_eq!(target.secret.as_ref().unwrap().value.expose(), "tide");
    assert!(target.shown().from_file(), "its settings stand in a file");
    let wanted = Origin::File {
        file: "/home/deckhand/.pg_service.conf".to_owned(),
        line: 6,
        column: 6,
        name: "host".to_owned(),
    };
    assert_eq!(target.origins["host"], wanted);

    let mut around = around();
    around
        .variables
        .insert("PGSERVICE".into(), "sailings".into());
    around.files.push(FileSeen {
        path: "/home/deckhand/.pg_service.conf".into(),
        mode: 0o644,
        regular: true,
        root_owned: false,
        text: (services.clone()).into(),
        ..FileSeen::default()
    });
    assert_eq!(
        ends(&read_in("user=u", &around)),
        "quay:7000",
        "by a variable too"
    );
    let read = recognise("user=u", None, None).unwrap();
    let wanted: Vec<String> = read
        .engine
        .strings
        .files(&read.draft, &around)
        .into_iter()
        .map(|w| w.path)
        .collect();
    assert!(
        wanted.contains(&"/srv/pass".to_owned()),
        "a service names the password file: {wanted:?}"
    );
}

#[test]
fn a_service_that_cannot_be_taken_says_why() {
    for (service, services, kind, wanted) in [
        (
            "sailing",
            SERVICES,
            DefectKind::Missing,
            "probably sailings",
        ),
        ("berths", "", DefectKind::Missing, "a section [berths]"),
        ("sailings", SERVICES, DefectKind::Unreadable, "key=value"),
        ("a", "[a]\nberth=7\n", DefectKind::Unreadable, "key=value"),
        ("a", "[a]\nhost\n", DefectKind::Unreadable, "key=value"),
        ("a", "[a]\nservice=b\n", DefectKind::Unreadable, "key=value"),
    ] {
        let target = with_services(&format!("service={service}"), services);
        let defect = target.defects.iter().find(|d| d.stops).expect(service);
        assert_eq!((defect.kind, target.ends.len()), (kind, 0), "{service}");
        assert!(defect.expected.contains(wanted), "{}", defect.expected);
        assert!(!defect.text.contains("tide"), "{}", defect.text);
    }
}

#[test]
fn a_port_that_gives_something_away_is_noted_and_dialled() {
    for (port, wanted) in [
        (5432, None),
        (5433, None),
        (6432, None),
        (3306, Some(DefectKind::OtherEnginesPort)),
        (27017, Some(DefectKind::OtherEnginesPort)),
        (1433, Some(DefectKind::OtherEnginesPort)),
        (543, Some(DefectKind::PortMistyped)),
        (432, Some(DefectKind::PortMistyped)),
        (54432, Some(DefectKind::PortMistyped)),
        (5342, Some(DefectKind::PortMistyped)),
        (5423, Some(DefectKind::PortMistyped)),
        (2345, None),
    ] {
        let found = usual_port_meant(port, Some(5432)).map(|(_, kind)| kind);
        assert_eq!(found, wanted, "{port}");
        let target = read(&format!("postgresql://u@quay:{port}/d"));
        let noted = target.defects.first().map(|d| d.kind);
        assert_eq!(noted, wanted, "{port}");
        assert_eq!(
            ends(&target),
            format!("quay:{port}"),
            "it is dialled all the same"
        );
    }
}

#[test]
fn a_letter_that_only_looks_right_is_found() {
    for (text, subject, script) in [
        (
            "host=qu\u{0430}y user=u",
            "host",
            "Cyrillic letter (U+0430)",
        ),
        (
            "host=quay user=p\u{03c5}rs\u{03bf}r",
            "user",
            "Greek letter (U+03BF)",
        ),
        (
            "host=quay user=u dbname=\u{ff53}ailings",
            "database",
            "full-width letter (U+FF53)",
        ),
        ("host=a,qu\u{0430}y user=u", "host", "Cyrillic"),
    ] {
        let target = read(text);
        let defect = target.defects.first().expect(text);
        assert_eq!(
            (defect.kind, defect.subject.as_str()),
            (DefectKind::LookAlike, subject)
        );
        assert!(defect.text.contains(script), "{}", defect.text);
        assert!(!defect.stops, "the name may be meant so");
    }
    for fine in [
        "host=\u{043f}\u{043e}\u{0440}\u{0442} user=u",
        "host=quay user=j\u{00f6}rg",
        "host=quay user=u password=p\u{0430}ssage",
    ] {
        assert!(read(fine).defects.is_empty(), "{fine}");
    }
}

#[test]
fn a_client_that_takes_one_address_only_takes_the_first() {
    use chronaxis_model::fact::{Fact, Observation, Subject};
    let scope = Scope {
        until: Layer::Session,
        attempts: 3,
        patience_us: Micros(4_000_000),
        deadline_us: Micros(15_000_000),
        allow_plaintext: false,
        try_repairs: false,
        allow_server_key: false,
        resolvers: Vec::new(),
        expect: None,
        again: None,
    };
    let about = Subject {
        name: Some("quay".to_owned()),
        ..Subject::default()
    };
    let addresses = ["2001:db8::1", "192.0.2.1", "192.0.2.2"];
    let fact = Fact::NameResolved {
        addresses: addresses.iter().map(|a| a.parse().unwrap()).collect(),
        elapsed_us: Micros(1),
    };
    let log = [Observation::new(Layer::Name, Micros(0), about, fact)];
    let ways = |text: &str| {
        let shown = read(text).shown();
        let evidence = Evidence {
            target: &shown,
            scope: &scope,
            log: &log,
        };
        let ways = evidence.ways();
        let shown = ways.iter().map(|w| {
            format!(
                "{}{}",
                w.endpoint.ip().unwrap(),
                if w.taken { "" } else { " never" }
            )
        });
        shown.collect::<Vec<String>>().join(", ")
    };
    assert_eq!(
        ways("host=quay user=u"),
        "2001:db8::1, 192.0.2.1, 192.0.2.2"
    );
    assert_eq!(
        ways("jdbc:postgresql://quay/d?user=u"),
        "192.0.2.1, 192.0.2.2 never, 2001:db8::1 never",
        "IPv4 first, and of these the first"
    );
}

proptest! {
    /// Whatever stands in a service file, something is read or said, and nothing panics.
    #[test]
    fn any_service_file_is_read_without_a_panic(text in "(\\[sailings\\]\n)?(\\PC{0,12}=?\\PC{0,12}\n){0,6}") {
        let target = with_services("service=sailings", &text);
        let stops = target.defects.iter().any(|d| d.stops);
        prop_assert!(stops == target.ends.is_empty(), "{text}");
    }
}

//! Logs of every kind: recognised, read entry by entry, matched to a run.

use chronaxis_messages::log::matching::{Run, of_run};
use chronaxis_messages::log::{Form, failures_of, read, recognise};
use chronaxis_model::fact::{LogStands, ServerLogRead};
use chronaxis_model::redact::Redactor;

const POSTGRESQL: &str = "\
2026-11-30 10:00:00.100 UTC [71] LOG:  connection received: host=198.51.100.77 port=51122
2026-11-30 10:00:00.120 UTC [71] FATAL:  password authentication failed for user \"purser\"
2026-11-30 10:00:00.120 UTC [71] DETAIL:  Connection matched pg_hba.conf line 4: \"host all all all scram-sha-256\"
2026-11-30 10:00:01.000 UTC [72] LOG:  connection received: host=198.51.100.78 port=40000
2026-11-30 10:00:01.010 UTC [72] FATAL:  password authentication failed for user \"purser\"
2026-11-30 10:00:01.010 UTC [72] DETAIL:  Connection matched pg_hba.conf line 4: \"host all all all scram-sha-256\"
";

const MYSQL: &str = "\
2026-11-30T10:00:00.120000Z 8 [Note] [MY-010926] [Server] Access denied for user 'purser'@'198.51.100.77' (using password: YES)
2026-11-30T10:00:01.000000Z 9 [Warning] [MY-010055] [Server] IP address '198.51.100.78' could not be resolved: Name or service not known
";

const MARIADB: &str = "\
2026-11-30 10:00:00 8 [Warning] Access denied for user 'purser'@'198.51.100.77' (using password: YES)
2026-11-30 10:00:02 9 [Warning] Aborted connection 9 to db: 'unconnected' user: 'unauthenticated' host: '198.51.100.78' (This connection closed normally without authentication)
";

const MYSQL_JSON: &str = "{\"prio\": 3, \"err_code\": 10926, \"subsystem\": \"Server\", \"msg\": \"Access denied for user 'purser'@'198.51.100.77' (using password: YES)\", \"time\": \"2026-11-30T10:00:00.120000Z\", \"thread\": 8}\n";

const PGBOUNCER: &str = "\
2026-11-30 10:00:00.100 UTC [9] LOG C-0x55eec30a34e0: (nodb)/(nouser)@198.51.100.77:51122 no such user: purser
2026-11-30 10:00:00.120 UTC [9] WARNING C-0x55eec30a34e0: (nodb)/purser@198.51.100.77:51122 pooler error: SASL authentication failed
2026-11-30 10:00:00.130 UTC [9] LOG S-0x55eec30aabc0: sailings/mate@192.0.2.10:5432 closing because: connect failed (age=0s)
";

const HAPROXY: &str = "\
Nov 30 10:00:00 gangway haproxy[77]: 198.51.100.77:51122 [30/Nov/2026:10:00:00.100] quay quay_back/s1 1/0/5 0 SC 1/1/0/0/3 0/0
Nov 30 10:00:09 gangway haproxy[77]: 198.51.100.78:51123 [30/Nov/2026:10:00:01.100] quay quay_back/s1 1/0/5 77 -- 1/1/0/0/0 0/0
";

const SSHD: &str = "\
Nov 30 10:00:00 gangway sshd[77]: Accepted publickey for purser from 198.51.100.77 port 51122 ssh2
Nov 30 10:00:01 gangway sshd[77]: error: connect_to quay.osmary.example port 5432: failed.
Nov 30 10:00:02 gangway sshd[78]: Failed password for purser from 198.51.100.77 port 51124 ssh2
";

const MONGODB: &str = "{\"t\":{\"$date\":\"2026-11-30T10:00:00.120+00:00\"},\"s\":\"I\",\"c\":\"ACCESS\",\"id\":5286307,\"ctx\":\"conn7\",\"msg\":\"Failed to authenticate\",\"attr\":{}}\n{\"t\":{\"$date\":\"2026-11-30T10:00:00.121+00:00\"},\"s\":\"I\",\"c\":\"ACCESS\",\"id\":20249,\"ctx\":\"conn7\",\"msg\":\"Authentication failed\",\"attr\":{\"mechanism\":\"SCRAM-SHA-256\",\"principalName\":\"purser\",\"authenticationDatabase\":\"lookout\",\"remote\":\"198.51.100.77:51122\",\"error\":\"UserNotFound: Could not find user \\\"purser\\\" for db \\\"lookout\\\"\"}}\n";

const CSV: &str = "2026-11-30 10:00:00.120 UTC,\"purser\",\"sailings\",71,\"198.51.100.77:51122\",6930a1.47,2,\"authentication\",2026-11-30 10:00:00 UTC,3/7,0,FATAL,28P01,\"password authentication failed for user \"\"purser\"\"\",\"Role \"\"purser\"\" does not exist.\nConnection matched pg_hba.conf line 4: \"\"host all all all scram-sha-256\"\"\",,,,,,,,\"\",\"client backend\",,0\n";

const JSON: &str = "{\"timestamp\":\"2026-11-30 10:00:00.120 UTC\",\"user\":\"purser\",\"dbname\":\"sailings\",\"pid\":71,\"remote_host\":\"198.51.100.77\",\"remote_port\":51122,\"error_severity\":\"FATAL\",\"state_code\":\"28P01\",\"message\":\"password authentication failed for user \\\"purser\\\"\",\"detail\":\"User \\\"purser\\\" has an expired password.\"}\n";

/// What each kind is taken for, and what its first failure says.
#[test]
fn every_kind_is_recognised_and_read() {
    let answers = |text: &str| {
        let form = recognise(text);
        let log = read(form.unwrap_or(Form::Sshd), text, 2026);
        let first = failures_of(&log).into_iter().next();
        let said = first.and_then(|f| f.messages.into_iter().next());
        let said = said.map_or("-".to_owned(), |message| {
            let answers = message.signals.iter().map(|s| s.answer.clone());
            let what = message
                .symptom
                .or(message.meaning.map(|m| format!("{m:?}")));
            format!(
                "{} {}",
                what.unwrap_or_default(),
                answers.collect::<Vec<_>>().join(",")
            )
        });
        (form, said)
    };
    for (text, form, said) in [
        (
            POSTGRESQL,
            Form::Postgresql,
            "login/credentials-refused yes,in-order",
        ),
        (
            CSV,
            Form::PostgresqlCsv,
            "login/credentials-refused yes,no-such-user",
        ),
        (
            JSON,
            Form::PostgresqlJson,
            "login/credentials-refused yes,expired",
        ),
        (MYSQL, Form::Mysql, "login/denied "),
        (MARIADB, Form::Mysql, "login/denied "),
        (MYSQL_JSON, Form::MysqlJson, "login/denied "),
        (
            PGBOUNCER,
            Form::Pgbouncer,
            "listener/refused credentials,role,pooler,user-unknown",
        ),
        (HAPROXY, Form::Haproxy, "listener/closed backend"),
        (SSHD, Form::Sshd, "listener/tunnel-far-end "),
        (MONGODB, Form::Mongodb, "login/denied yes,no-such-user"),
    ] {
        assert_eq!(answers(text), (Some(form), said.to_owned()));
    }
    for none in [
        "",
        "The ferry leaves at nine.\n",
        "key = value\nother = 7\n",
    ] {
        assert_eq!(recognise(none), None, "{none}");
    }
}

/// 2026-11-30 10:00:00 UTC.
const TEN: i64 = 1_796_032_800_000_000;

fn run(port: u16, shift_s: i64) -> Run {
    let from = TEN + shift_s * 1_000_000;
    Run {
        from,
        to: from + 1_000_000,
        zone: 3_600_000_000,
        lines: vec![(([198, 51, 100, 77], port).into(), from + 110_000)],
        user: Some("purser".to_owned()),
        database: Some("sailings".to_owned()),
        met: true,
    }
}

fn matched(text: &str, run: &Run) -> ServerLogRead {
    let log = read(recognise(text).unwrap_or(Form::Sshd), text, 2026);
    of_run("server.log", &log, run, &Redactor::default())
}

#[test]
fn a_run_is_found_by_its_port_and_others_are_counted() {
    let told = matched(POSTGRESQL, &run(51122, 0));
    assert_eq!((told.stands, told.entries.len()), (LogStands::Matched, 1));
    assert_eq!(told.others.map(|o| (o.addresses, o.entries)), Some((1, 1)));
    assert_eq!(told.clock_ahead_us, Some(0));
    // The server's clock is a minute and a half ahead.
    let told = matched(POSTGRESQL, &run(51122, -90));
    assert_eq!(
        (told.stands, told.clock_ahead_us),
        (LogStands::Matched, Some(90_010_000))
    );
}

#[test]
fn what_is_of_another_time_or_server_is_not_believed() {
    assert_eq!(
        matched(POSTGRESQL, &run(51122, 7200)).stands,
        LogStands::OtherTime
    );
    assert_eq!(
        matched(POSTGRESQL, &run(40001, 0)).stands,
        LogStands::OtherServer
    );
    let unmet = Run {
        met: false,
        ..run(40001, 0)
    };
    assert_eq!(matched(POSTGRESQL, &unmet).stands, LogStands::NothingOfIt);
}

#[test]
fn without_ports_the_account_and_the_time_decide() {
    assert_eq!(matched(MARIADB, &run(40001, 0)).stands, LogStands::Matched);
    // Its times name no zone: it may be this machine's own.
    assert_eq!(
        matched(MARIADB, &run(40001, -3600)).stands,
        LogStands::Matched
    );
    let another = Run {
        user: Some("deckhand".to_owned()),
        ..run(40001, 0)
    };
    assert_eq!(matched(MARIADB, &another).stands, LogStands::OtherServer);
}

#[test]
fn secrets_in_host_rules_are_masked() {
    let text = POSTGRESQL.replace(
        "scram-sha-256\"",
        "ldap ldapserver=10.8.0.1 ldapbindpasswd=Gr3yAnchor\"",
    );
    let told = matched(&text, &run(51122, 0));
    assert_eq!(told.stands, LogStands::Matched);
    let shown = format!("{told:?}");
    assert!(!shown.contains("Gr3yAnchor"), "{shown}");
}

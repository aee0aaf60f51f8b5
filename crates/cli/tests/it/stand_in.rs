//! What is concluded on the real PostgreSQL is concluded on the stand-in too, line by line
//! of `real_postgresql.rs`. Not played here: IPv6 and socket files (it listens on IPv4
//! loopback only), and the environment and the password file, which are no matter of a
//! server.

use chronaxis_lab::loopback::LoopbackServers;
use chronaxis_lab::stand_in::Service;
use chronaxis_lab::stand_in::postgresql::{Config, Database, Method, Mood, Role};

use crate::support::{diagnose, gist};

fn config() -> Config {
    let mut config = Config::sailings("tide-table-9");
    let role = |password: Option<&str>| Role {
        password: password.map(str::to_owned),
        ..Role::default()
    };
    let proved = || role(Some("tide-table-9"));
    config.roles.insert("pilot".to_owned(), role(None));
    config.roles.insert("bare".to_owned(), role(None));
    config.roles.insert(
        "ashore".to_owned(),
        Role {
            no_login: true,
            ..proved()
        },
    );
    config.roles.insert(
        "crowd".to_owned(),
        Role {
            at_limit: true,
            ..proved()
        },
    );
    config.databases.insert(
        "closed".to_owned(),
        Database {
            closed: true,
            ..Database::default()
        },
    );
    config.databases.insert(
        "forbidden".to_owned(),
        Database {
            forbidden: true,
            ..Database::default()
        },
    );
    config
}

fn found(config: Config, account: &str, rest: &str, args: &[&str]) -> String {
    let servers = LoopbackServers::open(&[(5432, Some(Service::Postgresql(config)))]).unwrap();
    let home = tempfile::tempdir().unwrap();
    let target = format!(
        "postgresql://{account}@127.0.0.1:{}/{rest}",
        servers.port(5432)
    );
    gist(&diagnose(home.path(), args, &target).1)
}

#[test]
fn the_stand_in_leads_to_the_same_conclusions() {
    let scram = config;
    let trust = || config().by(Method::Trust);
    let refused = "broken credentials-rejected login/credentials-refused";
    let identity = "login/identity-refused";
    let mut wrong = Vec::new();
    let mut check = |config: Config, account: &str, rest: &str, args: &[&str], wanted: &str| {
        let found = found(config, account, rest, args);
        if found != wanted {
            wrong.push(format!("{account} {rest}: {found}, wanted {wanted}"));
        }
    };
    check(trust(), "pilot", "sailings", &[], "working - -");
    check(
        config().by(Method::Md5),
        "purser:tide-table-9",
        "sailings",
        &[],
        "working - -",
    );
    check(
        scram(),
        "purser:tide-table-9",
        "sailings",
        &[],
        "working - -",
    );
    check(
        scram(),
        "purser:tide-table-9",
        "sailings?sslmode=disable",
        &[],
        "working - -",
    );
    check(
        config().by(Method::Cleartext),
        "purser:tide-table-9",
        "sailings",
        &["--allow-plaintext"],
        "working - -",
    );
    check(
        config().by(Method::Cleartext),
        "purser:tide-table-9",
        "sailings",
        &[],
        "undecided - -",
    );
    check(scram(), "purser:low-tide", "sailings", &[], refused);
    check(scram(), "nobody:low-tide", "sailings", &[], refused);
    check(scram(), "bare:low-tide", "sailings", &[], refused);
    check(
        trust(),
        "stowaway",
        "sailings",
        &[],
        &format!("broken user-unknown {identity}"),
    );
    check(
        trust(),
        "ashore",
        "sailings",
        &[],
        &format!("broken login-not-allowed-for-role {identity}"),
    );
    check(
        scram(),
        "ashore:tide-table-9",
        "sailings",
        &[],
        &format!("broken login-not-allowed-for-role {identity}"),
    );
    check(
        scram(),
        "purser:tide-table-9%20",
        "sailings",
        &[],
        "broken password-has-stray-whitespace login/credentials-refused",
    );
    check(
        scram(),
        "purser:tide-table-9%EF%BB%BF",
        "sailings",
        &[],
        "working - -",
    );
    check(
        scram(),
        "purser",
        "sailings",
        &[],
        "undecided password-missing login/password-asked",
    );
    check(
        scram(),
        "purser:",
        "sailings",
        &[],
        "undecided password-missing login/password-asked",
    );
    check(
        scram(),
        "purser:tide-table-9",
        "nowhere",
        &[],
        "broken database-missing session/database-missing",
    );
    check(
        scram(),
        "purser:tide-table-9",
        "forbidden",
        &[],
        "broken database-not-permitted session/database-not-permitted",
    );
    check(
        scram(),
        "purser:tide-table-9",
        "closed",
        &[],
        "broken database-takes-no-connections session/database-closed",
    );
    let barred = || config().in_mood(Mood::NoHostRule);
    check(
        barred(),
        "purser:tide-table-9",
        "sailings",
        &[],
        "broken client-host-not-permitted login/host-refused",
    );
    check(
        barred(),
        "purser:tide-table-9",
        "sailings?sslmode=disable",
        &[],
        "broken client-host-not-permitted login/host-refused",
    );
    check(
        scram(),
        "crowd:tide-table-9",
        "sailings",
        &[],
        "broken account-limit-reached login/limit",
    );
    check(
        config().in_mood(Mood::Full),
        "purser:tide-table-9",
        "sailings",
        &[],
        "broken server-full listener/full",
    );
    check(
        config().in_mood(Mood::Starting),
        "purser:tide-table-9",
        "sailings",
        &[],
        "broken server-starting listener/not-ready",
    );
    check(
        config().in_mood(Mood::Stopping),
        "purser:tide-table-9",
        "sailings",
        &[],
        "broken server-stopping listener/not-ready",
    );
    check(
        scram(),
        "purser:tide-table-9",
        "sailings?options=-c%20berth%3D7",
        &[],
        "broken startup-parameter-refused session/parameter-refused",
    );
    check(
        trust(),
        "pilot",
        "sailings?sslmode=require",
        &[],
        "broken tls-not-offered tls/not-offered",
    );
    let replica = Config {
        in_recovery: true,
        ..trust()
    };
    check(
        replica.clone(),
        "pilot",
        "sailings?target_session_attrs=read-write",
        &[],
        "broken read-only-instance session/read-only",
    );
    check(replica, "pilot", "sailings", &[], "working - -");
    check(
        config().by(Method::Number(7)),
        "purser:tide-table-9",
        "sailings",
        &[],
        "undecided - -",
    );
    check(
        config().by(Method::Sasl(vec!["SCRAM-SHA-512"])),
        "purser:tide-table-9",
        "sailings",
        &[],
        "broken login-method-unsupported login/method",
    );
    // Newer libraries have it, with a token that is got elsewhere: a limit of ours.
    check(
        config().by(Method::Sasl(vec!["OAUTHBEARER"])),
        "purser:tide-table-9",
        "sailings",
        &[],
        "undecided - -",
    );
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn socket_files_that_nobody_serves() {
    use socket2::{Domain, SockAddr, Socket, Type};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(".s.PGSQL.5432");
    let listener = Socket::new(Domain::UNIX, Type::STREAM, None).unwrap();
    let address = SockAddr::unix(&path).unwrap();
    listener.bind(&address).unwrap();
    let target = format!(
        "host={} user=purser dbname=sailings",
        folder.path().display()
    );
    let ask = || gist(&diagnose(folder.path(), &[], &target).1);
    assert_eq!(
        ask(),
        "broken nothing-listening port/socket-refused",
        "bound, nobody listens"
    );
    listener.listen(0).unwrap();
    let guests: Vec<Socket> = (0..3)
        .map(|_| {
            let guest = Socket::new(Domain::UNIX, Type::STREAM, None).unwrap();
            guest.set_nonblocking(true).unwrap();
            let _ = guest.connect(&address);
            guest
        })
        .collect();
    assert_eq!(
        ask(),
        "broken server-hung port/socket-silent",
        "its queue is full"
    );
    drop(guests);
}

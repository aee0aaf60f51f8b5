//! Scenes with MySQL and MariaDB.

use super::{HERE, PASSWORD, WORKING, broken, counts, undecided};
use crate::certificates::CertificateKind;
use crate::scene::{Expected, Scene, Second, Stage};
use crate::stand_in::encrypted::Side;
use crate::stand_in::mysql::{Config, Mood, Wants};
use crate::stand_in::{Counts, Service};
use crate::world::World;

/// The usual port.
const PORT: u16 = 3306;

fn target(scheme: &str, more: &str) -> String {
    format!("{scheme}://purser:{PASSWORD}@127.0.0.1:{{port}}/manifest{more}")
}

fn manifest() -> Config {
    Config::manifest(PASSWORD)
}

/// A scene on loopback with one server; the client is MySQL's own library.
fn here(
    id: &'static str,
    what: &'static str,
    config: Config,
    expected: Expected,
    counts: Counts,
) -> Scene {
    let world = World::around(HERE).host(HERE, &[], &[(PORT, Service::Mysql(config))]);
    Scene {
        id,
        what,
        target: target("mysql", ""),
        world,
        stage: Stage::Loopback,
        repairs: false,
        server_key: false,
        files: Vec::new(),
        lists: Vec::new(),
        expect: None,
        second: Second::Nothing,
        expected,
        counts,
    }
}

/// The same with another target.
fn at(target: String, scene: Scene) -> Scene {
    Scene { target, ..scene }
}

pub(super) fn scenes() -> Vec<Scene> {
    let mut out = doors();
    out.extend(methods());
    out.extend(refusals());
    out.extend(lines());
    out
}

fn doors() -> Vec<Scene> {
    let at_once = |id, what, number, words, cause, symptom| {
        let config = manifest().in_mood(Mood::RefusesAtOnce(number, words));
        here(id, what, config, broken(cause, symptom), counts(0, 1, 0, 0))
    };
    vec![
        at_once(
            "manifest-full",
            "MySQL has no connection left",
            1040,
            "Too many connections",
            "server-full",
            "listener/full",
        ),
        at_once(
            "machine-blocked",
            "this machine made too many lines that ended early",
            1129,
            "Host '10.8.4.21' is blocked because of many connection errors",
            "client-blocked-by-server",
            "listener/blocked",
        ),
        at_once(
            "machine-not-allowed",
            "no account of the server is for this machine",
            1130,
            "Host '10.8.4.21' is not allowed to connect to this MySQL server",
            "client-blocked-by-server",
            "listener/blocked",
        ),
        at_once(
            "manifest-stopping",
            "the server is going down",
            1053,
            "Server shutdown in progress",
            "server-stopping",
            "listener/stopping",
        ),
    ]
}

fn methods() -> Vec<Scene> {
    let works = || WORKING;
    let in_clear = Expected {
        cause: None,
        symptom: None,
        ..undecided("", "")
    };
    vec![
        here(
            "manifest",
            "MariaDB, healthy",
            manifest(),
            works(),
            counts(0, 1, 1, 1),
        ),
        at(
            target("mariadb", ""),
            here(
                "by-signature",
                "the account signs in by MariaDB's ed25519",
                manifest().by("client_ed25519"),
                works(),
                counts(0, 1, 1, 1),
            ),
        ),
        at(
            format!(
                "jdbc:mysql://127.0.0.1:{{port}}/manifest?user=purser&password={PASSWORD}&sslMode=DISABLED"
            ),
            here(
                "method-not-in-client",
                "the same, and MySQL's driver for Java has no such method",
                manifest().by("client_ed25519"),
                broken("login-method-unsupported", "login/method"),
                counts(0, 1, 1, 0),
            ),
        ),
        here(
            "method-of-one-library",
            "the same, and the settings do not tell which of two libraries is used",
            manifest().by("client_ed25519"),
            in_clear,
            counts(0, 1, 1, 0),
        ),
        at(
            target("mariadb", ""),
            here(
                "by-derived-signature",
                "the account signs in by MariaDB's parsec",
                manifest().by("parsec"),
                works(),
                counts(0, 1, 1, 1),
            ),
        ),
        here(
            "further-factor",
            "the password is right, and the account needs a further factor",
            manifest().purser(|p| p.further = Some("authentication_webauthn_client")),
            in_clear,
            counts(0, 1, 1, 0),
        ),
        here(
            "remembered-password",
            "MySQL 8 remembers the account's password: the short way",
            Config {
                remembers: true,
                ..manifest().as_mysql()
            },
            works(),
            counts(0, 1, 1, 1),
        ),
        here(
            "password-in-full",
            "MySQL 8 wants the whole password, and the line is in clear",
            manifest().as_mysql(),
            broken("plaintext-refused", "login/plaintext-refused"),
            counts(0, 1, 1, 0),
        ),
        at(
            target("mariadb", ""),
            here(
                "key-not-fetched",
                "the same; this client would fetch the server's key, this program does not",
                manifest().as_mysql(),
                in_clear,
                counts(0, 1, 1, 0),
            ),
        ),
        Scene {
            server_key: true,
            ..here(
                "by-server-key",
                "the same, and the server's key may be used",
                manifest().as_mysql(),
                works(),
                counts(0, 1, 1, 1),
            )
        },
        here(
            "full-over-encrypted",
            "MySQL 8 wants the whole password, and the line is encrypted",
            manifest()
                .as_mysql()
                .encrypting(Side::with(CertificateKind::Good)),
            works(),
            counts(0, 1, 1, 1),
        ),
        at(
            target("mariadb", "?ssl=1"),
            here(
                "clear-method-encrypted",
                "a method that shows the password, over an encrypted line",
                manifest()
                    .by("mysql_clear_password")
                    .encrypting(Side::with(CertificateKind::Good)),
                works(),
                counts(0, 1, 1, 1),
            ),
        ),
        here(
            "clear-method-refused",
            "a method that shows the password; MySQL's library wants that allowed",
            manifest()
                .by("mysql_clear_password")
                .encrypting(Side::with(CertificateKind::Good)),
            broken("plaintext-refused", "login/plaintext-refused"),
            counts(0, 1, 1, 0),
        ),
    ]
}

fn refusals() -> Vec<Scene> {
    let after = |id, what, number, words, cause, symptom| {
        let config = manifest().purser(|purser| purser.refused = Some((number, words)));
        here(id, what, config, broken(cause, symptom), counts(0, 1, 1, 0))
    };
    let user = |text: &str, more: &str| format!("mysql://{text}@127.0.0.1:{{port}}/manifest{more}");
    vec![
        at(
            user("purser:tide-table-9", ""),
            here(
                "manifest-password",
                "the password is another one, and the server does not say so",
                manifest(),
                broken("credentials-rejected", "login/denied"),
                counts(0, 1, 1, 0),
            ),
        ),
        at(
            user("purser", ""),
            here(
                "manifest-no-password",
                "no password is given; this client then sends an empty one",
                manifest(),
                undecided("password-missing", "login/password-asked"),
                counts(0, 1, 1, 0),
            ),
        ),
        at(
            user("purser:changeme", ""),
            here(
                "manifest-to-fill-in",
                "the password was never filled in",
                manifest(),
                broken("placeholder-left-in", "login/placeholder"),
                counts(0, 1, 0, 0),
            ),
        ),
        after(
            "account-locked",
            "the account is locked",
            4151,
            "Access denied, this account is locked",
            "account-locked",
            "login/locked",
        ),
        after(
            "account-expired",
            "the password is past its date",
            1862,
            "Your password has expired. To log in you must change it using a client that supports expired passwords.",
            "password-expired",
            "login/password-expired",
        ),
        after(
            "account-at-its-limit",
            "the account has used up its connections of the hour",
            1226,
            "User 'purser' has exceeded the 'max_connections_per_hour' resource (current value: 10)",
            "account-limit-reached",
            "login/limit",
        ),
        at(
            target("mysql", "").replace("/manifest", "/crew"),
            here(
                "database-of-others",
                "the database is not for this account, or not there",
                manifest(),
                broken("database-not-permitted", "session/database-not-permitted"),
                counts(0, 1, 1, 0),
            ),
        ),
        at(
            target("mysql", "").replace("/manifest", "/manifset"),
            here(
                "no-such-database",
                "the database does not exist",
                manifest().purser(|purser| {
                    purser.databases.insert("crew".to_owned());
                }),
                broken("database-missing", "session/database-missing"),
                counts(0, 1, 1, 0),
            ),
        ),
        here(
            "asks-for-a-file",
            "the server answers the query by asking for a file of the client's",
            manifest().in_mood(Mood::AsksForFile),
            broken("wrong-service-on-port", "session/garbled"),
            counts(0, 1, 1, 1),
        ),
    ]
}

fn lines() -> Vec<Scene> {
    let good = || manifest().encrypting(Side::with(CertificateKind::Good));
    let verified = "?ssl-mode=VERIFY_IDENTITY&ssl-ca={papers}/authority.pem";
    vec![
        at(
            target("mysql", verified),
            here(
                "manifest-encrypted",
                "MariaDB over an encrypted line, the certificate checked",
                good(),
                WORKING,
                counts(0, 1, 1, 1),
            ),
        ),
        at(
            target("mysql", verified),
            here(
                "manifest-of-strangers",
                "the same, from an authority that is not trusted",
                manifest().encrypting(Side::with(CertificateKind::StrangeIssuer)),
                broken("certificate-issuer-unknown", "tls/certificate-refused"),
                counts(0, 1, 0, 0),
            ),
        ),
        at(
            target("mysql", "?ssl-mode=REQUIRED"),
            here(
                "manifest-in-clear-only",
                "the settings demand encryption, and MariaDB has none",
                manifest(),
                broken("tls-not-offered", "tls/not-offered"),
                counts(0, 1, 0, 0),
            ),
        ),
        at(
            target("mariadb", ""),
            here(
                "manifest-insists",
                "MariaDB insists on encryption, and this client does not use it",
                good().in_mood(Mood::EncryptedOnly),
                broken("tls-required", "tls/required"),
                counts(0, 1, 1, 0),
            ),
        ),
        at(
            target("mariadb", ""),
            here(
                "account-insists",
                "the account wants encryption, and the server does not say so",
                good().purser(|purser| purser.wants = Wants::Encryption),
                broken("credentials-rejected", "login/denied"),
                counts(0, 1, 1, 0),
            ),
        ),
    ]
}

//! What PostgreSQL's C library, its programs and its server say.

use crate::pattern::{
    Component, Kind, Pattern, Source, beside, code, follows, follows_or, stop, unrelated,
};

pub(super) const ALL: &[Component] = &[
    Component {
        id: "libpq",
        title: "libpq",
        kind: Kind::Library,
        engine: Some("postgresql"),
        languages: "C, Python, PHP, Ruby, Perl",
        source: Source::Measured,
        patterns: LIBPQ,
    },
    Component {
        id: "psql",
        title: "psql",
        kind: Kind::Library,
        engine: Some("postgresql"),
        languages: "shell",
        source: Source::Measured,
        patterns: PSQL,
    },
    Component {
        id: "postgresql-server",
        title: "PostgreSQL server",
        kind: Kind::Server,
        engine: Some("postgresql"),
        languages: "",
        source: Source::Measured,
        patterns: SERVER,
    },
];

const LIBPQ: &[Pattern] = &[
    stop("libpq-refused", "connection to server at \"{host}\" ({address}), port {port} failed: Connection refused", "port/refused")
        .eg("connection to server at \"quay.osmary.example\" (192.0.2.10), port 5432 failed: Connection refused\n\tIs the server running on that host and accepting TCP/IP connections?")
        .not("connection to server at \"quay.osmary.example\" (192.0.2.10), port 5432 failed: FATAL:  sorry"),
    stop("libpq-refused-at", "connection to server at \"{host}\", port {port} failed: Connection refused", "port/refused")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: Connection refused")
        .not("connection to server at \"192.0.2.10\", port 5432 failed: Connection timed out"),
    stop("libpq-timed-out", "connection to server at \"{host}\" ({address}), port {port} failed: Connection timed out", "port/silent")
        .eg("connection to server at \"quay.osmary.example\" (192.0.2.10), port 5432 failed: Connection timed out\n\tIs the server running on that host and accepting TCP/IP connections?")
        .not("connection to server at \"quay.osmary.example\" (192.0.2.10), port 5432 failed: Connection refused"),
    stop("libpq-timed-out-at", "connection to server at \"{host}\", port {port} failed: Connection timed out", "port/silent")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: Connection timed out")
        .not("connection to server at \"192.0.2.10\", port 5432 failed: timeout"),
    stop("libpq-timeout-expired", "port {port} failed: timeout expired", "port/silent")
        .may("a server that accepts and does not answer: the limit counts the whole of it")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: timeout expired")
        .not("port 5432 failed: statement timeout expired"),
    stop("libpq-timeout-expired-alone", "timeout expired", "port/silent").weak()
        .may("a server that accepts and does not answer")
        .eg("psycopg2.OperationalError: timeout expired")
        .not("the statement timeout has expired"),
    stop("libpq-no-route", "port {port} failed: No route to host", "port/unreachable")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: No route to host")
        .not("port 5432 failed: Network is unreachable"),
    stop("libpq-network-unreachable", "port {port} failed: Network is unreachable", "route/none")
        .eg("connection to server at \"2001:db8::10\", port 5432 failed: Network is unreachable")
        .not("port 5432 failed: No route to host"),
    stop("libpq-name", "could not translate host name \"{host}\" to address: Name or service not known", "name/not-found")
        .eg("could not translate host name \"quay.osmary.example\" to address: Name or service not known")
        .not("could not translate host name \"quay.osmary.example\" to address: Temporary failure in name resolution"),
    stop("libpq-name-mac", "could not translate host name \"{host}\" to address: nodename nor servname provided, or not known", "name/not-found")
        .eg("could not translate host name \"quay.osmary.example\" to address: nodename nor servname provided, or not known")
        .not("could not translate host name \"quay.osmary.example\" to address: No address associated with hostname"),
    stop("libpq-name-failing", "could not translate host name \"{host}\" to address: Temporary failure in name resolution", "name/failing")
        .eg("could not translate host name \"quay.osmary.example\" to address: Temporary failure in name resolution")
        .not("could not translate host name \"quay.osmary.example\" to address: Name or service not known"),
    stop("libpq-name-no-address", "could not translate host name \"{host}\" to address: No address associated with hostname", "name/no-address")
        .eg("could not translate host name \"quay.osmary.example\" to address: No address associated with hostname")
        .not("could not translate host name \"quay.osmary.example\" to address: Unknown host"),
    stop("libpq-name-other", "could not translate host name \"{host}\" to address", "name/not-found").weak()
        .may("a resolver that does not answer: the words behind it tell")
        .eg("could not translate host name \"quay.osmary.example\" to address: Unknown server error")
        .not("could not translate service \"5432\" to address"),
    stop("libpq-socket-missing", "connection to server on socket \"{path}\" failed: No such file or directory", "port/socket-missing")
        .eg("connection to server on socket \"/var/run/postgresql/.s.PGSQL.5432\" failed: No such file or directory\n\tIs the server running locally and accepting connections on that socket?")
        .not("connection to server on socket \"/var/run/postgresql/.s.PGSQL.5432\" failed: Connection refused"),
    stop("libpq-socket-refused", "connection to server on socket \"{path}\" failed: Connection refused", "port/socket-refused")
        .eg("connection to server on socket \"/var/run/postgresql/.s.PGSQL.5432\" failed: Connection refused")
        .not("connection to server on socket \"/var/run/postgresql/.s.PGSQL.5432\" failed: Permission denied"),
    stop("libpq-socket-closed", "connection to server on socket \"{path}\" failed: Permission denied", "port/socket-not-permitted")
        .eg("connection to server on socket \"/var/run/postgresql/.s.PGSQL.5432\" failed: Permission denied")
        .not("connection to server on socket \"/var/run/postgresql/.s.PGSQL.5432\" failed: No such file or directory"),
    stop("libpq-old-refused", "could not connect to server: Connection refused", "port/refused")
        .eg("could not connect to server: Connection refused\n\tIs the server running on host \"quay.osmary.example\" (192.0.2.10) and accepting\n\tTCP/IP connections on port 5432?")
        .not("could not connect to server: Connection timed out"),
    stop("libpq-old-timed-out", "could not connect to server: Connection timed out", "port/silent")
        .eg("could not connect to server: Connection timed out")
        .not("could not connect to server: Connection refused"),
    stop("libpq-old-socket", "could not connect to server: No such file or directory", "port/socket-missing")
        .eg("could not connect to server: No such file or directory\n\tIs the server running locally and accepting\n\tconnections on Unix domain socket \"/var/run/postgresql/.s.PGSQL.5432\"?")
        .not("could not open file: No such file or directory"),
    beside("libpq-old-where", "Is the server running on host \"{host}\" ({address}) and accepting TCP/IP connections on port {port}?")
        .eg("Is the server running on host \"quay.osmary.example\" (192.0.2.10) and accepting TCP/IP connections on port 5432?")
        .not("Is the server running on that host and accepting TCP/IP connections?"),
    beside("libpq-old-socket-where", "connections on Unix domain socket \"{path}\"?")
        .eg("accepting connections on Unix domain socket \"/var/run/postgresql/.s.PGSQL.5432\"?")
        .not("accepting connections on that socket?"),
    beside("libpq-where", "connection to server at \"{host}\" ({address}), port {port} failed:")
        .eg("connection to server at \"quay.osmary.example\" (192.0.2.10), port 5432 failed: FATAL:  the database system is starting up")
        .not("connection to server on socket \"/tmp/.s.PGSQL.5432\" failed: "),
    beside("libpq-where-at", "connection to server at \"{host}\", port {port} failed:")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: FATAL:  the database system is starting up")
        .not("connection to the server at \"192.0.2.10\" failed:"),
    stop(
        "libpq-closed-at-once",
        "port {port} failed: server closed the connection unexpectedly",
        "listener/closed",
    )
    .eg("connection to server at \"192.0.2.10\", port 5432 failed: server closed the connection unexpectedly\n\tThis probably means the server terminated abnormally")
    .not("port 5432 failed: server closed the door"),
    follows_or(
        "libpq-closed",
        "server closed the connection unexpectedly",
        "session/closed",
    )
    .may("a server or a firewall that closes at once, with older versions of the library")
    .eg("psycopg2.OperationalError: server closed the connection unexpectedly\n\tThis probably means the server terminated abnormally\n\tbefore or while processing the request.")
    .not("the client closed the connection"),
    stop("libpq-no-password", "fe_sendauth: no password supplied", "login/password-asked")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: fe_sendauth: no password supplied")
        .not("fe_sendauth: error sending password authentication"),
    stop("libpq-no-tls", "server does not support SSL, but SSL was required", "tls/not-offered")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: server does not support SSL, but SSL was required")
        .not("server does not support SSL session reuse"),
    stop("libpq-certificate-name", "server certificate for \"{any}\" does not match host name \"{host}\"", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("server certificate for \"harbour.osmary.example\" does not match host name \"quay.osmary.example\"")
        .not("server certificate for \"harbour.osmary.example\" has expired"),
    stop("libpq-certificate-names", "server certificate for \"{any}\" (and {number} other names) does not match host name \"{host}\"", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("server certificate for \"harbour.osmary.example\" (and 1 other names) does not match host name \"quay.osmary.example\"")
        .not("server certificate for \"harbour.osmary.example\" (and others) is fine"),
    stop("libpq-root-missing", "root certificate file \"{path}\" does not exist", "bundle/incomplete")
        .may("a bundle that lies elsewhere now")
        .eg("root certificate file \"/home/purser/.postgresql/root.crt\" does not exist\nEither provide the file, use the system's trusted roots with sslrootcert=system, or change sslmode to disable server certificate verification.")
        .not("root certificate file \"/home/purser/.postgresql/root.crt\" was read"),
    stop("libpq-key-open", "private key file \"{path}\" has group or world access", "bundle/open-to-others")
        .eg("private key file \"/home/purser/.postgresql/postgresql.key\" has group or world access; file must have permissions u=rw (0600) or less if owned by the current user")
        .not("private key file \"/home/purser/.postgresql/postgresql.key\" is not a regular file"),
    stop("libpq-key-missing", "certificate present, but not private key file \"{path}\"", "bundle/incomplete")
        .eg("certificate present, but not private key file \"/home/purser/.postgresql/postgresql.key\"")
        .not("certificate present, and its private key file"),
    stop("libpq-certificate-unreadable", "could not read certificate file \"{path}\"", "bundle/unreadable")
        .eg("could not read certificate file \"/home/purser/quay.crt\": no start line")
        .not("could not read service file \"/home/purser/.pg_service.conf\""),
    stop("libpq-root-unreadable", "could not read root certificate file \"{path}\"", "bundle/unreadable")
        .eg("could not read root certificate file \"/etc/osmary/ca.pem\": no certificate or crl found")
        .not("could not read configuration file \"/etc/osmary/ca.pem\""),
    stop("libpq-key-unloaded", "could not load private key file \"{path}\": key values mismatch", "bundle/key-mismatch")
        .eg("certificate does not match private key file: could not load private key file \"/home/purser/quay.key\": key values mismatch")
        .not("could not load private key file \"/home/purser/quay.key\": bad decrypt"),
    stop("libpq-key-mismatch", "certificate does not match private key file \"{path}\"", "bundle/key-mismatch")
        .eg("certificate does not match private key file \"/home/purser/quay.key\": key values mismatch")
        .not("certificate matches private key file \"/home/purser/quay.key\""),
    stop("libpq-key-locked", "could not load private key file \"{path}\": bad decrypt", "bundle/passphrase-wrong")
        .eg("could not load private key file \"/home/purser/quay.key\": bad decrypt")
        .not("could not load private key file \"/home/purser/quay.key\": key values mismatch"),
    stop("libpq-option", "invalid connection option \"{word}\"", "settings/parameter-unknown")
        .eg("invalid connection option \"sslmod\"")
        .not("invalid connection string"),
    stop("libpq-string", "missing \"=\" after \"{any}\" in connection info string", "settings/unreadable")
        .eg("missing \"=\" after \"quay.osmary.example\" in connection info string")
        .not("missing value after \"=\""),
    stop("libpq-port", "invalid integer value \"{any}\" for connection option \"port\"", "settings/unreadable")
        .eg("invalid integer value \"54E2\" for connection option \"port\"")
        .not("invalid integer value \"x\" for connection option \"keepalives\""),
    stop("libpq-port-range", "invalid port number: \"{any}\"", "settings/unreadable")
        .eg("invalid port number: \"543210\"")
        .not("invalid protocol number: \"5\""),
    stop("libpq-uri-query", "invalid URI query parameter: \"{any}\"", "settings/parameter-unknown")
        .eg("invalid URI query parameter: \"schema\"")
        .not("invalid URI: no host"),
    stop("libpq-service", "definition of service \"{word}\" not found", "settings/value-missing")
        .eg("definition of service \"sailings\" not found")
        .not("service file \"/etc/pg_service.conf\" not found"),
    stop("libpq-method", "authentication method {number} not supported", "login/method")
        .eg("authentication method 10 not supported")
        .not("authentication method 10 is supported"),
    stop("libpq-scram-old", "SCRAM authentication requires libpq version 10 or above", "login/method")
        .eg("SCRAM authentication requires libpq version 10 or above")
        .not("libpq version 10 or above is installed"),
    stop("libpq-scram-signature", "incorrect server signature", "login/server-unproven")
        .eg("incorrect server signature")
        .not("incorrect signature of the package"),
    stop("libpq-read-only", "session is read-only", "session/read-only")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: session is read-only")
        .not("session is not read-only"),
    stop("libpq-writable", "session is not read-only", "session/writable")
        .eg("connection to server at \"192.0.2.10\", port 5432 failed: session is not read-only")
        .not("the session is read-only"),
    stop("libpq-other-answer", "received invalid response to SSL negotiation: {any}", "listener/other-answer")
        .eg("received invalid response to SSL negotiation: H")
        .not("received an invalid message"),
    stop("libpq-other-expected", "expected authentication request from server, but received {word}", "listener/other-answer")
        .eg("expected authentication request from server, but received H")
        .not("expected authentication request from server"),
    follows_or("libpq-lost", "could not receive data from server: {any}", "session/closed")
        .eg("could not receive data from server: Connection timed out")
        .not("could not receive data from the client"),
    follows_or("libpq-ssl-closed", "SSL connection has been closed unexpectedly", "session/closed")
        .eg("psycopg2.OperationalError: SSL connection has been closed unexpectedly")
        .not("SSL connection (protocol: TLSv1.3)"),
    follows("libpq-is-closed", "no connection to the server")
        .eg("no connection to the server")
        .not("no connection string"),
];

const PSQL: &[Pattern] = &[
    code("psql-code", "{word}: error: FATAL: {sqlstate}:")
        .eg("psql: error: FATAL: 28P01: password authentication failed for user \"purser\"")
        .not("psql: error: FATAL: password authentication failed"),
    code("psql-code-only", "FATAL: {sqlstate}:")
        .eg("psql: Fehler: Verbindung zum Server auf »192.0.2.10«, Port 5432 fehlgeschlagen: FATAL:  28P01: Passwort-Authentifizierung für Benutzer »purser« fehlgeschlagen")
        .not("FATAL: the database system is starting up"),
    unrelated("psql-syntax", "ERROR: syntax error at or near")
        .eg("ERROR:  syntax error at or near \"SELEC\"")
        .not("syntax error in file \"/etc/postgresql/15/main/postgresql.conf\""),
];

const SERVER: &[Pattern] = &[
    stop("pg-password", "password authentication failed for user \"{user}\"", "login/credentials-refused")
        .may("an unknown user, an expired password, a role without one: the server says the same of all four")
        .eg("FATAL:  password authentication failed for user \"purser\"")
        .not("FATAL:  Peer authentication failed for user \"purser\""),
    stop("pg-peer", "Peer authentication failed for user \"{user}\"", "login/identity-refused")
        .sig(&[("role-words", "own-account")])
        .eg("FATAL:  Peer authentication failed for user \"purser\"")
        .not("FATAL:  password authentication failed for user \"purser\""),
    stop("pg-ident", "Ident authentication failed for user \"{user}\"", "login/identity-refused")
        .sig(&[("role-words", "own-account")])
        .eg("FATAL:  Ident authentication failed for user \"purser\"")
        .not("Ident server did not answer"),
    stop("pg-ldap", "LDAP authentication failed for user \"{user}\"", "login/credentials-refused")
        .eg("FATAL:  LDAP authentication failed for user \"purser\"")
        .not("LDAP search failed"),
    stop("pg-certificate", "certificate authentication failed for user \"{user}\"", "login/identity-refused")
        .sig(&[("role-words", "certificate")])
        .eg("FATAL:  certificate authentication failed for user \"purser\"")
        .not("certificate verification failed"),
    stop("pg-gssapi", "GSSAPI authentication failed for user \"{user}\"", "login/credentials-refused")
        .eg("FATAL:  GSSAPI authentication failed for user \"purser\"")
        .not("GSSAPI encryption is on"),
    stop("pg-pam", "PAM authentication failed for user \"{user}\"", "login/credentials-refused")
        .eg("FATAL:  PAM authentication failed for user \"purser\"")
        .not("PAM account management failed"),
    stop("pg-no-rule", "no pg_hba.conf entry for host \"{client}\", user \"{user}\", database \"{database}\", no encryption", "login/host-refused")
        .sig(&[("host-words", "no-rule"), ("line-encryption", "clear")])
        .may("a rule for encrypted connections only")
        .eg("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", no encryption")
        .not("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", SSL encryption"),
    stop("pg-no-rule-encrypted", "no pg_hba.conf entry for host \"{client}\", user \"{user}\", database \"{database}\", SSL encryption", "login/host-refused")
        .sig(&[("host-words", "no-rule"), ("line-encryption", "encrypted")])
        .eg("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", SSL encryption")
        .not("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", no encryption"),
    stop("pg-no-rule-old", "no pg_hba.conf entry for host \"{client}\", user \"{user}\", database \"{database}\", SSL off", "login/host-refused")
        .sig(&[("host-words", "no-rule"), ("line-encryption", "clear")])
        .eg("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", SSL off")
        .not("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", SSL on"),
    stop("pg-no-rule-old-encrypted", "no pg_hba.conf entry for host \"{client}\", user \"{user}\", database \"{database}\", SSL on", "login/host-refused")
        .sig(&[("host-words", "no-rule"), ("line-encryption", "encrypted")])
        .eg("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", SSL on")
        .not("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\", SSL off"),
    stop("pg-no-rule-plain", "no pg_hba.conf entry for host \"{client}\", user \"{user}\", database \"{database}\"", "login/host-refused").weak()
        .sig(&[("host-words", "no-rule")])
        .eg("FATAL:  no pg_hba.conf entry for host \"198.51.100.77\", user \"purser\", database \"sailings\"")
        .not("FATAL:  no pg_hba.conf entry for replication connection from host \"198.51.100.77\""),
    stop("pg-no-rule-socket", "no pg_hba.conf entry for host \"[local]\", user \"{user}\", database \"{database}\"", "login/host-refused")
        .sig(&[("host-words", "no-rule")])
        .eg("FATAL:  no pg_hba.conf entry for host \"[local]\", user \"purser\", database \"sailings\", no encryption")
        .not("FATAL:  no pg_hba.conf entry for host \"[::1]\", user \"purser\", database \"sailings\""),
    stop("pg-rejected", "pg_hba.conf rejects connection for host \"{client}\", user \"{user}\", database \"{database}\"", "login/host-refused")
        .sig(&[("host-words", "no-rule")])
        .eg("FATAL:  pg_hba.conf rejects connection for host \"198.51.100.77\", user \"purser\", database \"sailings\", no encryption")
        .not("FATAL:  pg_hba.conf rejects replication connection for host \"198.51.100.77\""),
    stop("pg-hba-any", "pg_hba.conf", "login/host-refused").weak()
        .may("a file that is only spoken of: in any language the server names it when it refuses a host")
        .eg("FATAL:  kein pg_hba.conf-Eintrag für Host »198.51.100.77«, Benutzer »purser«, Datenbank »sailings«, keine Verschlüsselung")
        .not("the file pg_hba.config"),
    stop("pg-client-certificate", "connection requires a valid client certificate", "login/host-refused")
        .sig(&[("host-words", "certificate")])
        .eg("FATAL:  connection requires a valid client certificate")
        .not("connection requires a valid password"),
    stop("pg-no-role", "role \"{user}\" does not exist", "login/identity-refused")
        .sig(&[("role-words", "no-such-role")])
        .may("under a method without a password; with one, the server does not tell")
        .eg("FATAL:  role \"purser\" does not exist")
        .not("FATAL:  database \"purser\" does not exist"),
    stop("pg-no-login", "role \"{user}\" is not permitted to log in", "login/identity-refused")
        .sig(&[("role-words", "may-not-sign-in")])
        .eg("FATAL:  role \"purser\" is not permitted to log in")
        .not("role \"purser\" is not permitted to create roles"),
    stop("pg-no-database", "database \"{database}\" does not exist", "session/database-missing")
        .eg("FATAL:  database \"sailings\" does not exist")
        .not("FATAL:  role \"sailings\" does not exist"),
    stop("pg-database-closed", "database \"{database}\" is not currently accepting connections", "session/database-closed")
        .eg("FATAL:  database \"sailings\" is not currently accepting connections")
        .not("the database system is not accepting connections"),
    stop("pg-database-denied", "permission denied for database \"{database}\"", "session/database-not-permitted")
        .eg("FATAL:  permission denied for database \"sailings\"\nDETAIL:  User does not have CONNECT privilege.")
        .not("permission denied for table departures"),
    stop("pg-full", "sorry, too many clients already", "listener/full")
        .eg("FATAL:  sorry, too many clients already")
        .not("sorry, too many arguments"),
    stop("pg-full-reserved", "remaining connection slots are reserved for", "listener/full")
        .eg("FATAL:  remaining connection slots are reserved for non-replication superuser connections")
        .not("no remaining connection slots were counted"),
    stop("pg-role-limit", "too many connections for role \"{user}\"", "login/limit")
        .eg("FATAL:  too many connections for role \"purser\"")
        .not("FATAL:  too many connections for database \"sailings\""),
    stop("pg-database-limit", "too many connections for database \"{database}\"", "login/limit")
        .eg("FATAL:  too many connections for database \"sailings\"")
        .not("FATAL:  too many connections for role \"purser\""),
    stop("pg-starting", "the database system is starting up", "listener/not-ready")
        .sig(&[("state-words", "starting")])
        .eg("FATAL:  the database system is starting up")
        .not("LOG:  the database system is ready to accept connections"),
    stop("pg-recovering", "the database system is in recovery mode", "listener/not-ready")
        .sig(&[("state-words", "starting")])
        .eg("FATAL:  the database system is in recovery mode")
        .not("the database is a replica"),
    stop("pg-not-yet", "the database system is not yet accepting connections", "listener/not-ready")
        .sig(&[("state-words", "starting")])
        .eg("FATAL:  the database system is not yet accepting connections\nDETAIL:  Consistent recovery state has not been yet reached.")
        .not("the database system is accepting connections"),
    stop("pg-not-accepting", "the database system is not accepting connections", "listener/not-ready")
        .sig(&[("state-words", "starting")])
        .eg("FATAL:  the database system is not accepting connections\nDETAIL:  Hot standby mode is disabled.")
        .not("the database system is ready to accept connections"),
    stop("pg-stopping", "the database system is shutting down", "listener/not-ready")
        .sig(&[("state-words", "stopping")])
        .eg("FATAL:  the database system is shutting down")
        .not("LOG:  database system is shut down"),
    follows_or("pg-terminated", "terminating connection due to administrator command", "session/closed")
        .may("a server that is stopped, or an administrator who ends sessions")
        .eg("FATAL:  terminating connection due to administrator command")
        .not("terminating background worker"),
    stop("pg-idle", "terminating connection due to idle-session timeout", "session/idle-cut")
        .sig(&[("idle-end", "server-said")])
        .eg("FATAL:  terminating connection due to idle-session timeout")
        .not("canceling statement due to statement timeout"),
    stop("pg-idle-transaction", "terminating connection due to idle-in-transaction timeout", "session/idle-cut")
        .sig(&[("idle-end", "server-said")])
        .eg("FATAL:  terminating connection due to idle-in-transaction timeout")
        .not("canceling statement due to lock timeout"),
    stop("pg-crash", "terminating connection because of crash of another server process", "session/closed")
        .eg("WARNING:  terminating connection because of crash of another server process")
        .not("terminating connection"),
    stop("pg-parameter", "unrecognized configuration parameter \"{word}\"", "session/parameter-refused")
        .sig(&[("sent-parameters", "some")])
        .eg("FATAL:  unrecognized configuration parameter \"serch_path\"")
        .not("ERROR:  parameter \"search_path\" cannot be changed"),
    stop("pg-parameter-value", "invalid value for parameter \"{word}\"", "session/parameter-refused")
        .sig(&[("sent-parameters", "some")])
        .eg("FATAL:  invalid value for parameter \"client_encoding\": \"utf-32\"")
        .not("invalid value for option"),
    stop("pg-protocol", "unsupported frontend protocol {any}: server supports", "listener/version")
        .eg("FATAL:  unsupported frontend protocol 3.2: server supports 3.0 to 3.0")
        .not("unsupported frontend encoding"),
    stop("pg-tls-alpn", "received direct SSL connection request without ALPN protocol negotiation extension", "tls/closed")
        .eg("LOG:  received direct SSL connection request without ALPN protocol negotiation extension")
        .not("received SSL request"),
    stop("pg-schema", "schema \"{word}\" does not exist", "session/schema-missing")
        .eg("ERROR:  schema \"timetable\" does not exist")
        .not("ERROR:  relation \"timetable\" does not exist"),
    stop("pg-schema-denied", "permission denied for schema {word}", "session/privileges-missing")
        .eg("ERROR:  permission denied for schema public")
        .not("ERROR:  permission denied for relation departures"),
    unrelated("pg-relation", "relation \"{any}\" does not exist")
        .eg("ERROR:  relation \"departures\" does not exist")
        .not("ERROR:  role \"departures\" does not exist"),
    unrelated("pg-column", "column \"{any}\" does not exist")
        .eg("ERROR:  column \"berth\" does not exist")
        .not("database \"berth\" does not exist"),
    unrelated("pg-duplicate", "duplicate key value violates unique constraint")
        .eg("ERROR:  duplicate key value violates unique constraint \"departures_pkey\"")
        .not("duplicate key in file"),
    unrelated("pg-table-denied", "permission denied for table {word}")
        .eg("ERROR:  permission denied for table departures")
        .not("permission denied for database \"sailings\""),
    unrelated("pg-statement-timeout", "canceling statement due to statement timeout")
        .eg("ERROR:  canceling statement due to statement timeout")
        .not("terminating connection due to idle-session timeout"),
    unrelated("pg-deadlock", "deadlock detected")
        .eg("ERROR:  deadlock detected")
        .not("no deadlock was detected-"),
    stop("pg-log-no-role", "Role \"{user}\" does not exist.", "login/credentials-refused")
        .sig(&[("account-looked-up", "yes"), ("account-stands", "no-such-user")])
        .eg("DETAIL:  Role \"purser\" does not exist.\n\tConnection matched pg_hba.conf line 4: \"host all all all scram-sha-256\"")
        .not("FATAL:  role \"purser\" does not exist"),
    stop("pg-log-no-password", "User \"{user}\" has no password assigned.", "login/credentials-refused")
        .sig(&[("account-looked-up", "yes"), ("account-stands", "no-password")])
        .eg("DETAIL:  User \"purser\" has no password assigned.")
        .not("User \"purser\" has no privileges assigned."),
    stop("pg-log-expired", "User \"{user}\" has an expired password.", "login/credentials-refused")
        .sig(&[("account-looked-up", "yes"), ("account-stands", "expired")])
        .eg("DETAIL:  User \"purser\" has an expired password.")
        .not("User \"purser\" has a password."),
    stop("pg-log-mismatch", "Password does not match for user \"{user}\".", "login/credentials-refused")
        .sig(&[("account-looked-up", "yes"), ("account-stands", "in-order")])
        .eg("DETAIL:  Password does not match for user \"purser\".")
        .not("Password does not match the policy"),
    stop("pg-log-no-scram", "User \"{user}\" does not have a valid SCRAM secret.", "login/credentials-refused")
        .sig(&[("account-looked-up", "yes"), ("account-stands", "no-password")])
        .eg("DETAIL:  User \"purser\" does not have a valid SCRAM secret.")
        .not("User \"purser\" does have a valid SCRAM secret."),
];

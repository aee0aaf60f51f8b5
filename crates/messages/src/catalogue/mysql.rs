//! What MySQL's and MariaDB's C libraries, programs and servers say.

use crate::pattern::{Component, Kind, Pattern, Source, code, follows_or, stop, unrelated};

pub(super) const ALL: &[Component] = &[
    Component {
        id: "mysql-client",
        title: "MySQL and MariaDB C libraries",
        kind: Kind::Library,
        engine: Some("mysql"),
        languages: "C, shell, Python, PHP, Ruby, Perl",
        source: Source::Measured,
        patterns: CLIENT,
    },
    Component {
        id: "mysql-server",
        title: "MySQL and MariaDB servers",
        kind: Kind::Server,
        engine: Some("mysql"),
        languages: "",
        source: Source::Measured,
        patterns: SERVER,
    },
];

const CLIENT: &[Pattern] = &[
    code("mysql-shell-code", "ERROR {number} ({sqlstate})")
        .eg("ERROR 1045 (28000): Accès refusé pour l'utilisateur: 'deckhand'@'198.51.100.77' (mot de passe: OUI)")
        .not("ERROR 1045: no state"),
    code("mysql-shell-code-line", "ERROR {number} ({sqlstate}) at line {number}")
        .eg("ERROR 1049 (42000) at line 1: Unknown database 'manifest'")
        .not("ERROR at line 1"),
    stop("mysql-socket-missing", "Can't connect to local MySQL server through socket '{path}' (2)", "port/socket-missing")
        .eg("ERROR 2002 (HY000): Can't connect to local MySQL server through socket '/run/mysqld/mysqld.sock' (2)")
        .not("Can't connect to local MySQL server through socket '/run/mysqld/mysqld.sock' (111)"),
    stop("mysql-socket-refused", "Can't connect to local MySQL server through socket '{path}' (111)", "port/socket-refused")
        .eg("ERROR 2002 (HY000): Can't connect to local MySQL server through socket '/run/mysqld/mysqld.sock' (111)")
        .not("Can't connect to local MySQL server through socket '/run/mysqld/mysqld.sock' (13)"),
    stop("mysql-socket-closed", "Can't connect to local MySQL server through socket '{path}' (13)", "port/socket-not-permitted")
        .eg("ERROR 2002 (HY000): Can't connect to local MySQL server through socket '/run/mysqld/mysqld.sock' (13)")
        .not("Can't connect to local MySQL server through socket '/run/mysqld/mysqld.sock' (2)"),
    stop("mariadb-socket-missing", "Can't connect to local server through socket '{path}' (2)", "port/socket-missing")
        .eg("ERROR 2002 (HY000): Can't connect to local server through socket '/run/mysqld/mysqld.sock' (2)")
        .not("Can't connect to local server through socket '/run/mysqld/mysqld.sock' (111)"),
    stop("mariadb-socket-refused", "Can't connect to local server through socket '{path}' (111)", "port/socket-refused")
        .eg("ERROR 2002 (HY000): Can't connect to local server through socket '/run/mysqld/mysqld.sock' (111)")
        .not("Can't connect to local server through socket '/run/mysqld/mysqld.sock' (2)"),
    stop("mariadb-socket-closed", "Can't connect to local server through socket '{path}' (13)", "port/socket-not-permitted")
        .eg("ERROR 2002 (HY000): Can't connect to local server through socket '/run/mysqld/mysqld.sock' (13)")
        .not("Can't connect to local server through socket '/run/mysqld/mysqld.sock' (2)"),
    stop("mysql-refused-port", "Can't connect to MySQL server on '{place}' (111)", "port/refused")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example:3306' (111)")
        .not("Can't connect to MySQL server on 'wharf.osmary.example:3306' (110)"),
    stop("mysql-refused", "Can't connect to MySQL server on '{host}' (111", "port/refused")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example' (111 \"Connection refused\")")
        .not("Can't connect to MySQL server on 'wharf.osmary.example' (110 \"Connection timed out\")"),
    stop("mariadb-refused", "Can't connect to server on '{host}' (111)", "port/refused")
        .eg("ERROR 2002 (HY000): Can't connect to server on 'wharf.osmary.example' (111)")
        .not("Can't connect to server on 'wharf.osmary.example' (110)"),
    stop("mysql-refused-windows", "Can't connect to MySQL server on '{any}' (10061)", "port/refused")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example:3306' (10061)")
        .not("Can't connect to MySQL server on 'wharf.osmary.example:3306' (10060)"),
    stop("mysql-silent-windows", "Can't connect to MySQL server on '{any}' (10060)", "port/silent")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example:3306' (10060)")
        .not("Can't connect to MySQL server on 'wharf.osmary.example:3306' (10061)"),
    stop("mysql-silent-port", "Can't connect to MySQL server on '{place}' (110)", "port/silent")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example:3306' (110)")
        .not("Can't connect to MySQL server on 'wharf.osmary.example:3306' (111)"),
    stop("mysql-silent", "Can't connect to MySQL server on '{host}' (110", "port/silent")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example' (110 \"Connection timed out\")")
        .not("Can't connect to MySQL server on 'wharf.osmary.example' (111)"),
    stop("mariadb-silent", "Can't connect to server on '{host}' (110)", "port/silent")
        .eg("ERROR 2002 (HY000): Can't connect to server on 'wharf.osmary.example' (110)")
        .not("Can't connect to server on 'wharf.osmary.example' (115)"),
    stop("mariadb-progress", "Can't connect to server on '{host}' (115)", "port/refused")
        .may("a host that no route leads to: MariaDB's library says 115 of all that fails at once, and 110 of what is silent")
        .eg("ERROR 2002 (HY000): Can't connect to server on 'wharf.osmary.example' (115)")
        .not("Can't connect to server on 'wharf.osmary.example' (111)"),
    stop("mysql-progress", "Can't connect to MySQL server on '{host}' (115", "port/refused")
        .may("a host that no route leads to: MariaDB's library says 115 of all that fails at once, and 110 of what is silent")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example' (115 \"Operation now in progress\")")
        .not("Can't connect to MySQL server on 'wharf.osmary.example' (113)"),
    stop("mysql-no-route", "Can't connect to MySQL server on '{host}' (113", "port/unreachable")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on 'wharf.osmary.example' (113 \"No route to host\")")
        .not("Can't connect to MySQL server on 'wharf.osmary.example' (101)"),
    stop("mariadb-no-route", "Can't connect to server on '{host}' (113)", "port/unreachable")
        .eg("ERROR 2002 (HY000): Can't connect to server on 'wharf.osmary.example' (113)")
        .not("Can't connect to server on 'wharf.osmary.example' (101)"),
    stop("mysql-no-network", "Can't connect to MySQL server on '{host}' (101", "route/none")
        .eg("ERROR 2003 (HY000): Can't connect to MySQL server on '2001:db8::20' (101 \"Network is unreachable\")")
        .not("Can't connect to MySQL server on '2001:db8::20' (113)"),
    stop("mysql-unknown-host-number", "Unknown MySQL server host '{host}' (-3)", "name/failing")
        .eg("ERROR 2005 (HY000): Unknown MySQL server host 'wharf.osmary.example' (-3)")
        .not("ERROR 2005 (HY000): Unknown MySQL server host 'wharf.osmary.example' (-2)"),
    stop("mysql-unknown-host", "Unknown MySQL server host '{host}'", "name/not-found")
        .eg("ERROR 2005 (HY000): Unknown MySQL server host 'wharf.osmary.example' (-2)")
        .not("Unknown MySQL server version"),
    stop("mariadb-unknown-host", "Unknown server host '{host}'", "name/not-found")
        .may("a resolver that does not answer: (-3) says that")
        .eg("ERROR 2005 (HY000): Unknown server host 'wharf.osmary.example' (-2)")
        .not("Unknown server option 'wharf'"),
    stop("mariadb-unknown-host-failing", "Unknown server host '{host}' (-3)", "name/failing")
        .eg("ERROR 2005 (HY000): Unknown server host 'wharf.osmary.example' (-3)")
        .not("ERROR 2005 (HY000): Unknown server host 'wharf.osmary.example' (-2)"),
    stop("mysql-lost-greeting", "Lost connection to MySQL server at 'reading initial communication packet', system error: 0", "listener/closed")
        .eg("ERROR 2013 (HY000): Lost connection to MySQL server at 'reading initial communication packet', system error: 0")
        .not("Lost connection to MySQL server at 'reading authorization packet', system error: 0"),
    stop("mysql-lost-greeting-silent", "Lost connection to MySQL server at 'reading initial communication packet', system error: 110", "listener/mute")
        .eg("ERROR 2013 (HY000): Lost connection to MySQL server at 'reading initial communication packet', system error: 110")
        .not("Lost connection to MySQL server at 'reading initial communication packet', system error: 104"),
    stop("mysql-lost-greeting-reset", "Lost connection to MySQL server at 'reading initial communication packet', system error: 104", "listener/closed")
        .eg("ERROR 2013 (HY000): Lost connection to MySQL server at 'reading initial communication packet', system error: 104")
        .not("Lost connection to MySQL server at 'reading initial communication packet', system error: 110"),
    stop("mysql-waiting-greeting", "Lost connection to MySQL server at 'waiting for initial communication packet'", "listener/mute")
        .eg("ERROR 2013 (HY000): Lost connection to MySQL server at 'waiting for initial communication packet', system error: 110")
        .not("Lost connection to MySQL server during query"),
    stop("mariadb-lost-greeting", "Lost connection to server at 'handshake: reading initial communication packet', system error: {number}", "listener/closed").weak()
        .may("a server that does not answer: 110 and 11 say that")
        .eg("ERROR 2013 (HY000): Lost connection to server at 'handshake: reading initial communication packet', system error: 104")
        .not("Lost connection to server at 'handshake: reading authorization packet'"),
    stop("mariadb-lost-greeting-silent", "Lost connection to server at 'handshake: reading initial communication packet', system error: 110", "listener/mute")
        .eg("ERROR 2013 (HY000): Lost connection to server at 'handshake: reading initial communication packet', system error: 110")
        .not("Lost connection to server at 'handshake: reading initial communication packet', system error: 104"),
    stop("mariadb-lost-greeting-again", "Lost connection to server at 'handshake: reading initial communication packet', system error: 11", "listener/mute")
        .eg("ERROR 2013 (HY000): Lost connection to server at 'handshake: reading initial communication packet', system error: 11")
        .not("Lost connection to server at 'handshake: reading initial communication packet', system error: 111"),
    stop("mysql-lost-authorization", "Lost connection to MySQL server at 'reading authorization packet'", "login/closed")
        .eg("ERROR 2013 (HY000): Lost connection to MySQL server at 'reading authorization packet', system error: 2")
        .not("Lost connection to MySQL server at 'sending authentication information'-"),
    stop("mariadb-lost-authorization", "Lost connection to server at 'handshake: reading authorization packet'", "login/closed")
        .eg("ERROR 2013 (HY000): Lost connection to server at 'handshake: reading authorization packet', system error: 104")
        .not("Lost connection to server during query"),
    follows_or("mysql-lost-query", "Lost connection to MySQL server during query", "session/closed")
        .may("a time limit of the client, or a server that crashed")
        .eg("ERROR 2013 (HY000): Lost connection to MySQL server during query")
        .not("Lost connection to MySQL server at 'reading initial communication packet'"),
    follows_or("mariadb-lost-query", "Lost connection to server during query", "session/closed")
        .eg("ERROR 2013 (HY000): Lost connection to server during query")
        .not("Lost connection to server at 'handshake: reading authorization packet'"),
    follows_or("mysql-gone", "MySQL server has gone away", "session/closed")
        .may("an idle session that was ended, a packet that was too large, a server that crashed")
        .eg("ERROR 2006 (HY000): MySQL server has gone away")
        .not("MySQL server has been started"),
    follows_or("mariadb-gone", "Server has gone away", "session/closed")
        .eg("ERROR 2006 (HY000): Server has gone away")
        .not("Server has come up"),
    stop("mysql-tls-required-client", "SSL connection error: SSL is required, but the server does not support it", "tls/not-offered")
        .eg("ERROR 2026 (HY000): TLS/SSL error: SSL connection error: SSL is required, but the server does not support it")
        .not("SSL connection error: self-signed certificate"),
    stop("mysql-tls-required-new", "SSL connection error: SSL is required but the server doesn't support it", "tls/not-offered")
        .eg("ERROR 2026 (HY000): SSL connection error: SSL is required but the server doesn't support it")
        .not("SSL is required by the server"),
    stop("mariadb-tls-required", "TLS/SSL error: SSL is required, but the server does not support it", "tls/not-offered")
        .eg("ERROR 2026 (HY000): TLS/SSL error: SSL is required, but the server does not support it")
        .not("TLS/SSL error: Certificate verification failure"),
    stop("mariadb-tls-verify", "TLS/SSL error: Certificate verification failure: The certificate is NOT trusted.", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("ERROR 2026 (HY000): TLS/SSL error: Certificate verification failure: The certificate is NOT trusted.")
        .not("TLS/SSL error: Certificate verification failure: Certificate name"),
    stop("mariadb-tls-name", "TLS/SSL error: Validation of SSL server certificate failed", "tls/certificate-refused")
        .eg("ERROR 2026 (HY000): TLS/SSL error: Validation of SSL server certificate failed")
        .not("TLS/SSL error: SSL is required"),
    stop("mysql-plugin", "Authentication plugin '{word}' cannot be loaded", "login/method")
        .eg("ERROR 2059 (HY000): Authentication plugin 'caching_sha2_password' cannot be loaded: /usr/lib/mysql/plugin/caching_sha2_password.so: cannot open shared object file: No such file or directory")
        .not("Authentication plugin 'caching_sha2_password' was loaded"),
    stop("mysql-plugin-secure", "Authentication plugin '{word}' reported error: Authentication requires secure connection.", "login/method")
        .eg("ERROR 2061 (HY000): Authentication plugin 'caching_sha2_password' reported error: Authentication requires secure connection.")
        .not("Authentication plugin 'caching_sha2_password' reported success"),
    stop("mysql-old-protocol", "Client does not support authentication protocol requested by server", "login/method")
        .eg("ERROR 1251 (08004): Client does not support authentication protocol requested by server; consider upgrading MySQL client")
        .not("Client supports the authentication protocol"),
];

const SERVER: &[Pattern] = &[
    stop("mysql-denied", "Access denied for user '{user}'@'{client}' (using password: YES)", "login/denied")
        .may("an unknown user, another host's account, an account that demands encryption")
        .eg("Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)")
        .not("Access denied for user 'deckhand'@'198.51.100.77' (using password: NO)"),
    stop("mysql-denied-no-password", "Access denied for user '{user}'@'{client}' (using password: NO)", "login/denied")
        .sig(&[("value-shape", "left-out")])
        .may("an unknown user, another host's account, an account that demands encryption")
        .eg("Access denied for user 'deckhand'@'198.51.100.77' (using password: NO)")
        .not("Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)"),
    stop("mysql-database-denied", "Access denied for user '{user}'@'{client}' to database '{database}'", "session/database-not-permitted")
        .may("a database that does not exist: the server does not tell")
        .eg("Access denied for user 'deckhand'@'%' to database 'manifest'")
        .not("Access denied for user 'deckhand'@'%' (using password: YES)"),
    stop("mysql-denied-socket", "Access denied for user '{user}'@'{client}'", "login/denied").weak()
        .may("an account that signs in by the operating system's account alone")
        .eg("ERROR 1698 (28000): Access denied for user 'root'@'localhost'")
        .not("Access denied for users of '198.51.100.77'"),
    stop("mysql-unknown-database", "Unknown database '{database}'", "session/database-missing")
        .eg("ERROR 1049 (42000): Unknown database 'manifest'")
        .not("Unknown table 'manifest'"),
    stop("mysql-full", "Too many connections", "listener/full")
        .eg("ERROR 1040 (08004): Too many connections")
        .not("Too many connection errors"),
    stop("mysql-user-limit", "User '{user}' has exceeded the '{word}' resource", "login/limit")
        .eg("ERROR 1226 (42000): User 'deckhand' has exceeded the 'max_user_connections' resource (current value: 5)")
        .not("User 'deckhand' has no resource"),
    stop("mysql-user-connections", "User {user} already has more than 'max_user_connections' active connections", "login/limit")
        .eg("ERROR 1203 (42000): User deckhand already has more than 'max_user_connections' active connections")
        .not("User deckhand already has an account"),
    stop("mysql-host-denied", "Host '{client}' is not allowed to connect to this", "listener/blocked")
        .eg("ERROR 1130 (HY000): Host '198.51.100.77' is not allowed to connect to this MySQL server")
        .not("Host '198.51.100.77' is blocked because of many connection errors"),
    stop("mysql-host-blocked", "Host '{client}' is blocked because of many connection errors", "listener/blocked")
        .eg("ERROR 1129 (HY000): Host '198.51.100.77' is blocked because of many connection errors; unblock with 'mysqladmin flush-hosts'")
        .not("Host '198.51.100.77' is not allowed to connect to this MySQL server"),
    stop("mysql-host-unresolved", "Can't get hostname for your address", "listener/blocked")
        .eg("ERROR 1042 (HY000): Can't get hostname for your address")
        .not("Can't get the address of your host"),
    stop("mysql-insecure", "Connections using insecure transport are prohibited while --require_secure_transport=ON", "tls/required")
        .eg("ERROR 3159 (08004): Connections using insecure transport are prohibited while --require_secure_transport=ON.")
        .not("require_secure_transport is OFF"),
    stop("mysql-expired", "Your password has expired. To log in you must change it using a client that supports expired passwords", "login/password-expired")
        .eg("ERROR 1862 (HY000): Your password has expired. To log in you must change it using a client that supports expired passwords.")
        .not("Your password will expire"),
    stop("mysql-must-change", "You must reset your password using ALTER USER statement before executing this statement", "login/password-expired")
        .eg("ERROR 1820 (HY000): You must reset your password using ALTER USER statement before executing this statement.")
        .not("You must reset the server"),
    stop("mariadb-must-change", "You must SET PASSWORD before executing this statement", "login/password-expired")
        .eg("ERROR 1820 (HY000): You must SET PASSWORD before executing this statement")
        .not("You must SET the variable"),
    stop("mysql-locked", "Access denied for user '{user}'@'{client}'. Account is locked.", "login/locked")
        .eg("ERROR 3118 (HY000): Access denied for user 'deckhand'@'198.51.100.77'. Account is locked.")
        .not("Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)"),
    stop("mariadb-locked", "Access denied, this account is locked", "login/locked")
        .eg("ERROR 4151 (HY000): Access denied, this account is locked")
        .not("Access denied, the file is locked"),
    stop("mysql-blocked-account", "Account is blocked for {any} day(s)", "login/locked")
        .eg("ERROR 3955 (HY000): Access denied for user 'deckhand'@'198.51.100.77'. Account is blocked for 1 day(s) (1 day(s) remaining) due to 3 consecutive failed logins.")
        .not("Account is not blocked"),
    stop("mysql-stopping", "Server shutdown in progress", "listener/stopping")
        .eg("ERROR 1053 (08S01): Server shutdown in progress")
        .not("Server start in progress"),
    stop("mysql-offline", "The server is currently in offline mode", "session/database-closed")
        .eg("ERROR 3032 (HY000): The server is currently in offline mode")
        .not("The server is currently in read-only mode"),
    stop("mysql-inactive", "The client was disconnected by the server because of inactivity.", "session/idle-cut")
        .sig(&[("idle-end", "server-said")])
        .eg("ERROR 4031 (HY000): The client was disconnected by the server because of inactivity. See wait_timeout and interactive_timeout for configuring this behavior.")
        .not("The client was disconnected by the administrator"),
    stop("mysql-read-only", "The MySQL server is running with the --read-only option so it cannot execute this statement", "session/read-only")
        .eg("ERROR 1290 (HY000): The MySQL server is running with the --read-only option so it cannot execute this statement")
        .not("The MySQL server is running with the --skip-name-resolve option"),
    stop("mysql-variable", "Unknown system variable '{word}'", "session/parameter-refused")
        .sig(&[("sent-parameters", "some")])
        .eg("ERROR 1193 (HY000): Unknown system variable 'tx_isolation'")
        .not("Unknown variable"),
    stop("mysql-character-set", "Unknown character set: '{word}'", "session/parameter-refused")
        .sig(&[("sent-parameters", "some")])
        .eg("ERROR 1115 (42000): Unknown character set: 'utf9'")
        .not("Unknown collation"),
    unrelated("mysql-table", "Table '{any}' doesn't exist")
        .eg("ERROR 1146 (42S02): Table 'manifest.vehicles' doesn't exist")
        .not("Database 'manifest' doesn't exist"),
    unrelated("mysql-syntax", "You have an error in your SQL syntax")
        .eg("ERROR 1064 (42000): You have an error in your SQL syntax; check the manual")
        .not("You have an error in your file"),
    unrelated("mysql-column", "Unknown column '{any}' in")
        .eg("ERROR 1054 (42S22): Unknown column 'berth' in 'field list'")
        .not("Unknown database 'berth'"),
    unrelated("mysql-duplicate", "Duplicate entry '{any}' for key")
        .eg("ERROR 1062 (23000): Duplicate entry '7' for key 'PRIMARY'")
        .not("Duplicate section in file"),
    unrelated("mysql-command-denied", "command denied to user '{user}'@'{client}' for table")
        .eg("ERROR 1142 (42000): SELECT command denied to user 'deckhand'@'198.51.100.77' for table 'vehicles'")
        .not("Access denied for user 'deckhand'@'198.51.100.77'"),
];

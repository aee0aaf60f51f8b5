//! What the C libraries, programs and servers of the other engines say, and ODBC.

use crate::pattern::{
    Component, Kind, Pattern, Source, code, driver, follows_or, hides, stop, unrelated,
};

pub(super) const ALL: &[Component] = &[
    Component {
        id: "freetds",
        title: "FreeTDS",
        kind: Kind::Library,
        engine: Some("tds"),
        languages: "C, PHP, Ruby, Python",
        source: Source::Measured,
        patterns: FREETDS,
    },
    Component {
        id: "tds-server",
        title: "servers that speak TDS",
        kind: Kind::Server,
        engine: Some("tds"),
        languages: "",
        source: Source::Documented,
        patterns: TDS_SERVER,
    },
    Component {
        id: "msodbcsql",
        title: "ODBC driver for TDS",
        kind: Kind::Driver,
        engine: Some("tds"),
        languages: "C, Python, PHP",
        source: Source::Documented,
        patterns: MSODBC,
    },
    Component {
        id: "unixodbc",
        title: "ODBC driver managers",
        kind: Kind::Library,
        engine: None,
        languages: "C, Python, PHP",
        source: Source::Measured,
        patterns: ODBC,
    },
    Component {
        id: "mongodb-server",
        title: "servers that speak MongoDB's protocol",
        kind: Kind::Server,
        engine: Some("mongodb"),
        languages: "",
        source: Source::Documented,
        patterns: MONGODB_SERVER,
    },
    Component {
        id: "mongosh",
        title: "mongosh and libmongoc",
        kind: Kind::Library,
        engine: Some("mongodb"),
        languages: "shell, C",
        source: Source::Documented,
        patterns: MONGOC,
    },
];

const FREETDS: &[Pattern] = &[
    stop("freetds-name", "Unknown host machine name ({any})", "name/not-found")
        .eg("DB-Library error 20012: Unknown host machine name (slipway.osmary.example)")
        .not("Unknown host"),
    stop("freetds-name-server", "Server name not found in configuration files", "name/not-found")
        .may("a section of freetds.conf that is missing")
        .eg("Error 20012 (severity 2):\n\tServer name not found in configuration files.")
        .not("Server name found in configuration files"),
    hides("freetds-unavailable", "Adaptive Server is unavailable or does not exist ({host})", "Set TDSDUMP=/tmp/freetds.log for the program and run it again: the file holds the system's error.")
        .eg("DB-Lib error message 20009, severity 9:\nUnable to connect: Adaptive Server is unavailable or does not exist (slipway.osmary.example)")
        .not("Adaptive Server connection failed"),
    hides("freetds-unavailable-plain", "Unable to connect: Adaptive Server is unavailable or does not exist", "Set TDSDUMP=/tmp/freetds.log for the program and run it again: the file holds the system's error.")
        .eg("Error 20009 (severity 9):\n\tUnable to connect: Adaptive Server is unavailable or does not exist\n\tOS error 111, \"Connection refused\"")
        .not("Unable to connect: Adaptive Server is busy"),
    stop("freetds-os-refused", "OS error 111", "port/refused").exact()
        .eg("OS error 111, \"Connection refused\"")
        .not("OS error 110"),
    stop("freetds-os-silent", "OS error 110", "port/silent").exact()
        .eg("OS error 110, \"Connection timed out\"")
        .not("OS error 111"),
    stop("freetds-os-progress", "OS error 115", "port/silent").exact()
        .eg("OS error 115, \"Operation now in progress\"")
        .not("OS error 111"),
    stop("freetds-os-no-route", "OS error 113", "port/unreachable").exact()
        .eg("OS error 113, \"No route to host\"")
        .not("OS error 111"),
    hides("freetds-login", "Adaptive Server connection failed", "Look for the server's own message beside it, with a number such as 18456; TDSDUMP=/tmp/freetds.log for the program writes all of it down.")
        .eg("DB-Lib error message 20002, severity 9:\nAdaptive Server connection failed (slipway.osmary.example)")
        .not("Adaptive Server connection timed out"),
    follows_or("freetds-timeout", "Adaptive Server connection timed out", "session/mute")
        .eg("DB-Lib error message 20003, severity 6:\nAdaptive Server connection timed out")
        .not("Adaptive Server connection failed"),
    follows_or("freetds-eof", "Unexpected EOF from the server", "listener/closed")
        .may("a server of another engine, or one that demands encryption")
        .eg("Error 20017 (severity 9):\n\tUnexpected EOF from the server")
        .not("Unexpected end of file"),
    follows_or("freetds-dead", "DBPROCESS is dead or not enabled", "session/closed")
        .eg("DB-Lib error message 20047, severity 9:\nDBPROCESS is dead or not enabled")
        .not("DBPROCESS is ready"),
    stop("freetds-write", "Write to the server failed", "listener/closed").weak()
        .eg("Error 20006 (severity 9):\n\tWrite to the server failed")
        .not("Write to the file failed"),
];

const TDS_SERVER: &[Pattern] = &[
    stop("tds-login", "Login failed for user '{user}'", "login/denied").weak()
        .may("an unknown user, or one that may not sign in: the server's log has a state that tells")
        .eg("Login failed for user 'purser'.")
        .not("Login failed for users of this domain"),
    stop("tds-login-number", "({number}) (SQLDriverConnect)", "login/denied").weak()
        .eg("[28000] Login failed (18456) (SQLDriverConnect)")
        .not("(SQLDriverConnect)"),
    stop("tds-domain", "The login is from an untrusted domain and cannot be used with", "login/denied")
        .eg("Login failed. The login is from an untrusted domain and cannot be used with Integrated authentication.")
        .not("The login is from a domain"),
    stop("tds-disabled", "Reason: The account is disabled", "login/identity-refused")
        .sig(&[("role-words", "may-not-sign-in")])
        .eg("Login failed for user 'purser'. Reason: The account is disabled.")
        .not("Reason: the account is enabled"),
    stop("tds-locked", "because the account is currently locked out", "login/locked")
        .eg("Login failed for user 'purser' because the account is currently locked out. The system administrator can unlock it.")
        .not("because the account is new"),
    stop("tds-expired", "Reason: The password of the account has expired", "login/password-expired")
        .eg("Login failed for user 'purser'.  Reason: The password of the account has expired.")
        .not("Reason: The password of the account is new"),
    stop("tds-must-change", "Reason: The password of the account must be changed", "login/password-expired")
        .eg("Login failed for user 'purser'.  Reason: The password of the account must be changed.")
        .not("The password must be long"),
    stop("tds-database", "Cannot open database \"{database}\" requested by the login", "session/database-not-permitted")
        .may("a database that does not exist: the server does not tell")
        .eg("Cannot open database \"fares\" requested by the login. The login failed.")
        .not("Cannot open database file"),
    stop("tds-default-database", "Cannot open user default database", "session/database-not-permitted")
        .eg("Cannot open user default database. Login failed.")
        .not("Cannot open user file"),
    stop("tds-address", "Client with IP address '{client}' is not allowed to access the server", "listener/blocked")
        .eg("Cannot open server 'slipway' requested by the login. Client with IP address '198.51.100.77' is not allowed to access the server.")
        .not("Client with IP address '198.51.100.77' is connected"),
    stop("tds-full", "Could not connect because the maximum number of '{number}' user connections has already been reached", "listener/full")
        .eg("Could not connect because the maximum number of '100' user connections has already been reached.")
        .not("the maximum number of '100' rows has been reached"),
    unrelated("tds-object", "Invalid object name '{any}'")
        .eg("Msg 208, Level 16, State 1: Invalid object name 'refunds'.")
        .not("Invalid user name"),
];

const MSODBC: &[Pattern] = &[
    stop("msodbc-refused", "TCP Provider: Error code 0x2749", "port/refused")
        .eg("[08001] TCP Provider: Error code 0x2749 (10057)")
        .not("TCP Provider: Error code 0x274C"),
    stop("msodbc-silent", "TCP Provider: Timeout error [258]", "port/silent")
        .eg("[08001] TCP Provider: Timeout error [258]. ")
        .not("TCP Provider: Error code 0x2749"),
    hides("msodbc-login-timeout", "Login timeout expired", "Read the whole message, with the words behind \"TCP Provider\": they tell a refused port from a silent one and from a name that is not found.")
        .eg("[HYT00] Login timeout expired (0) (SQLDriverConnect)")
        .not("Login expired"),
    stop("msodbc-refused-code", "TCP Provider: Error code 0x274D", "port/refused")
        .eg("[08001] TCP Provider: Error code 0x274D (10061)")
        .not("TCP Provider: Error code 0x2AF9"),
    stop("msodbc-name-code", "TCP Provider: Error code 0x2AF9", "name/not-found")
        .eg("[08001] TCP Provider: Error code 0x2AF9 (11001)")
        .not("TCP Provider: Error code 0x274D"),
    stop("msodbc-instance", "Error Locating Server/Instance Specified", "listener/service-unknown")
        .may("the directory service of that server, on UDP port 1434, that cannot be reached")
        .eg("A network-related or instance-specific error has occurred. Error Locating Server/Instance Specified [xFFFFFFFF].")
        .not("Error locating the file"),
    hides("msodbc-network", "A network-related or instance-specific error", "Look for the number behind \"error:\" in the same message: 10061 is refused, 10060 or 258 is silent, 11001 is a name that is not found, 26 an instance that is not found.")
        .eg("A network-related or instance-specific error occurred while establishing a connection.")
        .not("A network-related message"),
    stop("msodbc-self-signed", "The certificate chain was issued by an authority that is not trusted", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("SSL Provider, error: 0 - The certificate chain was issued by an authority that is not trusted.")
        .not("The certificate was issued by an authority"),
    stop("msodbc-name-certificate", "The target principal name is incorrect", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("SSL Provider, error: 0 - The target principal name is incorrect.")
        .not("The principal is incorrect"),
    stop("msodbc-no-tls", "Encryption not supported on the client", "tls/nothing-in-common")
        .eg("[08001] SSL Provider: Encryption not supported on the client.")
        .not("Encryption is supported"),
];

const ODBC: &[Pattern] = &[
    driver("odbc-driver", "Can't open lib '{driver}' : file not found")
        .eg("[01000] Can't open lib 'PostgreSQL Unicode' : file not found (0) (SQLDriverConnect)")
        .not("Can't open file 'odbc.ini'"),
    stop(
        "odbc-dsn",
        "Data source name not found",
        "settings/value-missing",
    )
    .may("a driver name that no odbcinst.ini has")
    .eg("[IM002] Data source name not found and no default driver specified (0) (SQLDriverConnect)")
    .not("Data source name found"),
    stop(
        "odbc-driver-load",
        "Specified driver could not be loaded",
        "settings/library-missing",
    )
    .eg("[IM003] Specified driver could not be loaded (0)")
    .not("Specified driver was loaded"),
    code("odbc-state", "[{sqlstate}] [")
        .eg("[28P01] [unixODBC]FATAL:  password authentication failed")
        .not("[unixODBC]["),
];

const MONGODB_SERVER: &[Pattern] = &[
    stop("mongodb-denied", "Authentication failed.", "login/denied").weak()
        .may("an unknown user, another authentication database, another mechanism")
        .eg("MongoServerError: Authentication failed.")
        .not("Authentication succeeded."),
    stop("mongodb-bad-auth", "bad auth : {any}", "login/denied")
        .eg("bad auth : authentication failed")
        .not("bad author"),
    stop("mongodb-code-denied", "'codeName': 'AuthenticationFailed'", "login/denied")
        .eg("{'ok': 0.0, 'errmsg': 'Authentication failed.', 'code': 18, 'codeName': 'AuthenticationFailed'}")
        .not("'codeName': 'Unauthorized'"),
    stop("mongodb-code-denied-json", "codeName: 'AuthenticationFailed'", "login/denied")
        .eg("  code: 18,\n  codeName: 'AuthenticationFailed',")
        .not("codeName: 'NotWritablePrimary'"),
    stop("mongodb-user", "Could not find user \"{user}\" for db \"{database}\"", "login/denied")
        .sig(&[("account-looked-up", "yes"), ("account-stands", "elsewhere")])
        .eg("UserNotFound: Could not find user \"purser\" for db \"lookout\"")
        .not("Could not find collection"),
    stop("mongodb-not-authorized", "not authorized on {database} to execute command", "session/database-not-permitted")
        .eg("not authorized on lookout to execute command { find: \"berths\" }")
        .not("authorized on lookout"),
    stop("mongodb-requires", "requires authentication", "login/password-asked")
        .eg("MongoServerError: command find requires authentication")
        .not("requires a password change"),
    stop("mongodb-not-primary", "not primary", "session/read-only")
        .eg("NotWritablePrimary: not primary")
        .not("not a primary key"),
    stop("mongodb-not-master", "not master", "session/read-only")
        .eg("MongoError: not master")
        .not("not mastered"),
    stop("mongodb-mechanism", "Unsupported mechanism {any} on authentication database", "login/method")
        .eg("Unsupported mechanism MONGODB-X509 on authentication database '$external'")
        .not("Unsupported command"),
    stop("mongodb-scram-missing", "Unable to use SCRAM-SHA-{number} based authentication for user without any SCRAM-SHA-{number} credentials registered", "login/method")
        .eg("Unable to use SCRAM-SHA-256 based authentication for user without any SCRAM-SHA-256 credentials registered")
        .not("Unable to use SCRAM"),
    stop("mongodb-full", "connection refused because too many open connections", "listener/full")
        .eg("connection refused because too many open connections: 819")
        .not("too many open files"),
];

const MONGOC: &[Pattern] = &[
    stop("mongosh-refused", "MongoNetworkError: connect ECONNREFUSED {place}", "port/refused")
        .eg("MongoNetworkError: connect ECONNREFUSED 192.0.2.30:27017")
        .not("MongoNetworkError: connect ETIMEDOUT 192.0.2.30:27017"),
    stop("mongoc-refused", "connection refused calling hello on '{place}'", "port/refused")
        .eg("No suitable servers found: `serverSelectionTimeoutMS` expired: [connection refused calling hello on 'lookout.osmary.example:27017']")
        .not("connection closed calling hello on 'lookout.osmary.example:27017'"),
    stop("mongoc-closed", "connection closed calling hello on '{place}'", "listener/closed")
        .eg("[connection closed calling hello on 'lookout.osmary.example:27017']")
        .not("connection refused calling hello on 'lookout.osmary.example:27017'"),
    stop("mongoc-silent", "connection timeout calling hello on '{place}'", "port/silent")
        .eg("[connection timeout calling hello on 'lookout.osmary.example:27017']")
        .not("connection refused calling hello on 'lookout.osmary.example:27017'"),
    stop("mongoc-name", "Failed to resolve '{host}'", "name/not-found")
        .eg("No suitable servers found (`serverSelectionTryOnce` set): [Failed to resolve 'lookout.osmary.example']")
        .not("Failed to resolve a conflict"),
    stop("mongoc-tls", "TLS handshake failed calling hello on '{place}'", "tls/alert")
        .eg("[TLS handshake failed calling hello on 'lookout.osmary.example:27017']")
        .not("TLS handshake done"),
    hides("mongosh-timeout", "MongoServerSelectionError: Server selection timed out after {number} ms", "Print the whole error (util.inspect, with reason and servers): each server has an error of its own in it.")
        .eg("MongoServerSelectionError: Server selection timed out after 30000 ms")
        .not("MongoServerSelectionError: getaddrinfo ENOTFOUND"),
];

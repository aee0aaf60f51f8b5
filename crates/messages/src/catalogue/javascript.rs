//! Drivers, mappers and pools of JavaScript.

use crate::pattern::{
    Component, Kind, Pattern, Source, code, component, driver, follows, follows_or, hides, stop,
    unrelated,
};

const LANGUAGES: &str = "JavaScript, TypeScript";

pub(super) const ALL: &[Component] = &[
    component(
        "node-postgres",
        "node-postgres",
        Kind::Driver,
        Some("postgresql"),
        LANGUAGES,
        Source::Measured,
        PG,
    ),
    component(
        "postgresjs",
        "Postgres.js",
        Kind::Driver,
        Some("postgresql"),
        LANGUAGES,
        Source::Measured,
        POSTGRESJS,
    ),
    component(
        "node-mysql2",
        "mysql and mysql2",
        Kind::Driver,
        Some("mysql"),
        LANGUAGES,
        Source::Measured,
        MYSQL2,
    ),
    component(
        "mariadb-node",
        "MariaDB's driver for Node",
        Kind::Driver,
        Some("mysql"),
        LANGUAGES,
        Source::Measured,
        MARIADB,
    ),
    component(
        "tedious",
        "tedious and mssql",
        Kind::Driver,
        Some("tds"),
        LANGUAGES,
        Source::Published,
        TEDIOUS,
    ),
    component(
        "mongodb-node",
        "MongoDB's driver for Node",
        Kind::Driver,
        Some("mongodb"),
        LANGUAGES,
        Source::Published,
        MONGODB,
    ),
    component(
        "mongoose",
        "Mongoose",
        Kind::Framework,
        Some("mongodb"),
        LANGUAGES,
        Source::Published,
        MONGOOSE,
    ),
    component(
        "sequelize",
        "Sequelize",
        Kind::Framework,
        None,
        LANGUAGES,
        Source::Published,
        SEQUELIZE,
    ),
    component(
        "typeorm",
        "TypeORM",
        Kind::Framework,
        None,
        LANGUAGES,
        Source::Published,
        TYPEORM,
    ),
    component(
        "prisma",
        "Prisma",
        Kind::Framework,
        None,
        LANGUAGES,
        Source::Documented,
        PRISMA,
    ),
    component(
        "knex",
        "Knex",
        Kind::Framework,
        None,
        LANGUAGES,
        Source::Published,
        KNEX,
    ),
    component(
        "tarn",
        "tarn",
        Kind::Pool,
        None,
        LANGUAGES,
        Source::Published,
        TARN,
    ),
    component(
        "node",
        "Node's sockets and TLS",
        Kind::System,
        None,
        LANGUAGES,
        Source::Measured,
        NODE,
    ),
];

const PG: &[Pattern] = &[
    follows_or(
        "node-pg-terminated",
        "Connection terminated unexpectedly",
        "listener/closed",
    )
    .may("a session that was ended later")
    .eg("Error: Connection terminated unexpectedly")
    .not("Connection terminated"),
    stop(
        "node-pg-timeout",
        "Connection terminated due to connection timeout",
        "port/silent",
    )
    .may("a server that accepts and does not answer, or a pool that is full")
    .eg("Error: Connection terminated due to connection timeout")
    .not("Connection terminated unexpectedly"),
    stop(
        "node-pg-pool-timeout",
        "timeout exceeded when trying to connect",
        "session/pool-wait",
    )
    .may("a server that cannot be reached")
    .eg("Error: timeout exceeded when trying to connect")
    .not("timeout when trying to read"),
    stop(
        "node-pg-no-tls",
        "The server does not support SSL connections",
        "tls/not-offered",
    )
    .eg("Error: The server does not support SSL connections")
    .not("The server does support SSL connections"),
    stop(
        "node-pg-password-string",
        "SASL: SCRAM-SERVER-FIRST-MESSAGE: client password must be a string",
        "login/password-asked",
    )
    .eg("Error: SASL: SCRAM-SERVER-FIRST-MESSAGE: client password must be a string")
    .not("SASL: SCRAM-SERVER-FIRST-MESSAGE: client password must be a non-empty string"),
    stop(
        "node-pg-password-empty",
        "SASL: SCRAM-SERVER-FIRST-MESSAGE: client password must be a non-empty string",
        "login/password-asked",
    )
    .eg("Error: SASL: SCRAM-SERVER-FIRST-MESSAGE: client password must be a non-empty string")
    .not("SASL: SCRAM-SERVER-FIRST-MESSAGE: client password must be a string"),
    stop(
        "node-pg-mechanism",
        "SASL: Only mechanism(s) {any} supported",
        "login/method",
    )
    .eg("Error: SASL: Only mechanism(s) SCRAM-SHA-256 supported")
    .not("SASL: done"),
    follows(
        "node-pg-queryable",
        "Client has encountered a connection error and is not queryable",
    )
    .eg("Error: Client has encountered a connection error and is not queryable")
    .not("Client is queryable"),
    follows("node-pg-closed", "Client was closed and is not queryable")
        .eg("Error: Client was closed and is not queryable")
        .not("Client was opened"),
    stop(
        "node-pg-missing",
        "Cannot find module 'pg'",
        "settings/library-missing",
    )
    .of("postgresql")
    .eg("Error: Cannot find module 'pg'")
    .not("Error: Cannot find module 'pgx'"),
    stop("node-pg-read-timeout", "Query read timeout", "session/mute")
        .eg("Error: Query read timeout")
        .not("Query timeout is set"),
];

const POSTGRESJS: &[Pattern] = &[
    stop("postgresjs-timeout", "write CONNECT_TIMEOUT {place}", "port/silent")
        .may("a server that accepts and does not answer")
        .eg("Error: write CONNECT_TIMEOUT quay.osmary.example:5432")
        .not("write CONNECTION_CLOSED quay.osmary.example:5432"),
    stop("postgresjs-closed", "write CONNECTION_CLOSED {place}", "listener/closed")
        .eg("Error: write CONNECTION_CLOSED quay.osmary.example:5432")
        .not("write CONNECT_TIMEOUT quay.osmary.example:5432"),
    follows("postgresjs-ended", "write CONNECTION_ENDED {place}")
        .eg("Error: write CONNECTION_ENDED quay.osmary.example:5432")
        .not("write CONNECTION_CLOSED quay.osmary.example:5432"),
    follows("postgresjs-destroyed", "write CONNECTION_DESTROYED {place}")
        .eg("Error: write CONNECTION_DESTROYED quay.osmary.example:5432")
        .not("write CONNECTION_CLOSED quay.osmary.example:5432"),
    code("postgresjs-code", "code: '{sqlstate}'")
        .eg("PostgresError: Passwort-Authentifizierung fehlgeschlagen\n  severity: 'FATAL',\n  code: '28P01'")
        .not("code: 'ECONNREFUSED'"),
    stop("postgresjs-signature", "SASL_SIGNATURE_MISMATCH", "login/server-unproven")
        .eg("code: 'SASL_SIGNATURE_MISMATCH'")
        .not("SIGNATURE_MISMATCHES"),
];

const MYSQL2: &[Pattern] = &[
    code("node-mysql-errno", "errno: {number}, sqlState: '{sqlstate}'")
        .eg("  code: 'ER_ACCESS_DENIED_ERROR',\n  errno: 1045,\n  sqlState: '28000',")
        .not("errno: -111, code: 'ECONNREFUSED'"),
    stop("node-mysql-denied", "ER_ACCESS_DENIED_ERROR", "login/denied")
        .may("an unknown user, another host's account, an account that demands encryption")
        .eg("code: 'ER_ACCESS_DENIED_ERROR'")
        .not("ER_ACCESS_DENIED_ERRORS"),
    stop("node-mysql-database", "ER_BAD_DB_ERROR", "session/database-missing")
        .eg("Error: ER_BAD_DB_ERROR: Unknown database 'manifest'")
        .not("ER_BAD_DB_ERRORS"),
    stop("node-mysql-database-denied", "ER_DBACCESS_DENIED_ERROR", "session/database-not-permitted")
        .eg("Error: ER_DBACCESS_DENIED_ERROR: Access denied for user 'deckhand'@'%' to database 'manifest'")
        .not("ER_DBACCESS_DENIED_ERRORS"),
    stop("node-mysql-full", "ER_CON_COUNT_ERROR", "listener/full")
        .eg("Error: ER_CON_COUNT_ERROR: Too many connections")
        .not("ER_CON_COUNT_ERRORS"),
    stop("node-mysql-host", "ER_HOST_NOT_PRIVILEGED", "listener/blocked")
        .eg("Error: ER_HOST_NOT_PRIVILEGED: Host '198.51.100.77' is not allowed to connect to this MySQL server")
        .not("ER_HOST_NOT_PRIVILEGEDS"),
    stop("node-mysql-host-blocked", "ER_HOST_IS_BLOCKED", "listener/blocked")
        .eg("Error: ER_HOST_IS_BLOCKED: Host '198.51.100.77' is blocked because of many connection errors")
        .not("ER_HOST_IS_BLOCKEDS"),
    stop("node-mysql-old", "ER_NOT_SUPPORTED_AUTH_MODE", "login/method")
        .eg("Error: ER_NOT_SUPPORTED_AUTH_MODE: Client does not support authentication protocol requested by server; consider upgrading MySQL client")
        .not("ER_NOT_SUPPORTED_AUTH_MODES"),
    follows_or("node-mysql-lost", "Connection lost: The server closed the connection.", "listener/closed")
        .may("a session that was ended later")
        .eg("Error: Connection lost: The server closed the connection.")
        .not("Connection lost: none"),
    stop("node-mysql-handshake", "Handshake inactivity timeout", "listener/mute")
        .eg("Error: Handshake inactivity timeout")
        .not("Handshake done"),
    stop("node-mysql-silent", "Error: connect ETIMEDOUT", "port/silent")
        .eg("Error: connect ETIMEDOUT\n    at Connection._handleConnectTimeout")
        .not("Error: read ETIMEDOUT"),
    stop("node-mysql-pool", "No connections available.", "session/pool-empty")
        .eg("Error: No connections available.")
        .not("Connections available."),
    stop("node-mysql-queue", "Queue limit reached.", "session/pool-empty")
        .eg("Error: Queue limit reached.")
        .not("Queue limit set."),
    follows("node-mysql-fatal", "Cannot enqueue Query after fatal error.")
        .eg("Error: Cannot enqueue Query after fatal error.")
        .not("Cannot enqueue Query"),
    follows("node-mysql-closed", "Can't add new command when connection is in closed state")
        .eg("Error: Can't add new command when connection is in closed state")
        .not("Can't add new command"),
    stop("node-mysql-no-tls", "Server does not support secure connection", "tls/not-offered")
        .eg("Error: Server does not support secure connection")
        .not("Server does support secure connection"),
    stop("node-mysql-missing", "Cannot find module 'mysql2'", "settings/library-missing").of("mysql")
        .eg("Error: Cannot find module 'mysql2'")
        .not("Error: Cannot find module 'mysql3'"),
];

const MARIADB: &[Pattern] = &[
    code("mariadb-node-code", "(conn:{any}, no: {number}, SQLState: {sqlstate})")
        .eg("SqlError: (conn:7, no: 1045, SQLState: 28000) Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)")
        .not("SqlError: (conn:7, SQLState: 28000)"),
    stop(
        "mariadb-node-pool-new",
        "failed to retrieve a connection from pool after {word}",
        "session/pool-wait",
    )
    .may("a server that cannot be reached")
    .eg("SqlError: (conn:-1, no: 45028, SQLState: HY000) pool timeout: failed to retrieve a connection from pool after 10001ms (pool connections: active=0 idle=0 limit=10)")
    .not("retrieved a connection from pool after 7ms"),
    stop("mariadb-node-pool", "retrieve connection from pool timeout after {any}", "session/pool-wait")
        .may("a server that cannot be reached")
        .eg("SqlError: (conn:-1, no: 45028, SQLState: HY000) pool timeout: retrieve connection from pool timeout after 10001ms")
        .not("connection from pool retrieved"),
    stop("mariadb-node-silent", "Connection timeout: failed to create socket after {any}", "port/silent")
        .eg("SqlError: (conn:-1, no: 45012, SQLState: 08S01) Connection timeout: failed to create socket after 1002ms")
        .not("Connection timeout: none"),
    follows_or("mariadb-node-closed", "socket has unexpectedly been closed", "listener/closed")
        .eg("SqlError: (conn:-1, no: 45009, SQLState: 08S01) socket has unexpectedly been closed")
        .not("socket has been closed"),
    stop("mariadb-node-no-tls", "Trying to connect with ssl, but ssl not enabled in the server", "tls/not-offered")
        .eg("SqlError: (conn:-1, no: 45023, SQLState: 08S01) Trying to connect with ssl, but ssl not enabled in the server")
        .not("Trying to connect with ssl"),
];

const TEDIOUS: &[Pattern] = &[
    stop("tedious-refused", "Failed to connect to {place} - connect ECONNREFUSED", "port/refused")
        .eg("ConnectionError: Failed to connect to slipway.osmary.example:1433 - connect ECONNREFUSED 192.0.2.40:1433")
        .not("Failed to connect to slipway.osmary.example:1433 in 15000ms"),
    stop("tedious-silent", "Failed to connect to {place} in {word}", "port/silent")
        .eg("ConnectionError: Failed to connect to slipway.osmary.example:1433 in 15000ms")
        .not("Failed to connect to slipway.osmary.example:1433 - connect ECONNREFUSED"),
    stop("tedious-name", "Failed to connect to {place} - getaddrinfo ENOTFOUND", "name/not-found")
        .eg("ConnectionError: Failed to connect to slipway.osmary.example:1433 - getaddrinfo ENOTFOUND slipway.osmary.example")
        .not("Failed to connect to slipway.osmary.example:1433 - connect ECONNREFUSED"),
    stop("tedious-instance", "Port for {word} not found in {any}", "listener/service-unknown")
        .eg("ConnectionError: Port for FARES not found in ServerName;SLIPWAY;InstanceName;OTHER")
        .not("Port for FARES found"),
    follows_or("tedious-lost", "Connection lost - ", "session/closed").weak()
        .eg("ConnectionError: Connection lost - read ECONNRESET")
        .not("Connection found - "),
    stop("tedious-self-signed", "Failed to connect to {place} - self-signed certificate", "tls/certificate-refused")
        .sig(&[("certificate-defect", "self-signed")])
        .eg("ConnectionError: Failed to connect to slipway.osmary.example:1433 - self-signed certificate")
        .not("Failed to connect to slipway.osmary.example:1433 - connect ECONNREFUSED"),
    follows("mssql-closed", "Connection is closed.")
        .eg("ConnectionError: Connection is closed.")
        .not("Connection is open."),
];

const MONGODB: &[Pattern] = &[
    stop("mongodb-node-refused", "MongoServerSelectionError: connect ECONNREFUSED {place}", "port/refused")
        .eg("MongoServerSelectionError: connect ECONNREFUSED 192.0.2.30:27017")
        .not("MongoServerSelectionError: getaddrinfo ENOTFOUND lookout.osmary.example"),
    stop("mongodb-node-name", "MongoServerSelectionError: getaddrinfo ENOTFOUND {host}", "name/not-found")
        .eg("MongoServerSelectionError: getaddrinfo ENOTFOUND lookout.osmary.example")
        .not("MongoServerSelectionError: connect ECONNREFUSED 192.0.2.30:27017"),
    stop("mongodb-node-srv", "querySrv ENOTFOUND _mongodb._tcp.{host}", "name/not-found")
        .eg("Error: querySrv ENOTFOUND _mongodb._tcp.lookout.osmary.example")
        .not("querySrv ESERVFAIL _mongodb._tcp.lookout.osmary.example"),
    stop("mongodb-node-srv-failing", "querySrv ESERVFAIL _mongodb._tcp.{host}", "name/failing")
        .eg("Error: querySrv ESERVFAIL _mongodb._tcp.lookout.osmary.example")
        .not("querySrv ENOTFOUND _mongodb._tcp.lookout.osmary.example"),
    stop("mongodb-node-srv-silent", "querySrv ETIMEOUT _mongodb._tcp.{host}", "name/silent")
        .eg("Error: querySrv ETIMEOUT _mongodb._tcp.lookout.osmary.example")
        .not("querySrv ENOTFOUND _mongodb._tcp.lookout.osmary.example"),
    stop("mongodb-node-closed", "connection {any} to {place} closed", "listener/closed")
        .may("a firewall or an allow-list that ends it, or a session that was ended later")
        .eg("MongoNetworkError: connection <monitor> to 192.0.2.30:27017 closed")
        .not("connection 3 to 192.0.2.30:27017 opened"),
    stop("mongodb-node-scheme", "Invalid scheme, expected connection string to start with \"mongodb://\" or \"mongodb+srv://\"", "settings/scheme-unknown")
        .eg("MongoParseError: Invalid scheme, expected connection string to start with \"mongodb://\" or \"mongodb+srv://\"")
        .not("Invalid scheme"),
    stop("mongodb-node-option", "option {word} is not supported", "settings/parameter-unknown")
        .eg("MongoParseError: option usenewurlparsr is not supported")
        .not("option is supported"),
    follows("mongodb-node-not-connected", "Client must be connected before running operations")
        .eg("MongoNotConnectedError: Client must be connected before running operations")
        .not("Client was connected before running operations"),
];

const MONGOOSE: &[Pattern] = &[
    hides("mongoose-buffering", "buffering timed out after {word}", "Wait for mongoose.connect() and log its error, or listen to mongoose.connection.on('error').")
        .eg("MongooseError: Operation `berths.find()` buffering timed out after 10000ms")
        .not("buffering was switched off"),
    stop("mongoose-uri", "The `uri` parameter to `openUri()` must be a string, got \"undefined\"", "settings/value-missing")
        .eg("MongooseError: The `uri` parameter to `openUri()` must be a string, got \"undefined\". Make sure the first parameter to `mongoose.connect()` is a string.")
        .not("The `uri` parameter to `openUri()` is a string"),
    unrelated("mongoose-cast", "Cast to {word} failed for value")
        .eg("CastError: Cast to ObjectId failed for value \"7\" (type string) at path \"_id\"")
        .not("Cast failed"),
];

const SEQUELIZE: &[Pattern] = &[
    stop("sequelize-refused", "SequelizeConnectionRefusedError", "port/refused").weak()
        .eg("SequelizeConnectionRefusedError: connect ECONNREFUSED 192.0.2.10:5432")
        .not("SequelizeConnectionError"),
    stop("sequelize-name", "SequelizeHostNotFoundError", "name/not-found").weak()
        .eg("SequelizeHostNotFoundError: getaddrinfo ENOTFOUND quay.osmary.example")
        .not("SequelizeHostNotReachableError"),
    stop("sequelize-unreachable", "SequelizeHostNotReachableError", "port/unreachable").weak()
        .eg("SequelizeHostNotReachableError: connect EHOSTUNREACH 192.0.2.10:5432")
        .not("SequelizeHostNotFoundError"),
    stop("sequelize-denied", "SequelizeAccessDeniedError", "login/denied").weak()
        .eg("SequelizeAccessDeniedError: Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)")
        .not("SequelizeConnectionError"),
    stop("sequelize-pool", "SequelizeConnectionAcquireTimeoutError: Operation timeout", "session/pool-wait")
        .may("a server that cannot be reached")
        .eg("SequelizeConnectionAcquireTimeoutError: Operation timeout")
        .not("SequelizeTimeoutError: Operation timeout"),
    stop("sequelize-missing", "Please install {word} package manually", "settings/library-missing")
        .eg("Error: Please install pg package manually")
        .not("Please install the package"),
    driver("sequelize-dialect", "The dialect {driver} is not supported.")
        .eg("Error: The dialect postgress is not supported. Supported dialects: mssql, mariadb, mysql, oracle, postgres, db2 and sqlite.")
        .not("The dialect is supported."),
    stop("sequelize-dialect-missing", "Dialect needs to be explicitly supplied", "settings/value-missing")
        .eg("Error: Dialect needs to be explicitly supplied as of v4.0.0")
        .not("Dialect is supplied"),
];

const TYPEORM: &[Pattern] = &[
    stop("typeorm-missing", "package has not been found installed.", "settings/library-missing")
        .eg("DriverPackageNotInstalledError: Postgres package has not been found installed. Please run \"npm install pg\".")
        .not("package has been found installed."),
    driver("typeorm-driver", "Wrong driver: \"{driver}\" given.")
        .eg("MissingDriverError: Wrong driver: \"postgress\" given. Supported drivers are: \"aurora-mysql\", \"postgres\"")
        .not("Wrong driver"),
    follows("typeorm-not-connected", "Driver not Connected")
        .eg("TypeORMError: Driver not Connected")
        .not("Driver Connected"),
    follows("typeorm-not-established", "Connection is not established with {word} database")
        .eg("ConnectionIsNotSetError: Connection is not established with postgres database")
        .not("Connection is established with postgres database"),
    unrelated("typeorm-metadata", "No metadata for \"{word}\" was found.")
        .eg("EntityMetadataNotFoundError: No metadata for \"Departure\" was found.")
        .not("No metadata"),
];

const PRISMA: &[Pattern] = &[
    hides("prisma-unreached", "Can't reach database server at `{place}`", "Prisma does not say why. Diagnose the address: a refused port, a silent one and a name that is not found are told apart there.")
        .eg("Error: P1001: Can't reach database server at `quay.osmary.example:5432`")
        .not("Can't reach the server"),
    hides("prisma-unreached-old", "Can't reach database server at `{host}`:`{port}`", "Prisma does not say why. Diagnose the address: a refused port, a silent one and a name that is not found are told apart there.")
        .eg("Error: P1001: Can't reach database server at `quay.osmary.example`:`5432`")
        .not("Can't reach the server"),
    stop("prisma-denied", "Authentication failed against database server at `{host}`", "login/credentials-refused")
        .eg("Error: P1000: Authentication failed against database server at `quay.osmary.example`, the provided database credentials for `purser` are not valid.")
        .not("Authentication failed against the directory"),
    stop("prisma-denied-new", "Authentication failed against the database server, the provided database credentials for `{user}` are not valid", "login/credentials-refused")
        .eg("Error: P1000: Authentication failed against the database server, the provided database credentials for `purser` are not valid.")
        .not("Authentication failed against the directory"),
    stop(
        "prisma-denied-short",
        "Authentication failed against database server, the provided database credentials for `{user}` are not valid",
        "login/credentials-refused",
    )
    .eg("Authentication failed against database server, the provided database credentials for `purser` are not valid.")
    .not("Authentication failed against the directory"),
    stop("prisma-timeout", "The database server at `{any}` was reached but timed out", "login/mute")
        .eg("Error: P1002: The database server at `quay.osmary.example`:`5432` was reached but timed out.")
        .not("The database server at `quay` was reached"),
    stop("prisma-database", "Database `{database}` does not exist on the database server", "session/database-missing")
        .eg("Error: P1003: Database `sailings` does not exist on the database server at `quay.osmary.example:5432`.")
        .not("Table `departures` does not exist on the database server"),
    stop("prisma-database-denied", "User `{user}` was denied access on the database `{database}`", "session/database-not-permitted")
        .eg("Error: P1010: User `purser` was denied access on the database `sailings`")
        .not("User `purser` was let in"),
    stop("prisma-tls", "Error opening a TLS connection: {any}", "tls/certificate-refused").weak()
        .eg("Error: P1011: Error opening a TLS connection: bad certificate format")
        .not("Error opening a file: x"),
    stop("prisma-variable", "Environment variable not found: {word}", "settings/value-missing")
        .eg("error: Environment variable not found: DATABASE_URL.")
        .not("Environment variable found"),
    stop("prisma-scheme", "the URL must start with the protocol `{word}`", "settings/scheme-unknown")
        .eg("error: Error validating datasource `db`: the URL must start with the protocol `postgresql://` or `postgres://`.")
        .not("the URL must start with a letter"),
    stop("prisma-string", "The provided database string is invalid. {any}", "settings/unreadable")
        .eg("Error: P1013: The provided database string is invalid. invalid port number in database URL. Please refer to the documentation")
        .not("The provided database string is valid."),
    stop("prisma-pool", "Timed out fetching a new connection from the connection pool", "session/pool-wait")
        .may("a server that cannot be reached")
        .eg("Error: P2024: Timed out fetching a new connection from the connection pool. (Current connection pool timeout: 10, connection limit: 5)")
        .not("Timed out fetching a file"),
    follows_or("prisma-closed", "Server has closed the connection.", "session/closed")
        .eg("Error: P1017: Server has closed the connection.")
        .not("Server has opened the connection."),
    unrelated("prisma-table", "The table `{any}` does not exist in the current database.")
        .eg("The table `public.departures` does not exist in the current database.")
        .not("The database `sailings` does not exist."),
];

const KNEX: &[Pattern] = &[
    stop("knex-pool", "Timeout acquiring a connection. The pool is probably full.", "session/pool-wait")
        .may("a server that cannot be reached: knex says it then too")
        .eg("KnexTimeoutError: Knex: Timeout acquiring a connection. The pool is probably full. Are you missing a .transacting(trx) call?")
        .not("Timeout acquiring a lock"),
    driver("knex-client", "Unknown configuration option 'client' value {driver}. Note that it is case-sensitive")
        .eg("Error: knex: Unknown configuration option 'client' value postgress. Note that it is case-sensitive, check documentation for supported values.")
        .not("Unknown configuration option 'clients'"),
    stop("knex-client-missing", "Required configuration option 'client' is missing.", "settings/value-missing")
        .eg("Error: knex: Required configuration option 'client' is missing.")
        .not("Required configuration option 'pool' is missing."),
    follows("knex-aborted", "Unable to acquire a connection")
        .eg("Error: Unable to acquire a connection")
        .not("Unable to acquire a lock"),
];

const TARN: &[Pattern] = &[
    stop(
        "generic-pool-timeout",
        "ResourceRequest timed out",
        "session/pool-wait",
    )
    .may("a server that cannot be reached")
    .eg("TimeoutError: ResourceRequest timed out")
    .not("ResourceRequest done"),
    follows(
        "tarn-aborted",
        "TimeoutError: operation timed out for an unknown reason",
    )
    .eg("TimeoutError: operation timed out for an unknown reason")
    .not("TimeoutError: none"),
    follows("tarn-pending", "PendingOperation")
        .eg("at PendingOperation (/app/node_modules/tarn/dist/PendingOperation.js:16:27)")
        .not("PendingOperations"),
];

const NODE: &[Pattern] = &[
    stop("node-refused", "connect ECONNREFUSED {place}", "port/refused").weak()
        .eg("Error: connect ECONNREFUSED 192.0.2.10:5432")
        .not("connect ETIMEDOUT 192.0.2.10:5432"),
    stop("node-refused-socket", "connect ECONNREFUSED {path}", "port/socket-refused").weak()
        .eg("Error: connect ECONNREFUSED /var/run/postgresql/.s.PGSQL.5432")
        .not("connect ENOENT /var/run/postgresql/.s.PGSQL.5432"),
    stop("node-silent", "connect ETIMEDOUT {place}", "port/silent").weak()
        .eg("Error: connect ETIMEDOUT 192.0.2.10:5432")
        .not("connect ECONNREFUSED 192.0.2.10:5432"),
    stop("node-no-route", "connect EHOSTUNREACH {place}", "port/unreachable").weak()
        .eg("Error: connect EHOSTUNREACH 192.0.2.10:5432 - Local (198.51.100.77:51122)")
        .not("connect ENETUNREACH 192.0.2.10:5432"),
    stop("node-no-network", "connect ENETUNREACH {place}", "route/none").weak()
        .eg("Error: connect ENETUNREACH 2001:db8::10:5432 - Local (:::0)")
        .not("connect EHOSTUNREACH 192.0.2.10:5432"),
    stop("node-name", "getaddrinfo ENOTFOUND {host}", "name/not-found").weak()
        .eg("Error: getaddrinfo ENOTFOUND quay.osmary.example")
        .not("getaddrinfo EAI_AGAIN quay.osmary.example"),
    stop("node-name-failing", "getaddrinfo EAI_AGAIN {host}", "name/failing").weak()
        .eg("Error: getaddrinfo EAI_AGAIN quay.osmary.example")
        .not("getaddrinfo ENOTFOUND quay.osmary.example"),
    stop("node-socket-missing", "connect ENOENT {path}", "port/socket-missing").weak()
        .eg("Error: connect ENOENT /var/run/postgresql/.s.PGSQL.5432")
        .not("open ENOENT /etc/osmary.conf"),
    stop("node-socket-closed", "connect EACCES {path}", "port/socket-not-permitted").weak()
        .eg("Error: connect EACCES /var/run/postgresql/.s.PGSQL.5432")
        .not("open EACCES /etc/osmary.conf"),
    stop("node-reset", "read ECONNRESET", "listener/closed").weak()
        .may("a session that was ended later")
        .eg("Error: read ECONNRESET")
        .not("write ECONNRESETS"),
    follows_or("node-pipe", "write EPIPE", "session/closed")
        .eg("Error: write EPIPE")
        .not("write EPIPES"),
    stop("node-many-files", "connect EMFILE {place}", "port/local-failure").weak()
        .eg("Error: connect EMFILE 192.0.2.10:5432 - Local (undefined:undefined)")
        .not("open EMFILE"),
    stop("node-no-ports", "connect EADDRNOTAVAIL {place}", "port/local-failure").weak()
        .eg("Error: connect EADDRNOTAVAIL 192.0.2.10:5432 - Local (198.51.100.77:0)")
        .not("bind EADDRNOTAVAIL"),
    stop("node-tls-self-signed", "DEPTH_ZERO_SELF_SIGNED_CERT", "tls/certificate-refused")
        .sig(&[("certificate-defect", "self-signed")])
        .eg("code: 'DEPTH_ZERO_SELF_SIGNED_CERT'")
        .not("DEPTH_ZERO_SELF_SIGNED_CERTS"),
    stop("node-tls-chain", "SELF_SIGNED_CERT_IN_CHAIN", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unknown")])
        .eg("code: 'SELF_SIGNED_CERT_IN_CHAIN'")
        .not("SELF_SIGNED_CERT_IN_CHAINS"),
    stop("node-tls-leaf", "UNABLE_TO_VERIFY_LEAF_SIGNATURE", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("code: 'UNABLE_TO_VERIFY_LEAF_SIGNATURE'")
        .not("UNABLE_TO_VERIFY"),
    stop("node-tls-issuer", "UNABLE_TO_GET_ISSUER_CERT_LOCALLY", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("code: 'UNABLE_TO_GET_ISSUER_CERT_LOCALLY'")
        .not("UNABLE_TO_GET_ISSUER"),
    stop("node-tls-expired", "CERT_HAS_EXPIRED", "tls/certificate-refused")
        .sig(&[("certificate-defect", "expired")])
        .eg("code: 'CERT_HAS_EXPIRED'")
        .not("CERT_HAS_EXPIREDS"),
    stop("node-tls-early", "CERT_NOT_YET_VALID", "tls/certificate-refused")
        .sig(&[("certificate-defect", "not-yet-valid")])
        .eg("code: 'CERT_NOT_YET_VALID'")
        .not("CERT_NOT_YET"),
    stop("node-tls-name", "Hostname/IP does not match certificate's altnames: Host: {host}", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("Error [ERR_TLS_CERT_ALTNAME_INVALID]: Hostname/IP does not match certificate's altnames: Host: quay.osmary.example. is not in the cert's altnames: DNS:harbour.osmary.example")
        .not("Hostname/IP does match certificate's altnames"),
    stop("node-tls-address", "Hostname/IP does not match certificate's altnames: IP: {address}", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("Error [ERR_TLS_CERT_ALTNAME_INVALID]: Hostname/IP does not match certificate's altnames: IP: 192.0.2.10 is not in the cert's list")
        .not("Hostname/IP does not match certificate's altnames: Host: quay"),
    stop("node-tls-before", "Client network socket disconnected before secure TLS connection was established", "tls/closed")
        .eg("Error: Client network socket disconnected before secure TLS connection was established")
        .not("Client network socket connected"),
    follows("node-undefined", "Cannot read properties of undefined (reading '{word}')")
        .eg("TypeError: Cannot read properties of undefined (reading 'query')")
        .not("Cannot read the file"),
    follows("node-null", "Cannot read property '{word}' of null")
        .eg("TypeError: Cannot read property 'query' of null")
        .not("Cannot read property 'query' of an object"),
    follows("node-null-new", "Cannot read properties of null (reading '{word}')")
        .eg("TypeError: Cannot read properties of null (reading 'query')")
        .not("Cannot read properties of a file"),
];

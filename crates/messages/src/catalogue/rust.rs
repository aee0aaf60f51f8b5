//! What Rust, its drivers, mappers and pools say.

use crate::pattern::{
    Component, Kind, Pattern, Source, beside, code, component, follows, hides, stop, unrelated,
};

pub(super) const ALL: &[Component] = &[
    component(
        "rust",
        "Rust's sockets",
        Kind::System,
        None,
        "Rust",
        Source::Measured,
        RUST,
    ),
    component(
        "tokio-postgres",
        "tokio-postgres",
        Kind::Driver,
        Some("postgresql"),
        "Rust",
        Source::Measured,
        TOKIO,
    ),
    component(
        "sqlx",
        "SQLx",
        Kind::Framework,
        None,
        "Rust",
        Source::Published,
        SQLX,
    ),
    component(
        "diesel",
        "Diesel",
        Kind::Framework,
        None,
        "Rust",
        Source::Published,
        DIESEL,
    ),
    component(
        "mysql-async",
        "mysql_async",
        Kind::Driver,
        Some("mysql"),
        "Rust",
        Source::Published,
        MYSQL_ASYNC,
    ),
    component(
        "tiberius",
        "Tiberius",
        Kind::Driver,
        Some("tds"),
        "Rust",
        Source::Published,
        TIBERIUS,
    ),
    component(
        "r2d2",
        "r2d2",
        Kind::Pool,
        None,
        "Rust",
        Source::Published,
        R2D2,
    ),
    component(
        "bb8",
        "bb8",
        Kind::Pool,
        None,
        "Rust",
        Source::Published,
        BB8,
    ),
    component(
        "deadpool",
        "deadpool",
        Kind::Pool,
        None,
        "Rust",
        Source::Published,
        DEADPOOL,
    ),
];

const RUST: &[Pattern] = &[
    stop(
        "rust-refused",
        "Connection refused (os error 111)",
        "port/refused",
    )
    .weak()
    .eg("error connecting to server: Connection refused (os error 111)")
    .not("Connection timed out (os error 110)"),
    stop(
        "rust-silent",
        "Connection timed out (os error 110)",
        "port/silent",
    )
    .weak()
    .eg("error connecting to server: Connection timed out (os error 110)")
    .not("Connection refused (os error 111)"),
    stop(
        "rust-no-route",
        "No route to host (os error 113)",
        "port/unreachable",
    )
    .weak()
    .eg("No route to host (os error 113)")
    .not("Network is unreachable (os error 101)"),
    stop(
        "rust-no-network",
        "Network is unreachable (os error 101)",
        "route/none",
    )
    .weak()
    .eg("Network is unreachable (os error 101)")
    .not("No route to host (os error 113)"),
    stop(
        "rust-reset",
        "Connection reset by peer (os error 104)",
        "listener/closed",
    )
    .weak()
    .eg("Connection reset by peer (os error 104)")
    .not("Broken pipe (os error 32)"),
    stop(
        "rust-name",
        "failed to lookup address information: Name or service not known",
        "name/not-found",
    )
    .weak()
    .eg("failed to lookup address information: Name or service not known")
    .not("failed to lookup address information: Temporary failure in name resolution"),
    stop(
        "rust-name-failing",
        "failed to lookup address information: Temporary failure in name resolution",
        "name/failing",
    )
    .weak()
    .eg("failed to lookup address information: Temporary failure in name resolution")
    .not("failed to lookup address information: Name or service not known"),
];

const TOKIO: &[Pattern] = &[
    beside("tokio-postgres-connect", "error connecting to server")
        .eg("error connecting to server: Connection refused (os error 111)")
        .not("error connecting to servers"),
    stop(
        "tokio-postgres-password",
        "invalid configuration: password missing",
        "login/password-asked",
    )
    .eg("invalid configuration: password missing")
    .not("invalid configuration: user missing"),
    stop(
        "tokio-postgres-host",
        "invalid configuration: both host and hostaddr are missing",
        "settings/value-missing",
    )
    .eg("invalid configuration: both host and hostaddr are missing")
    .not("invalid configuration: none"),
    stop(
        "tokio-postgres-no-tls",
        "error performing TLS handshake: server does not support TLS",
        "tls/not-offered",
    )
    .eg("error performing TLS handshake: server does not support TLS")
    .not("error performing TLS handshake"),
    stop(
        "tokio-postgres-no-connector",
        "error performing TLS handshake: no TLS implementation configured",
        "tls/nothing-in-common",
    )
    .eg("error performing TLS handshake: no TLS implementation configured")
    .not("no TLS implementation"),
    follows("tokio-postgres-closed", "connection closed")
        .eg("connection closed")
        .not("connections closed"),
];

const SQLX: &[Pattern] = &[
    beside("sqlx-database", "error returned from database:")
        .eg("error returned from database: password authentication failed for user \"purser\"")
        .not("error returned from the shop:"),
    stop("sqlx-pool", "pool timed out while waiting for an open connection", "session/pool-wait")
        .may("a server that cannot be reached")
        .eg("pool timed out while waiting for an open connection")
        .not("pool was opened"),
    follows("sqlx-pool-closed", "attempted to acquire a connection on a closed pool")
        .eg("attempted to acquire a connection on a closed pool")
        .not("acquired a connection"),
    stop("sqlx-eof", "expected to read {number} bytes, got 0 bytes at EOF", "listener/closed")
        .eg("error communicating with database: expected to read 5 bytes, got 0 bytes at EOF")
        .not("expected to read 5 bytes, got 5 bytes"),
    stop("sqlx-no-tls", "error occurred while attempting to establish a TLS connection: server does not support TLS", "tls/not-offered")
        .eg("error occurred while attempting to establish a TLS connection: server does not support TLS")
        .not("error occurred while attempting to establish a connection"),
    stop("sqlx-tls-missing", "TLS upgrade required by connect options but SQLx was built without TLS support enabled", "tls/nothing-in-common")
        .eg("error occurred while attempting to establish a TLS connection: TLS upgrade required by connect options but SQLx was built without TLS support enabled")
        .not("TLS upgrade required"),
    stop("sqlx-scheme", "unrecognized database url: {any}", "settings/scheme-unknown").weak()
        .eg("error with configuration: unrecognized database url: \"postgress://quay.osmary.example/sailings\"")
        .not("recognized database url: x"),
    stop("sqlx-url-host", "relative URL without a base", "settings/unreadable")
        .eg("error with configuration: relative URL without a base")
        .not("relative URL with a base"),
];

const DIESEL: &[Pattern] = &[unrelated("diesel-not-found", "Record not found")
    .eg("Record not found")
    .not("Records not found")];

const MYSQL_ASYNC: &[Pattern] = &[
    code("mysql-async-code", "ERROR {sqlstate} ({number}):")
        .eg("Server error: `ERROR 28000 (1045): Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)'")
        .not("ERROR (1045):"),
    stop("mysql-async-closed", "Driver error: `Connection to the server is closed.'", "session/closed").weak()
        .eg("Driver error: `Connection to the server is closed.'")
        .not("Driver error: `none'"),
];

const TIBERIUS: &[Pattern] = &[
    stop("tiberius-token", "Token error: '{any}' on server {word} executing", "login/denied").weak()
        .eg("Token error: 'Login failed for user 'purser'.' on server SLIPWAY executing  on line 1 (code: 18456, state: 1, class: 14)")
        .not("Token error"),
    code("tiberius-code", "(code: {number}, state: {number}, class: {number})")
        .eg("on server SLIPWAY executing  on line 1 (code: 18456, state: 1, class: 14)")
        .not("(code: x, state: 1)"),
];

const R2D2: &[Pattern] = &[
    stop("r2d2-timeout", "timed out waiting for connection", "session/pool-wait").weak()
        .may("a server that cannot be reached: the words behind it tell")
        .eg("timed out waiting for connection: connection to server at \"192.0.2.10\", port 5432 failed: Connection refused")
        .not("waiting for connection"),
];

const BB8: &[Pattern] = &[stop("bb8-timeout", "Timed out in bb8", "session/pool-wait")
    .may("a server that cannot be reached")
    .eg("Timed out in bb8")
    .not("Timed out in bb9")];

const DEADPOOL: &[Pattern] = &[
    stop(
        "deadpool-wait",
        "Timeout occurred while waiting for a slot to become available",
        "session/pool-empty",
    )
    .eg("Timeout occurred while waiting for a slot to become available")
    .not("Timeout occurred while waiting"),
    hides(
        "deadpool-create",
        "Error occurred while creating a new object",
        "Read what stands behind the colon.",
    )
    .eg("Error occurred while creating a new object: error connecting to server")
    .not("Error occurred while creating a file"),
    stop(
        "deadpool-create-timeout",
        "Timeout occurred while creating a new object",
        "port/silent",
    )
    .may("a server that accepts and does not answer")
    .eg("Timeout occurred while creating a new object")
    .not("Timeout occurred while creating a file"),
];

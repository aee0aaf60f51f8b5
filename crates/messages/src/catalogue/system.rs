//! What the system says, and programs that hide what it said.

use crate::pattern::{
    Component, Kind, Pattern, Source, beside, component, follows, follows_or, hides, stop,
};

pub(super) const ALL: &[Component] = &[
    component(
        "program",
        "a program that hides its errors",
        Kind::System,
        None,
        "all",
        Source::Documented,
        PROGRAM,
    ),
    component(
        "libc",
        "the C library's sockets and resolver",
        Kind::System,
        None,
        "C and all that use it",
        Source::Measured,
        LIBC,
    ),
    component(
        "winsock",
        "Windows sockets",
        Kind::System,
        None,
        "all",
        Source::Documented,
        WINSOCK,
    ),
    component(
        "containers",
        "container engines",
        Kind::System,
        None,
        "shell",
        Source::Documented,
        CONTAINERS,
    ),
];

const HIDDEN: &str = "Have the program log the whole error with its causes (Python: logging.exception; Java: the exception, not its message; JavaScript: the error with its cause; PHP: display_errors or the log; Go: %+v), and explain that.";

const PROGRAM: &[Pattern] = &[
    hides("program-connection-failed", "connection failed", HIDDEN)
        .weak()
        .eg("Database connection failed")
        .not("the connection that failed"),
    hides(
        "program-could-not-connect",
        "could not connect to the database",
        HIDDEN,
    )
    .weak()
    .eg("Error: could not connect to the database")
    .not("could connect to the database"),
    hides(
        "program-could-not-connect-short",
        "could not connect to database",
        HIDDEN,
    )
    .weak()
    .eg("could not connect to database")
    .not("could connect to database"),
    hides(
        "program-unable-to-connect",
        "unable to connect to the database",
        HIDDEN,
    )
    .weak()
    .eg("Unable to connect to the database")
    .not("able to connect to the database"),
    hides(
        "program-unable-to-connect-short",
        "unable to connect to database",
        HIDDEN,
    )
    .weak()
    .eg("Unable to connect to database")
    .not("able to connect to database"),
    hides(
        "program-cannot-connect",
        "cannot connect to the database",
        HIDDEN,
    )
    .weak()
    .eg("Cannot connect to the database")
    .not("can connect to the database"),
    hides(
        "program-cannot-connect-short",
        "cannot connect to database",
        HIDDEN,
    )
    .weak()
    .eg("Cannot connect to database")
    .not("can connect to database"),
    hides(
        "program-failed-to-connect",
        "failed to connect to the database",
        HIDDEN,
    )
    .weak()
    .eg("Failed to connect to the database!")
    .not("managed to connect to the database"),
    hides(
        "program-failed-to-connect-short",
        "failed to connect to database",
        HIDDEN,
    )
    .weak()
    .eg("Failed to connect to database")
    .not("managed to connect to database"),
    hides(
        "program-error-connecting",
        "error connecting to the database",
        HIDDEN,
    )
    .weak()
    .eg("Error connecting to the database")
    .not("connecting to the database"),
    hides(
        "program-error-connecting-short",
        "error connecting to database",
        HIDDEN,
    )
    .weak()
    .eg("Error connecting to database")
    .not("connecting to database"),
    hides(
        "program-connection-error",
        "database connection error",
        HIDDEN,
    )
    .weak()
    .eg("Database connection error")
    .not("database connection"),
    hides("program-db-connection-error", "db connection error", HIDDEN)
        .weak()
        .eg("DB connection error")
        .not("db connection"),
    hides("program-unavailable", "database is unavailable", HIDDEN)
        .weak()
        .eg("The database is unavailable")
        .not("database is available"),
    hides("program-not-available", "database is not available", HIDDEN)
        .weak()
        .eg("Database is not available")
        .not("database is available"),
    hides(
        "program-server-connection",
        "could not connect to server",
        HIDDEN,
    )
    .weak()
    .eg("could not connect to server")
    .not("could connect to server"),
    hides(
        "program-cannot-reach",
        "connection could not be established",
        HIDDEN,
    )
    .weak()
    .eg("The connection could not be established")
    .not("connection was established"),
    hides("program-swallowed-db", "database error", HIDDEN)
        .weak()
        .eg("Database error")
        .not("database errors are logged"),
];

const LIBC: &[Pattern] = &[
    beside("curl-where", "Failed to connect to {host} port {port}")
        .eg("curl: (7) Failed to connect to quay.osmary.example port 5432 after 2 ms: Connection refused")
        .not("Failed to connect to the port"),
    stop("libc-refused", "Connection refused", "port/refused")
        .weak()
        .eg("could not connect: Connection refused")
        .not("Connections refused"),
    stop("libc-silent", "Connection timed out", "port/silent")
        .weak()
        .eg("could not connect: Connection timed out")
        .not("Connection was timed"),
    stop("libc-no-route", "No route to host", "port/unreachable")
        .weak()
        .eg("could not connect: No route to host")
        .not("route to host"),
    stop("libc-no-network", "Network is unreachable", "route/none")
        .weak()
        .eg("could not connect: Network is unreachable")
        .not("Network is reachable"),
    stop("libc-host-down", "Host is down", "port/unreachable")
        .weak()
        .eg("could not connect: Host is down")
        .not("Host is up"),
    stop("libc-reset", "Connection reset by peer", "listener/closed")
        .weak()
        .may("a session that was ended later")
        .eg("could not receive data: Connection reset by peer")
        .not("Connection set by peer"),
    follows_or("libc-pipe", "Broken pipe", "session/closed")
        .eg("could not send data: Broken pipe")
        .not("Broken pipes"),
    stop(
        "curl-name",
        "could not resolve host: {host}",
        "name/not-found",
    )
    .weak()
    .may("a resolver that does not answer")
    .eg("curl: (6) Could not resolve host: quay.osmary.example")
    .not("could resolve host: quay.osmary.example"),
    stop("libc-name", "Name or service not known", "name/not-found")
        .weak()
        .eg("could not resolve: Name or service not known")
        .not("Name and service are known"),
    stop(
        "libc-name-mac",
        "nodename nor servname provided, or not known",
        "name/not-found",
    )
    .weak()
    .eg("could not resolve: nodename nor servname provided, or not known")
    .not("servname provided"),
    stop(
        "libc-name-failing",
        "Temporary failure in name resolution",
        "name/failing",
    )
    .weak()
    .eg("could not resolve: Temporary failure in name resolution")
    .not("Temporary failure"),
    stop(
        "libc-name-failing-hard",
        "Non-recoverable failure in name resolution",
        "name/failing",
    )
    .weak()
    .eg("could not resolve: Non-recoverable failure in name resolution")
    .not("Non-recoverable failure"),
    stop(
        "libc-name-empty",
        "No address associated with hostname",
        "name/no-address",
    )
    .weak()
    .eg("could not resolve: No address associated with hostname")
    .not("An address is associated with hostname"),
    stop(
        "libc-no-address",
        "Cannot assign requested address",
        "port/local-failure",
    )
    .weak()
    .may("an IPv6 address on a machine without IPv6")
    .eg("could not connect: Cannot assign requested address")
    .not("Can assign requested address"),
    stop(
        "libc-many-files",
        "Too many open files",
        "port/local-failure",
    )
    .weak()
    .eg("could not create socket: Too many open files")
    .not("Too many open tabs"),
    stop(
        "libc-family",
        "Address family not supported by protocol",
        "port/local-failure",
    )
    .weak()
    .eg("could not create socket: Address family not supported by protocol")
    .not("Address family supported"),
    stop(
        "libc-not-permitted",
        "connect: Operation not permitted",
        "port/local-failure",
    )
    .weak()
    .eg("connect: Operation not permitted")
    .not("open: Operation not permitted"),
    follows("libc-in-progress", "Operation already in progress")
        .eg("connect: Operation already in progress")
        .not("Operation done"),
    beside("libc-host", "connect to host {host} port {port}")
        .eg("connect to host quay.osmary.example port 5432")
        .not("connect to host"),
];

const WINSOCK: &[Pattern] = &[
    stop("winsock-refused", "(0x0000274D/10061)", "port/refused")
        .eg("could not connect to server: Connection refused (0x0000274D/10061)")
        .not("(0x0000274C/10060)"),
    stop("winsock-silent", "(0x0000274C/10060)", "port/silent")
        .eg("could not connect to server: Connection timed out (0x0000274C/10060)")
        .not("(0x0000274D/10061)"),
    stop("winsock-reset", "(0x00002746/10054)", "listener/closed")
        .eg("server closed the connection unexpectedly (0x00002746/10054)")
        .not("(0x0000274D/10061)"),
    stop("winsock-no-route", "(0x00002751/10065)", "port/unreachable")
        .eg("could not connect to server: No route to host (0x00002751/10065)")
        .not("(0x0000274D/10061)"),
    stop("winsock-no-network", "(0x00002743/10051)", "route/none")
        .eg("could not connect to server: Network is unreachable (0x00002743/10051)")
        .not("(0x0000274D/10061)"),
    stop("winsock-access", "(0x0000271D/10013)", "port/local-failure")
        .may("a firewall or a virus scanner on this machine")
        .eg("could not connect to server: Permission denied (0x0000271D/10013)")
        .not("(0x0000274D/10061)"),
];

const CONTAINERS: &[Pattern] = &[
    stop("container-port", "Bind for {place} failed: port is already allocated", "listener/tunnel-taken")
        .eg("Error response from daemon: driver failed programming external connectivity on endpoint quay: Bind for 0.0.0.0:5432 failed: port is already allocated")
        .not("Bind for 0.0.0.0:5432 done"),
    follows("container-unhealthy", "dependency failed to start: container {word} is unhealthy")
        .eg("dependency failed to start: container osmary-quay-1 is unhealthy")
        .not("container osmary-quay-1 is healthy"),
];

//! What stands between says: poolers and balancers, SSH.

use crate::pattern::{Component, Kind, Pattern, Source, component, follows_or, stop};

pub(super) const ALL: &[Component] = &[
    component(
        "pgbouncer",
        "PgBouncer",
        Kind::Between,
        Some("postgresql"),
        "",
        Source::Measured,
        PGBOUNCER,
    ),
    component(
        "haproxy",
        "HAProxy",
        Kind::Between,
        None,
        "",
        Source::Measured,
        HAPROXY,
    ),
    component(
        "openssh",
        "OpenSSH's client",
        Kind::Ssh,
        None,
        "shell",
        Source::Measured,
        OPENSSH,
    ),
    component(
        "sshd",
        "OpenSSH's server",
        Kind::Ssh,
        None,
        "",
        Source::Measured,
        SSHD,
    ),
    component(
        "paramiko",
        "Paramiko and sshtunnel",
        Kind::Ssh,
        None,
        "Python",
        Source::Published,
        PARAMIKO,
    ),
];

const PGBOUNCER: &[Pattern] = &[
    stop("pgbouncer-database", "no such database: {database}", "listener/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "database")])
        .eg("FATAL:  no such database: sailings")
        .not("no such table: sailings"),
    stop("pgbouncer-user", "no such user: {user}", "listener/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "credentials"), ("server-log", "role")])
        .eg("WARNING C-0x55: sailings/purser@198.51.100.77:51122 pooler error: no such user: purser")
        .not("no such file: purser"),
    stop("pgbouncer-denied", "SASL authentication failed", "login/refused").of("postgresql")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "credentials")])
        .eg("FATAL:  SASL authentication failed")
        .not("SASL authentication done"),
    stop("pgbouncer-parameter", "unsupported startup parameter: {word}", "listener/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "parameter"), ("sent-parameters", "some")])
        .eg("FATAL:  unsupported startup parameter: extra_float_digits")
        .not("unsupported parameter"),
    stop("pgbouncer-parameter-options", "unsupported startup parameter in options: {word}", "listener/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "parameter"), ("sent-parameters", "some")])
        .eg("FATAL:  unsupported startup parameter in options: search_path")
        .not("unsupported options"),
    stop("pgbouncer-full", "no more connections allowed", "listener/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "limit")])
        .eg("FATAL:  no more connections allowed (max_client_conn)")
        .not("more connections allowed"),
    stop("pgbouncer-wait", "query_wait_timeout", "session/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "waited")])
        .may("a server behind the pooler that cannot be reached: it says the same")
        .eg("FATAL:  query_wait_timeout")
        .not("query_wait_timeouts"),
    stop("pgbouncer-backend", "pgbouncer cannot connect to server", "session/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "backend")])
        .eg("FATAL:  pgbouncer cannot connect to server")
        .not("pgbouncer can connect to server"),
    stop("pgbouncer-server-login", "server login has been failing", "session/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "backend")])
        .eg("FATAL:  server login has been failing, try again later (server_login_retry)")
        .not("server login has been done"),
    stop("pgbouncer-crashed", "server conn crashed?", "session/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "backend")])
        .eg("FATAL:  server conn crashed?")
        .not("server conn was made"),
    stop("pgbouncer-login-timeout", "client_login_timeout", "login/refused")
        .sig(&[("refused-by", "pooler"), ("pooler-words", "backend")])
        .eg("FATAL:  client_login_timeout (server down)")
        .not("client_login_timeouts"),
    stop("pgbouncer-idle", "client_idle_timeout", "session/idle-cut")
        .sig(&[("idle-end", "server-said")])
        .eg("FATAL:  client_idle_timeout")
        .not("client_idle_timeouts"),
    stop("pgbouncer-stopping", "database is being shut down", "listener/stopping").weak()
        .eg("FATAL:  the database is being shut down")
        .not("database is being started"),
    stop("pgbouncer-tls", "SSL required", "tls/required").weak()
        .eg("FATAL:  SSL required")
        .not("SSL is required but the server doesn't support it"),
    stop("pgbouncer-certificate", "TLS certificate name mismatch", "login/identity-refused")
        .sig(&[("role-words", "certificate")])
        .eg("FATAL:  TLS certificate name mismatch")
        .not("TLS certificate name"),
    stop("pgbouncer-prepared", "prepared statement \"{any}\" does not exist", "session/parameter-refused").weak()
        .may("a pooler that hands out another session for each transaction")
        .eg("ERROR:  prepared statement \"__asyncpg_stmt_1__\" does not exist")
        .not("prepared statement \"s1\" exists"),
];

const HAPROXY: &[Pattern] = &[
    stop("haproxy-no-server", "backend {word} has no server available!", "listener/closed")
        .sig(&[("server-log", "backend")])
        .eg("haproxy[77]: backend quay has no server available!")
        .not("backend quay has a server available"),
    stop("haproxy-down", "is DOWN, reason: {any}", "listener/closed").weak()
        .sig(&[("server-log", "backend")])
        .eg("Server quay/s1 is DOWN, reason: Layer4 connection problem, info: \"Connection refused\"")
        .not("Server quay/s1 is UP, reason: Layer4 check passed"),
];

const OPENSSH: &[Pattern] = &[
    stop(
        "ssh-denied",
        "{word}: Permission denied (publickey{any}).",
        "listener/tunnel-refused",
    )
    .eg("purser@gangway.osmary.example: Permission denied (publickey,password).")
    .not("/etc/osmary.conf: Permission denied"),
    stop(
        "ssh-forward-prohibited",
        "open failed: administratively prohibited",
        "listener/tunnel-refused",
    )
    .eg("channel 2: open failed: administratively prohibited: open failed")
    .not("open failed: connect failed"),
    stop(
        "ssh-forward-failed",
        "open failed: connect failed: {any}",
        "listener/tunnel-far-end",
    )
    .eg("channel 2: open failed: connect failed: Connection refused")
    .not("open failed: administratively prohibited"),
    stop(
        "ssh-refused",
        "ssh: connect to host {host} port {port}: Connection refused",
        "listener/tunnel-down",
    )
    .eg("ssh: connect to host gangway.osmary.example port 22: Connection refused")
    .not("ssh: connect to host gangway.osmary.example port 22: Connection timed out"),
    stop(
        "ssh-silent",
        "ssh: connect to host {host} port {port}: Connection timed out",
        "listener/tunnel-down",
    )
    .eg("ssh: connect to host gangway.osmary.example port 22: Connection timed out")
    .not("ssh: connect to host gangway.osmary.example port 22: Connection refused"),
    stop(
        "ssh-silent-mac",
        "ssh: connect to host {host} port {port}: Operation timed out",
        "listener/tunnel-down",
    )
    .eg("ssh: connect to host gangway.osmary.example port 22: Operation timed out")
    .not("ssh: connect to host gangway.osmary.example port 22: Connection refused"),
    stop(
        "ssh-name",
        "ssh: Could not resolve hostname {host}:",
        "listener/tunnel-down",
    )
    .eg("ssh: Could not resolve hostname gangway.osmary.example: Name or service not known")
    .not("ssh: Could resolve hostname"),
    stop(
        "ssh-key-changed",
        "Host key verification failed.",
        "listener/tunnel-refused",
    )
    .eg("Host key verification failed.")
    .not("Host key verified."),
    stop(
        "ssh-bind",
        "bind [{address}]:{port}: Address already in use",
        "listener/tunnel-taken",
    )
    .eg("bind [127.0.0.1]:5432: Address already in use")
    .not("bind [127.0.0.1]:5432: Permission denied"),
    stop(
        "ssh-listen",
        "cannot listen to port: {port}",
        "listener/tunnel-taken",
    )
    .eg("channel_setup_fwd_listener_tcpip: cannot listen to port: 5432")
    .not("cannot listen to the radio"),
    stop(
        "ssh-forwarding",
        "Could not request local forwarding.",
        "listener/tunnel-taken",
    )
    .eg("Could not request local forwarding.")
    .not("Could request local forwarding."),
    stop(
        "ssh-reset",
        "kex_exchange_identification: {any}",
        "listener/tunnel-down",
    )
    .weak()
    .eg("kex_exchange_identification: read: Connection reset by peer")
    .not("kex_exchange done"),
    follows_or(
        "ssh-broken",
        "client_loop: send disconnect: Broken pipe",
        "session/idle-cut",
    )
    .eg("client_loop: send disconnect: Broken pipe")
    .not("client_loop: done"),
    follows_or(
        "ssh-timeout",
        "Timeout, server {host} not responding.",
        "session/idle-cut",
    )
    .eg("Timeout, server gangway.osmary.example not responding.")
    .not("Timeout set"),
];

const SSHD: &[Pattern] = &[
    stop("sshd-forward-refused", "refused local port forward: originator {address} port {port}, target {host} port {port}", "listener/tunnel-refused")
        .eg("sshd[77]: refused local port forward: originator 127.0.0.1 port 51122, target quay.osmary.example port 5432")
        .not("sshd[77]: local port forward"),
    stop("sshd-connect-failed", "error: connect_to {host} port {port}: failed.", "listener/tunnel-far-end")
        .eg("sshd[77]: error: connect_to quay.osmary.example port 5432: failed.")
        .not("error: connect_to done"),
    stop("sshd-unknown-host", "error: connect_to {host}: unknown host ({any})", "listener/tunnel-far-end")
        .eg("sshd[77]: error: connect_to quay.osmary.example: unknown host (Name or service not known)")
        .not("error: connect_to known host"),
    stop("sshd-failed-password", "Failed password for {user} from {client} port {port}", "listener/tunnel-refused")
        .eg("sshd[77]: Failed password for purser from 198.51.100.77 port 51122 ssh2")
        .not("sshd[77]: Accepted password for purser from 198.51.100.77 port 51122 ssh2"),
    stop("sshd-invalid-user", "Invalid user {user} from {client} port {port}", "listener/tunnel-refused")
        .eg("sshd[77]: Invalid user pursser from 198.51.100.77 port 51122")
        .not("sshd[77]: user purser from 198.51.100.77 port 51122"),
];

const PARAMIKO: &[Pattern] = &[
    stop("paramiko-denied", "paramiko.ssh_exception.AuthenticationException: Authentication failed", "listener/tunnel-refused")
        .eg("paramiko.ssh_exception.AuthenticationException: Authentication failed.")
        .not("paramiko.ssh_exception.SSHException: none"),
    stop("paramiko-ports", "Unable to connect to port {port} on {host}", "listener/tunnel-down")
        .eg("paramiko.ssh_exception.NoValidConnectionsError: [Errno None] Unable to connect to port 22 on 192.0.2.70")
        .not("Unable to connect to the bus"),
    stop("paramiko-banner", "Error reading SSH protocol banner", "listener/tunnel-down")
        .eg("paramiko.ssh_exception.SSHException: Error reading SSH protocol banner")
        .not("Error reading the banner"),
    stop("sshtunnel-gateway", "Could not establish session to SSH gateway", "listener/tunnel-down")
        .eg("sshtunnel.BaseSSHTunnelForwarderError: Could not establish session to SSH gateway")
        .not("Could establish session to SSH gateway"),
    stop("paramiko-channel", "ChannelException(2, 'Connect failed')", "listener/tunnel-far-end")
        .eg("paramiko.ssh_exception.ChannelException: ChannelException(2, 'Connect failed')")
        .not("ChannelException(1, 'Administratively prohibited')"),
    stop("paramiko-prohibited", "ChannelException(1, 'Administratively prohibited')", "listener/tunnel-refused")
        .eg("paramiko.ssh_exception.ChannelException: ChannelException(1, 'Administratively prohibited')")
        .not("ChannelException(2, 'Connect failed')"),
];

//! What stands between, below and beside: poolers and balancers, TLS, SSH, the system.

use crate::pattern::{Component, Kind, Pattern, Source, beside, follows, follows_or, hides, stop};

const fn of(
    id: &'static str,
    title: &'static str,
    kind: Kind,
    engine: Option<&'static str>,
    languages: &'static str,
    source: Source,
    patterns: &'static [Pattern],
) -> Component {
    Component {
        id,
        title,
        kind,
        engine,
        languages,
        source,
        patterns,
    }
}

pub(super) const ALL: &[Component] = &[
    of(
        "pgbouncer",
        "PgBouncer",
        Kind::Between,
        Some("postgresql"),
        "",
        Source::Measured,
        PGBOUNCER,
    ),
    of(
        "haproxy",
        "HAProxy",
        Kind::Between,
        None,
        "",
        Source::Measured,
        HAPROXY,
    ),
    of(
        "openssl",
        "OpenSSL",
        Kind::Tls,
        None,
        "C, Python, Ruby, PHP, Node",
        Source::Measured,
        OPENSSL,
    ),
    of(
        "gnutls",
        "GnuTLS",
        Kind::Tls,
        None,
        "C",
        Source::Published,
        GNUTLS,
    ),
    of(
        "rustls",
        "rustls",
        Kind::Tls,
        None,
        "Rust",
        Source::Published,
        RUSTLS,
    ),
    of(
        "openssh",
        "OpenSSH's client",
        Kind::Ssh,
        None,
        "shell",
        Source::Measured,
        OPENSSH,
    ),
    of(
        "sshd",
        "OpenSSH's server",
        Kind::Ssh,
        None,
        "",
        Source::Measured,
        SSHD,
    ),
    of(
        "paramiko",
        "Paramiko and sshtunnel",
        Kind::Ssh,
        None,
        "Python",
        Source::Published,
        PARAMIKO,
    ),
    of(
        "program",
        "a program that hides its errors",
        Kind::System,
        None,
        "all",
        Source::Documented,
        PROGRAM,
    ),
    of(
        "libc",
        "the C library's sockets and resolver",
        Kind::System,
        None,
        "C and all that use it",
        Source::Measured,
        LIBC,
    ),
    of(
        "winsock",
        "Windows sockets",
        Kind::System,
        None,
        "all",
        Source::Documented,
        WINSOCK,
    ),
    of(
        "containers",
        "container engines",
        Kind::System,
        None,
        "shell",
        Source::Documented,
        CONTAINERS,
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

const OPENSSL: &[Pattern] = &[
    stop("openssl-verify-expired", "certificate verify failed: certificate has expired", "tls/certificate-refused")
        .sig(&[("certificate-defect", "expired")])
        .eg("[SSL: CERTIFICATE_VERIFY_FAILED] certificate verify failed: certificate has expired (_ssl.c:1006)")
        .not("certificate verify failed: self-signed certificate"),
    stop("openssl-expired", "certificate has expired", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "expired")])
        .eg("verify error:num=10:certificate has expired")
        .not("the certificates have expired"),
    stop("openssl-early", "certificate is not yet valid", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "not-yet-valid")])
        .eg("verify error:num=9:certificate is not yet valid")
        .not("certificate is valid"),
    stop("openssl-self-signed-chain", "self-signed certificate in certificate chain", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unknown")])
        .eg("certificate verify failed: self-signed certificate in certificate chain (_ssl.c:1006)")
        .not("self-signed certificate"),
    stop("openssl-self-signed-chain-old", "self signed certificate in certificate chain", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unknown")])
        .eg("SSL error: certificate verify failed: self signed certificate in certificate chain")
        .not("self signed certificate"),
    stop("openssl-self-signed", "self-signed certificate", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "self-signed")])
        .eg("certificate verify failed: self-signed certificate (_ssl.c:1006)")
        .not("self-signed certificates are made so"),
    stop("openssl-self-signed-old", "self signed certificate", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "self-signed")])
        .eg("SSL error: certificate verify failed: self signed certificate")
        .not("self signed certificates are made so"),
    stop("openssl-issuer", "unable to get local issuer certificate", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .may("a certificate of an authority that this client does not trust, or an intermediate one that the server does not send")
        .eg("certificate verify failed: unable to get local issuer certificate (_ssl.c:1006)")
        .not("unable to get the file"),
    stop("openssl-first", "unable to verify the first certificate", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("Error: unable to verify the first certificate")
        .not("unable to verify the file"),
    stop("openssl-name", "certificate verify failed: Hostname mismatch, certificate is not valid for '{host}'", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("certificate verify failed: Hostname mismatch, certificate is not valid for 'quay.osmary.example'. (_ssl.c:1006)")
        .not("certificate verify failed: IP address mismatch"),
    stop("openssl-address", "certificate verify failed: IP address mismatch, certificate is not valid for '{address}'", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("certificate verify failed: IP address mismatch, certificate is not valid for '192.0.2.10'. (_ssl.c:1006)")
        .not("certificate verify failed: Hostname mismatch"),
    stop("openssl-verify", "certificate verify failed", "tls/certificate-refused").weak()
        .may("any defect of the certificate: only the words behind it tell")
        .eg("SSL error: certificate verify failed")
        .not("certificate verified"),
    stop("openssl-weak", "ee key too small", "tls/certificate-refused")
        .sig(&[("certificate-defect", "too-weak")])
        .eg("SSL error: ee key too small")
        .not("key too large"),
    stop("openssl-weak-digest", "ca md too weak", "tls/certificate-refused")
        .sig(&[("certificate-defect", "too-weak")])
        .eg("SSL error: ca md too weak")
        .not("md is strong"),
    stop("openssl-alert-version", "tlsv1 alert protocol version", "tls/alert")
        .sig(&[("alert-says", "version")])
        .eg("SSL error: tlsv1 alert protocol version")
        .not("tlsv1 protocol version"),
    stop("openssl-alert-handshake", "sslv3 alert handshake failure", "tls/alert")
        .sig(&[("alert-says", "handshake")])
        .eg("SSL error: sslv3 alert handshake failure")
        .not("handshake failure-"),
    stop("openssl-alert-handshake-new", "ssl/tls alert handshake failure", "tls/alert")
        .sig(&[("alert-says", "handshake")])
        .eg("SSL error: ssl/tls alert handshake failure")
        .not("ssl/tls alert"),
    stop("openssl-alert-required", "alert certificate required", "tls/alert")
        .sig(&[("alert-says", "certificate-required")])
        .eg("SSL error: tlsv13 alert certificate required")
        .not("alert certificate unknown"),
    stop("openssl-alert-bad", "alert bad certificate", "tls/alert")
        .sig(&[("alert-says", "certificate-refused")])
        .eg("SSL error: sslv3 alert bad certificate")
        .not("alert certificate required"),
    stop("openssl-alert-unknown-ca", "alert unknown ca", "tls/alert")
        .sig(&[("alert-says", "certificate-refused")])
        .may("a client that does not trust the server, where it stands in the server's log")
        .eg("SSL error: tlsv1 alert unknown ca")
        .not("alert unknown"),
    stop("openssl-alert-certificate-expired", "alert certificate expired", "tls/alert")
        .sig(&[("alert-says", "certificate-refused")])
        .eg("SSL error: sslv3 alert certificate expired")
        .not("certificate has not expired"),
    stop("openssl-version", "unsupported protocol", "tls/nothing-in-common").weak()
        .eg("SSL error: unsupported protocol")
        .not("unsupported protocols"),
    stop("openssl-no-cipher", "no shared cipher", "tls/nothing-in-common")
        .eg("could not accept SSL connection: no shared cipher")
        .not("a shared cipher"),
    stop("openssl-no-protocols", "no protocols available", "tls/nothing-in-common")
        .eg("SSL error: no protocols available")
        .not("protocols available"),
    stop("openssl-dh", "dh key too small", "tls/nothing-in-common")
        .eg("SSL error: dh key too small")
        .not("dh key"),
    stop("openssl-wrong-version", "wrong version number", "tls/garbled")
        .may("a server that does not speak TLS on this port")
        .eg("SSL error: wrong version number")
        .not("wrong version"),
    stop("openssl-packet", "packet length too long", "tls/garbled")
        .eg("SSL error: packet length too long")
        .not("packet length"),
    stop("openssl-eof", "unexpected eof while reading", "tls/closed").weak()
        .may("a session that was ended later")
        .eg("SSL error: unexpected eof while reading")
        .not("eof while reading"),
    stop("openssl-syscall-eof", "SSL SYSCALL error: EOF detected", "tls/closed").weak()
        .may("a session that was ended later")
        .eg("SSL SYSCALL error: EOF detected")
        .not("SSL SYSCALL error: none"),
    stop("openssl-key-mismatch", "key values mismatch", "bundle/key-mismatch").weak()
        .eg("SSL error: x509 certificate routines::key values mismatch")
        .not("key values match"),
    stop("openssl-decrypt", "bad decrypt", "bundle/passphrase-wrong").weak()
        .eg("SSL error: bad decrypt")
        .not("decrypted"),
];

const GNUTLS: &[Pattern] = &[
    stop(
        "gnutls-untrusted",
        "The certificate is NOT trusted. The certificate issuer is unknown.",
        "tls/certificate-refused",
    )
    .sig(&[("certificate-defect", "issuer-unclear")])
    .eg("The certificate is NOT trusted. The certificate issuer is unknown.")
    .not("The certificate is trusted."),
    stop(
        "gnutls-expired",
        "The certificate is NOT trusted. The certificate chain uses expired certificate.",
        "tls/certificate-refused",
    )
    .sig(&[("certificate-defect", "expired")])
    .eg("The certificate is NOT trusted. The certificate chain uses expired certificate.")
    .not("The certificate is trusted."),
    stop(
        "gnutls-name",
        "The name in the certificate does not match the expected.",
        "tls/certificate-refused",
    )
    .sig(&[("certificate-defect", "other-name")])
    .eg("The certificate is NOT trusted. The name in the certificate does not match the expected.")
    .not("The name in the certificate matches."),
    stop(
        "gnutls-alert",
        "A TLS fatal alert has been received.",
        "tls/alert",
    )
    .eg("A TLS fatal alert has been received.")
    .not("A TLS warning alert has been received."),
    stop(
        "gnutls-nonproper",
        "The TLS connection was non-properly terminated.",
        "tls/closed",
    )
    .weak()
    .eg("The TLS connection was non-properly terminated.")
    .not("The TLS connection was properly terminated."),
    stop(
        "gnutls-packet",
        "An unexpected TLS packet was received.",
        "tls/garbled",
    )
    .eg("An unexpected TLS packet was received.")
    .not("A TLS packet was received."),
];

const RUSTLS: &[Pattern] = &[
    stop("rustls-issuer", "invalid peer certificate: UnknownIssuer", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("invalid peer certificate: UnknownIssuer")
        .not("invalid peer certificate: Expired"),
    stop("rustls-expired", "invalid peer certificate: certificate expired", "tls/certificate-refused")
        .sig(&[("certificate-defect", "expired")])
        .eg("invalid peer certificate: certificate expired: verification time 1764496800 (UNIX), but certificate is not valid after 1761955200")
        .not("invalid peer certificate: UnknownIssuer"),
    stop("rustls-name", "invalid peer certificate: certificate not valid for name", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("invalid peer certificate: certificate not valid for name \"quay.osmary.example\"; certificate is only valid for DnsName(\"harbour.osmary.example\")")
        .not("invalid peer certificate: UnknownIssuer"),
    stop("rustls-ca-as-leaf", "invalid peer certificate: Other(OtherError(CaUsedAsEndEntity))", "tls/certificate-refused")
        .sig(&[("certificate-defect", "self-signed")])
        .eg("invalid peer certificate: Other(OtherError(CaUsedAsEndEntity))")
        .not("invalid peer certificate: Other(none)"),
    stop("rustls-alert", "received fatal alert: HandshakeFailure", "tls/alert")
        .sig(&[("alert-says", "handshake")])
        .eg("received fatal alert: HandshakeFailure")
        .not("received fatal alert: ProtocolVersion"),
    stop("rustls-alert-version", "received fatal alert: ProtocolVersion", "tls/alert")
        .sig(&[("alert-says", "version")])
        .eg("received fatal alert: ProtocolVersion")
        .not("received fatal alert: HandshakeFailure"),
    stop("rustls-alert-required", "received fatal alert: CertificateRequired", "tls/alert")
        .sig(&[("alert-says", "certificate-required")])
        .eg("received fatal alert: CertificateRequired")
        .not("received fatal alert: HandshakeFailure"),
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

//! Drivers, mappers and pools of Java.

use crate::pattern::{
    Component, Kind, Pattern, Source, beside, component, driver, follows, follows_or, hides, stop,
    unrelated,
};

const LANGUAGES: &str = "Java, Kotlin, Scala";

pub(super) const ALL: &[Component] = &[
    component(
        "pgjdbc",
        "PostgreSQL's JDBC driver",
        Kind::Driver,
        Some("postgresql"),
        LANGUAGES,
        Source::Measured,
        PGJDBC,
    ),
    component(
        "mariadb-java",
        "MariaDB's JDBC driver",
        Kind::Driver,
        Some("mysql"),
        LANGUAGES,
        Source::Measured,
        MARIADB,
    ),
    component(
        "connector-j",
        "MySQL's JDBC driver",
        Kind::Driver,
        Some("mysql"),
        LANGUAGES,
        Source::Documented,
        CONNECTOR_J,
    ),
    component(
        "mssql-jdbc",
        "a JDBC driver for TDS",
        Kind::Driver,
        Some("tds"),
        LANGUAGES,
        Source::Documented,
        MSSQL,
    ),
    component(
        "jtds",
        "jTDS",
        Kind::Driver,
        Some("tds"),
        LANGUAGES,
        Source::Published,
        JTDS,
    ),
    component(
        "mongodb-java",
        "MongoDB's driver for Java",
        Kind::Driver,
        Some("mongodb"),
        LANGUAGES,
        Source::Documented,
        MONGODB,
    ),
    component(
        "jdbc",
        "Java's driver manager",
        Kind::System,
        None,
        LANGUAGES,
        Source::Measured,
        JDBC,
    ),
    component(
        "java",
        "Java's sockets",
        Kind::System,
        None,
        LANGUAGES,
        Source::Measured,
        SOCKETS,
    ),
    component(
        "java-tls",
        "Java's TLS",
        Kind::Tls,
        None,
        LANGUAGES,
        Source::Measured,
        TLS,
    ),
    component(
        "spring",
        "Spring",
        Kind::Framework,
        None,
        LANGUAGES,
        Source::Published,
        SPRING,
    ),
    component(
        "hibernate",
        "Hibernate",
        Kind::Framework,
        None,
        LANGUAGES,
        Source::Published,
        HIBERNATE,
    ),
    component(
        "hikaricp",
        "HikariCP",
        Kind::Pool,
        None,
        LANGUAGES,
        Source::Published,
        HIKARI,
    ),
    component(
        "dbcp",
        "Commons DBCP",
        Kind::Pool,
        None,
        LANGUAGES,
        Source::Published,
        DBCP,
    ),
    component(
        "c3p0",
        "c3p0",
        Kind::Pool,
        None,
        LANGUAGES,
        Source::Published,
        C3P0,
    ),
    component(
        "tomcat-jdbc",
        "Tomcat's JDBC pool",
        Kind::Pool,
        None,
        LANGUAGES,
        Source::Published,
        TOMCAT,
    ),
];

const PGJDBC: &[Pattern] = &[
    stop("pgjdbc-refused", "Connection to {place} refused. Check that the hostname and port are correct", "port/refused")
        .may("a name with several addresses, of which only the first was tried")
        .eg("org.postgresql.util.PSQLException: Connection to quay.osmary.example:5432 refused. Check that the hostname and port are correct and that the postmaster is accepting TCP/IP connections.")
        .not("Connection to quay.osmary.example:5432 timed out"),
    hides("pgjdbc-failed", "The connection attempt failed.", "Look for the line that begins with \"Caused by:\" under it; if there is none, log the whole exception, not its message alone.")
        .eg("org.postgresql.util.PSQLException: The connection attempt failed.")
        .not("The connection attempt was made."),
    stop("pgjdbc-no-password", "The server requested password-based authentication, but no password was provided", "login/password-asked")
        .eg("org.postgresql.util.PSQLException: The server requested password-based authentication, but no password was provided by plugin null")
        .not("The server requested password-based authentication."),
    stop("pgjdbc-scram-no-password", "The server requested SCRAM-based authentication, but no password was provided", "login/password-asked")
        .eg("org.postgresql.util.PSQLException: The server requested SCRAM-based authentication, but no password was provided.")
        .not("The server requested SCRAM-based authentication, but the password is an empty string."),
    stop("pgjdbc-no-tls", "The server does not support SSL.", "tls/not-offered")
        .eg("org.postgresql.util.PSQLException: The server does not support SSL.")
        .not("The server does not support SSL resumption"),
    stop("pgjdbc-method", "The authentication type {number} is not supported.", "login/method")
        .eg("org.postgresql.util.PSQLException: The authentication type 10 is not supported. Check that you have configured the pg_hba.conf file to include the client's IP address or subnet, and that it is using an authentication scheme supported by the driver.")
        .not("The authentication type 10 is supported."),
    stop("pgjdbc-hostname", "The hostname {host} could not be verified by hostnameverifier", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("org.postgresql.util.PSQLException: The hostname quay.osmary.example could not be verified by hostnameverifier PgjdbcHostnameVerifier.")
        .not("The hostname could be verified"),
    stop("pgjdbc-root", "Could not open SSL root certificate file {path}", "bundle/incomplete")
        .eg("org.postgresql.util.PSQLException: Could not open SSL root certificate file /root/.postgresql/root.crt.")
        .not("Could not open file"),
    stop("pgjdbc-key", "Could not read SSL key file {path}", "bundle/unreadable")
        .eg("org.postgresql.util.PSQLException: Could not read SSL key file /home/purser/quay.pk8.")
        .not("Could not read the file"),
    stop("pgjdbc-timeout", "Connection attempt timed out.", "port/silent")
        .may("a server that accepts and does not answer")
        .eg("org.postgresql.util.PSQLException: Connection attempt timed out.")
        .not("The connection timed out."),
    stop("pgjdbc-wrong-role", "Could not find a server with specified targetServerType: {word}", "session/read-only")
        .may("servers that cannot be reached")
        .eg("org.postgresql.util.PSQLException: Could not find a server with specified targetServerType: primary")
        .not("Could not find a server"),
    follows_or("pgjdbc-io", "An I/O error occurred while sending to the backend.", "session/closed")
        .eg("org.postgresql.util.PSQLException: An I/O error occurred while sending to the backend.")
        .not("An I/O error occurred while reading the file."),
    follows("pgjdbc-closed", "This connection has been closed.")
        .eg("org.postgresql.util.PSQLException: This connection has been closed.")
        .not("This file has been closed."),
    stop("pgjdbc-protocol", "Protocol error. Session setup failed.", "listener/other-answer")
        .eg("org.postgresql.util.PSQLException: Protocol error.  Session setup failed.")
        .not("Protocol error. Query failed."),
];

const MARIADB: &[Pattern] = &[
    stop("mariadb-java-refused", "Socket fail to connect to host:address=(host={host})(port={port})(type={word}). Connection refused", "port/refused")
        .eg("Caused by: java.sql.SQLNonTransientConnectionException: Socket fail to connect to host:address=(host=wharf.osmary.example)(port=3306)(type=primary). Connection refused")
        .not("Socket fail to connect to host:address=(host=wharf.osmary.example)(port=3306)(type=primary). Connect timed out"),
    stop("mariadb-java-refused-old", "Socket fail to connect to host:{host}, port:{port}. Connection refused", "port/refused")
        .eg("java.sql.SQLNonTransientConnectionException: Socket fail to connect to host:wharf.osmary.example, port:3306. Connection refused (Connection refused)")
        .not("Socket fail to connect to host:wharf.osmary.example, port:3306. Connect timed out"),
    stop("mariadb-java-refused-two", "Could not connect to address=(host={host})(port={port})(type={word}) : Socket fail to connect to host:{host}, port:{port}. Connection refused", "port/refused")
        .eg("Could not connect to address=(host=wharf.osmary.example)(port=3306)(type=master) : Socket fail to connect to host:wharf.osmary.example, port:3306. Connection refused (Connection refused)")
        .not("Could not connect to address=(host=wharf.osmary.example)(port=3306)(type=master) : (conn=7) Access denied"),
    stop("mariadb-java-silent", "Socket fail to connect to host:address=(host={host})(port={port})(type={word}). Connect timed out", "port/silent")
        .eg("Socket fail to connect to host:address=(host=wharf.osmary.example)(port=3306)(type=primary). Connect timed out")
        .not("Socket fail to connect to host:address=(host=wharf.osmary.example)(port=3306)(type=primary). Connection refused"),
    stop("mariadb-java-name", "Socket fail to connect to host:address=(host={host})(port={port})(type={word}). {host}", "name/not-found").weak()
        .eg("Socket fail to connect to host:address=(host=wharf.osmary.example)(port=3306)(type=primary). wharf.osmary.example")
        .not("Socket fail to connect"),
    beside("mariadb-java-where", "Could not connect to address=(host={host})(port={port})(type={word})")
        .eg("Could not connect to address=(host=wharf.osmary.example)(port=3306)(type=master) : (conn=7) Access denied for user 'deckhand'@'198.51.100.77' (using password: YES)")
        .not("Could not connect to the file"),
    hides("mariadb-java-could-not", "Could not connect to {place} :", "Read what stands behind the colon, and the line that begins with \"Caused by:\" under it.")
        .eg("Could not connect to wharf.osmary.example:3306 : unknown")
        .not("Could not connect to wharf"),
    stop("mariadb-java-no-tls", "Trying to connect with ssl, but ssl not enabled in the server", "tls/not-offered")
        .eg("java.sql.SQLNonTransientConnectionException: Trying to connect with ssl, but ssl not enabled in the server")
        .not("Trying to connect with ssl"),
    stop("mariadb-java-eof", "unexpected end of stream, read 0 bytes from 4 (socket was closed by server)", "listener/closed")
        .eg("Could not connect to address=(host=wharf.osmary.example)(port=3306)(type=master) : unexpected end of stream, read 0 bytes from 4 (socket was closed by server)")
        .not("unexpected end of file"),
    stop("mariadb-java-key", "RSA public key is not available client side (option serverRsaPublicKeyFile not set)", "login/method")
        .eg("RSA public key is not available client side (option serverRsaPublicKeyFile not set)")
        .not("RSA public key is available"),
];

const CONNECTOR_J: &[Pattern] = &[
    hides("connector-j-link", "Communications link failure", "Look for the last line that begins with \"Caused by:\"; if there is none, log the whole exception, not its message alone.")
        .eg("com.mysql.cj.jdbc.exceptions.CommunicationsException: Communications link failure\n\nThe last packet sent successfully to the server was 0 milliseconds ago. The driver has not received any packets from the server.")
        .not("The link failed"),
    stop("connector-j-key", "Public Key Retrieval is not allowed", "login/method")
        .eg("java.sql.SQLNonTransientConnectionException: Public Key Retrieval is not allowed")
        .not("Public Key Retrieval is allowed"),
    stop("connector-j-plugin", "Unable to load authentication plugin '{word}'", "login/method")
        .eg("com.mysql.cj.exceptions.UnableToConnectException: Unable to load authentication plugin 'caching_sha2_password'.")
        .not("Unable to load the file"),
    follows("connector-j-closed", "No operations allowed after connection closed.")
        .eg("java.sql.SQLNonTransientConnectionException: No operations allowed after connection closed.")
        .not("No operations allowed"),
    stop("connector-j-zone", "The server time zone value '{any}' is unrecognized", "session/parameter-refused")
        .sig(&[("sent-parameters", "some")])
        .eg("java.sql.SQLException: The server time zone value 'CEST' is unrecognized or represents more than one time zone.")
        .not("The time zone is UTC"),
    hides("connector-j-attempts", "Could not create connection to database server. Attempted reconnect {number} times. Giving up.", "Look for the last line that begins with \"Caused by:\".")
        .eg("java.sql.SQLNonTransientConnectionException: Could not create connection to database server. Attempted reconnect 3 times. Giving up.")
        .not("Could not create connection"),
];

const MSSQL: &[Pattern] = &[
    stop("mssql-jdbc-refused", "The TCP/IP connection to the host {host}, port {port} has failed. Error: \"Connection refused", "port/refused")
        .eg("com.microsoft.sqlserver.jdbc.SQLServerException: The TCP/IP connection to the host slipway.osmary.example, port 1433 has failed. Error: \"Connection refused (Connection refused). Verify the connection properties.")
        .not("The TCP/IP connection to the host slipway.osmary.example, port 1433 has failed. Error: \"connect timed out"),
    stop("mssql-jdbc-silent", "The TCP/IP connection to the host {host}, port {port} has failed. Error: \"connect timed out", "port/silent")
        .eg("The TCP/IP connection to the host slipway.osmary.example, port 1433 has failed. Error: \"connect timed out. Verify the connection properties.")
        .not("The TCP/IP connection to the host slipway.osmary.example, port 1433 has failed. Error: \"Connection refused"),
    stop("mssql-jdbc-name", "The TCP/IP connection to the host {host}, port {port} has failed. Error: \"{host}. Verify", "name/not-found")
        .eg("The TCP/IP connection to the host slipway.osmary.example, port 1433 has failed. Error: \"slipway.osmary.example. Verify the connection properties.")
        .not("The TCP/IP connection to the host slipway.osmary.example, port 1433 has failed. Error: \"connect timed out. Verify"),
    hides("mssql-jdbc-tls", "The driver could not establish a secure connection to", "Read the text behind \"Error:\" in the same message, and the line that begins with \"Caused by:\".")
        .eg("The driver could not establish a secure connection to SQL Server by using Secure Sockets Layer (SSL) encryption.")
        .not("The driver could establish a secure connection to SQL Server"),
];

const JTDS: &[Pattern] = &[
    stop(
        "jtds-refused",
        "Network error IOException: Connection refused",
        "port/refused",
    )
    .eg("java.sql.SQLException: Network error IOException: Connection refused")
    .not("Network error IOException: Connection reset"),
    stop(
        "jtds-silent",
        "Network error IOException: Connection timed out",
        "port/silent",
    )
    .eg("java.sql.SQLException: Network error IOException: Connection timed out")
    .not("Network error IOException: Connection refused"),
    stop(
        "jtds-name",
        "Unknown server host name '{host}'",
        "name/not-found",
    )
    .eg("java.sql.SQLException: Unknown server host name 'slipway.osmary.example'.")
    .not("Unknown server type"),
    stop(
        "jtds-instance",
        "Server {host} has no instance named {word}",
        "listener/service-unknown",
    )
    .eg("java.sql.SQLException: Server slipway.osmary.example has no instance named FARES.")
    .not("Server slipway.osmary.example has an instance named FARES"),
];

const MONGODB: &[Pattern] = &[
    stop("mongodb-java-refused", "caused by {any}java.net.ConnectException: Connection refused", "port/refused")
        .eg("exception={com.mongodb.MongoSocketOpenException: Exception opening socket}, caused by {java.net.ConnectException: Connection refused}}]")
        .not("caused by {any}java.net.SocketTimeoutException: Connect timed out"),
    stop("mongodb-java-silent", "caused by {any}java.net.SocketTimeoutException: Connect timed out", "port/silent")
        .eg("exception={com.mongodb.MongoSocketOpenException: Exception opening socket}, caused by {java.net.SocketTimeoutException: Connect timed out}}]")
        .not("caused by {any}java.net.ConnectException: Connection refused"),
    stop("mongodb-java-name", "caused by {any}java.net.UnknownHostException: {host}", "name/not-found")
        .eg("exception={com.mongodb.MongoSocketException: lookout.osmary.example}, caused by {java.net.UnknownHostException: lookout.osmary.example}}]")
        .not("caused by {any}java.net.ConnectException: Connection refused"),
    stop("mongodb-java-denied", "Exception authenticating MongoCredential", "login/denied")
        .eg("com.mongodb.MongoSecurityException: Exception authenticating MongoCredential{mechanism=SCRAM-SHA-1, userName='purser', source='admin'}")
        .not("Exception reading MongoCredential"),
    hides("mongodb-java-timeout", "Timed out while waiting for a server that matches", "Read what stands behind \"Client view of cluster state\" in the same message.")
        .eg("com.mongodb.MongoTimeoutException: Timed out after 30000 ms. Timed out while waiting for a server that matches ReadPreferenceServerSelector")
        .not("Timed out while waiting for a lock"),
];

const JDBC: &[Pattern] = &[
    driver("jdbc-no-driver", "No suitable driver found for {driver}")
        .eg("java.sql.SQLException: No suitable driver found for jdbc:postgressql://quay.osmary.example:5432/sailings")
        .not("No suitable converter found for java.lang.String"),
    stop("jdbc-no-driver-alone", "No suitable driver", "settings/no-driver").weak()
        .eg("java.sql.SQLException: No suitable driver")
        .not("No suitable drivers were registered"),
    stop("jdbc-class-postgresql", "ClassNotFoundException: org.postgresql.Driver", "settings/library-missing").of("postgresql")
        .eg("java.lang.ClassNotFoundException: org.postgresql.Driver")
        .not("java.lang.ClassNotFoundException: org.postgresql.Drivers"),
    stop("jdbc-class-mysql", "ClassNotFoundException: com.mysql.cj.jdbc.Driver", "settings/library-missing").of("mysql")
        .eg("java.lang.ClassNotFoundException: com.mysql.cj.jdbc.Driver")
        .not("java.lang.ClassNotFoundException: com.example.Ferry"),
    stop("jdbc-class-mysql-old", "ClassNotFoundException: com.mysql.jdbc.Driver", "settings/library-missing").of("mysql")
        .eg("java.lang.ClassNotFoundException: com.mysql.jdbc.Driver")
        .not("java.lang.ClassNotFoundException: com.example.Ferry"),
    stop("jdbc-class-mariadb", "ClassNotFoundException: org.mariadb.jdbc.Driver", "settings/library-missing").of("mysql")
        .eg("java.lang.ClassNotFoundException: org.mariadb.jdbc.Driver")
        .not("java.lang.ClassNotFoundException: org.mariadb.jdbc.Pool"),
    stop("jdbc-class-tds", "ClassNotFoundException: com.microsoft.sqlserver.jdbc.SQLServerDriver", "settings/library-missing").of("tds")
        .eg("java.lang.ClassNotFoundException: com.microsoft.sqlserver.jdbc.SQLServerDriver")
        .not("java.lang.ClassNotFoundException: com.example.Ferry"),
];

const SOCKETS: &[Pattern] = &[
    stop("java-refused", "java.net.ConnectException: Connection refused", "port/refused").weak()
        .eg("Caused by: java.net.ConnectException: Connection refused (Connection refused)")
        .not("java.net.ConnectException: Connection timed out"),
    stop("java-refused-windows", "java.net.ConnectException: Connection refused: connect", "port/refused").weak()
        .eg("Caused by: java.net.ConnectException: Connection refused: connect")
        .not("java.net.ConnectException: Connection timed out: connect"),
    stop("java-silent", "java.net.ConnectException: Connection timed out", "port/silent").weak()
        .eg("Caused by: java.net.ConnectException: Connection timed out (Connection timed out)")
        .not("java.net.ConnectException: Connection refused"),
    stop("java-connect-timed-out", "java.net.SocketTimeoutException: connect timed out", "port/silent").weak()
        .eg("Caused by: java.net.SocketTimeoutException: Connect timed out")
        .not("java.net.SocketTimeoutException: Read timed out"),
    stop("java-read-timed-out", "java.net.SocketTimeoutException: Read timed out", "listener/mute").weak()
        .may("a query that takes long, if the connection had stood before")
        .eg("Caused by: java.net.SocketTimeoutException: Read timed out")
        .not("java.net.SocketTimeoutException: Connect timed out"),
    stop("java-name", "java.net.UnknownHostException: {host}", "name/not-found").weak()
        .may("a resolver that does not answer: Java does not tell")
        .eg("Caused by: java.net.UnknownHostException: quay.osmary.example")
        .not("java.net.UnknownServiceException: quay"),
    stop("java-name-failing", "java.net.UnknownHostException: {host}: Temporary failure in name resolution", "name/failing").weak()
        .eg("Caused by: java.net.UnknownHostException: quay.osmary.example: Temporary failure in name resolution")
        .not("java.net.UnknownHostException: quay.osmary.example: Name or service not known"),
    stop("java-no-route", "java.net.NoRouteToHostException: No route to host", "port/unreachable").weak()
        .eg("Caused by: java.net.NoRouteToHostException: No route to host (Host unreachable)")
        .not("java.net.ConnectException: Network is unreachable"),
    stop("java-no-network", "Network is unreachable (connect failed)", "route/none").weak()
        .eg("java.net.ConnectException: Network is unreachable (connect failed)")
        .not("Network is reachable (connect failed)"),
    stop("java-reset", "java.net.SocketException: Connection reset", "listener/closed").weak()
        .eg("Caused by: java.net.SocketException: Connection reset")
        .not("java.net.SocketException: Broken pipe"),
    stop("java-eof", "java.io.EOFException", "listener/closed").weak()
        .may("a session that was ended later")
        .eg("Caused by: java.io.EOFException\n\tat org.postgresql.core.PGStream.receiveChar(PGStream.java:467)")
        .not("java.io.IOException"),
    stop("java-unresolved", "java.nio.channels.UnresolvedAddressException", "name/not-found").weak()
        .eg("java.nio.channels.UnresolvedAddressException")
        .not("java.nio.channels.ClosedChannelException"),
    stop("java-permission", "java.net.SocketException: Permission denied", "port/local-failure").weak()
        .eg("java.net.SocketException: Permission denied: connect")
        .not("java.io.FileNotFoundException: x (Permission denied)"),
    follows("java-null", "java.lang.NullPointerException")
        .eg("java.lang.NullPointerException: Cannot invoke \"java.sql.Connection.prepareStatement(String)\" because \"connection\" is null")
        .not("java.lang.IllegalStateException"),
];

const TLS: &[Pattern] = &[
    stop("java-tls-path", "unable to find valid certification path to requested target", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .may("an intermediate certificate that the server does not send")
        .eg("sun.security.validator.ValidatorException: PKIX path building failed: sun.security.provider.certpath.SunCertPathBuilderException: unable to find valid certification path to requested target")
        .not("valid certification path to requested target"),
    stop("java-tls-name", "No subject alternative DNS name matching {host} found", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("java.security.cert.CertificateException: No subject alternative DNS name matching quay.osmary.example found.")
        .not("A subject alternative DNS name was found"),
    stop("java-tls-address", "No subject alternative names matching IP address {address} found", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("java.security.cert.CertificateException: No subject alternative names matching IP address 192.0.2.10 found")
        .not("No subject alternative names present"),
    stop("java-tls-common-name", "No name matching {host} found", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("java.security.cert.CertificateException: No name matching quay.osmary.example found")
        .not("No file matching quay found"),
    stop("java-tls-expired", "java.security.cert.CertificateExpiredException: NotAfter:", "tls/certificate-refused")
        .sig(&[("certificate-defect", "expired")])
        .eg("Caused by: java.security.cert.CertificateExpiredException: NotAfter: Sun Nov 01 00:00:00 UTC 2026")
        .not("java.security.cert.CertificateNotYetValidException: NotBefore:"),
    stop("java-tls-early", "java.security.cert.CertificateNotYetValidException: NotBefore:", "tls/certificate-refused")
        .sig(&[("certificate-defect", "not-yet-valid")])
        .eg("Caused by: java.security.cert.CertificateNotYetValidException: NotBefore: Thu Dec 31 00:00:00 UTC 2026")
        .not("java.security.cert.CertificateExpiredException: NotAfter:"),
    stop("java-tls-handshake", "Received fatal alert: handshake_failure", "tls/alert")
        .sig(&[("alert-says", "handshake")])
        .eg("javax.net.ssl.SSLHandshakeException: Received fatal alert: handshake_failure")
        .not("Received fatal alert: protocol_version"),
    stop("java-tls-version", "Received fatal alert: protocol_version", "tls/alert")
        .sig(&[("alert-says", "version")])
        .eg("javax.net.ssl.SSLHandshakeException: Received fatal alert: protocol_version")
        .not("Received fatal alert: handshake_failure"),
    stop("java-tls-certificate-required", "Received fatal alert: certificate_required", "tls/alert")
        .sig(&[("alert-says", "certificate-required")])
        .eg("javax.net.ssl.SSLHandshakeException: Received fatal alert: certificate_required")
        .not("Received fatal alert: bad_certificate"),
    stop("java-tls-bad-certificate", "Received fatal alert: bad_certificate", "tls/alert")
        .sig(&[("alert-says", "certificate-refused")])
        .eg("javax.net.ssl.SSLHandshakeException: Received fatal alert: bad_certificate")
        .not("Received fatal alert: certificate_required"),
    stop("java-tls-no-protocol", "No appropriate protocol (protocol is disabled or cipher suites are inappropriate)", "tls/nothing-in-common")
        .eg("javax.net.ssl.SSLHandshakeException: No appropriate protocol (protocol is disabled or cipher suites are inappropriate)")
        .not("No appropriate constructor"),
    stop("java-tls-server-version", "The server selected protocol version {word} is not accepted by client preferences", "tls/nothing-in-common")
        .eg("javax.net.ssl.SSLHandshakeException: The server selected protocol version TLS10 is not accepted by client preferences [TLS13, TLS12]")
        .not("The server selected protocol version TLS13"),
    stop("java-tls-plain", "Unsupported or unrecognized SSL message", "tls/garbled")
        .may("a server that does not speak TLS on this port")
        .eg("javax.net.ssl.SSLException: Unsupported or unrecognized SSL message")
        .not("Unsupported message"),
    stop("java-tls-ended", "Remote host terminated the handshake", "tls/closed")
        .eg("javax.net.ssl.SSLHandshakeException: Remote host terminated the handshake")
        .not("Remote host answered the handshake"),
    stop("java-tls-keystore", "keystore password was incorrect", "bundle/passphrase-wrong")
        .eg("java.io.IOException: keystore password was incorrect")
        .not("the password was incorrect"),
    stop("java-tls-keystore-old", "Keystore was tampered with, or password was incorrect", "bundle/passphrase-wrong")
        .eg("java.io.IOException: Keystore was tampered with, or password was incorrect")
        .not("Keystore was created"),
    stop("java-tls-anchors", "the trustAnchors parameter must be non-empty", "bundle/incomplete")
        .eg("java.security.InvalidAlgorithmParameterException: the trustAnchors parameter must be non-empty")
        .not("the parameter must be non-empty"),
];

const SPRING: &[Pattern] = &[
    hides("spring-obtain", "Failed to obtain JDBC Connection", "Look for the last line that begins with \"Caused by:\"; set logging.level.com.zaxxer.hikari=DEBUG if there is none.")
        .eg("org.springframework.jdbc.CannotGetJdbcConnectionException: Failed to obtain JDBC Connection")
        .not("Failed to obtain the file"),
    hides("spring-get", "Could not get JDBC Connection", "Look for the last line that begins with \"Caused by:\".")
        .eg("org.springframework.jdbc.CannotGetJdbcConnectionException: Could not get JDBC Connection")
        .not("Could not get a lock"),
    hides("spring-transaction", "Could not open JDBC Connection for transaction", "Look for the last line that begins with \"Caused by:\".")
        .eg("org.springframework.transaction.CannotCreateTransactionException: Could not open JDBC Connection for transaction")
        .not("Could not open file for transaction"),
    hides("spring-jpa-transaction", "Could not open JPA EntityManager for transaction", "Look for the last line that begins with \"Caused by:\".")
        .eg("org.springframework.transaction.CannotCreateTransactionException: Could not open JPA EntityManager for transaction")
        .not("Could not open file"),
    follows("spring-bean", "Error creating bean with name '{word}'")
        .eg("org.springframework.beans.factory.BeanCreationException: Error creating bean with name 'entityManagerFactory'")
        .not("Error creating file with name 'x'"),
    stop("spring-url", "'url' attribute is not specified and no embedded datasource could be configured", "settings/value-missing")
        .eg("Failed to configure a DataSource: 'url' attribute is not specified and no embedded datasource could be configured.")
        .not("'url' attribute is specified"),
    stop("spring-driver-class", "Failed to determine a suitable driver class", "settings/value-missing")
        .eg("Reason: Failed to determine a suitable driver class")
        .not("Failed to determine a class"),
    driver("spring-load-driver", "Cannot load driver class: {driver}")
        .eg("java.lang.IllegalStateException: Cannot load driver class: org.postgresql.Driver")
        .not("Cannot load class"),
    stop("spring-url-scheme", "URL must start with 'jdbc'", "settings/scheme-unknown")
        .eg("java.lang.IllegalArgumentException: URL must start with 'jdbc'")
        .not("URL must start with a letter"),
];

const HIBERNATE: &[Pattern] = &[
    hides("hibernate-acquire", "Unable to acquire JDBC Connection", "Look for the last line that begins with \"Caused by:\".")
        .eg("org.hibernate.exception.JDBCConnectionException: Unable to acquire JDBC Connection")
        .not("Unable to acquire lock"),
    hides("hibernate-open", "Unable to open JDBC Connection for DDL execution", "Look for the last line that begins with \"Caused by:\".")
        .eg("org.hibernate.exception.JDBCConnectionException: Unable to open JDBC Connection for DDL execution")
        .not("Unable to open a file"),
    follows("hibernate-dialect", "Access to DialectResolutionInfo cannot be null when 'hibernate.dialect' not set")
        .eg("org.hibernate.HibernateException: Access to DialectResolutionInfo cannot be null when 'hibernate.dialect' not set")
        .not("'hibernate.dialect' not set"),
    follows("hibernate-dialect-new", "Unable to determine Dialect without JDBC metadata")
        .eg("org.hibernate.HibernateException: Unable to determine Dialect without JDBC metadata (please set 'jakarta.persistence.jdbc.url' for common cases or 'hibernate.dialect' when a custom Dialect implementation must be provided)")
        .not("Unable to determine Dialect"),
    unrelated("hibernate-schema", "Schema-validation: missing table [{word}]")
        .eg("org.hibernate.tool.schema.spi.SchemaManagementException: Schema-validation: missing table [departures]")
        .not("Schema-validation: done"),
];

const HIKARI: &[Pattern] = &[
    stop("hikari-full", "Connection is not available, request timed out after {word} (total={number}, active={number}, idle=0, waiting={number})", "session/pool-empty").weak()
        .eg("java.sql.SQLTransientConnectionException: HikariPool-1 - Connection is not available, request timed out after 30001ms (total=10, active=10, idle=0, waiting=5)")
        .not("HikariPool-1 - Connection is available"),
    stop("hikari-unreached", "Connection is not available, request timed out after {word} (total=0, active=0, idle=0, waiting={number})", "session/pool-wait")
        .may("any failure of the connection: the line that begins with \"Caused by:\" tells")
        .eg("java.sql.SQLTransientConnectionException: HikariPool-1 - Connection is not available, request timed out after 30001ms (total=0, active=0, idle=0, waiting=5)")
        .not("HikariPool-1 - Connection is not available, request timed out after 30001ms (total=10, active=10, idle=0, waiting=5)"),
    stop("hikari-wait", "Connection is not available, request timed out after {word}", "session/pool-wait").weak()
        .may("a server that cannot be reached")
        .eg("java.sql.SQLTransientConnectionException: HikariPool-1 - Connection is not available, request timed out after 30000ms.")
        .not("Connection is available"),
    hides("hikari-init", "Exception during pool initialization", "Look for the last line that begins with \"Caused by:\".")
        .eg("HikariPool-1 - Exception during pool initialization.")
        .not("Exception during shutdown"),
    hides("hikari-init-failed", "Failed to initialize pool:", "Read what stands behind the colon, and the last line that begins with \"Caused by:\".")
        .eg("com.zaxxer.hikari.pool.HikariPool$PoolInitializationException: Failed to initialize pool: The connection attempt failed.")
        .not("Failed to initialize the file"),
    follows_or("hikari-broken", "Failed to validate connection", "session/idle-cut")
        .eg("HikariPool-1 - Failed to validate connection org.postgresql.jdbc.PgConnection@5d (This connection has been closed.). Possibly consider using a shorter maxLifetime value.")
        .not("Failed to validate the form"),
    driver("hikari-driver", "Failed to load driver class {driver} in either of HikariConfig class loader")
        .eg("Failed to load driver class org.postgresql.Driver in either of HikariConfig class loader or Thread context classloader")
        .not("Failed to load class"),
    driver("hikari-driver-url", "Failed to get driver instance for jdbcUrl={driver}")
        .eg("java.lang.RuntimeException: Failed to get driver instance for jdbcUrl=jdbc:postgressql://quay.osmary.example/sailings")
        .not("Failed to get an instance"),
];

const DBCP: &[Pattern] = &[
    stop("dbcp-exhausted", "Cannot get a connection, pool error Timeout waiting for idle object", "session/pool-empty")
        .eg("java.sql.SQLException: Cannot get a connection, pool error Timeout waiting for idle object")
        .not("Cannot get a connection, general error"),
    hides("dbcp-factory", "Cannot create PoolableConnectionFactory", "Read what stands in the parentheses behind it, and the last line that begins with \"Caused by:\".")
        .eg("java.sql.SQLException: Cannot create PoolableConnectionFactory (The connection attempt failed.)")
        .not("Cannot create file"),
    driver("dbcp-driver", "Cannot load JDBC driver class '{driver}'")
        .eg("java.sql.SQLException: Cannot load JDBC driver class 'org.postgresql.Driver'")
        .not("Cannot load class"),
    driver("dbcp-url", "Cannot create JDBC driver of class '{any}' for connect URL '{driver}'")
        .eg("java.sql.SQLException: Cannot create JDBC driver of class '' for connect URL 'jdbc:postgressql://quay.osmary.example/sailings'")
        .not("Cannot create JDBC driver"),
    stop("dbcp-url-null", "Cannot create JDBC driver of class '{any}' for connect URL 'null'", "settings/value-missing")
        .eg("java.sql.SQLException: Cannot create JDBC driver of class '' for connect URL 'null'")
        .not("Cannot create JDBC driver of class '' for connect URL 'jdbc:x'"),
];

const C3P0: &[Pattern] = &[
    stop("c3p0-checkout", "An attempt by a client to checkout a Connection has timed out.", "session/pool-wait")
        .may("a server that cannot be reached")
        .eg("java.sql.SQLException: An attempt by a client to checkout a Connection has timed out.")
        .not("An attempt by a client to checkout a file"),
    hides("c3p0-acquire", "Connections could not be acquired from the underlying database!", "Look in the log for the first \"Exception on close\" or \"acquisition attempt\" before it: c3p0 logs the real error once per attempt.")
        .eg("java.sql.SQLException: Connections could not be acquired from the underlying database!")
        .not("Connections could be acquired"),
];

const TOMCAT: &[Pattern] = &[
    stop("tomcat-exhausted", "Timeout: Pool empty. Unable to fetch a connection in {number} seconds, none available", "session/pool-empty")
        .eg("org.apache.tomcat.jdbc.pool.PoolExhaustedException: [main] Timeout: Pool empty. Unable to fetch a connection in 30 seconds, none available[size:100; busy:100; idle:0; lastwait:30000].")
        .not("Timeout: Pool created"),
    hides("tomcat-init", "Unable to create initial connections of pool.", "Look for the exception under it in the same log.")
        .eg("SEVERE [main] org.apache.tomcat.jdbc.pool.ConnectionPool.init Unable to create initial connections of pool.")
        .not("Unable to create files"),
];

//! What .NET and its drivers say.

use crate::pattern::{
    Component, Kind, Pattern, Source, code, component, follows_or, hides, stop, unrelated,
};

pub(super) const ALL: &[Component] = &[
    component(
        "npgsql",
        "Npgsql",
        Kind::Driver,
        Some("postgresql"),
        "C#, F#",
        Source::Documented,
        NPGSQL,
    ),
    component(
        "sqlclient",
        "SqlClient",
        Kind::Driver,
        Some("tds"),
        "C#, F#",
        Source::Documented,
        SQLCLIENT,
    ),
    component(
        "mysql-connector-net",
        "MySqlConnector and Connector/NET",
        Kind::Driver,
        Some("mysql"),
        "C#, F#",
        Source::Documented,
        MYSQL_NET,
    ),
    component(
        "dotnet",
        ".NET's sockets, TLS and Entity Framework",
        Kind::System,
        None,
        "C#, F#",
        Source::Documented,
        DOTNET,
    ),
];

const NPGSQL: &[Pattern] = &[
    hides("npgsql-failed", "Failed to connect to {place}", "Look at the inner exception: log exception.ToString(), not its Message alone.")
        .eg("Npgsql.NpgsqlException (0x80004005): Failed to connect to 192.0.2.10:5432")
        .not("Failed to connect to the bus"),
    stop("npgsql-pool", "The connection pool has been exhausted, either raise 'Max Pool Size' (currently {number}) or 'Timeout'", "session/pool-empty")
        .eg("The connection pool has been exhausted, either raise 'Max Pool Size' (currently 100) or 'Timeout' (currently 15 seconds) in your connection string.")
        .not("The connection pool has been created"),
    code("npgsql-code", "Npgsql.PostgresException (0x80004005): {sqlstate}:")
        .eg("Npgsql.PostgresException (0x80004005): 28P01: Passwort-Authentifizierung für Benutzer »purser« fehlgeschlagen")
        .not("Npgsql.PostgresException (0x80004005): none:"),
    code("npgsql-code-short", "PostgresException: {sqlstate}:")
        .eg("Npgsql.PostgresException: 3D000: database \"sailings\" does not exist")
        .not("PostgresException: none"),
    stop("npgsql-no-password", "No password has been provided but the backend requires one", "login/password-asked")
        .eg("No password has been provided but the backend requires one (in SASL/SCRAM-SHA-256)")
        .not("A password has been provided"),
    stop("npgsql-no-tls", "SSL connection requested. No SSL enabled connection from this host is configured.", "tls/not-offered")
        .eg("SSL connection requested. No SSL enabled connection from this host is configured.")
        .not("SSL connection requested."),
    hides(
        "npgsql-timeout",
        "The operation has timed out",
        "Look at the inner exception: log exception.ToString(), not its Message alone. The time ran out at the port or at the server; a diagnosis tells which.",
    )
    .weak()
    .eg("Npgsql.NpgsqlException (0x80004005): The operation has timed out")
    .not("The operation has ended"),
    follows_or("npgsql-stream", "Exception while reading from stream", "session/closed")
        .may("a server that accepts and closes, if it stands at the beginning")
        .eg("Npgsql.NpgsqlException (0x80004005): Exception while reading from stream")
        .not("Exception while reading from file"),
    stop("npgsql-keyword", "Couldn't set {word} (Parameter", "settings/parameter-unknown")
        .eg("System.ArgumentException: Couldn't set sslmod (Parameter 'sslmod')")
        .not("Couldn't set the clock"),
];

const SQLCLIENT: &[Pattern] = &[
    stop("sqlclient-refused", "(provider: TCP Provider, error: 0 - No connection could be made because the target machine actively refused it.)", "port/refused")
        .eg("A network-related or instance-specific error occurred while establishing a connection. (provider: TCP Provider, error: 0 - No connection could be made because the target machine actively refused it.)")
        .not("(provider: TCP Provider, error: 0 - No such host is known.)"),
    hides("sqlclient-refused-linux", "(provider: TCP Provider, error: 40 - Could not open a connection to SQL Server: Could not open a connection to SQL Server)", "The provider does not say why. Diagnose the address: a refused port, a silent one and a name that is not found are told apart there.")
        .eg("(provider: TCP Provider, error: 40 - Could not open a connection to SQL Server: Could not open a connection to SQL Server)")
        .not("(provider: TCP Provider, error: 40)"),
    stop("sqlclient-name", "(provider: TCP Provider, error: 0 - No such host is known.)", "name/not-found")
        .eg("(provider: TCP Provider, error: 0 - No such host is known.)")
        .not("(provider: TCP Provider, error: 0 - A connection attempt failed"),
    stop("sqlclient-silent", "(provider: TCP Provider, error: 0 - A connection attempt failed because the connected party did not properly respond", "port/silent")
        .eg("(provider: TCP Provider, error: 0 - A connection attempt failed because the connected party did not properly respond after a period of time)")
        .not("(provider: TCP Provider, error: 0 - No such host is known.)"),
    stop("sqlclient-silent-wait", "(provider: TCP Provider, error: 0 - The wait operation timed out.)", "port/silent")
        .eg("(provider: TCP Provider, error: 0 - The wait operation timed out.)")
        .not("The wait operation was begun"),
    stop("sqlclient-instance", "error: 26 - Error Locating Server/Instance Specified", "listener/service-unknown")
        .may("UDP port 1434 of that server, that cannot be reached")
        .eg("(provider: SQL Network Interfaces, error: 26 - Error Locating Server/Instance Specified)")
        .not("error: 26 - none"),
    hides("sqlclient-pipes", "(provider: Named Pipes Provider, error: 40 - Could not open a connection", "The provider does not say why. Diagnose the address: a refused port, a silent one and a name that is not found are told apart there.")
        .eg("(provider: Named Pipes Provider, error: 40 - Could not open a connection to SQL Server)")
        .not("(provider: Named Pipes Provider, error: 41)"),
    stop("sqlclient-pool", "The timeout period elapsed prior to obtaining a connection from the pool.", "session/pool-empty")
        .eg("Timeout expired.  The timeout period elapsed prior to obtaining a connection from the pool.  This may have occurred because all pooled connections were in use and max pool size was reached.")
        .not("The timeout period elapsed prior to completion of the operation"),
    stop("sqlclient-handshake", "The timeout period elapsed while attempting to consume the pre-login handshake acknowledgement.", "listener/mute")
        .eg("Connection Timeout Expired.  The timeout period elapsed while attempting to consume the pre-login handshake acknowledgement.")
        .not("The timeout period elapsed"),
    unrelated("sqlclient-query", "The timeout period elapsed prior to completion of the operation or the server is not responding.")
        .eg("Execution Timeout Expired.  The timeout period elapsed prior to completion of the operation or the server is not responding.")
        .not("The timeout period elapsed prior to obtaining a connection"),
    stop("sqlclient-untrusted", "provider: SSL Provider, error: 0 - The certificate chain was issued by an authority that is not trusted.", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("A connection was successfully established with the server, but then an error occurred during the login process. (provider: SSL Provider, error: 0 - The certificate chain was issued by an authority that is not trusted.)")
        .not("provider: SSL Provider, error: 0 - none"),
];

const MYSQL_NET: &[Pattern] = &[
    hides("mysql-net-hosts", "Unable to connect to any of the specified MySQL hosts", "Look at the inner exception: log exception.ToString(), not its Message alone.")
        .eg("MySql.Data.MySqlClient.MySqlException (0x80004005): Unable to connect to any of the specified MySQL hosts.")
        .not("Able to connect to any of the hosts"),
    stop("mysql-net-pool", "Connect Timeout expired. All pooled connections are in use.", "session/pool-empty")
        .eg("MySqlConnector.MySqlException (0x80004005): Connect Timeout expired. All pooled connections are in use.")
        .not("Connect Timeout expired."),
    stop("mysql-net-timeout", "Connect Timeout expired.", "port/silent").weak()
        .may("a server that accepts and does not answer")
        .eg("MySqlConnector.MySqlException (0x80004005): Connect Timeout expired.")
        .not("Connect Timeout set."),
    stop("mysql-net-pool-old", "error connecting: Timeout expired. The timeout period elapsed prior to obtaining a connection from the pool.", "session/pool-empty")
        .eg("error connecting: Timeout expired.  The timeout period elapsed prior to obtaining a connection from the pool.  This may have occurred because all pooled connections were in use and max pool size was reached.")
        .not("error connecting: none"),
    stop("mysql-net-public-key", "Authentication method 'caching_sha2_password' failed. Either use a secure connection", "login/method")
        .eg("Authentication method 'caching_sha2_password' failed. Either use a secure connection, specify the server's RSA public key with ServerRSAPublicKeyFile, or set AllowPublicKeyRetrieval=True.")
        .not("Authentication method 'caching_sha2_password' is used"),
];

const DOTNET: &[Pattern] = &[
    stop("dotnet-refused", "No connection could be made because the target machine actively refused it", "port/refused").weak()
        .eg("System.Net.Sockets.SocketException (10061): No connection could be made because the target machine actively refused it. [::ffff:192.0.2.10]:5432")
        .not("A connection could be made"),
    stop("dotnet-refused-linux", "System.Net.Sockets.SocketException (111): Connection refused", "port/refused").weak()
        .eg("System.Net.Sockets.SocketException (111): Connection refused")
        .not("System.Net.Sockets.SocketException (110): Connection timed out"),
    stop("dotnet-silent", "A connection attempt failed because the connected party did not properly respond after a period of time", "port/silent").weak()
        .eg("System.Net.Sockets.SocketException (10060): A connection attempt failed because the connected party did not properly respond after a period of time, or established connection failed because connected host has failed to respond.")
        .not("A connection attempt was made"),
    stop("dotnet-silent-linux", "System.Net.Sockets.SocketException (110): Connection timed out", "port/silent").weak()
        .eg("System.Net.Sockets.SocketException (110): Connection timed out")
        .not("System.Net.Sockets.SocketException (111): Connection refused"),
    stop("dotnet-name", "No such host is known", "name/not-found").weak()
        .eg("System.Net.Sockets.SocketException (11001): No such host is known.")
        .not("The host is known"),
    stop("dotnet-reset", "An existing connection was forcibly closed by the remote host", "listener/closed").weak()
        .may("a session that was ended later")
        .eg("System.IO.IOException: Unable to read data from the transport connection: An existing connection was forcibly closed by the remote host.")
        .not("An existing connection was closed by this host"),
    stop("dotnet-tls-remote", "The remote certificate is invalid according to the validation procedure: {any}", "tls/certificate-refused").weak()
        .eg("System.Security.Authentication.AuthenticationException: The remote certificate is invalid according to the validation procedure: RemoteCertificateChainErrors")
        .not("The remote certificate is valid"),
    stop("dotnet-tls-name", "RemoteCertificateNameMismatch", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("The remote certificate is invalid according to the validation procedure: RemoteCertificateNameMismatch")
        .not("RemoteCertificateNameMismatches"),
    stop("dotnet-tls-untrusted", "because of errors in the certificate chain: UntrustedRoot", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unknown")])
        .eg("The remote certificate is invalid because of errors in the certificate chain: UntrustedRoot")
        .not("because of errors in the certificate chain: NotTimeValid"),
    stop("dotnet-tls-partial", "because of errors in the certificate chain: PartialChain", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("The remote certificate is invalid because of errors in the certificate chain: PartialChain")
        .not("because of errors in the certificate chain: UntrustedRoot"),
    stop("dotnet-tls-time", "because of errors in the certificate chain: NotTimeValid", "tls/certificate-refused")
        .sig(&[("certificate-defect", "expired")])
        .may("a certificate that is not valid yet")
        .eg("The remote certificate is invalid because of errors in the certificate chain: NotTimeValid")
        .not("because of errors in the certificate chain: UntrustedRoot"),
    hides("ef-transient", "An exception has been raised that is likely due to a transient failure.", "Look at the inner exception: log exception.ToString(), not its Message alone.")
        .eg("System.InvalidOperationException: An exception has been raised that is likely due to a transient failure.")
        .not("An exception has been raised"),
    stop("dotnet-connection-string", "The ConnectionString property has not been initialized.", "settings/value-missing")
        .eg("System.InvalidOperationException: The ConnectionString property has not been initialized.")
        .not("The ConnectionString property has been initialized."),
    stop("dotnet-keyword", "Keyword not supported: '{any}'", "settings/parameter-unknown")
        .eg("System.ArgumentException: Keyword not supported: 'host'.")
        .not("Keyword supported: 'host'"),
    stop("dotnet-format", "Format of the initialization string does not conform to specification starting at index {number}", "settings/unreadable")
        .eg("System.ArgumentException: Format of the initialization string does not conform to specification starting at index 0.")
        .not("Format of the file does not conform"),
    unrelated("ef-pending", "has pending changes. Add a new migration before updating the database.")
        .eg("The model for context 'FerryContext' has pending changes. Add a new migration before updating the database.")
        .not("has no changes."),
];

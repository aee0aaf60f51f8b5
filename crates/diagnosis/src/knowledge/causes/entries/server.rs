//! Causes beyond the first word: encryption, sign-in, session, and the honest rest.

use super::{DBA, DEVELOPER, NETWORK, PLATFORM, SECURITY};
use crate::knowledge::causes::Cause;

causes! { SERVER
    TlsNotOffered Tls DBA;
    "Encryption is required, but the server does not offer it.";
    "The server answers no when it is asked for encryption.";
    "The server was asked, and said no.";
    ["Enable TLS on the server. Only lower the requirement, in the settings or of the account, if the network in between is safe."];

    TlsRequired Tls DEVELOPER;
    "The server requires encryption, but these settings do not use it.";
    "The server, one of its rules, or the account accepts encrypted connections only.";
    "The same sign-in over an encrypted connection is let in.";
    ["Make the client encrypt: sslmode=require or higher, ssl-mode=REQUIRED."];

    CertificateExpired Tls SECURITY;
    "The server's certificate has expired.";
    "The client aborts the TLS handshake.";
    "The certificate's last day is past, and this machine's clock is plausible.";
    ["Renew the certificate on the server, and have the server load it."];

    CertificateNotYetValid Tls SECURITY;
    "The server's certificate is not valid yet.";
    "The client aborts the TLS handshake.";
    "The certificate's first day is in the future, and this machine's clock is plausible.";
    ["Wait for that day, or issue the certificate again."];

    ClockWrong Tls PLATFORM;
    "This machine's clock is wrong.";
    "Certificates look expired or not yet valid.";
    "The clock shows an impossible time, or every certificate of the chain is out of its period at once.";
    ["Set the clock, and keep it in sync with a time service."];

    CertificateNameMismatch Tls DEVELOPER;
    "The certificate is not issued for the host name in the settings.";
    "The client aborts the TLS handshake.";
    "The names in the certificate are shown next to the host in the settings.";
    ["Use one of the names in the certificate as the host, or have the certificate issued for this name too."];

    CertificateIssuerUnknown Tls SECURITY;
    "The client does not trust the CA that issued the server's certificate.";
    "The client aborts the TLS handshake.";
    "The chain is complete, and its root is not among the trusted CA certificates.";
    ["Give the client the CA certificate, or have the server's certificate issued by a trusted CA."];

    CertificateSelfSigned Tls SECURITY;
    "The server's certificate is self-signed, and this client does not trust it.";
    "The client aborts the TLS handshake.";
    "A single certificate that is its own issuer and is not among the trusted ones.";
    ["Give the client this certificate to trust, or have one issued by a CA."];

    CertificateChainIncomplete Tls SECURITY;
    "The server does not send the intermediate certificate.";
    "Clients that happen to have it get in, others do not.";
    "The issuer is not a trusted CA, but another CA of the same organisation is.";
    ["Add the intermediate certificates to the server's certificate file, after its own."];

    TlsVersionGap Tls DBA;
    "Server and client have no TLS version or cipher in common.";
    "The handshake ends at once.";
    "An old-style hello, which offers what old servers accept, is answered.";
    ["Enable TLS 1.2 or newer on the server."];

    ClientCertificateMissing Tls DEVELOPER;
    "The server requires a client certificate, but these settings have none.";
    "The handshake or the sign-in fails.";
    "The server asked for one during the handshake.";
    ["Put the client's certificate and key into the settings."];

    ClientCertificateRefused Tls DEVELOPER;
    "The server does not accept the client's certificate.";
    "The handshake fails after the client sent its certificate.";
    "The server's alert is about the certificate.";
    ["Use a certificate that was issued by a CA the server trusts and that is within its validity period."];

    PasswordMissing Login DEVELOPER;
    "The server asks for a password, but these settings have none.";
    "The sign-in stops before any password is sent.";
    "The server asks, and nothing was given.";
    ["Give the password: CHRONAXIS_PASSWORD, --password-file, or the client's own password file."];

    PasswordWrong Login DEVELOPER;
    "The user exists, and this is not its password.";
    "The same message as for an unknown user or an expired password.";
    "An administrator's view of the server (--admin): the account is in order and has a password.";
    ["Take the password from where it was set, or have the administrator set a new one."];

    PasswordNotSet Login DBA;
    "The account has no password that this sign-in could use.";
    "Rejected like a wrong password, whatever is given.";
    "An administrator's view of the server (--admin): no password is set, or one of a kind that the server's rule does not take.";
    ["Set a password for the account."];

    CredentialsRejected Login DEVELOPER;
    "The server rejects this user and password, and does not say which is wrong.";
    "The same message for a wrong password, an unknown user, a user without a password, or an expired one.";
    "Only the server's log, or an administrator (--admin), can tell these apart.";
    ["Compare the password with the place where it was set.", "Ask the administrator what the server's log says at the time given below."];

    UserUnknown Login DBA;
    "The user does not exist on this server.";
    "Refused, although the server asked for no password.";
    "The server says so; with password sign-in it would hide it.";
    ["Create the user, or correct its name."];

    PasswordHasStrayWhitespace Login DEVELOPER;
    "The password was refused, and it begins or ends with a space, a quote or a comment.";
    "Rejected, although it looks right.";
    "The given password shows the mistake.";
    ["Remove the space, quote or comment at the beginning or end of the password."];

    TokenExpired Login DEVELOPER;
    "The password is a token, and its own dates say that it does not count now.";
    "Rejected like a wrong password; the same program worked when the token was new.";
    "The token itself names the dates between which it counts.";
    ["Get a new token where the program gets them, and see that it fetches one for every new connection."];

    ClientHostNotPermitted Login DBA;
    "The server has no rule that lets this user in from this address to this database.";
    "Refused before any password is asked for.";
    "The server's host rules refused it, not its passwords.";
    ["Add a host rule (for PostgreSQL: pg_hba.conf) for this address, user and database, and reload."];

    LoginMethodUnsupported Login DEVELOPER;
    "Server and client have no sign-in method in common.";
    "The server asks for a method that this client does not have.";
    "The name or number of the method.";
    ["Use a client that has the method, or set another one for this account."];

    LoginNotAllowedForRole Login DBA;
    "The account exists but is not allowed to sign in.";
    "Refused although the password was right, or where none is asked for.";
    "The password was accepted, so the account exists.";
    ["Give the account the right to sign in, or use another one."];

    LoginNeedsRole Login DEVELOPER;
    "This account signs in only with a special role, and these settings name none.";
    "Refused after the password was accepted, or before it is asked for.";
    "The server says so; the same account with its role is let in.";
    ["Name the role in the settings (role=NAME), or use an account that needs none."];

    PlaintextRefused Login DEVELOPER;
    "The server asks for the password in clear text, and this client does not send it that way.";
    "The sign-in stops before the password is sent.";
    "The method would reveal the password, and the client was not told to allow that.";
    ["Encrypt the connection, or allow the method in the settings if the network is safe."];

    AccountLocked Login DBA;
    "The account is locked.";
    "The sign-in fails although the password is right.";
    "The server says so.";
    ["Unlock the account, and find out who locked it."];

    PasswordExpired Login DBA;
    "The password has expired and must be changed.";
    "The sign-in is refused, or every command in the session is.";
    "The server says so.";
    ["Change the password of the account, and then in the settings."];

    AccountLimitReached Login DBA may_pass;
    "This account or database has reached its own connection limit.";
    "Refused after the password was accepted, because of the limit of the account or database.";
    "The server itself has room: other accounts get in.";
    ["Close idle connections of this account, or raise its limit."];

    AccountDefinedElsewhere Login DBA;
    "The server does not check this account's password itself: it is defined somewhere else.";
    "Rejected like a wrong password, though the one on the server was never looked at.";
    "The server's own words, or an administrator's view of it (--admin), name a directory or another method.";
    ["Check this user and password where the account is defined, or give the account a password of the server's own."];

    DatabaseMissing Session DBA may_pass;
    "The database does not exist on this server.";
    "The sign-in succeeds, then the database is unknown.";
    "The server says so.";
    ["Create the database, or correct its name or the server."];

    DatabaseNotPermitted Session DBA;
    "This user may not connect to this database.";
    "The sign-in succeeds, then access to the database is refused.";
    "The server says so.";
    ["Grant this user the right to connect to it."];

    DatabaseTakesNoConnections Session DBA may_pass;
    "The database is set to accept no connections.";
    "The sign-in succeeds, then the database refuses everybody.";
    "The server says so.";
    ["Allow connections to it again, or use another database."];

    SchemaMissing Session DBA may_pass;
    "The schema that the settings name does not exist in this database.";
    "The session opens, and then no table is found.";
    "The session lists the schemas of the database; this one is not among them.";
    ["Create the schema, or correct its name or the database in the settings."];

    PrivilegesMissing Session DBA;
    "The schema exists, but this user may not use anything in it.";
    "The session opens, and then everything is refused or not found.";
    "The server says for each schema what this user may do.";
    ["Grant the user the right to use the schema (GRANT USAGE ON SCHEMA …), and what is needed of its tables."];

    WrongInstance Session DEVELOPER;
    "A different server instance answered than the one that was meant.";
    "The session opens, but not on the kind of server that the settings ask for: a writable server where a standby was wanted.";
    "The instance itself reports its role, address and identifier.";
    ["Use the host of the instance that is meant, or change what the settings ask of the session."];

    ReadOnlyInstance Session DEVELOPER may_pass;
    "A read-only replica answered, but the settings ask for a writable server.";
    "The session opens on a server in recovery.";
    "The server says that it is in recovery.";
    ["Point the settings to the primary."];

    IdleCut Session NETWORK;
    "Something between client and server ends sessions that are idle.";
    "It works at first, and fails after a pause; the first query after it hangs or finds the connection closed.";
    "A session that was kept idle (--hold) died, and nothing of the server's own explains it.";
    ["Send keep-alives more often than that, or have the client's pool replace idle connections earlier.", "Ask for a longer idle time-out on the firewall, NAT gateway or balancer in between."];

    IdleCutByServer Session DBA;
    "The server ends sessions that are idle.";
    "It works at first, and fails after a pause; the next query finds the connection closed.";
    "The server says so when it ends the session, or its settings have that limit.";
    ["Have the client's pool replace idle connections earlier than that.", "If that is too early: raise the server's limit (PostgreSQL: idle_session_timeout; MySQL and MariaDB: wait_timeout; PgBouncer: client_idle_timeout)."];

    ClientPoolExhausted Session DEVELOPER may_pass;
    "All connections of the program's own pool are in use; the database is not the problem.";
    "The program waits for a connection and gives up, while others still work.";
    "The message is the pool's own, and no error of the connection stands before it.";
    ["Find what keeps connections: sessions that are never given back, long transactions. Raise the pool's limit only if the server has room for it."];

    SomethingElse Settings None may_pass;
    "A cause that this program does not know.";
    "Anything.";
    "What is left when no known cause fits.";
    ["Read the evidence above, and show it to whoever runs the server."];
}

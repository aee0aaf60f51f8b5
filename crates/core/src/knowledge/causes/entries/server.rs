//! Causes beyond the first word: encryption, sign-in, session, and the honest rest.

use super::{DBA, DEVELOPER, PLATFORM, SECURITY};
use crate::knowledge::causes::Cause;

causes! { SERVER
    "tls-not-offered" Tls DBA;
    "The settings demand encryption, and the server offers none.";
    "The server answers no to the question.";
    "Asked and answered.";
    ["Turn encryption on at the server; lower the demand only if the line is safe."];

    "tls-required" Tls DEVELOPER;
    "The server insists on encryption, and these settings do not use it.";
    "The server, a rule of it, or the account takes encrypted lines only.";
    "The same over an encrypted line is let in.";
    ["Have the client encrypt: sslmode=require or higher, ssl-mode=REQUIRED."];

    "certificate-expired" Tls SECURITY;
    "The server's certificate has expired.";
    "The client ends the handshake.";
    "The last day of the certificate is past, and this machine's clock is plausible.";
    ["Renew the certificate on the server, and let the server read it."];

    "certificate-not-yet-valid" Tls SECURITY;
    "The server's certificate is not valid yet.";
    "The client ends the handshake.";
    "The first day of the certificate is to come, and this machine's clock is plausible.";
    ["Wait for the day, or issue the certificate anew."];

    "clock-wrong" Tls PLATFORM;
    "This machine's clock is wrong.";
    "Certificates seem expired, or not valid yet.";
    "The clock shows a time that cannot be, or the whole chain is out of its time at once.";
    ["Set the clock, and keep it set by a time service."];

    "certificate-name-mismatch" Tls DEVELOPER;
    "The certificate is for other names than the one dialled.";
    "The client ends the handshake.";
    "The names in the certificate are shown beside the one dialled.";
    ["Dial one of the names in the certificate, or have it issued for this name too."];

    "certificate-issuer-unknown" Tls SECURITY;
    "The certificate was issued by an authority that this client does not trust.";
    "The client ends the handshake.";
    "The chain is complete, and its end is not among the trusted ones.";
    ["Give the client the certificate of the authority, or have the server's issued by a trusted one."];

    "certificate-self-signed" Tls SECURITY;
    "The server's certificate is its own issuer, and nobody vouches for it.";
    "The client ends the handshake.";
    "One certificate, with itself as issuer, not among the trusted ones.";
    ["Give the client this very certificate to trust, or have one issued by an authority."];

    "certificate-chain-incomplete" Tls SECURITY;
    "The server does not send the certificate of its issuer.";
    "Clients that happen to have it get in, others do not.";
    "The issuer is no trusted authority, and one of the same house is trusted.";
    ["Add the intermediate certificates to the server's file, behind its own."];

    "tls-version-gap" Tls DBA;
    "Server and client have no version of TLS, or no cipher, in common.";
    "The handshake ends at once.";
    "A hello of this program's own, which offers what old servers take, is answered.";
    ["Let the server offer TLS 1.2 or newer."];

    "client-certificate-missing" Tls DEVELOPER;
    "The server wants a certificate of the client, and these settings have none.";
    "The handshake, or the sign-in, ends.";
    "The server asked for one in the handshake.";
    ["Put the client's certificate and key into the settings."];

    "client-certificate-refused" Tls DEVELOPER;
    "The server does not accept the client's certificate.";
    "The handshake ends after the certificate was shown.";
    "The server's alert speaks of the certificate.";
    ["Use a certificate that an authority of the server has issued, and that is in its time."];

    "password-missing" Login DEVELOPER;
    "The server asks for a password, and these settings have none.";
    "Sign-in stops before any proof.";
    "The server asks; nothing was given.";
    ["Give the password: CHRONAXIS_PASSWORD, --password-file, or the client's own password file."];

    "credentials-rejected" Login DEVELOPER;
    "The server rejects this user and password, and does not say which is wrong.";
    "The same sentence for a wrong password, an unknown role, a role without password, an expired one.";
    "Only the server's log, or an administrator's view, tells these apart.";
    ["Compare the password with the place where it was set.", "Ask the administrator what the server's log says at the time given below."];

    "user-unknown" Login DBA;
    "The user does not exist on this server.";
    "Refused after the server took the client in without a password.";
    "The server says so; with a password method it hides it.";
    ["Create the user, or correct its name."];

    "password-has-stray-whitespace" Login DEVELOPER;
    "The password was refused, and has a blank or quote at its edge.";
    "Rejected, though it looks right.";
    "The given password shows the defect.";
    ["Remove the blank or quote at the edge of the password."];

    "client-host-not-permitted" Login DBA;
    "No rule of the server lets this user in from this address to this database.";
    "Refused before any password.";
    "The server's host rules spoke, not its passwords.";
    ["Add a host rule (for PostgreSQL: pg_hba.conf) for this address, user and database, and reload."];

    "login-method-unsupported" Login DEVELOPER;
    "Server and client have no sign-in method in common.";
    "The server names methods that this client does not have.";
    "The method's name or number.";
    ["Use a client that has the method, or set another for this account."];

    "login-not-allowed-for-role" Login DBA;
    "The account exists and may not sign in.";
    "Refused although the password was right, or where none is asked.";
    "A proven password means that the account exists.";
    ["Give the account the right to sign in, or use another."];

    "plaintext-refused" Login DEVELOPER;
    "The server wants the password in clear, and this client does not send it so.";
    "Sign-in stops before any proof.";
    "The method is one that shows the password, and the client was not told to allow that.";
    ["Encrypt the line, or allow the method in the settings if the line is safe."];

    "account-locked" Login DBA;
    "The account is locked.";
    "Sign-in fails although the password is right.";
    "The server says so.";
    ["Unlock the account, and find out who locked it."];

    "password-expired" Login DBA;
    "The password is past its date and must be changed.";
    "Sign-in is refused, or every command in the session.";
    "The server says so.";
    ["Change the password of the account, and then the settings."];

    "account-limit-reached" Login DBA;
    "This account or database has reached its own connection limit.";
    "Refused after a successful proof, by the account's or database's limit.";
    "The server itself has room: other accounts get in.";
    ["End idle connections of this account, or raise its limit."];

    "database-missing" Session DBA;
    "The database does not exist on this server.";
    "Sign-in succeeds, then the database is unknown.";
    "The server says so.";
    ["Create the database, or correct its name or the server."];

    "database-not-permitted" Session DBA;
    "This user may not connect to this database.";
    "Sign-in succeeds, then the database is refused.";
    "The server says so.";
    ["Grant this user the right to connect to it."];

    "database-takes-no-connections" Session DBA;
    "The database is switched off for connections.";
    "Sign-in succeeds, then the database takes nobody.";
    "The server says so.";
    ["Allow connections to it again, or use another database."];

    "wrong-instance" Session DEVELOPER;
    "Another instance answered than the one that was meant.";
    "The session is there, and is not what the settings ask for: a writable server where a standby was wanted.";
    "The instance itself says its role, address and identifier.";
    ["Name the host of the instance that is meant, or change what the settings demand of the session."];

    "read-only-instance" Session DEVELOPER;
    "A read-only replica answered, where a writable server was asked for.";
    "The session opens on a server in recovery.";
    "The server says that it is in recovery.";
    ["Point the settings at the primary."];

    "something-else" Settings None;
    "Something that this table does not hold.";
    "Anything.";
    "The honest rest.";
    ["Read the facts above; show them to whoever runs the server."];
}

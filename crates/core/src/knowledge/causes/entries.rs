//! The entries, in the order of the way.

use super::{Cause, Owner};
use crate::layer::Layer;

macro_rules! causes {
    ($($id:literal $layer:ident $owner:expr; $headline:literal; $looks:literal; $apart:literal; [$($fix:literal),*];)*) => {
        /// All entries, in the order of the way.
        pub const CAUSES: &[Cause] = &[$(Cause {
            id: $id,
            layer: Layer::$layer,
            owner: $owner,
            headline: $headline,
            looks: $looks,
            told_apart: $apart,
            fix: &[$($fix),*],
        },)*];
    };
}

const DEVELOPER: Option<Owner> = Some(Owner::Developer);
const DBA: Option<Owner> = Some(Owner::Dba);
const NETWORK: Option<Owner> = Some(Owner::Network);
const NAMES: Option<Owner> = Some(Owner::Names);
const PLATFORM: Option<Owner> = Some(Owner::Platform);

const SECURITY: Option<Owner> = Some(Owner::Security);

causes! {
    "settings-unreadable" Settings DEVELOPER;
    "The connection string cannot be read.";
    "The client stops before it sends anything.";
    "The text itself shows it; the mark is under the place.";
    ["Mend the string at the marked place."];

    "scheme-unknown" Settings DEVELOPER;
    "The scheme or driver name is misspelt.";
    "The program speaks of a missing driver or takes the whole string for a database name.";
    "The scheme is not one of the known ones, and one of these is near.";
    ["Write the scheme as shown."];

    "setting-missing" Settings DEVELOPER;
    "A value is left out, and the client's default for it does not fit.";
    "The client goes where nobody sent it: this machine's socket file, a database called like the user, the account of the operating system.";
    "The value that fails is one that nobody gave.";
    ["Give the missing value in the settings."];

    "placeholder-left-in" Settings DEVELOPER;
    "A placeholder was never replaced by the real value.";
    "A value reads like <password>, changeme or ${VARIABLE}.";
    "The value has a placeholder's usual words, or is an unresolved variable.";
    ["Put the real value in; if it is a variable, make sure that it is set where the program runs."];

    "stray-whitespace" Settings DEVELOPER;
    "A blank, line end, quote or invisible character is part of a value.";
    "The name is not found or the database does not exist, though both look right.";
    "The value that fails has such a character at its edge.";
    ["Remove the character at the marked place."];

    "character-not-escaped" Settings DEVELOPER;
    "A reserved character in the user or password splits the string in the wrong place.";
    "The client complains about the port or the host, or dials a piece of the password.";
    "A second @, a / or a lone % stands where the account is.";
    ["Write the character percent-encoded in a URL, or quote the value in a keyword/value string."];

    "look-alike-letter" Settings DEVELOPER;
    "A letter of another script stands where a Latin one was meant.";
    "The name is not found, the user or database does not exist, though it looks right letter by letter.";
    "The value that fails mixes scripts: one letter is Cyrillic, Greek or full-width.";
    ["Type the value anew instead of pasting it."];

    "client-library-missing" Settings DEVELOPER;
    "A library that the driver needs is not on this machine.";
    "The program says that it cannot load or find a driver.";
    "The settings name the driver, and its file is not there.";
    ["Install the driver's package, or correct the path in the list of drivers."];

    "backslash-eaten" Settings DEVELOPER;
    "A backslash in double quotes changed the value.";
    "Sign-in is refused, or a path is not found, though the file shows the right characters.";
    "The value stands in double quotes, and an escape in it made a tab or a line end.";
    ["Double each backslash, or put the value in single quotes."];

    "loopback-means-elsewhere" Settings DEVELOPER;
    "Loopback means the container itself, not the machine or the database beside it.";
    "Refused at once, or another server answers.";
    "The settings are used inside a container, and say localhost.";
    ["Name the database's service and its port inside, or the machine's own address."];

    "container-name-outside" Settings DEVELOPER;
    "A name or port of a container network is used outside it.";
    "The name does not exist, or the port is refused, while it works between the containers.";
    "A compose file has a service of that name; outside only its published port counts.";
    ["Outside, use localhost and the published port; inside, the service's name and its own port."];

    "sources-disagree" Settings DEVELOPER;
    "Two places describe the same connection differently, and this is the one that fails.";
    "It works for who reads the other place.";
    "A value on which the failure turns is another one in a file beside this.";
    ["Compare the two places, and put one value in both."];

    "setting-inactive" Settings DEVELOPER;
    "The right value is there and does not count: commented out, or under a name that nothing reads.";
    "The old value is used, or none, though somebody has already put the new one in.";
    "The file shows a line that is switched off, or a variable that nothing reads, beside the one that fails.";
    ["Make the right line the active one, under the name that the program reads."];

    "settings-not-reloaded" Settings DEVELOPER;
    "A process runs with settings that have changed since it was started.";
    "A new process works with the same file, the old one does not.";
    "The process was started before the file last changed.";
    ["Start the process anew; end the copy that still runs with the old settings."];

    "port-of-other-engine" Settings DEVELOPER;
    "The port is the usual one of another engine.";
    "Refused, silent, or answered by something that does not speak this engine's protocol.";
    "The number is another engine's usual port, and this engine's own usual port answers on the same host.";
    ["Put the port of this engine in."];

    "port-mistyped" Settings DEVELOPER;
    "The port has a digit lost, doubled or swapped.";
    "Refused or silent, though the server is up.";
    "The number is the usual one but for one slip, and the usual one answers on the same host.";
    ["Put the right port in."];

    "startup-parameter-refused" Settings DEVELOPER;
    "The server does not accept an option that these settings send at the start.";
    "Sign-in succeeds, then the server refuses an option by name.";
    "The code is about a parameter, and no other value is in question.";
    ["Remove or correct the option that the server names."];

    "bundle-incomplete" Bundle SECURITY;
    "A file with certificates that the settings need is missing.";
    "The client stops once the server offers encryption, or before.";
    "This client looks for the file by itself, and it is not there.";
    ["Put the certificates of the authorities where this client looks for them, or name the file in the settings."];

    "bundle-path-stale" Bundle DEVELOPER;
    "The settings name a file with certificates that is not there.";
    "The client stops once the server offers encryption, or before.";
    "The settings name the path.";
    ["Correct the path in the settings, or put the file there."];

    "bundle-unreadable" Bundle SECURITY;
    "A file with certificates or a key is not what it should be.";
    "The client stops once the server offers encryption, or before.";
    "The file is there, and what is needed is not in it.";
    ["Replace the file by an undamaged one in PEM form."];

    "bundle-permissions" Bundle PLATFORM;
    "The key is open to others, and this client refuses it for that.";
    "The client stops before it encrypts.";
    "The permissions of the file say it.";
    ["Give the key to its owner alone: chmod 600."];

    "name-does-not-exist" Name NAMES;
    "The host name does not exist.";
    "The name is answered at once: no such name.";
    "Name service answers, and says no.";
    ["Compare the name letter by letter with the one that works elsewhere.", "Ask whoever runs the name service to create or restore it."];

    "name-has-no-address" Name NAMES;
    "The host name exists and has no address.";
    "The name is known, with no address of a family that this machine uses.";
    "The resolver distinguishes it from an unknown name.";
    ["Ask for an address record for this name."];

    "name-service-failing" Name NAMES;
    "Name service answers with a failure.";
    "A failure instead of an answer, for names that exist as well.";
    "It fails quickly; silence would take seconds.";
    ["Ask whoever runs the resolver; meanwhile test by address."];

    "name-service-silent" Name NETWORK;
    "No name service answers.";
    "Every look-up waits until it is given up.";
    "Nothing comes back for seconds.";
    ["Check that this machine reaches its resolver (port 53)."];

    "no-route" Route NETWORK;
    "There is no way from here to that network.";
    "The attempt fails at once, or a router says that it knows no way.";
    "The error comes from this machine itself, or from a router about the network.";
    ["Bring up the private link or VPN, or add the route."];

    "firewall-drops" Port NETWORK;
    "A filter on the way drops packets to this port.";
    "Nothing comes back, whatever one waits.";
    "Something shows the host to be up, or the way to be open for another port.";
    ["Allow this client's address to this port, inbound at the server's side."];

    "firewall-rejects" Port NETWORK;
    "A device on the way refuses this port.";
    "An active refusal at once that the host itself did not send.";
    "An ICMP message with another sender than the host; a forged reset looks like the host's own.";
    ["Allow this client's address to this port on the device that refuses."];

    "host-filter-rejects" Port PLATFORM;
    "The host's own filter refuses this port.";
    "An ICMP message about the port, from the host itself.";
    "A host without a filter answers a closed TCP port by a reset, never by ICMP.";
    ["Open the port in the filter of the database host."];

    "host-down" Port PLATFORM;
    "No host answers at that address.";
    "A router says that the host cannot be reached, or nothing of it answers at all.";
    "The last router asked for the host and got no answer.";
    ["Start the host, or find out which address it has now."];

    "some-addresses-dead" Port PLATFORM;
    "One address of the name is dead, and this client takes it first.";
    "It hangs or fails on some attempts, while another address of the same name works.";
    "Another address of the same name connects.";
    ["Take the dead address out of the name, or bring it back."];

    "link-lossy" Port NETWORK;
    "Packets are lost on the way.";
    "It works on some attempts and is slow or silent on others; a connection takes one second or three.";
    "The system had to send packets again, or answers came after whole seconds.";
    ["Have the way looked at: a damaged link, an overloaded device, two routes of which one is bad."];

    "socket-file-missing" Port DBA;
    "The socket file is not there.";
    "The client looks for a file that does not exist.";
    "The system says: no such file.";
    ["Start the server on this machine, or name the folder where its socket file lies.", "If the database is on another machine, give its host."];

    "socket-not-permitted" Port DBA;
    "The socket file is there and closed to this user.";
    "The system refuses this account the file or its folder.";
    "The system says: permission denied.";
    ["Open the folder and the socket file to this account, or use another account."];

    "client-resource-exhausted" Port PLATFORM;
    "This machine has no ports, files or permission left to connect.";
    "The attempt fails at once, on this side.";
    "The system's error is about this machine, not about the far end.";
    ["Find what holds the ports or files of this machine, or raise the limit."];

    "nothing-listening" Listener DBA;
    "Nothing listens on that port.";
    "Refused at once, by the host itself.";
    "On this machine it is certain; from afar a filter's reset looks the same.";
    ["Start the server, or correct the port.", "If it runs, make it listen on this address (for PostgreSQL: listen_addresses and port)."];

    "wrong-service-on-port" Listener DEVELOPER;
    "Something other than this engine answers there.";
    "The first bytes are not of this engine's protocol.";
    "What answers is shown.";
    ["Correct the port or the host in the settings."];

    "server-hung" Listener DBA;
    "The server is there and takes nobody in: it hangs.";
    "The kernel holds the connection, the server does not pick it up.";
    "On this machine silence has hardly another cause.";
    ["Look at the server process: is it stopped, out of memory, waiting for a disk?"];

    "listener-mute" Listener DBA;
    "Something takes the connection and says nothing.";
    "Connected, and no answer to the first request.";
    "From here a hung server, a forwarder and another service look alike.";
    ["Look at the server's process and log at the time given below."];

    "server-slow-to-greet" Listener DBA;
    "The server answers, after longer than a client would wait.";
    "Connected, and the first answer takes seconds.";
    "It does come.";
    ["Look for load, or for a reverse look-up that waits."];

    "closes-on-accept" Listener NETWORK;
    "Something takes the connection and closes it before a word.";
    "Connected, and closed at once.";
    "A filter, a forwarder without a backend, a server that refuses this address.";
    ["Find out what stands in front of the server: a forwarder, a balancer, a published container port; is its backend up?"];

    "client-blocked-by-server" Listener DBA;
    "The server refuses this client's address for all users.";
    "It closes or refuses before any sign-in.";
    "Other addresses are let in.";
    ["Lift the block for this address on the server."];

    "server-starting" Listener DBA;
    "The server is starting or recovering, and takes nobody yet.";
    "It says so itself.";
    "It passes, or the log says for what it waits.";
    ["Wait; if it lasts, read in the server's log what it recovers from."];

    "server-stopping" Listener DBA;
    "The server is shutting down.";
    "It says so itself.";
    "Soon nothing will listen there.";
    ["Ask who stops it, and start it again."];

    "server-full" Listener DBA;
    "All of the server's connection slots are taken.";
    "It says so itself.";
    "The code is about the server's limit, not an account's.";
    ["Find who holds the connections; end idle ones, use a pool, or raise the limit."];

    "pooler-backend-down" Listener DBA;
    "A pooler answers, and the server behind it does not.";
    "Sign-in is taken, then nothing comes.";
    "Silence after the proof.";
    ["Look at the pooler's log and at the server behind it."];

    "pooler-full" Listener DBA;
    "A pooler answers, and all its connections to the server are taken.";
    "Signed in, and then no answer to the first query; or the pooler says that it takes no more.";
    "The pooler's own list of clients shows who waits and who holds; later it works again.";
    ["Enlarge the pool, or find who holds its connections."];

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

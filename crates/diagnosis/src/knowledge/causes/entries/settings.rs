//! Causes that the settings and their files show.

use super::{DEVELOPER, PLATFORM, SECURITY};
use crate::knowledge::causes::Cause;

causes! { SETTINGS
    SettingsUnreadable Settings DEVELOPER;
    "The connection string cannot be read.";
    "The client stops before it sends anything.";
    "The text shows it; the mark is under the place.";
    ["Correct the string at the marked place."];

    SchemeUnknown Settings DEVELOPER;
    "The scheme or driver name is misspelled.";
    "The program complains about a missing driver, or takes the whole string for a database name.";
    "The scheme is not a known one, but is close to one.";
    ["Write the scheme as shown."];

    SettingMissing Settings DEVELOPER;
    "A value is missing, and the client's default for it does not fit.";
    "The client uses a default nobody chose: this machine's socket file, a database named like the user, the operating system account.";
    "The value that fails is one that nobody gave.";
    ["Add the missing value to the settings."];

    PlaceholderLeftIn Settings DEVELOPER;
    "A placeholder was never replaced with the real value.";
    "A value looks like <password>, changeme or ${VARIABLE}.";
    "The value has the usual words of a placeholder, or is a variable that was not filled in.";
    ["Put in the real value. If it is a variable, make sure that it is set where the program runs."];

    StrayWhitespace Settings DEVELOPER;
    "A space, line break, quote, comment or invisible character is part of a value.";
    "The host name is not found or the database does not exist, although both look right.";
    "The value that fails has such a character at its beginning or end.";
    ["Remove the character at the marked place."];

    CharacterNotEscaped Settings DEVELOPER;
    "A special character in the user or password splits the string in the wrong place.";
    "The client complains about the port or the host, or tries to connect to a piece of the password.";
    "There is a second @, a / or a single % in the user or password.";
    ["Percent-encode the character in a URL, or quote the value in a keyword/value string."];

    LookAlikeLetter Settings DEVELOPER;
    "A letter from another script is used where a Latin one was meant.";
    "The name is not found, or the user or database does not exist, although every letter looks right.";
    "The value that fails mixes scripts: one letter is Cyrillic, Greek or full-width.";
    ["Type the value again instead of pasting it."];

    ClientLibraryMissing Settings DEVELOPER;
    "The program lacks the driver that this connection needs, or a library of it.";
    "The program says that it cannot load or find a driver.";
    "The settings name the driver, and its file does not exist.";
    ["Install the driver's package, or correct the path in the list of drivers."];

    BackslashEaten Settings DEVELOPER;
    "A backslash inside double quotes changed the value.";
    "The sign-in is refused, or a path is not found, although the file shows the right characters.";
    "The value is in double quotes, and an escape in it became a tab or a line break.";
    ["Double each backslash, or put the value in single quotes."];

    LoopbackMeansElsewhere Settings DEVELOPER;
    "Inside a container, localhost is the container itself, not the machine or the database next to it.";
    "Refused at once, or another server answers.";
    "The settings are used inside a container, and say localhost.";
    ["Use the name of the database's service and its internal port, or the machine's own address."];

    ContainerNameOutside Settings DEVELOPER;
    "A name or port of a container network is used outside that network.";
    "The name does not exist, or the port is refused, while it works between the containers.";
    "A compose file has a service of that name; outside, only its published port can be reached.";
    ["Outside, use localhost and the published port; inside, the service's name and its own port."];

    SourcesDisagree Settings DEVELOPER;
    "Two places describe the same connection differently, and the one in use fails.";
    "It works for programs that read the other place.";
    "A file next to this one has another value for the setting that fails.";
    ["Compare the two places, and use one value in both."];

    SettingInactive Settings DEVELOPER;
    "The right value is there but is not used: it is commented out, or under a name that nothing reads.";
    "The old value is used, or none, although somebody has already put in the new one.";
    "The file has a commented line, or a variable that nothing reads, next to the one that fails.";
    ["Activate the right line, under the name that the program reads."];

    SettingsNotReloaded Settings DEVELOPER;
    "A process is still running with old settings.";
    "A new process works with the same file, the old one does not.";
    "The process was started before the file last changed.";
    ["Restart the process; stop any copy that still runs with the old settings."];

    PortOfOtherEngine Settings DEVELOPER;
    "The port is the usual one of a different engine.";
    "Refused, silent, or answered by something that does not speak this engine's protocol.";
    "The number is another engine's usual port, and this engine's own usual port answers on the same host.";
    ["Use the port of this engine."];

    PortMistyped Settings DEVELOPER;
    "The port is mistyped: a digit is missing, doubled or swapped.";
    "Refused or silent, although the server is up.";
    "The number is one slip away from the usual port, and the usual port answers on the same host.";
    ["Correct the port."];

    StartupParameterRefused Settings DEVELOPER;
    "The server does not accept an option that these settings send when connecting.";
    "The sign-in succeeds, then the server refuses an option by name.";
    "The error is about a parameter, and no other value is in question.";
    ["Remove or correct the option that the server names."];

    BundleIncomplete Bundle SECURITY;
    "A certificate file that the settings need is missing.";
    "The client stops before connecting, or once the server offers encryption.";
    "This client looks for the file by default, and it is not there.";
    ["Put the CA certificates where this client looks for them, or name the file in the settings."];

    BundlePathStale Bundle DEVELOPER;
    "The settings name a certificate file that does not exist.";
    "The client stops before connecting, or once the server offers encryption.";
    "The path is in the settings.";
    ["Correct the path in the settings, or put the file there."];

    BundleUnreadable Bundle SECURITY;
    "A certificate or key file does not contain what it should.";
    "The client stops before connecting, or once the server offers encryption.";
    "The file exists, but what is needed is not in it.";
    ["Replace the file with an undamaged one in PEM format."];

    BundlePermissions Bundle PLATFORM;
    "Other users can read the private key, and this client refuses it for that reason.";
    "The client stops before it encrypts.";
    "The file permissions show it.";
    ["Make the key readable by its owner only: chmod 600."];

    BundlePassphraseWrong Bundle DEVELOPER;
    "A key or keystore does not open: the passphrase is wrong or missing.";
    "The client stops before it encrypts, or asks for a passphrase that nobody types.";
    "The file itself says that it is locked, and the passphrase that was given does not open it.";
    ["Ask whoever issued the bundle for its passphrase, and look for spaces and line ends in the one that was given."];

    BundleExpired Bundle SECURITY;
    "A certificate of the bundle is past its date.";
    "The server refuses the client's certificate, or the client the server's; it worked until a certain day.";
    "The date is in the certificate.";
    ["Get a new bundle from whoever issued this one."];

    BundleKeyMismatch Bundle SECURITY;
    "The private key does not belong to the client certificate.";
    "The client stops before it encrypts, with words about a key that does not match.";
    "The public keys of both differ.";
    ["Use the key with which this certificate was requested, or have a certificate issued for this key."];

    BundleAliasUnknown Bundle DEVELOPER;
    "The bundle does not define the name of the connection, or the name leads in a circle.";
    "The client cannot find the connection by that name.";
    "The names that the bundle defines are listed.";
    ["Use one of the names that the bundle defines, or correct where the name leads."];

    BundleForOtherServer Bundle DEVELOPER;
    "The CA certificates of the bundle did not issue this server's certificate.";
    "The client refuses the server's certificate; with another bundle it works.";
    "The server's chain ends in another CA than those of the bundle.";
    ["Get the bundle that belongs to this server."];
}

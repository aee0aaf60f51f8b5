//! Causes that the settings and their files show.

use super::{DEVELOPER, PLATFORM, SECURITY};
use crate::knowledge::causes::Cause;

causes! { SETTINGS
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
}

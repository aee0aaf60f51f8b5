# Print an optspec for argparse to handle cmd's options that are independent of any subcommand.
function __fish_chronaxis_global_optspecs
    string join \n h/help V/version
end

function __fish_chronaxis_needs_command
    # Figure out if the current invocation already has a command.
    set -l cmd (commandline -opc)
    set -e cmd[1]
    argparse -s (__fish_chronaxis_global_optspecs) -- $cmd 2>/dev/null
    or return
    if set -q argv[1]
        # Also print the command, so this can be used to figure out what it is.
        echo $argv[1]
        return 1
    end
    return 0
end

function __fish_chronaxis_using_subcommand
    set -l cmd (__fish_chronaxis_needs_command)
    test -z "$cmd"
    and return 1
    contains -- $cmd[1] $argv
end

complete -c chronaxis -n "__fish_chronaxis_needs_command" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "diagnose" -d 'Tests each target layer by layer and says what is wrong'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "settings" -d 'Finds every connection described in files or folders, checks each, shows where they disagree'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "bundle" -d 'Inspects a credential bundle: what each part is, what belongs together, what is wrong'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "allowlist" -d 'Says whether a list of rules lets a client through, by which rule, and what would have to change'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "listeners" -d 'Shows what is listening on this machine: addresses, accounts and programs'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "explain" -d 'Reads an error message or a log of any client or server: what failed, at which layer, and the likely causes'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "causes" -d 'Lists the known causes: what each looks like, how to tell it apart, and who can fix it'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "lab" -d 'Simulated servers with known faults: lists the scenes, or runs them'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "demo" -d 'Runs every scene, diagnoses it, and compares the result with what is expected'
complete -c chronaxis -n "__fish_chronaxis_needs_command" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l targets -d 'A file with more targets, one per line, as on stdin' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l resolver -d 'Ask this resolver, ADDR or ADDR:PORT, instead of the system\'s' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l environment -d 'Read a target from this process\'s environment variables; NAME if they describe several' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l engine -d 'The protocol spoken there: postgresql, mysql (MariaDB too), tls; or tds, mongodb, directory, tcp, as far as the port' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l user -d 'The account, instead of the target\'s own' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l database -d 'The database, instead of the target\'s own' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l password-file -d 'Read the password from a file (one final line break is not part of it)' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l until -d 'Stop after this layer [default: session]' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l attempts -d 'Connection attempts to an address that does not answer, spread over one patience' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l patience -d 'How long to wait for one complete answer, in seconds' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l deadline -d 'Time limit for one target, in seconds' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l bundle -d 'A credential bundle (folder, archive, keystore): its CA certificates, client certificate and key are used' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l passphrase-file -d 'The passphrase of the bundle, or of keys that settings name; else CHRONAXIS_PASSPHRASE in the environment' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l ca -d 'A file (PEM, DER, PKCS #12) with the CA certificates to trust, instead of those that the client would trust' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l rules -d 'A list of rules on the way, or the server\'s own, of any kind that chronaxis allowlist reads; several are a chain' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l client-address -d 'This machine\'s address as the far side sees it, where NAT changes it' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l admin -d 'A second target on the same server, with more rights: it looks up what the server knows of the first one\'s account and database' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l reference -d 'Settings known to be right (another program\'s, an administrator\'s, a password file): shows what differs, of the password only how' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l wait -d 'Try again until it works, until waiting cannot help, or until this time is over; in seconds' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l repeat -d 'Connect N times one after another, then with some sessions open together: shows which instances answer, what fails, and the times' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l server-log -d 'Read this log of the server, of a pooler or balancer before it, or of the SSH server: what it says of this connection' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l expect -d 'The instance that is meant: an identifier, name or address that it reports' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l hold -d 'Keep one session idle, and use it after pauses of 1, 2, 4, … seconds, the longest of this length: finds out what ends idle sessions' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l output -d 'The form of the output' -r -f -a "text\t'For people'
json\t'The case, one JSON object per target'
markdown\t'For a ticket or a wiki page'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l save -d 'Save the case as JSON (replaces a file only if it holds a case)' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l password-stdin -d 'Read the password from stdin (one final line break is not part of it)'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l allow-plaintext -d 'Allow the password to be sent in clear text over an unencrypted connection, if the server asks for that'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l allow-server-key -d 'Allow the password to be sent over an unencrypted connection, protected by the server\'s public key, if the server asks for that'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l try-repairs -d 'Try at most three corrected forms of a refused password: outer spaces removed, quotes removed, percent escapes decoded'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l dry-run -d 'Print every lookup, connection, sign-in and query that would be made, and make none'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -s v -l verbose -d 'Show all facts and every contact; twice: a trace log on stderr too'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -s q -l quiet -d 'Show the verdict line only'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand diagnose" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand settings" -l as -d 'Write one connection in another form, with a variable in place of its password' -r -f -a "url\t'A URL'
keyword-value\t'Keywords with values'
jdbc\t'A URL for a JDBC driver'
data-source\t'A semicolon-separated data-source string'
fields\t'Separate fields, as the engine\'s own settings file has them'
environment\t'Variables of the environment'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand settings" -l output -d 'The form of the output' -r -f -a "text\t'For people'
json\t'One JSON object'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand settings" -l all -d 'Also look into files that are ignored (.gitignore)'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand settings" -l running -d 'Find processes that were started before a file they use was changed (Linux)'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand settings" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand settings" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand settings" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -l passphrase-file -d 'The passphrase of keys and keystores; else CHRONAXIS_PASSPHRASE in the environment' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -l for -d 'Hold the bundle against the settings of this target: a URL, FILE, FILE#NAME, …' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -l unpack -d 'Unpack the archive into this new folder, all of it or nothing' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -l output -d 'The form of the output' -r -f -a "text\t'For people'
json\t'One JSON object'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -l live -d 'With --for: connect to the server, without sending any password: did a CA certificate of the bundle issue its certificate, does it accept the client\'s'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -l dry-run -d 'With --unpack: show what would be written, and write nothing'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -s v -l verbose -d 'Show everything that stands in certificates'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand bundle" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l rules -d 'A file with rules; several are a chain, and the first that denies decides' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l client -d 'The client\'s address, as the far side sees it' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l to -d 'Where it wants to go: an address with a port, IPv6 in brackets' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l matrix -d 'Who reaches what: a CSV file with the columns client and to; exit status 1 if any is denied' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l between -d 'Two versions of a list: exactly who gains and who loses access to which ports; exit status 1 if anything changed' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l user -d 'The account, for lists that distinguish accounts' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l database -d 'The database, for lists that distinguish databases' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l encrypted -d 'Whether the connection is encrypted, for lists that distinguish it' -r -f -a "yes\t'It is'
no\t'It is not'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l resolver -d 'Look up host names that stand in the lists at this resolver, ADDR or ADDR:PORT' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l interface -d 'The interface by which it comes in, for lists that distinguish interfaces' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l client-labels -d 'The client\'s labels, where it is a workload of a cluster; its namespace\'s name as kubernetes.io/metadata.name' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l to-labels -d 'The labels of what it wants to reach' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l output -d 'The form of the output' -r -f -a "text\t'For people'
json\t'One JSON object'
csv\t'A line for each pair or difference (--matrix, --between)'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -s v -l verbose -d 'Show every rule that was passed over, and why'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand allowlist" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand listeners" -l output -d 'The form of the output' -r -f -a "text\t'For people'
json\t'One JSON object'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand listeners" -l ask -d 'Ask each one which protocol it speaks'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand listeners" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand listeners" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand listeners" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -l file -d 'Read the message, or a log of an application or a server, from this file' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -l in -d 'The project whose program says this: which of its connections is meant, and what is wrong with that one' -r
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -l output -d 'The form of the output' -r -f -a "text\t'For people'
json\t'The case, one JSON object per target'
markdown\t'For a ticket or a wiki page'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -l save -d 'Save the case as JSON (replaces a file only if it holds a case)' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -s v -l verbose -d 'Show all facts too'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -s q -l quiet -d 'Show the verdict line only'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand explain" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand causes" -l output -d 'The form of the output' -r -f -a "text\t'For people'
json\t'One JSON object'"
complete -c chronaxis -n "__fish_chronaxis_using_subcommand causes" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand causes" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand causes" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and not __fish_seen_subcommand_from list start help" -s h -l help -d 'Print help'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and not __fish_seen_subcommand_from list start help" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and not __fish_seen_subcommand_from list start help" -f -a "list" -d 'Lists the scenes: where each can be run, and what the diagnosis must be'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and not __fish_seen_subcommand_from list start help" -f -a "start" -d 'Runs the servers of scenes on free loopback ports until interrupted, and prints their targets'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and not __fish_seen_subcommand_from list start help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from list" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from list" -s h -l help -d 'Print help'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from list" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from start" -l directory -d 'Runs a directory with its instances from this file, in place of scenes' -r -F
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from start" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from start" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from help" -f -a "list" -d 'Lists the scenes: where each can be run, and what the diagnosis must be'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from help" -f -a "start" -d 'Runs the servers of scenes on free loopback ports until interrupted, and prints their targets'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand lab; and __fish_seen_subcommand_from help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand demo" -l plain -d 'No colour'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand demo" -s h -l help -d 'Print help (see more with \'--help\')'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand demo" -s V -l version -d 'Print version'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "diagnose" -d 'Tests each target layer by layer and says what is wrong'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "settings" -d 'Finds every connection described in files or folders, checks each, shows where they disagree'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "bundle" -d 'Inspects a credential bundle: what each part is, what belongs together, what is wrong'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "allowlist" -d 'Says whether a list of rules lets a client through, by which rule, and what would have to change'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "listeners" -d 'Shows what is listening on this machine: addresses, accounts and programs'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "explain" -d 'Reads an error message or a log of any client or server: what failed, at which layer, and the likely causes'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "causes" -d 'Lists the known causes: what each looks like, how to tell it apart, and who can fix it'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "lab" -d 'Simulated servers with known faults: lists the scenes, or runs them'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "demo" -d 'Runs every scene, diagnoses it, and compares the result with what is expected'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and not __fish_seen_subcommand_from diagnose settings bundle allowlist listeners explain causes lab demo help" -f -a "help" -d 'Print this message or the help of the given subcommand(s)'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and __fish_seen_subcommand_from lab" -f -a "list" -d 'Lists the scenes: where each can be run, and what the diagnosis must be'
complete -c chronaxis -n "__fish_chronaxis_using_subcommand help; and __fish_seen_subcommand_from lab" -f -a "start" -d 'Runs the servers of scenes on free loopback ports until interrupted, and prints their targets'

//! Options that people try and that are called otherwise here: the right one is named.

/// What is written instead, by what was typed.
const INSTEAD: &[(&[&str], &str)] = &[
    (
        &[
            "--host",
            "--hostname",
            "--server",
            "-H",
            "--port",
            "-p",
            "-P",
        ],
        "host and port belong to the target: chronaxis diagnose 'host=HOST port=PORT user=USER dbname=DATABASE', a URL, or HOST:PORT",
    ),
    (
        &["--dbname", "--db", "-d", "-D"],
        "the database is given with --database, or in the target",
    ),
    (
        &["--username", "-U", "-u"],
        "the user is given with --user, or in the target",
    ),
    (
        &["--password", "--pass", "-W", "-w"],
        "no option takes the password itself, for others could read it in the process list; use --password-stdin, --password-file FILE or the variable CHRONAXIS_PASSWORD",
    ),
    (&["--json", "-j", "-J"], "write --output json"),
    (&["--markdown", "--md"], "write --output markdown"),
    (
        &["--format", "-o", "-F"],
        "the form is chosen with --output text, json or markdown",
    ),
    (
        &["--verbose", "--debug"],
        "write -v for all facts, -vv for a trace log",
    ),
    (&["--quiet", "--silent"], "write -q"),
    (
        &["--timeout", "--connect-timeout", "-t", "--wait-time"],
        "waits are set with --patience SECONDS, for one answer, and --deadline SECONDS, for a target",
    ),
    (
        &["--url", "--uri", "--dsn", "--connection", "--target"],
        "the target needs no option: chronaxis diagnose TARGET",
    ),
    (
        &["--file", "-f", "--config", "-c", "--env-file"],
        "a settings file can be the target: chronaxis diagnose FILE",
    ),
    (
        &["--no-color", "--no-colour", "--color", "--colour"],
        "write --plain for no colour",
    ),
    (
        &[
            "--cafile",
            "--cacert",
            "--ssl-ca",
            "--sslrootcert",
            "--root-cert",
        ],
        "trusted certificates are given with --ca FILE",
    ),
    (
        &["--dns", "--nameserver"],
        "resolvers are given with --resolver ADDR",
    ),
    (
        &["--retries", "--tries", "--count", "-n"],
        "attempts are set with --attempts N",
    ),
    (
        &["--type", "--driver", "--protocol", "-e"],
        "the engine is given with --engine",
    ),
    (
        &["--output-file", "--out", "--write"],
        "the case is saved with --save FILE",
    ),
    (
        &["--list", "-l"],
        "chronaxis causes lists the causes, chronaxis settings PATH the connections of files",
    ),
];

/// What to write instead of an option that is not there.
pub(crate) fn instead_of(option: &str) -> Option<&'static str> {
    let name = option.split(['=', ' ']).next().unwrap_or_default();
    let known = INSTEAD.iter().find(|(names, _)| names.contains(&name));
    known.map(|(_, instead)| *instead)
}

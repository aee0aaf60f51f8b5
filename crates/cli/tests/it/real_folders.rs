//! Folders of programs, judged by the programs: the real reader of the settings and the
//! real driver say whether it connects, and so must we.

use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use serde_json::Value;

use crate::support::mariadb::Mariadb;
use crate::support::postgres::Postgres;
use crate::support::real::{self, tally};
use crate::support::{chronaxis, finish};

/// A kind of program: what its folder holds, and how it is started.
struct Stack {
    name: &'static str,
    /// Its dependency list, or the script that starts it.
    list: (&'static str, &'static str),
    /// The names of the variables: host, port, user, password, database; one is a URL.
    variables: &'static [&'static str],
    /// The scheme of its URLs.
    scheme: &'static str,
    /// What starts it, with the judge's script.
    starter: &'static [&'static str],
    mysql: bool,
}

const PARTS: &[&str] = &["DB_HOST", "DB_PORT", "DB_USER", "DB_PASSWORD", "DB_NAME"];
const LARAVEL: &[&str] = &[
    "DB_HOST",
    "DB_PORT",
    "DB_USERNAME",
    "DB_PASSWORD",
    "DB_DATABASE",
];
const URL: &[&str] = &["DATABASE_URL"];

const fn parts(
    name: &'static str,
    list: (&'static str, &'static str),
    starter: &'static [&'static str],
) -> Stack {
    Stack {
        name,
        list,
        variables: PARTS,
        scheme: "",
        starter,
        mysql: false,
    }
}

const fn url(
    name: &'static str,
    list: (&'static str, &'static str),
    scheme: &'static str,
    starter: &'static [&'static str],
) -> Stack {
    Stack {
        name,
        list,
        variables: URL,
        scheme,
        starter,
        mysql: false,
    }
}

const NODE: &[&str] = &["node", "connect.js"];
const PYTHON: &[&str] = &["py/bin/python", "connect.py"];
const PHP: &[&str] = &["php", "connect.php"];
const RUBY: &[&str] = &["/usr/bin/ruby", "connect.rb"];

const STACKS: &[Stack] = &[
    parts(
        "dotenv-pg",
        (
            "package.json",
            r#"{"dependencies": {"dotenv": "^16.4.7", "pg": "^8.13.0"}}"#,
        ),
        NODE,
    ),
    parts(
        "dotenv-expand-pg",
        (
            "package.json",
            r#"{"dependencies": {"dotenv": "^16", "dotenv-expand": "^12", "pg": "^8"}}"#,
        ),
        NODE,
    ),
    parts(
        "env-file-pg",
        (
            "package.json",
            r#"{"scripts": {"start": "node --env-file=.env index.js"}, "dependencies": {"pg": "^8"}}"#,
        ),
        &["node", "--env-file=.env", "connect.js"],
    ),
    Stack {
        mysql: true,
        ..parts(
            "dotenv-mysql2",
            (
                "package.json",
                r#"{"dependencies": {"dotenv": "^16", "mysql2": "^3"}}"#,
            ),
            NODE,
        )
    },
    parts(
        "dotenv-psycopg",
        (
            "requirements.txt",
            "python-dotenv==1.0.1\npsycopg[binary]==3.2\n",
        ),
        PYTHON,
    ),
    Stack {
        mysql: true,
        ..parts(
            "dotenv-pymysql",
            ("requirements.txt", "python-dotenv\nPyMySQL\n"),
            PYTHON,
        )
    },
    parts(
        "decouple-django",
        (
            "requirements.txt",
            "Django~=5.2\npython-decouple\npsycopg\n",
        ),
        PYTHON,
    ),
    parts(
        "environ-django",
        (
            "pyproject.toml",
            "[project]\nname = \"sailings\"\ndependencies = [\"django\", \"django-environ>=0.11\", \"psycopg\"]\n",
        ),
        PYTHON,
    ),
    Stack {
        variables: LARAVEL,
        ..parts(
            "vlucas-pgsql",
            (
                "composer.json",
                r#"{"require": {"php": "^8.2", "vlucas/phpdotenv": "^5.6"}}"#,
            ),
            PHP,
        )
    },
    Stack {
        variables: LARAVEL,
        ..parts(
            "symfony-pgsql",
            (
                "composer.json",
                r#"{"require": {"symfony/dotenv": "^6.4"}}"#,
            ),
            PHP,
        )
    },
    Stack {
        variables: LARAVEL,
        mysql: true,
        ..parts(
            "vlucas-mysql",
            (
                "composer.json",
                r#"{"require": {"laravel/framework": "^11.0"}}"#,
            ),
            PHP,
        )
    },
    parts(
        "dotenv-pg",
        (
            "Gemfile",
            "source \"https://rubygems.org\"\ngem \"dotenv\"\ngem \"pg\"\n",
        ),
        RUBY,
    ),
    parts(
        "bash-psql",
        (
            "start.sh",
            "#!/bin/bash\nset -a\nsource .env\nset +a\npsql -c 'select 1' \"host=$DB_HOST\"\n",
        ),
        &["/bin/bash"],
    ),
    parts(
        "sh-psql",
        (
            "start.sh",
            "#!/bin/sh\nset -a\n. ./.env\nset +a\nexec psql\n",
        ),
        &["/bin/dash"],
    ),
    url(
        "dotenv-url-pg",
        (
            "package.json",
            r#"{"dependencies": {"dotenv": "^16.4.7", "pg": "^8.13.0"}}"#,
        ),
        "postgres",
        NODE,
    ),
    url(
        "dotenv-url-postgresjs",
        (
            "package.json",
            r#"{"dependencies": {"dotenv": "^16.4.7", "postgres": "^3.4"}}"#,
        ),
        "postgres",
        NODE,
    ),
    Stack {
        mysql: true,
        ..url(
            "dotenv-url-mysql2",
            (
                "package.json",
                r#"{"dependencies": {"dotenv": "^16.4.7", "mysql2": "^3"}}"#,
            ),
            "mysql",
            NODE,
        )
    },
    url(
        "dotenv-url-sqlalchemy",
        (
            "requirements.txt",
            "python-dotenv\nFlask-SQLAlchemy\npsycopg[binary]\n",
        ),
        "postgresql+psycopg",
        PYTHON,
    ),
    url(
        "dotenv-url-dj",
        (
            "requirements.txt",
            "Django\ndj-database-url\npython-dotenv\npsycopg[binary]\n",
        ),
        "postgres",
        PYTHON,
    ),
    url(
        "environ-url-environ",
        (
            "requirements.txt",
            "Django\ndjango-environ\npsycopg[binary]\n",
        ),
        "postgres",
        PYTHON,
    ),
    url(
        "dotenv-url-asyncpg",
        ("requirements.txt", "python-dotenv\nasyncpg\n"),
        "postgresql",
        PYTHON,
    ),
    url(
        "vlucas-url-pgsql",
        (
            "composer.json",
            r#"{"require": {"laravel/framework": "^11.0"}}"#,
        ),
        "pgsql",
        PHP,
    ),
    url(
        "dotenv-url-rails",
        (
            "Gemfile",
            "gem \"rails\"\ngem \"dotenv-rails\"\ngem \"pg\"\n",
        ),
        "postgresql",
        RUBY,
    ),
];

/// Accounts and their passwords.
const ACCOUNTS: &[(&str, &str)] = &[
    ("purser", "tide-table-9"),
    ("hash", "ti#de9"),
    ("dollar", "ti$de9"),
    ("space", "ti de9"),
    ("comment", "ti #de9"),
    ("slash", "ti/de9"),
    ("sign", "ti@de9"),
    ("percent", "ti%de9"),
    ("question", "ti?de9"),
    ("backslash", "ti\\de9"),
    ("quote", "ti'de9"),
    ("colon", "ti:de9"),
];

/// How a password is written in a file: the account, and the text.
const WRITTEN: &[(&str, &str, &str)] = &[
    ("plain", "purser", "tide-table-9"),
    ("wrong", "purser", "tide-table-8"),
    ("quoted", "purser", "\"tide-table-9\""),
    ("space behind", "purser", "tide-table-9 "),
    ("hash", "hash", "ti#de9"),
    ("hash in single quotes", "hash", "'ti#de9'"),
    ("hash in double quotes", "hash", "\"ti#de9\""),
    ("dollar", "dollar", "ti$de9"),
    ("dollar in single quotes", "dollar", "'ti$de9'"),
    ("dollar escaped", "dollar", "\"ti\\$de9\""),
    ("space", "space", "ti de9"),
    ("space in quotes", "space", "\"ti de9\""),
    ("comment", "comment", "ti #de9"),
    ("comment in quotes", "comment", "'ti #de9'"),
    ("remark", "purser", "tide-table-9 # since May"),
    ("backslash", "backslash", "ti\\de9"),
    ("backslash doubled", "backslash", "\"ti\\\\de9\""),
    ("quote in double quotes", "quote", "\"ti'de9\""),
];

/// How a password is written in a URL.
const IN_URL: &[(&str, &str, &str)] = &[
    ("plain", "purser", "tide-table-9"),
    ("wrong", "purser", "tide-table-8"),
    ("hash", "hash", "ti#de9"),
    ("hash escaped", "hash", "ti%23de9"),
    ("slash", "slash", "ti/de9"),
    ("slash escaped", "slash", "ti%2Fde9"),
    ("sign", "sign", "ti@de9"),
    ("sign escaped", "sign", "ti%40de9"),
    ("percent", "percent", "ti%de9"),
    ("percent escaped", "percent", "ti%25de9"),
    ("question", "question", "ti?de9"),
    ("colon", "colon", "ti:de9"),
    ("dollar", "dollar", "ti$de9"),
];

pub fn write(folder: &Path, name: &str, text: &str) {
    let path = folder.join(name);
    std::fs::write(&path, text).unwrap();
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o600)).unwrap();
}

/// Whether the program gets in.
fn gets_in(stack: &Stack, judges: &Path, folder: &Path) -> bool {
    let scripts = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../scripts/judges");
    let [program, arguments @ ..] = stack.starter else {
        panic!("a program");
    };
    let program = match program.contains("py/") {
        true => judges.join(program),
        false => PathBuf::from(program),
    };
    let mut command = Command::new(&program);
    for argument in arguments {
        match argument.starts_with("connect") {
            true => command.arg(scripts.join(argument)).arg(stack.name),
            false => command.arg(argument),
        };
    }
    if arguments.is_empty() {
        // The script in the folder, with the client of this machine's server behind it.
        command.args([
            "-c",
            "set -a; . ./.env || exit 1; set +a; exec psql -qXc 'select 1' \
             \"host=$DB_HOST port=$DB_PORT dbname=$DB_NAME user=$DB_USER\"",
        ]);
        command.env("PGPASSWORD", "");
        let text = std::fs::read_to_string(folder.join(".env")).unwrap();
        // psql takes the password from the variable that the file sets.
        write(
            folder,
            "psql.sh",
            "set -a; . ./.env; set +a; export PGPASSWORD=\"$DB_PASSWORD\"\n\
             exec psql -qXc 'select 1' \
             \"host=$DB_HOST port=$DB_PORT dbname=$DB_NAME user=$DB_USER\"\n",
        );
        command = Command::new(&program);
        command.arg("psql.sh");
        assert!(!text.is_empty());
    }
    let status = command
        .current_dir(folder)
        .env_clear()
        .env("PATH", "/usr/local/bin:/usr/bin:/bin")
        .env("HOME", folder)
        .env("LANG", "C.UTF-8")
        .env("NODE_PATH", judges.join("node_modules"))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()
        .expect("the program starts");
    let _ = std::fs::remove_file(folder.join("psql.sh"));
    status.success()
}

/// What is wrong with our answer, if anything is.
pub fn differs(home: &Path, folder: &Path, gets_in: bool) -> Option<String> {
    let mut command = chronaxis(home);
    let ran = finish(command.args(["diagnose", "--output", "json"]).arg(folder));
    let cases: Result<Vec<Value>, _> = serde_json::Deserializer::from_str(&ran.stdout)
        .into_iter()
        .collect();
    let cases = match cases {
        Ok(cases) if !cases.is_empty() => cases,
        // A file that cannot be read from a line on is told, without a walk.
        _ if !gets_in && ran.stderr.contains("cannot be read") => return None,
        // That a folder describes no connection is no diagnosis of one that fails.
        _ => return Some(format!("no case: {}{}", ran.stdout, ran.stderr)),
    };
    let word = |case: &Value, key: &str| case["verdict"][key].as_str().unwrap_or("-").to_owned();
    let all_work = cases.iter().all(|case| word(case, "state") == "working");
    if all_work != gets_in {
        let said = |case: &Value| {
            let of = case["target"]["label"].as_str().unwrap_or_default();
            let of = of.rsplit('/').next().unwrap_or_default().to_owned();
            let head = word(case, "headline");
            format!(
                "{of}: {} {} ({head})",
                word(case, "state"),
                word(case, "cause")
            )
        };
        let all: Vec<String> = cases.iter().map(said).collect();
        return Some(all.join("; "));
    }
    if !gets_in {
        // What its reader cuts is the mistake, and no mere refusal.
        let cut = |case: &Value| {
            let refused = word(case, "cause") == "credentials-rejected";
            refused && case["layers"][0].to_string().contains("\"cut-short\"")
        };
        let overlooked = cases.iter().any(cut);
        return overlooked.then(|| "the value that is cut short is not the cause".to_owned());
    }
    // What works has no finding above a warning.
    let mut command = chronaxis(home);
    let ran = finish(command.args(["settings", "--output", "json"]).arg(folder));
    let survey: Value = serde_json::from_str(&ran.stdout).expect("a survey");
    let connections = survey["connections"]
        .as_array()
        .cloned()
        .unwrap_or_default();
    let findings = connections.iter().filter_map(|c| c["findings"].as_array());
    let faults: Vec<String> = findings
        .flatten()
        .filter(|f| f["weight"] != "caution")
        .map(|f| format!("{} {}", f["id"], f["text"]))
        .collect();
    (!faults.is_empty()).then(|| format!("working, and {}", faults.join("; ")))
}

/// The servers that the programs of the folders reach.
pub struct Servers {
    pub judges: PathBuf,
    pub postgres: Postgres,
    pub mariadb: Mariadb,
}

impl Servers {
    pub fn start() -> Option<Servers> {
        let judges = std::env::var_os("CHRONAXIS_JUDGES").map(PathBuf::from);
        let there = judges.is_some() && Postgres::available() && Mariadb::available();
        if !real::available("judges of settings (CHRONAXIS_JUDGES)", there) {
            return None;
        }
        let mut accounts = String::from("create database sailings;\n");
        let mut of_mariadb = String::from("create database sailings;\n");
        for (user, password) in ACCOUNTS {
            let literal = password.replace('\'', "''");
            accounts.push_str(&format!("create role {user} login password '{literal}';\n"));
            let literal = literal.replace('\\', "\\\\");
            of_mariadb.push_str(&format!(
                "create user '{user}'@'%' identified by '{literal}';\n\
                 grant all on sailings.* to '{user}'@'%';\n"
            ));
        }
        let rules = "local all harbourmaster trust\nhost all all 127.0.0.1/32 scram-sha-256\n";
        Some(Servers {
            judges: judges?,
            postgres: Postgres::start(rules, "", &accounts),
            mariadb: Mariadb::start(&[], &of_mariadb),
        })
    }
}

#[test]
fn folders_judged_by_their_programs() {
    let Some(servers) = Servers::start() else {
        return;
    };
    let Servers {
        judges,
        postgres,
        mariadb,
    } = &servers;
    let home = tempfile::tempdir().unwrap();
    let mut wrong = Vec::new();
    let (mut count, mut working) = (0, 0);
    for stack in STACKS {
        let port = match stack.mysql {
            true => mariadb.port(),
            false => postgres.port(),
        };
        let cases = match stack.variables.len() {
            1 => IN_URL,
            _ => WRITTEN,
        };
        for (case, user, written) in cases {
            let folder = tempfile::tempdir().unwrap();
            let text = match stack.variables {
                [url] => format!(
                    "{url}={}://{user}:{written}@127.0.0.1:{port}/sailings\n",
                    stack.scheme
                ),
                [host, number, account, password, database] => {
                    let engine = match (stack.mysql, *account) {
                        (true, "DB_USERNAME") => "DB_CONNECTION=mysql\n",
                        (false, "DB_USERNAME") => "DB_CONNECTION=pgsql\n",
                        _ => "",
                    };
                    format!(
                        "{engine}{host}=127.0.0.1\n{number}={port}\n{account}={user}\n\
                         {password}={written}\n{database}=sailings\n"
                    )
                }
                _ => panic!("a URL or five parts"),
            };
            write(folder.path(), ".env", &text);
            write(folder.path(), stack.list.0, stack.list.1);
            let gets_in = gets_in(stack, judges, folder.path());
            count += 1;
            working += usize::from(gets_in);
            tally("folder", stack.name);
            if let Some(ours) = differs(home.path(), folder.path(), gets_in) {
                let truth = if gets_in { "works" } else { "fails" };
                let list = stack.list.0;
                wrong.push(format!(
                    "{} ({list}), {case}: {truth}, we say {ours}",
                    stack.name
                ));
            }
        }
    }
    assert!(
        count >= 100 && working * 4 > count,
        "{working} of {count} work"
    );
    assert!(
        wrong.is_empty(),
        "{} of {count} folders are judged otherwise:\n{}",
        wrong.len(),
        wrong.join("\n")
    );
}

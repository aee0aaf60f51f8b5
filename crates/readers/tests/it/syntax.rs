//! What each format makes of a value: quotes, escapes, comments, variables. The key `host`
//! (or what the format calls it) carries the value in question.

use chronaxis_model::settings::Field;
use chronaxis_readers::{Nowhere, Project};

/// What a value turned out to be.
#[derive(Debug, PartialEq)]
enum Host {
    Is(String),
    /// It waits for these variables.
    WaitsFor(Vec<String>),
    /// No connection, or one without a host.
    Absent,
}

fn is(text: &str) -> Host {
    Host::Is(text.to_owned())
}

fn waits_for(name: &str) -> Host {
    Host::WaitsFor(vec![name.to_owned()])
}

/// Only a run would tell.
fn unknown() -> Host {
    Host::WaitsFor(Vec::new())
}

fn host(path: &str, text: &str) -> Host {
    let mut project = Project::default();
    project.add(path, text.as_bytes(), None);
    let report = project.report(&Nowhere);
    let Some(one) = report.connections.first() else {
        return Host::Absent;
    };
    if let Some(unknown) = one.unknown.iter().find(|u| u.subject == Field::HOST) {
        return Host::WaitsFor(unknown.variables.clone());
    }
    one.value("host").map_or(Host::Absent, is)
}

fn check(path: &str, around: fn(&str) -> String, cases: &[(&str, Host)]) {
    for (value, wanted) in cases {
        let text = around(value);
        assert_eq!(host(path, &text), *wanted, "{path}\n{text}");
    }
}

#[test]
fn environment_files() {
    let around = |value: &str| {
        format!("DB_ENGINE=postgresql\nPIER=north\nDB_NAME=a\nDB_USER=b\nDB_HOST={value}\nLAST=x\n")
    };
    check(
        ".env",
        around,
        &[
            ("quay", is("quay")),
            (" quay ", is("quay")),
            ("quay # inside", is("quay")),
            ("quay#1", is("quay#1")),
            ("'quay # 1'", is("quay # 1")),
            ("\"quay\"  # inside", is("quay")),
            ("`quay`", is("quay")),
            ("\"a\\\"b\"", is("a\"b")),
            ("'a\\b'", is("a\\b")),
            ("\"two\nlines\"", is("two\nlines")),
            ("${PIER}.quay", is("north.quay")),
            ("'${PIER}'", is("${PIER}")),
            ("\"${PIER}\"", is("north")),
            ("\"\\${PIER}\"", is("${PIER}")),
            ("${ELSEWHERE}", waits_for("ELSEWHERE")),
            ("${ELSEWHERE:-quay}", is("quay")),
            ("${PIER:-quay}", is("north")),
            ("${ELSEWHERE:?say it}", waits_for("ELSEWHERE")),
            ("$PIER", is("$PIER")),
            ("quay\nDB_HOST=jetty", is("jetty")),
        ],
    );
    let spaced = "export DB_ENGINE = postgresql\n  DB_NAME = a\nDB_HOST =  quay\n";
    assert_eq!(host(".env", spaced), is("quay"));
}

#[test]
fn shell_files() {
    let around = |value: &str| {
        format!("PIER=north\nexport  PGDATABASE=a PGX=b\nPGUSER=c\nPGHOST={value}\necho $PGHOST\n")
    };
    check(
        "start.sh",
        around,
        &[
            ("quay", is("quay")),
            ("quay # inside", is("quay")),
            ("quay#1", is("quay#1")),
            ("qu'ay'\".osm\"ary", is("quay.osmary")),
            ("a\\ b", is("a b")),
            ("\"a\\b\\\"c\"", is("a\\b\"c")),
            ("'$PIER'", is("$PIER")),
            ("\"$PIER.quay\"", is("north.quay")),
            ("$PIER", is("north")),
            ("${PIER}x", is("northx")),
            ("$ELSEWHERE", waits_for("ELSEWHERE")),
            ("${ELSEWHERE:-quay}", is("quay")),
            ("$(hostname)", unknown()),
            ("`hostname`", unknown()),
            ("\"$(hostname)\"", unknown()),
            ("quay; PGHOST=jetty", is("jetty")),
            ("quay PGX=1 PGHOST='jetty'", is("jetty")),
            ("quay # PGHOST=jetty", is("quay")),
            ("quay; echo PGHOST=jetty", is("quay")),
        ],
    );
}

#[test]
fn service_units() {
    let around = |value: &str| {
        format!("[Service]\nEnvironment=PGDATABASE=a PGUSER=b\nEnvironment={value}\nExecStart=/x\n")
    };
    check(
        "a.service",
        around,
        &[
            ("PGHOST=quay", is("quay")),
            ("\"PGHOST=quay and more\" X=1", is("quay and more")),
            ("'PGHOST=quay'", is("quay")),
            ("X=1 PGHOST=50%%", is("50%")),
            ("PGHOST=a\\sb", is("a b")),
            ("\"PGHOST=a\\\\b\"", is("a\\b")),
        ],
    );
}

#[test]
fn sections() {
    let around = |value: &str| {
        format!(
            "[x]\na=b\n[quay]\ndriver = postgresql\nuser = b\ndatabase = a\n{value}\n[y]\nhost=z\n"
        )
    };
    check(
        "a.ini",
        around,
        &[
            ("host=quay", is("quay")),
            ("host: quay", is("quay")),
            ("  Host =  quay  ", is("quay")),
            ("host = quay ; inside", is("quay")),
            ("host = quay # inside", is("quay")),
            ("host = quay;1", is("quay;1")),
            ("host = \"quay\"", is("\"quay\"")),
            ("host = ${ELSEWHERE}", waits_for("ELSEWHERE")),
            ("hostname = quay", is("quay")),
            ("; host = quay", Host::Absent),
        ],
    );
    let service = "[a]\nhost=quay # not a comment here\ndbname=b\n";
    assert_eq!(
        host("pg_service.conf", service),
        is("quay # not a comment here")
    );
}

#[test]
fn option_files() {
    let around =
        |value: &str| format!("[mysqld]\nhost=server\n[client]\nuser=b\n{value}\n[other]\nx=y\n");
    check(
        "my.cnf",
        around,
        &[
            ("host=quay", is("quay")),
            ("host = quay # inside", is("quay")),
            ("host='quay # 1'", is("quay # 1")),
            ("host=\"a\\sb\"", is("a b")),
            ("host=a\\\\b", is("a\\b")),
            ("host=a\\qb", is("a\\qb")),
        ],
    );
}

#[test]
fn properties() {
    let around = |value: &str| {
        format!("a.driver=org.postgresql.Driver\na.user=b\na.database=c\n{value}\nz=1\n")
    };
    check(
        "a.properties",
        around,
        &[
            ("a.host=quay", is("quay")),
            ("a.host: quay", is("quay")),
            ("a.host   quay", is("quay")),
            ("  a.host = quay", is("quay")),
            ("a.host=qu\\\n    ay", is("quay")),
            ("a.host=\\u0071uay", is("quay")),
            ("a.host=a\\:b", is("a:b")),
            ("a.host=c\\dir", is("cdir")),
            ("a.host=c\\\\dir", is("c\\dir")),
            ("a.host=quay#1", is("quay#1")),
            ("a.host=${ELSEWHERE:quay}", is("quay")),
            ("a.host=${ELSEWHERE}", waits_for("ELSEWHERE")),
            ("!a.host=quay", Host::Absent),
        ],
    );
}

#[test]
fn json() {
    let around = |value: &str| {
        format!(
            "{{\"a\": {{\"dialect\": \"postgres\", \"user\": \"b\", \"host\": {value}, \"database\": \"c\"}}}}"
        )
    };
    check(
        "a.json",
        around,
        &[
            ("\"quay\"", is("quay")),
            ("\"qu\\u0061y\"", is("quay")),
            ("\"a\\\\b\\/c\"", is("a\\b/c")),
            ("\"\\ud83d\\udea2\"", is("\u{1f6a2}")),
            ("/* inside */ \"quay\"", is("quay")),
            ("null", Host::Absent),
            ("\"${ELSEWHERE}\"", is("${ELSEWHERE}")),
            ("\"jetty\", \"host\": \"quay\"", is("quay")),
        ],
    );
}

#[test]
fn yaml() {
    let around = |value: &str| {
        format!(
            "x: &pier north\nb: &base\n  adapter: postgresql\n  user: b\na:\n  <<: *base\n  database: c\n  host: {value}\n"
        )
    };
    check(
        "a.yaml",
        around,
        &[
            ("quay", is("quay")),
            ("quay # inside", is("quay")),
            ("'quay'", is("quay")),
            ("'it''s'", is("it's")),
            ("\"qu\\x61y\"", is("quay")),
            ("\"a\\\\b\"", is("a\\b")),
            ("'a\\b'", is("a\\b")),
            ("*pier", is("north")),
            ("!!str quay", is("quay")),
            ("|-\n    quay", is("quay")),
            (">-\n    quay", is("quay")),
            ("~", Host::Absent),
            ("${ELSEWHERE}", waits_for("ELSEWHERE")),
            ("${ELSEWHERE:-quay}", is("quay")),
            ("${ELSEWHERE:quay}", is("quay")),
        ],
    );
    let flow = "a: {adapter: postgresql, host: quay, user: b, database: c}\n";
    assert_eq!(host("a.yaml", flow), is("quay"));
    let second = "x: 1\n---\na: {adapter: postgresql, host: quay, user: b, database: c}\n";
    assert_eq!(host("a.yaml", second), is("quay"));
    let merged = "b: &base {adapter: postgresql, host: jetty, user: b, database: c}\na:\n  <<: *base\n  host: quay\n";
    let mut project = Project::default();
    project.add("a.yaml", merged.as_bytes(), None);
    let report = project.report(&Nowhere);
    let hosts: Vec<_> = report.connections.iter().map(|c| c.value("host")).collect();
    assert_eq!(
        hosts,
        [Some("jetty"), Some("quay")],
        "what the mapping says itself wins"
    );
}

#[test]
fn toml() {
    let around = |value: &str| {
        format!("[x.a]\nengine = 'postgresql'\nuser = 'b'\nhost = {value}\ndatabase = 'c'\n")
    };
    check(
        "a.toml",
        around,
        &[
            ("'quay'", is("quay")),
            ("\"qu\\u0061y\"", is("quay")),
            ("'a\\b'", is("a\\b")),
            ("\"\"\"quay\"\"\"", is("quay")),
            ("'''quay'''", is("quay")),
            ("'quay' # inside", is("quay")),
        ],
    );
    let inline = "a = {engine = 'postgresql', host = 'quay', user = 'b', database = 'c'}\n";
    assert_eq!(host("a.toml", inline), is("quay"));
    let list = "[[a]]\nengine = 'postgresql'\nhost = 'quay'\nuser = 'b'\ndatabase = 'c'\n";
    assert_eq!(host("a.toml", list), is("quay"));
    let dotted = "a.engine = 'postgresql'\na.host = 'quay'\na.user = 'b'\na.database = 'c'\n";
    assert_eq!(host("a.toml", dotted), is("quay"));
}

#[test]
fn python() {
    let around = |value: &str| {
        format!(
            "import os\nPIER = 'north'\nLINK = connect(engine='postgresql', user='b', database='c', host={value})\n"
        )
    };
    check(
        "a.py",
        around,
        &[
            ("'quay'", is("quay")),
            ("\"quay\"", is("quay")),
            ("'''quay'''", is("quay")),
            ("'qu' 'ay'", is("quay")),
            ("'qu' + \"ay\"", is("quay")),
            ("('quay')", is("quay")),
            ("r'a\\tb'", is("a\\tb")),
            ("'a\\x41'", is("aA")),
            ("'a\\qb'", is("a\\qb")),
            ("PIER + '.quay'", is("north.quay")),
            ("f'{PIER}.quay'", is("north.quay")),
            ("f'{where()}.quay'", unknown()),
            ("ELSEWHERE", unknown()),
            ("where()", unknown()),
            ("'a' if x else 'b'", unknown()),
            ("os.environ['QUAY']", waits_for("QUAY")),
            ("os.environ.get('QUAY')", waits_for("QUAY")),
            ("os.environ.get('QUAY', 'quay')", is("quay")),
            ("os.getenv('QUAY', PIER)", is("north")),
            ("os.getenv('QUAY') or 'quay'", is("quay")),
            ("env('QUAY', default='quay')", is("quay")),
            ("None", Host::Absent),
        ],
    );
    let assigned =
        "D = {}\nD['a'] = {'ENGINE': 'postgresql', 'HOST': 'quay', 'USER': 'b', 'NAME': 'c'}\n";
    assert_eq!(host("a.py", assigned), is("quay"));
    let of_class = "class Live:\n    DB_ENGINE = 'postgresql'\n    DB_HOST = 'quay'\n    DB_USER = 'b'\n    DB_NAME = 'c'\n";
    assert_eq!(host("a.py", of_class), is("quay"));
    let awaited =
        "async def go():\n    link = await asyncpg.connect(host='quay', user='b', database='c')\n";
    assert_eq!(host("a.py", awaited), is("quay"));
}

#[test]
fn php() {
    let around = |value: &str| {
        format!(
            "<?php\nconst PIER = 'north';\n$pier = 'south';\nreturn ['a' => ['driver' => 'pgsql', 'username' => 'b', 'database' => 'c', 'host' => {value}]];\n"
        )
    };
    check(
        "a.php",
        around,
        &[
            ("'quay'", is("quay")),
            ("\"quay\"", is("quay")),
            ("'qu' . \"ay\"", is("quay")),
            ("'it\\'s'", is("it's")),
            ("'a\\tb'", is("a\\tb")),
            ("\"a\\\\b\"", is("a\\b")),
            ("PIER . '.quay'", is("north.quay")),
            ("$pier", is("south")),
            ("\"$pier.quay\"", is("south.quay")),
            ("\"{$pier}x\"", is("southx")),
            ("ELSEWHERE", unknown()),
            ("where()", unknown()),
            ("getenv('QUAY')", waits_for("QUAY")),
            ("getenv('QUAY') ?: 'quay'", is("quay")),
            ("$_ENV['QUAY'] ?? 'quay'", is("quay")),
            ("env('QUAY', 'quay')", is("quay")),
            ("null", Host::Absent),
        ],
    );
    let nested = "<?php\n$db['a']['driver'] = 'pgsql';\n$db['a']['hostname'] = 'quay';\n$db['a']['username'] = 'b';\n$db['a']['database'] = 'c';\n";
    assert_eq!(host("a.php", nested), is("quay"));
    let old = "<?php\n$db = array('driver' => 'mysqli', 'host' => 'quay', 'user' => 'b', 'database' => 'c');\n";
    assert_eq!(host("a.php", old), is("quay"));
    let link = "<?php\n$link = pg_connect(\"host=quay dbname=c user=b\");\n";
    assert_eq!(host("a.php", link), is("quay"));
    let opened = "<?php\n$link = mysqli_connect('quay', 'b', 'x', 'c', 3307);\n";
    assert_eq!(host("a.php", opened), is("quay"));
}

#[test]
fn password_files() {
    let cases = [
        ("quay:5432:a:b:c", is("quay")),
        ("a\\:b:5432:a:b:c", is("a:b")),
        ("*:5432:a:b:c", Host::Absent),
        ("quay:*:*:*:c:d:e", is("quay")),
        ("# quay:5432:a:b:c", Host::Absent),
        ("quay:5432:a", Host::Absent),
    ];
    for (line, wanted) in cases {
        assert_eq!(host(".pgpass", &format!("{line}\n")), wanted, "{line}");
    }
}

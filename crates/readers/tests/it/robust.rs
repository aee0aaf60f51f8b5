//! Whatever a file holds: no panic, every place inside it, and no password in anything
//! that could be shown.

use chronaxis_model::sourced::Origin;
use chronaxis_readers::{Nowhere, Project, Report, Taken};
use proptest::prelude::*;

/// A name for each format, several for the special ones.
const PATHS: &[&str] = &[
    ".env",
    "a.sh",
    "a.service",
    "a.ini",
    "a.properties",
    "a.toml",
    "a.json",
    "a.yaml",
    "compose.yaml",
    "deploy.yaml",
    "a.py",
    "a.php",
    "my.cnf",
    "odbc.ini",
    "odbcinst.ini",
    "pg_service.conf",
    ".pgpass",
    "a.txt",
    "a.xml",
    "web.config",
    "a.prisma",
    "alembic.ini",
    "application.yml",
    "values.yaml",
];

const SECRET: &str = "Zq7-lantern-Zq7";

fn read(path: &str, bytes: &[u8]) -> Option<Report> {
    let mut project = Project::default();
    let taken = project.add(path, bytes, Some(0o644));
    (taken == Taken::Read).then(|| project.report(&Nowhere))
}

/// All that could be shown of a report.
fn shown(report: &Report) -> String {
    let mut out = format!("{:?}{:?}", report.troubles, report.disagreements);
    for one in &report.connections {
        out.push_str(&format!(
            "{}{:?}{:?}{:?}",
            one.name, one.draft.defects, one.findings, one.unknown
        ));
        for (key, told) in &one.draft.values {
            out.push_str(&format!("{key}{}{:?}", told.value, told.origin));
        }
    }
    out
}

fn check(path: &str, text: &str) {
    let Some(report) = read(path, text.as_bytes()) else {
        return;
    };
    let lines: Vec<&str> = text.split('\n').collect();
    let inside = |line: u32, column: u32| {
        let of_it = lines.get(line as usize - 1);
        of_it.is_some_and(|l| (column as usize) <= l.chars().count() + 1)
    };
    for one in &report.connections {
        for told in one.draft.values.values() {
            if let Origin::File { line, column, .. } = &told.origin {
                assert!(inside(*line, *column), "{path} {line}:{column}\n{text}");
            }
        }
        for defect in one.draft.defects.iter().chain(&one.findings) {
            if let Some((line, column)) = defect.place.as_ref().and_then(|p| p.line.zip(p.column)) {
                assert!(inside(line, column), "{path} {line}:{column}\n{text}");
            }
        }
    }
    for trouble in &report.troubles {
        let place = trouble.place.as_ref().unwrap();
        assert!(
            inside(place.line.unwrap(), place.column.unwrap()),
            "{path}\n{text}"
        );
    }
}

/// Pieces of which settings are made, whole and broken.
fn piece() -> impl Strategy<Value = String> {
    let fixed = [
        "DB_HOST",
        "host",
        "port",
        "user",
        "password",
        "database",
        "=",
        ": ",
        "\n",
        "\n  ",
        "\n    ",
        "- ",
        "[sailings]",
        "[",
        "]",
        "{",
        "}",
        "(",
        ")",
        "\"",
        "'",
        "\\",
        "\\t",
        "#",
        " #x",
        ";",
        "postgresql",
        "mysql://a:b@c/d",
        "postgres://",
        "@",
        "/",
        "services:",
        "environment:",
        "image: postgres",
        "apiVersion: v1",
        "kind: Secret",
        "data:",
        "cG9z",
        "&a",
        "*a",
        "<<: *a",
        "os.environ[",
        "getenv('X')",
        "${X}",
        "${X:-y}",
        "$X",
        "define(",
        "new PDO(",
        "<?php ",
        "=>",
        "return ",
        "é",
        "\u{200b}",
        "\u{1f6a2}",
        "\r",
        "\t",
        "\0",
        "DATABASES = ",
        "import os",
        "%",
        "Environment=",
        "Driver={",
        "};",
        "jdbc:sqlserver://a;",
        "mongodb://a,b/",
        "!include x",
        "<a name=\"url\" value=\"",
        "\"/>",
        "</a>",
        "&amp;",
        "datasource db {",
        "url = env(",
        "create_engine(",
        "psycopg2.connect(**",
        ".replace('postgres://', 'postgresql://')",
        "class A:\n    DATABASE_URL = ",
    ];
    prop_oneof![
        8 => prop::sample::select(fixed.to_vec()).prop_map(str::to_owned),
        1 => "[a-z0-9 ]{0,6}",
        1 => any::<char>().prop_map(String::from),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn no_text_makes_a_reader_panic_or_point_outside(pieces in prop::collection::vec(piece(), 0..40)) {
        let text = pieces.concat();
        for path in PATHS {
            check(path, &text);
        }
    }

    #[test]
    fn no_bytes_do(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
        for path in PATHS {
            let _ = read(path, &bytes);
        }
    }

    #[test]
    fn a_password_stands_in_nothing_that_is_shown(
        before in prop::collection::vec(piece(), 0..6),
        after in prop::collection::vec(piece(), 0..6),
    ) {
        let plants = [
            (".env", format!("DB_ENGINE=postgresql\nDB_HOST=a\nDB_USER=b\nDB_PASSWORD='{SECRET}'\n")),
            ("a.ini", format!("[a]\ndriver=postgresql\nhost=a\nuser=b\npassword={SECRET} \n")),
            ("a.yaml", format!("\
                a:\n\
                \x20 adapter: postgresql\n\
                \x20 host: a\n\
                \x20 user: b\n\
                \x20 password: \"{SECRET}\\t\"\n")),
            ("a.json", format!("{{\"a\": {{\"url\": \"postgres://b:{SECRET}@c/d \"}}}}\n")),
            ("a.properties", format!("a.url=jdbc:postgresql://c/d?user=b&password={SECRET}\n")),
            ("a.py", format!("A = 'postgresql://b:{SECRET}@c:x/d'\n")),
            ("a.php", format!("<?php new mysqli('h', 'u', '{SECRET}', 'd');\n")),
            ("a.xml", format!("<c><p name=\"a.url\" value=\"jdbc:postgresql://c/d\"/><p name=\"a.password\" value=\"{SECRET}\"/></c>\n")),
            ("web.config", format!("<c><add name=\"S\" connectionString=\"Host=c;Username=b;Password={SECRET};Nonsense=1\"/></c>\n")),
            ("a.prisma", format!("datasource db {{\n  provider = \"mysql\"\n  url = \"postgresql://b:{SECRET}@c/d\"\n}}\n")),
            ("b.py", format!("import psycopg2\nL = psycopg2.connect(host='a', username='b', password='{SECRET}', dbname='c')\n")),
            (".pgpass", format!("a:5432:b:c:{SECRET}\n")),
            ("a.sh", format!("export PGHOST=a PGUSER=b\nexport PGPASSWORD=\"{SECRET}$x\"\n")),
        ];
        // Pieces that could not reach into the password's own line.
        let clean = |all: &[String]| all.concat().replace(['"', '\'', '\\', '@'], "");
        for (path, text) in plants {
            let whole = format!("{}\n{text}\n{}\n", clean(&before), clean(&after));
            if let Some(report) = read(path, whole.as_bytes()) {
                prop_assert!(!shown(&report).contains(SECRET), "{}: {}", path, whole);
            }
        }
    }
}

#[test]
fn deep_huge_and_endless_texts_end_soon() {
    let deep = 100_000;
    let texts = [
        "[".repeat(deep),
        "{\"a\":".repeat(deep),
        "(".repeat(deep),
        format!("x = {}", "[".repeat(deep)),
        format!("a:{}", " {a:".repeat(deep)),
        (0..2000)
            .map(|n| format!("{}k:\n", " ".repeat(n)))
            .collect(),
        "a: &a [x, x, x, x, x, x, x, x]\n".to_owned()
            + &(0..9)
                .map(|n| {
                    format!(
                        "b{n}: &b{n} [*{0}, *{0}, *{0}, *{0}, *{0}, *{0}, *{0}]\n",
                        if n == 0 {
                            "a".to_owned()
                        } else {
                            format!("b{}", n - 1)
                        }
                    )
                })
                .collect::<String>(),
        "DB_HOST=a\n".repeat(50_000),
        "A=${A}${A}\n".repeat(200),
        format!("URL=postgres://{}", "a@".repeat(50_000)),
        "postgres://a:b@c/d ".repeat(20_000),
        "\u{fffd}=".repeat(100_000),
        format!("\"{}", "\\".repeat(200_000)),
        "<a>".repeat(deep),
        "<a b=\"".repeat(5_000),
        "psycopg2.connect(host='a', user='b')\n".repeat(5_000),
        "class A:\n    DATABASE_URL = 'x'\n".repeat(5_000),
        "datasource db {\nurl = \"x\"\n".repeat(5_000),
        "x = '' + ".repeat(5_000),
        "$x = 'a' . ".repeat(5_000),
    ];
    for text in &texts {
        for path in PATHS {
            let _ = read(path, text.as_bytes());
        }
    }
}

#[test]
fn encodings() {
    let text = "DATABASE_URL=postgres://purser@quay.osmary.example/sailings\r\n";
    let wide: Vec<u8> = format!("\u{feff}{text}")
        .encode_utf16()
        .flat_map(u16::to_le_bytes)
        .collect();
    let mut marked = b"\xef\xbb\xbf".to_vec();
    marked.extend(text.as_bytes());
    let mut broken = text.as_bytes().to_vec();
    broken.extend(b"# \xff\xfe\n");
    for bytes in [text.as_bytes().to_vec(), wide, marked, broken] {
        let report = read(".env", &bytes).unwrap();
        assert_eq!(report.connections.len(), 1);
        assert_eq!(report.connections[0].value("dbname"), Some("sailings"));
    }
    assert!(read(".env", b"DB\0").is_none());
    assert!(read(".env", b"").unwrap().connections.is_empty());
}

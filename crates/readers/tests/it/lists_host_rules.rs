//! Host rules with everything that they include; the server itself judges single files
//! (`crates/cli/tests/it/server_rules.rs`).

use std::collections::BTreeMap;
use std::net::SocketAddr;

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_readers::allowlist::{Others, Reading, let_in, read};
use chronaxis_readers::text::Text;
use jiff::civil::date;

/// Files by their paths.
struct Files(BTreeMap<&'static str, &'static str>);

impl Others for Files {
    fn file(&self, path: &str) -> Result<Vec<u8>, Option<String>> {
        self.0.get(path).map(|t| t.as_bytes().to_vec()).ok_or(None)
    }

    fn folder(&self, path: &str) -> Result<Vec<String>, String> {
        let inside = self.0.keys().filter(|p| p.starts_with(path));
        let inside: Vec<String> = inside.map(|p| (*p).to_owned()).collect();
        match inside.is_empty() {
            true => Err("there is no such folder".to_owned()),
            false => Ok(inside),
        }
    }
}

fn reading(main: &str, files: &Files) -> Result<Reading, (String, String)> {
    let read = read("etc/pg_hba.conf", Text::new(main.to_owned()), files);
    read.map_err(|(sheets, broken)| (sheets[broken.sheet].path.clone(), broken.what))
}

fn attempt(client: &str, user: &str) -> Attempt {
    let to: SocketAddr = "10.8.0.10:5432".parse().unwrap();
    Attempt {
        user: Some(user.to_owned()),
        database: Some("sailings".to_owned()),
        encrypted: Some(false),
        ..Attempt::new(client.parse().unwrap(), to, date(2026, 11, 29))
    }
}

#[test]
fn files_that_are_included_stand_where_they_are_included() {
    let files = Files(BTreeMap::from([
        ("etc/first.conf", "host all purser 10.8.4.0/24 reject\n"),
        ("etc/hba.d/20.conf", "host all all 10.9.0.0/16 md5\n"),
        ("etc/hba.d/10.conf", "host all all 10.9.9.0/24 reject\n"),
        ("etc/hba.d/note.txt", "this is no rule\n"),
        ("etc/hba.d/.hidden.conf", "neither is this\n"),
        (
            "etc/names",
            "purser, deckhand\n\"harbour master\" # and others\n@more",
        ),
        ("etc/more", "lookout"),
    ]));
    let main = "include first.conf\nhost sailings @names 10.8.0.0/16 md5\ninclude_if_exists nowhere.conf\ninclude_dir hba.d\n";
    let list = reading(main, &files).unwrap();
    let ask = |client: &str, user: &str| {
        let decision = list.rules.decide(&attempt(client, user), false);
        let file = decision
            .rule
            .and_then(|r| r.spot)
            .map(|s| list.sheets[s.sheet].path.clone());
        (decision.answer, file.unwrap_or_default())
    };
    assert_eq!(
        ask("10.8.4.7", "purser"),
        (Answer::Denied, "etc/first.conf".into())
    );
    assert_eq!(
        ask("10.8.5.7", "purser"),
        (Answer::Allowed, "etc/pg_hba.conf".into())
    );
    assert_eq!(
        ask("10.8.5.7", "lookout"),
        (Answer::Allowed, "etc/pg_hba.conf".into())
    );
    assert_eq!(
        ask("10.8.5.7", "harbour master"),
        (Answer::Allowed, "etc/pg_hba.conf".into())
    );
    assert_eq!(ask("10.8.5.7", "stranger"), (Answer::Denied, String::new()));
    // By the order of their names.
    assert_eq!(
        ask("10.9.9.7", "purser"),
        (Answer::Denied, "etc/hba.d/10.conf".into())
    );
    assert_eq!(
        ask("10.9.8.7", "purser"),
        (Answer::Allowed, "etc/hba.d/20.conf".into())
    );
    // The change stands in the file whose record decides.
    let change = let_in(&list, &attempt("10.8.4.7", "purser"), &files).unwrap();
    assert_eq!(change.file, "etc/first.conf");
    assert!(
        change
            .after
            .starts_with("host sailings purser 10.8.4.7/32 "),
        "{}",
        change.after
    );
}

#[test]
fn includes_that_are_missing_or_go_in_a_circle() {
    let files = Files(BTreeMap::from([
        ("etc/a.conf", "include b.conf\n"),
        ("etc/b.conf", "host all all all md5\ninclude a.conf\n"),
        ("etc/loop", "@loop"),
        ("etc/broken.conf", "\nhost all all 10.8.0.0/99 md5\n"),
    ]));
    let why = |main: &str| reading(main, &files).err().expect("it is refused");
    let (file, what) = why("include a.conf\n");
    assert_eq!(file, "etc/b.conf");
    assert!(what.contains("includes itself"), "{what}");
    let (file, what) = why("include nowhere.conf\n");
    assert_eq!(file, "etc/pg_hba.conf");
    assert!(what.contains("there is no such file"), "{what}");
    let (_, what) = why("include_dir nowhere\n");
    assert!(what.contains("no such folder"), "{what}");
    let (_, what) = why("host all @loop all md5\n");
    assert!(what.contains("in a circle"), "{what}");
    let (_, what) = why("include a.conf b.conf\n");
    assert!(what.contains("exactly one name"), "{what}");
    // The place is in the file that is broken.
    let (file, what) = why("include broken.conf\n");
    assert_eq!(file, "etc/broken.conf");
    assert!(what.contains("prefix length"), "{what}");
}

#[test]
fn words_as_the_server_takes_them_apart() {
    let files = Files(BTreeMap::new());
    let ask = |rules: &str, client: &str, user: &str| {
        let list = reading(rules, &files).unwrap_or_else(|why| panic!("{why:?}"));
        list.rules.decide(&attempt(client, user), false).answer
    };
    // Regular expressions, of PostgreSQL 16 and later.
    let rules = "host /^sail /^(purser|deck)$ 10.8.0.0/16 md5\n";
    assert_eq!(ask(rules, "10.8.4.7", "purser"), Answer::Allowed);
    assert_eq!(ask(rules, "10.8.4.7", "deckhand"), Answer::Denied);
    // One that only the server itself reads.
    assert_eq!(
        ask("host all /\\mpurser\\M all md5\n", "10.8.4.7", "purser"),
        Answer::Unknown
    );
    // Groups: everybody is a member of itself.
    assert_eq!(
        ask("host all +purser all md5\n", "10.8.4.7", "purser"),
        Answer::Allowed
    );
    assert_eq!(
        ask("host all +staff all md5\n", "10.8.4.7", "purser"),
        Answer::Unknown
    );
    assert_eq!(
        ask("host all \"+purser\" all md5\n", "10.8.4.7", "purser"),
        Answer::Denied
    );
    // Either way the same.
    let same = "host all +staff all md5\nhost all all all scram-sha-256\n";
    assert_eq!(ask(same, "10.8.4.7", "purser"), Answer::Allowed);
    // Quotes, commas, continued lines, a comment right behind a word.
    // (A blank before a comma begins the next field, there and here.)
    let odd = "host \"sailings\",\"other\" \\\n  \"pur\"\"ser\",purser 10.8.4.7/32 md5#office\n";
    assert_eq!(ask(odd, "10.8.4.7", "purser"), Answer::Allowed);
    assert_eq!(ask(odd, "10.8.4.7", "pur\"ser"), Answer::Allowed);
    // A mask with a hole.
    let hole = "host all all 10.8.0.7 255.255.0.255 md5\n";
    assert_eq!(ask(hole, "10.8.4.7", "purser"), Answer::Allowed);
    assert_eq!(ask(hole, "10.8.4.8", "purser"), Answer::Denied);
    // Own addresses and networks of the server.
    assert_eq!(
        ask("host all all samehost md5\n", "10.8.0.10", "purser"),
        Answer::Allowed
    );
    assert_eq!(
        ask("host all all samenet md5\n", "10.8.4.7", "purser"),
        Answer::Unknown
    );
    assert_eq!(
        ask("host all all .osmary.example md5\n", "10.8.4.7", "purser"),
        Answer::Unknown
    );
    // Replication is not a database.
    assert_eq!(
        ask("host replication all all md5\n", "10.8.4.7", "purser"),
        Answer::Denied
    );
}

//! The servers judge what their own rules mean: a real PostgreSQL its host rules, a real
//! MariaDB its accounts.

use std::io::{Read, Write};
use std::net::{IpAddr, SocketAddr, TcpStream};
use std::process::{Command, Stdio};
use std::time::Duration;

use chronaxis_allowlist::answer::Answer;
use chronaxis_allowlist::attempt::Attempt;

use chronaxis_readers::allowlist::{Alone, Others, let_in, read};
use chronaxis_readers::text::Text;
use jiff::civil::date;
use socket2::{Domain, Socket, Type};

use crate::support::filters::Draw;
use crate::support::mariadb::Mariadb;
use crate::support::postgres::Postgres;
use crate::support::real::tally;

const SOURCES: [&str; 4] = ["127.0.0.1", "127.0.0.2", "127.0.0.5", "127.0.0.77"];

fn connect(from: &str, port: u16) -> TcpStream {
    let from: IpAddr = from.parse().unwrap();
    let to: IpAddr = match from.is_ipv6() {
        true => "::1".parse().unwrap(),
        false => "127.0.0.1".parse().unwrap(),
    };
    let to = SocketAddr::new(to, port);
    let socket = Socket::new(Domain::for_address(to), Type::STREAM, None).unwrap();
    socket.bind(&SocketAddr::new(from, 0).into()).unwrap();
    socket.connect(&to.into()).unwrap();
    let stream: TcpStream = socket.into();
    stream
        .set_read_timeout(Some(Duration::from_secs(5)))
        .unwrap();
    stream
}

/// PostgreSQL's message that begins a session (its manual, section "Message Formats").
fn start_up(user: &str, database: &str) -> Vec<u8> {
    let mut body = vec![0, 3, 0, 0];
    for word in ["user", user, "database", database] {
        body.extend(word.as_bytes());
        body.push(0);
    }
    body.push(0);
    let mut out = u32::try_from(body.len() + 4)
        .unwrap()
        .to_be_bytes()
        .to_vec();
    out.extend(body);
    out
}

/// Whether the answer is a refusal by host rules.
fn refused(answer: &[u8]) -> bool {
    let text = String::from_utf8_lossy(answer);
    answer.first() == Some(&b'E') && text.contains("pg_hba.conf")
}

fn in_clear(port: u16, from: &str, user: &str, database: &str) -> bool {
    let mut stream = connect(from, port);
    stream.write_all(&start_up(user, database)).unwrap();
    let mut answer = vec![0; 4096];
    let read = stream.read(&mut answer).unwrap_or(0);
    !refused(&answer[..read])
}

/// The same over TLS, by OpenSSL's own program.
fn encrypted(port: u16, from: &str, user: &str, database: &str) -> bool {
    let mut child = Command::new("openssl")
        .args(["s_client", "-quiet", "-starttls", "postgres", "-connect"])
        .arg(format!("127.0.0.1:{port}"))
        .args(["-bind", &format!("{from}:0")])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("openssl runs");
    let mut input = child.stdin.take().unwrap();
    input.write_all(&start_up(user, database)).unwrap();
    let mut answer = vec![0; 4096];
    let read = child
        .stdout
        .as_mut()
        .unwrap()
        .read(&mut answer)
        .unwrap_or(0);
    let _ = child.kill();
    let _ = child.wait();
    !refused(&answer[..read])
}

fn record(draw: &mut Draw) -> String {
    let kind = draw.one(&["host", "host", "host", "hostssl", "hostnossl", "local"]);
    let database = draw.one(&[
        "all",
        "all",
        "all",
        "sailings",
        "manifest,sailings",
        "\"all\"",
        "sameuser",
        "replication",
        "\"Sailings\"",
        "@databases",
        "all,replication",
    ]);
    let user = draw.one(&[
        "all",
        "all",
        "all",
        "purser",
        "purser, deckhand",
        "\"purser\"",
        "+purser",
        "sailings",
        "\"all\"",
    ]);
    let address = draw.one(&[
        "127.0.0.1/32",
        "127.0.0.0/8",
        "127.0.0.0/30",
        "127.0.0.4/30",
        "127.0.0.2 255.255.255.255",
        "127.0.0.1 255.0.0.1",
        "127.0.0.5  255.255.255.0",
        "0.0.0.0/0",
        "all",
        "::1/128",
        "::/0",
        "samenet",
        "127.1/16",
        "10.8.0.0/16",
        "127.0.0.0/8",
        "all",
        "0.0.0.0/0",
    ]);
    let method = draw.one(&["trust", "scram-sha-256", "md5", "reject", "password"]);
    let blanks = draw.one(&[" ", "\t", "   "]);
    let comment = draw.one(&["", "", " # office", "\t#\"x"]);
    match kind {
        "local" => format!("local{blanks}{database} {user} trust{comment}"),
        _ if draw.chance(8) => {
            format!("{kind} {database} \\\n  {user}{blanks}{address} \\\n{method}{comment}")
        }
        _ => format!("{kind}{blanks}{database} {user}{blanks}{address} {method}{comment}"),
    }
}

/// Files that rules refer to.
struct Beside;

impl Others for Beside {
    fn file(&self, path: &str) -> Result<Vec<u8>, Option<String>> {
        match path.ends_with("databases") {
            true => Ok(b"sailings\n# no more".to_vec()),
            false => Err(None),
        }
    }

    fn folder(&self, path: &str) -> Result<Vec<String>, String> {
        Alone.folder(path)
    }
}

#[test]
fn host_rules_as_postgresql_has_them() {
    if !Postgres::available() {
        return;
    }
    let first = "local all harbourmaster trust\n";
    let server = Postgres::start(
        first,
        "",
        "create role purser login superuser; create role deckhand login; create role sailings login; create database sailings; create database manifest",
    );
    server.encrypt();
    std::fs::write(server.data().join("databases"), "sailings\n# no more").unwrap();
    let mut draw = Draw::new(5432);
    let mut counted = [0usize; 3];
    let mut wrong = Vec::new();
    let mut changes = 0;
    let load = |text: &str| {
        std::fs::write(server.data().join("pg_hba.conf"), text).unwrap();
        server.reload();
        std::thread::sleep(Duration::from_millis(40));
    };
    const RULESETS: usize = 60;
    for number in 0..RULESETS {
        let records: Vec<String> = (0..2 + draw.below(5)).map(|_| record(&mut draw)).collect();
        let text = format!("{first}{}\n", records.join("\n"));
        let sheet = Text::new(text.clone());
        let list = match read("pg_hba.conf", sheet, &Beside) {
            Ok(list) => list,
            Err((_, broken)) => panic!("{broken:?}\n{text}"),
        };
        load(&text);
        let errors = server.ask("select count(*) from pg_hba_file_rules where error is not null");
        assert_eq!(errors.trim(), "0", "{text}");
        let mut denied = None;
        for turn in 0..22 {
            let source = match draw.chance(15) {
                true => "::1",
                false => SOURCES[draw.below(SOURCES.len())],
            };
            let user = draw.one(&["purser", "deckhand", "sailings"]);
            let database = draw.one(&["sailings", "manifest"]);
            let over_tls = turn % 8 == 7 && source != "::1";
            let let_through = match over_tls {
                true => encrypted(server.port(), source, user, database),
                false => in_clear(server.port(), source, user, database),
            };
            let client: IpAddr = source.parse().unwrap();
            let to: IpAddr = if client.is_ipv6() { "::1" } else { "127.0.0.1" }
                .parse()
                .unwrap();
            let attempt = Attempt {
                user: Some(user.to_owned()),
                database: Some(database.to_owned()),
                encrypted: Some(over_tls),
                ..Attempt::new(
                    client,
                    SocketAddr::new(to, server.port()),
                    date(2026, 11, 29),
                )
            };
            let decision = list.rules.decide(&attempt, false);
            match (decision.answer, let_through) {
                (Answer::Allowed, true) => counted[0] += 1,
                (Answer::Denied, false) => {
                    counted[1] += 1;
                    denied.get_or_insert(attempt);
                }
                (Answer::Unknown, _) => counted[2] += 1,
                (answer, _) => wrong.push(format!(
                    "{source} as {user} to {database}, encrypted: {over_tls}: we say {answer:?} ({:?}), the server {}\n{text}",
                    decision.rule,
                    if let_through { "asks on" } else { "refuses" },
                )),
            }
        }
        // The change that is proposed lets that one in, in the server too.
        if let Some(attempt) = denied.filter(|a| a.encrypted == Some(false)) {
            let change = let_in(&list, &attempt, &Beside).expect("a change");
            load(&change.after);
            let (source, user) = (attempt.client.to_string(), attempt.user.clone().unwrap());
            let database = attempt.database.clone().unwrap();
            assert!(
                in_clear(server.port(), &source, &user, &database),
                "{}",
                change.diff
            );
            changes += 1;
        }
        tally("host-rules", &number.to_string());
    }
    println!(
        "host rules: {RULESETS} files: {} allowed, {} denied, {} unknown, {} wrong; {changes} changes proved",
        counted[0],
        counted[1],
        counted[2],
        wrong.len()
    );
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong[0]);
    let all: usize = counted.iter().sum();
    assert!(
        counted[0] * 4 >= all && counted[1] * 4 >= all,
        "a quarter each"
    );
    assert!(counted[2] * 10 <= all, "a tenth is unknown at most");
    assert!(changes > 20);
}

/// A file that the server refuses is refused here, and one that it takes is taken.
#[test]
fn broken_host_rules_are_those_that_postgresql_refuses() {
    if !Postgres::available() {
        return;
    }
    let first = "local all harbourmaster trust\n";
    let server = Postgres::start(first, "", "");
    let lines = [
        "host all all 10.8.0.0/33 md5",
        "host all all 10.8.0.0/16",
        "host all all 10.8.0.0 md5",
        "host all all 10.8.0.0 255.255.0.0 md5",
        "host all all 10.8.0.300 md5",
        "host all all quay/16 md5",
        "host all all 10.8.0.0/255.255.0.0 md5",
        "host all all ::1 255.255.0.0 md5",
        "hots all all all md5",
        "host,hostssl all all all md5",
        "host all all all mdd5",
        "host all all all md5 map=x",
        "host all all all md5 clientcert=verify-full",
        "hostssl all all all md5 clientcert=1",
        "host all all all md5 ldapserver=x",
        "host all all all ldap ldapserver=x ldapprefix=y ldapbindpasswd=z",
        "host all all all radius",
        "host all all all ldap",
        "host all all all ldap ldapserver=x",
        "host all all all ldap ldapserver=x ldapprefix=y",
        "host all all all radius radiusservers=x radiussecrets=y",
        "host all all all ident map=x",
        "host all all all peer",
        "local all all gss",
        "local all all peer",
        "host all all all md5 nonsense=1",
        "host all all all md5 word",
        "host all all",
        "host",
        "host all all all",
        "host all all 10.8.0.1/8,10.9.0.0/16 md5",
        "host all all samehost md5",
        "host \"all\" \"a b\" .osmary.example md5",
        "host all all 10.8/16 md5",
        "host all all 0x0a080000/16 md5",
        "host all \"purser all md5",
        "host all all all md5 # comment",
        "host all all all md5#comment",
        "host all all all trust,md5",
        "host @nowhere all all md5",
    ];
    let mut differ = Vec::new();
    for line in lines {
        let text = format!("{first}{line}\n");
        std::fs::write(server.data().join("pg_hba.conf"), &text).unwrap();
        // The view reads the file anew.
        let errors = server.ask("select count(*) from pg_hba_file_rules where error is not null");
        let refuses = errors.trim() != "0";
        let ours = read("pg_hba.conf", Text::new(text), &Alone);
        if refuses != ours.is_err() {
            let why = ours.err().map(|(_, broken)| broken.what);
            differ.push(format!(
                "{line}: the server refuses: {refuses}; we: {why:?}"
            ));
        }
        tally("host-rules", line);
    }
    assert!(differ.is_empty(), "{}", differ.join("\n"));
}

fn packet(stream: &mut TcpStream) -> Vec<u8> {
    let mut head = [0; 4];
    if stream.read_exact(&mut head).is_err() {
        return vec![0xff];
    }
    let length = usize::from(head[0]) | usize::from(head[1]) << 8 | usize::from(head[2]) << 16;
    let mut body = vec![0; length];
    if stream.read_exact(&mut body).is_err() {
        return vec![0xff];
    }
    body
}

fn send(stream: &mut TcpStream, number: u8, body: &[u8]) {
    let length = u32::try_from(body.len()).unwrap().to_le_bytes();
    let mut out = vec![length[0], length[1], length[2], number];
    out.extend(body);
    stream.write_all(&out).unwrap();
}

/// Which account takes a connection without a password (MySQL's protocol, "Connection
/// Phase").
fn account(port: u16, from: &str, user: &str) -> Option<String> {
    let mut stream = connect(from, port);
    if packet(&mut stream).first() == Some(&0xff) {
        return None;
    }
    let capabilities: u32 = 0x0200 | 0x8000 | 0x0008_0000;
    let mut body = capabilities.to_le_bytes().to_vec();
    body.extend([0, 0, 0, 1, 45]);
    body.extend([0; 23]);
    body.extend(user.as_bytes());
    body.extend([0, 0]);
    body.extend(b"mysql_native_password\0");
    send(&mut stream, 1, &body);
    let mut answer = packet(&mut stream);
    if answer.first() == Some(&0xfe) {
        send(&mut stream, 3, &[]);
        answer = packet(&mut stream);
    }
    if answer.first() != Some(&0) {
        return None;
    }
    send(&mut stream, 0, b"\x03select current_user()");
    let mut last = Vec::new();
    for _ in 0..6 {
        let next = packet(&mut stream);
        if next.first() == Some(&0xfe) && !last.is_empty() {
            continue;
        }
        // The row: one text behind its length.
        if let Some(length) = next.first().filter(|n| usize::from(**n) + 1 == next.len()) {
            let text = String::from_utf8_lossy(&next[1..=usize::from(*length)]).into_owned();
            if text.contains('@') {
                return Some(text);
            }
        }
        last = next;
    }
    None
}

#[test]
fn accounts_as_mariadb_has_them() {
    if !Mariadb::available() {
        return;
    }
    let server = Mariadb::start(&[], "");
    let hosts = [
        "%",
        "127.0.0.1",
        "127.0.0.2",
        "127.0.%",
        "127.0.0._",
        "127.0.0.%",
        "127.%",
        "%.5",
        "127.0.0.7_",
        "127.0.0.0/255.255.255.0",
        "127.0.0.4/255.255.255.252",
        "127.0.0.5/255.255.255.0",
        "10.8.%",
        "_27.0.0.5",
    ];
    let mut draw = Draw::new(3306);
    let mut counted = [0usize; 3];
    let mut wrong = Vec::new();
    const LISTS: usize = 60;
    for number in 0..LISTS {
        let mut sql = String::from(
            "delete from mysql.global_priv where user in ('purser','deckhand','');\nflush privileges;\n",
        );
        let mut csv = String::from("user,host\n");
        let mut made = std::collections::BTreeSet::new();
        for _ in 0..1 + draw.below(5) {
            let user = draw.one(&["purser", "purser", "deckhand", ""]);
            let host = hosts[draw.below(hosts.len())];
            if made.insert((user, host)) {
                sql.push_str(&format!("create user '{user}'@'{host}';\n"));
                csv.push_str(&format!("{user},{host}\n"));
            }
        }
        server.sql(&sql);
        let Ok(list) = read("accounts.csv", Text::new(csv.clone()), &Alone) else {
            panic!("{csv}");
        };
        for source in SOURCES {
            for user in ["purser", "deckhand"] {
                let to: SocketAddr = format!("127.0.0.1:{}", server.port()).parse().unwrap();
                let attempt = Attempt {
                    user: Some(user.to_owned()),
                    ..Attempt::new(source.parse().unwrap(), to, date(2026, 11, 29))
                };
                let decision = list.rules.decide(&attempt, false);
                let taken = account(server.port(), source, user);
                let ours = decision.rule.as_ref().map(|r| r.text.replace('\'', ""));
                let fits = match (decision.answer, &taken) {
                    (Answer::Unknown, _) => {
                        counted[2] += 1;
                        true
                    }
                    (Answer::Allowed, Some(_)) => {
                        counted[0] += 1;
                        ours == taken
                    }
                    // The anonymous account takes it, or nobody does.
                    (Answer::Denied, taken) => {
                        counted[1] += 1;
                        ours == *taken
                    }
                    (Answer::Allowed, None) => false,
                };
                if !fits {
                    wrong.push(format!(
                        "{user} from {source}: we say {:?} {ours:?}, the server {taken:?}\n{csv}",
                        decision.answer
                    ));
                }
            }
        }
        tally("accounts", &number.to_string());
    }
    println!(
        "accounts: {LISTS} lists: {} allowed, {} denied, {} unknown, {} wrong",
        counted[0],
        counted[1],
        counted[2],
        wrong.len()
    );
    assert!(
        wrong.is_empty(),
        "{} wrong:\n{}",
        wrong.len(),
        wrong.join("\n")
    );
    let all: usize = counted.iter().sum();
    assert!(
        counted[0] * 4 >= all && counted[1] * 4 >= all,
        "a quarter each"
    );
}

//! A file of aliases alone is no bundle: nothing is missing in it, and each slip is said by
//! its place.

use std::path::Path;

use serde_json::Value;

use crate::support::lab_directory::free_ports;
use crate::support::{chronaxis, finish};

const FIELDS: &str = "engine = \"directory\"\nhost = \"127.0.0.1\"\nservice = \"berths\"\n";

/// The case of a word, with the file as it is; and how the program ended.
fn diagnosed(home: &Path, text: &str, word: &str, options: &[&str]) -> (i32, Value) {
    std::fs::write(home.join("aliases.toml"), text).unwrap();
    let mut command = chronaxis(home);
    command.current_dir(home).args(["diagnose", word]);
    let ran = finish(command.args(["--output", "json"]).args(options));
    (ran.status, ran.case())
}

fn cause(case: &Value) -> &str {
    case["verdict"]["cause"].as_str().unwrap()
}

#[test]
fn encrypted_or_not_an_alias_of_a_lone_file_is_dialled() {
    let home = tempfile::tempdir().unwrap();
    let port = free_ports(1);
    for tls in ["off", "on"] {
        let text = format!("[alias.berths]\n{FIELDS}port = {port}\ntls = \"{tls}\"\n");
        for word in ["aliases.toml#berths", "aliases.toml#", "aliases.toml"] {
            let (_, case) = diagnosed(home.path(), &text, word, &["--until", "port"]);
            let symptom = &case["verdict"]["symptom"];
            assert_eq!(symptom, "port/refused", "tls {tls}, {word}: {case:#}");
            let again = case["verdict"]["next_test"]["command"].to_string();
            assert!(!again.contains("directory://"), "{again}");
        }
    }
}

#[test]
fn an_alias_without_an_engine_says_so_or_takes_that_of_the_option() {
    let home = tempfile::tempdir().unwrap();
    let port = free_ports(1);
    let fields = FIELDS.split_once('\n').unwrap().1;
    let text = format!("[alias.berths]\n{fields}port = {port}\n");
    let (code, case) = diagnosed(home.path(), &text, "aliases.toml#berths", &[]);
    assert_eq!((code, cause(&case)), (1, "setting-missing"), "{case:#}");
    let said = case["layers"][0]["summary"].as_str().unwrap();
    assert!(said.contains("aliases.toml, line 1"), "{said}");
    assert!(said.contains("berths names no engine"), "{said}");
    assert_eq!(case["contacts"]["lines"], 0);
    let named = ["--engine", "directory", "--until", "port"];
    let (_, case) = diagnosed(home.path(), &text, "aliases.toml#berths", &named);
    assert_eq!(case["verdict"]["symptom"], "port/refused", "{case:#}");
}

#[test]
fn a_slip_in_a_file_of_aliases_is_said_by_its_line() {
    let home = tempfile::tempdir().unwrap();
    for (slip, said) in [
        ("hots = \"127.0.0.1\"\n", "there is no key"),
        ("target = \"harbour\"\n", "a target and fields of its own"),
    ] {
        let text = format!("[alias.berths]\n{FIELDS}{slip}");
        let (code, case) = diagnosed(home.path(), &text, "aliases.toml#berths", &[]);
        assert_eq!(code, 1, "{case:#}");
        assert!(
            case.to_string().contains("aliases.toml, line 5: "),
            "{case:#}"
        );
        assert!(case.to_string().contains(said), "{said}: {case:#}");
        assert_eq!(case["contacts"]["lines"], 0);
    }
}

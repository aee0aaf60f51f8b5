//! What is built in has licences and sources that `deny.toml` allows.

use std::collections::BTreeSet;
use std::path::Path;
use std::process::Command;

use serde_json::Value;

/// The strings of the list `allow` in `deny.toml`.
fn allowed() -> BTreeSet<String> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../deny.toml");
    let text = std::fs::read_to_string(path).unwrap();
    let list = text.split("allow = [").nth(1).unwrap();
    let list = list.split(']').next().unwrap();
    let each = list.split('"').skip(1).step_by(2);
    each.map(str::to_owned).collect()
}

/// Whether an expression (SPDX, or the slash of older manifests) can be met by these.
fn is_met(expression: &str, allowed: &BTreeSet<String>) -> bool {
    let plain = expression.replace(['(', ')'], "").replace('/', " OR ");
    plain
        .split(" AND ")
        .all(|part| part.split(" OR ").any(|one| allowed.contains(one.trim())))
}

#[test]
fn licences_and_sources_are_those_on_the_list() {
    let out = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--locked", "--offline"])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .unwrap();
    // Packages of other systems are not on this machine: then there is nothing to ask.
    if !out.status.success() {
        eprintln!("not run: {}", String::from_utf8_lossy(&out.stderr));
        return;
    }
    let metadata: Value = serde_json::from_slice(&out.stdout).unwrap();
    let allowed = allowed();
    let packages = metadata["packages"].as_array().unwrap();
    assert!(packages.len() > 100, "{}", packages.len());
    for package in packages {
        let name = package["name"].as_str().unwrap();
        let licence = package["license"].as_str().unwrap_or_default();
        assert!(is_met(licence, &allowed), "{name}: {licence}");
        if let Some(source) = package["source"].as_str() {
            assert!(
                source.starts_with("registry+https://github.com/rust-lang/crates.io-index"),
                "{name}: {source}"
            );
        }
    }
}

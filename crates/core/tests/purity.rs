//! The core has no IO crate in its tree.

#![allow(clippy::disallowed_types, reason = "the test itself asks cargo")]
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    reason = "a test that cannot go on says so"
)]

use std::process::Command;

#[test]
fn no_io_crate_is_in_the_tree() {
    let out = Command::new(env!("CARGO"))
        .args([
            "tree",
            "--offline",
            "--edges",
            "normal",
            "--prefix",
            "none",
            "--package",
            "chronaxis-core",
        ])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .expect("cargo runs");
    assert!(
        out.status.success(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    let tree = String::from_utf8_lossy(&out.stdout);
    let crates: Vec<&str> = tree.lines().filter_map(|l| l.split(' ').next()).collect();
    assert!(crates.contains(&"sha2"), "the tree is the core's: {tree}");
    for io in [
        "tokio",
        "mio",
        "socket2",
        "nix",
        "rand",
        "getrandom",
        "tempfile",
        "async-io",
        "reqwest",
    ] {
        assert!(!crates.contains(&io), "{io} is in the core's tree");
    }
}

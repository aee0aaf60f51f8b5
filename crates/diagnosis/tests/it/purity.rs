//! The pure crates have no IO crate in their trees.

use std::process::Command;

/// Crates that open sockets and files, read a clock, or draw randomness.
const IMPURE: [&str; 9] = [
    "tokio",
    "mio",
    "socket2",
    "nix",
    "rand",
    "getrandom",
    "tempfile",
    "async-io",
    "reqwest",
];

#[test]
fn no_io_crate_is_in_the_trees() {
    for (pure, known) in [
        ("chronaxis-model", "zeroize"),
        ("chronaxis-allowlist", "prefix-trie"),
        ("chronaxis-bundle", "pkcs8"),
        ("chronaxis-engines", "sha2"),
        ("chronaxis-diagnosis", "chronaxis-engines"),
        ("chronaxis-messages", "aho-corasick"),
        ("chronaxis-readers", "tree-sitter"),
    ] {
        let out = Command::new(env!("CARGO"))
            .args(["tree", "--offline", "--edges", "normal", "--prefix", "none"])
            .args(["--package", pure])
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
        assert!(crates.contains(&known), "the tree is {pure}'s: {tree}");
        for io in IMPURE {
            assert!(!crates.contains(&io), "{io} is in the tree of {pure}");
        }
    }
}

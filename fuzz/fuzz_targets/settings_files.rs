//! Settings files of every format; the first byte says which.
#![no_main]

use chronaxis_readers::{Nowhere, Project};

const PATHS: &[&str] = &[
    ".env",
    "config/settings.py",
    "config/database.yml",
    "settings.toml",
    "appsettings.json",
    "odbc.ini",
    "my.cnf",
    "pg_service.conf",
    ".pgpass",
    "compose.yaml",
    "application.properties",
    "start.sh",
    "config/database.php",
    "quay.service",
    "notes.txt",
    "deploy/berths.yaml",
];

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let Some((which, text)) = bytes.split_first() else {
        return;
    };
    let path = PATHS[usize::from(*which) % PATHS.len()];
    let mut project = Project::default();
    project.add(path, text, Some(0o644));
    let _ = project.report(&Nowhere);
});

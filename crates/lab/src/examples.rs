//! The project that comes with the program, once healthy and once broken: the files of
//! `examples/`, and what must be found in them.

macro_rules! files {
    ($folder:literal: $($name:literal,)*) => {
        &[$(($name, include_str!(concat!("../../../examples/", $folder, "/", $name))),)*]
    };
}

/// A project: files by their names.
pub type Files = &'static [(&'static str, &'static str)];

/// The healthy one: nothing must be found in it.
pub const HEALTHY: Files = files!("healthy":
    "booking/.env.example",
    "booking/settings.py",
    "compose.yaml",
    "cron/export.sh",
    "deploy/booking.yaml",
    "desk/config.php",
    "fares/application.properties",
    "lookout/config.json",
    "ops/booking.service",
    "ops/pg_service.conf",
    "reports/reports.toml",
    "timetable/database.ini",
);

/// The broken one.
pub const BROKEN: Files = files!("broken":
    "booking/.env",
    "booking/settings.py",
    "compose.yaml",
    "cron/export.sh",
    "deploy/berths.yaml",
    "desk/config.php",
    "desk/tariff.yaml",
    "fares/application.properties",
    "lookout/config.json",
    "ops/odbc.ini",
    "ops/pg_service.conf",
    "reports/reports.toml",
    "timetable/database.ini",
    "tools/load.env",
);

/// What must be found in the broken one: the file, and what.
pub const BROKEN_FINDINGS: &[(&str, &str)] = &[
    ("booking/settings.py", "scheme-unknown"),
    ("booking/settings.py", "password-has-stray-whitespace"),
    ("booking/settings.py", "setting-inactive"),
    ("compose.yaml", "loopback-means-elsewhere"),
    ("compose.yaml", "placeholder-left-in"),
    ("cron/export.sh", "settings-unreadable"),
    ("deploy/berths.yaml", "stray-whitespace"),
    ("desk/config.php", "placeholder-left-in"),
    ("desk/config.php", "setting-inactive"),
    ("desk/config.php", "empty-password"),
    ("desk/config.php", "administrator-account-used"),
    ("desk/tariff.yaml", "backslash-eaten"),
    ("fares/application.properties", "scheme-unknown"),
    ("lookout/config.json", "character-not-escaped"),
    ("ops/odbc.ini", "client-library-missing"),
    ("reports/reports.toml", "port-of-other-engine"),
    ("timetable/database.ini", "port-mistyped"),
    ("timetable/database.ini", "character-not-escaped"),
    ("timetable/database.ini", "setting-missing"),
    ("tools/load.env", "container-name-outside"),
];

/// What the broken one's files say differently of one connection.
pub const BROKEN_DISAGREEMENTS: &[&str] = &["sailings", "sailings", "timetable"];

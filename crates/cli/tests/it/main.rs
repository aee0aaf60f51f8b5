//! All integration tests of this crate: one program, linked once.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::print_stderr,
    unreachable_pub,
    reason = "a test that cannot go on says so"
)]

mod alias_files;
mod allowlist;
mod bundles;
mod bundles_agree;
mod bundles_archives;
mod bundles_settings;
mod directory;
mod directory_peers;
mod docs;
mod explain;
mod first_path;
mod folders;
mod harm;
mod hostile;
mod hostile_directory;
mod hostile_encrypted;
mod hostile_sessions;
mod kernel_filters;
mod licences;
mod load;
mod lying_names;
mod mysql_stand_in;
mod namespaces;
mod namespaces_crossings;
mod namespaces_departure;
mod namespaces_directory;
mod namespaces_idle;
mod namespaces_lists;
mod namespaces_way;
mod options;
mod output;
mod real_administrators;
mod real_block;
mod real_bundles;
mod real_folders;
mod real_hosts;
mod real_instances;
mod real_key_files;
mod real_layouts;
mod real_library;
mod real_logs;
mod real_mariadb;
mod real_messages;
mod real_methods;
mod real_names;
mod real_pooler;
mod real_postgresql;
mod real_sessions;
mod real_settings;
mod real_tls;
mod secrets;
mod server_rules;
mod settings;
mod slips;
mod stand_in;
mod support;
mod this_machine;
mod usage;

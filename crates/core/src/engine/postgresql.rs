//! PostgreSQL: its strings, its protocol (version 3.0), its codes.

pub mod codec;
pub mod codes;
mod complete;
mod described;
mod encryption;
mod parameters;
mod password_file;
pub mod scram;
mod service;
mod service_file;
mod string;
mod talk;

use crate::conversation::Conversation;
use crate::fact::Service;
use crate::target::{EngineId, ShownTarget, Target};

use super::spec::{Draft, Engine, FileWanted, NotFollowed, Surroundings, TalkPlan};

/// The engine.
pub struct Postgresql;

impl Engine for Postgresql {
    fn id(&self) -> EngineId {
        EngineId::Postgresql
    }

    fn schemes(&self) -> &'static [&'static str] {
        &["postgresql", "postgres"]
    }

    fn adapters(&self) -> &'static [&'static str] {
        &["postgis", "pgsql", "psql", "pg", "pdo-pgsql", "pdo_pgsql"]
    }

    fn drivers(&self) -> Vec<&'static str> {
        string::DRIVERS.iter().map(|(name, _)| *name).collect()
    }

    fn jdbc_names(&self) -> &'static [&'static str] {
        &["postgresql"]
    }

    fn php_name(&self) -> Option<&'static str> {
        Some(string::PHP_LEAD)
    }

    fn odbc_words(&self) -> &'static [&'static str] {
        &["postgres", "psql"]
    }

    fn socket_folders(&self) -> &'static [&'static str] {
        &["/var/run/postgresql", "/tmp"]
    }

    fn at(&self, host: &str, port: u16) -> String {
        format!("host='{host}' port={port}")
    }

    fn queries(&self) -> &'static [(&'static str, &'static str)] {
        &[(talk::QUERY, "")]
    }

    fn usual_port(&self) -> Option<u16> {
        Some(string::USUAL_PORT)
    }

    fn usual_ports(&self) -> &'static [u16] {
        &[5432, 5433, 6432]
    }

    fn socket_files(&self) -> &'static [(&'static str, &'static str)] {
        &[(".s.PGSQL.", "")]
    }

    fn programs(&self) -> &'static [&'static str] {
        &["postgres", "postmaster", "pgbouncer"]
    }

    fn start_parameters(&self, target: &ShownTarget) -> Vec<&'static str> {
        parameters::parameters(&parameters::Told {
            client: target.client,
            user: target.user.as_ref(),
            database: target.database.as_ref(),
            options: &target.options,
        })
        .into_iter()
        .map(|(key, _)| key)
        .filter(|key| !matches!(*key, "user" | "database"))
        .collect()
    }

    fn first_bytes(&self) -> Vec<u8> {
        codec::ENCRYPTION_REQUEST.to_vec()
    }

    fn services(&self) -> &'static [Service] {
        &[Service::Postgresql, Service::Pgbouncer]
    }

    fn administrators(&self) -> &'static [&'static str] {
        &["postgres"]
    }

    fn variables(&self) -> &'static [&'static str] {
        complete::VARIABLES
    }

    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        string::read(text, line)
    }

    fn files(&self, draft: &Draft, around: &Surroundings) -> Vec<FileWanted> {
        complete::files(draft, around)
    }

    fn complete(&self, draft: Draft, around: &Surroundings) -> Result<Target, NotFollowed> {
        complete::complete(draft, around)
    }

    fn described(&self, target: &ShownTarget) -> String {
        described::described(target)
    }

    fn open(&self, plan: TalkPlan<'_>) -> Box<dyn Conversation> {
        Box::new(talk::Talk::new(&plan))
    }
}

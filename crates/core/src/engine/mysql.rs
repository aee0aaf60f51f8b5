//! MySQL and MariaDB: their strings, their protocol (version 10), their numbers.

pub mod codec;
pub mod codes;
mod complete;
mod described;
mod encryption;
pub mod methods;
mod option_file;
mod string;
mod talk;

use crate::conversation::Conversation;
use crate::fact::Service;
use crate::target::{EngineId, ShownTarget, Target};

use super::spec::{Draft, Engine, FileWanted, NotFollowed, Surroundings, TalkPlan};

/// The engine.
pub struct Mysql;

impl Engine for Mysql {
    fn id(&self) -> EngineId {
        EngineId::Mysql
    }

    fn schemes(&self) -> &'static [&'static str] {
        &["mysql", "mariadb"]
    }

    fn adapters(&self) -> &'static [&'static str] {
        &[
            "mysql2",
            "mysqli",
            "mysqlgis",
            "trilogy",
            "pdo-mysql",
            "pdo_mysql",
        ]
    }

    fn drivers(&self) -> Vec<&'static str> {
        string::DRIVERS.iter().map(|(name, _)| *name).collect()
    }

    fn jdbc_names(&self) -> &'static [&'static str] {
        &["mysql", "mariadb"]
    }

    fn php_name(&self) -> Option<&'static str> {
        Some(string::PHP_LEAD)
    }

    fn odbc_words(&self) -> &'static [&'static str] {
        &["mysql", "mariadb"]
    }

    fn queries(&self) -> &'static [(&'static str, &'static str)] {
        &[
            (talk::MARIADB_QUERY, "where the server is MariaDB: "),
            (talk::MYSQL_QUERY, "where it is MySQL: "),
        ]
    }

    fn usual_port(&self) -> Option<u16> {
        Some(string::USUAL_PORT)
    }

    fn usual_ports(&self) -> &'static [u16] {
        &[3306, 3307]
    }

    fn socket_files(&self) -> &'static [(&'static str, &'static str)] {
        &[("mysql", ".sock"), ("mariadb", ".sock")]
    }

    fn programs(&self) -> &'static [&'static str] {
        &["mysqld", "mariadbd"]
    }

    fn start_parameters(&self, _: &ShownTarget) -> Vec<&'static str> {
        Vec::new()
    }

    fn services(&self) -> &'static [Service] {
        &[Service::Mysql, Service::Mariadb]
    }

    fn administrators(&self) -> &'static [&'static str] {
        &["root"]
    }

    fn variables(&self) -> &'static [&'static str] {
        complete::VARIABLES
    }

    fn socket_folders(&self) -> &'static [&'static str] {
        &["/run/mysqld", "/var/lib/mysql", "/tmp"]
    }

    fn signs_in_without_password(&self) -> bool {
        true
    }

    fn server_greets(&self) -> bool {
        true
    }

    fn counts_lines(&self) -> bool {
        true
    }

    fn read(&self, text: &str, line: Option<u32>) -> Draft {
        string::read(text, line)
    }

    fn at(&self, host: &str, port: u16) -> String {
        match host.contains(':') {
            true => format!("mysql://[{host}]:{port}"),
            false => format!("mysql://{host}:{port}"),
        }
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

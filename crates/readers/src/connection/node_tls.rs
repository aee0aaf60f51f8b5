//! What programs for Node say of encryption in objects: `ssl: true`, `ssl:
//! {rejectUnauthorized: false}`, by themselves or inside what a framework hands to its
//! driver.

use chronaxis_engines::{Draft, MYSQL};
use chronaxis_model::sourced::Sourced;
use chronaxis_model::target::{ClientId, EngineId};

use super::Source;
use crate::entry::Entry;
use crate::grouping::Group;

/// Keys under which frameworks keep what is the driver's.
const HANDED_ON: &[&str] = &["dialectOptions", "extra", "options"];

impl Source<'_> {
    /// Takes what stands under `ssl`, for a driver for Node that has not been told by a
    /// string. Every such driver checks the certificate unless told not to.
    pub(super) fn tls_object(&self, group: &Group, draft: &mut Draft, engine: Option<EngineId>) {
        let of_node = matches!(
            draft.client,
            ClientId::NodePostgres | ClientId::PostgresJs | ClientId::NodeMysql
        );
        let key = match engine {
            Some(MYSQL) => "ssl_mode",
            _ => "sslmode",
        };
        if !of_node || draft.values.contains_key(key) {
            return;
        }
        let sequelize = self.packages.iter().any(|p| p.name == "sequelize");
        let beside = |e: &Entry| e.holder() == group.holder.as_slice() && e.key() == "dialect";
        let of_sequelize = sequelize && self.entries.iter().any(beside);
        let under = |e: &&Entry| {
            let inner = e
                .path
                .strip_prefix(group.holder.as_slice())
                .unwrap_or_default();
            let inner = match inner.split_first() {
                Some((first, rest)) if HANDED_ON.contains(&first.as_str()) => rest,
                _ => inner,
            };
            // Sequelize hands on what stands in its options of the dialect alone (measured with
            // its version 6).
            let lost = of_sequelize && e.path.len() == group.holder.len() + 1;
            !lost
                && e.document == group.document
                && inner.first().is_some_and(|first| first == "ssl")
        };
        let told: Vec<&Entry> = self.entries.iter().filter(under).collect();
        let Some(first) = told.first() else {
            return;
        };
        let text = |entry: &Entry| (self.worth)(entry).as_str().to_owned();
        let off =
            |entry: &&Entry| entry.key() == "ssl" && matches!(text(entry).as_str(), "false" | "");
        let unchecked = |entry: &&Entry| match entry.key() {
            "ssl" => draft.client == ClientId::PostgresJs && text(entry) == "require",
            key => key == "rejectUnauthorized" && text(entry) == "false",
        };
        if told.iter().any(off) {
            return;
        }
        let mode = match (told.iter().any(unchecked), engine) {
            (true, Some(MYSQL)) => "REQUIRED",
            (false, Some(MYSQL)) => "VERIFY_IDENTITY",
            (true, _) => "require",
            (false, _) => "verify-full",
        };
        let origin = self.places.origin(first, &(self.worth)(first), 0);
        let value = Sourced::new(mode.to_owned(), origin);
        draft.values.insert(key.to_owned(), value);
    }
}

//! All engines: one line each.

use std::sync::RwLock;

use chronaxis_model::target::EngineId;

use crate::spec::Engine;
use crate::{directory, mysql, postgresql, tls, unspoken};

/// Those that the program has itself.
static BUILT_IN: &[&Engine] = &[
    &postgresql::ENGINE,
    &mysql::ENGINE,
    &unspoken::TDS,
    &unspoken::MONGODB,
    &directory::ENGINE,
    &unspoken::TCP,
    &tls::ENGINE,
];

static ALL: RwLock<&'static [&'static Engine]> = RwLock::new(BUILT_IN);

/// All engines.
pub fn engines() -> &'static [&'static Engine] {
    *ALL.read()
        .unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// Adds an engine from another crate, before anything is read or walked. It takes part in
/// everything that goes by [`engines`]: reading, checks, recognition, walks.
pub fn register(engine: &'static Engine) {
    let mut all = ALL
        .write()
        .unwrap_or_else(std::sync::PoisonError::into_inner);
    if all.iter().all(|known| known.spec.id != engine.spec.id) {
        let mut more = all.to_vec();
        more.push(engine);
        *all = more.leak();
    }
}

/// The engine of this id, if there is one.
pub fn find(id: EngineId) -> Option<&'static Engine> {
    engines().iter().copied().find(|e| e.spec.id == id)
}

/// The engine of this id. An id that no engine has, as in the case of a later version, is
/// taken for a port of which no more is known.
pub fn by_id(id: EngineId) -> &'static Engine {
    find(id).unwrap_or(&unspoken::TCP)
}

/// The name by which people call an engine.
pub fn title(id: EngineId) -> &'static str {
    find(id).map_or(id.as_str(), |engine| engine.spec.title)
}

//! Whose rules count for separate fields, and what these clients call things.

use chronaxis_engines::{ClientRule, Language, by_id, engines};
use chronaxis_model::target::{ClientId, EngineId};

use crate::entry::Entry;
use crate::format::Format;
use crate::names::Role;
use crate::traced::Traced;

/// What an engine's clients call an option of encryption.
pub(crate) fn own_name(engine: Option<EngineId>, name: &'static str) -> &'static str {
    let own_names = engine.map_or(&[][..], |id| by_id(id).spec.own_names);
    let own = own_names.iter().find(|(other, _)| *other == name);
    own.map_or(name, |(_, own)| own)
}

/// The engine whose usual port stands there.
pub(crate) fn engine_by_port(fields: &[(Role, &Entry, Traced)]) -> Option<EngineId> {
    let (_, _, port) = fields.iter().find(|(role, ..)| *role == Role::Port)?;
    let port = port.as_str().trim().parse::<u16>().ok()?;
    let usual = engines().iter().find(|e| e.spec.usual_port == Some(port))?;
    Some(usual.spec.id)
}

/// Whose rules count for separate fields, by driver and format.
pub(crate) fn client(engine: Option<EngineId>, driver: &str, format: Format) -> ClientId {
    let low = driver.to_ascii_lowercase();
    let java = low.contains("jdbc") || low.starts_with("org.") || low.starts_with("com.");
    let speaks = |language: Language| match language {
        Language::Java => java,
        Language::Php => format == Format::Php,
    };
    let fits = |rule: &&ClientRule| {
        rule.word.is_none_or(|word| low.contains(word)) && rule.language.is_none_or(speaks)
    };
    let rules = engine.map_or(&[][..], |id| by_id(id).spec.clients);
    let rule = rules.iter().find(fits);
    rule.map_or(ClientId::Plain, |rule| rule.client)
}

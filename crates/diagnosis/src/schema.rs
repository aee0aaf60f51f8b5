//! The JSON Schemas of the documents: those of their types, with the identifiers that the
//! engines bring.

use chronaxis_engines::{engines, services};
use chronaxis_model::document;
use schemars::JsonSchema;
use serde_json::{Value, json};

/// The JSON Schema of a document (draft 2020-12), under its format's name.
pub(crate) fn schema_of<T: JsonSchema>(format: &str) -> Value {
    let mut schema = document::schema_of::<T>(format);
    let titles = engines().iter().map(|e| (e.spec.id.as_str(), e.spec.title));
    list(&mut schema, "EngineId", "The protocol spoken.", titles);
    let titles = services().map(|(service, title)| (service.as_str(), title));
    list(
        &mut schema,
        "Service",
        "Something that answers on a port.",
        titles,
    );
    schema
}

/// Lists the identifiers of a type.
fn list<'a>(
    schema: &mut Value,
    name: &str,
    description: &str,
    titles: impl Iterator<Item = (&'a str, &'a str)>,
) {
    let Some(place) = schema.pointer_mut(&format!("/$defs/{name}")) else {
        return;
    };
    let each: Vec<Value> = titles
        .map(|(id, title)| json!({"type": "string", "const": id, "description": title}))
        .collect();
    *place = json!({"oneOf": each, "description": description});
}

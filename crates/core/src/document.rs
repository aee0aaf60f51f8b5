//! What all JSON documents of this program have in common: the frame, and how their
//! schemas are made.

use schemars::JsonSchema;
use serde_json::Value;

/// The JSON Schema of a document (draft 2020-12), made from its type, under its format's
/// name.
pub fn schema_of<T: JsonSchema>(format: &str) -> Value {
    let mut schema = schemars::schema_for!(T).to_value();
    if let Some(root) = schema.as_object_mut() {
        root.insert("title".to_owned(), format.into());
    }
    schema
}

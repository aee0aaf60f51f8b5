//! What all JSON documents of this program have in common: the frame, and how their
//! schemas are made.

use std::io::{self, Write};

use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use serde_json::ser::{CompactFormatter, Formatter, PrettyFormatter, Serializer};

/// The JSON Schema of a document (draft 2020-12), made from its type, under its format's
/// name.
pub fn schema_of<T: JsonSchema>(format: &str) -> Value {
    let mut schema = schemars::schema_for!(T).to_value();
    if let Some(root) = schema.as_object_mut() {
        root.insert("title".to_owned(), format.into());
    }
    schema
}

/// A document as JSON (RFC 8259), on one line or over several. Control and bidirectional
/// characters in strings are written as escapes: whoever prints the text is not fooled by
/// them.
///
/// # Errors
/// Passes on that a value has no form in JSON.
pub fn to_json<T: Serialize>(document: &T, one_line: bool) -> serde_json::Result<String> {
    let mut bytes = Vec::new();
    if one_line {
        let formatter = Visible(CompactFormatter);
        document.serialize(&mut Serializer::with_formatter(&mut bytes, formatter))?;
    } else {
        let formatter = Visible(PrettyFormatter::new());
        document.serialize(&mut Serializer::with_formatter(&mut bytes, formatter))?;
    }
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// Writes what another formatter writes, with escapes for what cannot be seen.
struct Visible<F>(F);

impl<F: Formatter> Formatter for Visible<F> {
    fn write_string_fragment<W: ?Sized + Write>(
        &mut self,
        out: &mut W,
        fragment: &str,
    ) -> io::Result<()> {
        let mut rest = fragment;
        while let Some((at, odd)) = rest
            .char_indices()
            .find(|(_, c)| crate::redact::is_control(*c))
        {
            out.write_all(rest.get(..at).unwrap_or_default().as_bytes())?;
            let mut units = [0; 2];
            for unit in odd.encode_utf16(&mut units) {
                write!(out, "\\u{unit:04x}")?;
            }
            rest = rest.get(at + odd.len_utf8()..).unwrap_or_default();
        }
        out.write_all(rest.as_bytes())
    }

    fn begin_array<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_array(out)
    }

    fn end_array<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_array(out)
    }

    fn begin_array_value<W: ?Sized + Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_array_value(out, first)
    }

    fn end_array_value<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_array_value(out)
    }

    fn begin_object<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_object(out)
    }

    fn end_object<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_object(out)
    }

    fn begin_object_key<W: ?Sized + Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_object_key(out, first)
    }

    fn end_object_key<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_object_key(out)
    }

    fn begin_object_value<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_object_value(out)
    }

    fn end_object_value<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_object_value(out)
    }
}

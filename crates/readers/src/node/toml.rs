//! TOML 1.0 as a tree.

use std::borrow::Cow;
use std::ops::Range;

use toml_edit::{Document, Item, Table, TableLike, Value};

use super::{Broken, Field, Is, Node};

/// Least bytes of a piece: few enough that what the parser builds of one stays in the
/// processor's cache.
const PIECE: usize = 64 * 1024;

/// A text, and where in the whole it begins.
#[derive(Clone, Copy)]
struct Piece<'a> {
    text: &'a str,
    offset: usize,
}

impl<'a> Piece<'a> {
    fn parsed(self) -> Result<Document<&'a str>, Broken> {
        let text = self.text;
        Document::parse(text).map_err(|error| {
            let at = error.span().map_or(0, |span| span.start.min(text.len()));
            let said = error.message().lines().next().unwrap_or_default();
            let what = format!(
                "this is no TOML: {}",
                chronaxis_model::redact::visible(said)
            );
            Broken::new(
                self.offset + at,
                what,
                "TOML: key = \"value\" under [table]",
            )
        })
    }

    fn in_whole(self, at: &Range<usize>) -> Range<usize> {
        at.start + self.offset..at.end + self.offset
    }
}

pub(crate) fn read(text: &str) -> Result<Node<'_>, Broken> {
    let whole = Piece { text, offset: 0 };
    Ok(table(whole.parsed()?.as_table(), whole))
}

/// The same, piece by piece, cut where a table of the array `name` begins: a long list costs
/// the memory of a piece. `of` is the part of the text that is read. All but the first piece
/// hold that array alone. Nothing where the
/// text cannot be read like that; whether it can be read at all, the whole says.
///
/// A cut within a text or an array leaves that open at the end of its piece, so that none is
/// read as something else.
pub(crate) fn pieces<'a>(
    text: &'a str,
    of: Range<usize>,
    name: &str,
) -> impl Iterator<Item = Option<Node<'a>>> {
    let header = header(name);
    let name = name.to_owned();
    let mut offset = of.start;
    std::iter::from_fn(move || {
        let rest = text.get(offset..of.end).filter(|rest| !rest.is_empty())?;
        let from = (PIECE..rest.len()).find(|n| rest.is_char_boundary(*n));
        let next = from.and_then(|from| rest.get(from..)?.find(&header).map(|n| from + n + 1));
        let end = next.unwrap_or(rest.len());
        let piece = Piece {
            text: rest.get(..end).unwrap_or_default(),
            offset,
        };
        let is_first = offset == 0;
        offset += end;
        Some(piece.parsed().ok().and_then(|document| {
            let fits = document.iter().all(|(key, item)| match key == name {
                true => item.is_array_of_tables(),
                false => is_first,
            });
            fits.then(|| table(document.as_table(), piece))
        }))
    })
}

/// How a table of an array begins, on a line of its own.
fn header(name: &str) -> String {
    format!("\n[[{name}]]")
}

/// Where the second half of a long text begins, at a table of the array `name`.
pub(crate) fn half(text: &str, name: &str) -> Option<usize> {
    let middle = (text.len() / 2..text.len()).find(|n| text.is_char_boundary(*n))?;
    let long = text.len() > 8 * PIECE;
    let found = text.get(middle..)?.find(&header(name)).filter(|_| long)?;
    Some(middle + found + 1)
}

fn table<'a>(table: &Table, piece: Piece<'a>) -> Node<'a> {
    let mut at = piece.in_whole(&table.span().unwrap_or(0..0));
    let mut fields = Vec::with_capacity(table.len());
    for (name, item) in table {
        let name_at = table.key(name).and_then(|k| k.span()).unwrap_or(0..0);
        let value = match item {
            Item::Table(inner) => self::table(inner, piece),
            Item::ArrayOfTables(list) => {
                let elements: Vec<Node<'a>> =
                    list.iter().map(|inner| self::table(inner, piece)).collect();
                Node {
                    at: piece.in_whole(&list.span().unwrap_or_else(|| name_at.clone())),
                    is: Is::List(elements),
                }
            }
            Item::Value(inner) => value(inner, &name_at, piece),
            Item::None => continue,
        };
        at.end = at.end.max(value.at.end);
        fields.push(Field {
            name: written(name, &name_at, piece),
            name_at: piece.in_whole(&name_at),
            value,
        });
    }
    Node {
        at,
        is: Is::Map(fields),
    }
}

/// A key, as it stands in the text where it is written as it reads.
fn written<'a>(name: &str, at: &Range<usize>, piece: Piece<'a>) -> Cow<'a, str> {
    match piece.text.get(at.clone()) {
        Some(raw) if raw == name => Cow::Borrowed(raw),
        _ => Cow::Owned(name.to_owned()),
    }
}

fn value<'a>(value: &Value, otherwise: &Range<usize>, piece: Piece<'a>) -> Node<'a> {
    let at = value.span().unwrap_or_else(|| otherwise.clone());
    let raw = piece.text.get(at.clone()).unwrap_or_default();
    let is = match value {
        Value::String(string) => {
            // Where nothing is escaped, the text itself serves.
            let inner = raw.get(1..raw.len().saturating_sub(1)).unwrap_or_default();
            match inner == string.value() {
                true => Is::Text(Cow::Borrowed(inner)),
                false => Is::Text(Cow::Owned(string.value().clone())),
            }
        }
        Value::Integer(number) => Is::Bare(Cow::Owned(number.value().to_string())),
        Value::Float(_) | Value::Boolean(_) | Value::Datetime(_) => Is::Bare(Cow::Borrowed(raw)),
        Value::Array(array) => Is::List(array.iter().map(|v| self::value(v, &at, piece)).collect()),
        Value::InlineTable(inner) => {
            let fields = TableLike::iter(inner).filter_map(|(name, item)| {
                let name_at = inner.key(name).and_then(|k| k.span()).unwrap_or(0..0);
                let value = self::value(item.as_value()?, &name_at, piece);
                Some(Field {
                    name: written(name, &name_at, piece),
                    name_at: piece.in_whole(&name_at),
                    value,
                })
            });
            Is::Map(fields.collect())
        }
    };
    Node {
        at: piece.in_whole(&at),
        is,
    }
}

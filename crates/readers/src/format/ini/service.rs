//! PostgreSQL's service file, as its library reads it (its documentation, "The Connection
//! Service File"): the keys are the library's own, none has a blank behind it, and all that
//! stands behind the sign is the value. Of two the first counts.

use std::collections::BTreeSet;

use chronaxis_engines::libpq_takes;

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::text::Text;
use crate::traced::Traced;

pub(crate) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut section: Option<String> = None;
    let mut seen: BTreeSet<Vec<String>> = BTreeSet::new();
    for (start, line) in text.lines() {
        let line = line.trim_end();
        let bare = line.trim_start();
        let at = start + (line.len() - bare.len());
        if bare.is_empty() || bare.starts_with('#') {
            continue;
        }
        if let Some(inner) = bare.strip_prefix('[') {
            match inner.split_once(']') {
                Some((name, _)) => section = Some(name.to_owned()),
                None => parsed.trouble(at, "the bracket of a section is not closed", "[section]"),
            }
            continue;
        }
        let Some(section) = &section else {
            parsed.trouble(at, "a line before the first section", "[section]");
            continue;
        };
        let Some(sign) = bare.find('=') else {
            let what = "a line without \"=\"; PostgreSQL's library gives this service up";
            parsed.refuse_in(section.clone(), at, what, "key=value");
            continue;
        };
        let key = bare.get(..sign).unwrap_or_default();
        if !libpq_takes(key) {
            let blank = key != key.trim_end();
            let what = match blank {
                true => "a blank before \"=\" belongs to the key; PostgreSQL's library gives this service up".to_owned(),
                false => format!(
                    "PostgreSQL's library has no keyword {}, and gives this service up",
                    chronaxis_model::shown::quoted("name", key)
                ),
            };
            let expected = match blank {
                true => "no blank before \"=\"",
                false => "a keyword of PostgreSQL's library, such as dbname or user",
            };
            parsed.refuse_in(section.clone(), at, what, expected);
        }
        let from = at + sign + 1;
        let raw = bare.get(sign + 1..).unwrap_or_default();
        let value = Value::text(
            Traced::verbatim(raw, from),
            from..from + raw.len(),
            Quotes::None,
        );
        let path = vec![section.clone(), key.trim_end().to_owned()];
        if seen.insert(path.clone()) {
            let key_at = at..at + key.trim_end().len();
            parsed.entries.push(Entry::new(path, key_at, value));
        }
    }
    parsed
}

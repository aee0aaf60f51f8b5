//! How a value must be written so that a reader gets it.

use super::Reader;
use crate::entry::Part;
use crate::text::Text;

/// The value as it must stand behind `NAME=`: the first way of writing it that this reader
/// reads back as just this value; with what is done to it, in words.
pub(crate) fn written(reader: &Reader, value: &str) -> Option<(String, &'static str)> {
    let escaped = |sign: char| {
        let mut out = String::new();
        for c in value.chars() {
            if c == '\\' || c == sign || c == '$' {
                out.push('\\');
            }
            out.push(c);
        }
        out
    };
    let ways = [
        (value.to_owned(), "without quotes"),
        (format!("'{value}'"), "in single quotes"),
        (format!("\"{value}\""), "in double quotes"),
        (
            format!("\"{}\"", escaped('"')),
            "in double quotes, with a backslash before each \", $ and \\",
        ),
        (
            format!("'{}'", value.replace('\'', "'\\''")),
            "in single quotes, each ' in it written as '\\''",
        ),
        (value.replace('$', "\\$"), "with a backslash before each $"),
        (value.replace('\\', "\\\\"), "with each backslash doubled"),
        (format!("`{value}`"), "in back quotes"),
    ];
    ways.into_iter()
        .find(|(way, _)| read_back(reader, way).as_deref() == Some(value))
}

fn read_back(reader: &Reader, way: &str) -> Option<String> {
    let parsed = (reader.read)(&Text::new(format!("A={way}\nB=b\n")));
    if parsed.refused.is_some() || parsed.entries.len() != 2 {
        return None;
    }
    let entry = parsed.entries.iter().find(|e| e.key() == "A")?;
    let mut out = String::new();
    for part in &entry.value.parts {
        match part {
            Part::Text(text) => out.push_str(text.as_str()),
            Part::Look(_) | Part::Name(_) | Part::Unknown => return None,
        }
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::reader::by_id;

    #[test]
    fn each_reader_gets_the_value_back() {
        let cases = [
            ("node-dotenv", "ti#de", "'ti#de'"),
            ("python-dotenv", "ti#de", "ti#de"),
            ("bash", "it's $5", "\"it's \\$5\""),
            ("systemd", "a\\b", "'a\\b'"),
            ("container", "ti de", "ti de"),
            ("compose", "pa$wd", "'pa$wd'"),
        ];
        for (id, value, wanted) in cases {
            let way = written(by_id(id).unwrap(), value).map(|(way, _)| way);
            assert_eq!(way.as_deref(), Some(wanted), "{id}");
        }
        assert_eq!(written(by_id("container").unwrap(), "a\nb"), None);
    }
}

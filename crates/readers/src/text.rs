//! From bytes to text: byte order marks, encodings, lines.

/// The text of a file, with its lines.
pub struct Text {
    /// The text itself; offsets count its bytes.
    pub string: String,
    /// What is odd about the bytes, in words.
    pub oddities: Vec<&'static str>,
    lines: Vec<usize>,
}

/// The bytes are no text: they hold zero bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Binary;

impl Text {
    /// Takes a text as it is.
    pub fn new(string: String) -> Text {
        let ends = string.bytes().enumerate().filter(|(_, b)| *b == b'\n');
        let lines = std::iter::once(0)
            .chain(ends.map(|(at, _)| at + 1))
            .collect();
        Text {
            string,
            oddities: Vec::new(),
            lines,
        }
    }

    /// Decodes UTF-8, with or without a byte order mark, and UTF-16 with one (RFC 3629,
    /// section 6; RFC 2781, section 3.2). What is not UTF-8 is replaced, and said.
    ///
    /// # Errors
    /// Says that it is no text.
    pub fn decode(bytes: &[u8]) -> Result<Text, Binary> {
        if let Some(rest) = bytes.strip_prefix(b"\xff\xfe") {
            return Ok(Text::of_units(rest, u16::from_le_bytes));
        }
        if let Some(rest) = bytes.strip_prefix(b"\xfe\xff") {
            return Ok(Text::of_units(rest, u16::from_be_bytes));
        }
        let head = bytes.get(..8000).unwrap_or(bytes);
        if head.contains(&0) {
            return Err(Binary);
        }
        let marked = bytes.strip_prefix(b"\xef\xbb\xbf");
        let body = marked.unwrap_or(bytes);
        let mut oddities = Vec::new();
        if marked.is_some() {
            oddities.push("it begins with a byte order mark");
        }
        let string = match std::str::from_utf8(body) {
            Ok(text) => text.to_owned(),
            Err(_) => {
                oddities.push("it is not UTF-8 text throughout");
                String::from_utf8_lossy(body).into_owned()
            }
        };
        let mut text = Text::new(string);
        text.oddities = oddities;
        Ok(text)
    }

    fn of_units(bytes: &[u8], unit: fn([u8; 2]) -> u16) -> Text {
        let units = bytes.chunks_exact(2).map(|pair| match pair {
            [a, b] => unit([*a, *b]),
            _ => 0xfffd,
        });
        let string: String = char::decode_utf16(units)
            .map(|c| c.unwrap_or(char::REPLACEMENT_CHARACTER))
            .collect();
        let mut text = Text::new(string);
        text.oddities
            .push("it is UTF-16, which few programs read as settings");
        text
    }

    /// Line and column of a byte, both from 1, the column in characters.
    pub fn position(&self, at: usize) -> (u32, u32) {
        let at = at.min(self.string.len());
        let line = self.lines.partition_point(|start| *start <= at);
        let start = self.lines.get(line.saturating_sub(1)).copied().unwrap_or(0);
        let before = self.string.get(start..at).unwrap_or_default();
        let count = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        (count(line), count(before.chars().count() + 1))
    }

    /// The lines with the byte at which each begins; without their line feed.
    pub fn lines(&self) -> impl Iterator<Item = (usize, &str)> {
        self.lines.iter().enumerate().filter_map(|(index, start)| {
            let end = self
                .lines
                .get(index + 1)
                .map_or(self.string.len(), |e| e - 1);
            Some((*start, self.string.get(*start..end)?))
        })
    }

    /// The byte at which a line begins, counted from 1.
    pub fn line_start(&self, line: usize) -> usize {
        let found = self.lines.get(line.saturating_sub(1));
        found.copied().unwrap_or(self.string.len())
    }
}

/// How deep brackets nest, outside quotes at least roughly: enough to keep parsers that
/// call themselves away from what nobody wrote by hand.
pub(crate) fn depth(text: &str) -> usize {
    let (mut now, mut most) = (0usize, 0usize);
    for byte in text.bytes() {
        match byte {
            b'[' | b'{' | b'(' => {
                now += 1;
                most = most.max(now);
            }
            b']' | b'}' | b')' => now = now.saturating_sub(1),
            _ => {}
        }
    }
    most
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_encodings_and_lines() {
        let marked = Text::decode(b"\xef\xbb\xbfHOST=a\r\nPORT=b\n").unwrap_or_else(|_| panic!());
        assert_eq!(marked.string, "HOST=a\r\nPORT=b\n");
        assert_eq!(marked.oddities.len(), 1);
        assert_eq!(marked.position(8), (2, 1));
        let lines: Vec<&str> = marked.lines().map(|(_, l)| l).collect();
        assert_eq!(lines, ["HOST=a\r", "PORT=b", ""]);
        let wide: Vec<u8> = "\u{feff}é=1"
            .encode_utf16()
            .flat_map(u16::to_le_bytes)
            .collect();
        assert_eq!(
            Text::decode(&wide).map(|t| t.string).ok().as_deref(),
            Some("é=1")
        );
        assert!(Text::decode(b"a\0b").is_err());
        assert!(Text::decode(b"a\xffb").is_ok_and(|t| t.string == "a\u{fffd}b"));
        assert_eq!(Text::new("é=x".to_owned()).position(3), (1, 3));
    }
}

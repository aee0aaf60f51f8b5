//! Lines, fields and words of host rules, as the server takes them apart.

use std::ops::Range;

/// A word.
#[derive(Clone, Debug)]
pub(super) struct Token {
    /// Without its quotes.
    pub(super) text: String,
    /// Whether it began with a quote.
    pub(super) quoted: bool,
    pub(super) at: Range<usize>,
}

/// Words with commas between.
#[derive(Clone, Debug)]
pub(super) struct Field {
    pub(super) tokens: Vec<Token>,
}

/// A line with what is continued behind a backslash.
#[derive(Clone, Debug)]
pub(super) struct Line {
    pub(super) at: Range<usize>,
    pub(super) fields: Vec<Field>,
}

/// The lines that are not empty, comments taken off.
pub(super) fn lines(text: &str) -> Vec<Line> {
    let mut out = Vec::new();
    let mut signs: Vec<(usize, char)> = Vec::new();
    let mut at = 0;
    for raw in text.split_inclusive('\n') {
        let body = raw.trim_end_matches(['\r', '\n']);
        // The joining comes before comments are looked for: a comment goes on too.
        let goes_on = body.ends_with('\\') && at + raw.len() < text.len();
        let kept = match goes_on {
            true => body.get(..body.len() - 1).unwrap_or_default(),
            false => body,
        };
        signs.extend(kept.char_indices().map(|(i, c)| (at + i, c)));
        at += raw.len();
        if !goes_on {
            out.extend(line(&signs));
            signs.clear();
        }
    }
    out.extend(line(&signs));
    out
}

fn is_blank(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\r')
}

fn line(signs: &[(usize, char)]) -> Option<Line> {
    let mut scan = Scan { signs, next: 0 };
    let mut fields = Vec::new();
    loop {
        let mut tokens = Vec::new();
        while let Some((token, goes_on)) = scan.token() {
            tokens.push(token);
            if !goes_on {
                break;
            }
        }
        match tokens.is_empty() {
            true => break,
            false => fields.push(Field { tokens }),
        }
    }
    let first = fields.first()?.tokens.first()?.at.start;
    let last = fields.last()?.tokens.last()?.at.end;
    Some(Line {
        at: first..last,
        fields,
    })
}

struct Scan<'a> {
    signs: &'a [(usize, char)],
    next: usize,
}

impl Scan<'_> {
    fn peek(&self) -> Option<(usize, char)> {
        self.signs.get(self.next).copied()
    }

    /// The next word, and whether a comma ends it.
    fn token(&mut self) -> Option<(Token, bool)> {
        while self.peek().is_some_and(|(_, c)| is_blank(c) || c == ',') {
            self.next += 1;
        }
        let start = self.peek()?.0;
        let mut token = Token {
            text: String::new(),
            quoted: false,
            at: start..start,
        };
        let (mut in_quote, mut was_quote, mut comma) = (false, false, false);
        let mut taken = false;
        while let Some((at, c)) = self.peek().filter(|(_, c)| !is_blank(*c) || in_quote) {
            if c == '#' && !in_quote {
                self.next = self.signs.len();
                break;
            }
            self.next += 1;
            if c == ',' && !in_quote {
                comma = true;
                break;
            }
            if c != '"' || was_quote {
                token.text.push(c);
            }
            was_quote = in_quote && c == '"' && !was_quote;
            if c == '"' {
                in_quote = !in_quote;
                token.quoted |= token.text.is_empty();
            }
            taken = true;
            token.at.end = at + c.len_utf8();
        }
        (taken || comma)
            .then_some((token, comma))
            .filter(|(t, _)| t.quoted || !t.text.is_empty())
    }
}

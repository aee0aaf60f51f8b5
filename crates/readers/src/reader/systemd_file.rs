//! `EnvironmentFile=` of a service unit (systemd.exec(5); measured with 252).

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{Letter, Pieces, letters, text as text_of, trimmed_end};
use crate::text::Text;

enum State {
    BeforeKey,
    Key,
    BeforeValue,
    Value,
    ValueEscape,
    Single,
    Double,
    DoubleEscape,
    Comment,
    CommentEscape,
}

fn is_blank(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\n' | '\r')
}

fn ends_line(c: char) -> bool {
    matches!(c, '\n' | '\r')
}

#[derive(Default)]
struct Line {
    key: Vec<Letter>,
    value: Vec<Letter>,
    from: Option<usize>,
    to: usize,
    quotes: Quotes,
    /// How much of the value stands, whatever blanks follow it.
    stands: usize,
}

impl Line {
    fn take(&mut self, letter: Letter) {
        self.from.get_or_insert(letter.at);
        self.to = letter.at + letter.c.len_utf8();
    }
}

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut state = State::BeforeKey;
    let mut line = Line::default();
    for letter in letters(&text.string, 0) {
        let c = letter.c;
        state = match state {
            State::BeforeKey => match c {
                '#' | ';' => State::Comment,
                c if is_blank(c) => State::BeforeKey,
                _ => {
                    line = Line::default();
                    line.key.push(letter);
                    State::Key
                }
            },
            State::Key => match c {
                c if ends_line(c) => State::BeforeKey,
                '=' => State::BeforeValue,
                _ => {
                    line.key.push(letter);
                    State::Key
                }
            },
            State::BeforeValue => {
                if ends_line(c) {
                    over(&mut parsed, &mut line);
                    State::BeforeKey
                } else if is_blank(c) {
                    State::BeforeValue
                } else {
                    line.take(letter);
                    match c {
                        '\'' => State::Single,
                        '"' => State::Double,
                        '\\' => State::ValueEscape,
                        _ => {
                            line.value.push(letter);
                            State::Value
                        }
                    }
                }
            }
            State::Value => {
                if ends_line(c) {
                    let stands = line.stands;
                    let (kept, open) = line.value.split_at(stands.min(line.value.len()));
                    let open = trimmed_end(open, is_blank).to_vec();
                    line.value = [kept, &open].concat();
                    over(&mut parsed, &mut line);
                    State::BeforeKey
                } else if c == '\\' {
                    line.take(letter);
                    // Blanks before it are inside the value now.
                    line.stands = line.value.len();
                    State::ValueEscape
                } else {
                    if !is_blank(c) {
                        line.take(letter);
                    }
                    line.value.push(letter);
                    State::Value
                }
            }
            State::ValueEscape => {
                if !ends_line(c) {
                    line.take(letter);
                    line.value.push(Letter {
                        as_is: false,
                        ..letter
                    });
                    line.stands = line.value.len();
                }
                State::Value
            }
            State::Single => {
                line.take(letter);
                match c {
                    '\'' => {
                        line.quotes = Quotes::Literal;
                        line.stands = line.value.len();
                        State::BeforeValue
                    }
                    _ => {
                        line.value.push(letter);
                        State::Single
                    }
                }
            }
            State::Double => {
                line.take(letter);
                match c {
                    '"' => {
                        line.quotes = Quotes::Escaped;
                        line.stands = line.value.len();
                        State::BeforeValue
                    }
                    '\\' => State::DoubleEscape,
                    _ => {
                        line.value.push(letter);
                        State::Double
                    }
                }
            }
            State::DoubleEscape => {
                line.take(letter);
                if matches!(c, '"' | '\\' | '`' | '$') {
                    line.value.push(Letter {
                        as_is: false,
                        ..letter
                    });
                } else if c != '\n' {
                    line.value.push(Letter {
                        c: '\\',
                        at: letter.at.saturating_sub(1),
                        as_is: true,
                    });
                    line.value.push(letter);
                }
                State::Double
            }
            State::Comment => match c {
                '\\' => State::CommentEscape,
                c if ends_line(c) => State::BeforeKey,
                _ => State::Comment,
            },
            State::CommentEscape => State::Comment,
        };
    }
    match state {
        State::BeforeValue
        | State::ValueEscape
        | State::Single
        | State::Double
        | State::DoubleEscape => over(&mut parsed, &mut line),
        State::Value => {
            let stands = line.stands;
            let (kept, open) = line.value.split_at(stands.min(line.value.len()));
            let open = trimmed_end(open, is_blank).to_vec();
            line.value = [kept, &open].concat();
            over(&mut parsed, &mut line);
        }
        _ => {}
    }
    parsed
}

/// A line is over: it counts if its name can be a variable's.
fn over(parsed: &mut Parsed, line: &mut Line) {
    let line = std::mem::take(line);
    let key = trimmed_end(&line.key, is_blank);
    let name = text_of(key);
    let first = key.first().map_or(0, |l| l.at);
    let plain = |c: char| c.is_ascii_alphanumeric() || c == '_';
    let begins = !name.starts_with(|c: char| c.is_ascii_digit());
    if name.is_empty() || !begins || !name.chars().all(plain) {
        parsed.trouble(
            first,
            "systemd passes over this line: this is not a variable name",
            "NAME=value, without \"export\"",
        );
        return;
    }
    let from = line.from.unwrap_or(first + name.len() + 1);
    let mut pieces = Pieces::default();
    pieces.letters(&line.value);
    let value = Value {
        parts: pieces.over(),
        at: from..line.to.max(from),
        quotes: line.quotes,
        cut: None,
    };
    let key_at = first..first + name.len();
    parsed.entries.push(Entry::new(vec![name], key_at, value));
}

//! `vlucas/phpdotenv`, Laravel's too (measured with 5.4).

use crate::entry::{Entry, Parsed, Quotes, Value};
use crate::letters::{
    Earlier, Letter, Otherwise, Pieces, letters, text as text_of, trimmed, trimmed_start,
};
use crate::text::Text;

/// What PHP's `trim` takes off.
pub(super) fn is_off(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\n' | '\r' | '\u{b}' | '\0')
}

/// What PHP's `ctype_space` says.
fn is_space(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\n' | '\r' | '\u{b}' | '\u{c}')
}

pub(super) fn read(text: &Text) -> Parsed {
    let mut parsed = Parsed::default();
    let mut earlier = Earlier::default();
    for line in lines(&text.string) {
        let bare = trimmed(&line, is_off);
        let Some(first) = bare.first().filter(|l| l.c != '#') else {
            continue;
        };
        if let Err(what) = entry(&mut parsed, &mut earlier, &line, text) {
            let expected = "NAME=value, with double quotes around a value with spaces";
            parsed.refuse(first.at, what, expected);
        }
    }
    parsed
}

/// The lines, those put together that a double quote holds together.
fn lines(text: &str) -> Vec<Vec<Letter>> {
    let all = letters(text, 0);
    let mut out = Vec::new();
    let mut open: Option<Vec<Letter>> = None;
    let mut at = 0;
    while at <= all.len() {
        let rest = all.get(at..).unwrap_or_default();
        let length = rest
            .iter()
            .position(|l| matches!(l.c, '\n' | '\r'))
            .unwrap_or(rest.len());
        let line = rest.get(..length).unwrap_or_default();
        let end = rest.get(length);
        let pair =
            end.is_some_and(|l| l.c == '\r') && rest.get(length + 1).is_some_and(|l| l.c == '\n');
        at += length + 1 + usize::from(pair);
        let starts = holds(line, "=\"") && !stops(line, true);
        if open.is_none() && !starts {
            out.push(line.to_vec());
            continue;
        }
        let mut whole = open.take().unwrap_or_default();
        if !whole.is_empty() {
            let place = line.first().map_or(0, |l| l.at.saturating_sub(1));
            whole.push(Letter {
                c: '\n',
                at: place,
                as_is: false,
            });
        }
        whole.extend(line);
        match stops(line, starts) {
            true => out.push(whole),
            false => open = Some(whole),
        }
    }
    out
}

fn holds(line: &[Letter], wanted: &str) -> bool {
    text_of(line).contains(wanted)
}

/// Whether a line ends what a double quote began, as the library counts.
fn stops(line: &[Letter], started: bool) -> bool {
    let text = text_of(line);
    if text == "\"" {
        return true;
    }
    let text: Vec<char> = text.replace("\\\\", "").chars().collect();
    let pairs = text.windows(2);
    let count = pairs
        .filter(|pair| matches!(pair, [before, '"'] if *before != '\\'))
        .count();
    match started {
        true => count > 1,
        false => count >= 1,
    }
}

fn entry(
    parsed: &mut Parsed,
    earlier: &mut Earlier,
    line: &[Letter],
    text: &Text,
) -> Result<(), &'static str> {
    let sign = line.iter().position(|l| l.c == '=');
    let (key, behind) = line.split_at(sign.unwrap_or(line.len()));
    let mut key = match sign {
        Some(_) => trimmed(key, is_off),
        // A name alone is taken as it stands.
        None => key,
    };
    if key.is_empty() {
        return Err("PHP dotenv stops here: there is no name before the sign");
    }
    let word = text_of(key);
    if word.len() > 8
        && let Some(after) = word.strip_prefix("export")
        && after.starts_with(is_space)
    {
        key = trimmed_start(key.get(6..).unwrap_or_default(), is_off);
    }
    let ends = (key.first().map(|l| l.c), key.last().map(|l| l.c));
    if key.len() > 2 && matches!(ends, (Some('"'), Some('"')) | (Some('\''), Some('\''))) {
        key = key.get(1..key.len() - 1).unwrap_or_default();
    }
    let name = text_of(key);
    let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '_' | '.');
    if name.is_empty() || !name.chars().all(plain) {
        return Err("PHP dotenv stops here: this is not a variable name");
    }
    if sign.is_none() {
        // A name alone takes back what a line above set.
        earlier.forget(&name);
        parsed.entries.retain(|e| e.key() != name);
        return Ok(());
    }
    let key_from = key.first().map_or(0, |l| l.at);
    let behind = behind.get(1..).unwrap_or_default();
    let value = value(
        trimmed(behind, is_off),
        key_from + name.len() + 1,
        earlier,
        text,
    )?;
    earlier.note(&name, &value);
    let key_at = key_from..key_from + name.len();
    parsed.entries.push(Entry::new(vec![name], key_at, value));
    Ok(())
}

#[derive(Clone, Copy, PartialEq)]
enum State {
    Initial,
    Unquoted,
    Single,
    Double,
    Escape,
    Space,
    Comment,
}

fn value(
    all: &[Letter],
    from: usize,
    earlier: &Earlier,
    text: &Text,
) -> Result<Value, &'static str> {
    let mut state = State::Initial;
    let mut pieces = Pieces::default();
    let mut quotes = Quotes::None;
    let mut cut = None;
    let from = all.first().map_or(from, |l| l.at);
    let mut to = from;
    let mut at = 0;
    while let Some(letter) = all.get(at) {
        let c = letter.c;
        at += 1;
        let was = state;
        state = match state {
            State::Initial if c == '\'' => State::Single,
            State::Initial if c == '"' => State::Double,
            State::Initial | State::Unquoted => match c {
                '#' => {
                    cut = Some(letter.at).filter(|_| was == State::Unquoted);
                    State::Comment
                }
                c if is_space(c) => State::Space,
                '$' => {
                    let rest = all.get(at - 1..).unwrap_or_default();
                    at += variable(&mut pieces, rest, earlier) - 1;
                    State::Unquoted
                }
                _ => {
                    pieces.letter(*letter);
                    State::Unquoted
                }
            },
            State::Single if c == '\'' => {
                quotes = Quotes::Literal;
                State::Space
            }
            State::Double => match c {
                '"' => {
                    quotes = Quotes::Escaped;
                    State::Space
                }
                '\\' => State::Escape,
                '$' => {
                    let rest = all.get(at - 1..).unwrap_or_default();
                    at += variable(&mut pieces, rest, earlier) - 1;
                    State::Double
                }
                _ => {
                    pieces.letter(*letter);
                    State::Double
                }
            },
            State::Single => {
                pieces.letter(*letter);
                State::Single
            }
            State::Escape => {
                let meant = match c {
                    '"' | '\\' | '$' => c,
                    'f' => '\u{c}',
                    'n' => '\n',
                    'r' => '\r',
                    't' => '\t',
                    'v' => '\u{b}',
                    _ => {
                        return Err(
                            "PHP dotenv stops here: it does not know what this backslash means",
                        );
                    }
                };
                pieces.letter(Letter {
                    c: meant,
                    at: letter.at.saturating_sub(1),
                    as_is: false,
                });
                State::Double
            }
            State::Space => match c {
                '#' => {
                    cut = Some(letter.at).filter(|_| quotes == Quotes::None);
                    State::Comment
                }
                c if is_space(c) => State::Space,
                _ => {
                    return Err(
                        "PHP dotenv stops here: a value with a space in it has no quotes, or something follows the quotes",
                    );
                }
            },
            State::Comment => State::Comment,
        };
        if !matches!(state, State::Space | State::Comment)
            || was == State::Single
            || was == State::Double
        {
            to = all.get(at - 1).map_or(to, |l| l.at + l.c.len_utf8());
        }
    }
    if matches!(state, State::Single | State::Double | State::Escape) {
        return Err("PHP dotenv stops here: a quote is not closed");
    }
    Ok(Value {
        parts: pieces.over(),
        at: from..to,
        quotes,
        cut: cut.filter(|at| super::node_dotenv::looks_cut(text, *at)),
    })
}

/// What begins with a dollar sign, and its length. One that is not set stays as it stands.
fn variable(pieces: &mut Pieces, all: &[Letter], earlier: &Earlier) -> usize {
    let end = all.iter().position(|l| l.c == '}');
    if let Some(end) = end.filter(|_| all.get(1).is_some_and(|l| l.c == '{')) {
        let name = text_of(all.get(2..end).unwrap_or_default());
        let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '_' | '.');
        if !name.is_empty() && name.chars().all(plain) {
            let from = all.first().map_or(0, |l| l.at);
            let to = from + name.len() + 3;
            earlier.put(pieces, &name, from..to, Otherwise::Nothing);
            return end + 1;
        }
    }
    if let Some(sign) = all.first() {
        pieces.letter(*sign);
    }
    1
}

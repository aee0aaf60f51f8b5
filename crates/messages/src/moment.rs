//! Times as logs write them, at the beginning of a line.

use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::{Offset, TimeZone};

/// A moment that a text tells.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Moment {
    /// As it is written.
    pub written: String,
    /// The time, in microseconds since 1970; UTC where the text names no zone.
    pub micros: i64,
    /// Whether the text names its zone.
    pub zoned: bool,
}

/// The moment that stands in the first words of a line. `year` is for forms that leave it
/// out.
pub fn in_line(line: &str, year: i16) -> Option<Moment> {
    /// What may stand before it: a bracket, a level, a container's name.
    const FURTHEST: usize = 40;
    let end = crate::shape::floor(line, FURTHEST.min(line.len()));
    let head = line.get(..end)?;
    let starts = head
        .char_indices()
        .filter(|(at, c)| {
            let before = line.get(..*at).and_then(|l| l.chars().next_back());
            c.is_ascii_alphanumeric() && before.is_none_or(|b| !b.is_ascii_alphanumeric())
        })
        .map(|(at, _)| at);
    starts
        .filter_map(|at| line.get(at..))
        .find_map(|rest| read(rest, year))
}

/// The moment with which a text begins.
pub fn read(text: &str, year: i16) -> Option<Moment> {
    let mut at = Reader { text, at: 0 };
    let civil = at.numeric().or_else(|| {
        at.at = 0;
        at.named(year)
    })?;
    let fraction = at.fraction();
    let civil = civil
        .checked_add(jiff::SignedDuration::from_micros(fraction))
        .ok()?;
    let zone = at.zone();
    let offset = zone.unwrap_or(Offset::UTC);
    let stamp = civil.to_zoned(TimeZone::fixed(offset)).ok()?.timestamp();
    Some(Moment {
        written: text.get(..at.at)?.trim_end().to_owned(),
        micros: stamp.as_microsecond(),
        zoned: zone.is_some(),
    })
}

/// A moment for people: UTC, to the second.
pub fn shown(micros: i64) -> String {
    let whole = micros.div_euclid(1_000_000);
    Timestamp::from_second(whole).map_or_else(|_| String::new(), |stamp| stamp.to_string())
}

struct Reader<'a> {
    text: &'a str,
    at: usize,
}

impl Reader<'_> {
    fn rest(&self) -> &str {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn number(&mut self, most: usize) -> Option<i64> {
        let digits = self.rest().bytes().take_while(u8::is_ascii_digit).count();
        let digits = digits.min(most);
        let number = self.rest().get(..digits)?.parse().ok()?;
        self.at += digits;
        Some(number)
    }

    fn sign(&mut self, signs: &[char]) -> Option<char> {
        let c = self.rest().chars().next().filter(|c| signs.contains(c))?;
        self.at += c.len_utf8();
        Some(c)
    }

    fn blanks(&mut self) {
        let blanks = self.rest().bytes().take_while(|b| *b == b' ').count();
        self.at += blanks;
    }

    /// `2026-11-30 10:00:00`, `2026/11/30T10:00:00`, `30/Nov/2026:10:00:00`, `261130 10:00:00`.
    fn numeric(&mut self) -> Option<DateTime> {
        let first = self.number(8)?;
        let (year, month, day) = if first > 10_000_000 {
            (first / 10_000, first / 100 % 100, first % 100)
        } else if (100_000..1_000_000).contains(&first) {
            (2000 + first / 10_000, first / 100 % 100, first % 100)
        } else {
            let between = self.sign(&['-', '/', '.'])?;
            let second = match month_named(self.rest()) {
                Some(month) => {
                    self.at += 3;
                    month
                }
                None => self.number(2)?,
            };
            self.sign(&[between])?;
            let third = self.number(4)?;
            match first > 31 {
                true => (first, second, third),
                false => (third, second, first),
            }
        };
        self.sign(&['T', ' ', ':', '_'])?;
        self.blanks();
        self.clock(year, month, day)
    }

    /// `Nov 30 10:00:00`, `Mon Nov 30 10:00:00.5 2026`.
    fn named(&mut self, year: i16) -> Option<DateTime> {
        let is_day = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]
            .iter()
            .any(|day| self.rest().starts_with(day));
        if is_day {
            self.at += 3;
            self.sign(&[',']);
            self.blanks();
        }
        let month = month_named(self.rest())?;
        self.at += 3;
        self.sign(&[' '])?;
        self.blanks();
        let day = self.number(2)?;
        self.sign(&[' '])?;
        self.clock(i64::from(year), month, day)
    }

    fn clock(&mut self, year: i64, month: i64, day: i64) -> Option<DateTime> {
        let hour = self.number(2)?;
        self.sign(&[':'])?;
        let minute = self.number(2)?;
        self.sign(&[':'])?;
        let second = self.number(2)?;
        DateTime::new(
            i16::try_from(year).ok()?,
            i8::try_from(month).ok()?,
            i8::try_from(day).ok()?,
            i8::try_from(hour).ok()?,
            i8::try_from(minute).ok()?,
            i8::try_from(second.min(59)).ok()?,
            0,
        )
        .ok()
    }

    /// The fraction of a second, in microseconds.
    fn fraction(&mut self) -> i64 {
        let before = self.at;
        if self.sign(&['.', ',']).is_none() {
            return 0;
        }
        let digits: String = self
            .rest()
            .chars()
            .take_while(char::is_ascii_digit)
            .take(9)
            .collect();
        if digits.is_empty() {
            self.at = before;
            return 0;
        }
        self.at += digits.len();
        format!("{digits:0<6}")
            .get(..6)
            .and_then(|six| six.parse().ok())
            .unwrap_or(0)
    }

    fn zone(&mut self) -> Option<Offset> {
        let before = self.at;
        self.blanks();
        let rest = self.rest();
        for name in ["UTC", "GMT", "Z"] {
            if rest.starts_with(name) {
                self.at += name.len();
                return Some(Offset::UTC);
            }
        }
        let east = match self.sign(&['+', '-']) {
            Some('+') => 1,
            Some(_) => -1,
            None => {
                self.at = before;
                return None;
            }
        };
        let found = self.number(2).map(|hours| {
            self.sign(&[':']);
            let minutes = self.number(2).unwrap_or(0);
            east * (hours * 3600 + minutes * 60)
        });
        let offset = found
            .and_then(|seconds| i32::try_from(seconds).ok())
            .and_then(|seconds| Offset::from_seconds(seconds).ok());
        if offset.is_none() {
            self.at = before;
        }
        offset
    }
}

fn month_named(text: &str) -> Option<i64> {
    let names = [
        "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec",
    ];
    let at = names.iter().position(|name| text.starts_with(name))?;
    i64::try_from(at).ok().map(|at| at + 1)
}

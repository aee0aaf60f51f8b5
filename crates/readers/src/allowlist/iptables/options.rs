//! The words of a rule, and which of them belong together.

use std::collections::BTreeMap;

use chronaxis_allowlist::packet_filter::{Step, Test, Verdict};

use super::{matches, targets};

/// Words, taken one after the other; quotes and escapes are off.
pub(super) struct Words {
    all: Vec<String>,
    next: usize,
}

impl Words {
    /// The words of a line; none where a quote is left open.
    pub(super) fn of(line: &str) -> Option<Words> {
        let mut all = Vec::new();
        let mut signs = line.chars().peekable();
        while let Some(sign) = signs.peek() {
            if sign.is_whitespace() {
                signs.next();
                continue;
            }
            let mut word = String::new();
            let mut quoted = false;
            while let Some(sign) = signs.next() {
                match sign {
                    '"' => quoted = !quoted,
                    '\\' if quoted => word.extend(signs.next()),
                    sign if sign.is_whitespace() && !quoted => break,
                    sign => word.push(sign),
                }
            }
            if quoted {
                return None;
            }
            all.push(word);
        }
        Some(Words { all, next: 0 })
    }

    pub(super) fn next(&mut self) -> Option<String> {
        let word = self.all.get(self.next).cloned();
        self.next += 1;
        word
    }

    pub(super) fn peek(&self) -> Option<&str> {
        self.all.get(self.next).map(String::as_str)
    }

    /// The value behind an option.
    pub(super) fn value(&mut self, option: &str) -> Result<String, String> {
        self.next()
            .ok_or_else(|| format!("there is no value behind {option}"))
    }
}

/// What is looked at, with the sign before it.
pub(super) struct Asked<'a> {
    pub(super) option: &'a str,
    /// Whether a `!` stands before it.
    pub(super) not: bool,
    /// The match that was named last.
    pub(super) by: Option<&'a str>,
}

/// The tests and actions of a rule.
pub(super) fn steps(
    words: &mut Words,
    chains: &BTreeMap<String, usize>,
) -> Result<Vec<Step>, String> {
    let mut steps = Vec::new();
    let mut by: Option<String> = None;
    let mut not = false;
    while let Some(word) = words.next() {
        match word.as_str() {
            "!" => {
                not = true;
                continue;
            }
            "-m" | "--match" => by = Some(words.value("-m")?),
            "-j" | "--jump" => {
                let target = words.value("-j")?;
                targets::read(&target, words, chains, &mut steps)?;
            }
            "-g" | "--goto" => {
                let target = words.value("-g")?;
                steps.push(Step::Verdict(match chains.get(&target) {
                    Some(chain) => Verdict::Goto(*chain),
                    None => Verdict::Elsewhere("a chain that is not in the file".to_owned()),
                }));
            }
            option => {
                let asked = Asked {
                    option,
                    not,
                    by: by.as_deref(),
                };
                match matches::read(&asked, words)? {
                    Some(tests) => steps.extend(tests.into_iter().map(Step::Test)),
                    None => {
                        skip(words);
                        let what = match &by {
                            Some(name) if name.chars().all(|c| c.is_ascii_lowercase()) => {
                                format!("the match {name}")
                            }
                            _ => "a match that is not understood here".to_owned(),
                        };
                        steps.push(Step::Test(Test::unknown(what)));
                    }
                }
            }
        }
        not = false;
    }
    Ok(steps)
}

/// Goes over the values of an option that is not understood.
pub(super) fn skip(words: &mut Words) {
    while words
        .peek()
        .is_some_and(|word| !word.starts_with('-') && word != "!")
    {
        words.next();
    }
}

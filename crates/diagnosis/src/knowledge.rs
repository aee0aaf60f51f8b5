//! What is known about causes: a page of a textbook, as data.
//!
//! [`causes`] says what each cause is, [`questions`] what can be asked and answered, and
//! [`table`] how often each cause gives each answer. Chances are words ([`Grade`]), turned
//! into numbers in one place.

pub mod causes;
pub mod questions;
pub mod table;

/// How often, in six words.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Grade {
    /// Logically impossible, and nothing less.
    Never,
    /// One does not count on it.
    Rare,
    /// Now and then.
    Sometimes,
    /// As often as not.
    Often,
    /// As a rule.
    Mostly,
    /// With exceptions that nobody remembers.
    Always,
}

impl Grade {
    /// The grade as a weight; each word is three times the one before. A row of weights
    /// is divided by its sum before it is used.
    pub fn weight(self) -> f64 {
        match self {
            Grade::Never => 0.0,
            Grade::Rare => 1.0,
            Grade::Sometimes => 3.0,
            Grade::Often => 9.0,
            Grade::Mostly => 27.0,
            Grade::Always => 81.0,
        }
    }

    /// The word.
    pub fn as_str(self) -> &'static str {
        match self {
            Grade::Never => "never",
            Grade::Rare => "rare",
            Grade::Sometimes => "sometimes",
            Grade::Often => "often",
            Grade::Mostly => "mostly",
            Grade::Always => "always",
        }
    }
}

/// A short fingerprint of the whole table (FNV-1a over its words), so that a saved case
/// says by which knowledge it was judged.
pub fn fingerprint() -> String {
    let mut hash: u64 = 0xcbf2_9ce4_8422_2325;
    let mut eat = |text: &str| {
        for byte in text.bytes().chain([0]) {
            hash = (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
        }
    };
    for row in table::TABLE {
        eat(row.cause.as_str());
        for (symptom, grade) in row.shows {
            eat(&symptom.to_string());
            eat(grade.as_str());
        }
        for (question, grades) in row.says {
            eat(question.as_str());
            for (answer, grade) in *grades {
                eat(answer.as_str());
                eat(grade.as_str());
            }
        }
    }
    format!("{hash:016x}")
}

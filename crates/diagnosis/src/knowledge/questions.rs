//! What can be asked, the closed set of answers, and what answers it.

mod all;
mod asked;
mod told;

pub use all::{Question, answers};

use super::Grade;
use crate::judge::told::is_told;
use crate::judge::{PathView, Symptom};

/// One of the answers of a question.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Word {
    question: Question,
    /// Which of its answers, from 0.
    at: u8,
}

impl Word {
    /// Of which question it is an answer.
    pub const fn question(self) -> Question {
        self.question
    }

    /// Its id.
    pub fn as_str(self) -> &'static str {
        let known = self.question.answers().get(usize::from(self.at));
        known.map_or("", |known| known.id)
    }
}

impl std::fmt::Display for Word {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(self.as_str())
    }
}

/// An answer of a question, as it is defined.
#[derive(Clone, Copy, Debug)]
pub struct Defined {
    /// Its id.
    pub id: &'static str,
    /// How often it comes under a cause that says nothing on the question. Where nothing
    /// else is known, every answer is as likely as the next.
    pub usually: Grade,
}

/// One answer, with what was seen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Answer {
    /// One of the question's answers.
    pub word: Word,
    /// What was seen, in words.
    pub text: String,
}

impl Answer {
    /// Whether it is this one.
    pub fn is(&self, word: impl Into<Word>) -> bool {
        self.word == word.into()
    }
}

/// What looks for the answer to a question in the log, on one path.
type Asked = fn(&PathView<'_>, Symptom) -> Option<Answer>;

/// Makes the questions, and for each the type of its answers.
macro_rules! questions {
    ($($(#[$doc:meta])* $name:ident = $id:literal, by $by:path, cost $cost:literal $(needs $ground:ident)? {
        $($answer:ident = $word:literal $usually:ident,)*
    })*) => {
        /// A question of the inference.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
        pub enum Question { $($(#[$doc])* $name,)* }

        /// The answers, a type for each question.
        #[allow(missing_docs, reason = "the id says it; the questions are explained above")]
        pub mod answers {
            use super::Question;
            use super::super::Word;

            $(
                #[doc = concat!("The answers of `", $id, "`.")]
                #[derive(Clone, Copy, Debug, PartialEq, Eq)]
                pub enum $name { $($answer,)* }

                impl $name {
                    /// It, among the answers of all questions.
                    pub const fn word(self) -> Word {
                        Word { question: Question::$name, at: self as u8 }
                    }
                }

                impl From<$name> for Word {
                    fn from(answer: $name) -> Word {
                        answer.word()
                    }
                }
            )*
        }

        impl Question {
            /// All of them.
            pub const ALL: &'static [Question] = &[$(Question::$name,)*];

            /// Its id.
            pub const fn as_str(self) -> &'static str {
                match self { $(Question::$name => $id,)* }
            }

            /// The closed set of its answers.
            pub const fn answers(self) -> &'static [super::Defined] {
                match self {
                    $(Question::$name => &[$(super::Defined {
                        id: $word,
                        usually: super::Grade::$usually,
                    },)*],)*
                }
            }

            /// How dear an answer is: 1 for a command typed here, more for another machine or
            /// another person.
            pub const fn cost(self) -> f64 {
                match self { $(Question::$name => $cost,)* }
            }

            /// Whether a cause that this question puts out was never more than possible:
            /// nothing spoke of it.
            pub const fn needs_ground(self) -> bool {
                match self { $(Question::$name => questions!(@ground $($ground)?),)* }
            }

            /// What looks for its answer.
            pub(super) const fn asked(self) -> super::Asked {
                match self { $(Question::$name => $by,)* }
            }
        }
    };
    (@ground ground) => { true };
    (@ground) => { false };
}

use questions;

impl Question {
    /// All its answers.
    pub fn words(self) -> impl Iterator<Item = Word> {
        let count = u8::try_from(self.answers().len()).unwrap_or(u8::MAX);
        (0..count).map(move |at| Word { question: self, at })
    }

    /// The chance of an answer under a cause that says nothing on it.
    pub fn usual_chance(self, word: Word) -> f64 {
        let row = self.answers();
        let sum: f64 = row.iter().map(|answer| answer.usually.weight()).sum();
        let own = row
            .get(usize::from(word.at))
            .filter(|_| word.question == self);
        own.map_or(0.0, |answer| answer.usually.weight() / sum)
    }

    /// The answer that the log holds for this path, if it holds one. A question answers
    /// only where it bears on the symptom; each fact feeds one question.
    pub fn answer(self, view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
        if let Some(answer) = told::answer(self, view, symptom) {
            return Some(answer);
        }
        // Of a text nothing is known but what it says.
        if is_told(view.evidence) && !told::may_ask(self, view.evidence) {
            return None;
        }
        (self.asked())(view, symptom)
    }
}

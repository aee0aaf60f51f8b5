//! From answers to probabilities: Bayes over the table, explained from its own numbers.
//!
//! The mechanism knows no cause by name but the honest rest.

use std::collections::BTreeMap;

use crate::judge::Symptom;
use crate::knowledge::Grade;
use crate::knowledge::causes::SOMETHING_ELSE;
use crate::knowledge::questions::{Answer, Question};
use crate::knowledge::table::{Row, TABLE};

/// The answers that are known.
pub type Answers = BTreeMap<Question, Answer>;

/// An answer and by how much it moved a cause: over 1 for it, under 1 against it.
#[derive(Clone, Debug, PartialEq)]
pub struct Reason {
    /// The question.
    pub question: Question,
    /// Its answer.
    pub answer: Answer,
    /// How much likelier this answer is under this cause than under the others.
    pub factor: f64,
}

/// A cause in the running.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidate {
    /// Its id.
    pub id: &'static str,
    /// Its probability; with the others' it sums to 1.
    pub probability: f64,
    /// Every answer that moved it, the strongest first.
    pub reasons: Vec<Reason>,
}

/// What follows from a symptom and the answers.
#[derive(Clone, Debug, PartialEq)]
pub struct Weighed {
    /// All candidates, the likeliest first; equal ones by their id.
    pub candidates: Vec<Candidate>,
}

impl Weighed {
    /// Whether the first stands out: at least 0.5, and twice the runner-up.
    pub fn decided(&self) -> bool {
        let mut chances = self.candidates.iter().map(|c| c.probability);
        let (first, second) = (chances.next().unwrap_or(0.0), chances.next().unwrap_or(0.0));
        let rest = self
            .candidates
            .first()
            .is_none_or(|c| c.id == SOMETHING_ELSE);
        !rest && first >= 0.5 && first >= 2.0 * second
    }
}

/// One cause with its weight for a symptom.
struct Contender<'a> {
    id: &'static str,
    row: Option<&'a Row>,
    prior: f64,
}

/// Weighs the causes of a symptom by the table.
pub fn weigh(symptom: Symptom, answers: &Answers) -> Weighed {
    weigh_by(TABLE, symptom, answers)
}

/// Weighs the causes of a symptom by another table.
pub fn weigh_by(table: &[Row], symptom: Symptom, answers: &Answers) -> Weighed {
    let contenders = grounded(contenders(table, symptom), answers);
    let chances = posterior(&contenders, answers.iter().map(|(q, a)| (*q, a.word)));
    let mut candidates: Vec<Candidate> = contenders
        .iter()
        .zip(&chances)
        .map(|(contender, probability)| Candidate {
            id: contender.id,
            probability: *probability,
            reasons: reasons(contender, &contenders, answers),
        })
        .collect();
    candidates.sort_by(|a, b| {
        b.probability
            .total_cmp(&a.probability)
            .then_with(|| a.id.cmp(b.id))
    });
    Weighed { candidates }
}

fn contenders(table: &[Row], symptom: Symptom) -> Vec<Contender<'_>> {
    let mut out: Vec<Contender<'_>> = table
        .iter()
        .filter_map(|row| {
            let (_, grade) = row.shows.iter().find(|(s, _)| *s == symptom)?;
            Some(Contender {
                id: row.cause,
                row: Some(row),
                prior: grade.weight(),
            })
        })
        .collect();
    out.push(Contender {
        id: SOMETHING_ELSE,
        row: None,
        prior: Grade::Rare.weight(),
    });
    out
}

/// Without those for which there is no ground at all: they neither run nor count among
/// the others with which an answer is compared.
fn grounded<'a>(mut contenders: Vec<Contender<'a>>, answers: &Answers) -> Vec<Contender<'a>> {
    contenders.retain(|c| {
        let mut grounds = answers.iter().filter(|(q, _)| q.needs_ground());
        grounds.all(|(question, answer)| {
            !speaks_on(c.row, *question) || chance(c.row, *question, answer.word) > 0.0
        })
    });
    // Where nobody looked for its ground, a cause is less likely by a word, and not out.
    for contender in &mut contenders {
        let unlooked = |q: &&Question| {
            q.needs_ground() && !answers.contains_key(*q) && speaks_on(contender.row, **q)
        };
        if Question::ALL.iter().any(|q| unlooked(&q)) {
            contender.prior /= 3.0;
        }
    }
    contenders
}

/// The chance of an answer under a cause.
fn chance(row: Option<&Row>, question: Question, word: &str) -> f64 {
    let usual = || question.usual_chance(word);
    let Some((_, grades)) = row.and_then(|r| r.says.iter().find(|(q, _)| *q == question)) else {
        return usual();
    };
    let sum: f64 = grades.iter().map(|(_, grade)| grade.weight()).sum();
    let weight = grades
        .iter()
        .find(|(answer, _)| *answer == word)
        .map_or(0.0, |(_, grade)| grade.weight());
    if sum > 0.0 { weight / sum } else { usual() }
}

fn speaks_on(row: Option<&Row>, question: Question) -> bool {
    row.is_some_and(|r| r.says.iter().any(|(q, _)| *q == question))
}

fn posterior<'w>(
    contenders: &[Contender<'_>],
    answers: impl Iterator<Item = (Question, &'w str)> + Clone,
) -> Vec<f64> {
    let weights: Vec<f64> = contenders
        .iter()
        .map(|c| {
            answers.clone().fold(c.prior, |w, (question, word)| {
                w * chance(c.row, question, word)
            })
        })
        .collect();
    let sum: f64 = weights.iter().sum();
    weights.into_iter().map(|w| w / sum).collect()
}

/// How an answer compares under this cause and under all others together, weighed as the
/// symptom alone weighs them. Only where the cause says something on the question: that
/// an answer put out a rival is a reason against the rival.
fn reasons(contender: &Contender<'_>, all: &[Contender<'_>], answers: &Answers) -> Vec<Reason> {
    let others = || all.iter().filter(|c| c.id != contender.id);
    let total: f64 = others().map(|c| c.prior).sum();
    let mut out: Vec<Reason> = answers
        .iter()
        .filter(|(question, _)| speaks_on(contender.row, **question))
        .filter_map(|(question, answer)| {
            let own = chance(contender.row, *question, answer.word);
            let theirs: f64 = others()
                .map(|c| c.prior * chance(c.row, *question, answer.word))
                .sum::<f64>()
                / total;
            (theirs > 0.0).then(|| Reason {
                question: *question,
                answer: answer.clone(),
                factor: own / theirs,
            })
        })
        .filter(|r| !(0.9..1.1).contains(&r.factor))
        .collect();
    let strength = |r: &Reason| r.factor.max(1e-9).ln().abs();
    out.sort_by(|a, b| strength(b).total_cmp(&strength(a)));
    out
}

/// The unanswered question that is expected to shrink the uncertainty most for its cost;
/// none where nothing would shrink it.
pub fn next_question(symptom: Symptom, answers: &Answers, open: &[Question]) -> Option<Question> {
    let contenders = grounded(contenders(TABLE, symptom), answers);
    let known = || answers.iter().map(|(q, a)| (*q, a.word));
    let now = posterior(&contenders, known());
    let before = entropy(&now);
    open.iter()
        .filter(|q| !answers.contains_key(q))
        .map(|question| {
            let after: f64 = question
                .answers()
                .iter()
                .map(|word| {
                    let reach: f64 = contenders
                        .iter()
                        .zip(&now)
                        .map(|(c, p)| p * chance(c.row, *question, word))
                        .sum();
                    if reach <= 0.0 {
                        return 0.0;
                    }
                    let then = posterior(&contenders, known().chain([(*question, *word)]));
                    reach * entropy(&then)
                })
                .sum();
            (*question, (before - after) / question.cost())
        })
        .filter(|(_, gain)| *gain > 0.01)
        .max_by(|a, b| a.1.total_cmp(&b.1).then_with(|| b.0.cmp(&a.0)))
        .map(|(question, _)| question)
}

/// In bits.
fn entropy(chances: &[f64]) -> f64 {
    chances
        .iter()
        .filter(|p| **p > 0.0)
        .map(|p| -p * p.log2())
        .sum()
}

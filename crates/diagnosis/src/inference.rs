//! From answers to probabilities: Bayes over the table, explained from its own numbers.
//!
//! The mechanism knows no cause by name but the honest rest.

use std::collections::BTreeMap;

use chronaxis_model::found::CauseId;
use chronaxis_model::invariant;

use crate::judge::Symptom;
use crate::knowledge::Grade;
use crate::knowledge::questions::{Answer, Question, Word};
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
    pub id: CauseId,
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
            .is_none_or(|c| c.id == CauseId::SomethingElse);
        !rest && first >= 0.5 && first >= 2.0 * second
    }
}

/// One cause with its weight for a symptom.
struct Contender<'a> {
    id: CauseId,
    row: Option<&'a Row>,
    prior: f64,
    /// Under it, the chance of each known answer.
    chances: Vec<Chance>,
}

/// The chance of an answer under a cause.
#[derive(Clone, Copy)]
struct Chance {
    value: f64,
    /// Whether the cause says something on the question.
    own: bool,
}

impl Contender<'_> {
    /// Its prior with all known answers; not yet divided by the sum over all.
    fn weight(&self) -> f64 {
        let values = self.chances.iter().map(|chance| chance.value);
        values.fold(self.prior, |weight, chance| weight * chance)
    }
}

/// Weighs the causes of a symptom by the table.
pub fn weigh(symptom: Symptom, answers: &Answers) -> Weighed {
    weigh_by(TABLE, symptom, answers)
}

/// Weighs the causes of a symptom by another table.
pub fn weigh_by(table: &[Row], symptom: Symptom, answers: &Answers) -> Weighed {
    let contenders = contenders(table, symptom, answers);
    let chances = shares(contenders.iter().map(Contender::weight));
    let others = Others::of(&contenders, answers);
    let mut candidates: Vec<Candidate> = contenders
        .iter()
        .zip(&chances)
        .map(|(contender, probability)| Candidate {
            id: contender.id,
            probability: *probability,
            reasons: reasons(contender, &others, answers),
        })
        .collect();
    candidates.sort_by(|a, b| {
        b.probability
            .total_cmp(&a.probability)
            .then_with(|| a.id.as_str().cmp(b.id.as_str()))
    });
    Weighed { candidates }
}

/// The likeliest cause of a symptom, with its probability.
pub fn likeliest(symptom: Symptom, answers: &Answers) -> Option<(CauseId, f64)> {
    let contenders = contenders(TABLE, symptom, answers);
    let chances = shares(contenders.iter().map(Contender::weight));
    let all = contenders.iter().map(|c| c.id).zip(chances);
    all.max_by(|a, b| {
        a.1.total_cmp(&b.1)
            .then_with(|| b.0.as_str().cmp(a.0.as_str()))
    })
}

/// All that show the symptom, but those for which there is no ground at all: they neither
/// run nor count among the others with which an answer is compared.
fn contenders<'a>(table: &'a [Row], symptom: Symptom, answers: &Answers) -> Vec<Contender<'a>> {
    let shown = table.iter().filter_map(|row| {
        let (_, grade) = row.shows.iter().find(|(s, _)| *s == symptom)?;
        Some((row.cause, Some(row), *grade))
    });
    // Gone through once for each cause: as a row, not as a tree.
    let known: Vec<(Question, Word, f64)> = answers
        .iter()
        .map(|(q, a)| (*q, a.word, q.usual_chance(a.word)))
        .collect();
    shown
        .chain([(CauseId::SomethingElse, None, Grade::Rare)])
        .filter_map(|(id, row, grade)| {
            let chance = |(question, word, usual): &(Question, Word, f64)| {
                let own = OwnRow::of(row, *question).map(|own| own.chance(*word));
                Chance {
                    value: own.unwrap_or(*usual),
                    own: own.is_some(),
                }
            };
            let chances: Vec<Chance> = known.iter().map(chance).collect();
            let mut grounds = known.iter().zip(&chances);
            let groundless =
                grounds.any(|((q, ..), c)| c.own && c.value <= 0.0 && q.needs_ground());
            (!groundless).then(|| Contender {
                id,
                row,
                prior: grade.weight() / unlooked(row, answers),
                chances,
            })
        })
        .collect()
}

/// Where nobody looked for its ground, a cause is less likely by a word, and not out.
fn unlooked(row: Option<&Row>, answers: &Answers) -> f64 {
    let said = row
        .iter()
        .flat_map(|r| r.says)
        .map(|(question, _)| question);
    let mut open = said.filter(|q| q.needs_ground() && !answers.contains_key(q));
    open.next().map_or(1.0, |_| 3.0)
}

/// What a cause says on a question.
#[derive(Clone, Copy)]
struct OwnRow<'a> {
    grades: &'a [(Word, Grade)],
    sum: f64,
}

impl<'a> OwnRow<'a> {
    /// None where it says nothing.
    fn of(row: Option<&'a Row>, question: Question) -> Option<OwnRow<'a>> {
        let (_, grades) = row?.says.iter().find(|(q, _)| *q == question)?;
        let sum: f64 = grades.iter().map(|(_, grade)| grade.weight()).sum();
        (sum > 0.0).then_some(OwnRow { grades, sum })
    }

    /// The chance of an answer.
    fn chance(self, word: Word) -> f64 {
        let told = self.grades.iter().find(|(answer, _)| *answer == word);
        told.map_or(0.0, |(_, grade)| grade.weight()) / self.sum
    }
}

/// Weights as parts of their sum.
fn shares(weights: impl Iterator<Item = f64>) -> Vec<f64> {
    let weights: Vec<f64> = weights.collect();
    let sum: f64 = weights.iter().sum();
    invariant::holds(sum > 0.0, "something is always possible: the honest rest");
    weights.into_iter().map(|w| w / sum).collect()
}

/// What an answer is worth over all contenders, as the symptom alone weighs them.
struct Others {
    priors: f64,
    /// For each known answer, its chance under each contender, times the prior, summed.
    reach: Vec<f64>,
}

impl Others {
    fn of(contenders: &[Contender<'_>], answers: &Answers) -> Others {
        let mut reach = vec![0.0; answers.len()];
        for contender in contenders {
            for (sum, chance) in reach.iter_mut().zip(&contender.chances) {
                *sum += contender.prior * chance.value;
            }
        }
        let priors = contenders.iter().map(|c| c.prior).sum();
        Others { priors, reach }
    }
}

/// How an answer compares under this cause and under all others together, weighed as the
/// symptom alone weighs them. Only where the cause says something on the question: that
/// an answer put out a rival is a reason against the rival.
fn reasons(contender: &Contender<'_>, all: &Others, answers: &Answers) -> Vec<Reason> {
    let theirs = all.priors - contender.prior;
    let mut out: Vec<Reason> = answers
        .iter()
        .zip(contender.chances.iter().zip(&all.reach))
        .filter(|(_, (chance, _))| chance.own)
        .filter_map(|((question, answer), (chance, reach))| {
            let own = chance.value;
            // Nothing is left of the others but what rounding leaves: no rival to compare.
            let others = (reach - contender.prior * own) / theirs;
            (others > 1e-12).then(|| Reason {
                question: *question,
                answer: answer.clone(),
                factor: own / others,
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
    let contenders = contenders(TABLE, symptom, answers);
    let now = shares(contenders.iter().map(Contender::weight));
    let before = entropy(&now);
    let expected = |question: Question| -> f64 {
        let rows: Vec<Option<OwnRow<'_>>> = contenders
            .iter()
            .map(|c| OwnRow::of(c.row, question))
            .collect();
        let after = |word: Word| {
            let usual = question.usual_chance(word);
            let reached: Vec<f64> = rows
                .iter()
                .zip(&now)
                .map(|(row, p)| p * row.map_or(usual, |row| row.chance(word)))
                .collect();
            let reach: f64 = reached.iter().sum();
            match reach > 0.0 {
                true => reach * entropy(&shares(reached.into_iter())),
                false => 0.0,
            }
        };
        question.words().map(after).sum()
    };
    open.iter()
        .filter(|q| !answers.contains_key(q))
        .map(|question| (*question, (before - expected(*question)) / question.cost()))
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

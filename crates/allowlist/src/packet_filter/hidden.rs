//! Rules of a chain that decide for nobody, since an earlier one decides for all whom they are
//! for.

use chronaxis_model::found::{CauseId, Warning};

use super::{Item, Key, Rule, Step, Test, Values, Verdict, Wanted};
use crate::own::findings::Finding;

/// Most rules of a chain that are held against the ones behind them.
const MOST_HELD: usize = 1_000;

/// The rules of a chain that end it, as far as all that they ask is known.
#[derive(Default)]
pub(super) struct Hidden<'a> {
    before: Vec<(&'a Rule, Vec<&'a Test>, &'a Verdict)>,
}

impl<'a> Hidden<'a> {
    /// Takes the next rule that ends the chain; what is found of it.
    pub(super) fn next(&mut self, rule: &'a Rule) -> Option<Finding> {
        let (tests, verdict) = asked(rule)?;
        let by = self.before.iter().find(|(_, earlier, _)| {
            earlier
                .iter()
                .all(|test| tests.iter().any(|own| implies(own, test)))
        });
        if let Some((by, earlier, decides)) = by {
            let spot = rule.spot.clone();
            let other = matches!(decides, Verdict::Accept) != matches!(verdict, Verdict::Accept);
            return Some(if other {
                let text = format!(
                    "this rule never counts: \"{}\" before it decides for everything that it is for",
                    by.text
                );
                Finding::cause(CauseId::AllowListRuleOff, text, spot)
            } else {
                let text = match earlier.len() == tests.len() && earlier == &tests {
                    true => format!("this rule says the same as \"{}\" before it", by.text),
                    false => format!(
                        "this rule adds nothing: \"{}\" before it covers all of it",
                        by.text
                    ),
                };
                Finding::warning(Warning::RuleDuplicate, text, spot)
            });
        }
        if self.before.len() < MOST_HELD && tests.iter().all(|test| is_certain(test)) {
            self.before.push((rule, tests, verdict));
        }
        None
    }
}

/// What a rule asks and decides, where it does nothing else.
fn asked(rule: &Rule) -> Option<(Vec<&Test>, &Verdict)> {
    let mut tests = Vec::new();
    for step in &rule.steps {
        match step {
            Step::Test(test) => tests.push(test),
            Step::Verdict(verdict) => return Some((tests, verdict)),
            _ => return None,
        }
    }
    None
}

/// Whether a test has the same outcome for the same packet wherever in the chain it is made.
/// Marks are not: rules between may set them.
fn is_certain(test: &Test) -> bool {
    let known = match &test.values {
        Values::Unknown(_) => false,
        Values::Rows(rows) => !rows.iter().flatten().any(|i| *i == Item::Unknown),
        _ => true,
    };
    known
        && !test.filled
        && !test
            .key
            .iter()
            .any(|o| matches!(o.key, Key::Unknown(_) | Key::Absent | Key::Mark { .. }))
}

/// Whether whatever fits the one fits the other.
fn implies(one: &Test, other: &Test) -> bool {
    if one == other {
        return is_certain(one);
    }
    if one.key != other.key || one.wanted != other.wanted || one.filled || other.filled {
        return false;
    }
    let (narrow, wide) = match one.wanted {
        Wanted::These => (&one.values, &other.values),
        Wanted::Others => (&other.values, &one.values),
    };
    match (narrow, wide) {
        (Values::Ranges(narrow), Values::Ranges(wide)) => {
            let within =
                |range: &(u128, u128)| wide.iter().any(|w| w.0 <= range.0 && range.1 <= w.1);
            narrow.iter().all(within)
        }
        (Values::AnyBit(narrow), Values::AnyBit(wide)) => narrow & !wide == 0,
        (Values::Names(narrow), Values::Names(wide)) => narrow.iter().all(|n| wide.contains(n)),
        _ => false,
    }
}

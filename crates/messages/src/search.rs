//! All patterns in one automaton, and what of them stands in a text.

use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::OnceLock;

use aho_corasick::{AhoCorasick, AhoCorasickKind, MatchKind};

use crate::catalogue::patterns;
use crate::pattern::{Component, Pattern, Says};
use crate::shape::{Hole, Shape};
use crate::text::Flat;

/// Texts up to this size are searched by an automaton that is quick to make; longer ones by
/// one that is quick to run.
const SHORT: usize = 256 * 1024;

/// So often a pattern is held against a text in full; after that it is only counted.
const MOST_OF_ONE: usize = 400;

/// Something that was recognised.
#[derive(Clone, Debug)]
pub struct Found {
    /// Whose words they are.
    pub component: &'static Component,
    /// Which.
    pub pattern: &'static Pattern,
    /// Where in the flat text.
    pub span: Range<usize>,
    /// What stood in the holes.
    pub held: Vec<(Hole, String)>,
    /// In which line, from 0.
    pub line: usize,
}

/// The patterns, ready to be looked for.
pub struct Search {
    automaton: AhoCorasick,
    known: Vec<Known>,
    /// The patterns of each anchor.
    of_anchor: Vec<Vec<usize>>,
}

struct Known {
    component: &'static Component,
    pattern: &'static Pattern,
    shape: Shape,
}

impl Known {
    /// Whether the case of the letters fits, where that counts: by the first word.
    fn in_case(&self, text: &str, fit: &crate::shape::Fit) -> bool {
        let lead = self.pattern.shape.split(['{', ' ']).next().unwrap_or_default();
        let found = text.get(fit.span.clone()).unwrap_or_default();
        !self.pattern.exact || found.starts_with(lead)
    }
}

impl Search {
    /// Everything that stands in a text. The search of short texts is prepared once.
    pub fn all(flat: &Flat) -> Option<Vec<Found>> {
        static FOR_SHORT: OnceLock<Option<Search>> = OnceLock::new();
        match flat.as_str().len() > SHORT {
            true => Some(Search::for_size(flat.as_str().len())?.find(flat)),
            false => {
                let search = FOR_SHORT.get_or_init(|| Search::for_size(0));
                Some(search.as_ref()?.find(flat))
            }
        }
    }

    /// Prepares the search of a text of this size. None only where the table itself is
    /// broken, which a test keeps from happening.
    pub fn for_size(size: usize) -> Option<Search> {
        let mut known: Vec<Known> = Vec::new();
        let mut anchors: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (component, pattern) in patterns() {
            let shape = Shape::of(pattern.shape)?;
            let anchor = shape.anchor().to_ascii_lowercase();
            anchors.entry(anchor).or_default().push(known.len());
            known.push(Known {
                component,
                pattern,
                shape,
            });
        }
        let kind = match size > SHORT {
            true => AhoCorasickKind::DFA,
            false => AhoCorasickKind::NoncontiguousNFA,
        };
        let automaton = AhoCorasick::builder()
            .ascii_case_insensitive(true)
            .match_kind(MatchKind::Standard)
            .kind(Some(kind))
            .build(anchors.keys())
            .ok()?;
        Some(Search {
            automaton,
            known,
            of_anchor: anchors.into_values().collect(),
        })
    }

    /// Everything that stands in a text, in its order; and of each pattern how often it was
    /// met beyond what is listed.
    pub fn find(&self, flat: &Flat) -> Vec<Found> {
        let text = flat.as_str();
        let mut out: Vec<Found> = Vec::new();
        let mut met: Vec<usize> = vec![0; self.known.len()];
        for hit in self.automaton.find_overlapping_iter(text) {
            let anchored = self.of_anchor.get(hit.pattern().as_usize());
            for index in anchored.into_iter().flatten() {
                let (Some(known), Some(met)) = (self.known.get(*index), met.get_mut(*index)) else {
                    continue;
                };
                if *met >= MOST_OF_ONE {
                    continue;
                }
                let fit = known.shape.fit(text, hit.range());
                if let Some(fit) = fit.filter(|fit| known.in_case(text, fit)) {
                    *met += 1;
                    out.push(Found {
                        component: known.component,
                        pattern: known.pattern,
                        line: flat.line_at(fit.span.start),
                        span: fit.span,
                        held: fit.held,
                    });
                }
            }
        }
        out.sort_by_key(|found| (found.span.start, std::cmp::Reverse(found.span.end)));
        without_covered(out)
    }
}

/// Without those that stand inside others that say as much: "Connection refused" inside the
/// driver's whole sentence.
fn without_covered(found: Vec<Found>) -> Vec<Found> {
    let mut out: Vec<Found> = Vec::new();
    for (index, one) in found.iter().enumerate() {
        let covers = |other: &Found| {
            let wider = other.span.start <= one.span.start
                && other.span.end >= one.span.end
                && other.span.len() > one.span.len();
            let same = other.span == one.span && weight(other) > weight(one);
            (wider || same) && says_as_much(other, one)
        };
        let near = |other: &&Found| other.span.start <= one.span.end;
        let before = found.get(..index).unwrap_or_default();
        let behind = found.get(index + 1..).unwrap_or_default();
        // They are in order: no wide one begins far before.
        let before = before.iter().rev().take(24);
        if !before.chain(behind.iter().take_while(near)).any(covers) {
            out.push(one.clone());
        }
    }
    out
}

/// A strong pattern of a sentence before a weak one of the same words.
fn weight(found: &Found) -> (bool, usize) {
    (!found.pattern.weak, found.held.len())
}

/// Whether the wider one makes the narrower one needless.
fn says_as_much(wide: &Found, narrow: &Found) -> bool {
    match (wide.pattern.says, narrow.pattern.says) {
        (Says::Beside | Says::Hides { .. }, Says::Stopped { .. } | Says::Code) => false,
        (Says::FollowsOn { .. }, Says::Stopped { .. }) => !narrow.pattern.weak || wide.span.len() > narrow.span.len(),
        (Says::Code, Says::Stopped { .. }) => false,
        (Says::Stopped { .. }, _) if wide.pattern.weak && !narrow.pattern.weak => false,
        _ => true,
    }
}

//! All patterns in one automaton, and what of them stands in a text.

use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::OnceLock;

use aho_corasick::{AhoCorasick, AhoCorasickKind, Input, MatchKind};

use crate::catalogue::patterns;
use crate::pattern::{Component, Pattern, Says};
use crate::shape::{Fit, Hole, LONGEST_PIECE, Shape};
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
    known: Vec<(&'static Component, &'static Pattern)>,
    /// The patterns of each piece that is looked for.
    of_piece: Vec<Vec<usize>>,
}

/// Whether the case of the letters fits, where that counts: by the first word.
fn in_case(pattern: &Pattern, text: &str, fit: &Fit) -> bool {
    let lead = pattern.shape.split(['{', ' ']).next().unwrap_or_default();
    let found = text.get(fit.span.clone()).unwrap_or_default();
    !pattern.exact || found.starts_with(lead)
}

impl Search {
    /// Everything that stands in a text, and the text as it was searched. The search of short
    /// texts is prepared once; of long ones only what is near something is looked at closely.
    pub fn all(raw: &str) -> Option<(Flat, Vec<Found>)> {
        static FOR_SHORT: OnceLock<Option<Search>> = OnceLock::new();
        if raw.len() > SHORT {
            let search = Search::for_size(raw.len())?;
            let flat = Flat::near(raw, &search.places(raw));
            let found = search.find(&flat);
            return Some((flat, found));
        }
        let flat = Flat::of(raw);
        let search = FOR_SHORT.get_or_init(|| Search::for_size(0));
        let found = search.as_ref()?.find(&flat);
        Some((flat, found))
    }

    /// Where in a long text something may stand: of every line one place at most.
    fn places(&self, raw: &str) -> Vec<usize> {
        /// So much is made lower case at a time: it stays near the processor.
        const BLOCK: usize = 32 * 1024;
        let mut out = Vec::new();
        let mut low: Vec<u8> = Vec::new();
        let bytes = raw.as_bytes();
        let mut from = 0;
        while from < bytes.len() {
            let least = (from + BLOCK).min(bytes.len());
            let rest = bytes.get(least..).unwrap_or_default();
            let to = least
                + rest
                    .iter()
                    .position(|b| *b == b'\n')
                    .map_or(rest.len(), |at| at + 1);
            let block = bytes.get(from..to).unwrap_or_default();
            low.clear();
            low.extend_from_slice(block);
            low.make_ascii_lowercase();
            let mut at = 0;
            while let Some(hit) = self.automaton.find(Input::new(&low).span(at..low.len())) {
                out.push(from + hit.start());
                let behind = low.get(hit.end()..).unwrap_or_default();
                let Some(end) = behind.iter().position(|b| *b == b'\n') else {
                    break;
                };
                at = hit.end() + end;
            }
            from = to;
        }
        out
    }

    /// Prepares the search of a text of this size. None only where the table itself is
    /// broken, which a test keeps from happening.
    pub fn for_size(size: usize) -> Option<Search> {
        let known: Vec<_> = patterns().collect();
        let mut pieces: Vec<(String, usize)> = known
            .iter()
            .enumerate()
            .map(|(index, (_, pattern))| {
                let (from, to) = pattern.piece;
                let piece = pattern.shape.get(from..to).unwrap_or_default();
                (piece.to_ascii_lowercase(), index)
            })
            .collect();
        pieces.sort_unstable();
        let mut looked_for: Vec<String> = Vec::new();
        let mut of_piece: Vec<Vec<usize>> = Vec::new();
        for (piece, index) in pieces {
            match of_piece.last_mut() {
                Some(last) if looked_for.last() == Some(&piece) => last.push(index),
                _ => {
                    looked_for.push(piece);
                    of_piece.push(vec![index]);
                }
            }
        }
        let kind = match size > SHORT {
            true => AhoCorasickKind::DFA,
            false => AhoCorasickKind::NoncontiguousNFA,
        };
        let automaton = AhoCorasick::builder()
            .match_kind(MatchKind::Standard)
            .kind(Some(kind))
            .prefilter(false)
            .build(&looked_for)
            .ok()?;
        Some(Search {
            automaton,
            known,
            of_piece,
        })
    }

    /// Everything that stands in a text, in its order.
    pub fn find(&self, flat: &Flat) -> Vec<Found> {
        let text = flat.as_str();
        // The bytes stay where they are.
        let low = text.to_ascii_lowercase();
        let mut out: Vec<Found> = Vec::new();
        let mut met = Met::default();
        let mut at = 0;
        // Most of a text holds nothing: it is passed over fast, and looked at closely where
        // something stands.
        while let Some(first) = self.automaton.find(Input::new(&low).span(at..low.len())) {
            let until = (first.end() + AT_ONE_TIME).min(low.len());
            let near = Input::new(&low).span(first.start()..until);
            for hit in self.automaton.find_overlapping_iter(near) {
                self.look(
                    flat,
                    hit.pattern().as_usize(),
                    hit.range(),
                    &mut met,
                    &mut out,
                );
            }
            if until == low.len() {
                break;
            }
            // What begins at the end of the piece is found again.
            at = until.saturating_sub(LONGEST_PIECE).max(first.start() + 1);
        }
        out.sort_by_key(|found| (found.span.start, std::cmp::Reverse(found.span.end)));
        out.dedup_by(|a, b| a.pattern.id == b.pattern.id && a.span == b.span);
        without_covered(out)
    }

    /// Holds the patterns of a piece against the text in which it stands.
    fn look(
        &self,
        flat: &Flat,
        piece: usize,
        range: Range<usize>,
        met: &mut Met,
        out: &mut Vec<Found>,
    ) {
        let text = flat.as_str();
        for index in self.of_piece.get(piece).into_iter().flatten() {
            let Some((component, pattern)) = self.known.get(*index) else {
                continue;
            };
            let (times, shape) = met
                .0
                .entry(*index)
                .or_insert_with(|| (0, Shape::of(pattern.shape)));
            if *times >= MOST_OF_ONE {
                continue;
            }
            let fit = shape
                .as_ref()
                .and_then(|shape| shape.fit(text, range.clone()));
            if let Some(fit) = fit.filter(|fit| in_case(pattern, text, fit)) {
                *times += 1;
                out.push(Found {
                    component,
                    pattern,
                    line: flat.line_at(fit.span.start),
                    span: fit.span,
                    held: fit.held,
                });
            }
        }
    }
}

/// The patterns of which a piece was met: how often they fitted, and their shapes.
#[derive(Default)]
struct Met(BTreeMap<usize, (usize, Option<Shape>)>);

/// So much of a text is looked at closely from where something stands, in bytes.
const AT_ONE_TIME: usize = 2048;

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
        // Of a sentence that hides the error, general words inside are a part of it.
        (Says::Hides { .. }, Says::Stopped { .. }) if narrow.pattern.weak => {
            !wide.pattern.shape.contains("{any}")
        }
        (Says::Beside | Says::Hides { .. }, Says::Stopped { .. } | Says::Code) => false,
        (Says::FollowsOn { .. }, Says::Stopped { .. }) => {
            !narrow.pattern.weak || wide.span.len() > narrow.span.len()
        }
        (Says::Code, Says::Stopped { .. }) => false,
        (Says::Stopped { .. }, _) if wide.pattern.weak && !narrow.pattern.weak => false,
        _ => true,
    }
}

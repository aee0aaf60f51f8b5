//! Every pattern of the table on its own message, and on a near miss.

use std::collections::BTreeSet;

use chronaxis_messages::catalogue::{components, patterns};
use chronaxis_messages::search::Search;
use chronaxis_messages::shape::Shape;
use chronaxis_messages::text::Flat;

/// The ids of the patterns that fit a text, whatever else covers them.
fn fitting(text: &str) -> BTreeSet<&'static str> {
    let flat = Flat::of(text);
    let low = flat.as_str().to_ascii_lowercase();
    let mut out = BTreeSet::new();
    for (_, pattern) in patterns() {
        let shape = Shape::of(pattern.shape).expect(pattern.id);
        let anchor = shape.anchor().to_ascii_lowercase();
        let mut hits = low.match_indices(&anchor);
        if hits.any(|(at, _)| shape.fit(flat.as_str(), at..at + anchor.len()).is_some()) {
            out.insert(pattern.id);
        }
    }
    out
}

#[test]
fn every_pattern_fits_its_message_and_not_its_near_miss() {
    let mut wrong = Vec::new();
    for (_, pattern) in patterns() {
        if !fitting(pattern.example).contains(pattern.id) {
            wrong.push(format!(
                "{}: does not fit its example {:?}",
                pattern.id, pattern.example
            ));
        }
        if fitting(pattern.near_miss).contains(pattern.id) {
            wrong.push(format!(
                "{}: fits its near miss {:?}",
                pattern.id, pattern.near_miss
            ));
        }
        if pattern.example.is_empty() || pattern.near_miss.is_empty() {
            wrong.push(format!("{}: no example or no near miss", pattern.id));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn the_search_finds_every_example_or_something_wider_of_the_same_place() {
    let search = Search::for_size(0).expect("the table is whole");
    let mut wrong = Vec::new();
    for (_, pattern) in patterns() {
        let found = search.find(&Flat::of(pattern.example));
        if found.is_empty() {
            wrong.push(pattern.id);
        }
    }
    assert!(wrong.is_empty(), "{wrong:?}");
}

#[test]
fn the_table_is_as_large_as_it_says() {
    let ids: BTreeSet<&str> = patterns().map(|(_, p)| p.id).collect();
    assert_eq!(ids.len(), patterns().count(), "an id stands twice");
    assert!(ids.len() >= 300, "{} patterns", ids.len());
    let all: BTreeSet<&str> = components().map(|c| c.id).collect();
    assert_eq!(all.len(), components().count(), "a component stands twice");
    assert!(all.len() >= 40, "{} components", all.len());
}

/// What the failures of an example are, in short.
fn read(text: &str) -> Vec<String> {
    let told = chronaxis_messages::failures::read(text, 2026);
    told.failures
        .iter()
        .map(|failure| match failure.messages.first() {
            Some(message) => match (&message.symptom, message.meaning) {
                (Some(symptom), _) => symptom.clone(),
                (None, Some(meaning)) => format!("{meaning:?}"),
                (None, None) => format!("{:?}", message.role),
            },
            None => "nothing".to_owned(),
        })
        .collect()
}

#[test]
fn every_example_is_read_as_its_pattern_says() {
    use chronaxis_messages::pattern::Says;
    let mut wrong = Vec::new();
    for (_, pattern) in patterns().filter(|(_, p)| !p.weak) {
        let got = read(pattern.example);
        let wanted = match pattern.says {
            Says::Stopped { symptom, .. } => symptom,
            Says::FollowsOn { alone: Some(alone) } => alone,
            _ => continue,
        };
        if got != [wanted.to_owned()] {
            wrong.push(format!("{}: {got:?}, not {wanted}", pattern.id));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

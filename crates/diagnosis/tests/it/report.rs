//! What is worth saying of every scene: complete, in order, ready to be shown.

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::report::{
    Block, Body, Entry, Section, Tone, Topic, VerdictLine, diagnosis, percent, several,
};
use chronaxis_diagnosis::verdict::State;
use chronaxis_model::layer::{Layer, Micros};

use crate::recorded::{scene, scenes};

fn sections(blocks: &[Block]) -> Vec<&Section> {
    let sections = blocks.iter().filter_map(|block| match block {
        Block::Section(section) => Some(section),
        _ => None,
    });
    sections.collect()
}

fn verdict(blocks: &[Block]) -> &VerdictLine {
    let found = blocks.iter().find_map(|block| match block {
        Block::Verdict(line) => Some(line),
        _ => None,
    });
    found.expect("a verdict")
}

fn texts(entry: &Entry) -> Vec<&str> {
    match &entry.body {
        Body::Text(text) | Body::Command(text) => vec![text],
        Body::Figure(figure, text) | Body::Value(figure, text) => vec![figure, text],
        Body::Diff(lines) => lines.iter().map(String::as_str).collect(),
        Body::Marked { excerpt, .. } => vec![excerpt],
    }
}

/// Whether entries of this topic hold a text.
fn says(blocks: &[Block], topic: Topic, wanted: &str) -> bool {
    sections(blocks)
        .iter()
        .filter(|section| section.topic == topic)
        .flat_map(|section| &section.entries)
        .any(|entry| texts(entry).iter().any(|text| text.contains(wanted)))
}

fn whole(case: &Case) -> Vec<Block> {
    diagnosis::whole(case, false)
}

#[test]
fn every_report_is_complete_and_in_order() {
    for scene in scenes() {
        let case = scene.case();
        let blocks = whole(&case);
        assert!(matches!(blocks.first(), Some(Block::Head { .. })));
        let layers: Vec<Layer> = blocks
            .iter()
            .filter_map(|block| match block {
                Block::Layer(line) => Some(line.layer),
                _ => None,
            })
            .collect();
        assert_eq!(layers, Layer::ALL, "{}", scene.id);
        let line = verdict(&blocks);
        assert_eq!(line.state.to_lowercase(), scene.state.as_str());
        let working = scene.state == State::Working;
        assert_eq!(line.headline.is_empty(), working, "{}", scene.id);
        assert_eq!(line.tone == Tone::Good, working, "{}", scene.id);
        if scene.state == State::Broken {
            assert_eq!(line.cause, scene.cause, "{}", scene.id);
            assert!(line.owner.is_some(), "{}: somebody can fix it", scene.id);
            assert!(says(&blocks, Topic::Message, ""), "{}", scene.id);
        }
        let topics: Vec<Topic> = sections(&blocks).iter().map(|s| s.topic).collect();
        assert_eq!(topics.last(), Some(&Topic::Contacts), "{}", scene.id);
    }
}

/// Control and bidirectional characters are visible, and no entry is empty.
#[test]
fn every_text_is_ready_to_be_shown() {
    for scene in scenes() {
        let case = scene.case();
        for block in diagnosis::whole(&case, true) {
            let mut all: Vec<String> = Vec::new();
            match &block {
                Block::Section(section) => {
                    assert!(!section.entries.is_empty(), "{}", scene.id);
                    for entry in &section.entries {
                        all.extend(texts(entry).into_iter().map(str::to_owned));
                    }
                }
                Block::Layer(line) => {
                    all.push(line.summary.clone());
                    all.extend(line.facts.clone());
                }
                Block::Verdict(line) => all.push(line.headline.clone()),
                Block::Head { title, remark } => {
                    all.extend(title.iter().map(|piece| piece.text.clone()));
                    all.push(remark.clone());
                }
                _ => {}
            }
            let odd = |c: char| c.is_control() || ('\u{202a}'..='\u{202e}').contains(&c);
            for text in all {
                assert!(!text.contains(odd), "{}: {text:?}", scene.id);
            }
        }
    }
}

/// A cause that is ruled out is not among the candidates, and the other way round.
#[test]
fn nothing_is_named_and_ruled_out_at_once() {
    for scene in scenes() {
        let blocks = whole(&scene.case());
        let reasons = sections(&blocks).into_iter();
        for section in reasons.filter(|s| s.topic == Topic::Reasons) {
            let mut key = "";
            let (mut named, mut out) = (Vec::new(), Vec::new());
            for entry in &section.entries {
                key = match entry.key.as_ref() {
                    "" => key,
                    other => other,
                };
                match (key, &entry.body) {
                    ("others" | "candidates", Body::Figure(_, text)) => {
                        named.extend(text.split(' ').next());
                    }
                    ("ruled out", Body::Text(text)) => {
                        let ids = text.split(':').next().unwrap_or_default();
                        out.extend(ids.split([',', ' ']).filter(|id| id.contains('-')));
                    }
                    _ => {}
                }
            }
            let both: Vec<&&str> = named.iter().filter(|id| out.contains(id)).collect();
            assert!(both.is_empty(), "{}: {both:?}", scene.id);
        }
    }
}

#[test]
fn a_hand_over_for_the_network_stands_in_the_report() {
    let blocks = whole(&scene("dropped").case());
    assert!(says(&blocks, Topic::Network, "198.51.100.7 port 5432, tcp"));
    assert!(says(&blocks, Topic::Network, "SYN packets from 10.8.4.21"));
    assert!(says(&blocks, Topic::Next, "chronaxis diagnose"));
    let refused = whole(&scene("closed-port").case());
    let topics: Vec<Topic> = sections(&refused).iter().map(|s| s.topic).collect();
    assert!(topics.contains(&Topic::Fix) && topics.contains(&Topic::Reasons));
}

/// The server's own words are said once: not again as evidence for what they say.
#[test]
fn the_servers_own_words_are_said_once() {
    let blocks = whole(&scene("wrong-password").case());
    assert!(says(&blocks, Topic::Reasons, "the server: 28P01"));
    let said = sections(&blocks)
        .iter()
        .flat_map(|section| &section.entries)
        .filter(|entry| entry.key == "said")
        .count();
    assert_eq!(said, 1);
    assert!(!says(&blocks, Topic::Reasons, "the server says: "));
}

#[test]
fn probabilities_are_told_in_steps() {
    for (probability, wanted) in [
        (0.0, "<5 %"),
        (0.024, "<5 %"),
        (0.026, "5 %"),
        (0.5, "50 %"),
        (0.9749, "95 %"),
        (0.976, ">95 %"),
        (1.0, ">95 %"),
    ] {
        assert_eq!(percent(probability), wanted, "{probability}");
    }
}

/// Several targets: those that failed alike are one group, the worst first.
#[test]
fn targets_that_fail_alike_are_one_group() {
    let mut common = several::Grouped::default();
    for id in ["healthy", "closed-port", "closed-port", "dropped"] {
        common.add(several::Row::of(&scene(id).case()));
    }
    let Block::Summary(summary) = common.summary(Micros(1_500_000)) else {
        panic!("a summary");
    };
    assert_eq!(summary.counts, "1 working, 3 broken, 0 undecided");
    assert!(summary.title.starts_with("4 targets in "));
    let groups: Vec<(usize, &str)> = summary
        .groups
        .iter()
        .map(|group| (group.count, group.finding.as_str()))
        .collect();
    assert_eq!(groups, [(2, "nothing-listening"), (1, "firewall-drops")]);
    assert!(
        summary.groups[1].more.contains("203.0.113.1"),
        "{summary:?}"
    );
}

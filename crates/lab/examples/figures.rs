//! Figures of the inference, for `scripts/bench`:
//!
//!     figures verdict        how long a verdict takes from a full log, in microseconds: in
//!                            the median scene, in the slowest, and which that is
//!     figures calibration    how often the first cause is right, by how sure it was
//!     figures redaction      how much longer masking takes for eight times the text
//!     figures readers        the longest time that any format takes for a hostile text, in
//!                            seconds, and which text that is

#![allow(clippy::print_stdout, reason = "its output is what it is for")]

use std::time::Instant;

use chronaxis_diagnosis::case::Case;
use chronaxis_diagnosis::judge::Evidence;
use chronaxis_diagnosis::verdict::{Assessment, Occasion, assess};
use chronaxis_lab::{rehearsal, scenes};
use chronaxis_model::fact::Observation;
use chronaxis_model::redact::Redactor;
use chronaxis_model::secret::Secret;
use chronaxis_readers::{Nowhere, Project};

/// A scene with its full log, and what is wrong in it.
struct Played {
    id: &'static str,
    case: Case,
    cause: Option<&'static str>,
}

fn main() -> Result<(), String> {
    match std::env::args().nth(1).as_deref() {
        Some("redaction") => return redaction(),
        Some("readers") => return readers(),
        _ => {}
    }
    let cases: Vec<Played> = scenes::all()
        .iter()
        .map(|scene| {
            let case = rehearsal::case_of(scene)?;
            let (id, cause) = (scene.id, scene.expected.cause);
            Ok(Played { id, case, cause })
        })
        .collect::<Result<_, String>>()?;
    match std::env::args().nth(1).as_deref() {
        Some("verdict") => verdict(&cases),
        Some("calibration") => calibration(&cases),
        _ => Err("expected verdict, calibration, redaction or readers".to_owned()),
    }
}

/// Eight times the text; squared, it would be 64 times.
fn redaction() -> Result<(), String> {
    let message = "ab1 ".repeat(16 * 1024);
    let secrets = [Secret::new("ab1"), Secret::new("ab1 ab1 ab1 x")];
    let redactor = Redactor::new(&secrets);
    let times = |text: &str| {
        let began = Instant::now();
        for _ in 0..20 {
            std::hint::black_box(redactor.text(std::hint::black_box(text)));
        }
        began.elapsed().as_secs_f64()
    };
    let eighth = message.get(..message.len() / 8).unwrap_or_default();
    let (short, long) = (times(eighth), times(&message));
    println!("{:.1}", long / short);
    Ok(())
}

/// Files of every format that are made to take long.
fn readers() -> Result<(), String> {
    let paths = [
        ".env",
        "a.py",
        "a.yml",
        "a.toml",
        "a.json",
        "a.ini",
        "a.cnf",
        "a.php",
        "a.sh",
        "a.txt",
        "a.properties",
        ".pgpass",
        "a.service",
        "compose.yaml",
    ];
    let deep = 100_000;
    let texts = [
        "[".repeat(deep),
        "{\"a\":".repeat(deep),
        "(".repeat(deep),
        format!("a:{}", " {a:".repeat(deep)),
        (0..2000)
            .map(|n| format!("{}k:\n", " ".repeat(n)))
            .collect(),
        "DB_HOST=a\n".repeat(50_000),
        "A=${A}${A}\n".repeat(200),
        format!("URL=postgres://{}", "a@".repeat(50_000)),
        "postgres://a:b@c/d ".repeat(20_000),
        format!("\"{}", "\\".repeat(200_000)),
        "x = '' + ".repeat(5_000),
        "$x = 'a' . ".repeat(5_000),
    ];
    let mut longest = (0.0, String::new());
    for text in &texts {
        for path in paths {
            let began = Instant::now();
            let mut project = Project::default();
            project.add(path, text.as_bytes(), None);
            std::hint::black_box(project.report(&Nowhere));
            let took = began.elapsed().as_secs_f64();
            if took > longest.0 {
                let head: String = text.chars().take(20).collect();
                longest = (took, format!("{path} {head:?}"));
            }
        }
    }
    println!("{:.2} {}", longest.0, longest.1);
    Ok(())
}

fn judged(case: &Case, log: &[Observation]) -> Assessment {
    let evidence = Evidence {
        target: &case.target,
        scope: &case.scope,
        log,
    };
    assess(evidence, &Occasion::default())
}

/// The slowest scene's median of many verdicts, and the median over all scenes.
fn verdict(cases: &[Played]) -> Result<(), String> {
    let mut medians: Vec<(f64, &str)> = Vec::new();
    for Played { id, case, .. } in cases {
        let log = case.log().map_err(|e| e.to_string())?;
        let mut times: Vec<u128> = (0..200)
            .map(|_| {
                let began = Instant::now();
                std::hint::black_box(judged(case, std::hint::black_box(&log)));
                began.elapsed().as_nanos()
            })
            .collect();
        times.sort_unstable();
        let median = times.get(times.len() / 2).copied().unwrap_or_default();
        medians.push((median as f64 / 1e3, id));
    }
    medians.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (median, _) = medians.get(medians.len() / 2).copied().unwrap_or_default();
    let (slowest, id) = medians.last().copied().unwrap_or_default();
    println!("{median:.1} {slowest:.1} {id}");
    Ok(())
}

/// Bounds of the bins, in percent.
const BINS: [(u32, u32); 5] = [(0, 50), (50, 70), (70, 85), (85, 95), (95, 101)];

/// Each scene with facts withheld in 200 ways, by a generator with a fixed seed.
fn calibration(cases: &[Played]) -> Result<(), String> {
    let mut bins = [(0u32, 0u32, 0.0f64); BINS.len()];
    let mut seed = 7u64;
    let mut coin = move || {
        seed = seed
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        !(seed >> 33).is_multiple_of(4)
    };
    for Played { case, cause, .. } in cases {
        let Some(truth) = cause else { continue };
        let log = case.log().map_err(|e| e.to_string())?;
        for _ in 0..200 {
            let kept: Vec<Observation> = log.iter().filter(|_| coin()).cloned().collect();
            let verdict = judged(case, &kept).verdict;
            let (Some(cause), Some(sure)) = (verdict.cause, verdict.probability) else {
                continue;
            };
            let percent = (sure * 100.0) as u32;
            let found = BINS
                .iter()
                .position(|(from, to)| (*from..*to).contains(&percent));
            if let Some(bin) = found.and_then(|i| bins.get_mut(i)) {
                bin.0 += 1;
                bin.1 += u32::from(cause == *truth);
                bin.2 += sure;
            }
        }
    }
    println!("said     mean said   was right   verdicts");
    for ((from, to), (all, right, sum)) in BINS.iter().zip(bins) {
        let of = f64::from(all.max(1));
        println!(
            "{from:>3}-{:<3}  {:>7.1} %   {:>7.1} %   {all}",
            to.min(&100),
            100.0 * sum / of,
            100.0 * f64::from(right) / of
        );
    }
    Ok(())
}

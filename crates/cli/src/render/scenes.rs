//! The lab's scenes: the list, and what the demo found.

use std::io::{self, Write};

use chronaxis_diagnosis::case::Case;
use chronaxis_lab::scene::{Scene, Stage};
use chronaxis_model::layer::Micros;

use super::page::{BAD, BOLD, DIM, GOOD, WIDTH, broken};

/// Marks a scene of the simulated network.
fn mark(scene: &Scene) -> char {
    match scene.stage {
        Stage::Loopback => ' ',
        Stage::Simulated => '~',
    }
}

pub(crate) fn expected(scene: &Scene) -> String {
    let cause = scene.expected.cause.unwrap_or("");
    format!("{} {cause}", scene.expected.state.as_str())
}

/// All scenes.
pub(crate) fn list(out: &mut impl Write, scenes: &[Scene]) -> io::Result<()> {
    for scene in scenes {
        writeln!(
            out,
            "{BOLD}{:<23}{BOLD:#}{} {}",
            scene.id,
            mark(scene),
            expected(scene).trim_end()
        )?;
        for line in broken(scene.what, WIDTH - 24) {
            writeln!(out, "{:25}{DIM}{line}{DIM:#}", "")?;
        }
        if let Some(test) = chronaxis_lab::scenes::backed_by(scene.id) {
            let whole = format!("as {test}");
            let lines = match test.split_once("::") {
                Some((file, test)) if whole.len() > WIDTH - 24 => {
                    vec![format!("as {file}::"), test.to_owned()]
                }
                _ => vec![whole],
            };
            for line in lines {
                writeln!(out, "{:25}{DIM}{line}{DIM:#}", "")?;
            }
        }
        let options = scene.second_as_options(scene.port());
        if let Some((option, _)) = options.split_first() {
            writeln!(out, "{:25}{DIM}with {option}{DIM:#}", "")?;
        }
        let unusual = !scene.target.contains("127.0.0.1:{port}/sailings");
        if scene.stage == Stage::Loopback && unusual {
            writeln!(
                out,
                "{:25}{DIM}{}{DIM:#}",
                "",
                scene.text(scene.port(), "/osmary")
            )?;
        }
    }
    writeln!(
        out,
        "\n~ in the simulated network: loopback cannot reproduce it, so it has no live target"
    )
}

/// What the demo is about to do.
pub(crate) fn demo_header(out: &mut impl Write, scenes: &[Scene]) -> io::Result<()> {
    writeln!(
        out,
        "{} scenes at Osmary Ferries: each is played, diagnosed and compared.\n\
         Without a mark on loopback ports of this machine, with ~ in a simulated\n\
         network.\n",
        scenes.len()
    )?;
    writeln!(
        out,
        "{DIM}   {:<23}{:<10}{:<30}{:>7}{DIM:#}",
        "scene", "found", "", "in"
    )
}

/// One scene.
pub(crate) fn demo_line(
    out: &mut impl Write,
    scene: &Scene,
    case: &Case,
    differs: Option<&str>,
) -> io::Result<()> {
    let verdict = &case.verdict;
    let cause = verdict.cause.as_deref().unwrap_or("-");
    let style = if differs.is_none() { GOOD } else { BAD };
    writeln!(
        out,
        "{}{:1} {:<23}{:<10}{cause:<30}{:>7}  {style}{}{style:#}",
        mark(scene),
        "",
        scene.id,
        verdict.state.as_str(),
        case.vantage.elapsed_us.to_string(),
        if differs.is_none() {
            "agrees"
        } else {
            "DIFFERS"
        },
    )?;
    if let Some(expected) = differs {
        writeln!(out, "  {BAD}expected {expected}{BAD:#}")?;
    }
    Ok(())
}

/// What a look over a project's files tells.
pub(crate) struct Sourced {
    /// How many connections they describe.
    pub(crate) connections: usize,
    /// File and cause of each finding.
    pub(crate) findings: Vec<(String, String)>,
    /// What is described differently.
    pub(crate) differing: Vec<String>,
}

/// One project of files.
pub(crate) fn project_line(
    out: &mut impl Write,
    name: &str,
    told: &Sourced,
    agrees: bool,
) -> io::Result<()> {
    let style = if agrees { GOOD } else { BAD };
    let word = if agrees { "agrees" } else { "DIFFERS" };
    let what = format!(
        "{} connections, {} findings, {} that differ",
        told.connections,
        told.findings.len(),
        told.differing.len()
    );
    writeln!(
        out,
        "   {:<23}{what:<47}  {style}{word}{style:#}",
        format!("examples/{name}")
    )?;
    if !agrees {
        for (file, id) in &told.findings {
            writeln!(out, "  {BAD}found {file} {id}{BAD:#}")?;
        }
    }
    Ok(())
}

/// How many agree.
pub(crate) fn demo_footer(
    out: &mut impl Write,
    agreed: usize,
    all: usize,
    took: Micros,
) -> io::Result<()> {
    let style = if agreed == all { GOOD.bold() } else { BAD };
    writeln!(
        out,
        "\n{style}{agreed} of {all} scenes agree{style:#}, in {took}"
    )
}

//! `chronaxis demo`.

use std::collections::BTreeMap;
use std::io::Write as _;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc;
use std::thread;
use std::time::Duration;

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::report::diagnosis;
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::walk::Walk;
use chronaxis_lab::examples;
use chronaxis_lab::loopback::LoopbackServers;
use chronaxis_lab::rehearsal;
use chronaxis_lab::scene::{Scene, Stage};
use chronaxis_lab::stand_in::Counts;
use chronaxis_model::found::Warning;
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;
use chronaxis_probe::{Clock, Together};
use tokio::runtime::Runtime;

use super::settings;
use crate::args::Demo;
use crate::client_environment;
use crate::error::Failure;
use crate::render::scenes::Sourced;
use crate::render::text::Text;
use crate::render::{self, scenes};

/// The scene that is shown in full.
const IN_FULL: &str = "dropped";

/// Scenes that are played at one time: most of what takes long in them is waiting.
const SIDE_BY_SIDE: usize = 6;

/// How often a scene is played at most, where the machine held it up.
const MOST_PLAYS: usize = 3;

/// How long a stand-in's thread may take to count a line that the kernel has given it.
const TO_COUNT: Duration = Duration::from_secs(1);

pub(crate) fn run(args: &Demo) -> Result<u8, Failure> {
    let clock = Clock::start();
    let mut out = render::out(args.plain);
    let scenes = chronaxis_lab::scenes::all();
    scenes::demo_header(&mut out, &scenes)?;
    let mut agreed = 0;
    let mut in_full = None;
    side_by_side(&scenes, |scene, played| {
        let differs = played.differs(scene);
        agreed += usize::from(differs.is_none());
        scenes::demo_line(&mut out, scene, &played.case, differs.as_deref())?;
        out.flush()?;
        if scene.id == IN_FULL {
            in_full = Some(played);
        }
        Ok(())
    })?;
    let projects = [
        ("healthy", examples::HEALTHY, &[][..], &[][..]),
        (
            "broken",
            examples::BROKEN,
            examples::BROKEN_FINDINGS,
            examples::BROKEN_DISAGREEMENTS,
        ),
    ];
    let mut read_well = true;
    for (name, files, findings, differing) in projects {
        let told = told_by(files)?;
        let mut wanted: Vec<(&str, &str)> = findings.to_vec();
        wanted.sort_unstable();
        let found = told
            .findings
            .iter()
            .map(|(file, id)| (file.as_str(), id.as_str()));
        let agrees = found.eq(wanted) && told.differing == differing;
        read_well &= agrees;
        scenes::project_line(&mut out, name, &told, agrees)?;
    }
    if let Some(played) = in_full {
        writeln!(out, "\nThe scene \"{IN_FULL}\" in full, simulated:\n")?;
        let blocks = diagnosis::whole(&played.case, false);
        Text::default().blocks(&mut out, &blocks)?;
    }
    scenes::demo_footer(&mut out, agreed, scenes.len(), clock.now())?;
    Ok(u8::from(agreed != scenes.len() || !read_well))
}

/// Writes the files into a folder that goes with the program, and looks over it. The
/// cautions that depend on where files lie are left out.
fn told_by(files: examples::Files) -> Result<Sourced, Failure> {
    let folder = tempfile::tempdir().map_err(Failure::Runtime)?;
    for (name, text) in files {
        let path = folder.path().join(name);
        let failed = |cause| Failure::File {
            path: path.clone(),
            cause,
        };
        if let Some(parent) = path.parent() {
            std::fs::create_dir_all(parent).map_err(failed)?;
        }
        std::fs::write(&path, text).map_err(failed)?;
    }
    let survey = settings::of_paths(&[folder.path().to_owned()])?;
    let mut told = Sourced {
        connections: survey.connections.len(),
        findings: Vec::new(),
        differing: survey
            .disagreements
            .iter()
            .map(|d| d.about.clone())
            .collect(),
    };
    let root = format!("{}/", folder.path().display());
    for connection in &survey.connections {
        let file = connection
            .file
            .strip_prefix(&root)
            .unwrap_or(&connection.file);
        for finding in &connection.findings {
            let pair = (file.to_owned(), finding.id.to_string());
            if finding.id != Warning::SecretReadableByOthers.into()
                && !told.findings.contains(&pair)
            {
                told.findings.push(pair);
            }
        }
    }
    told.findings.sort();
    told.differing.sort();
    Ok(told)
}

/// Plays all scenes, a few at a time, and hands on each in the order of the list as soon
/// as it and all before it are there.
fn side_by_side(
    scenes: &[Scene],
    mut ended: impl FnMut(&Scene, Played) -> Result<(), Failure>,
) -> Result<(), Failure> {
    let next = AtomicUsize::new(0);
    let (tell, told) = mpsc::channel();
    thread::scope(|scope| {
        for _ in 0..SIDE_BY_SIDE {
            let (next, tell) = (&next, tell.clone());
            scope.spawn(move || {
                while let Some((at, scene)) = taken(scenes, next) {
                    let played =
                        client_environment::runtime().and_then(|on| undisturbed(scene, &on));
                    if tell.send((at, played)).is_err() {
                        return;
                    }
                }
            });
        }
        drop(tell);
        let mut early = BTreeMap::new();
        for (at, scene) in scenes.iter().enumerate() {
            let played = loop {
                if let Some(played) = early.remove(&at) {
                    break played;
                }
                let Ok((other, played)) = told.recv() else {
                    return Ok(());
                };
                early.insert(other, played);
            };
            let shown = played.and_then(|played| ended(scene, played));
            if shown.is_err() {
                // The others need not be played any more.
                next.store(scenes.len(), Ordering::SeqCst);
                return shown;
            }
        }
        Ok(())
    })
}

fn taken<'a>(scenes: &'a [Scene], next: &AtomicUsize) -> Option<(usize, &'a Scene)> {
    let at = next.fetch_add(1, Ordering::SeqCst);
    Some((at, scenes.get(at)?))
}

/// A scene's case, and what the far side saw of it.
struct Played {
    case: Case,
    seen: Counts,
}

impl Played {
    /// Whether the case tells that this program was held up.
    fn ran_late(&self) -> bool {
        let mut facts = self.case.layers.iter().flat_map(|layer| &layer.facts);
        facts.any(|seen| seen.get("fact").is_some_and(|id| id == "ran-late"))
    }

    /// What is other than the scene says, in words.
    fn differs(&self, scene: &Scene) -> Option<String> {
        let verdict = &self.case.verdict;
        let expected = scene.expected;
        let concluded = verdict.state == expected.state
            && verdict.cause.as_deref() == expected.cause
            && verdict.symptom.as_deref() == expected.symptom;
        if !concluded {
            return Some(scenes::expected(scene));
        }
        let told = told(&self.case);
        // A loopback port that takes no connection cannot count those it did not take.
        let seen = Counts {
            lines: if self.seen.lines == 0 {
                told.lines
            } else {
                self.seen.lines
            },
            ..self.seen
        };
        let counts = scene.counts;
        (told != counts || seen != counts).then(|| {
            let (counts, told, seen) = (words(counts), words(told), words(seen));
            format!("{counts}; told {told}; seen there {seen}")
        })
    }
}

fn words(counts: Counts) -> String {
    format!(
        "{} lookups, {} connections, {} sign-ins, {} sessions",
        counts.lookups, counts.lines, counts.sign_ins, counts.sessions
    )
}

fn told(case: &Case) -> Counts {
    let contacts = &case.contacts;
    Counts {
        lookups: contacts.lookups,
        lines: contacts.lines,
        sign_ins: contacts.sign_ins,
        sessions: contacts.sessions,
    }
}

/// Plays a scene, and plays it anew where it came out differently while this machine held
/// the program up: scenes count in tenths of a second, and a machine that stands still for
/// longer is none of their subjects.
fn undisturbed(scene: &Scene, runtime: &Runtime) -> Result<Played, Failure> {
    let mut played = play(scene, runtime)?;
    for _ in 1..MOST_PLAYS {
        if !played.ran_late() || played.differs(scene).is_none() {
            break;
        }
        played = play(scene, runtime)?;
    }
    Ok(played)
}

fn play(scene: &Scene, runtime: &Runtime) -> Result<Played, Failure> {
    match scene.stage {
        Stage::Loopback => {
            let servers = scene.open().map_err(|error| Failure::Scene {
                id: scene.id,
                cause: error.to_string(),
            })?;
            on_loopback(scene, &servers, runtime)
        }
        Stage::Simulated => simulated(scene),
    }
}

fn walk(scene: &Scene, port: u16) -> Result<Walk, Failure> {
    let target = scene.read(port).map_err(|cause| Failure::Scene {
        id: scene.id,
        cause,
    })?;
    let redactor = Redactor::new(target.secret.iter().map(|s| &s.value));
    let seed = client_environment::seed()?;
    Ok(Walk::new(target, scene.scope(), seed, redactor, Micros(0)).behind(scene.lists()))
}

fn on_loopback(
    scene: &Scene,
    servers: &LoopbackServers,
    runtime: &Runtime,
) -> Result<Played, Failure> {
    let port = servers.port(scene.port());
    let mut walk = walk(scene, port)?;
    let mut vantage = client_environment::vantage();
    let clock = Clock::start();
    let permits = Together::<RunState>::default();
    runtime.block_on(chronaxis_probe::run(&mut walk, &permits, clock, |_, _| {}));
    if let Some(mut second) = scene.follow(&walk, port, client_environment::seed()?) {
        let clock = Clock::start();
        runtime.block_on(chronaxis_probe::run(
            &mut second,
            &permits,
            clock,
            |_, _| {},
        ));
        scene.take_in(&mut walk, second);
    }
    vantage.elapsed_us = clock.now();
    let case = case_of(walk, vantage);
    let lines = told(&case).lines;
    Ok(Played {
        seen: servers.counts_after(lines, TO_COUNT),
        case,
    })
}

fn simulated(scene: &Scene) -> Result<Played, Failure> {
    let world = scene.world.fresh();
    let mut walk = walk(scene, scene.port())?;
    let elapsed_us = rehearsal::play(scene, &world, &mut walk);
    let vantage = Vantage {
        host: "deck-4".to_owned(),
        user: "deckhand".to_owned(),
        elapsed_us,
        ..client_environment::vantage()
    };
    Ok(Played {
        case: case_of(walk, vantage),
        seen: world.counted.now(),
    })
}

fn case_of(walk: Walk, vantage: Vantage) -> Case {
    let (target, scope, log, touched) = walk.into_log();
    Case::new(
        target,
        scope,
        &log,
        &touched,
        vantage,
        env!("CARGO_PKG_VERSION"),
    )
}

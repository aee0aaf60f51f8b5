//! `chronaxis demo`.

use std::io::Write as _;

use chronaxis_core::case::{Case, Vantage};
use chronaxis_core::layer::Micros;
use chronaxis_core::permit::Ledger;
use chronaxis_core::redact::Redactor;
use chronaxis_core::walk::Walk;
use chronaxis_lab::harbour::Harbour;
use chronaxis_lab::scene::{PORT, Scene, Stage};
use chronaxis_lab::stand_in::Counts;
use chronaxis_probe::Clock;
use tokio::runtime::Runtime;

use crate::args::Demo;
use crate::error::Failure;
use crate::render::{self, scenes, text};
use crate::surroundings;

/// The scene that is shown in full.
const IN_FULL: &str = "dropped";

pub(crate) fn run(args: &Demo) -> Result<u8, Failure> {
    let runtime = surroundings::runtime()?;
    let clock = Clock::start();
    let mut out = render::out(args.plain);
    let scenes = chronaxis_lab::scenes::all();
    scenes::demo_header(&mut out, &scenes)?;
    let mut agreed = 0;
    let mut in_full = None;
    for scene in &scenes {
        let played = play(scene, &runtime)?;
        let agrees = played.agrees(scene);
        agreed += usize::from(agrees);
        scenes::demo_line(&mut out, scene, &played.case, agrees)?;
        out.flush()?;
        if scene.id == IN_FULL {
            in_full = Some(played);
        }
    }
    if let Some(played) = in_full {
        writeln!(out, "\nThe scene \"{IN_FULL}\" in full, simulated:\n")?;
        text::whole(&mut out, &played.case)?;
    }
    scenes::demo_footer(&mut out, agreed, scenes.len(), clock.now())?;
    Ok(u8::from(agreed != scenes.len()))
}

/// A scene's case, and what the far side saw of it.
struct Played {
    case: Case,
    seen: Counts,
}

impl Played {
    fn agrees(&self, scene: &Scene) -> bool {
        let verdict = &self.case.verdict;
        let expected = scene.expected;
        let concluded = verdict.state == expected.state
            && verdict.cause.as_deref() == expected.cause
            && verdict.symptom.as_deref() == expected.symptom;
        let contacts = &self.case.contacts;
        let told = Counts {
            lookups: contacts.lookups,
            lines: contacts.lines,
            sign_ins: contacts.sign_ins,
            sessions: contacts.sessions,
        };
        // A loopback port that takes no connection cannot count those it did not take.
        let seen = Counts {
            lines: if self.seen.lines == 0 {
                told.lines
            } else {
                self.seen.lines
            },
            ..self.seen
        };
        concluded && told == scene.counts && seen == scene.counts
    }
}

fn play(scene: &Scene, runtime: &Runtime) -> Result<Played, Failure> {
    match scene.stage {
        Stage::Loopback => {
            let harbour = scene.open().map_err(|error| Failure::Scene {
                id: scene.id,
                cause: error.to_string(),
            })?;
            on_loopback(scene, &harbour, runtime)
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
    let seed = surroundings::seed()?;
    Ok(Walk::new(target, scene.scope(), seed, redactor, Micros(0)))
}

fn on_loopback(scene: &Scene, harbour: &Harbour, runtime: &Runtime) -> Result<Played, Failure> {
    let mut walk = walk(scene, harbour.port(PORT))?;
    let mut vantage = surroundings::vantage();
    let clock = Clock::start();
    let mut ledger = Ledger::default();
    runtime.block_on(chronaxis_probe::run(
        &mut walk,
        &mut ledger,
        clock,
        |_, _| {},
    ));
    vantage.elapsed_us = clock.now();
    Ok(Played {
        case: case_of(walk, vantage),
        seen: harbour.counts(),
    })
}

fn simulated(scene: &Scene) -> Result<Played, Failure> {
    let world = scene.world.fresh();
    let mut walk = walk(scene, PORT)?;
    let elapsed_us = world.play(&mut walk, &mut Ledger::default(), |_, _| {});
    let vantage = Vantage {
        host: "deck-4".to_owned(),
        user: "deckhand".to_owned(),
        elapsed_us,
        ..surroundings::vantage()
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

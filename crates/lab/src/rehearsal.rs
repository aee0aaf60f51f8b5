//! A scene played in the simulated network and judged: for tests, examples and figures.

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::walk::Walk;
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;

use crate::scene::{Scene, Second};
use crate::world::World;

/// Plays a scene in memory, whatever its stage, and gives the case.
///
/// # Errors
/// Passes on why the scene's target is none.
pub fn case_of(scene: &Scene) -> Result<Case, String> {
    let target = scene.read(scene.port())?;
    let redactor = Redactor::new(target.secret.iter().map(|s| &s.value));
    let mut walk = Walk::new(
        target,
        scene.scope(),
        chronaxis_engines::Seed::new([7; 32]),
        redactor,
        Micros(0),
    )
    .behind(scene.lists());
    play(scene, &scene.world.fresh(), &mut walk);
    let (target, scope, log, touched) = walk.into_log();
    Ok(Case::new(
        target,
        scope,
        &log,
        &touched,
        Vantage::default(),
        "rehearsal",
    ))
}

/// Plays a walk of a scene in a world, and the one that follows it; gives the time that the
/// first took.
pub fn play(scene: &Scene, world: &World, walk: &mut Walk) -> Micros {
    let mut run = RunState::default();
    let took = world.play(walk, &mut run, |_, _| {});
    let seed = chronaxis_engines::Seed::new([9; 32]);
    if let Some(mut second) = scene.follow(walk, scene.port(), seed) {
        // An administrator looks in the same run, as the program does it.
        if matches!(scene.second, Second::Idle(_)) {
            run.later();
        }
        world.play(&mut second, &mut run, |_, _| {});
        scene.take_in(walk, second);
    }
    took
}

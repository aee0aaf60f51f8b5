//! A scene played in the simulated network and judged: for tests, examples and figures.

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::walk::Walk;
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;

use crate::scene::Scene;

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
    scene
        .world
        .fresh()
        .play(&mut walk, &mut RunState::default(), |_, _| {});
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

//! A scene played in the simulated network and judged: for tests, examples and figures.

use chronaxis_core::case::{Case, Vantage};
use chronaxis_core::layer::Micros;
use chronaxis_core::permit::Ledger;
use chronaxis_core::redact::Redactor;
use chronaxis_core::walk::Walk;

use crate::scene::Scene;

/// Plays a scene in memory, whatever its stage, and gives the case.
///
/// # Errors
/// Passes on why the scene's target is none.
pub fn case_of(scene: &Scene) -> Result<Case, String> {
    let target = scene.read(scene.port())?;
    let redactor = Redactor::new(target.secret.iter().map(|s| &s.value));
    let mut walk = Walk::new(target, scene.scope(), [7; 18], redactor, Micros(0));
    scene
        .world
        .fresh()
        .play(&mut walk, &mut Ledger::default(), |_, _| {});
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

//! Every scene, played in the simulated network: what is concluded, and what the world saw
//! of the diagnosis.

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::walk::Walk;
use chronaxis_lab::scene::Scene;
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;

fn play(scene: &Scene) -> (Case, chronaxis_lab::stand_in::Counts) {
    let world = scene.world.fresh();
    let target = scene
        .read(scene.port())
        .expect("a scene's target can be read");
    let redactor = Redactor::new(target.secret.iter().map(|s| &s.value));
    let mut walk = Walk::new(
        target,
        scene.scope(),
        chronaxis_engines::Seed::new([7; 32]),
        redactor,
        Micros(0),
    )
    .behind(scene.lists());
    chronaxis_lab::rehearsal::play(scene, &world, &mut walk);
    let (target, scope, log, touched) = walk.into_log();
    let case = Case::new(target, scope, &log, &touched, Vantage::default(), "test");
    (case, world.counted.now())
}

#[test]
fn every_scene_leads_to_its_conclusion() {
    let mut wrong = Vec::new();
    for scene in chronaxis_lab::scenes::all() {
        let (case, counts) = play(&scene);
        let verdict = &case.verdict;
        let found = (
            verdict.state,
            verdict.cause.as_deref(),
            verdict.symptom.as_deref(),
        );
        let wanted = (
            scene.expected.state,
            scene.expected.cause,
            scene.expected.symptom,
        );
        if found != wanted || counts != scene.counts {
            wrong.push(format!(
                "{}: {found:?} {counts:?}\n   wanted {wanted:?} {:?}",
                scene.id, scene.counts
            ));
        }
        let told = (
            case.contacts.lookups,
            case.contacts.lines,
            case.contacts.sign_ins,
            case.contacts.sessions,
        );
        let seen = (
            counts.lookups,
            counts.lines,
            counts.sign_ins,
            counts.sessions,
        );
        assert_eq!(
            told, seen,
            "{}: the case tells what the world saw",
            scene.id
        );
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// A name that fits the page of the demo, and is nobody else's.
#[test]
fn every_scene_has_a_name_of_its_own_that_fits_its_column() {
    let scenes = chronaxis_lab::scenes::all();
    let names: std::collections::BTreeSet<_> = scenes.iter().map(|s| s.id).collect();
    assert_eq!(names.len(), scenes.len());
    let long: Vec<_> = names.iter().filter(|id| id.len() > 22).collect();
    assert!(long.is_empty(), "{long:?}");
    assert!(scenes.len() >= 18);
}

//! `chronaxis lab`.

use std::io::Write as _;

use chronaxis_core::settings::nearest;
use chronaxis_lab::scene::{PORT, Scene, Stage};

use crate::args::Lab;
use crate::error::Failure;
use crate::render::{self, scenes};

pub(crate) fn run(args: &Lab) -> Result<u8, Failure> {
    match args {
        Lab::List { plain } => {
            scenes::list(&mut render::out(*plain), &chronaxis_lab::scenes::all())?;
            Ok(0)
        }
        Lab::Start { scenes } => start(scenes),
    }
}

fn start(ids: &[String]) -> Result<u8, Failure> {
    let scenes = chosen(ids)?;
    let mut harbours = Vec::new();
    let mut out = std::io::stdout();
    for scene in &scenes {
        let harbour = scene.open().map_err(|error| Failure::Scene {
            id: scene.id,
            cause: error.to_string(),
        })?;
        writeln!(out, "{:<22} {}", scene.id, scene.text(harbour.port(PORT)))?;
        harbours.push(harbour);
    }
    writeln!(out, "{} scenes are up; interrupt to end them", scenes.len())?;
    out.flush()?;
    let runtime = tokio::runtime::Builder::new_current_thread()
        .enable_io()
        .build()
        .map_err(Failure::Runtime)?;
    runtime.block_on(interrupted()).map_err(Failure::Runtime)?;
    Ok(0)
}

async fn interrupted() -> std::io::Result<()> {
    use tokio::signal::unix::{SignalKind, signal};
    let mut ended = signal(SignalKind::terminate())?;
    tokio::select! {
        result = tokio::signal::ctrl_c() => result,
        _ = ended.recv() => Ok(()),
    }
}

fn chosen(ids: &[String]) -> Result<Vec<Scene>, Failure> {
    if ids.is_empty() {
        let live = chronaxis_lab::scenes::all()
            .into_iter()
            .filter(|s| s.stage == Stage::Loopback);
        return Ok(live.collect());
    }
    ids.iter()
        .map(|id| match chronaxis_lab::scenes::find(id) {
            Some(scene) if scene.stage == Stage::Simulated => {
                Err(Failure::SimulatedScene(scene.id))
            }
            Some(scene) => Ok(scene),
            None => Err(unknown(id)),
        })
        .collect()
}

fn unknown(id: &str) -> Failure {
    let all = chronaxis_lab::scenes::all();
    let hint = match nearest(id, all.iter().map(|s| s.id)) {
        Some(near) => format!("; nearest: {near}"),
        None => "; chronaxis lab list names them".to_owned(),
    };
    Failure::NoSuchScene {
        id: chronaxis_core::redact::visible(id),
        hint,
    }
}

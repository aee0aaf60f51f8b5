//! `chronaxis lab`.

use std::io::Write as _;
use std::os::unix::fs::OpenOptionsExt as _;

use chronaxis_core::settings::nearest;
use chronaxis_lab::scene::{Scene, Stage};

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
    let folder = papers(&scenes)?;
    let place = folder
        .as_ref()
        .map_or("", |f| f.path().to_str().unwrap_or_default());
    for scene in &scenes {
        let harbour = scene.open().map_err(|error| Failure::Scene {
            id: scene.id,
            cause: error.to_string(),
        })?;
        writeln!(
            out,
            "{:<22} {}",
            scene.id,
            scene.text(harbour.port(scene.port()), place)
        )?;
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

/// The certificates that the targets of the scenes name, in a folder that goes with the
/// program.
fn papers(scenes: &[Scene]) -> Result<Option<tempfile::TempDir>, Failure> {
    if !scenes.iter().any(Scene::has_papers) {
        return Ok(None);
    }
    let folder = tempfile::tempdir().map_err(Failure::Runtime)?;
    for (name, text) in chronaxis_lab::papers::files() {
        let mut open = std::fs::OpenOptions::new();
        let path = folder.path().join(name);
        // Clients refuse a key that others may read.
        let file = open.write(true).create_new(true).mode(0o600).open(&path);
        let written = file.and_then(|mut file| file.write_all(text.as_bytes()));
        written.map_err(|cause| Failure::File { path, cause })?;
    }
    Ok(Some(folder))
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

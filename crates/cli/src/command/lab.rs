//! `chronaxis lab`.

mod directory;

use std::io::Write as _;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::Path;

use chronaxis_lab::scene::{Scene, Stage};
use chronaxis_model::settings::nearest;

use crate::args::Lab;
use crate::error::Failure;
use crate::render::{self, scenes};

pub(crate) fn run(args: &Lab) -> Result<u8, Failure> {
    match args {
        Lab::List { plain } => {
            scenes::list(&mut render::out(*plain), &chronaxis_lab::scenes::all())?;
            Ok(0)
        }
        Lab::Start {
            directory: Some(file),
            ..
        } => directory::start(file),
        Lab::Start { scenes, .. } => start(scenes),
    }
}

fn start(ids: &[String]) -> Result<u8, Failure> {
    let scenes = chosen(ids)?;
    let mut all = Vec::new();
    let mut out = std::io::stdout();
    let folder = certificates(&scenes)?;
    let place = folder
        .as_ref()
        .map_or("", |f| f.path().to_str().unwrap_or_default());
    for scene in &scenes {
        let servers = scene.open().map_err(|error| Failure::Scene {
            id: scene.id,
            cause: error.to_string(),
        })?;
        let port = servers.port(scene.port());
        let text = match scene.files.is_empty() {
            true => scene.text(port, place),
            false => format!("{place}/{}/{}", scene.id, scene.target),
        };
        for (name, content) in &scene.files {
            let path = Path::new(place).join(scene.id).join(name);
            write_private(&path, &scene.file(content, port))?;
        }
        let options = scene.second_as_options(port).join(" ");
        let line = format!("{:<22} {text} {options}", scene.id);
        writeln!(out, "{}", line.trim_end())?;
        all.push(servers);
    }
    writeln!(
        out,
        "{} scenes are running; press Ctrl-C to stop them",
        scenes.len()
    )?;
    out.flush()?;
    wait()?;
    Ok(0)
}

/// Waits until it is interrupted.
fn wait() -> Result<(), Failure> {
    let runtime = tokio::runtime::Builder::new_current_thread()
        .enable_io()
        .build()
        .map_err(Failure::Runtime)?;
    runtime.block_on(interrupted()).map_err(Failure::Runtime)
}

/// A folder that goes with the program, with the certificates that the targets of the
/// scenes name.
fn certificates(scenes: &[Scene]) -> Result<Option<tempfile::TempDir>, Failure> {
    let wanted = |s: &Scene| s.has_certificates() || !s.files.is_empty();
    if !scenes.iter().any(wanted) {
        return Ok(None);
    }
    certificate_folder().map(Some)
}

/// A folder with them.
fn certificate_folder() -> Result<tempfile::TempDir, Failure> {
    let folder = tempfile::tempdir().map_err(Failure::Runtime)?;
    for (name, text) in chronaxis_lab::certificates::files() {
        write_private(&folder.path().join(name), &text)?;
    }
    Ok(folder)
}

/// Writes a new file that nobody else may read: clients refuse a key that others may.
fn write_private(path: &Path, text: &str) -> Result<(), Failure> {
    let failed = |cause| Failure::File {
        path: path.to_owned(),
        cause,
    };
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder).map_err(failed)?;
    }
    let mut open = std::fs::OpenOptions::new();
    let file = open.write(true).create_new(true).mode(0o600).open(path);
    file.and_then(|mut file| file.write_all(text.as_bytes()))
        .map_err(failed)
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
        id: chronaxis_model::shown::word(id),
        hint,
    }
}

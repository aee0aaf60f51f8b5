//! `chronaxis lab start --directory FILE`.

use std::io::Write as _;
use std::path::Path;

use chronaxis_engines::escaped;
use chronaxis_lab::directory_file::{self, Listening};
use chronaxis_lab::loopback::LoopbackServers;
use chronaxis_lab::stand_in::Service;
use chronaxis_model::redact::visible;
use chronaxis_model::shown;

use super::{certificate_folder, wait};
use crate::client_environment;
use crate::error::Failure;
use crate::input;

/// Most bytes of such a file.
const LARGEST: u64 = 256 * 1024;

pub(super) fn start(path: &Path) -> Result<u8, Failure> {
    let refused = |why: String| Failure::Directory {
        path: shown::path(&path.to_string_lossy()),
        why,
    };
    let text = input::whole(path, LARGEST).map_err(|cause| Failure::File {
        path: path.to_owned(),
        cause,
    })?;
    let text = String::from_utf8(text).map_err(|_| refused("it is not UTF-8 text".to_owned()))?;
    let now = client_environment::vantage().started;
    // Nobody registers to the millisecond.
    let now = match now.split_once('.') {
        Some((seconds, _)) => format!("{seconds}Z"),
        None => now,
    };
    let all = directory_file::read(&text, &now).map_err(|e| refused(visible(&e.to_string())))?;
    let mut running = Vec::new();
    for one in &all {
        let service = Service::Directory(Box::new(one.config.clone()));
        let open = LoopbackServers::at(one.at, service);
        running.push(open.map_err(|cause| {
            refused(format!(
                "{} cannot listen at {}: {cause}",
                visible(&one.name),
                one.at
            ))
        })?);
    }
    let folder = match all.first().is_some_and(|l| l.config.encryption.is_some()) {
        true => Some(certificate_folder()?),
        false => None,
    };
    tell(&all, folder.as_ref().map(tempfile::TempDir::path))?;
    wait()?;
    drop(running);
    Ok(0)
}

/// What runs, where, and with which target to try it.
fn tell(all: &[Listening], folder: Option<&Path>) -> Result<(), Failure> {
    let mut out = std::io::stdout();
    for one in all {
        writeln!(out, "{:<22} {}", visible(&one.name), one.at)?;
    }
    let listener = all.first();
    let user = listener.and_then(|l| l.config.accounts.keys().next());
    let user = user.map_or_else(String::new, |user| format!("{}@", escaped(user)));
    let tls = if folder.is_some() { "?tls=on" } else { "" };
    for (service, instances) in directory_file::services(all) {
        let by: Vec<String> = instances.iter().map(|name| visible(name)).collect();
        let at = listener.map(|l| l.at.to_string()).unwrap_or_default();
        let target = format!("directory://{user}{at}/{}{tls}", escaped(&service));
        writeln!(
            out,
            "{:<22} {target}  (by {})",
            visible(&service),
            by.join(", ")
        )?;
    }
    if let Some(folder) = folder {
        let file = folder.join("authority.pem");
        writeln!(out, "{:<22} --ca {}", "certificates", file.display())?;
    }
    writeln!(
        out,
        "a directory with {} instances is running; press Ctrl-C to stop it",
        all.len().saturating_sub(1)
    )?;
    out.flush()?;
    Ok(())
}

//! Processes that were started before the settings which they know changed (Linux).

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

use chronaxis_diagnosis::survey::Stale;
use procfs::process::{FDTarget, Process};

/// Longest variable of a process that is looked at, in bytes.
const LONGEST: usize = 4096;

/// A process as far as it concerns settings.
struct Known {
    pid: i32,
    command: String,
    program: Vec<Vec<u8>>,
    /// Seconds since 1970.
    started: i64,
}

/// The processes that know one of these files and were started before it changed.
pub(crate) fn stale(files: &[String]) -> Vec<Stale> {
    let mut wanted: BTreeMap<PathBuf, &str> = BTreeMap::new();
    for file in files {
        if let Ok(whole) = fs::canonicalize(file) {
            wanted.insert(whole, file);
        }
    }
    let (Ok(all), Ok(boot), Some(ticks)) = (
        procfs::process::all_processes(),
        procfs::boot_time_secs(),
        Some(procfs::ticks_per_second()),
    ) else {
        return Vec::new();
    };
    let own = std::process::id();
    let mut by_file: Vec<(Known, PathBuf, String)> = Vec::new();
    for process in all.flatten().filter(|p| p.pid as u32 != own) {
        // Processes end while we look: those are passed over.
        let Some(known) = known(&process, boot, ticks) else {
            continue;
        };
        let mentions = mentions(&process, &wanted);
        if let Some((file, by)) = mentions {
            by_file.push((known, file, by));
        }
    }
    let mut out = Vec::new();
    for (process, file, by) in &by_file {
        let Ok(meta) = fs::metadata(file) else {
            continue;
        };
        // Start times are known to the second: within it nothing can be said.
        if process.started + 1 >= meta.mtime() {
            continue;
        }
        let twin = by_file.iter().find(|(other, of, _)| {
            of == file
                && other.pid != process.pid
                && other.program == process.program
                && other.started > meta.mtime()
        });
        out.push(Stale {
            pid: process.pid,
            command: process.command.clone(),
            started: moment(process.started),
            file: wanted
                .get(file)
                .map_or_else(String::new, |f| (*f).to_owned()),
            changed: moment(meta.mtime()),
            by: by.clone(),
            fresh_twin: twin.map(|(other, ..)| other.pid),
        });
    }
    out
}

fn moment(seconds: i64) -> String {
    jiff::Timestamp::from_second(seconds).map_or_else(|_| "unknown".to_owned(), |t| t.to_string())
}

fn known(process: &Process, boot: u64, ticks: u64) -> Option<Known> {
    let stat = process.stat().ok()?;
    let cmdline = process.cmdline().ok()?;
    let since_boot = stat.starttime / ticks.max(1);
    Some(Known {
        pid: process.pid,
        command: chronaxis_model::redact::visible(&stat.comm),
        program: cmdline.iter().map(|a| a.clone().into_bytes()).collect(),
        started: i64::try_from(boot + since_boot).ok()?,
    })
}

/// One of the files that a process was given or has open, and how.
fn mentions(process: &Process, wanted: &BTreeMap<PathBuf, &str>) -> Option<(PathBuf, String)> {
    let cwd = process.cwd().ok();
    let resolve = |text: &str| -> Option<PathBuf> {
        if text.is_empty() || text.len() > LONGEST {
            return None;
        }
        let path = Path::new(text);
        let whole = match path.is_absolute() {
            true => path.to_owned(),
            false => cwd.as_ref()?.join(path),
        };
        let whole = fs::canonicalize(whole).ok()?;
        wanted.contains_key(&whole).then_some(whole)
    };
    let arguments = process.cmdline().ok()?;
    for argument in arguments.iter().skip(1) {
        let value = argument
            .split_once('=')
            .map_or(argument.as_str(), |(_, value)| value);
        if let Some(file) = resolve(value) {
            return Some((file, "an argument".to_owned()));
        }
    }
    for (name, value) in process.environ().unwrap_or_default() {
        let (name, value) = (name.to_string_lossy(), value.to_string_lossy());
        let looks_like_path = value.contains('/') || value.contains('.');
        // Its own folder and program stand in every environment.
        if looks_like_path
            && !matches!(name.as_ref(), "PWD" | "OLDPWD" | "_")
            && let Some(file) = resolve(&value)
        {
            return Some((file, format!("its variable {name}")));
        }
    }
    for file in process.fd().ok()?.flatten() {
        if let FDTarget::Path(path) = file.target
            && wanted.contains_key(&path)
        {
            return Some((path, "an open file".to_owned()));
        }
    }
    None
}

//! `chronaxis bundle --unpack`: all of an archive, or nothing. It is written beside the place
//! where it is to lie, and moved there once it is whole; nothing that exists is overwritten.

use std::collections::BTreeMap;
use std::fs;
use std::io::Write as _;
use std::os::unix::fs::{OpenOptionsExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};

use chronaxis_bundle::item::{Content, File};
use chronaxis_model::shown;
use chronaxis_readers::bundle::{Keyring, Moved, Source, file, moved};
use chronaxis_tls::ByRing;
use zeroize::Zeroizing;

use crate::args;
use crate::bundles;
use crate::delivery;
use crate::echo;
use crate::error::Failure;
use crate::render;
use chronaxis_archive::Entry;

/// A file that is to be written.
struct Part {
    path: String,
    bytes: Zeroizing<Vec<u8>>,
    /// Readable by its owner alone.
    private: bool,
}

/// What would be written, or was.
struct Plan {
    parts: Vec<Part>,
    changes: Vec<Moved>,
}

pub(super) fn run(args: &args::Bundle, folder: &Path) -> Result<u8, Failure> {
    let target = whole_path(folder)?;
    refuse_existing(&target)?;
    let plan = plan(args, &target)?;
    if !args.dry_run {
        write(&plan, &target)?;
    }
    let mut out = render::out(args.plain);
    let verb = if args.dry_run { "would write" } else { "wrote" };
    writeln!(
        out,
        "{verb} {} files to {}",
        plan.parts.len(),
        echo::path(&target)
    )?;
    for part in &plan.parts {
        let mode = if part.private { "0600" } else { "0644" };
        writeln!(out, "  {mode}  {}", shown::path(&part.path))?;
    }
    for change in &plan.changes {
        writeln!(out, "\nchanged, for the place where it now lies:")?;
        write!(out, "{}", change.diff)?;
    }
    if args.dry_run {
        writeln!(out, "\nnothing was written")?;
    } else {
        let shown = chronaxis_model::shell::quoted(&target.to_string_lossy());
        writeln!(out, "\nnext: chronaxis bundle {shown}")?;
    }
    out.flush()?;
    Ok(delivery::NOTHING_WRONG)
}

fn failure(path: &Path) -> impl Fn(std::io::Error) -> Failure + '_ {
    |cause| Failure::File {
        path: path.to_owned(),
        cause,
    }
}

/// The whole path of a folder that need not exist, by that of its parent.
fn whole_path(folder: &Path) -> Result<PathBuf, Failure> {
    let name = folder.file_name().ok_or_else(|| Failure::Unpack {
        path: folder.to_owned(),
        why: "it has no name of its own; expected a folder to make".to_owned(),
    })?;
    let parent = match folder.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    };
    let parent = fs::canonicalize(parent).map_err(failure(parent))?;
    Ok(parent.join(name))
}

fn refuse_existing(target: &Path) -> Result<(), Failure> {
    let there = |why: &str| Failure::Unpack {
        path: target.to_owned(),
        why: format!(
            "{why}; nothing that exists is overwritten: name a folder that does not exist"
        ),
    };
    match fs::symlink_metadata(target) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(()),
        Err(error) => Err(failure(target)(error)),
        Ok(_) => Err(there("it exists")),
    }
}

/// Reads the whole archive, and says what is to be written.
fn plan(args: &args::Bundle, target: &Path) -> Result<Plan, Failure> {
    let passphrase = bundles::passphrase(args.passphrase_file.as_deref())?;
    let loaded = bundles::load(&args.path, passphrase.as_ref(), &ByRing)?;
    let refused = |why: String| Failure::Unpack {
        path: args.path.clone(),
        why,
    };
    let Some(kind) = loaded.archive else {
        return Err(refused(
            "it is no archive; expected .zip, .tar or .tar.gz".to_owned(),
        ));
    };
    if let Some(damage) = loaded.bundle.damage {
        return Err(refused(format!("{damage}; nothing was written")));
    }
    let refused_entries = loaded.bundle.hostile.iter().chain(&loaded.bundle.left_out);
    if let Some(first) = refused_entries.into_iter().next() {
        let why = format!("{first}: such an entry is not unpacked, and nothing else was written");
        return Err(refused(why));
    }
    if let Some(large) = loaded
        .bundle
        .files
        .iter()
        .find(|f| f.content == Content::Large)
    {
        let why = format!(
            "{} is too large for a part of a bundle; nothing was written",
            large.path
        );
        return Err(refused(why));
    }
    let mut opened = fs::File::open(&args.path).map_err(failure(&args.path))?;
    let size = opened.metadata().map_err(failure(&args.path))?.len();
    let mut parts = Vec::new();
    let keyring = Keyring {
        tools: &ByRing,
        passphrase: None,
    };
    let read = chronaxis_archive::read(kind, &mut opened, size, &mut |entry| {
        if let Entry::File {
            path,
            bytes: Some(bytes),
            ..
        } = entry
        {
            let source = Source {
                path: path.clone(),
                bytes: bytes.clone(),
                access: None,
            };
            let private = is_private(&file(source, keyring));
            parts.push(Part {
                path,
                bytes,
                private,
            });
        }
    });
    read.map_err(|trouble| refused(format!("{trouble}; nothing was written")))?;
    let changes = rewrite(&mut parts, target);
    Ok(Plan { parts, changes })
}

/// Whether a file is for its owner's eyes alone: keys and keystores, open or locked, and what
/// holds a password.
fn is_private(file: &File) -> bool {
    use chronaxis_bundle::item::What;
    let locked = |o: &chronaxis_bundle::item::Object| matches!(o.what, What::LockedKey(_));
    let keystore = matches!(
        file.content,
        Content::Pkcs12 | Content::JavaKeystore | Content::JavaSecretKeystore | Content::Ssh(_)
    );
    file.is_secret()
        || keystore
        || file.objects.iter().any(locked)
        || matches!(
            file.content,
            Content::Text | Content::Manifest | Content::Aliases(_)
        ) && file.path.rsplit('/').next().is_some_and(names_secret)
}

/// Whether the name of a text says that it holds a passphrase or password.
fn names_secret(name: &str) -> bool {
    let name = name.to_ascii_lowercase();
    ["pass", "secret", "credential", "pwd"]
        .iter()
        .any(|word| name.contains(word))
}

/// Paths in texts, made to fit the place where the bundle now lies.
fn rewrite(parts: &mut [Part], target: &Path) -> Vec<Moved> {
    let paths: Vec<String> = parts.iter().map(|p| p.path.clone()).collect();
    let top = target.to_string_lossy().into_owned();
    let mut changes = Vec::new();
    let mut after: BTreeMap<usize, String> = BTreeMap::new();
    for (index, part) in parts.iter().enumerate() {
        let Ok(text) = std::str::from_utf8(&part.bytes) else {
            continue;
        };
        if let Some(change) = moved(&part.path, text, &paths, &top) {
            after.insert(index, change.after.clone());
            changes.push(change);
        }
    }
    for (index, text) in after {
        if let Some(part) = parts.get_mut(index) {
            part.bytes = Zeroizing::new(text.into_bytes());
        }
    }
    changes
}

/// Writes all of it beside the place where it is to lie, and moves it there.
fn write(plan: &Plan, target: &Path) -> Result<(), Failure> {
    let parent = target.parent().unwrap_or_else(|| Path::new("/"));
    let beside = tempfile::Builder::new()
        .prefix(".chronaxis-")
        .permissions(fs::Permissions::from_mode(0o700))
        .tempdir_in(parent)
        .map_err(failure(parent))?;
    for part in &plan.parts {
        let path = beside.path().join(&part.path);
        if let Some(folder) = path.parent() {
            fs::create_dir_all(folder).map_err(failure(&path))?;
        }
        let mode = if part.private { 0o600 } else { 0o644 };
        let made = fs::OpenOptions::new()
            .write(true)
            .create_new(true)
            .mode(mode)
            .open(&path);
        let mut made = made.map_err(failure(&path))?;
        made.write_all(&part.bytes).map_err(failure(&path))?;
    }
    // A folder that came to be there meanwhile is not replaced.
    refuse_existing(target)?;
    let made = beside.keep();
    fs::rename(&made, target).map_err(|cause| {
        let _ = fs::remove_dir_all(&made);
        failure(target)(cause)
    })
}

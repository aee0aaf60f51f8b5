//! Finding the files of a folder: what ignore files leave out, what is no settings file,
//! and what must not be opened at all.

use std::collections::BTreeSet;
use std::fs::{self, DirEntry, File};
use std::io::{self, Read as _};
use std::os::unix::fs::{OpenOptionsExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

use chronaxis_diagnosis::survey::LookedAt;
use chronaxis_readers::prefilter;
use ignore::gitignore::{Gitignore, GitignoreBuilder};

/// Longest file that is read.
const LONGEST: u64 = 2 * 1024 * 1024;

/// Bytes by which a binary is known.
const HEAD: usize = 8000;

/// Files whose rules leave others out.
const IGNORE_FILES: [&str; 2] = [".gitignore", ".ignore"];

/// Folders that hold no settings of the project, whatever ignore files say.
const NEVER: [&str; 3] = [".git", ".hg", ".svn"];

/// Deepest folder that is looked into.
const DEEPEST: usize = 60;

/// A file that may describe a connection.
pub(crate) struct Found {
    /// Its path, as it is shown.
    pub(crate) path: String,
    /// Its bytes.
    pub(crate) bytes: Vec<u8>,
    /// Its permission bits; none of what is not its own only where folders above shut
    /// others out.
    pub(crate) mode: u32,
}

/// How far to look.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Reach {
    /// Whether what ignore files leave out is looked into.
    pub(crate) all: bool,
    /// How deep; none: to the bottom.
    pub(crate) depth: Option<usize>,
    /// How many files at most; none: all.
    pub(crate) most: Option<usize>,
}

/// Looks through a path: a file, or all files of a folder.
///
/// # Errors
/// Passes on why the path itself cannot be read.
pub(crate) fn look(path: &Path, reach: Reach, seen: &mut LookedAt) -> io::Result<Vec<Found>> {
    let meta = fs::metadata(path)?;
    if !meta.is_dir() {
        seen.files += 1;
        return Ok(one(path, &meta, seen)?.into_iter().collect());
    }
    fs::read_dir(path)?;
    let mut listing = Listing {
        root: fs::canonicalize(path)?,
        reach,
        files: Vec::new(),
        seen,
    };
    listing.folder(path, &mut Vec::new(), 0);
    let files = listing.files;
    seen.files += files.len();
    let open_above = open_to_others(path);
    Ok(read_all(&files, open_above, seen))
}

/// A file that was named: it is read whatever it is called.
///
/// # Errors
/// Says why it cannot be read: a pipe, a device, a file over the bound.
fn one(path: &Path, meta: &fs::Metadata, seen: &mut LookedAt) -> io::Result<Option<Found>> {
    if !meta.is_file() {
        let what = "a pipe, socket or device; expected a file or folder";
        return Err(io::Error::other(what));
    }
    let shown = shown(path);
    let mut bytes = Vec::new();
    match read(path, &mut bytes)? {
        Read::Text(mode) => {
            let above = path.parent().is_none_or(open_to_others);
            Ok(Some(Found {
                path: shown,
                bytes,
                mode: bits(mode, above),
            }))
        }
        Read::Binary => {
            seen.binaries += 1;
            Ok(None)
        }
        Read::TooLarge => Err(io::Error::other(
            "larger than 2 MB; expected a settings file",
        )),
    }
}

fn shown(path: &Path) -> String {
    let text = path.to_string_lossy();
    text.strip_prefix("./").unwrap_or(&text).to_owned()
}

/// Permission bits, without those for others where folders above shut these out.
fn bits(mode: u32, open_above: bool) -> u32 {
    if open_above { mode } else { mode & !0o007 }
}

/// Whether others can come as far as into this folder.
fn open_to_others(folder: &Path) -> bool {
    let Ok(whole) = fs::canonicalize(folder) else {
        return true;
    };
    whole.ancestors().all(|above| {
        fs::metadata(above).map_or(true, |meta| meta.permissions().mode() & 0o001 != 0)
    })
}

/// What reading a file brought.
enum Read {
    /// Its text is in the buffer; with its permission bits.
    Text(u32),
    /// It is no text.
    Binary,
    /// It is over the bound.
    TooLarge,
}

/// Reads a file into a buffer, the beginning first: most binaries are known by it. A pipe
/// put in the file's place in between holds nobody up.
fn read(path: &Path, bytes: &mut Vec<u8>) -> io::Result<Read> {
    let mut file = fs::OpenOptions::new()
        .read(true)
        .custom_flags(nix::libc::O_NONBLOCK | nix::libc::O_NOCTTY)
        .open(path)?;
    let meta = file.metadata()?;
    if !meta.is_file() {
        return Err(io::Error::other("no regular file any more"));
    }
    if meta.len() > LONGEST {
        return Ok(Read::TooLarge);
    }
    bytes.clear();
    for most in [HEAD, meta.len() as usize] {
        let wanted = most.min(meta.len() as usize);
        fill(&mut file, bytes, wanted)?;
        if is_binary(bytes) {
            return Ok(Read::Binary);
        }
    }
    Ok(Read::Text(meta.permissions().mode() & 0o7777))
}

/// Reads on until the buffer holds so many bytes, or the file ends.
fn fill(file: &mut File, bytes: &mut Vec<u8>, wanted: usize) -> io::Result<()> {
    let mut at = bytes.len();
    if wanted <= at {
        return Ok(());
    }
    bytes.resize(wanted, 0);
    while let Some(room) = bytes.get_mut(at..).filter(|room| !room.is_empty()) {
        match file.read(room) {
            Ok(0) => break,
            Ok(count) => at += count,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    bytes.truncate(at);
    Ok(())
}

/// Zero bytes, but for UTF-16 with its mark.
fn is_binary(bytes: &[u8]) -> bool {
    let marked = bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff");
    !marked && bytes.get(..HEAD).unwrap_or(bytes).contains(&0)
}

struct Listing<'a> {
    root: PathBuf,
    reach: Reach,
    files: Vec<PathBuf>,
    seen: &'a mut LookedAt,
}

impl Listing<'_> {
    fn folder(&mut self, folder: &Path, rules: &mut Vec<Gitignore>, depth: usize) {
        let entries = match fs::read_dir(folder) {
            Ok(entries) => entries,
            Err(error) => {
                self.seen
                    .unreadable
                    .push(format!("{}: {error}", shown(folder)));
                return;
            }
        };
        let mut entries: Vec<DirEntry> = entries.filter_map(Result::ok).collect();
        entries.sort_by_key(DirEntry::file_name);
        let own = (!self.reach.all)
            .then(|| rules_of(folder, &entries))
            .flatten();
        let count = rules.len();
        rules.extend(own);
        for entry in entries {
            if self.reach.most.is_some_and(|most| self.files.len() >= most) {
                break;
            }
            self.entry(&entry, rules, depth);
        }
        rules.truncate(count);
    }

    fn entry(&mut self, entry: &DirEntry, rules: &mut Vec<Gitignore>, depth: usize) {
        let path = entry.path();
        let Ok(kind) = entry.file_type() else {
            // It went away while we looked.
            return;
        };
        if kind.is_symlink() {
            // What a link inside the tree leads to is met at its own place.
            let inside = fs::canonicalize(&path).is_ok_and(|to| to.starts_with(&self.root));
            self.seen.links_out += usize::from(!inside);
            return;
        }
        let is_folder = kind.is_dir();
        if is_folder && NEVER.iter().any(|name| entry.file_name() == *name) {
            return;
        }
        // Environment files are left out of nearly every repository, and every program reads
        // them.
        let of_environment = !is_folder && is_environment(&entry.file_name());
        if !of_environment && is_ignored(&path, is_folder, rules) {
            self.seen.ignored += 1;
            return;
        }
        if is_folder {
            let deepest = self.reach.depth.unwrap_or(DEEPEST);
            if depth < deepest {
                self.folder(&path, rules, depth + 1);
            }
            return;
        }
        if !kind.is_file() {
            self.seen.special += 1;
            return;
        }
        self.files.push(path);
    }
}

/// The rules of a folder's own ignore files.
fn rules_of(folder: &Path, entries: &[DirEntry]) -> Option<Gitignore> {
    let there: Vec<&DirEntry> = entries
        .iter()
        .filter(|e| IGNORE_FILES.iter().any(|name| e.file_name() == *name))
        .collect();
    if there.is_empty() {
        return None;
    }
    let mut builder = GitignoreBuilder::new(folder);
    for entry in there {
        // A rule that cannot be read leaves out nothing.
        let _ = builder.add(entry.path());
    }
    builder.build().ok()
}

fn is_environment(name: &std::ffi::OsStr) -> bool {
    name.to_str()
        .is_some_and(|name| name.starts_with(".env") || name.ends_with(".env"))
}

/// The nearest rule that speaks of a path decides (gitignore(5)).
fn is_ignored(path: &Path, is_folder: bool, rules: &[Gitignore]) -> bool {
    for rule in rules.iter().rev() {
        let matched = rule.matched(path, is_folder);
        if matched.is_ignore() {
            return true;
        }
        if matched.is_whitelist() {
            return false;
        }
    }
    false
}

/// Reads all files side by side, and keeps those that may describe a connection.
fn read_all(files: &[PathBuf], open_above: bool, seen: &mut LookedAt) -> Vec<Found> {
    let next = AtomicUsize::new(0);
    let kept: Mutex<Vec<(usize, Found)>> = Mutex::new(Vec::new());
    let binaries = AtomicUsize::new(0);
    let too_large = AtomicUsize::new(0);
    let failed: Mutex<BTreeSet<String>> = Mutex::new(BTreeSet::new());
    let closed: Mutex<std::collections::BTreeMap<PathBuf, bool>> = Mutex::default();
    let workers = std::thread::available_parallelism().map_or(1, |n| n.get().min(4));
    std::thread::scope(|scope| {
        for _ in 0..workers {
            scope.spawn(|| {
                let mut bytes = Vec::new();
                loop {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some(path) = files.get(at) else {
                        return;
                    };
                    let mode = match read(path, &mut bytes) {
                        Ok(Read::Text(mode)) => mode,
                        Ok(Read::Binary) => {
                            binaries.fetch_add(1, Ordering::Relaxed);
                            continue;
                        }
                        Ok(Read::TooLarge) => {
                            too_large.fetch_add(1, Ordering::Relaxed);
                            continue;
                        }
                        // What went away in between is no finding.
                        Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
                        Err(error) => {
                            let mut failed = failed.lock().unwrap_or_else(PoisonError::into_inner);
                            failed.insert(format!("{}: {error}", shown(path)));
                            continue;
                        }
                    };
                    let shown = shown(path);
                    if is_prose(&shown) || !prefilter::passes(&shown, &bytes) {
                        continue;
                    }
                    let above = open_above
                        && path.parent().is_none_or(|folder| {
                            let mut closed = closed.lock().unwrap_or_else(PoisonError::into_inner);
                            *closed
                                .entry(folder.to_owned())
                                .or_insert_with(|| open_to_others(folder))
                        });
                    let found = Found {
                        path: shown,
                        bytes: bytes.clone(),
                        mode: bits(mode, above),
                    };
                    let mut kept = kept.lock().unwrap_or_else(PoisonError::into_inner);
                    kept.push((at, found));
                }
            });
        }
    });
    seen.binaries += binaries.into_inner();
    seen.too_large += too_large.into_inner();
    let failed = failed.into_inner().unwrap_or_else(PoisonError::into_inner);
    seen.unreadable.extend(failed);
    let mut kept = kept.into_inner().unwrap_or_else(PoisonError::into_inner);
    kept.sort_by_key(|(at, _)| *at);
    kept.into_iter().map(|(_, found)| found).collect()
}

/// Texts for people: the strings in them are examples. Named by themselves they are read.
fn is_prose(path: &str) -> bool {
    let ending = path.rsplit_once('.').map_or("", |(_, ending)| ending);
    matches!(
        ending.to_ascii_lowercase().as_str(),
        "md" | "rst" | "adoc" | "html" | "htm" | "tex" | "svg" | "css" | "snap" | "lock" | "map"
    )
}

//! Credential bundles from this machine: a folder, an archive, or a single file, read within
//! bounds. Nothing is written here.

use std::fs;
use std::io::{Read as _, Seek as _, SeekFrom};
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};

use chronaxis_bundle::bounds::{LARGEST_PART, MOST_BYTES, MOST_FILES};
use chronaxis_bundle::item::{Access, Bundle, Content, File};
use chronaxis_bundle::tools::Tools;
use chronaxis_model::secret::Secret;
use chronaxis_model::shown;
use chronaxis_readers::bundle::{Keyring, Source, bundle, file};
use nix::unistd::geteuid;
use zeroize::Zeroizing;

use crate::error::Failure;
use crate::input;
use chronaxis_archive::{Entry, Kind};

/// The variable that may hold the passphrase.
const PASSPHRASE_VARIABLE: &str = "CHRONAXIS_PASSPHRASE";

/// Longest passphrase file that is read.
const LONGEST_PASSPHRASE: u64 = 64 * 1024;

/// Folders below folders.
const DEEPEST: usize = 8;

/// A bundle that was read.
pub(crate) struct Loaded {
    /// What it is.
    pub(crate) kind: &'static str,
    /// What stands in it.
    pub(crate) bundle: Bundle,
    /// The kind of archive, where it is one.
    pub(crate) archive: Option<Kind>,
    /// The texts of an archive that may be settings, by their paths.
    pub(crate) texts: Vec<(String, Zeroizing<Vec<u8>>)>,
}

/// The passphrase: of the file that was named, else of the environment.
pub(crate) fn passphrase(named: Option<&Path>) -> Result<Option<Secret>, Failure> {
    let text = match named {
        Some(path) => {
            let bytes = input::whole(path, LONGEST_PASSPHRASE).map_err(|cause| Failure::File {
                path: path.to_owned(),
                cause,
            })?;
            let bytes = Zeroizing::new(bytes);
            let text = std::str::from_utf8(&bytes)
                .map_err(|_| Failure::NotUtf8("--passphrase-file".to_owned()))?;
            // One final line end is the editor's, not the passphrase's.
            let bare = text.strip_suffix('\n').unwrap_or(text);
            Some(Secret::new(bare.strip_suffix('\r').unwrap_or(bare)))
        }
        None => match std::env::var(PASSPHRASE_VARIABLE) {
            Ok(text) if !text.is_empty() => Some(Secret::new(Zeroizing::new(text).as_str())),
            Ok(_) | Err(std::env::VarError::NotPresent) => None,
            Err(std::env::VarError::NotUnicode(_)) => {
                return Err(Failure::NotUtf8(format!(
                    "the variable {PASSPHRASE_VARIABLE}"
                )));
            }
        },
    };
    Ok(text)
}

/// Reads a bundle.
pub(crate) fn load(
    path: &Path,
    passphrase: Option<&Secret>,
    tools: &dyn Tools,
) -> Result<Loaded, Failure> {
    let failure = |cause| Failure::File {
        path: path.to_owned(),
        cause,
    };
    let keyring = Keyring { tools, passphrase };
    let found = fs::metadata(path).map_err(failure)?;
    if found.is_dir() {
        return folder(path, keyring).map_err(failure);
    }
    if !found.is_file() {
        let cause = std::io::Error::other("neither a file nor a folder");
        return Err(failure(cause));
    }
    let mut opened = fs::File::open(path).map_err(failure)?;
    let mut head = [0u8; 512];
    let read = opened.read(&mut head).map_err(failure)?;
    match chronaxis_archive::kind(head.get(..read).unwrap_or_default()) {
        Some(kind) => {
            opened.seek(SeekFrom::Start(0)).map_err(failure)?;
            Ok(archived(kind, &mut opened, found.len(), keyring))
        }
        None => {
            let bytes = Zeroizing::new(input::whole(path, LARGEST_PART).map_err(failure)?);
            let name = path.file_name().map(|n| n.to_string_lossy().into_owned());
            let lies_in = prefix(path.parent());
            let source = Source {
                path: shown::path(&name.unwrap_or_default()),
                bytes,
                access: Some(access(&found)),
            };
            let files = vec![file(source, keyring)];
            Ok(Loaded {
                kind: "file",
                bundle: Bundle {
                    single: true,
                    lies_in,
                    ..bundle(files)
                },
                archive: None,
                texts: Vec::new(),
            })
        }
    }
}

/// Whether a file is an archive, by its first bytes.
pub(crate) fn is_archive(path: &Path) -> bool {
    let mut head = [0u8; 512];
    let is_file = fs::metadata(path).is_ok_and(|m| m.is_file());
    let read = is_file.then(|| fs::File::open(path).and_then(|mut f| f.read(&mut head)));
    match read {
        Some(Ok(read)) => chronaxis_archive::kind(head.get(..read).unwrap_or_default()).is_some(),
        _ => false,
    }
}

/// A folder as it stands before the names of its files.
fn prefix(folder: Option<&Path>) -> String {
    match folder.map(Path::to_string_lossy) {
        None => String::new(),
        Some(folder) if folder.is_empty() || folder == "." => String::new(),
        Some(folder) if folder.ends_with('/') => folder.into_owned(),
        Some(folder) => format!("{folder}/"),
    }
}

fn access(found: &fs::Metadata) -> Access {
    Access {
        mode: found.permissions().mode(),
        own: found.uid() == geteuid().as_raw(),
        root: found.uid() == 0,
    }
}

/// What is kept of the bytes that come, within the bounds of a bundle.
struct Kept<'a> {
    keyring: Keyring<'a>,
    files: Vec<File>,
    left_out: Vec<String>,
    hostile: Vec<String>,
    bytes: u64,
    /// Texts that may be settings, where nobody can read them again.
    texts: Vec<(String, Zeroizing<Vec<u8>>)>,
    texts_left: usize,
}

/// Most bytes of the texts of an archive that may be settings.
const MOST_OF_TEXTS: usize = 4 * 1024 * 1024;

impl<'a> Kept<'a> {
    fn new(keyring: Keyring<'a>) -> Kept<'a> {
        Kept {
            keyring,
            files: Vec::new(),
            left_out: Vec::new(),
            hostile: Vec::new(),
            bytes: 0,
            texts: Vec::new(),
            texts_left: 0,
        }
    }

    /// Looks into a file, and lets its bytes go.
    fn take(&mut self, path: String, bytes: Zeroizing<Vec<u8>>, access: Option<Access>) {
        self.bytes += bytes.len() as u64;
        if self.bytes > MOST_BYTES {
            let size = bytes.len() as u64;
            self.files.push(File::of(path, size, Content::Large));
            return;
        }
        let again = (bytes.len() <= self.texts_left).then(|| bytes.clone());
        let source = Source {
            path,
            bytes,
            access,
        };
        let found = file(source, self.keyring);
        let may_be_settings = matches!(found.content, Content::Aliases(_) | Content::Text);
        if let Some(text) = again.filter(|_| may_be_settings) {
            self.texts_left -= text.len();
            self.texts.push((found.path.clone(), text));
        }
        self.files.push(found);
    }
}

fn archived(kind: Kind, opened: &mut fs::File, size: u64, keyring: Keyring<'_>) -> Loaded {
    let mut kept = Kept::new(keyring);
    kept.texts_left = MOST_OF_TEXTS;
    let ended = chronaxis_archive::read(kind, opened, size, &mut |entry| match entry {
        Entry::File {
            path,
            size,
            mode,
            bytes,
        } => {
            let path = shown::path(&path);
            let access = mode.map(|mode| Access {
                mode,
                own: true,
                root: false,
            });
            match bytes {
                Some(bytes) => kept.take(path, bytes, access),
                None => kept.files.push(File::of(path, size, Content::Large)),
            }
        }
        Entry::Refused { path, why } => {
            let text = format!("{path}: {}", why.as_str());
            match why.is_hostile() {
                true => kept.hostile.push(text),
                false => kept.left_out.push(text),
            }
        }
    });
    // What an archive says of permissions is what they will be, not what they are.
    for file in &mut kept.files {
        file.access = None;
    }
    let damage = ended.err().map(|trouble| trouble.to_string());
    Loaded {
        kind: kind.as_str(),
        bundle: Bundle {
            damage,
            left_out: kept.left_out,
            hostile: kept.hostile,
            ..bundle(kept.files)
        },
        archive: Some(kind),
        texts: kept.texts,
    }
}

fn folder(top: &Path, keyring: Keyring<'_>) -> std::io::Result<Loaded> {
    let mut kept = Kept::new(keyring);
    let real = fs::canonicalize(top)?;
    let mut left: Vec<(PathBuf, usize)> = vec![(top.to_owned(), 0)];
    let mut count = 0usize;
    while let Some((folder, depth)) = left.pop() {
        let entries = match fs::read_dir(&folder) {
            Ok(entries) => entries,
            Err(error) if depth == 0 => return Err(error),
            Err(error) => {
                let name = relative(top, &folder);
                kept.left_out.push(format!("{name}: {error}"));
                continue;
            }
        };
        for entry in entries.flatten() {
            count += 1;
            if count > MOST_FILES {
                kept.left_out
                    .push(format!("what follows the first {MOST_FILES} files"));
                left.clear();
                break;
            }
            one(top, &real, &entry.path(), depth, &mut left, &mut kept);
        }
    }
    Ok(Loaded {
        kind: "folder",
        bundle: Bundle {
            left_out: kept.left_out,
            lies_in: prefix(Some(top)),
            ..bundle(kept.files)
        },
        archive: None,
        texts: Vec::new(),
    })
}

/// The path of something below a folder, as it may be shown.
fn relative(top: &Path, path: &Path) -> String {
    let inner = path.strip_prefix(top).unwrap_or(path);
    shown::path(&inner.to_string_lossy())
}

fn one(
    top: &Path,
    real: &Path,
    path: &Path,
    depth: usize,
    left: &mut Vec<(PathBuf, usize)>,
    kept: &mut Kept<'_>,
) {
    let name = relative(top, path);
    let Ok(linked) = fs::symlink_metadata(path) else {
        return;
    };
    if linked.file_type().is_symlink() {
        // Programs that renew certificates keep the files elsewhere, and links to them here. A
        // link to a folder is not followed: it may lead anywhere.
        let inside = fs::canonicalize(path).is_ok_and(|to| to.starts_with(real));
        if !fs::metadata(path).is_ok_and(|m| m.is_file()) {
            if !inside {
                kept.left_out
                    .push(format!("{name}: a link that leads to no file"));
            }
            return;
        }
    }
    let Ok(found) = fs::metadata(path) else {
        return;
    };
    if found.is_dir() {
        // Folders like ..data are where a cluster keeps what the links beside them show.
        let hidden = path
            .file_name()
            .is_some_and(|n| n.to_string_lossy().starts_with(".."));
        match depth < DEEPEST && !hidden {
            true => left.push((path.to_owned(), depth + 1)),
            false if hidden => {}
            false => kept
                .left_out
                .push(format!("{name}: too deep below the folder")),
        }
        return;
    }
    if !found.is_file() {
        kept.left_out.push(format!("{name}: not a regular file"));
        return;
    }
    let access = Some(access(&found));
    if found.len() > LARGEST_PART {
        let large = File::of(name, found.len(), Content::Large);
        kept.files.push(File { access, ..large });
        return;
    }
    match input::whole(path, LARGEST_PART) {
        Ok(bytes) => kept.take(name, Zeroizing::new(bytes), access),
        Err(_) => {
            let closed = File::of(name, found.len(), Content::Closed);
            kept.files.push(File { access, ..closed });
        }
    }
}

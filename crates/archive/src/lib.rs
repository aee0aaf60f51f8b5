//! Archives: `.zip`, `.tar`, `.tar.gz`, read entry by entry, within bounds. Nothing is
//! written here.

mod tar;
mod zip;

use std::io::{Read, Seek, SeekFrom};

use chronaxis_bundle::bounds::{LARGEST_PART, MOST_FILES};
use flate2::read::MultiGzDecoder;
use zeroize::Zeroizing;

/// Most bytes that an archive may hold once it is unpacked.
pub const MOST_UNPACKED: u64 = 512 * 1024 * 1024;

/// How many times its own size an archive may hold: text of certificates shrinks to some
/// 60 %, and nothing of use beyond a hundredth.
pub const MOST_RATIO: u64 = 200;

/// Bytes that are no reason for suspicion whatever the ratio.
const SMALL: u64 = 4 * 1024 * 1024;

/// Longest path of an entry.
const LONGEST_PATH: usize = 1024;

/// A kind of archive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// `.zip`.
    Zip,
    /// `.tar`.
    Tar,
    /// `.tar.gz`.
    TarGz,
}

impl Kind {
    /// Its name.
    pub fn as_str(self) -> &'static str {
        match self {
            Kind::Zip => "zip",
            Kind::Tar => "tar",
            Kind::TarGz => "tar.gz",
        }
    }
}

/// Why an entry is not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Refused {
    /// Its path leads out of the archive.
    Outside,
    /// It is a link.
    Link,
    /// It is a device, a pipe, or something else that is no file.
    Special,
    /// There is another entry of the same path.
    Twice,
    /// Its path is no text, or too long.
    Path,
    /// It is locked with a passphrase of the archive.
    Locked,
}

impl Refused {
    /// Whether it is one that a bundle never has, and that harms whoever unpacks it.
    pub fn is_hostile(self) -> bool {
        matches!(self, Refused::Outside | Refused::Special | Refused::Path)
    }

    /// Why, in words.
    pub fn as_str(self) -> &'static str {
        match self {
            Refused::Outside => "its path leads out of the archive",
            Refused::Link => "it is a link",
            Refused::Special => "it is no regular file",
            Refused::Twice => "the archive has another entry with this path",
            Refused::Path => "its path is not readable text, or too long",
            Refused::Locked => "it is encrypted by the archive itself",
        }
    }
}

/// An entry of an archive.
pub enum Entry {
    /// A file; without its bytes where it is too large to be a part of a bundle.
    File {
        /// Its path.
        path: String,
        /// Its size once unpacked.
        size: u64,
        /// Its permission bits, where the archive has them.
        mode: Option<u32>,
        /// Its bytes.
        bytes: Option<Zeroizing<Vec<u8>>>,
    },
    /// Something that is not taken.
    Refused {
        /// Its path, made visible.
        path: String,
        /// Why.
        why: Refused,
    },
}

/// Why an archive cannot be read to its end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Trouble {
    /// It is damaged or cut off.
    Damaged(&'static str),
    /// It holds more than it may.
    TooMuch(String),
}

impl std::fmt::Display for Trouble {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Trouble::Damaged(what) => f.write_str(what),
            Trouble::TooMuch(what) => f.write_str(what),
        }
    }
}

/// What can be read and wound back.
pub trait Source: Read + Seek {}

impl<T: Read + Seek> Source for T {}

/// Which kind an archive is, by its first bytes; nothing where it is none.
pub fn kind(head: &[u8]) -> Option<Kind> {
    if head.starts_with(b"PK\x03\x04") || head.starts_with(b"PK\x05\x06") {
        Some(Kind::Zip)
    } else if head.starts_with(b"\x1f\x8b") {
        Some(Kind::TarGz)
    } else if head.get(257..262) == Some(b"ustar") {
        Some(Kind::Tar)
    } else {
        None
    }
}

/// A path as a bundle has it; nothing where it leads out.
fn inside(raw: &[u8]) -> Result<String, Refused> {
    // Some programs write the separator of their own system.
    let text = std::str::from_utf8(raw)
        .map_err(|_| Refused::Path)?
        .replace('\\', "/");
    let text = text.as_str();
    let odd = char::is_control;
    if text.len() > LONGEST_PATH || text.is_empty() || text.chars().any(odd) {
        return Err(Refused::Path);
    }
    if text.starts_with('/') || text.get(1..2) == Some(":") {
        return Err(Refused::Outside);
    }
    let mut parts = Vec::new();
    for part in text.split('/') {
        match part {
            "" | "." => {}
            ".." => return Err(Refused::Outside),
            part => parts.push(part),
        }
    }
    Ok(parts.join("/"))
}

/// Counts what comes, and stops what is too much.
struct Budget {
    packed: u64,
    unpacked: u64,
    entries: usize,
    seen: std::collections::BTreeSet<String>,
}

impl Budget {
    fn of(packed: u64) -> Budget {
        Budget {
            packed,
            unpacked: 0,
            entries: 0,
            seen: std::collections::BTreeSet::new(),
        }
    }

    fn entry(&mut self) -> Result<(), Trouble> {
        self.entries += 1;
        match self.entries > MOST_FILES {
            true => Err(Trouble::TooMuch(format!(
                "it has more than {MOST_FILES} entries, which no bundle has"
            ))),
            false => Ok(()),
        }
    }

    fn bytes(&mut self, more: u64) -> Result<(), Trouble> {
        self.unpacked = self.unpacked.saturating_add(more);
        if self.unpacked > MOST_UNPACKED {
            return Err(Trouble::TooMuch(format!(
                "it unpacks to more than {} MB",
                MOST_UNPACKED / 1024 / 1024
            )));
        }
        let most = self.packed.saturating_mul(MOST_RATIO).max(SMALL);
        match self.unpacked > most {
            true => Err(Trouble::TooMuch(format!(
                "it unpacks to more than {MOST_RATIO} times its size"
            ))),
            false => Ok(()),
        }
    }
}

/// What an entry is, before its bytes are read.
struct Header<'a> {
    path: &'a [u8],
    mode: Option<u32>,
    refused: Option<Refused>,
}

/// Hands on one entry, and counts it.
fn hand_on(
    header: &Header<'_>,
    body: &mut dyn Read,
    budget: &mut Budget,
    take: &mut dyn FnMut(Entry),
) -> Result<(), Trouble> {
    let path = inside(header.path);
    let refused = match (&path, header.refused) {
        (_, Some(why)) => Some(why),
        (Err(why), None) => Some(*why),
        (Ok(path), None) if !budget.seen.insert(path.clone()) => Some(Refused::Twice),
        _ => None,
    };
    let shown = chronaxis_model::shown::path(&String::from_utf8_lossy(header.path));
    if let Some(why) = refused {
        take(Entry::Refused { path: shown, why });
        return Ok(());
    }
    let mut kept = Zeroizing::new(Vec::new());
    let mut size = 0u64;
    let mut buffer = Zeroizing::new(vec![0u8; 16 * 1024]);
    loop {
        let read = body
            .read(&mut buffer)
            .map_err(|_| Trouble::Damaged("the archive is damaged, or cut off"))?;
        if read == 0 {
            break;
        }
        let more = u64::try_from(read).unwrap_or(u64::MAX);
        budget.bytes(more)?;
        size = size.saturating_add(more);
        if size <= LARGEST_PART {
            kept.extend_from_slice(buffer.get(..read).unwrap_or_default());
        }
    }
    take(Entry::File {
        path: path.unwrap_or_default(),
        size,
        mode: header.mode,
        bytes: (size <= LARGEST_PART).then_some(kept),
    });
    Ok(())
}

/// Reads an archive of `packed` bytes; every entry is handed on as it comes.
///
/// # Errors
/// Says what is wrong with the archive; what was handed on until then stands.
pub fn read(
    kind: Kind,
    mut source: &mut dyn Source,
    packed: u64,
    take: &mut dyn FnMut(Entry),
) -> Result<(), Trouble> {
    let mut budget = Budget::of(packed);
    let wound = source.seek(SeekFrom::Start(0));
    wound.map_err(|_| Trouble::Damaged("the archive cannot be read from its beginning"))?;
    match kind {
        Kind::Zip => zip::read(source, &mut budget, take),
        Kind::Tar => tar::read(&mut source, &mut budget, take),
        Kind::TarGz => tar::read(&mut MultiGzDecoder::new(source), &mut budget, take),
    }
}

//! Credential bundles: archives of every kind, and files as what they are by their content. The
//! first byte says which.
#![no_main]

use std::io::Cursor;

use chronaxis_archive::{Entry, Kind, read};
use chronaxis_bundle::analysis::Analysis;
use chronaxis_model::secret::Secret;
use chronaxis_readers::bundle::{Keyring, Source, bundle, file};
use chronaxis_tls::ByRing;

/// A moment between the dates of most certificates.
const NOW: i64 = 1_790_000_000;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let Some((which, rest)) = bytes.split_first() else {
        return;
    };
    let passphrase = Secret::new("tide-table-9");
    let keyring = Keyring {
        tools: &ByRing,
        passphrase: (which & 4 != 0).then_some(&passphrase),
    };
    let source = |path: &str, bytes: &[u8]| Source {
        path: path.to_owned(),
        bytes: bytes.to_vec().into(),
        access: None,
    };
    let mut files = Vec::new();
    let kind = match which % 4 {
        0 => Some(Kind::Zip),
        1 => Some(Kind::Tar),
        2 => Some(Kind::TarGz),
        _ => None,
    };
    match kind {
        Some(kind) => {
            let size = rest.len() as u64;
            let _ = read(kind, &mut Cursor::new(rest), size, &mut |entry| {
                if let Entry::File { path, bytes, .. } = entry {
                    assert!(!path.starts_with('/') && !path.split('/').any(|p| p == ".."));
                    if let Some(bytes) = bytes {
                        files.push(file(source(&path, &bytes), keyring));
                    }
                }
            });
        }
        // Two files, cut where a byte says so.
        None => {
            let at = rest.first().map_or(0, |b| usize::from(*b) * 8).min(rest.len());
            let (one, other) = rest.split_at(at);
            files.push(file(source("one.pem", one), keyring));
            files.push(file(source("bundle.toml", other), keyring));
        }
    }
    let all = bundle(files);
    let _ = Analysis::of(&all, &ByRing, NOW);
});

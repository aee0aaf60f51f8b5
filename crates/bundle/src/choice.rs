//! Which parts of a bundle a client uses.

use crate::chain::{Together, is_authority};
use crate::item::{At, Bundle};
use crate::manifest::{Led, Told, led};

/// The parts that are used.
pub struct Choice {
    /// The CA certificates.
    pub authorities: Vec<At>,
    /// The client's certificate, then those of its issuers but the root.
    pub chain: Vec<At>,
    /// The key of that certificate.
    pub key: Option<At>,
}

impl Choice {
    /// Those that the manifest names; else all CA certificates, and the certificate of a client
    /// with its key.
    pub fn of(bundle: &Bundle, together: &Together) -> Choice {
        let all = bundle.certificates();
        let of = |at: &At| all.iter().find(|(a, _)| a == at).map(|(_, c)| *c);
        let named = |told: Option<&Told>| {
            let (file, manifest) = (bundle.manifest()?.0, told?);
            let folder = file.folder();
            let Led::Inside(path) = led(folder, &manifest.text) else {
                return None;
            };
            bundle.files.iter().position(|f| f.path == path)
        };
        let manifest = bundle.manifest().map(|(_, m)| m);
        let told: Vec<usize> = manifest
            .into_iter()
            .flat_map(|m| &m.authorities)
            .filter_map(|t| named(Some(t)))
            .collect();
        let authorities = all
            .iter()
            .filter(|(at, c)| match told.is_empty() {
                // What has a key here is the client's own.
                true => {
                    is_authority(c) && !together.pairs.iter().any(|p| p.certificates.contains(at))
                }
                false => told.contains(&at.file),
            })
            .map(|(at, _)| *at)
            .collect();
        let in_key = named(manifest.and_then(|m| m.key.as_ref().or(m.keystore.as_ref())));
        let in_certificate =
            named(manifest.and_then(|m| m.certificate.as_ref().or(m.keystore.as_ref())));
        let pairs = together
            .pairs
            .iter()
            .filter(|p| in_key.is_none_or(|file| p.key.file == file));
        let found = pairs
            .flat_map(|p| p.certificates.iter().chain(&p.open).map(|c| (p.key, *c)))
            .filter(|(_, at)| in_certificate.is_none_or(|file| at.file == file))
            .find(|(_, at)| of(at).is_some_and(|c| c.for_clients != Some(false)));
        let chain = found.map(|(_, at)| {
            let chain = together
                .chains
                .iter()
                .find(|c| c.links.first() == Some(&at));
            let links = chain.map_or_else(|| vec![at], |c| c.links.clone());
            // The root is the server's own affair.
            let sent = links
                .iter()
                .enumerate()
                .filter(|(i, at)| *i == 0 || of(at).is_some_and(|c| !c.is_self_issued()));
            sent.map(|(_, at)| *at).collect::<Vec<At>>()
        });
        Choice {
            authorities,
            chain: chain.unwrap_or_default(),
            key: found.map(|(key, _)| key),
        }
    }
}

//! Files with certificates and keys, in the one form that is compared and handed on: PEM,
//! whatever they stand in.

use chronaxis_bundle::item::{Content, File, Locked, What};
use chronaxis_bundle::key::{Belongs, PrivateKey};
use chronaxis_engines::{Encoding, FileSeen, Shut};
use chronaxis_model::certificate::{Certificate, pem_written};
use chronaxis_model::secret::Secret;
use chronaxis_readers::bundle::{Keyring, Source, file};
use chronaxis_tls::ByRing;
use zeroize::Zeroizing;

/// The certificates and the open keys of a file, as PEM: the certificates of its key before
/// others, as servers want them sent (RFC 8446, section 4.4.2).
fn of_file(file: &File) -> Zeroizing<String> {
    let mut out = Zeroizing::new(String::new());
    let is_own = |one: &&Certificate| {
        let belongs = |key: &PrivateKey| key.belongs_to(one, &ByRing) == Belongs::Yes;
        file.keys().any(belongs)
    };
    let (own, others): (Vec<&Certificate>, Vec<&Certificate>) =
        file.certificates().partition(is_own);
    for one in own.into_iter().chain(others) {
        out.push_str(&pem_written("CERTIFICATE", one.der()));
    }
    for key in file.keys() {
        out.push_str(&pem_written("PRIVATE KEY", &key.der));
    }
    out
}

/// What a client would make of the bytes of a file of certificates.
pub(crate) fn seen(bytes: &Zeroizing<Vec<u8>>, passphrase: Option<&Secret>) -> FileSeen {
    let look = |passphrase| {
        let keyring = Keyring {
            tools: &ByRing,
            passphrase,
        };
        let source = Source {
            path: String::new(),
            bytes: bytes.clone(),
            access: None,
        };
        file(source, keyring)
    };
    let mut found = look(None);
    let locked = shut(&found).is_some();
    if locked && passphrase.is_some() {
        found = look(passphrase);
    }
    let shut = shut(&found);
    let opened = locked && shut.is_none();
    let encoding = match found.content {
        Content::Der => Encoding::Der,
        Content::Pkcs12 => Encoding::Keystore,
        Content::JavaKeystore | Content::JavaSecretKeystore => Encoding::JavaKeystore,
        _ => Encoding::Text,
    };
    let of_key = found
        .objects
        .iter()
        .find(|o| matches!(o.what, What::Key(_)));
    FileSeen {
        // Text stays what it is, unless a passphrase had to open it.
        text: match encoding == Encoding::Text && !opened {
            true => Zeroizing::new(String::from_utf8_lossy(bytes).into_owned()),
            false => of_file(&found),
        },
        encoding,
        entry: of_key.and_then(|o| o.name.clone()),
        shut,
        opened,
        ..FileSeen::default()
    }
}

/// Why something in a file stays locked.
fn shut(file: &File) -> Option<Shut> {
    let locks = file.objects.iter().filter_map(|o| match o.what {
        What::LockedKey(locked) => Some(locked),
        _ => None,
    });
    let locked = file.locked.into_iter().chain(locks).next()?;
    Some(match locked {
        Locked::Untried => Shut::NoPassphrase,
        Locked::Wrong => Shut::Wrong,
        Locked::Unknown => Shut::Unknown,
    })
}

//! The RSA key of the stand-in. It guards nothing: everybody can read it here.

use num_bigint::BigUint;
use sha1::{Digest as _, Sha1};

/// The public half, as the server hands it out.
pub(super) const PUBLIC: &str = "\
-----BEGIN PUBLIC KEY-----\n\
MIIBIjANBgkqhkiG9w0BAQEFAAOCAQ8AMIIBCgKCAQEArSg4F03Rmwibjoa2N2Me\n\
rtmHZgUvDG9AuxYRY/py7Xdd5hOGX9ejSffhgVrNkXp6iojFMWqsBWg6zCst2q/f\n\
xH5EcPkp0zAFZgaGEYWOK1Z575ErLGKXS7UTyHJYi4FJLzDW595zWQz6B2N9J0QX\n\
g/U57VBjxngDwQpRDR42iYXgg9Ocrrvw/LJ4ljZORqkn8YAYeUXKFXbbYFvgpaqK\n\
LPtiXb7tieiFZv0LaH9EgRVqBYsS07cCXGcQhmVOhT9GEOyK8xCwUy+PcT+AQyTA\n\
tZxU/uyspGA2eYAklIJ2sOYh5/AoTtQeErpTfjH1BeGruuzBOZ/YgI/YbzlpK78a\n\
JQIDAQAB\n\
-----END PUBLIC KEY-----\n\
";

const MODULUS: &str = "\
ad2838174dd19b089b8e86b637631eaed98766052f0c6f40bb161163fa72ed775de613865fd7a349\
f7e1815acd917a7a8a88c5316aac05683acc2b2ddaafdfc47e4470f929d3300566068611858e2b56\
79ef912b2c62974bb513c872588b81492f30d6e7de73590cfa07637d27441783f539ed5063c67803\
c10a510d1e368985e083d39caebbf0fcb27896364e46a927f180187945ca1576db605be0a5aa8a2c\
fb625dbeed89e88566fd0b687f4481156a058b12d3b7025c671086654e853f4610ec8af310b0532f\
8f713f804324c0b59c54feecaca46036798024948276b0e621e7f0284ed41e12ba537e31f505e1ab\
baecc1399fd8808fd86f39692bbf1a25";

const PRIVATE: &str = "\
3860b1f29479bc7a8efb56cd19378293f76b684223d16e9faaca429b44be0aa724c17675f7daa3e5\
bf7982be67d40806c1f84a0c0ee937517a636363a8a23ebf2145736b0cbd201381e679dc5699b56e\
9080f9c90ec882ee3964d98cb15baa9a836ce96bd137c934ba6b916efc4be54427a1d6aca7efc4bf\
a42891bf2da92019177eb27bc6565cc79d61cf062f60fc90d8a50bd92e8fc8641d5332c039dada24\
8ba0bba4d5a480a371a3eaf13da794737802f4288c5d54158050d754710f8d46a67299e8187c2426\
8257cc25cd01030c6c76de7e222dac63cf54b15eb2e6c5cd065e656d1d877cf3710e8f52d7c59bb8\
a38b757e891f1a99bc07a2038b5be339";

/// Opens what was sealed for the public half (RFC 8017, section 7.1.2).
pub(super) fn open(sealed: &[u8]) -> Option<Vec<u8>> {
    let number = |hex: &str| BigUint::parse_bytes(hex.as_bytes(), 16);
    let opened = BigUint::from_bytes_be(sealed)
        .modpow(&number(PRIVATE)?, &number(MODULUS)?)
        .to_bytes_be();
    let mut whole = vec![0; 256usize.checked_sub(opened.len())?];
    whole.extend(opened);
    let (first, rest) = whole.split_first()?;
    let (masked_seed, masked) = rest.split_at_checked(20)?;
    let seed = mixed(masked_seed, masked);
    let block = mixed(masked, &seed);
    let hash = Sha1::digest(b"");
    let rest = block
        .strip_prefix(hash.as_slice())
        .filter(|_| *first == 0)?;
    let from = rest.iter().position(|b| *b == 1)?;
    rest.get(from + 1..).map(<[u8]>::to_vec)
}

fn mixed(bytes: &[u8], seed: &[u8]) -> Vec<u8> {
    let mask = (0u32..).flat_map(|counter| {
        let hash = Sha1::new()
            .chain_update(seed)
            .chain_update(counter.to_be_bytes());
        <[u8; 20]>::from(hash.finalize())
    });
    bytes.iter().zip(mask).map(|(a, b)| a ^ b).collect()
}

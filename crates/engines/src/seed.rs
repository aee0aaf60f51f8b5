//! Random values: each its own, derived from one seed by what it is for and by the
//! connection. What goes out in clear is never used where something must stay secret.

use hmac::{Hmac, KeyInit, Mac};
use sha2::Sha256;
use zeroize::{Zeroize, ZeroizeOnDrop};

/// Random bytes from the edge, of which everything random in a walk is made.
#[derive(Clone, Zeroize, ZeroizeOnDrop)]
pub struct Seed([u8; 32]);

impl Seed {
    /// Takes 32 bytes, which must be random and used for nothing else.
    pub fn new(bytes: [u8; 32]) -> Seed {
        Seed(bytes)
    }

    /// The value for this purpose: HMAC-SHA-256 of the purpose's name under the seed (RFC
    /// 2104). Knowing one value tells nothing of another, nor of the seed. At most 32 bytes
    /// are random; whatever is longer is filled with zeros.
    pub fn value<const N: usize>(&self, purpose: &str) -> [u8; N] {
        let mut out = [0; N];
        if let Ok(mut mac) = Hmac::<Sha256>::new_from_slice(&self.0) {
            mac.update(purpose.as_bytes());
            let made = mac.finalize().into_bytes();
            for (to, from) in out.iter_mut().zip(made) {
                *to = from;
            }
        }
        out
    }

    /// What one connection needs.
    pub fn for_line(&self, line: u32) -> LineSeeds {
        LineSeeds {
            nonce: self.value(&format!("nonce of connection {line}")),
            hello: self.value(&format!("hello of connection {line}")),
            scramble: self.value(&format!("scramble of connection {line}")),
            padding: self.value(&format!("padding of connection {line}")),
        }
    }
}

impl std::fmt::Debug for Seed {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Seed(hidden)")
    }
}

/// The random values of one connection.
#[derive(Clone, Zeroize, ZeroizeOnDrop)]
pub struct LineSeeds {
    /// The client's nonce (RFC 5802, section 5.1). It goes out in clear.
    pub nonce: [u8; 18],
    /// The random of a hello (RFC 5246, section 7.4.1.2). It goes out in clear.
    pub hello: [u8; 32],
    /// A client's own random bytes in a sign-in by signature. They go out in clear.
    pub scramble: [u8; 32],
    /// The seed of a padding (RFC 8017, section 7.1.1). Whoever knows it can try passwords
    /// against what was sent: it must stay secret.
    pub padding: [u8; 20],
}

impl std::fmt::Debug for LineSeeds {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("LineSeeds(hidden)")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_value_is_its_own() {
        let seed = Seed::new([7; 32]);
        let (one, two) = (seed.for_line(1), seed.for_line(2));
        assert_eq!(one.nonce, seed.for_line(1).nonce, "the same for the same");
        assert_ne!(one.nonce, two.nonce);
        assert_ne!(one.padding, two.padding);
        assert_ne!(one.hello, two.hello);
        assert_ne!(one.nonce[..], one.padding[..18]);
        assert_ne!(one.scramble, one.hello);
        assert_ne!(one.scramble[..20], one.padding[..]);
        assert_ne!(one.nonce[..], one.hello[..18]);
        assert_ne!(one.padding[..], one.hello[..20]);
        assert_ne!(Seed::new([8; 32]).for_line(1).nonce, one.nonce);
        assert_eq!(
            format!("{seed:?} {one:?}"),
            "Seed(hidden) LineSeeds(hidden)"
        );
    }
}

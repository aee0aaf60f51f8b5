//! SCRAM-SHA-256 (RFC 5802, RFC 7677), both halves, for every engine that signs in by it.

use std::sync::Arc;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use chronaxis_model::certificate::Certificate;
use chronaxis_model::conversation::Derived;
use chronaxis_model::permit::{Permit, Salted};
use hmac::{Hmac, KeyInit, Mac};
use sha2::{Digest, Sha256};

/// The mechanism's name.
pub const NAME: &str = "SCRAM-SHA-256";

/// Most iterations that are computed: a server that names more holds its clients up for
/// seconds, and one that names billions would hold up this program.
pub const MOST_ITERATIONS: u32 = 1_000_000;

/// The name of the mechanism with channel binding.
pub const PLUS: &str = "SCRAM-SHA-256-PLUS";

/// Whether and to what the exchange is bound (RFC 5802, section 6).
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Binding {
    /// This client cannot, or the line is in clear.
    Without,
    /// This client could, once the line is encrypted.
    Possible,
    /// To the server's certificate: `tls-server-end-point` (RFC 5929, section 4.1).
    EndPoint(Vec<u8>),
}

impl Binding {
    /// Bound to this certificate, where the client can.
    pub fn bound_to(&self, leaf: &Certificate) -> Binding {
        match self {
            Binding::Without => Binding::Without,
            _ if leaf.signed_by.contains("SHA-384") => {
                Binding::EndPoint(sha2::Sha384::digest(leaf.der()).to_vec())
            }
            _ if leaf.signed_by.contains("SHA-512") => {
                Binding::EndPoint(sha2::Sha512::digest(leaf.der()).to_vec())
            }
            // MD5 and SHA-1 are replaced by SHA-256.
            _ => Binding::EndPoint(Sha256::digest(leaf.der()).to_vec()),
        }
    }

    /// The head of the client's first message. `plus` says whether the server offers the
    /// mechanism with binding.
    fn head(&self, plus: bool) -> &'static str {
        match (self, plus) {
            (Binding::EndPoint(_), true) => "p=tls-server-end-point,,",
            (Binding::EndPoint(_), false) => "y,,",
            _ => "n,,",
        }
    }

    /// What the client's last message says of it.
    fn said(&self, plus: bool) -> String {
        let mut out = self.head(plus).as_bytes().to_vec();
        if let (Binding::EndPoint(hash), true) = (self, plus) {
            out.extend_from_slice(hash);
        }
        STANDARD.encode(out)
    }
}

type Bytes32 = [u8; 32];

/// What is wrong with the server's first message.
#[derive(Debug, PartialEq, Eq)]
pub enum Refused {
    /// It is not one, or does not fit the client's.
    Malformed,
    /// It asks for more iterations than are computed.
    TooCostly(u32),
}

/// Who begins: the user's name, and the client's random value.
#[derive(Clone, Copy, Debug)]
pub struct Opening<'a> {
    /// The name; empty where the protocol has told it already.
    pub user: &'a str,
    /// The random value.
    pub seed: [u8; 18],
}

impl Opening<'_> {
    /// The client's first message.
    pub fn first(&self, binding: &Binding, plus: bool) -> String {
        format!("{}{}", binding.head(plus), self.bare())
    }

    /// The same without what it says of the binding; a comma and an equals sign in the name
    /// are escaped (RFC 5802, section 5.1).
    fn bare(&self) -> String {
        let user = self.user.replace('=', "=3D").replace(',', "=2C");
        format!("n={user},r={}", STANDARD.encode(self.seed))
    }
}

/// The server's first message, read.
#[derive(Debug, PartialEq, Eq)]
pub struct ServerFirst {
    text: String,
    nonce: String,
    salt: Vec<u8>,
    iterations: u32,
}

impl ServerFirst {
    /// The salt.
    pub fn salt(&self) -> &[u8] {
        &self.salt
    }

    /// Derives from the password what takes long.
    pub fn salted(&self, password: &str) -> Salted {
        Salted {
            salt: self.salt.clone(),
            rounds: self.iterations,
            key: prepared_and_salted(password, &self.salt, self.iterations),
        }
    }

    /// How often a hash is made of the password.
    pub fn iterations(&self) -> u32 {
        self.iterations
    }

    /// Reads it and checks it against the client's first.
    ///
    /// # Errors
    /// Says whether it is malformed or costs too much.
    pub fn read(data: &[u8], seed: [u8; 18]) -> Result<ServerFirst, Refused> {
        let text = std::str::from_utf8(data).map_err(|_| Refused::Malformed)?;
        let mut parts = text.split(',');
        let mut part = |key: &str| parts.next().and_then(|p| p.strip_prefix(key));
        let nonce = part("r=").ok_or(Refused::Malformed)?;
        let salt = part("s=").ok_or(Refused::Malformed)?;
        let iterations = part("i=").ok_or(Refused::Malformed)?;
        let own = STANDARD.encode(seed);
        if !nonce.starts_with(&own) || nonce.len() == own.len() || nonce.len() > 512 {
            return Err(Refused::Malformed);
        }
        let salt = STANDARD.decode(salt).map_err(|_| Refused::Malformed)?;
        let iterations = iterations.parse::<u32>().map_err(|_| Refused::Malformed)?;
        if iterations == 0 || salt.is_empty() {
            return Err(Refused::Malformed);
        }
        if iterations > MOST_ITERATIONS {
            return Err(Refused::TooCostly(iterations));
        }
        Ok(ServerFirst {
            text: text.to_owned(),
            nonce: nonce.to_owned(),
            salt,
            iterations,
        })
    }
}

/// The client's last message, and the signature by which the server proves itself.
pub fn client_final(
    first: &ServerFirst,
    opening: Opening<'_>,
    password: &str,
    bound: (&Binding, bool),
) -> (String, String) {
    client_final_with(first, opening, &first.salted(password), bound)
}

/// The same with what was derived from the password for this salt and so many rounds.
pub fn client_final_with(
    first: &ServerFirst,
    opening: Opening<'_>,
    salted: &Salted,
    bound: (&Binding, bool),
) -> (String, String) {
    let keys = Keys::of_salted(&salted.key);
    let without_proof = format!("c={},r={}", bound.0.said(bound.1), first.nonce);
    let message = format!("{},{},{without_proof}", opening.bare(), first.text);
    let signature = hmac(&keys.stored, message.as_bytes());
    let mut proof = keys.client;
    for (p, s) in proof.iter_mut().zip(signature) {
        *p ^= s;
    }
    let server = hmac(&keys.server, message.as_bytes());
    let text = format!("{without_proof},p={}", STANDARD.encode(proof));
    (text, format!("v={}", STANDARD.encode(server)))
}

/// How the client's last message is computed, and how many rounds of that take long: none
/// where the leave knows what was derived for this salt.
pub(crate) fn derivation(
    permit: &Permit,
    first: ServerFirst,
    (user, seed): (String, [u8; 18]),
    (binding, plus): (Binding, bool),
) -> (u32, impl FnOnce() -> Derived + Send + use<>) {
    let secret = permit.prepared();
    let known = permit.salted(first.salt(), first.iterations());
    let rounds = match known {
        Some(_) => 0,
        None => first.iterations(),
    };
    let work = move || {
        let salted = known.unwrap_or_else(|| Arc::new(first.salted(secret.expose())));
        let opening = Opening { user: &user, seed };
        let (proof, expected) = client_final_with(&first, opening, &salted, (&binding, plus));
        Derived {
            proof: proof.into_bytes(),
            expected,
            salted,
        }
    };
    (rounds, work)
}

/// The server's half of the last step, for the stand-ins: whether the client's proof
/// fits, and the signature to answer with.
pub fn server_verify(
    keys: &Keys,
    client_first_bare: &str,
    server_first: &str,
    client_final: &str,
) -> Option<String> {
    let (without_proof, proof) = client_final.rsplit_once(",p=")?;
    let message = format!("{client_first_bare},{server_first},{without_proof}");
    let mut proof = STANDARD.decode(proof).ok()?;
    for (p, s) in proof.iter_mut().zip(hmac(&keys.stored, message.as_bytes())) {
        *p ^= s;
    }
    let stored: Bytes32 = Sha256::digest(&proof).into();
    (stored == keys.stored).then(|| {
        format!(
            "v={}",
            STANDARD.encode(hmac(&keys.server, message.as_bytes()))
        )
    })
}

/// The keys that both sides derive from a password.
pub struct Keys {
    client: Bytes32,
    stored: Bytes32,
    server: Bytes32,
}

impl Keys {
    /// Derives them. The password is prepared by SASLprep (RFC 4013); where it cannot be,
    /// PostgreSQL takes it as it stands, and so do its clients.
    pub fn of(password: &str, salt: &[u8], iterations: u32) -> Keys {
        Keys::of_salted(&prepared_and_salted(password, salt, iterations))
    }

    fn of_salted(salted: &Bytes32) -> Keys {
        let client = hmac(salted, b"Client Key");
        Keys {
            stored: Sha256::digest(client).into(),
            server: hmac(salted, b"Server Key"),
            client,
        }
    }
}

fn prepared_and_salted(password: &str, salt: &[u8], iterations: u32) -> Bytes32 {
    let prepared = stringprep::saslprep(password);
    let password = prepared.as_deref().unwrap_or(password);
    salted(password.as_bytes(), salt, iterations)
}

/// `Hi` of RFC 5802, section 2.2: PBKDF2 with one block.
fn salted(password: &[u8], salt: &[u8], iterations: u32) -> Bytes32 {
    let keyed = keyed(password);
    let mut first = keyed.clone();
    first.update(salt);
    first.update(&1u32.to_be_bytes());
    let mut last: Bytes32 = first.finalize().into_bytes().into();
    let mut sum = last;
    for _ in 1..iterations {
        let mut next = keyed.clone();
        next.update(&last);
        last = next.finalize().into_bytes().into();
        for (s, l) in sum.iter_mut().zip(last) {
            *s ^= l;
        }
    }
    sum
}

fn keyed(key: &[u8]) -> Hmac<Sha256> {
    // Longer keys are hashed first (RFC 2104, section 2); done here, it cannot fail.
    let mut block = [0u8; 64];
    if key.len() > block.len() {
        for (b, k) in block.iter_mut().zip(Sha256::digest(key)) {
            *b = k;
        }
    } else {
        for (b, k) in block.iter_mut().zip(key) {
            *b = *k;
        }
    }
    Hmac::<Sha256>::new(&block.into())
}

fn hmac(key: &[u8], data: &[u8]) -> Bytes32 {
    let mut mac = keyed(key);
    mac.update(data);
    mac.finalize().into_bytes().into()
}

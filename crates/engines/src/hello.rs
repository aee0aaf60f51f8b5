//! A hello of our own (RFC 5246, section 7.4.1.2), for servers that refuse every modern
//! one: it offers what old ones take, and reads the answer as far as that is in clear.
//! Nothing is agreed on; the line ends after the first flight.

use chronaxis_model::certificate::{Version, read};
use chronaxis_model::fact::Fact;

/// Most bytes of an answer that are looked at.
pub(super) const LONGEST: usize = 64 * 1024;

/// What old servers take, strongest first (IANA, "TLS Cipher Suites").
const CIPHERS: &[u16] = &[
    0xc02c, 0xc030, 0x009f, 0xc02b, 0xc02f, 0x009e, 0xc024, 0xc028, 0x006b, 0xc023, 0xc027, 0x0067,
    0xc00a, 0xc014, 0x0039, 0xc009, 0xc013, 0x0033, 0x009d, 0x009c, 0x003d, 0x003c, 0x0035, 0x002f,
    0x0084, 0x0041, 0xc012, 0x0016, 0x000a, 0xc011, 0x0005, 0x0004,
];

/// Suites of TLS 1.2 without forward secrecy or by block chaining, which the usual TLS
/// libraries of clients still take by themselves, and this program lacks (ciphers(1ssl) of
/// OpenSSL 3, the default list).
const OLDER: &[(&str, &str)] = &[
    ("0x002f", "AES128-SHA"),
    ("0x0035", "AES256-SHA"),
    ("0x003c", "AES128-SHA256"),
    ("0x003d", "AES256-SHA256"),
    ("0x009c", "AES128-GCM-SHA256"),
    ("0x009d", "AES256-GCM-SHA384"),
    ("0x0033", "DHE-RSA-AES128-SHA"),
    ("0x0039", "DHE-RSA-AES256-SHA"),
    ("0x0067", "DHE-RSA-AES128-SHA256"),
    ("0x006b", "DHE-RSA-AES256-SHA256"),
    ("0x009e", "DHE-RSA-AES128-GCM-SHA256"),
    ("0x009f", "DHE-RSA-AES256-GCM-SHA384"),
    ("0xc009", "ECDHE-ECDSA-AES128-SHA"),
    ("0xc00a", "ECDHE-ECDSA-AES256-SHA"),
    ("0xc013", "ECDHE-RSA-AES128-SHA"),
    ("0xc014", "ECDHE-RSA-AES256-SHA"),
    ("0xc023", "ECDHE-ECDSA-AES128-SHA256"),
    ("0xc024", "ECDHE-ECDSA-AES256-SHA384"),
    ("0xc027", "ECDHE-RSA-AES128-SHA256"),
    ("0xc028", "ECDHE-RSA-AES256-SHA384"),
];

/// The name of a suite that a usual client takes and this program lacks, by its number as a
/// fact has it.
pub fn older_suite(cipher: &str) -> Option<&'static str> {
    OLDER
        .iter()
        .find(|(number, _)| *number == cipher)
        .map(|(_, name)| *name)
}

/// P-521 first: what modern hellos of this program lack. Then the usual ones.
const SIGNATURES: &[u16] = &[
    0x0603, 0x0503, 0x0403, 0x0203, 0x0806, 0x0805, 0x0804, 0x0601, 0x0501, 0x0401, 0x0201, 0x0202,
];

/// P-521, P-384, P-256, x25519.
const GROUPS: &[u16] = &[25, 24, 23, 29];

/// The record with the hello: at most TLS 1.2, down to TLS 1.0.
pub(super) fn client_hello(random: [u8; 32]) -> Vec<u8> {
    let mut body = Version::TLS1_2.0.to_be_bytes().to_vec();
    // They need be fresh, not secret: no key is ever made of them.
    body.extend(random);
    body.push(0);
    body.extend(list(CIPHERS));
    body.extend([1, 0]);
    let mut extensions = Vec::new();
    extensions.extend(extension(10, list(GROUPS)));
    extensions.extend(extension(11, vec![1, 0]));
    extensions.extend(extension(13, list(SIGNATURES)));
    body.extend((extensions.len() as u16).to_be_bytes());
    body.extend(extensions);
    let mut message = vec![1];
    message.extend(&(body.len() as u32).to_be_bytes()[1..]);
    message.extend(body);
    let mut record = vec![22, 3, 1];
    record.extend((message.len() as u16).to_be_bytes());
    record.extend(message);
    record
}

/// Numbers of two bytes, with the bytes that they take before them.
fn list(numbers: &[u16]) -> Vec<u8> {
    let mut out = ((numbers.len() * 2) as u16).to_be_bytes().to_vec();
    out.extend(numbers.iter().flat_map(|n| n.to_be_bytes()));
    out
}

fn extension(kind: u16, body: Vec<u8>) -> Vec<u8> {
    let mut out = kind.to_be_bytes().to_vec();
    out.extend((body.len() as u16).to_be_bytes());
    out.extend(body);
    out
}

/// What came back.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Answer {
    version: Option<Version>,
    cipher: Option<u16>,
    key: Option<String>,
    alert: Option<u8>,
    whole: bool,
}

impl Answer {
    /// Whether nothing more of use can come.
    pub(super) fn is_whole(&self) -> bool {
        self.whole || self.alert.is_some()
    }

    pub(super) fn fact(&self) -> Fact {
        Fact::HelloAnswered {
            version: self.version.map(Version::title),
            cipher: self.cipher.map(|c| format!("{c:#06x}")),
            key: self.key.clone(),
            alert: self.alert.map(|a| alert_name(a).to_owned()),
        }
    }
}

/// Reads as much as there is of the server's first flight (RFC 5246, sections 6.2.1 and
/// 7.4); what is no TLS ends it.
pub(super) fn read_answer(bytes: &[u8]) -> Answer {
    let mut answer = Answer::default();
    let mut handshake = Vec::new();
    let mut rest = bytes.get(..LONGEST).unwrap_or(bytes);
    while let Some((header, after)) = rest.split_first_chunk::<5>() {
        let [kind, major, _, high, low] = *header;
        let length = usize::from(u16::from_be_bytes([high, low]));
        if !matches!(kind, 21 | 22) || major != 3 {
            answer.whole = true;
            return answer;
        }
        let Some((body, next)) = after.split_at_checked(length) else {
            break;
        };
        match (kind, body) {
            (21, [_, alert, ..]) => {
                answer.alert = Some(*alert);
                return answer;
            }
            _ => handshake.extend_from_slice(body),
        }
        rest = next;
    }
    answer.read_messages(&handshake);
    answer
}

impl Answer {
    fn read_messages(&mut self, mut rest: &[u8]) {
        while let Some((header, after)) = rest.split_first_chunk::<4>() {
            let [kind, a, b, c] = *header;
            let length = u32::from_be_bytes([0, a, b, c]) as usize;
            let Some((body, next)) = after.split_at_checked(length) else {
                return;
            };
            match kind {
                2 => self.server_hello(body),
                11 => self.certificate(body),
                14 => self.whole = true,
                _ => {}
            }
            rest = next;
        }
    }

    fn server_hello(&mut self, body: &[u8]) {
        let two = |at: usize| {
            let bytes = body.get(at..at + 2)?;
            Some(u16::from_be_bytes(bytes.try_into().ok()?))
        };
        self.version = two(0).map(Version);
        let session = usize::from(body.get(34).copied().unwrap_or(0));
        self.cipher = two(35 + session);
    }

    fn certificate(&mut self, body: &[u8]) {
        let length = |at: usize| {
            let three = body.get(at..at + 3)?;
            let [a, b, c] = three.try_into().ok()?;
            Some(u32::from_be_bytes([0, a, b, c]) as usize)
        };
        let leaf = length(3).and_then(|n| body.get(6..6 + n));
        self.key = leaf
            .and_then(|der| read(der).ok())
            .map(|c| c.key.to_string());
        self.whole = true;
    }
}

/// The name of an alert (RFC 8446, section 6).
fn alert_name(number: u8) -> &'static str {
    match number {
        10 => "unexpected_message",
        40 => "handshake_failure",
        47 => "illegal_parameter",
        50 => "decode_error",
        70 => "protocol_version",
        71 => "insufficient_security",
        80 => "internal_error",
        112 => "unrecognized_name",
        116 => "certificate_required",
        _ => "another alert",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(kind: u8, body: &[u8]) -> Vec<u8> {
        let mut out = vec![kind, 3, 1];
        out.extend((body.len() as u16).to_be_bytes());
        out.extend(body);
        out
    }

    fn server_hello() -> Vec<u8> {
        let mut body = vec![2, 0, 0, 38, 3, 1];
        body.extend([7; 32]);
        body.extend([0, 0, 0x2f, 0]);
        body
    }

    #[test]
    fn an_old_answer_is_read_from_every_prefix_without_harm() {
        let mut flight = record(22, &server_hello());
        flight.extend(record(22, &[14, 0, 0, 0]));
        let whole = read_answer(&flight);
        assert_eq!(whole.version, Some(Version::TLS1_0));
        assert_eq!(whole.cipher, Some(0x002f));
        assert!(whole.is_whole());
        for end in 0..flight.len() {
            assert!(!read_answer(&flight[..end]).is_whole(), "prefix of {end}");
        }
    }

    #[test]
    fn an_alert_and_what_is_no_tls_end_it() {
        assert_eq!(read_answer(&record(21, &[2, 70])).alert, Some(70));
        assert!(read_answer(b"HTTP/1.1 400 Bad Request\r\n").is_whole());
        let lying = [22, 3, 1, 0, 8, 11, 0xff, 0xff, 0xff, 0, 0, 0, 0];
        assert!(!read_answer(&lying).is_whole());
    }

    #[test]
    fn the_hello_is_one_record_of_its_stated_length() {
        let hello = client_hello([3; 32]);
        let length = usize::from(u16::from_be_bytes([hello[3], hello[4]]));
        assert_eq!(hello.len(), length + 5);
        assert_eq!(hello[5], 1, "a client hello");
    }
}

//! PostgreSQL's messages, protocol versions 3.0 and 3.2 (PostgreSQL documentation, "Message
//! Formats"): the client's to write, the server's to read.

use std::collections::BTreeMap;

/// The request to encrypt the line: length 8, code 80877103.
pub const ENCRYPTION_REQUEST: [u8; 8] = [0, 0, 0, 8, 4, 210, 22, 47];

/// Protocol 3.0.
pub const VERSION: u32 = 3 << 16;

/// Protocol 3.2 (PostgreSQL 18): the messages that are used here are the same.
pub const VERSION_3_2: u32 = VERSION + 2;

/// Longest message that is read. The library itself takes no error longer than 30,000
/// bytes before sign-in; one row of ours is far shorter.
pub const LONGEST: usize = 64 * 1024;

/// One complete message, or why there is none yet.
#[derive(Debug, PartialEq, Eq)]
pub enum Frame<'a> {
    /// More bytes are needed.
    Short,
    /// A message of this type, its body, and how many bytes it took in all.
    Whole(u8, &'a [u8], usize),
    /// These bytes are no message of this protocol.
    Broken,
}

/// Looks for one message at the beginning of the bytes. The length counts itself, not the
/// type; it is checked before anything is waited for.
pub fn frame(bytes: &[u8]) -> Frame<'_> {
    let Some((&kind, rest)) = bytes.split_first() else {
        return Frame::Short;
    };
    if !is_server_type(kind) {
        return Frame::Broken;
    }
    let Some(length) = rest.first_chunk::<4>() else {
        return Frame::Short;
    };
    let length = u32::from_be_bytes(*length) as usize;
    if !(4..=LONGEST).contains(&length) {
        return Frame::Broken;
    }
    match rest.get(4..length) {
        Some(body) => Frame::Whole(kind, body, length + 1),
        None => Frame::Short,
    }
}

fn is_server_type(kind: u8) -> bool {
    b"RKSZENTDCIAVvGHWnst123".contains(&kind)
}

/// The fields of an ErrorResponse or NoticeResponse: a letter each, and its text.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Fields(BTreeMap<u8, Vec<u8>>);

impl Fields {
    /// Reads the fields; the last is followed by a zero byte. None where it is not so.
    pub fn read(mut body: &[u8]) -> Option<Fields> {
        let mut fields = BTreeMap::new();
        loop {
            let (&kind, rest) = body.split_first()?;
            if kind == 0 {
                return rest.is_empty().then_some(Fields(fields));
            }
            let (text, rest) = zero_ended(rest)?;
            fields.entry(kind).or_insert_with(|| text.to_vec());
            body = rest;
        }
    }

    /// A field's bytes; empty where it is absent.
    pub fn get(&self, kind: u8) -> &[u8] {
        self.0.get(&kind).map_or(&[], Vec::as_slice)
    }

    /// Whether the session ends with it: a severity of FATAL or PANIC, in the field that is
    /// not translated, else in the other.
    pub fn ends_session(&self) -> bool {
        let severity = match self.get(b'V') {
            [] => self.get(b'S'),
            untranslated => untranslated,
        };
        matches!(severity, b"FATAL" | b"PANIC")
    }

    /// SQLSTATE: five characters.
    pub fn code(&self) -> String {
        self.get(b'C')
            .iter()
            .take(5)
            .map(|b| char::from(*b))
            .filter(char::is_ascii_alphanumeric)
            .collect()
    }
}

/// Splits off a text that ends in a zero byte.
pub fn zero_ended(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let end = bytes.iter().position(|b| *b == 0)?;
    Some((bytes.get(..end)?, bytes.get(end + 1..)?))
}

/// What an Authentication message asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Asked {
    /// Nothing: the client is let in.
    Ok,
    /// The password in clear.
    Cleartext,
    /// The password's MD5 with this salt.
    Md5([u8; 4]),
    /// One of these SASL mechanisms.
    Sasl(Vec<Vec<u8>>),
    /// The next step of SASL.
    SaslContinue(Vec<u8>),
    /// The last step of SASL.
    SaslFinal(Vec<u8>),
    /// A method with this number.
    Other(u32),
}

/// Reads the body of an Authentication message.
pub fn asked(body: &[u8]) -> Option<Asked> {
    let (code, rest) = body.split_first_chunk::<4>()?;
    let nothing_more = rest.is_empty();
    match u32::from_be_bytes(*code) {
        0 if nothing_more => Some(Asked::Ok),
        3 if nothing_more => Some(Asked::Cleartext),
        5 => Some(Asked::Md5(rest.try_into().ok()?)),
        10 => mechanisms(rest).map(Asked::Sasl),
        11 => Some(Asked::SaslContinue(rest.to_vec())),
        12 => Some(Asked::SaslFinal(rest.to_vec())),
        0 | 3 => None,
        other => Some(Asked::Other(other)),
    }
}

fn mechanisms(mut rest: &[u8]) -> Option<Vec<Vec<u8>>> {
    let mut names = Vec::new();
    loop {
        let (name, after) = zero_ended(rest)?;
        if name.is_empty() {
            return after.is_empty().then_some(names);
        }
        names.push(name.to_vec());
        rest = after;
    }
}

/// Reads the body of a DataRow: each column's text, none for NULL.
pub fn row(body: &[u8]) -> Option<Vec<Option<&[u8]>>> {
    let (count, mut rest) = body.split_first_chunk::<2>()?;
    let mut columns = Vec::new();
    for _ in 0..u16::from_be_bytes(*count) {
        let (length, after) = rest.split_first_chunk::<4>()?;
        let length = i32::from_be_bytes(*length);
        if length < 0 {
            columns.push(None);
            rest = after;
        } else {
            let (value, after) = after.split_at_checked(length as usize)?;
            columns.push(Some(value));
            rest = after;
        }
    }
    rest.is_empty().then_some(columns)
}

/// Writes a message of this type.
pub fn message(kind: u8, body: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(body.len() + 5);
    out.push(kind);
    out.extend_from_slice(&(body.len() as u32 + 4).to_be_bytes());
    out.extend_from_slice(body);
    out
}

/// Writes the start-up message for this version of the protocol, with these parameters.
pub fn startup<'a>(
    version: u32,
    parameters: impl IntoIterator<Item = (&'a str, &'a str)>,
) -> Vec<u8> {
    let mut body = version.to_be_bytes().to_vec();
    for (key, value) in parameters {
        for text in [key, value] {
            body.extend(text.bytes().filter(|b| *b != 0));
            body.push(0);
        }
    }
    body.push(0);
    let mut out = (body.len() as u32 + 4).to_be_bytes().to_vec();
    out.extend(body);
    out
}

/// The newest version of the protocol that the server has, from its answer to a start-up
/// message of a newer one; some send the part behind the point alone.
pub fn negotiated(body: &[u8]) -> Option<u32> {
    let (version, _) = body.split_first_chunk::<4>()?;
    let version = u32::from_be_bytes(*version);
    match version >> 16 {
        0 => Some(VERSION + version),
        3 => Some(version),
        _ => None,
    }
}

/// A version of the protocol, in words.
pub fn version_words(version: u32) -> String {
    format!("{}.{}", version >> 16, version & 0xffff)
}

/// Writes a text that ends in a zero byte, as a message.
pub fn text_message(kind: u8, text: &[u8]) -> Vec<u8> {
    let mut body: Vec<u8> = text.iter().copied().filter(|b| *b != 0).collect();
    body.push(0);
    message(kind, &body)
}

/// Writes the first answer of SASL: the mechanism and its first message.
pub fn sasl_first(mechanism: &str, data: &[u8]) -> Vec<u8> {
    let mut body = mechanism.as_bytes().to_vec();
    body.push(0);
    body.extend_from_slice(&(data.len() as u32).to_be_bytes());
    body.extend_from_slice(data);
    message(b'p', &body)
}

/// Writes one statement with its values (extended query, unnamed statement and portal), and
/// what ends it: Parse, Bind, Execute, Sync.
pub fn statement(sql: &str, values: &[&str]) -> Vec<u8> {
    let mut parse = vec![0];
    parse.extend(sql.bytes().filter(|b| *b != 0));
    parse.extend([0, 0, 0]);
    let mut bind = vec![0, 0, 0, 0];
    bind.extend((values.len() as u16).to_be_bytes());
    for value in values {
        bind.extend((value.len() as u32).to_be_bytes());
        bind.extend_from_slice(value.as_bytes());
    }
    bind.extend([0, 0]);
    let mut out = message(b'P', &parse);
    out.extend(message(b'B', &bind));
    out.extend(message(b'E', &[0, 0, 0, 0, 0]));
    out.extend(message(b'S', &[]));
    out
}

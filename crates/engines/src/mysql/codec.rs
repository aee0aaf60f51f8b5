//! The packets of MySQL's client/server protocol (MySQL Internals and MariaDB
//! documentation, "Connection Phase", "Command Phase"): the client's to write, the
//! server's to read.

/// Longest packet that is read: a real one of the connection phase has under 1 KB, a row
/// of ours a few.
pub const LONGEST: usize = 64 * 1024;

/// Capability flags, by the names of the documentation.
pub mod capability {
    /// The password may be long.
    pub const LONG_PASSWORD: u32 = 0x1;
    /// Column flags are long.
    pub const LONG_FLAG: u32 = 0x4;
    /// A database is named in the response.
    pub const CONNECT_WITH_DB: u32 = 0x8;
    /// The client can hand over local files.
    pub const LOCAL_FILES: u32 = 0x80;
    /// The protocol of version 4.1.
    pub const PROTOCOL_41: u32 = 0x200;
    /// Encryption.
    pub const SSL: u32 = 0x800;
    /// Transactions are known.
    pub const TRANSACTIONS: u32 = 0x2000;
    /// The sign-in of version 4.1.
    pub const SECURE_CONNECTION: u32 = 0x8000;
    /// Methods are named, and may be switched.
    pub const PLUGIN_AUTH: u32 = 0x8_0000;
    /// The answer of the method carries a length of any size.
    pub const PLUGIN_AUTH_LENENC: u32 = 0x20_0000;
    /// A sign-in may take several methods, one after another (MySQL 8.0.27).
    pub const MULTI_FACTOR: u32 = 0x1000_0000;
}

/// What a client of this program says that it can.
pub const CAPABILITIES: u32 = capability::LONG_PASSWORD
    | capability::LONG_FLAG
    | capability::PROTOCOL_41
    | capability::TRANSACTIONS
    | capability::SECURE_CONNECTION
    | capability::PLUGIN_AUTH
    | capability::PLUGIN_AUTH_LENENC;

/// utf8mb4_general_ci.
const CHARSET: u8 = 45;

/// Longest packet that the client says it takes.
const MOST: u32 = 1 << 24;

/// One complete packet, or why there is none yet.
#[derive(Debug, PartialEq, Eq)]
pub enum Frame<'a> {
    /// More bytes are needed.
    Short,
    /// A packet: its number in the exchange, its body, and how many bytes it took in all.
    Whole(u8, &'a [u8], usize),
    /// Longer than any that may come here.
    Broken,
}

/// Looks for one packet at the beginning of the bytes. The length is checked before
/// anything is waited for.
pub fn frame(bytes: &[u8]) -> Frame<'_> {
    let Some((header, rest)) = bytes.split_first_chunk::<4>() else {
        return Frame::Short;
    };
    let [a, b, c, number] = *header;
    let length = u32::from_le_bytes([a, b, c, 0]) as usize;
    if length > LONGEST {
        return Frame::Broken;
    }
    match rest.get(..length) {
        Some(body) => Frame::Whole(number, body, length + 4),
        None => Frame::Short,
    }
}

/// Writes a packet.
pub fn packet(number: u8, body: &[u8]) -> Vec<u8> {
    let mut out = (body.len() as u32).to_le_bytes().to_vec();
    out.truncate(3);
    out.push(number);
    out.extend_from_slice(body);
    out
}

/// The greeting of protocol 10.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Greeting {
    /// The server's version, as it says.
    pub version: Vec<u8>,
    /// Its capability flags.
    pub capabilities: u32,
    /// The random bytes of the method.
    pub scramble: Vec<u8>,
    /// The method that it proposes.
    pub method: Vec<u8>,
}

impl Greeting {
    /// Reads a greeting; none where the body is not one.
    pub fn read(body: &[u8]) -> Option<Greeting> {
        let (10, rest) = body.split_first().map(|(v, r)| (*v, r))? else {
            return None;
        };
        let (version, rest) = zero_ended(rest)?;
        let (_, rest) = rest.split_at_checked(4)?;
        let (first, rest) = rest.split_at_checked(8)?;
        let (_, rest) = rest.split_first()?;
        let (low, rest) = rest.split_first_chunk::<2>()?;
        let low = u32::from(u16::from_le_bytes(*low));
        let mut out = Greeting {
            version: version.to_vec(),
            capabilities: low,
            scramble: first.to_vec(),
            method: b"mysql_native_password".to_vec(),
        };
        if rest.is_empty() {
            return Some(out);
        }
        let (_, rest) = rest.split_at_checked(3)?;
        let (high, rest) = rest.split_first_chunk::<2>()?;
        out.capabilities |= u32::from(u16::from_le_bytes(*high)) << 16;
        let (length, rest) = rest.split_first()?;
        let (_, rest) = rest.split_at_checked(10)?;
        let second = usize::from(*length)
            .saturating_sub(8)
            .max(13)
            .min(rest.len());
        let (second, rest) = rest.split_at_checked(second)?;
        out.scramble
            .extend_from_slice(second.strip_suffix(&[0]).unwrap_or(second));
        if out.capabilities & capability::PLUGIN_AUTH != 0 {
            let (method, _) = zero_ended(rest).unwrap_or((rest, &[]));
            out.method = method.to_vec();
        }
        Some(out)
    }

    /// Whether the server has a capability.
    pub fn has(&self, flag: u32) -> bool {
        self.capabilities & flag != 0
    }
}

/// A refusal: number, SQLSTATE (none in place of a greeting), words.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Refusal {
    /// The server's number of it.
    pub number: u16,
    /// The server's words.
    pub message: Vec<u8>,
}

impl Refusal {
    /// Reads a refusal; none where the body is not one.
    pub fn read(body: &[u8]) -> Option<Refusal> {
        let rest = body.strip_prefix(&[0xff])?;
        let (number, rest) = rest.split_first_chunk::<2>()?;
        let message = match rest {
            [b'#', _, _, _, _, _, message @ ..] => message,
            message => message,
        };
        Some(Refusal {
            number: u16::from_le_bytes(*number),
            message: message.to_vec(),
        })
    }
}

/// The request to encrypt the line. Its flags are those of the response that follows: a
/// server may go by either, and loses the database where they differ.
pub fn encryption_request(names_database: bool, several_factors: bool) -> Vec<u8> {
    head(capabilities(true, names_database, several_factors))
}

fn capabilities(secured: bool, names_database: bool, several_factors: bool) -> u32 {
    let mut out = CAPABILITIES;
    if several_factors {
        out |= capability::MULTI_FACTOR;
    }
    if secured {
        out |= capability::SSL;
    }
    if names_database {
        out |= capability::CONNECT_WITH_DB;
    }
    out
}

fn head(capabilities: u32) -> Vec<u8> {
    let mut out = capabilities.to_le_bytes().to_vec();
    out.extend(MOST.to_le_bytes());
    out.push(CHARSET);
    out.extend([0; 23]);
    out
}

/// What a client answers to the greeting.
pub struct Response<'a> {
    /// The account.
    pub user: &'a str,
    /// The database, if one is asked for.
    pub database: Option<&'a str>,
    /// The method that made the answer.
    pub method: &'a str,
    /// The answer.
    pub answer: &'a [u8],
    /// Whether the line is encrypted.
    pub secured: bool,
    /// Whether the client takes part in sign-ins of several factors.
    pub several_factors: bool,
}

/// Writes the response.
pub fn response(response: &Response<'_>) -> Vec<u8> {
    let named = response.database.is_some();
    let flags = capabilities(response.secured, named, response.several_factors);
    let mut out = head(flags);
    zero_end(&mut out, response.user);
    out.extend(length(response.answer.len()));
    out.extend_from_slice(response.answer);
    if let Some(database) = response.database {
        zero_end(&mut out, database);
    }
    zero_end(&mut out, response.method);
    out
}

fn zero_end(out: &mut Vec<u8>, text: &str) {
    out.extend(text.bytes().filter(|b| *b != 0));
    out.push(0);
}

/// A length-encoded number.
pub fn length(number: usize) -> Vec<u8> {
    match number {
        0..=250 => vec![number as u8],
        251..=0xffff => {
            let [a, b] = (number as u16).to_le_bytes();
            vec![0xfc, a, b]
        }
        _ => {
            let [a, b, c, _] = (number as u32).to_le_bytes();
            vec![0xfd, a, b, c]
        }
    }
}

/// Splits off a text that ends in a zero byte.
pub fn zero_ended(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let end = bytes.iter().position(|b| *b == 0)?;
    Some((bytes.get(..end)?, bytes.get(end + 1..)?))
}

/// Splits off a length-encoded text; none inside stands for NULL.
pub fn text(bytes: &[u8]) -> Option<(Option<&[u8]>, &[u8])> {
    let (first, rest) = bytes.split_first()?;
    let (length, rest) = match first {
        0..=250 => (usize::from(*first), rest),
        0xfb => return Some((None, rest)),
        0xfc => {
            let (two, rest) = rest.split_first_chunk::<2>()?;
            (usize::from(u16::from_le_bytes(*two)), rest)
        }
        0xfd => {
            let (three, rest) = rest.split_first_chunk::<3>()?;
            let [a, b, c] = *three;
            (u32::from_le_bytes([a, b, c, 0]) as usize, rest)
        }
        _ => return None,
    };
    let (value, rest) = rest.split_at_checked(length)?;
    Some((Some(value), rest))
}

/// Reads a row of so many columns.
pub fn row(mut body: &[u8], columns: usize) -> Option<Vec<Option<&[u8]>>> {
    let mut out = Vec::new();
    for _ in 0..columns {
        let (value, rest) = text(body)?;
        out.push(value);
        body = rest;
    }
    body.is_empty().then_some(out)
}

/// Whether a packet marks the end of columns or rows.
pub fn is_end(body: &[u8]) -> bool {
    body.first() == Some(&0xfe) && body.len() < 9
}

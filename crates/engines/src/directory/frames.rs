//! Frames: the length of what follows in four bytes, big endian, and one JSON object in
//! UTF-8 (`docs/directory.md`, "Frames").

/// Most bytes of a message, the length not counted.
pub const LARGEST: usize = 65_536;

/// What stands at the beginning of some bytes.
#[derive(Debug, PartialEq, Eq)]
pub enum Frame<'a> {
    /// Too little to tell.
    Short,
    /// A whole message, and how many bytes it takes with its length.
    Whole(&'a [u8], usize),
    /// No length of this protocol.
    Broken,
}

/// Reads the frame at the beginning.
pub fn frame(bytes: &[u8]) -> Frame<'_> {
    // The first byte tells it from TLS and from most other protocols.
    if bytes.first().is_some_and(|first| *first != 0) {
        return Frame::Broken;
    }
    let Some((length, rest)) = bytes.split_first_chunk::<4>() else {
        return Frame::Short;
    };
    let length = u32::from_be_bytes(*length) as usize;
    if length == 0 || length > LARGEST {
        return Frame::Broken;
    }
    match rest.get(..length) {
        Some(body) => Frame::Whole(body, length + 4),
        None => Frame::Short,
    }
}

/// A message in its frame.
pub fn framed(json: &[u8]) -> Vec<u8> {
    let length = u32::try_from(json.len()).unwrap_or(u32::MAX);
    let mut out = length.to_be_bytes().to_vec();
    out.extend_from_slice(json);
    out
}

/// Whether bytes begin as an answer of this protocol does.
pub fn is_one(bytes: &[u8]) -> bool {
    const TYPE: &[u8] = b"\"type\"";
    matches!(bytes, [0, 0..=1, _, _, b'{', ..]) && bytes.windows(TYPE.len()).any(|w| w == TYPE)
}

//! The text that is to be explained: typed, from standard input, from a file.

use crate::args::Explain;
use crate::error::Failure;
use crate::input;

/// Most of a text that is read, in bytes.
const MOST: u64 = 64 * 1024 * 1024;

/// A text, and where it came from.
pub(super) struct Given {
    pub(super) text: String,
    pub(super) file: Option<String>,
    /// What was not read of it.
    pub(super) left_out: Option<String>,
}

pub(super) fn given(args: &Explain) -> Result<Given, Failure> {
    if let Some(path) = &args.file {
        let read = input::tail(path, MOST).map_err(|cause| Failure::File {
            path: path.clone(),
            cause,
        })?;
        return Ok(Given {
            text: decoded(read.bytes),
            file: Some(crate::echo::path(path)),
            left_out: read.left_out,
        });
    }
    if let [only] = args.text.as_slice()
        && only.expose() == "-"
    {
        let bytes = input::stdin(MOST).map_err(Failure::Stdin)?;
        return Ok(Given {
            text: decoded(bytes),
            file: None,
            left_out: None,
        });
    }
    // A message without quotes round it comes as many words.
    let words: Vec<&str> = args.text.iter().map(|word| word.expose()).collect();
    Ok(Given {
        text: words.join(" "),
        file: None,
        left_out: None,
    })
}

/// Whatever encoding it has: UTF-8, UTF-16 with its mark, or what is nearest to it.
fn decoded(bytes: Vec<u8>) -> String {
    let wide = match bytes.as_slice() {
        [0xff, 0xfe, rest @ ..] => Some((rest, false)),
        [0xfe, 0xff, rest @ ..] => Some((rest, true)),
        _ => None,
    };
    if let Some((rest, big)) = wide {
        let units: Vec<u16> = rest
            .chunks_exact(2)
            .map(|pair| {
                let pair = [
                    pair.first().copied().unwrap_or_default(),
                    pair.get(1).copied().unwrap_or_default(),
                ];
                match big {
                    true => u16::from_be_bytes(pair),
                    false => u16::from_le_bytes(pair),
                }
            })
            .collect();
        return String::from_utf16_lossy(&units);
    }
    match String::from_utf8(bytes) {
        Ok(text) => text,
        Err(broken) => String::from_utf8_lossy(broken.as_bytes()).into_owned(),
    }
}

//! The text that is to be explained: typed, from standard input, from a file.

use chronaxis_readers::text::{Binary, Text};

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
    match String::from_utf8(bytes) {
        Ok(text) => text,
        Err(other) => match Text::decode(other.as_bytes()) {
            Ok(text) => text.string,
            Err(Binary) => String::from_utf8_lossy(other.as_bytes()).into_owned(),
        },
    }
}

//! PostgreSQL's connection strings, read as its own C library reads them
//! (PostgreSQL documentation, "Connection Strings": keyword/value and URI).

mod keyword_value;
mod pieces;
mod uri;

use pieces::{Piece, Pieces, SECRETS, subject};

pub(super) use pieces::KEYWORDS;

use crate::engine::spec::Draft;
use crate::redact::visible;
use crate::secret::Secret;
use crate::settings::{Defect, DefectKind, Excerpt, check_value};
use crate::told::{Origin, Told};

/// Reads a string of either form.
pub(super) fn read(text: &str, line: Option<u32>) -> Draft {
    let lead = text.len() - text.trim_start().len();
    let is_uri = ["postgresql://", "postgres://"]
        .iter()
        .any(|s| text.get(lead..).is_some_and(|t| t.starts_with(s)));
    let (form, mut pieces) = if is_uri {
        ("URL", uri::read(text, lead))
    } else {
        ("keyword/value string", keyword_value::read(text))
    };
    let not_followed = not_followed(&pieces);
    check_port(&mut pieces, is_uri);
    let mut draft = Draft {
        form: form.to_owned(),
        not_followed,
        ..Draft::default()
    };
    let excerpt = Excerpt::new(text, pieces.covered);
    if is_uri && lead > 0 {
        draft.defects.push(leading_blank(&excerpt, lead));
    }
    if let Some(fault) = pieces.fault {
        draft.defects.push(Defect {
            kind: fault.kind,
            subject: fault.subject,
            stops: true,
            text: fault.text,
            expected: fault.expected,
            place: Some(excerpt.mark(fault.span)),
            mended: fault.mended,
        });
    }
    for piece in pieces.found {
        take(&mut draft, piece, text, line, &excerpt);
    }
    draft
}

fn take(draft: &mut Draft, piece: Piece, text: &str, line: Option<u32>, excerpt: &Excerpt<'_>) {
    let column = column_of(text, piece.span.start);
    let origin = match line {
        Some(line) => Origin::Stdin { line, column },
        None => Origin::Target { column },
    };
    draft.defects.extend(check_value(
        subject(&piece.key),
        &piece.value,
        Some((excerpt, piece.span)),
    ));
    if piece.key == "password" {
        draft.secret = Some(Told::new(Secret::new(piece.value), origin));
    } else if !SECRETS.contains(&piece.key.as_str()) {
        draft
            .values
            .insert(piece.key, Told::new(piece.value, origin));
    }
}

fn column_of(text: &str, at: usize) -> u32 {
    let before = text.get(..at).unwrap_or_default().chars().count();
    u32::try_from(before).unwrap_or(u32::MAX).saturating_add(1)
}

fn leading_blank(excerpt: &Excerpt<'_>, lead: usize) -> Defect {
    Defect {
        kind: DefectKind::StrayWhitespace,
        subject: "string".to_owned(),
        stops: true,
        text: "a blank stands before the scheme, so this client does not see a URL".to_owned(),
        expected: "the scheme as the first character".to_owned(),
        place: Some(excerpt.mark(0..lead)),
        mended: Some(excerpt.shown().trim_start().to_owned()),
    }
}

/// What this version does not follow yet, and says so rather than walk another way than
/// the client would.
fn not_followed(pieces: &Pieces) -> Option<&'static str> {
    pieces.found.iter().find_map(|p| match p.key.as_str() {
        "host" | "hostaddr" | "port" if p.value.contains(',') => {
            Some("several hosts in one target")
        }
        "service" if !p.value.is_empty() => Some("service names"),
        _ => None,
    })
}

fn check_port(pieces: &mut Pieces, is_uri: bool) {
    let Some(port) = pieces.found.iter().find(|p| p.key == "port") else {
        return;
    };
    if port.value.is_empty() || parse_port(&port.value).is_some() {
        return;
    }
    let (span, long) = (port.span.clone(), port.value.chars().count());
    // In a URL, what stands where a port should be may be a password that lost its host.
    let digits = port.value.chars().all(|c| c.is_ascii_digit() || c == ' ');
    let what = if !digits && !is_uri {
        format!("the port \"{}\" is not a number", visible(&port.value))
    } else if digits {
        format!(
            "the port {} is not between 1 and 65535",
            visible(&port.value)
        )
    } else {
        pieces.covered.push(span.clone());
        format!("the port is not a number ({long} characters, hidden: they may be a secret)")
    };
    pieces.fail(
        DefectKind::Unreadable,
        "port",
        span,
        what,
        "a number from 1 to 65535",
    );
}

/// A port as the library takes it: decimal, outer blanks allowed.
pub(super) fn parse_port(text: &str) -> Option<u16> {
    text.trim().parse::<u16>().ok().filter(|p| *p > 0)
}

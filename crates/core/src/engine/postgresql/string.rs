//! PostgreSQL's connection strings, read as its own C library reads them
//! (PostgreSQL documentation, "Connection Strings": keyword/value and URI).

mod drivers;
mod jdbc;
mod keyword_value;
mod pieces;
mod uri;

use pieces::{Piece, Pieces, SECRETS};

pub(super) use drivers::DRIVERS;

pub(super) use pieces::{KEYWORDS, subject};

use crate::engine::spec::Draft;
use crate::redact::visible;
use crate::secret::Secret;
use crate::settings::{self, Defect, DefectKind, Excerpt, check_value};
use crate::target::ClientId;
use crate::told::{Origin, Told};

/// Reads a string of any of its forms.
pub(super) fn read(text: &str, line: Option<u32>) -> Draft {
    let lead = text.len() - text.trim_start().len();
    let bare = text.get(lead..).unwrap_or_default();
    let scheme = bare.split_once("://").map_or("", |(scheme, _)| scheme);
    let is_uri = scheme == "postgresql" || scheme == "postgres" || scheme.contains('+');
    let is_jdbc = bare.starts_with(jdbc::LEAD);
    let (form, client, mut pieces) = if is_jdbc {
        ("JDBC URL", ClientId::Pgjdbc, jdbc::read(text, lead))
    } else if is_uri {
        let client = drivers::client(scheme);
        let mut pieces = uri::read(text, lead, drivers::parameters(client));
        drivers::translate(client, &mut pieces);
        ("URL", client, pieces)
    } else {
        (
            "keyword/value string",
            ClientId::Libpq,
            keyword_value::read(text),
        )
    };
    split_places(&mut pieces, text);
    check_port(&mut pieces, is_uri || is_jdbc);
    let mut draft = Draft {
        form: form.to_owned(),
        client,
        ..Draft::default()
    };
    let excerpt = Excerpt::new(text, pieces.covered);
    if (is_uri || is_jdbc) && lead > 0 {
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
    for piece in pieces.places {
        let found = check_value(
            subject(&piece.key),
            &piece.value,
            Some((&excerpt, piece.span.clone())),
        );
        draft.defects.extend(found);
        if piece.key == "port"
            && let Some(port) = parse_port(&piece.value)
        {
            let place = excerpt.mark(piece.span);
            draft
                .defects
                .extend(settings::check_port(port, USUAL_PORT, Some(place)));
        }
    }
    draft
}

/// The engine's usual port.
pub(super) const USUAL_PORT: u16 = 5432;

/// Takes the one host and the one port as a list of one, and a list in one value apart,
/// so that each is looked at by itself.
fn split_places(pieces: &mut Pieces, text: &str) {
    if !pieces.places.is_empty() {
        return;
    }
    let mut places = Vec::new();
    for piece in pieces
        .found
        .iter()
        .filter(|p| p.key == "host" || p.key == "port")
    {
        let verbatim = text.get(piece.span.clone()) == Some(piece.value.as_str());
        let mut at = piece.span.start;
        for one in piece.value.split(',') {
            let span = if verbatim {
                at..at + one.len()
            } else {
                piece.span.clone()
            };
            at += one.len() + 1;
            places.push(Piece {
                key: piece.key.clone(),
                value: one.to_owned(),
                span,
            });
        }
    }
    pieces.places = places;
}

fn take(draft: &mut Draft, piece: Piece, text: &str, line: Option<u32>, excerpt: &Excerpt<'_>) {
    let column = column_of(text, piece.span.start);
    let origin = match line {
        Some(line) => Origin::Stdin { line, column },
        None => Origin::Target { column },
    };
    if !matches!(piece.key.as_str(), "host" | "port") {
        draft.defects.extend(check_value(
            subject(&piece.key),
            &piece.value,
            Some((excerpt, piece.span)),
        ));
    }
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

fn check_port(pieces: &mut Pieces, is_uri: bool) {
    let unusable =
        |p: &&Piece| p.key == "port" && !p.value.is_empty() && parse_port(&p.value).is_none();
    let Some(port) = pieces.places.iter().find(unusable) else {
        return;
    };
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

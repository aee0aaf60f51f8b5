//! Connection strings: from what a parser found to a draft, whichever the engine.

pub(super) mod data_source;
mod keys;
pub(super) mod keyword_value;
pub(super) mod pieces;
mod recognised;
pub(super) mod uri;

pub(super) use keys::is_foreign;
pub use keys::is_harmless;
pub(crate) use keys::is_scheme;
use pieces::{PASSPHRASES, Piece, Pieces, SECRETS, subject};

use chronaxis_model::secret::Secret;
use chronaxis_model::settings::{self, Defect, DefectKind, Excerpt, Field, check_value};
use chronaxis_model::shown;

use crate::strings::Draft;
pub(super) use chronaxis_model::shown::keywords::has_key;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::ClientId;

/// Where a text comes from, and how it was taken.
pub(super) struct Source<'a> {
    /// The text.
    pub(super) text: &'a str,
    /// Its line on standard input, if it came from there.
    pub(super) line: Option<u32>,
    /// How many blanks stand before it that keep the client from seeing a URL.
    pub(super) lead: usize,
    /// What the form is called.
    pub(super) form: &'static str,
    /// Whose rules count.
    pub(super) client: ClientId,
    /// Whether it is a URL, in which a port may be a password that lost its host.
    pub(super) is_uri: bool,
    /// The engine's usual port.
    pub(super) usual_port: Option<u16>,
}

/// Makes a draft of what a parser found, and looks at every value.
pub(super) fn draft(source: &Source<'_>, mut pieces: Pieces) -> Draft {
    let text = source.text;
    split_places(&mut pieces, text);
    check_port(&mut pieces, source.is_uri);
    let mut draft = Draft {
        form: source.form.to_owned(),
        read_by: Vec::new(),
        client: source.client,
        unknown_parameters: std::mem::take(&mut pieces.unknown),
        ..Draft::default()
    };
    let covered = recognised::covered(text, &pieces);
    let excerpt = Excerpt::new(text, covered);
    draft.shown = excerpt.shown();
    if source.lead > 0 {
        draft.defects.push(leading_blank(&excerpt, source.lead));
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
    for remark in pieces.remarks {
        draft.defects.push(Defect {
            kind: remark.kind,
            subject: remark.subject,
            stops: false,
            text: remark.text,
            expected: remark.expected,
            place: Some(excerpt.mark(remark.span)),
            mended: remark.mended,
        });
    }
    for piece in pieces.found {
        take(&mut draft, piece, text, source.line, &excerpt);
    }
    for piece in pieces.places {
        let found = check_value(
            subject(&piece.key),
            &piece.value,
            Some((&excerpt, piece.span.clone())),
        );
        draft.defects.extend(found);
        if piece.key == "port"
            && let (Some(port), Some(usual)) = (parse_port(&piece.value), source.usual_port)
        {
            let place = excerpt.mark(piece.span);
            draft
                .defects
                .extend(settings::check_port(port, usual, Some(place)));
        }
    }
    draft
}

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
        draft.secret = Some(Sourced::new(Secret::new(piece.value), origin));
    } else if let Some((_, files)) = PASSPHRASES.iter().find(|(key, _)| *key == piece.key) {
        for file in *files {
            let passphrase = || Secret::new(piece.value.clone());
            let known = draft.passphrases.entry((*file).to_owned());
            known.or_insert_with(passphrase);
        }
    } else if !SECRETS.contains(&piece.key.as_str()) {
        draft
            .values
            .insert(piece.key, Sourced::new(piece.value, origin));
    }
}

fn column_of(text: &str, at: usize) -> u32 {
    let before = text.get(..at).unwrap_or_default().chars().count();
    u32::try_from(before).unwrap_or(u32::MAX).saturating_add(1)
}

fn leading_blank(excerpt: &Excerpt<'_>, lead: usize) -> Defect {
    Defect {
        kind: DefectKind::StrayWhitespace,
        subject: Field::STRING,
        stops: true,
        text: "there is a space before the scheme, so this client does not recognise a URL"
            .to_owned(),
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
        format!("the port is not a number: {}", shown::hidden(&port.value))
    } else if digits {
        format!(
            "the port is not between 1 and 65535: {}",
            shown::value("port", &port.value)
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

//! The form of the ODBC driver: `Driver={PostgreSQL Unicode};Server=…;Database=…`.

use crate::text::data_source::{self, Meaning, Others};
use crate::text::pieces::Pieces;

/// The driver's words that mean what one of the library's keywords means (psqlODBC
/// documentation, "Configuration Options").
const MEANS: &[Meaning] = &[
    ("server", "host"),
    ("servername", "host"),
    ("host", "host"),
    ("port", "port"),
    ("database", "dbname"),
    ("uid", "user"),
    ("username", "user"),
    ("user id", "user"),
    ("user", "user"),
    ("userid", "user"),
    ("pwd", "password"),
    ("password", "password"),
    ("sslmode", "sslmode"),
    ("ssl mode", "sslmode"),
];

/// Reads it. What the driver has beside these words is its own business, and what it does
/// not know it passes over.
pub(super) fn read(text: &str) -> Pieces {
    let mut pieces = data_source::read(text, 0, MEANS, Others::PassedOver);
    for piece in &mut pieces.found {
        if piece.key == "sslmode" {
            let low = piece.value.to_ascii_lowercase();
            piece.value = match low.as_str() {
                "verifyca" => "verify-ca".to_owned(),
                "verifyfull" => "verify-full".to_owned(),
                _ => low,
            };
        }
    }
    pieces
}

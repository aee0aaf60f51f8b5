//! By what PostgreSQL and the pooler before it are known.

use chronaxis_model::fact::Service;

use crate::spec::Greeting;
use crate::who::holds;

/// The surest first.
pub(super) const ALL: &[Greeting] = &[
    Greeting {
        service: Service::new("pgbouncer"),
        speaks: "PgBouncer",
        title: "a PgBouncer pooler",
        fits: |b| is_error(b) && !holds(b, b"\0R") && holds(b, b"C08P01"),
    },
    Greeting {
        service: Service::new("postgresql"),
        speaks: "PostgreSQL",
        title: "a PostgreSQL server",
        fits: |b| is_error(b) || matches!(b, b"S" | b"N"),
    },
];

/// An ErrorResponse with a severity field first.
fn is_error(bytes: &[u8]) -> bool {
    matches!(bytes, [b'E', 0, 0, _, _, b'S', ..])
}

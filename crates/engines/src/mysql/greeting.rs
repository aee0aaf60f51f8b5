//! By what MySQL and MariaDB are known.

use chronaxis_model::fact::Service;

use crate::spec::Greeting;
use crate::who::holds;

/// The surest first.
pub(super) const ALL: &[Greeting] = &[
    Greeting {
        service: Service::new("mariadb"),
        speaks: "MariaDB",
        title: "a MariaDB server",
        fits: |b| is_packet(b) && holds(b, b"MariaDB"),
    },
    Greeting {
        service: Service::new("mysql"),
        speaks: "MySQL",
        title: "a MySQL server",
        fits: is_packet,
    },
];

/// A packet of a server of this family: the greeting of protocol 10, or the refusal that
/// comes in its place.
fn is_packet(bytes: &[u8]) -> bool {
    match bytes {
        [length, _, 0, 0, 10, version, ..] => *length > 20 && version.is_ascii_digit(),
        [length, 0, 0, 0, 0xff, _, code, ..] => *length > 3 && (3..=0x10).contains(code),
        _ => false,
    }
}

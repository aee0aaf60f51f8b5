//! Checks of what the client was told: defects that can be seen in the text itself.

mod checks;
mod defect;
mod field;
mod place;
mod ports;

pub use checks::{check_value, nearest};
pub use defect::{Defect, DefectKind, Weight};
pub use field::Field;
pub use place::{COVER, Excerpt, Place};
pub use ports::{check_port, usual_port_meant};

//! Checks of what the client was told: defects that can be seen in the text itself.

mod checks;
mod defect;
mod place;

pub use checks::{check_value, nearest};
pub use defect::{Defect, DefectKind};
pub use place::{Excerpt, Place};

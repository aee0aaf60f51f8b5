//! The entries, in the order of the way.

use super::{Cause, Owner};

macro_rules! causes {
    ($name:ident $($id:ident $layer:ident $owner:ident $($mends:ident)?; $headline:literal; $looks:literal; $apart:literal; [$($fix:literal),*];)*) => {
        pub(super) const $name: &[Cause] = &[$(Cause {
            id: chronaxis_model::found::CauseId::$id,
            layer: chronaxis_model::layer::Layer::$layer,
            owner: $owner,
            headline: $headline,
            looks: $looks,
            told_apart: $apart,
            waiting_may_mend: causes!(@mends $($mends)?),
            fix: &[$($fix),*],
        },)*];
    };
    (@mends may_pass) => { true };
    (@mends) => { false };
}

mod server;
mod services;
mod settings;
mod way;

use std::sync::LazyLock;

const DEVELOPER: Option<Owner> = Some(Owner::Developer);
const DBA: Option<Owner> = Some(Owner::Dba);
const NETWORK: Option<Owner> = Some(Owner::Network);
const NAMES: Option<Owner> = Some(Owner::Names);
const PLATFORM: Option<Owner> = Some(Owner::Platform);
const SECURITY: Option<Owner> = Some(Owner::Security);

/// All entries, in the order of the way.
pub static CAUSES: LazyLock<Vec<Cause>> = LazyLock::new(|| {
    [
        settings::SETTINGS,
        way::WAY,
        services::SERVICES,
        server::SERVER,
    ]
    .concat()
});

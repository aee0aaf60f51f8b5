//! The fields of a target: what a value is to a connection.

use std::borrow::Cow;
use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Makes the fields that neutral code knows by name.
macro_rules! fields {
    ($($(#[$doc:meta])* $name:ident = $id:literal,)*) => {
        impl Field {
            $($(#[$doc])* pub const $name: Field = Field(Cow::Borrowed($id));)*

            /// The one of this name; an engine's own option where none of them is.
            pub fn of(name: &str) -> Field {
                match name {
                    $($id => Field::$name,)*
                    other => Field(Cow::Owned(other.to_owned())),
                }
            }
        }
    };
}

/// What a value is to a connection: one of the fields that every connection has, or an
/// option of an engine's own, by its name.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Field(Cow<'static, str>);

fields! {
    /// Where to: name or address.
    HOST = "host",
    /// Which port.
    PORT = "port",
    /// Which socket file.
    SOCKET = "socket",
    /// As whom.
    USER = "user",
    /// What proves it.
    PASSWORD = "password",
    /// Which database.
    DATABASE = "database",
    /// What stands before `://`.
    SCHEME = "scheme",
    /// Which driver.
    DRIVER = "driver",
    /// Whose rules count.
    CLIENT = "client",
    /// Which service of a service file.
    SERVICE = "service",
    /// Parameters of the string.
    PARAMETERS = "parameters",
    /// The whole string.
    STRING = "string",
    /// The whole file.
    FILE = "file",
    /// Certificates and keys.
    CERTIFICATES = "certificates",
    /// A process that uses the settings.
    PROCESS = "process",
}

impl Field {
    /// Its name, as outputs write it.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Field {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

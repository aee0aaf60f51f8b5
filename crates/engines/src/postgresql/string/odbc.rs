//! Semicolon-separated pairs: the form of the ODBC driver, `Driver={PostgreSQL
//! Unicode};Server=…;Database=…`, and that of .NET's, `Host=…;Username=…`.

use percent_encoding::percent_decode_str;

use crate::text::data_source::{self, Meaning, OfTwo, Others};
use crate::text::pieces::Pieces;

/// The ODBC driver's words that mean what one of the library's keywords means (psqlODBC
/// documentation, "Configuration Options"; measured with version 13).
const ODBC: &[Meaning] = &[
    ("server", "host"),
    ("servername", "host"),
    ("port", "port"),
    ("database", "dbname"),
    ("uid", "user"),
    ("username", "user"),
    ("pwd", "password"),
    ("password", "password"),
    ("sslmode", "sslmode"),
];

/// The words of .NET's driver (Npgsql documentation, "Connection String Parameters").
const DOTNET: &[Meaning] = &[
    ("server", "host"),
    ("host", "host"),
    ("port", "port"),
    ("database", "dbname"),
    ("db", "dbname"),
    ("uid", "user"),
    ("username", "user"),
    ("user name", "user"),
    ("user id", "user"),
    ("user", "user"),
    ("userid", "user"),
    ("pwd", "password"),
    ("psw", "password"),
    ("password", "password"),
    ("passfile", "passfile"),
    ("sslmode", "sslmode"),
    ("ssl mode", "sslmode"),
    ("root certificate", "sslrootcert"),
    ("ssl certificate", "sslcert"),
    ("ssl key", "sslkey"),
    ("timeout", "connect_timeout"),
    ("application name", "application_name"),
    ("target session attributes", "target_session_attrs"),
    ("options", "options"),
];

/// Its other keywords, without blanks: it does not start with one that it has not.
const OF_DOTNET: &[&str] = &[
    "arraynullabilitymode",
    "autoprepareminusages",
    "backendtimeouts",
    "cancellationtimeout",
    "channelbinding",
    "checkcertificaterevocation",
    "clientcertificate",
    "clientcertificatekey",
    "clientencoding",
    "commandtimeout",
    "connectionidlelifetime",
    "connectionlifetime",
    "connectionpruninginterval",
    "convertinfinitydatetime",
    "efadmindatabase",
    "eftemplatedatabase",
    "encoding",
    "enlist",
    "entityadmindatabase",
    "entitytemplatedatabase",
    "gssencryptionmode",
    "hostrecheckseconds",
    "includeerrordetail",
    "includeerrordetails",
    "includerealm",
    "integratedsecurity",
    "internalcommandtimeout",
    "keepalive",
    "kerberosservicename",
    "krbsrvname",
    "loadbalancehosts",
    "loadbalancetimeout",
    "loadtablecomposites",
    "logparameters",
    "maxautoprepare",
    "maximumpoolsize",
    "maxpoolsize",
    "minimumpoolsize",
    "minpoolsize",
    "multiplexing",
    "noresetonclose",
    "persistsecurityinfo",
    "pooling",
    "preloadreader",
    "readbuffersize",
    "replicationmode",
    "requireauth",
    "searchpath",
    "servercompatibilitymode",
    "socketreceivebuffersize",
    "socketsendbuffersize",
    "sslcertificate",
    "sslkey",
    "sslnegotiation",
    "sslpassword",
    "tcpkeepalive",
    "tcpkeepaliveinterval",
    "tcpkeepalivetime",
    "targetsessionattributes",
    "timezone",
    "trustservercertificate",
    "usejsonb",
    "useperfcounters",
    "usesslstream",
    "writebuffersize",
    "writecoalescingbufferthresholdbytes",
    "rootcertificate",
    "applicationname",
];

/// A password as the ODBC driver has it, where it stands outside braces: decoded as forms of
/// web pages are (measured with version 13).
pub fn psqlodbc_password(text: &str) -> String {
    let spaced = text.replace('+', " ");
    percent_decode_str(&spaced).decode_utf8_lossy().into_owned()
}

/// Reads it. What the ODBC driver has beside these words is its own business, and what it
/// does not know it passes over; .NET's driver refuses it.
pub(super) fn read(text: &str) -> Pieces {
    let of_odbc = data_source::driver(text).is_some();
    let words = if of_odbc { ODBC } else { DOTNET };
    let others = match of_odbc {
        true => Others::PassedOver,
        false => Others::RefusedBut(OF_DOTNET),
    };
    let mut pieces = data_source::read(text, 0, words, others, OfTwo::Last);
    for piece in &mut pieces.found {
        if piece.key == "sslmode" {
            let low = piece.value.to_ascii_lowercase();
            piece.value = match low.as_str() {
                "verifyca" => "verify-ca".to_owned(),
                "verifyfull" => "verify-full".to_owned(),
                _ => low,
            };
        }
        let in_braces = || {
            text.get(piece.span.start..)
                .is_some_and(|t| t.starts_with('{'))
        };
        if of_odbc && piece.key == "password" && !in_braces() {
            piece.value = psqlodbc_password(&piece.value);
        }
    }
    if of_odbc {
        pieces.not_of_driver(data_source::keys(text), ODBC, DOTNET);
    }
    pieces
}

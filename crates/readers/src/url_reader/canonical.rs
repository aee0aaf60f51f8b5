//! The parts that a reader makes of a URL, written anew so that nothing in it can be taken
//! in two ways: each character keeps the place that it came from.

use super::{Parts, Takes, Tls};
use crate::letters::{Letter, text as text_of};
use crate::traced::Traced;

/// What a driver hears of encryption, under the engine's own names.
fn encryption(tls: Tls, query: &[(String, Vec<Letter>)]) -> Option<(&'static str, &'static str)> {
    let told = |key: &str| {
        let found = query.iter().rev().find(|(k, _)| k == key);
        found.map(|(_, value)| text_of(value))
    };
    let mode = told("sslmode").filter(|v| !v.is_empty());
    match tls {
        Tls::AsTold => None,
        // Whatever the mode but one, everything is checked (measured with pg 8.23).
        Tls::NodePostgres => {
            let compatible = told("uselibpqcompat").is_some_and(|v| v == "true");
            let certificates = ["sslcert", "sslkey", "sslrootcert"];
            let mode = match (mode.as_deref(), told("ssl").as_deref()) {
                (Some("disable"), _) => "disable",
                (Some("no-verify"), _) | (None, Some("no-verify")) => "require",
                (Some("require" | "prefer"), _) if compatible => "require",
                (Some("verify-ca"), _) if compatible => "verify-ca",
                (Some(_), _) | (None, Some("true" | "1")) => "verify-full",
                _ if certificates.iter().any(|key| told(key).is_some()) => "verify-full",
                _ => "disable",
            };
            Some(("sslmode", mode))
        }
        // It checks only where that is asked for by name (measured with postgres 3.4).
        Tls::PostgresJs => {
            let mode = match mode.or(told("ssl")).as_deref() {
                None | Some("" | "disable" | "false") => "disable",
                Some("require") => "require",
                Some("prefer" | "allow") => "prefer",
                Some(_) => "verify-full",
            };
            Some(("sslmode", mode))
        }
        Tls::NodeMysql => {
            let told = told("ssl").filter(|v| !matches!(v.as_str(), "" | "false" | "null"))?;
            let unchecked = told
                .replace(' ', "")
                .contains("\"rejectUnauthorized\":false");
            let mode = if unchecked {
                "REQUIRED"
            } else {
                "VERIFY_IDENTITY"
            };
            Some(("ssl_mode", mode))
        }
    }
}

/// Writes the parts as a URL of this scheme.
pub(crate) fn canonical(
    parts: &Parts,
    scheme: &str,
    takes: Takes,
    tls: Tls,
    text: &Traced,
) -> Traced {
    let mut out = Writing {
        out: Traced::default(),
        text,
    };
    out.plain(&format!("{scheme}://"), 0);
    let at = parts.host.first().map_or(0, |l| l.at);
    if !parts.user.is_empty() || parts.password.is_some() {
        out.letters(&parts.user, "");
        if let Some(password) = &parts.password {
            out.plain(":", password.first().map_or(at, |l| l.at));
            out.letters(password, "");
        }
        out.plain("@", at);
    }
    // One port for all hosts, or one each: the list is written host by host.
    let ports: Vec<&[Letter]> = parts.port.split(|l| l.c == ',').collect();
    for (number, host) in parts.host.split(|l| l.c == ',').enumerate() {
        if number > 0 {
            out.plain(",", at);
        }
        let is_address = host.iter().any(|l| l.c == ':');
        if is_address {
            out.plain("[", at);
        }
        out.letters(host, if is_address { ":.%" } else { ".-_" });
        if is_address {
            out.plain("]", at);
        }
        let own = ports
            .get(number)
            .or(ports.first().filter(|_| ports.len() == 1));
        if let Some(port) = own.filter(|port| !port.is_empty()) {
            out.plain(":", port.first().map_or(at, |l| l.at));
            out.letters(port, "_");
        }
    }
    out.plain("/", at);
    out.letters(&parts.database, "-_.");
    let mut sign = "?";
    if let Some((key, mode)) = encryption(tls, &parts.query) {
        let spelt = ["sslmode", "ssl"];
        let own = parts
            .query
            .iter()
            .find(|(k, _)| spelt.contains(&k.as_str()));
        let at = own
            .and_then(|(_, value)| value.first())
            .map_or(at, |l| l.at);
        out.plain(&format!("{sign}{key}={mode}"), at);
        sign = "&";
    }
    for (key, value) in &parts.query {
        let kept = match takes {
            Takes::All => true,
            Takes::Only(keys) => keys.contains(&key.as_str()),
        };
        let own = matches!(
            key.as_str(),
            "host" | "port" | "user" | "password" | "dbname"
        );
        if !kept || (own && takes != Takes::All) {
            continue;
        }
        let at = value.first().map_or(at, |l| l.at);
        out.plain(sign, at);
        sign = "&";
        let key: Vec<Letter> = crate::letters::letters(key, at)
            .into_iter()
            .map(|l| Letter { at, ..l })
            .collect();
        out.letters(&key, "_-");
        out.plain("=", at);
        out.letters(value, "-_./");
    }
    out.out
}

struct Writing<'a> {
    out: Traced,
    text: &'a Traced,
}

impl Writing<'_> {
    fn plain(&mut self, text: &str, at: usize) {
        let (file, from) = self.text.origin(at.min(self.text.as_str().len()));
        let mut traced = Traced::opaque(text, from);
        traced.in_file(file);
        self.out.append(&traced);
    }

    fn letters(&mut self, all: &[Letter], also: &str) {
        for letter in all {
            let c = letter.c;
            let mark = ('\u{e000}'..='\u{e001}').contains(&c);
            if c.is_ascii_alphanumeric() || also.contains(c) || mark {
                let piece = self.text.slice(letter.at..letter.at + c.len_utf8());
                match piece.as_str().starts_with(c) {
                    true => self.out.append(&piece),
                    false => self.plain(&c.to_string(), letter.at),
                }
                continue;
            }
            let bytes = c.encode_utf8(&mut [0; 4]).bytes().collect::<Vec<u8>>();
            let escape: String = bytes.iter().map(|b| format!("%{b:02X}")).collect();
            self.plain(&escape, letter.at);
        }
    }
}

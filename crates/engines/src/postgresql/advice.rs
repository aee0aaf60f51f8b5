//! What PostgreSQL's administrators do about refusals.

use chronaxis_model::fact::Meaning;
use chronaxis_model::shown;

use crate::advice::{Advice, CertificateAdvice, Entrant, Refusal};

pub(super) const ADVICE: Advice = Advice {
    host_rule,
    own_account,
    keeper,
    behind_tls: Some(
        "If a proxy that ends TLS is in front of the server: begin with TLS at once (sslnegotiation=direct and sslmode=require, libpq 17 and later).",
    ),
    certificate: Some(CertificateAdvice {
        map: "pg_ident.conf",
        rule: "clientcert=verify-full",
    }),
    ..Advice::NONE
};

fn host_rule(entrant: &Entrant<'_>) -> Option<String> {
    let Entrant { user, from, .. } = entrant;
    let bits = if from.is_ipv4() { 32 } else { 128 };
    let database = entrant.database.filter(|d| shown::is_name(d))?;
    Some(format!(
        "If this user is meant to get in from here: add to the server's pg_hba.conf, above any rule that rejects it, and reload the server: host {database} {user} {from}/{bits} scram-sha-256"
    ))
}

/// Who keeps the password, by the words of the server's function `auth_failed`; a translated
/// server does not tell.
const KEEPERS: &[(&str, &str)] = &[
    ("LDAP authentication failed", "LDAP"),
    ("PAM authentication failed", "PAM"),
    ("RADIUS authentication failed", "RADIUS"),
    ("BSD authentication failed", "BSD authentication"),
];

fn keeper(refusal: &Refusal<'_>) -> Option<&'static str> {
    let mut known = KEEPERS.iter();
    let (_, keeper) = known.find(|(words, _)| refusal.message.starts_with(words))?;
    (refusal.meaning == Meaning::CredentialsRefused).then_some(*keeper)
}

fn own_account(refusal: &Refusal<'_>, user: &str) -> Option<String> {
    let words = ["Peer authentication", "Ident authentication"];
    let by_account = refusal.meaning == Meaning::IdentityRefused
        && words.iter().any(|w| refusal.message.contains(w));
    by_account.then(|| {
        format!(
            "The server asks for no password here: it goes by the account of the operating system. Run the program as the account {user}, connect over TCP (host=127.0.0.1) with a password, or have the rule in pg_hba.conf changed."
        )
    })
}

//! What the administrators of MySQL and MariaDB do about refusals.

use chronaxis_model::fact::Meaning;
use chronaxis_model::shown;

use crate::advice::{Advice, Entrant, Refusal};

pub(super) const ADVICE: Advice = Advice {
    host_rule,
    remarks,
    without_encryption: Some(
        "The server offers no encryption: if it requires it all the same (require_secure_transport without a certificate), it refuses everybody with this message.",
    ),
    demanded_certificate: Some(
        "An account may demand a certificate of the client, or one with a certain subject or issuer (REQUIRE X509, SUBJECT, ISSUER): the message is the same. SHOW CREATE USER shows it.",
    ),
    ..Advice::NONE
};

fn host_rule(entrant: &Entrant<'_>) -> Option<String> {
    let Entrant { user, from, .. } = entrant;
    Some(format!(
        "If this user is meant to get in from here: make the account for this host, or for a pattern that covers it: CREATE USER '{user}'@'{from}' IDENTIFIED BY '…';"
    ))
}

fn remarks(refusal: &Refusal<'_>) -> Vec<String> {
    let mut out = Vec::new();
    if let Some(host) = host_of_account(refusal) {
        out.push(format!(
            "The server looks accounts up by user and host, and took this client for {host}: an account that exists for another host only, or an anonymous account for {host}, gets the same message. SELECT user, host FROM mysql.user shows them."
        ));
    }
    if refusal.code == "1698" {
        out.push(
            "1698 is also said of an account that signs in through the socket, as the account of the operating system (unix_socket): it takes no password from elsewhere."
                .to_owned(),
        );
    }
    out
}

/// For whom the server took this client, as it says with a refusal: `'user'@'host'`.
fn host_of_account(refusal: &Refusal<'_>) -> Option<String> {
    if refusal.meaning != Meaning::AccessDenied {
        return None;
    }
    let host = refusal.message.split("'@'").nth(1)?.split('\'').next()?;
    shown::is_host(host).then(|| format!("'{host}'"))
}

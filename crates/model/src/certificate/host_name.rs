//! Whether a certificate is for the host that was dialled.

use super::policy::CommonName;
use super::read::Certificate;

/// Whether it is (RFC 6125, section 6.4, as the servers' own clients do it).
pub(super) fn fits(certificate: &Certificate, host: &str, common_name: CommonName) -> bool {
    let by_common_name = |no_such_names: bool| {
        common_name == CommonName::WithoutSuchNames
            && no_such_names
            && certificate
                .common_name
                .as_deref()
                .is_some_and(|name| fits_name(name, host))
    };
    match host.parse() {
        Ok(address) => {
            certificate.addresses.contains(&address)
                || by_common_name(certificate.addresses.is_empty())
        }
        Err(_) => {
            certificate
                .dns_names
                .iter()
                .any(|name| fits_name(name, host))
                || by_common_name(certificate.dns_names.is_empty())
        }
    }
}

/// A name against a pattern: case does not count, and a star stands for one whole label at
/// the left end.
fn fits_name(pattern: &str, host: &str) -> bool {
    let (pattern, host) = (pattern.to_ascii_lowercase(), host.to_ascii_lowercase());
    let host = host.strip_suffix('.').unwrap_or(&host);
    if pattern == host {
        return true;
    }
    let Some(rest) = pattern.strip_prefix("*.") else {
        return false;
    };
    match host.split_once('.') {
        Some((label, parent)) => !label.is_empty() && parent == rest && rest.contains('.'),
        None => false,
    }
}

#[cfg(test)]
mod tests {
    use super::fits_name;

    #[test]
    fn a_star_is_one_label_at_the_left() {
        assert!(fits_name("*.osmary.example", "Quay.osmary.example"));
        assert!(fits_name("quay.osmary.example", "quay.osmary.example."));
        assert!(!fits_name("*.osmary.example", "a.quay.osmary.example"));
        assert!(!fits_name("*.osmary.example", "osmary.example"));
        assert!(
            !fits_name("*.example", "osmary.example"),
            "a whole top level"
        );
        assert!(!fits_name("q*.osmary.example", "quay.osmary.example"));
        assert!(!fits_name("*.osmary.example", ".osmary.example"));
    }
}

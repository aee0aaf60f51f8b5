//! Whether a client takes a chain.
//!
//! The path is built as the servers' own clients build it (OpenSSL's `verify`): from the
//! server's certificate upwards, a trusted issuer before one that was sent, until a
//! certificate that issued itself.

use super::host_name;
use super::names::{ChainTrouble, Signatures, Signed};
use super::policy::{Check, Policy};
use super::read::{Certificate, Key, day, read};

/// Longest chain that is looked at.
const LONGEST_PATH: usize = 10;

/// Seconds of a day.
const DAY: i64 = 86_400;

/// One thing that is wrong with a chain.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChainDefect {
    /// What.
    pub trouble: ChainTrouble,
    /// In words, with dates and names; it holds text of the certificates.
    pub text: String,
    /// Whether this client looks at it, and so refuses.
    pub stops: bool,
}

/// What came of looking at a chain.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Judged {
    /// The certificates that could be read, the server's first.
    pub chain: Vec<Certificate>,
    /// What is wrong, that which a client meets first before the rest.
    pub defects: Vec<ChainDefect>,
    /// What could not be judged here, and says nothing about the chain.
    pub beyond: Option<String>,
    /// Whether a trusted certificate is of the same organisation as the missing or unknown
    /// issuer.
    pub issuer_kin: Option<bool>,
    /// Whether every certificate of the path is out of its time in the same direction.
    pub all_out_of_time: bool,
    /// The Unix time, in seconds, by which the dates were judged.
    pub now: i64,
}

impl Judged {
    /// Whether this client goes on.
    pub fn accepts(&self) -> bool {
        self.beyond.is_none() && self.defects.iter().all(|d| !d.stops)
    }
}

/// Judges a chain by a client's policy. `trusted` are the certificates that it trusts,
/// `host` what was dialled, `now` in seconds of Unix time.
pub fn judge(
    chain: &[Vec<u8>],
    policy: &Policy,
    trusted: &[Vec<u8>],
    host: &str,
    now: i64,
    signatures: &dyn Signatures,
) -> Judged {
    let mut out = Judged {
        now,
        ..Judged::default()
    };
    let Some((first, rest)) = chain.split_first() else {
        out.add(
            ChainTrouble::Unreadable,
            "no certificate was sent".to_owned(),
        );
        return out.stopping(policy);
    };
    let Ok(leaf) = read(first) else {
        let what = "the server's certificate cannot be read here".to_owned();
        out.add(ChainTrouble::Unreadable, what.clone());
        // Another reader may make more of it.
        return Judged {
            beyond: Some(what),
            ..out.stopping(policy)
        };
    };
    let sent: Vec<Certificate> = rest.iter().filter_map(|der| read(der).ok()).collect();
    let all_read = sent.len() == rest.len();
    let anchors: Vec<Certificate> = trusted.iter().filter_map(|der| read(der).ok()).collect();
    out.chain = std::iter::once(leaf.clone()).chain(sent.clone()).collect();
    let builder = Builder {
        sent: &sent,
        anchors: &anchors,
        policy,
        signatures,
    };
    let path = builder.path(leaf, &mut out);
    if !all_read && !out.defects.is_empty() {
        let what = "a certificate of the server's chain cannot be read here";
        out.beyond.get_or_insert(what.to_owned());
    }
    check_path(&path, policy, &mut out);
    check_dates(&path, now, &mut out);
    if let Some(leaf) = path.first()
        && !host_name::fits(leaf, host, policy.common_name)
    {
        out.add(ChainTrouble::NameMismatch, other_names(leaf, host));
    }
    out.stopping(policy)
}

impl Judged {
    fn add(&mut self, trouble: ChainTrouble, text: String) {
        self.defects.push(ChainDefect {
            trouble,
            text,
            stops: false,
        });
    }

    /// Marks what this client looks at, and puts that first.
    fn stopping(mut self, policy: &Policy) -> Judged {
        for defect in &mut self.defects {
            defect.stops = match policy.check {
                // A certificate that cannot be read at all ends any handshake.
                Check::Nothing => defect.trouble == ChainTrouble::Unreadable,
                Check::Chain => defect.trouble != ChainTrouble::NameMismatch,
                Check::ChainAndName => true,
            };
        }
        self.defects.sort_by_key(|d| !d.stops);
        if policy.check == Check::Nothing {
            self.beyond = None;
        }
        self
    }
}

struct Builder<'a> {
    sent: &'a [Certificate],
    anchors: &'a [Certificate],
    policy: &'a Policy,
    signatures: &'a dyn Signatures,
}

impl Builder<'_> {
    /// Builds the path, and notes where it does not lead to a trusted certificate.
    fn path(&self, leaf: Certificate, out: &mut Judged) -> Vec<Certificate> {
        let mut path = vec![leaf];
        loop {
            let Some(last) = path.last().cloned() else {
                return path;
            };
            let is_anchor = self.anchors.iter().any(|a| a.der() == last.der());
            let ends = has_own_name(&last);
            if is_anchor && (ends || self.policy.partial_chain) {
                return path;
            }
            let anchor = self.signer(&last, self.anchors, &path, out);
            if let Some(issuer) = anchor {
                path.push(issuer);
                continue;
            }
            if ends {
                self.untrusted_end(&path, &last, out);
                return path;
            }
            match self.signer(&last, self.sent, &path, out) {
                Some(issuer) if path.len() < LONGEST_PATH => path.push(issuer),
                _ => {
                    self.open_end(&last, out);
                    return path;
                }
            }
        }
    }

    /// The certificate among these that issued one, with its signature checked.
    fn signer(
        &self,
        of: &Certificate,
        among: &[Certificate],
        path: &[Certificate],
        out: &mut Judged,
    ) -> Option<Certificate> {
        let unused = |c: &&Certificate| path.iter().all(|p| p.der() != c.der());
        let mut wrong = false;
        for candidate in among.iter().filter(unused).filter(|c| may_issue(c, of)) {
            match self.signed(of, candidate) {
                Signed::Fits => return Some(candidate.clone()),
                Signed::CannotTell => {
                    let what = format!("a signature by {} ({})", of.signed_by, candidate.key);
                    out.beyond.get_or_insert(what);
                    return Some(candidate.clone());
                }
                Signed::DoesNot => wrong = true,
            }
        }
        if wrong {
            out.add(
                ChainTrouble::SignatureWrong,
                format!(
                    "an authority named {} is there, with another key",
                    of.issuer
                ),
            );
        }
        None
    }

    fn signed(&self, of: &Certificate, by: &Certificate) -> Signed {
        let raw = &of.raw;
        self.signatures.check(
            &by.raw.public_key,
            &raw.algorithm,
            &raw.signed_part,
            &raw.signature,
        )
    }

    /// The path ends in a certificate that issued itself, and nobody trusts it.
    fn untrusted_end(&self, path: &[Certificate], last: &Certificate, out: &mut Judged) {
        if out.has(ChainTrouble::SignatureWrong) {
            return;
        }
        if path.len() == 1 {
            let text = format!("it is its own issuer ({}), and not trusted", last.subject);
            return out.add(ChainTrouble::SelfSigned, text);
        }
        out.issuer_kin = Some(self.has_kin(last));
        let text = format!("it ends in {}, which is not trusted", last.subject);
        out.add(ChainTrouble::IssuerUnknown, text);
    }

    /// The issuer of the last certificate is nowhere to be found.
    fn open_end(&self, last: &Certificate, out: &mut Judged) {
        if out.has(ChainTrouble::SignatureWrong) {
            return;
        }
        let known = self.anchors.iter().any(|a| a.der() == last.der());
        if known {
            let text = format!(
                "{} is trusted, but may not issue certificates",
                last.subject
            );
            return out.add(ChainTrouble::NotAnAuthority, text);
        }
        out.issuer_kin = Some(self.has_kin(last));
        let text = format!(
            "its issuer, {}, was not sent and is not trusted",
            last.issuer
        );
        out.add(ChainTrouble::IssuerMissing, text);
    }

    /// Whether a trusted certificate is of the organisation that issued this one.
    fn has_kin(&self, of: &Certificate) -> bool {
        let Some(organisation) = &of.organisations.1 else {
            return false;
        };
        self.anchors
            .iter()
            .any(|a| a.organisations.0.as_ref() == Some(organisation))
    }
}

impl Judged {
    fn has(&self, trouble: ChainTrouble) -> bool {
        self.defects.iter().any(|d| d.trouble == trouble)
    }
}

/// Whether a certificate names itself as its issuer, key and all. Whether its key may sign
/// does not matter to OpenSSL there (measured).
fn has_own_name(one: &Certificate) -> bool {
    let same_key = match (&one.raw.issuer_key_id, &one.raw.key_id) {
        (Some(wanted), Some(found)) => wanted == found,
        _ => true,
    };
    one.is_self_issued() && same_key
}

/// Whether a certificate could have issued another, by what both say (RFC 5280, sections
/// 4.1.2.4, 4.2.1.1 and 4.2.1.3).
fn may_issue(issuer: &Certificate, of: &Certificate) -> bool {
    let same_key = match (&of.raw.issuer_key_id, &issuer.raw.key_id) {
        (Some(wanted), Some(found)) => wanted == found,
        _ => true,
    };
    issuer.raw.subject == of.raw.issuer && same_key && issuer.may_sign != Some(false)
}

/// Authorities, purposes, strengths along the path.
fn check_path(path: &[Certificate], policy: &Policy, out: &mut Judged) {
    let Some(leaf) = path.first() else { return };
    if leaf.for_servers == Some(false) {
        out.add(
            ChainTrouble::WrongPurpose,
            "it is not for servers (extended key usage)".to_owned(),
        );
    }
    for (below, issuer) in path.iter().skip(1).enumerate() {
        let is_last = below + 2 == path.len();
        let may = match issuer.authority {
            Some((true, most)) => most.is_none_or(|most| below <= most as usize),
            Some((false, _)) => false,
            // Old ones say nothing; only as the end of a chain are they taken.
            None => issuer.version < 3 && is_last || issuer.may_sign == Some(true),
        };
        if !may {
            let text = format!("{} may not issue certificates", issuer.subject);
            out.add(ChainTrouble::NotAnAuthority, text);
        }
        if issuer.for_servers == Some(false) {
            let text = format!("{} may not issue certificates for servers", issuer.subject);
            out.add(ChainTrouble::WrongPurpose, text);
        }
        if issuer.limits_names {
            let what = format!("limits on names in {}", issuer.subject);
            out.beyond.get_or_insert(what);
        }
    }
    for one in path {
        if one.unknown_critical {
            let text = format!("{} has a critical extension that is not known", one.subject);
            out.add(ChainTrouble::UnknownExtension, text);
        }
        if let Key::Rsa(bits) = one.key
            && bits < policy.fewest_rsa_bits
        {
            let text = format!(
                "the key of {} has {bits} bits; this client wants {}",
                one.subject, policy.fewest_rsa_bits
            );
            out.add(ChainTrouble::TooWeak, text);
        }
    }
}

fn check_dates(path: &[Certificate], now: i64, out: &mut Judged) {
    let mut past = 0;
    let mut future = 0;
    for (index, one) in path.iter().enumerate() {
        let which = if index == 0 {
            "it".to_owned()
        } else {
            format!("its issuer {}", one.subject)
        };
        if now > one.not_after {
            past += 1;
            let text = format!(
                "{which} expired on {}, {} ago",
                day(one.not_after),
                days(now - one.not_after)
            );
            out.add(ChainTrouble::Expired, text);
        } else if now < one.not_before {
            future += 1;
            let text = format!(
                "{which} is valid from {}, in {}",
                day(one.not_before),
                days(one.not_before - now)
            );
            out.add(ChainTrouble::NotYetValid, text);
        }
    }
    out.all_out_of_time = path.len() > 1 && (past == path.len() || future == path.len());
}

fn days(seconds: i64) -> String {
    match seconds / DAY {
        0 => "less than a day".to_owned(),
        1 => "1 day".to_owned(),
        n => format!("{n} days"),
    }
}

fn other_names(leaf: &Certificate, host: &str) -> String {
    let mut names: Vec<String> = leaf.dns_names.clone();
    names.extend(leaf.addresses.iter().map(ToString::to_string));
    if names.is_empty() {
        names.extend(leaf.common_name.clone());
    }
    let shown = match names.len() {
        0 => "no name".to_owned(),
        1..=4 => names.join(", "),
        n => format!(
            "{} and {} more",
            names.get(..3).unwrap_or_default().join(", "),
            n - 3
        ),
    };
    format!("it is for {shown}, not for {host}")
}

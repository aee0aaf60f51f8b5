//! Edits of network policies as text.

use chronaxis_allowlist::answer::Decision;
use chronaxis_allowlist::attempt::Attempt;
use chronaxis_allowlist::policies::Policies;

use super::super::{Kind, Sheet};
use super::TextEdit;

/// One more rule for what comes in, in the policy that keeps the client out; none where that
/// policy has no rule yet, or it is the client's own policy that stops it.
pub(super) fn add(
    kind: Kind,
    sheet: &Sheet,
    policies: &Policies,
    decision: &Decision,
    attempt: &Attempt,
) -> Option<TextEdit> {
    let text = sheet.text.string.as_str();
    let spot = decision.rule.as_ref()?.spot.as_ref()?;
    let policy = policies.policies.iter().find(|p| p.at == spot.at)?;
    let first = policy.ingress.as_ref()?.first()?;
    let length = if attempt.client.is_ipv6() { 128 } else { 32 };
    let port = attempt.to.port();
    let labels = attempt.client_labels.as_ref();
    let pairs: Vec<(&String, &String)> = labels
        .into_iter()
        .flatten()
        .filter(|(k, _)| k.as_str() != chronaxis_allowlist::policies::NAMESPACE)
        .collect();
    let start = text.get(..first.at.start)?.rfind('\n').map_or(0, |n| n + 1);
    let lead = text.get(start..first.at.start)?;
    let (at, new) = match kind {
        Kind::PoliciesYaml => {
            let indent = lead.trim_end().strip_suffix('-')?;
            if !indent.trim().is_empty() {
                return None;
            }
            let peer = match pairs.is_empty() {
                true => format!(
                    "{indent}    - ipBlock:\n{indent}        cidr: {}/{length}\n",
                    attempt.client
                ),
                false => {
                    let mut out =
                        format!("{indent}    - podSelector:\n{indent}        matchLabels:\n");
                    for (key, value) in &pairs {
                        out.push_str(&format!("{indent}          {key}: \"{value}\"\n"));
                    }
                    out
                }
            };
            let rule = format!(
                "{indent}- from:\n{peer}{indent}  ports:\n{indent}    - protocol: TCP\n{indent}      port: {port}\n"
            );
            (start, rule)
        }
        Kind::PoliciesJson if pairs.is_empty() => {
            let rule = format!(
                "{{\"from\": [{{\"ipBlock\": {{\"cidr\": \"{}/{length}\"}}}}], \"ports\": [{{\"protocol\": \"TCP\", \"port\": {port}}}]}}, ",
                attempt.client
            );
            (first.at.start, rule)
        }
        _ => return None,
    };
    Some(TextEdit {
        sheet: 0,
        at: at..at,
        text: new,
        command: None,
        own: None,
    })
}

/// This client in the world's place, in the first rule that lets everybody in.
pub(super) fn narrow(
    kind: Kind,
    sheet: &Sheet,
    policies: &Policies,
    attempt: &Attempt,
) -> Option<TextEdit> {
    let text = sheet.text.string.as_str();
    let length = if attempt.client.is_ipv6() { 128 } else { 32 };
    let client = format!("{}/{length}", attempt.client);
    let rules = policies
        .policies
        .iter()
        .flat_map(|p| p.ingress.iter().flatten());
    let edit = |at: std::ops::Range<usize>, text: String| TextEdit {
        sheet: 0,
        at,
        text,
        command: None,
        own: None,
    };
    for rule in rules {
        let world = rule.peers.iter().find(|peer| {
            let (block, except) = match &peer.block {
                Some((block, except)) => (block, except),
                None => return false,
            };
            block.is_all() && except.is_empty() && block.v6 == attempt.client.is_ipv6()
        });
        if let Some(peer) = world {
            let written = text.get(peer.at.clone())?;
            let range = ["0.0.0.0/0", "::/0"]
                .iter()
                .find_map(|w| Some((written.find(w)?, w.len())));
            let (from, length) = range?;
            let at = peer.at.start + from;
            return Some(edit(at..at + length, client));
        }
        if rule.peers.is_empty() && !rule.ports.is_empty() {
            let start = text.get(..rule.at.start)?.rfind('\n').map_or(0, |n| n + 1);
            let lead = text.get(start..rule.at.start)?;
            let new = match kind {
                Kind::PoliciesYaml => {
                    // Keys of the rule stand under its first one.
                    let indent = " ".repeat(lead.chars().count());
                    if !lead.trim_end().ends_with('-') || lead.contains('\t') {
                        return None;
                    }
                    format!("from:\n{indent}  - ipBlock:\n{indent}      cidr: {client}\n{indent}")
                }
                _ => {
                    let open = text.get(rule.at.start..)?.find('{')? + 1;
                    let rule_at = rule.at.start + open;
                    let from = format!("\"from\": [{{\"ipBlock\": {{\"cidr\": \"{client}\"}}}}], ");
                    return Some(edit(rule_at..rule_at, from));
                }
            };
            return Some(edit(rule.at.start..rule.at.start, new));
        }
    }
    None
}

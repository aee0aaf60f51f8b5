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

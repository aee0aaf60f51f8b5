//! Whether a client tries the same address again in another way: in clear after an
//! encrypted line, or encrypted after a clear one.

use chronaxis_engines::{SecondAttempt, by_id};
use chronaxis_model::certificate::TlsMode;
use chronaxis_model::fact::{Awaited, Fact, HandshakeTrouble, Meaning};

use super::path::PathView;

/// Whether the target's client makes a second line here, after this first one.
pub fn falls_back(view: &PathView<'_>) -> bool {
    let target = view.evidence.target;
    let by = by_id(target.engine)
        .strings
        .client_policy(target)
        .second_attempt;
    let secured = view
        .find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()))
        .is_some();
    let suits = match target.encryption.mode {
        TlsMode::Prefer => true,
        TlsMode::IfRefused => !secured,
        _ => false,
    };
    if !suits || by == SecondAttempt::Never {
        return false;
    }
    view.find(|fact| match fact {
        // What only this program lacks would not stop the client.
        Fact::HandshakeFailed { trouble, .. } => {
            // Where nothing comes back it waits, and makes no second line.
            let waits = *trouble == HandshakeTrouble::Silent;
            let ours = *trouble == HandshakeTrouble::BeyondUs;
            Some(!ours && !waits && by == SecondAttempt::AfterAnything)
        }
        Fact::ServerRefused {
            awaited, meaning, ..
        } => {
            let early = matches!(
                awaited,
                Awaited::Greeting | Awaited::Challenge | Awaited::Admission
            );
            let account = matches!(
                meaning,
                Meaning::HostNotPermitted | Meaning::IdentityRefused
            );
            let goes = match by {
                SecondAttempt::AfterAnything => true,
                SecondAttempt::AfterIdentity => account || *meaning == Meaning::CredentialsRefused,
                SecondAttempt::AfterAccount => account,
                SecondAttempt::Never => false,
            };
            let in_turn = secured || target.encryption.mode == TlsMode::IfRefused;
            Some(early && in_turn && goes)
        }
        _ => None,
    })
    .unwrap_or(false)
}

//! Whether a client tries the same address again in another way: in clear after an
//! encrypted line, or encrypted after a clear one.

use super::path::PathView;
use crate::certificate::Wish;
use crate::fact::{Awaited, Fact, HandshakeTrouble, Meaning};
use crate::target::ClientId;

/// What a client goes by.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Goes {
    /// Any refusal before it is let in, and a handshake that fails.
    ByAnything,
    /// A refusal of the account, of its password or of its host.
    ByIdentity,
    /// The same, but for the password.
    ByAccount,
    /// Nothing.
    Never,
}

/// Measured with libpq 15, pgjdbc 42.5 and asyncpg 0.32 (`docs/tls.md`).
fn goes(client: ClientId) -> Goes {
    match client {
        ClientId::Libpq => Goes::ByAnything,
        ClientId::Asyncpg => Goes::ByIdentity,
        ClientId::Pgjdbc => Goes::ByAccount,
        _ => Goes::Never,
    }
}

/// Whether the target's client makes a second line here, after this first one.
pub fn falls_back(view: &PathView<'_>) -> bool {
    let target = view.evidence.target;
    let by = goes(target.client);
    let secured = view
        .find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()))
        .is_some();
    let suits = match target.encryption.wish {
        Wish::Prefer => true,
        Wish::IfRefused => !secured,
        _ => false,
    };
    if !suits || by == Goes::Never {
        return false;
    }
    view.find(|fact| match fact {
        // What only this program lacks would not stop the client.
        Fact::HandshakeFailed { trouble, .. } => {
            // Where nothing comes back it waits, and makes no second line.
            let waits = *trouble == HandshakeTrouble::Silent;
            let ours = *trouble == HandshakeTrouble::BeyondUs;
            Some(!ours && !waits && by == Goes::ByAnything)
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
                Goes::ByAnything => true,
                Goes::ByIdentity => account || *meaning == Meaning::CredentialsRefused,
                Goes::ByAccount => account,
                Goes::Never => false,
            };
            let in_turn = secured || target.encryption.wish == Wish::IfRefused;
            Some(early && in_turn && goes)
        }
        _ => None,
    })
    .unwrap_or(false)
}

//! What the target's client does when one way failed, by its policy.

use chronaxis_engines::{ClientPolicy, by_id};
use chronaxis_model::layer::Layer;
use chronaxis_model::target::ShownTarget;

use super::symptom::Symptom;

/// What a client does after a way ended so.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum After {
    /// It gives up, or waits there for as long as the system lets it.
    Stops,
    /// It takes the next address.
    NextAddress,
    /// It takes the next host.
    NextHost,
}

/// What the target's client does beyond one address.
pub fn policy(target: &ShownTarget) -> ClientPolicy {
    by_id(target.engine).strings.client_policy(target)
}

/// What the target's client does after one way ended in this symptom.
pub fn after(target: &ShownTarget, symptom: Symptom) -> After {
    let policy = policy(target);
    let next = |goes_on: bool| {
        if goes_on {
            After::NextAddress
        } else {
            After::Stops
        }
    };
    match symptom {
        Symptom::PortSilent | Symptom::PortSocketSilent | Symptom::PortSlow => {
            next(policy.leaves_silence())
        }
        s if s.layer() <= Layer::Port => After::NextAddress,
        Symptom::SessionReadOnly | Symptom::SessionWritable => After::NextHost,
        Symptom::ListenerMute | Symptom::ListenerSlow => next(policy.leaves_muteness()),
        Symptom::LoginMute | Symptom::SessionMute | Symptom::LoginSlow => {
            next(policy.leaves_sign_in())
        }
        _ if policy.refusal_leads_on => After::NextHost,
        Symptom::ListenerNotReady => After::NextAddress,
        Symptom::ListenerClosed | Symptom::ListenerOther => next(policy.odd_answer_leads_on),
        _ => After::Stops,
    }
}

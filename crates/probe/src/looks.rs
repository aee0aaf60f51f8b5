//! Looks at this machine itself: each reads a table, a file or a counter, and sends nothing.

use std::sync::Arc;
use std::time::Duration;

use chronaxis_model::fact::{Fact, Subject};
use chronaxis_model::layer::Layer;
use chronaxis_model::order::LocalLook;
use chronaxis_model::redact::Redactor;

use crate::here::Here;
use crate::pool::Pool;
use crate::{listeners, name_sources, next_hop, own, queue};

/// For how long the packets are counted that the system could not send: the first of a
/// connection is sent again after one second (RFC 6298, section 2).
const COUNTED_FOR: Duration = Duration::from_millis(1150);

/// What was seen, what it is about, and to which layer it belongs.
pub(crate) type Seen = (Subject, Layer, Fact);

fn seen(layer: Layer, fact: Option<Fact>) -> Vec<Seen> {
    let about = Subject::default();
    fact.map(|fact| (about, layer, fact)).into_iter().collect()
}

/// Looks, away from the thread of the lines wherever the look may take long.
pub(crate) async fn look(
    what: LocalLook,
    redactor: Redactor,
    here: Arc<Here>,
    pool: Arc<Pool>,
) -> Vec<Seen> {
    match what {
        LocalLook::Firewall {
            to,
            from,
            interface,
        } => {
            let fact = own::filter((to, from), interface, redactor).await;
            seen(Layer::Route, fact)
        }
        LocalLook::SendFailures { .. } => {
            let before = read(&pool, own::send_failures).await.flatten();
            tokio::time::sleep(COUNTED_FOR).await;
            let after = read(&pool, own::send_failures).await.flatten();
            let counted = before.zip(after).map(|(before, after)| {
                let counted = after.saturating_sub(before);
                Fact::OwnSendFailures { counted }
            });
            seen(Layer::Route, counted)
        }
        // A table that was just read takes no time to look at.
        LocalLook::Queue { to } if here.knows_sockets() => seen(Layer::Port, queue::of(&here, to)),
        LocalLook::Connections { to } if here.knows_sockets() && here.knows_processes() => {
            seen(Layer::Port, own::connections(&here, to, &redactor))
        }
        what => {
            let work = move || at_once(what, &redactor, &here);
            read(&pool, work).await.unwrap_or_default()
        }
    }
}

/// A read on one of the threads for it. Where this machine gives none it is not made: what it
/// would tell stays unknown.
async fn read<T: Send + 'static>(
    pool: &Pool,
    work: impl FnOnce() -> T + Send + 'static,
) -> Option<T> {
    pool.run(work).await.ok().flatten()
}

fn at_once(what: LocalLook, redactor: &Redactor, here: &Here) -> Vec<Seen> {
    match what {
        LocalLook::NameSources { names } => name_sources::of(here, &names)
            .into_iter()
            .map(|(about, fact)| (about, Layer::Name, fact))
            .collect(),
        LocalLook::NextHop { to } => seen(Layer::Route, next_hop::to(here, to.ip())),
        LocalLook::Connections { to } => seen(Layer::Port, own::connections(here, to, redactor)),
        LocalLook::Listeners { port, engine } => {
            let all = listeners::bearing_on(here, port, engine, redactor);
            all.into_iter()
                .map(|fact| (Subject::default(), Layer::Port, fact))
                .collect()
        }
        LocalLook::Queue { to } => seen(Layer::Port, queue::of(here, to)),
        LocalLook::Firewall { .. } | LocalLook::SendFailures { .. } => Vec::new(),
    }
}

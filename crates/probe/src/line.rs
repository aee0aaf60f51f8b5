//! A line: what carries it, and the conversation over it.

use chronaxis_model::conversation::Input;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::Ended;
use chronaxis_tls::{EncryptedConversation, Step};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::time::timeout_at;

use crate::carrier::Carrier;
use crate::clock::Clock;
use crate::workers;

/// How long a line may take to leave politely: one round trip, where the protocol wants
/// that.
const LAST_WORD: Micros = Micros::from_millis(1600);

/// What carries it, and the conversation with its encryption.
pub(crate) struct Line {
    pub(crate) carrier: Box<dyn Carrier>,
    pub(crate) conversation: EncryptedConversation,
}

impl Line {
    /// Hands in what happened, and carries the conversation on until it rests or is over,
    /// at `until` at the latest.
    pub(crate) async fn carry_on(
        &mut self,
        first: Input<'_>,
        clock: Clock,
        until: Micros,
        observe: &mut (dyn FnMut(Layer, Fact) + Send),
    ) -> Ended {
        self.conversation.handle(clock.now(), first);
        let mut give_up = until;
        let mut buffer = [0u8; 4096];
        loop {
            while let Some(step) = self.conversation.poll() {
                match step {
                    Step::Send(bytes) => {
                        tracing::trace!(bytes = bytes.len(), "send");
                        // A failed write says less than what can still be read.
                        let _ = timeout_at(clock.instant(give_up), self.carrier.write_all(&bytes))
                            .await;
                    }
                    Step::Observe(layer, fact) => observe(layer, fact),
                    Step::Await(span) => give_up = clock.now().after(span).min(until),
                    Step::Derive(work) => {
                        let derived = timeout_at(clock.instant(until), workers::run(work)).await;
                        let derived = derived.ok().flatten();
                        self.conversation
                            .handle(clock.now(), Input::Derived(derived.as_ref()));
                    }
                    Step::Rest(layer) => return Ended::Resting(layer),
                    Step::Over => return Ended::Done,
                }
            }
            let read = timeout_at(clock.instant(give_up), self.carrier.read(&mut buffer)).await;
            let input = match &read {
                Err(_) => Input::TimedOut,
                Ok(Ok(0)) => Input::Closed { reset: false },
                Ok(Ok(n)) => Input::Bytes(buffer.get(..*n).unwrap_or_default()),
                Ok(Err(_)) => Input::Closed { reset: true },
            };
            self.conversation.handle(clock.now(), input);
        }
    }

    /// Leaves in the protocol's politest way.
    pub(crate) async fn leave(mut self, clock: Clock) {
        let soon = clock.now().after(LAST_WORD);
        let _ = self
            .carry_on(Input::Leave, clock, soon, &mut |_, _| {})
            .await;
    }
}

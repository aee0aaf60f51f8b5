//! Whether a server encrypts, asked beside the client's own line: where host rules refuse
//! a plain line, the rule may be for encrypted ones only. No secret is spent on it.

use super::{Running, Walk};
use crate::endpoint::Endpoint;
use crate::fact::Fact;
use crate::layer::{Layer, Micros};
use crate::order::{Ended, LineId, Order, Probe, ProbeId};

impl Walk {
    /// Asks, unless the client's own line has told it already.
    pub(super) fn begin_offer(&mut self, now: Micros, server: &Endpoint) {
        let told = |fact: &Fact| matches!(fact, Fact::EncryptionAnswered { .. });
        let known = self.log.iter().filter_map(|o| o.fact()).any(told);
        if known || server.ip().is_none() {
            return;
        }
        let (line, what) = self.opening_with(server, true);
        self.touched.lines.push(server.clone());
        let until = now.after(self.scope.patience_us);
        let running = Running::OfferLine(line, server.clone());
        self.start(now, until, server.subject(), running, what);
    }

    /// The line is there, or not; it goes on to the answer and no further.
    pub(super) fn offer_line_ended(
        &mut self,
        now: Micros,
        line: LineId,
        server: &Endpoint,
        how: &Ended,
    ) {
        if matches!(how, Ended::Resting(_)) {
            let what = Probe::Advance {
                line,
                stop: Layer::Listener,
                permit: None,
                withheld: None,
            };
            let running = Running::Offer(line);
            let until = self.deadline;
            self.start(now, until, server.subject(), running, what);
        }
    }

    /// The answer came; the line is left.
    pub(super) fn offer_ended(&mut self, line: LineId, how: &Ended) {
        if matches!(how, Ended::Resting(_)) {
            self.orders.push_back(Order::Close(line));
        }
    }

    /// Of what is seen on that line only the answer counts.
    pub(super) fn offer_observed(&mut self, now: Micros, probe: ProbeId, fact: &Fact) {
        if let (Fact::EncryptionAnswered { offered, .. }, Some(about)) = (fact, self.about(probe)) {
            let fact = Fact::EncryptionOffer { offered: *offered };
            self.note(now, Layer::Tls, about, fact);
        }
    }
}

//! Lines over a channel of another line.

use chronaxis_model::conversation::{Conversation, Input};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{LineId, ProbeId};
use chronaxis_tls::EncryptedConversation;

use super::{Line, ROUND_TRIP, Stage};

impl Stage<'_> {
    /// Opens a line over a channel of another one: what stands before the far end of that
    /// does not stand before this.
    pub(super) fn open_over(
        &mut self,
        probe: ProbeId,
        under: LineId,
        id: LineId,
        to: &Endpoint,
        conversation: Box<dyn Conversation>,
        until: Micros,
    ) {
        let world = self.world;
        let carried = self.lines.contains_key(&under);
        let service = match to {
            Endpoint::Tcp(to) if carried => world.service_at(*to),
            _ => None,
        };
        let Some(service) = service else {
            let fact = Fact::PortRefused {
                elapsed_us: ROUND_TRIP,
                from: None,
                icmp: None,
            };
            return self.tell(probe, (ROUND_TRIP, until), Layer::Port, Some(fact));
        };
        world.counted.line();
        let at = self.now.after(ROUND_TRIP);
        let fact = Fact::PortConnected {
            elapsed_us: ROUND_TRIP,
            from: None,
            retransmits: None,
        };
        self.agenda.observed(at, probe, Layer::Port, fact);
        let line = Line {
            conversation: EncryptedConversation::new(conversation, world.wall),
            server: service.serve(&world.counted),
            under_way: Vec::new(),
            lost: None,
            largest: None,
            unconfirmed: 0,
            used: self.now,
            forgotten: false,
        };
        self.converse(probe, id, line, Input::Opened, at, until);
    }
}

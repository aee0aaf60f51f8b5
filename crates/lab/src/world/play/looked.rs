//! What this machine says of itself.

use chronaxis_model::fact::Fact;
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, LocalLook, ProbeId};

use super::Stage;

impl Stage<'_> {
    /// What this machine says of itself.
    pub(super) fn look_here(&mut self, probe: ProbeId, what: LocalLook, until: Micros) {
        let at_once = (Micros(0), until);
        match what {
            LocalLook::NameSources { names } => self.name_sources(probe, &names, until),
            LocalLook::Firewall { to, .. } => {
                let fact = self.world.own_filter(to);
                self.tell(probe, at_once, Layer::Route, fact);
            }
            LocalLook::SendFailures { to } => {
                let counted = self.world.send_failures(to);
                let fact = Fact::OwnSendFailures { counted };
                self.tell(probe, (Micros(1_150_000), until), Layer::Route, Some(fact));
            }
            LocalLook::NextHop { to } => {
                let fact = self.world.next_device(to.ip());
                self.tell(probe, at_once, Layer::Route, Some(fact));
            }
            LocalLook::Connections { to } => {
                let fact = self.world.connections_open(to);
                self.tell(probe, at_once, Layer::Port, Some(fact));
            }
            LocalLook::Listeners { .. } => {
                for fact in self.world.listeners_here() {
                    self.agenda.observed(self.now, probe, Layer::Port, fact);
                }
                self.agenda.ended(self.now, probe, Ended::Done, None);
            }
            LocalLook::Queue { to } => {
                let fact = self.world.local_listener(to);
                self.tell(probe, at_once, Layer::Port, Some(fact));
            }
        }
    }
}

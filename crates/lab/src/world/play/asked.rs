//! What the simulated world answers to questions about names.

use chronaxis_model::fact::{Fact, Resolvers};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::order::{Ended, Event, ProbeId};

use super::Stage;

impl Stage<'_> {
    pub(super) fn name_sources(&mut self, probe: ProbeId, names: &[String], until: Micros) {
        let world = self.world;
        for name in names {
            let own = (1u32..)
                .zip(&world.hosts_file)
                .find(|(_, (n, _))| n == name);
            if let Some((line, (_, addresses))) = own {
                let fact = Fact::HostsFileSays {
                    addresses: addresses.clone(),
                    line: line + 1,
                };
                self.agenda.add(
                    self.now,
                    probe,
                    Event::Observed {
                        probe,
                        name: Some(name.clone()),
                        layer: Layer::Name,
                        fact,
                    },
                );
            }
        }
        let fact = Fact::ResolversFound(Resolvers {
            resolvers: world.resolver_places(),
            search: world.search.iter().map(|s| (*s).to_owned()).collect(),
            ndots: 1,
        });
        self.tell(probe, (Micros(0), until), Layer::Name, Some(fact));
    }

    pub(super) fn look_up(&mut self, probe: ProbeId, name: &str, until: Micros) {
        self.world.counted.lookup();
        let elapsed_us = self.world.system_takes(name);
        match self.world.system_says(name, elapsed_us) {
            Some(_) if self.now.after(elapsed_us) > until => {
                self.agenda.ended(until, probe, Ended::Unanswered, None);
            }
            Some(fact) => self.tell(probe, (elapsed_us, until), Layer::Name, Some(fact)),
            None => self.agenda.ended(until, probe, Ended::Unanswered, None),
        }
    }
}

//! A scene: one situation at Osmary Ferries, and what must be concluded from it.

use chronaxis_core::engine::{Surroundings, recognise};
use chronaxis_core::judge::Scope;
use chronaxis_core::layer::{Layer, Micros};
use chronaxis_core::target::Target;
use chronaxis_core::verdict::State;

use crate::harbour::Harbour;
use crate::stand_in::{Counts, Service};
use crate::world::World;

/// What must be concluded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Expected {
    /// How it stands.
    pub state: State,
    /// The first cause; none where it works or nothing is in the running.
    pub cause: Option<&'static str>,
    /// How it stopped.
    pub symptom: Option<&'static str>,
}

/// How a scene can be played.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stage {
    /// On loopback ports: the real sockets of this machine.
    Loopback,
    /// In the simulated network only: loopback cannot honestly play it.
    Simulated,
}

/// One situation.
#[derive(Clone, Debug)]
pub struct Scene {
    /// Its name.
    pub id: &'static str,
    /// What is broken in it, in a line.
    pub what: &'static str,
    /// The target as a user has it; `{port}` stands for the port of the stage.
    pub target: String,
    /// The world.
    pub world: World,
    /// Where it can be played.
    pub stage: Stage,
    /// Whether repaired forms of the password may be tried.
    pub repairs: bool,
    /// What must be concluded.
    pub expected: Expected,
    /// What the world may see of the diagnosis, at most and at least.
    pub counts: Counts,
}

/// The nominal port of every scene.
pub const PORT: u16 = 5432;

impl Scene {
    /// The target's text with this port.
    pub fn text(&self, port: u16) -> String {
        self.target.replace("{port}", &port.to_string())
    }

    /// The target that a text of this scene describes, in surroundings of its own.
    ///
    /// # Errors
    /// Passes on why the text is none; a scene's own text always is one.
    pub fn read(&self, port: u16) -> Result<Target, String> {
        let read = recognise(&self.text(port), None, None).map_err(|e| e.to_string())?;
        let around = Surroundings {
            os_user: Some("deckhand".to_owned()),
            socket_folder: "/run/osmary".to_owned(),
            ..Surroundings::default()
        };
        read.engine
            .complete(read.draft, &around)
            .map_err(|e| e.to_string())
    }

    /// What is asked of a diagnosis of this scene. On loopback patience is short: nothing
    /// there takes long but silence.
    pub fn scope(&self) -> Scope {
        let patience_us = match self.stage {
            Stage::Loopback => Micros::from_millis(700),
            Stage::Simulated => Micros::from_millis(4000),
        };
        Scope {
            until: Layer::Session,
            attempts: 3,
            patience_us,
            deadline_us: Micros::from_millis(15_000),
            allow_plaintext: false,
            try_repairs: self.repairs,
        }
    }

    /// Opens the scene's servers on loopback.
    ///
    /// # Errors
    /// Passes on what the system says when it has no port to give.
    pub fn open(&self) -> std::io::Result<Harbour> {
        let loopback = self.world.hosts.iter().find(|h| h.address.is_loopback());
        let mut services: Vec<(u16, Option<Service>)> = loopback
            .into_iter()
            .flat_map(|h| h.ports.iter().map(|(port, s)| (*port, Some(s.clone()))))
            .collect();
        if services.iter().all(|(port, _)| *port != PORT) {
            services.push((PORT, None));
        }
        Harbour::open(&services)
    }
}

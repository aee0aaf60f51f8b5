//! The probes that run at the edge: each has a name of its own, something that it is about,
//! and an end.

use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::Subject;
use chronaxis_model::invariant;
use chronaxis_model::layer::Micros;
use chronaxis_model::order::{LineId, ProbeId};

/// What a probe that runs is, to the walk.
#[derive(Debug)]
pub(super) struct Probing<P> {
    pub(super) id: ProbeId,
    pub(super) until: Micros,
    pub(super) about: Subject,
    pub(super) what_for: P,
}

/// All that run.
#[derive(Debug)]
pub(super) struct Probes<P> {
    running: Vec<Probing<P>>,
    next: u32,
}

impl<P> Default for Probes<P> {
    fn default() -> Probes<P> {
        Probes {
            running: Vec::new(),
            next: 0,
        }
    }
}

impl<P> Probes<P> {
    /// A probe begins.
    pub(super) fn begin(&mut self, until: Micros, about: Subject, what_for: P) -> ProbeId {
        let id = ProbeId(self.next);
        self.next += 1;
        self.running.push(Probing {
            id,
            until,
            about,
            what_for,
        });
        id
    }

    /// The name of the line that the next probe opens.
    pub(super) fn next_line(&self) -> LineId {
        LineId(self.next)
    }

    /// What a probe is about.
    pub(super) fn get(&self, id: ProbeId) -> Option<&Probing<P>> {
        self.running.iter().find(|p| p.id == id)
    }

    /// A probe has ended: it is told of once.
    pub(super) fn end(&mut self, id: ProbeId) -> Option<Probing<P>> {
        let at = self.running.iter().position(|p| p.id == id);
        invariant::holds(at.is_some(), "a probe ends once, and was begun");
        Some(self.running.remove(at?))
    }

    /// All of them, with their names.
    pub(super) fn all(&self) -> impl Iterator<Item = (ProbeId, &P)> {
        self.running.iter().map(|p| (p.id, &p.what_for))
    }

    pub(super) fn any(&self, fits: impl Fn(&P) -> bool) -> bool {
        self.running.iter().any(|p| fits(&p.what_for))
    }

    pub(super) fn is_empty(&self) -> bool {
        self.running.is_empty()
    }

    /// When the first of them must have ended.
    pub(super) fn next_due(&self) -> Option<Micros> {
        self.running.iter().map(|p| p.until).min()
    }

    /// The server at the other end of a probe's line.
    pub(super) fn server_of(&self, id: ProbeId) -> Option<Endpoint> {
        let about = &self.get(id)?.about;
        match (about.address, about.port, &about.socket) {
            (Some(ip), Some(port), _) => Some(Endpoint::Tcp((ip, port).into())),
            (_, _, Some(socket)) => Some(Endpoint::Socket(socket.clone())),
            _ => None,
        }
    }
}

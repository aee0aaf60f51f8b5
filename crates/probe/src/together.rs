//! What the walks of a run share at the edge: their state, a bell for each that waits for
//! another, and how late this thread wakes.

use std::cell::{RefCell, RefMut};
use std::collections::BTreeMap;
use std::rc::Rc;
use std::sync::Arc;
use std::time::Duration;

use chronaxis_model::layer::Micros;
use chronaxis_model::order::Shared;
use tokio::sync::Notify;

use crate::carrier::Carriers;
use crate::here::Here;
use crate::pool::Pool;

/// How often it is looked how late this thread wakes.
const WATCHED_EVERY: Duration = Duration::from_millis(50);

/// A delay that counts: more than the timers of a busy machine differ by.
const LATE: Duration = Duration::from_millis(50);

/// What the walks of a run share, and a bell for each that waits for another.
#[derive(Default)]
pub struct Together<S> {
    shared: RefCell<S>,
    /// What this machine says of itself.
    pub(crate) here: Arc<Here>,
    /// Threads for what takes long to read.
    pub(crate) pool: Arc<Pool>,
    /// Who opens what carries a line, beside this machine's sockets.
    pub(crate) carriers: Option<Arc<dyn Carriers>>,
    bells: RefCell<BTreeMap<usize, Rc<Notify>>>,
}

impl<S: Shared> Together<S> {
    /// Takes what they share.
    pub fn new(shared: S) -> Together<S> {
        Together {
            shared: RefCell::new(shared),
            here: Arc::default(),
            pool: Arc::default(),
            carriers: None,
            bells: RefCell::default(),
        }
    }

    /// Lines are carried by these, where they lead to where a line is to go.
    pub fn carried_by(self, carriers: Arc<dyn Carriers>) -> Together<S> {
        Together {
            carriers: Some(carriers),
            ..self
        }
    }

    /// Changes what they share, while none of them runs.
    pub fn change<T>(&self, with: impl FnOnce(&mut S) -> T) -> T {
        with(&mut self.lend())
    }

    /// Watches how late this thread wakes, for as long as it is polled: a busy machine's
    /// delay must not be taken for a server's. Must run on the thread of the walks.
    pub async fn watch_load(&self) {
        loop {
            let due = tokio::time::Instant::now() + WATCHED_EVERY;
            tokio::time::sleep_until(due).await;
            let late = tokio::time::Instant::now().duration_since(due);
            if late >= LATE {
                let late = Micros(u64::try_from(late.as_micros()).unwrap_or(u64::MAX));
                self.lend().woke_late(late);
            }
        }
    }

    pub(crate) fn lend(&self) -> RefMut<'_, S> {
        self.shared.borrow_mut()
    }

    /// The bell of the walk of this number, new.
    pub(crate) fn bell_of(&self, number: usize) -> Rc<Notify> {
        let bell = Rc::new(Notify::new());
        let mut bells = self.bells.borrow_mut();
        bells.insert(number, bell.clone());
        bell
    }

    /// Wakes the walks whose answers came.
    pub(crate) fn ring(&self) {
        let woken = self.lend().take_woken();
        let bells = self.bells.borrow();
        for bell in woken.iter().filter_map(|who| bells.get(who)) {
            bell.notify_one();
        }
    }

    /// A walk that is over needs no bell.
    pub(crate) fn forget(&self, number: usize) {
        self.bells.borrow_mut().remove(&number);
    }
}

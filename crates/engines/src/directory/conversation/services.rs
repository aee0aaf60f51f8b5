//! What the listener offers.

use chronaxis_model::fact::{
    Fact, InstanceOffered, InstanceState, ServiceOffered, ServicesOffered,
};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::redact::Redactor;

use super::super::message::{Instance, Request, Service};
use super::{ClientHalf, State};

/// Most answers to `list` that are asked for: of a listener that offers more, the rest is
/// left out.
const MOST_PAGES: u32 = 16;

/// Most bytes of a listing, together: a line may bring no more than some hundred thousand.
const MOST_BYTES: usize = 120_000;

/// Most services that are kept.
const MOST_SERVICES: usize = 500;

/// Most instances of one service that are kept.
const MOST_INSTANCES: usize = 16;

/// Why it is asked.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Because {
    /// Nothing else is asked of the listener.
    OfItself,
    /// The service is asked for without an instance: is it the same each time?
    OfTheService,
    /// The service was not opened.
    NotOpened,
}

/// A listing in progress.
pub(super) struct Listing {
    because: Because,
    pages: u32,
    bytes: usize,
    offered: ServicesOffered,
    /// The last name that came, as it came.
    last: Option<String>,
}

impl Listing {
    pub(super) fn begin(because: Because) -> Listing {
        Listing {
            because,
            pages: 0,
            bytes: 0,
            offered: ServicesOffered::default(),
            last: None,
        }
    }

    /// Whether the names go on behind those that came before: else they would come for ever.
    fn goes_on_with(&self, services: &[Service]) -> bool {
        let names = services.iter().map(|s| s.name.as_str());
        self.last
            .as_deref()
            .into_iter()
            .chain(names)
            .is_sorted_by(|a, b| a < b)
    }

    fn take(&mut self, services: Vec<Service>, redactor: &Redactor) {
        self.last = services.last().map(|s| s.name.clone()).or(self.last.take());
        for service in services {
            self.bytes += service.name.len();
            let instances = service.instances.iter();
            self.bytes += instances.map(|i| i.name.len() + 80).sum::<usize>();
            if self.offered.services.len() < MOST_SERVICES {
                self.offered.services.push(shown(&service, redactor));
            }
        }
    }
}

impl ClientHalf {
    pub(super) fn list(&mut self, now: Micros, listing: Listing) {
        let after = listing.last.clone();
        self.send(now, &Request::List { after }, State::Listing(listing));
    }

    /// A page of it came; none where its names are out of order.
    pub(super) fn listed(&mut self, now: Micros, services: Vec<Service>, more: bool) -> Option<()> {
        let State::Listing(listing) = std::mem::replace(&mut self.state, State::Over) else {
            return None;
        };
        let mut listing = listing;
        let goes_on = listing.goes_on_with(&services) && !(more && services.is_empty());
        if !goes_on {
            self.state = State::Listing(listing);
            return None;
        }
        listing.take(services, &self.exchange.redactor);
        listing.pages += 1;
        let room = listing.pages < MOST_PAGES
            && listing.bytes < MOST_BYTES
            && listing.offered.services.len() < MOST_SERVICES;
        if more && room {
            self.list(now, listing);
            return Some(());
        }
        listing.offered.complete = !more && listing.offered.services.len() <= MOST_SERVICES;
        let fact = Fact::ServicesListed(Box::new(listing.offered));
        self.observe(Layer::Listener, fact);
        self.after_listing(now, listing.because);
        Some(())
    }

    /// It is not told.
    pub(super) fn not_listed(&mut self, now: Micros, code: &str, text: &str) {
        let State::Listing(listing) = &self.state else {
            return;
        };
        let because = listing.because;
        if code != "listing-forbidden" && because != Because::NotOpened {
            // The line ends with it: it is about more than the list.
            return self.refused(now, code, text);
        }
        let redactor = &self.exchange.redactor;
        let fact = Fact::ServicesWithheld {
            code: redactor.text(code),
            message: redactor.text(text),
        };
        self.observe(Layer::Listener, fact);
        self.after_listing(now, because);
    }

    fn after_listing(&mut self, now: Micros, because: Because) {
        match because {
            Because::OfTheService => self.open(now),
            Because::OfItself | Because::NotOpened => self.over(),
        }
    }
}

fn shown(service: &Service, redactor: &Redactor) -> ServiceOffered {
    let instance = |one: &Instance| InstanceOffered {
        name: redactor.text(&one.name),
        state: InstanceState::of(&one.state),
        since: one.since.as_deref().map(|since| redactor.text(since)),
        address: one.address.as_deref().map(|place| redactor.text(place)),
    };
    ServiceOffered {
        name: redactor.text(&service.name),
        instances: service
            .instances
            .iter()
            .take(MOST_INSTANCES)
            .map(instance)
            .collect(),
    }
}

//! The first words, and the wish to use a service.

use chronaxis_model::fact::{Fact, Meaning, Redirect};
use chronaxis_model::layer::{Layer, Micros};

use super::super::message::{self, Encryption, Request};
use super::services::{Because, Listing};
use super::{ClientHalf, State};
use crate::protocol::LinePurpose;

impl ClientHalf {
    /// The listener has answered the first word.
    pub(super) fn greeted(
        &mut self,
        now: Micros,
        version: u32,
        server: &str,
        (tls, hides_users): (Encryption, bool),
    ) {
        let elapsed_us = self.exchange.elapsed(now);
        self.observe(Layer::Listener, Fact::SpokeProtocol { elapsed_us });
        self.hides_users = hides_users;
        let server = self.exchange.redactor.text(server);
        self.observe(
            Layer::Listener,
            Fact::ListenerIntroduced {
                server,
                hides_users,
            },
        );
        if version != message::VERSION {
            return self.other_version(now, version);
        }
        let offered = tls != Encryption::Off;
        if self.settings.manner == LinePurpose::AskOffer {
            let demanded = false;
            self.observe(Layer::Tls, Fact::EncryptionAnswered { offered, demanded });
            return self.over();
        }
        if self.settings.ask.is_none() {
            self.observe(Layer::Tls, Fact::EncryptionNotAsked);
            self.observe(Layer::Tls, Fact::EncryptionOffer { offered });
        }
        let alone = self.exchange.stop <= Layer::Tls;
        // Who pins an instance opens it, whatever else is offered.
        match (alone, &self.settings.instance) {
            (true, _) => self.list(now, Listing::begin(Because::OfItself)),
            (false, None) => self.list(now, Listing::begin(Because::OfTheService)),
            (false, Some(_)) => self.open(now),
        }
    }

    fn other_version(&mut self, now: Micros, version: u32) {
        let text = format!(
            "the listener answers in version {version} of the protocol; this client has version {}",
            message::VERSION
        );
        let awaited = self.awaited();
        let message = self.exchange.redactor.text(&text);
        let fact = Fact::ServerRefused {
            code: "version".to_owned(),
            routine: None,
            meaning: Meaning::VersionRefused,
            message,
            awaited,
            elapsed_us: self.exchange.elapsed(now),
        };
        self.observe(Layer::Listener, fact);
        self.over();
    }

    /// Asks for the service.
    pub(super) fn open(&mut self, now: Micros) {
        let open = Request::Open {
            service: self.settings.service.clone().unwrap_or_default(),
            instance: self.settings.instance.clone(),
            user: self.settings.user.clone(),
            role: self.settings.role.clone(),
        };
        self.login_began = now;
        self.send(now, &open, State::Opening);
    }

    /// Sent on to another place.
    pub(super) fn redirected(&mut self, host: &str, port: u16, instance: &str) {
        let redactor = &self.exchange.redactor;
        let redirect = Redirect {
            host: redactor.text(host),
            port,
            instance: redactor.text(instance),
        };
        self.observe(Layer::Listener, Fact::Redirected(redirect));
        self.over();
    }

    /// The listener does not open the service. The line stays: where the service is the
    /// matter, what it does offer is asked.
    pub(super) fn not_opened(&mut self, now: Micros, code: &str, text: &str) {
        let meaning = self.note_refusal(now, code, text);
        let of_services = matches!(meaning, Meaning::ServiceUnknown | Meaning::ServiceNotReady);
        // Without an instance it was asked before.
        match of_services && self.settings.instance.is_some() {
            true => self.list(now, Listing::begin(Because::NotOpened)),
            false => self.over(),
        }
    }
}

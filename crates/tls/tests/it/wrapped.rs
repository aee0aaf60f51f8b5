//! A toy protocol that puts the TLS handshake into packets of its own, and drops back to
//! clear text afterwards: proof that a conversation can have it so.

use std::collections::VecDeque;

use chronaxis_lab::certificates::{self, CertificateKind};
use chronaxis_lab::stand_in::Reaction;
use chronaxis_lab::stand_in::encrypted::{Half, Side};
use chronaxis_model::certificate::{Check, Policy, TlsPolicy, Trusted, Version};
use chronaxis_model::conversation::{Conversation, Input, NotSecured, Output};
use chronaxis_model::fact::{Fact, HandshakeTrouble};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::permit::Permit;
use chronaxis_tls::{EncryptedConversation, Step};

/// Packets of the toy: `T`, a length of two bytes, and that much of the handshake.
fn packets(flight: &[u8]) -> Vec<u8> {
    flight
        .chunks(200)
        .flat_map(|part| {
            let mut out = vec![b'T'];
            out.extend((part.len() as u16).to_be_bytes());
            out.extend_from_slice(part);
            out
        })
        .collect()
}

/// Takes whole packets off the front.
fn unpacked(inbox: &mut Vec<u8>) -> Option<Vec<u8>> {
    let mut out = Vec::new();
    while let Some([kind, high, low]) = inbox.first_chunk::<3>().copied() {
        if kind != b'T' {
            return None;
        }
        let end = 3 + usize::from(u16::from_be_bytes([high, low]));
        let Some(body) = inbox.get(3..end) else { break };
        out.extend_from_slice(body);
        inbox.drain(..end);
    }
    Some(out)
}

/// The client's half: secret words inside, then clear ones.
struct Toy {
    out: VecDeque<Output>,
    inbox: Vec<u8>,
}

impl Toy {
    fn note(&mut self, layer: Layer) {
        let elapsed_us = Micros(1);
        let fact = Fact::LoggedIn { elapsed_us };
        self.out.push_back(Output::Observe(layer, fact));
    }
}

impl Conversation for Toy {
    fn handle(&mut self, _: Micros, input: Input<'_>) {
        match input {
            Input::Opened => {
                let how = TlsPolicy {
                    stopped_late: false,
                    // After the newer version's handshake the server sends tickets, which
                    // such a protocol has no place for.
                    newest: Version::TLS1_2,
                    policy: Policy {
                        check: Check::ChainAndName,
                        trusted: Trusted::These(vec![certificates::authority_der()]),
                        ..Policy::default()
                    },
                    ..TlsPolicy::default()
                };
                let ask = how.ask("quay.osmary.example");
                self.out.push_back(Output::Secure(Box::new(ask)));
            }
            Input::Secured(secured) => {
                assert!(secured.judged.accepts());
                self.out.push_back(Output::Send(b"inside".to_vec()));
                self.out.push_back(Output::Unsecure);
                self.out.push_back(Output::Send(b"outside".to_vec()));
            }
            Input::Bytes(b"heard outside") => {
                self.note(Layer::Session);
                self.out.push_back(Output::Over);
            }
            Input::NotSecured(ended) => {
                assert_eq!(ended.trouble, HandshakeTrouble::Garbled);
                self.note(Layer::Tls);
                self.out.push_back(Output::Over);
            }
            other => panic!("{other:?}"),
        }
    }

    fn poll(&mut self) -> Option<Output> {
        self.out.pop_front()
    }

    fn give_back(&mut self) -> Option<Permit> {
        None
    }

    fn wrap(&mut self, flight: Vec<u8>) -> Vec<u8> {
        packets(&flight)
    }

    fn unwrap(&mut self, bytes: &[u8]) -> Result<Vec<u8>, NotSecured> {
        self.inbox.extend_from_slice(bytes);
        unpacked(&mut self.inbox).ok_or(NotSecured {
            trouble: HandshakeTrouble::Garbled,
            alert: None,
            detail: String::new(),
            judged: None,
            asked_certificate: false,
        })
    }
}

/// The server's half: takes the handshake out of its packets until it has heard what is
/// inside, and the rest in clear.
struct Server {
    half: Half,
    inbox: Vec<u8>,
    heard: Vec<u8>,
}

impl Server {
    fn received(&mut self, bytes: &[u8]) -> Vec<u8> {
        if bytes == b"outside" {
            assert_eq!(self.heard, b"inside");
            return b"heard outside".to_vec();
        }
        // The client's last flight and what is inside come one behind the other.
        self.inbox.extend_from_slice(bytes);
        let wrapped = self.inbox.first() == Some(&b'T');
        let wire = match wrapped {
            true => unpacked(&mut self.inbox).unwrap(),
            false => std::mem::take(&mut self.inbox),
        };
        let mut heard = Vec::new();
        let reactions = self.half.received(&wire, &mut |plain, _| {
            heard.extend_from_slice(plain);
            Vec::new()
        });
        self.heard.extend(heard);
        let sent = reactions.into_iter().filter_map(|r| match r {
            Reaction::Send(bytes) => Some(bytes),
            _ => None,
        });
        packets(&sent.flatten().collect::<Vec<u8>>())
    }
}

/// Plays to the end; gives the layer of the last thing noted.
fn play(answer: impl Fn(&mut Server, &[u8]) -> Vec<u8>) -> Option<Layer> {
    let mut server = Server {
        half: Side::with(CertificateKind::Good).begin(),
        inbox: Vec::new(),
        heard: Vec::new(),
    };
    let toy = Toy {
        out: VecDeque::new(),
        inbox: Vec::new(),
    };
    // Noon of 23 November 2026.
    let mut conversation = EncryptedConversation::new(Box::new(toy), 1_795_435_200);
    conversation.handle(Micros(0), Input::Opened);
    let mut noted = None;
    for _ in 0..100 {
        match conversation.poll() {
            Some(Step::Send(bytes)) => {
                let said = answer(&mut server, &bytes);
                // In small pieces, as a wire may bring them; TLS 1.3's tickets are left.
                if !said.is_empty() && server.heard.is_empty() || said.starts_with(b"heard") {
                    for part in said.chunks(97) {
                        conversation.handle(Micros(0), Input::Bytes(part));
                    }
                }
            }
            Some(Step::Observe(layer, _)) => noted = Some(layer),
            Some(Step::Over) => return noted,
            Some(_) => {}
            None => return noted,
        }
    }
    noted
}

#[test]
fn a_handshake_in_packets_and_back_to_clear() {
    let end = play(Server::received);
    assert_eq!(end, Some(Layer::Session));
}

#[test]
fn what_is_no_packet_ends_it() {
    let end = play(|_, _| b"XXXXXXXX".to_vec());
    assert_eq!(end, Some(Layer::Tls));
}

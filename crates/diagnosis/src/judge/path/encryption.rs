//! What the layer of encryption says of a path.

use chronaxis_model::certificate::{ChainTrouble, Check};
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Beyond, Fact, HandshakeTrouble, OwnCertificate, ShownChain};
use chronaxis_model::layer::{Layer, Micros, Outcome};

use super::PathView;
use crate::judge::judged::LayerJudgement;
use crate::judge::summary::Summary;

impl PathView<'_> {
    pub(super) fn tls(&self) -> LayerJudgement {
        let layer = Layer::Tls;
        self.handshake_failed()
            .or_else(|| self.demanded_by_server())
            .or_else(|| self.secured())
            .or_else(|| self.fell_back_to_clear())
            .or_else(|| self.in_clear())
            .or_else(|| {
                let on_socket = matches!(self.endpoint, Endpoint::Socket(_));
                (on_socket && self.connected().is_some())
                    .then(|| LayerJudgement::new(layer, Outcome::Untested, "not over the network"))
            })
            .map(|judged| self.without_caution_here(judged))
            .unwrap_or_else(|| LayerJudgement::new(layer, Outcome::Untested, ""))
    }

    /// The chain that the server showed on this line.
    pub fn chain(&self) -> Option<&ShownChain> {
        self.find(|fact| match fact {
            Fact::CertificateShown(chain) => Some(chain.as_ref()),
            _ => None,
        })
    }

    fn handshake_failed(&self) -> Option<LayerJudgement> {
        if let Some(suite) = self.older_suite() {
            let text = format!("only this program cannot connect: the server accepts {suite}");
            return Some(judged(Outcome::Untested, text));
        }
        self.find(|fact| match fact {
            Fact::HandshakeFailed {
                trouble,
                alert,
                detail,
                own_certificate,
                elapsed_us,
                ..
            } => {
                let text = match trouble {
                    HandshakeTrouble::Certificate => self.refused_chain(),
                    HandshakeTrouble::Alert => {
                        let alert = alert.as_deref().unwrap_or("an alert");
                        let shown = match own_certificate {
                            OwnCertificate::NotAsked => "",
                            OwnCertificate::AskedNoneThere => "; it asked for a certificate",
                            OwnCertificate::Shown => "; it was shown a certificate",
                        };
                        format!("ended by the server: {alert}{shown}")
                    }
                    HandshakeTrouble::NothingInCommon => {
                        format!("no version or cipher in common ({detail})")
                    }
                    HandshakeTrouble::Garbled => format!("the answer is not TLS: {detail}"),
                    HandshakeTrouble::Closed => "closed by the server in the handshake".to_owned(),
                    HandshakeTrouble::Silent => "silent in the handshake".to_owned(),
                    HandshakeTrouble::BeyondUs => {
                        format!("only this program cannot connect: {detail}")
                    }
                };
                let outcome = match trouble {
                    HandshakeTrouble::BeyondUs => Outcome::Untested,
                    _ => Outcome::Fault,
                };
                Some(judged(outcome, text).taking(*elapsed_us))
            }
            Fact::BeyondUs {
                what: Beyond::Encryption,
                detail,
            } => Some(judged(Outcome::Untested, detail.to_string())),
            Fact::EncryptionAnswered {
                offered: false,
                demanded: true,
            } => Some(judged(
                Outcome::Fault,
                "required by the settings, not offered by the server".to_owned(),
            )),
            _ => None,
        })
    }

    fn refused_chain(&self) -> String {
        let stops = self
            .chain()
            .and_then(|c| c.defects.iter().find(|d| d.stops));
        match stops {
            Some(defect) => format!("certificate refused: {}", defect.text),
            None => "certificate refused".to_owned(),
        }
    }

    fn demanded_by_server(&self) -> Option<LayerJudgement> {
        self.find(|fact| match fact {
            Fact::ServerRefused {
                code,
                meaning: chronaxis_model::fact::Meaning::EncryptionRequired,
                message,
                ..
            } => Some(judged(Outcome::Fault, Summary::server_said(code, message))),
            _ => None,
        })
    }

    fn secured(&self) -> Option<LayerJudgement> {
        let (version, elapsed): (&str, Micros) = self.find(|fact| match fact {
            Fact::LineSecured {
                version,
                elapsed_us,
                ..
            } => Some((version.as_str(), *elapsed_us)),
            _ => None,
        })?;
        let chain = self.chain();
        let defect = chain.and_then(|c| c.defects.first());
        let (outcome, text) = match (self.evidence.target.encryption.check, defect) {
            (Check::Nothing, Some(defect)) if is_grave(defect.trouble) => (
                Outcome::Caution,
                format!("certificate not checked, and {}", defect.text),
            ),
            (Check::Nothing, _) => (Outcome::Caution, "certificate not checked".to_owned()),
            (Check::Chain, _) => (Outcome::Ok, "CA checked, host name not".to_owned()),
            (Check::ChainAndName, _) => {
                let days = chain.map_or(0, |c| c.days_left);
                (
                    Outcome::Ok,
                    format!("certificate checked, {days} days left"),
                )
            }
        };
        Some(judged(outcome, format!("{version}; {text}")).taking(elapsed))
    }

    fn fell_back_to_clear(&self) -> Option<LayerJudgement> {
        if !self.fell_back() {
            return None;
        }
        let why = self.find_on_other_line(|fact| match fact {
            Fact::HandshakeFailed { trouble, .. } => Some(
                match trouble {
                    HandshakeTrouble::Certificate => "the certificate was refused",
                    HandshakeTrouble::Garbled => "the answer was not TLS",
                    HandshakeTrouble::NothingInCommon => "no version or cipher in common",
                    _ => "the handshake failed",
                }
                .to_owned(),
            ),
            Fact::ServerRefused { code, message, .. } => {
                Some(format!("the server refused ({code} {message})"))
            }
            _ => None,
        });
        let why = why.unwrap_or_else(|| "it failed".to_owned());
        let text = format!("tried encrypted first, and {why}; this client continues unencrypted");
        Some(judged(Outcome::Caution, text))
    }

    fn in_clear(&self) -> Option<LayerJudgement> {
        let caution = |text: &str| Some(judged(Outcome::Caution, text.to_owned()));
        self.find(|fact| match fact {
            Fact::EncryptionAnswered { offered: false, .. } => {
                caution("not offered: not encrypted")
            }
            Fact::EncryptionAnswered { offered: true, .. } => {
                Some(judged(Outcome::Ok, "offered".to_owned()))
            }
            Fact::EncryptionNotAsked => caution("this client does not ask for it: not encrypted"),
            _ => None,
        })
    }

    /// A line that never leaves this machine needs no encryption.
    fn without_caution_here(&self, mut judged: LayerJudgement) -> LayerJudgement {
        let here = self
            .endpoint
            .ip()
            .is_none_or(chronaxis_model::reserved_ranges::is_here);
        let secured = self.find(|fact| matches!(fact, Fact::LineSecured { .. }).then_some(()));
        let clear = secured.is_none() && !self.fell_back();
        if here && judged.outcome == Outcome::Caution && clear {
            judged.outcome = Outcome::Untested;
            judged.summary = "not encrypted, but within this machine".into();
        }
        judged
    }
}

fn judged(outcome: Outcome, text: impl Into<Summary>) -> LayerJudgement {
    LayerJudgement::new(Layer::Tls, outcome, text)
}

/// Whether a defect is worth a word where nothing is checked: that nobody vouches for the
/// certificate is what not checking means.
fn is_grave(trouble: ChainTrouble) -> bool {
    matches!(trouble, ChainTrouble::Expired | ChainTrouble::NotYetValid)
}

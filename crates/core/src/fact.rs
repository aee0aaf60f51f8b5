//! Observations: typed, timed, with what they are about; never an opinion.

mod encryption;
mod words;

pub use encryption::{
    HandshakeTrouble, OwnCertificate, ShownCertificate, ShownChain, ShownChainDefect,
};
pub use words::{
    Awaited, Beyond, Icmp, Instance, Knocked, Meaning, NameTrouble, Service, Spoke, Unreach,
};

use std::net::{IpAddr, SocketAddr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

use crate::layer::{Layer, Micros};
use crate::redact::Redacted;
use crate::secret::Repair;
use crate::settings::Defect;

/// One thing that was seen. The tag and the names of the fields are part of the case's
/// format; units stand in the names.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "fact", rename_all = "kebab-case")]
pub enum Fact {
    /// The settings were read: how many values were given, and how many are defaults.
    SettingsRead {
        /// Given by somebody.
        given: usize,
        /// The client's own.
        by_default: usize,
    },
    /// A defect that the text of the settings shows.
    SettingDefect(Defect),
    /// A password file that this client skips, because others can read it.
    PasswordFileSkipped {
        /// Its path.
        file: String,
        /// Its permission bits, in octal.
        mode: String,
    },
    /// A password file that was read.
    PasswordFileRead {
        /// Its path.
        file: String,
        /// The line that fits this connection, from 1; none if no line does.
        line: Option<u32>,
    },

    /// There is no name: the address is given, or a socket file.
    NameNotNeeded,
    /// The system gave these addresses, in this order.
    NameResolved {
        /// The addresses.
        addresses: Vec<IpAddr>,
        /// Time it took.
        elapsed_us: Micros,
    },
    /// The system gave none.
    NameFailed {
        /// The resolver's own code: `EAI_NONAME`, …
        code: String,
        /// What it means.
        trouble: NameTrouble,
        /// Time it took.
        elapsed_us: Micros,
    },
    /// No answer came in time.
    NameSilent {
        /// How long was waited.
        waited_us: Micros,
    },

    /// This machine has a way there.
    RouteFound {
        /// The address from which it would send.
        source: IpAddr,
    },
    /// This machine has none.
    RouteMissing {
        /// The system's error name.
        error: String,
    },

    /// The connection was made.
    PortConnected {
        /// Time it took.
        elapsed_us: Micros,
        /// This side of it; none for a socket file.
        from: Option<SocketAddr>,
        /// How often the first packet had to be sent again, where the system tells.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        retransmits: Option<u32>,
    },
    /// The connection was refused.
    PortRefused {
        /// Time it took.
        elapsed_us: Micros,
        /// This side of it; none for a socket file.
        from: Option<SocketAddr>,
        /// The ICMP message behind it; none for a reset.
        icmp: Option<Icmp>,
    },
    /// Something said that it cannot be reached.
    PortUnreachable {
        /// The system's error name.
        error: String,
        /// Time it took.
        elapsed_us: Micros,
        /// This side of it.
        from: Option<SocketAddr>,
        /// The ICMP message behind it, where one came.
        icmp: Option<Icmp>,
    },
    /// Nothing came back.
    PortSilent {
        /// How long was waited.
        waited_us: Micros,
        /// How many attempts were made in that time.
        attempts: u32,
    },
    /// The socket file is not there.
    SocketMissing {
        /// The system's error name.
        error: String,
    },
    /// The socket file is there and closed to this user.
    SocketNotPermitted {
        /// The system's error name.
        error: String,
    },
    /// This machine could not even try.
    LocalFailure {
        /// The system's error name.
        error: String,
    },
    /// Another port of this host was tried, and this came of it.
    ControlPort {
        /// What came.
        answer: Knocked,
        /// Time it took.
        elapsed_us: Micros,
    },

    /// What this machine's own table of sockets says of the port, where it is a port of
    /// this machine.
    LocalListener {
        /// Whether a socket listens there.
        listening: bool,
        /// How many connections wait in its queue for the program to take them.
        waiting: u32,
    },
    /// What the system counted on a line until it ended or rested.
    LineMeasured {
        /// Its smoothed round trip.
        round_trip_us: Micros,
        /// Packets that had to be sent again, the first one among them.
        retransmits: u32,
        /// Packets of ours that the other side has not confirmed.
        unconfirmed: u32,
    },

    /// The server spoke the protocol.
    SpokeProtocol {
        /// From the request to this answer.
        elapsed_us: Micros,
    },
    /// The server said nothing, or not all of it, for so long.
    PeerSilent {
        /// What was waited for.
        awaited: Awaited,
        /// How long was waited.
        waited_us: Micros,
        /// How many bytes of an answer came.
        bytes: usize,
    },
    /// The server closed the line.
    PeerClosed {
        /// What was waited for.
        awaited: Awaited,
        /// By a reset.
        reset: bool,
        /// From the request to this.
        elapsed_us: Micros,
        /// How many bytes of an answer came.
        bytes: usize,
    },
    /// The answer is not this engine's.
    OtherAnswer {
        /// What was waited for.
        awaited: Awaited,
        /// Its first bytes.
        begins: Redacted,
        /// Whose they are, where that can be told.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        service: Option<Service>,
    },
    /// Asked beside the client's own line, with bytes that hold nothing of the settings:
    /// who answers on this port.
    ServiceAsked {
        /// What was sent, in words.
        with: String,
        /// What came of it.
        spoke: Spoke,
        /// Who it is, where that can be told.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        service: Option<Service>,
    },
    /// Asked beside the client's own line: whether the engine answers on another port of
    /// this host.
    EngineElsewhere {
        /// Whether it does.
        speaks: bool,
    },
    /// The server refused, and said so in its protocol.
    ServerRefused {
        /// The code that the engine uses.
        code: String,
        /// Where in the server it was said, if it tells.
        routine: Option<Redacted>,
        /// What the code and the routine mean.
        meaning: Meaning,
        /// The server's own words.
        message: Redacted,
        /// When in the conversation it came.
        awaited: Awaited,
        /// From the last request to this.
        elapsed_us: Micros,
    },

    /// The server answered the question whether it encrypts.
    EncryptionAnswered {
        /// Whether it does.
        offered: bool,
        /// Whether the client's settings demand it.
        demanded: bool,
    },
    /// Asked beside the client's own line: whether the server encrypts.
    EncryptionOffer {
        /// Whether it does.
        offered: bool,
    },
    /// The client does not ask for encryption.
    EncryptionNotAsked,
    /// The line is encrypted.
    LineSecured {
        /// The version agreed on.
        version: String,
        /// The cipher suite agreed on.
        cipher: Redacted,
        /// Whether the client's own certificate came into it.
        own_certificate: OwnCertificate,
        /// From the request to this.
        elapsed_us: Micros,
    },
    /// The server showed its certificates.
    CertificateShown(Box<ShownChain>),
    /// The handshake failed, or the encryption ended later.
    HandshakeFailed {
        /// How.
        trouble: HandshakeTrouble,
        /// The alert that the server sent.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        alert: Option<String>,
        /// The particular, in a few words.
        detail: Redacted,
        /// Whether the line was encrypted before.
        after: bool,
        /// Whether the client's own certificate came into it.
        own_certificate: OwnCertificate,
        /// From the request to this.
        elapsed_us: Micros,
    },
    /// Answered to a hello of this program's own, which offers what old servers take.
    HelloAnswered {
        /// The version that the server chose; none where it refused.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        version: Option<String>,
        /// The cipher suite that it chose, by its number.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        cipher: Option<String>,
        /// The key of its certificate, where that came in clear.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        key: Option<String>,
        /// The alert that it sent.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        alert: Option<String>,
    },
    /// The server asked for data of the client, and got none.
    ClientDataRefused {
        /// What it asked for.
        asked: Redacted,
    },
    /// The line was given up before the sign-in by an answer that names nobody: this
    /// server counts those that end without any.
    LeftNamingNobody {
        /// Whether the server would have let nobody in.
        let_in: bool,
    },
    /// The line was given up in a way that this server counts against this machine.
    LeftCounted,
    /// No line was made: this server counts those that are given up, and enough were.
    ServerSpared {
        /// How many were, in this run.
        given_up: u32,
    },
    /// This program cannot go on, which says nothing about the server.
    BeyondUs {
        /// What it cannot do.
        what: Beyond,
        /// The particular, in a few words.
        detail: Redacted,
    },

    /// The server asked for a password.
    PasswordAsked {
        /// The method, by its standard name.
        method: String,
    },
    /// The server asked for it in clear, and it was not sent.
    PlaintextWithheld,
    /// The server asked for it in clear, and this client does not send it so unless it is
    /// told to.
    PlaintextRefused,
    /// The methods that the server takes, none of which this client has.
    MethodUnsupported {
        /// As the server names them.
        methods: Redacted,
    },
    /// Something derived from the secret was sent.
    ProofSent,
    /// The secret was not sent: it plainly is a placeholder.
    ProofWithheldPlaceholder,
    /// The secret was not sent: another one was refused for this account in this run.
    ProofWithheldSpent,
    /// Not asked again: the same secret was refused by this server earlier in this run.
    RefusedBefore {
        /// The label of the target that was refused.
        by: String,
    },
    /// A repaired form of the refused secret was tried, as the user had asked.
    RepairTried {
        /// Which form.
        repair: Repair,
        /// Whether the server let it in.
        accepted: bool,
    },
    /// The server could not prove that it knows the password too.
    ServerProofWrong,
    /// The server let the client in.
    LoggedIn {
        /// From the first message of the sign-in to this.
        elapsed_us: Micros,
    },

    /// The session is ready.
    SessionReady,
    /// Who and where the session is, by one round trip.
    Instance(Box<Instance>),
    /// The query for it failed, which does not end the session.
    InstanceUnknown {
        /// The code that the engine uses.
        code: String,
        /// The server's own words.
        message: Redacted,
    },
}

/// What a fact is about.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Subject {
    /// A name that was looked up.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// An address.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub address: Option<IpAddr>,
    /// A port of that address.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub port: Option<u16>,
    /// A socket file.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub socket: Option<String>,
    /// Which attempt on that path, from 1.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub attempt: Option<u32>,
    /// Whether it is about the line to which this client falls back after its first.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub fall_back: bool,
}

/// A fact as the log keeps it: known to this version, or kept as it is for another.
#[derive(Clone, Debug, PartialEq)]
pub enum Recorded {
    /// One of ours, and fields of it that only another version knows.
    Known(Fact, Map<String, Value>),
    /// Written by another version: kept, not understood.
    Unknown(Map<String, Value>),
}

/// One entry of the log.
#[derive(Clone, Debug, PartialEq)]
pub struct Observation {
    /// The layer to which it belongs.
    pub layer: Layer,
    /// When it was made.
    pub at: Micros,
    /// What it is about.
    pub about: Subject,
    /// What was seen.
    pub what: Recorded,
}

impl Observation {
    /// A fact of this version.
    pub fn new(layer: Layer, at: Micros, about: Subject, fact: Fact) -> Observation {
        Observation {
            layer,
            at,
            about,
            what: Recorded::Known(fact, Map::new()),
        }
    }

    /// The fact, if this version knows it.
    pub fn fact(&self) -> Option<&Fact> {
        match &self.what {
            Recorded::Known(fact, _) => Some(fact),
            Recorded::Unknown(_) => None,
        }
    }

    /// The entry as one JSON object: the fact's tag, `about`, `at_us`, the fact's fields.
    pub fn to_json(&self) -> Map<String, Value> {
        let mut out = Map::new();
        let (fields, extra) = match &self.what {
            Recorded::Known(fact, extra) => (fields_of(fact), extra.clone()),
            Recorded::Unknown(map) => (map.clone(), Map::new()),
        };
        if let Some(tag) = fields.get("fact") {
            out.insert("fact".to_owned(), tag.clone());
        }
        let about = serde_json::to_value(&self.about).unwrap_or_default();
        out.insert("about".to_owned(), about);
        out.insert("at_us".to_owned(), self.at.0.into());
        out.extend(fields.into_iter().filter(|(key, _)| key != "fact"));
        out.extend(extra);
        out
    }

    /// Reads an entry. What this version does not know is kept; nothing is refused but
    /// what has no tag at all.
    ///
    /// # Errors
    /// Says what is missing where the entry is no fact of any version.
    pub fn from_json(layer: Layer, mut entry: Map<String, Value>) -> Result<Observation, String> {
        if !entry.get("fact").is_some_and(Value::is_string) {
            return Err(format!(
                "a fact of layer {layer} has no text under \"fact\""
            ));
        }
        let about = entry.remove("about").unwrap_or_default();
        let about = serde_json::from_value(about).unwrap_or_default();
        let at = entry.remove("at_us").and_then(|v| v.as_u64()).unwrap_or(0);
        let what = match serde_json::from_value::<Fact>(Value::Object(entry.clone())) {
            Ok(fact) => {
                let known = fields_of(&fact);
                entry.retain(|key, _| !known.contains_key(key));
                Recorded::Known(fact, entry)
            }
            Err(_) => Recorded::Unknown(entry),
        };
        Ok(Observation {
            layer,
            at: Micros(at),
            about,
            what,
        })
    }
}

fn fields_of(fact: &Fact) -> Map<String, Value> {
    match serde_json::to_value(fact) {
        Ok(Value::Object(map)) => map,
        _ => Map::new(),
    }
}

//! What can be asked, the closed set of answers, and what answers it.

mod asked;

use super::Grade;
use crate::judge::{PathView, Symptom};

/// A question of the inference.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Question {
    /// What the port below did; where it is silent too, what one far away did.
    ControlPort,
    /// Whether the host itself answers, beside its ports.
    HostAnswers,
    /// Whether the address is this machine's own, and whether others could reach it.
    TargetPlace,
    /// Whether another address of the name works.
    OtherAddress,
    /// Who sent the ICMP message.
    RefusalSender,
    /// What the ICMP message says.
    RefusalSays,
    /// The form of the value on which this symptom turns.
    ValueShape,
    /// How fast name service failed.
    NameSpeed,
    /// Whether a proof was accepted before the refusal.
    ProofBefore,
    /// What the server's untranslated words say of the account.
    RoleWords,
    /// What the server's untranslated words say of its state.
    StateWords,
    /// Whether the server offers encryption.
    EncryptionOffer,
    /// Whose port the number looks like.
    PortNumber,
    /// What the port did that was probably meant.
    MendedPort,
    /// What this machine's own table of sockets says of the port.
    OwnQueue,
    /// Whether packets had to be sent again.
    PacketLoss,
    /// Whether the other side confirmed our request, though it did not answer it.
    RequestConfirmed,
    /// Who spoke the refusal: the server names its routine, a pooler does not.
    RefusedBy,
    /// What a pooler's untranslated words say.
    PoolerWords,
    /// Whether the client sent more at the start than user and database.
    SentParameters,
    /// Which repaired form of the refused secret the server let in.
    RepairedSecret,
    /// What is wrong first with the server's certificates.
    CertificateDefect,
    /// Whether a trusted authority is of the house of the issuer that is missing.
    IssuerKin,
    /// Whether the last certificate says where its issuer's is to be had.
    IssuerPlace,
    /// Whether the whole chain is out of its time, or one certificate.
    DateSpread,
    /// Whether this machine's clock shows a plausible time.
    OwnClock,
    /// Of what the server's alert speaks.
    AlertSays,
    /// What an old server's hello is answered with.
    OldHello,
    /// Whether the client's own certificate came into it.
    OwnCertificate,
    /// What the server's untranslated words say of the host's refusal.
    HostWords,
    /// Whether the line on which it failed is encrypted.
    LineEncryption,
    /// Who answers, by its first bytes or by its answer to ours.
    WhoAnswers,
    /// Whether the engine answers on its usual port of that host.
    UsualPort,
    /// What the files round the settings say of the value on which this symptom turns.
    SettingsSay,
    /// How the sources of a name compare, and whether what the other gives connects.
    NameSources,
    /// Whether an alias or a service record leads into the void.
    AliasChain,
    /// Whether names near one that is denied exist.
    NearNames,
    /// What the resolvers say, asked one by one.
    ResolverWord,
    /// Whether a private address leaves towards the public network.
    PrivateWay,
    /// Where packets to the port end, against those to a control port.
    PathEnd,
    /// How far away the refusal is made, against the host.
    RefusalDistance,
    /// Whether this machine itself stops it.
    OwnFilter,
    /// Whether the next device on the way answers at all.
    NextDevice,
    /// Whether the port is passed on to another machine on the way.
    PassedOn,
    /// Whether connections of this machine to the same place stand open.
    OpenConnections,
    /// Whether a line that stalled goes on with small segments.
    SmallSegments,
    /// What this machine's own tables say of the engine's listeners.
    ListensElsewhere,
    /// What tells of a tunnel from this port.
    TunnelSay,
    /// What the same port does when asked on the host itself.
    AtTheHost,
    /// What the same port does when asked from another network.
    OtherVantage,
    /// What the same attempt brings a minute later.
    LaterAgain,
    /// What the same attempt brings with more patience.
    LongerPatience,
    /// What the log of the server, or of the pooler, says.
    ServerLog,
}

/// One answer, with what was seen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Answer {
    /// One of the question's answers.
    pub word: &'static str,
    /// What was seen, in words.
    pub text: String,
}

impl Question {
    /// All of them.
    pub const ALL: &'static [Question] = &[
        Question::ControlPort,
        Question::HostAnswers,
        Question::TargetPlace,
        Question::OtherAddress,
        Question::RefusalSender,
        Question::RefusalSays,
        Question::ValueShape,
        Question::NameSpeed,
        Question::ProofBefore,
        Question::RoleWords,
        Question::StateWords,
        Question::EncryptionOffer,
        Question::PortNumber,
        Question::MendedPort,
        Question::OwnQueue,
        Question::PacketLoss,
        Question::RequestConfirmed,
        Question::RefusedBy,
        Question::PoolerWords,
        Question::SentParameters,
        Question::RepairedSecret,
        Question::CertificateDefect,
        Question::IssuerKin,
        Question::IssuerPlace,
        Question::DateSpread,
        Question::OwnClock,
        Question::AlertSays,
        Question::OldHello,
        Question::OwnCertificate,
        Question::HostWords,
        Question::LineEncryption,
        Question::WhoAnswers,
        Question::UsualPort,
        Question::SettingsSay,
        Question::NameSources,
        Question::AliasChain,
        Question::NearNames,
        Question::ResolverWord,
        Question::PrivateWay,
        Question::PathEnd,
        Question::RefusalDistance,
        Question::OwnFilter,
        Question::NextDevice,
        Question::PassedOn,
        Question::OpenConnections,
        Question::SmallSegments,
        Question::ListensElsewhere,
        Question::TunnelSay,
        Question::AtTheHost,
        Question::OtherVantage,
        Question::LaterAgain,
        Question::LongerPatience,
        Question::ServerLog,
    ];

    /// Its id.
    pub fn as_str(self) -> &'static str {
        match self {
            Question::ControlPort => "control-port",
            Question::HostAnswers => "host-answers",
            Question::TargetPlace => "target-place",
            Question::OtherAddress => "other-address",
            Question::RefusalSender => "refusal-sender",
            Question::RefusalSays => "refusal-says",
            Question::ValueShape => "value-shape",
            Question::NameSpeed => "name-speed",
            Question::ProofBefore => "proof-before",
            Question::RoleWords => "role-words",
            Question::StateWords => "state-words",
            Question::EncryptionOffer => "encryption-offer",
            Question::PortNumber => "port-number",
            Question::MendedPort => "mended-port",
            Question::OwnQueue => "own-queue",
            Question::PacketLoss => "packet-loss",
            Question::RequestConfirmed => "request-confirmed",
            Question::RefusedBy => "refused-by",
            Question::PoolerWords => "pooler-words",
            Question::SentParameters => "sent-parameters",
            Question::RepairedSecret => "repaired-secret",
            Question::CertificateDefect => "certificate-defect",
            Question::IssuerKin => "issuer-kin",
            Question::IssuerPlace => "issuer-place",
            Question::DateSpread => "date-spread",
            Question::OwnClock => "own-clock",
            Question::AlertSays => "alert-says",
            Question::OldHello => "old-hello",
            Question::OwnCertificate => "own-certificate",
            Question::HostWords => "host-words",
            Question::LineEncryption => "line-encryption",
            Question::WhoAnswers => "who-answers",
            Question::UsualPort => "usual-port",
            Question::SettingsSay => "settings-say",
            Question::NameSources => "name-sources",
            Question::AliasChain => "alias-chain",
            Question::NearNames => "near-names",
            Question::ResolverWord => "resolver-word",
            Question::PrivateWay => "private-way",
            Question::PathEnd => "path-end",
            Question::RefusalDistance => "refusal-distance",
            Question::OwnFilter => "own-filter",
            Question::NextDevice => "next-device",
            Question::PassedOn => "passed-on",
            Question::OpenConnections => "open-connections",
            Question::SmallSegments => "small-segments",
            Question::ListensElsewhere => "listens-elsewhere",
            Question::TunnelSay => "tunnel",
            Question::AtTheHost => "at-the-host",
            Question::OtherVantage => "other-vantage",
            Question::LaterAgain => "later-again",
            Question::LongerPatience => "longer-patience",
            Question::ServerLog => "server-log",
        }
    }

    /// The closed set of its answers.
    pub fn answers(self) -> &'static [&'static str] {
        match self {
            Question::ControlPort => &["connected", "refused", "silent", "unreachable", "far-only"],
            Question::HostAnswers => &["answers", "silent"],
            Question::TargetPlace => &["loopback", "own-address", "elsewhere"],
            Question::OtherAddress => &["works", "fails", "only-one", "passed-over"],
            Question::RefusalSender => &["the-host", "a-device", "this-machine"],
            Question::RefusalSays => &["port", "prohibited", "host", "network"],
            Question::ValueShape => &[
                "clean",
                "blank",
                "placeholder",
                "left-out",
                "look-alike",
                "percent",
            ],
            Question::NameSpeed => &["quick", "slow"],
            Question::ProofBefore => &["accepted", "none-asked"],
            Question::RoleWords => &[
                "no-such-role",
                "may-not-sign-in",
                "certificate",
                "own-account",
            ],
            Question::StateWords => &["starting", "stopping"],
            Question::EncryptionOffer => &["offered", "refused"],
            Question::PortNumber => &["usual", "other-engines", "mistyped", "another"],
            Question::MendedPort => &["connected", "refused", "silent"],
            Question::OwnQueue => &["waiting", "empty", "nobody"],
            Question::PacketLoss => &["none", "some"],
            Question::RequestConfirmed => &["confirmed", "unconfirmed"],
            Question::RefusedBy => &["server", "pooler"],
            Question::PoolerWords => &[
                "database",
                "parameter",
                "credentials",
                "limit",
                "backend",
                "waited",
            ],
            Question::SentParameters => &["none", "some"],
            Question::RepairedSecret => &["blanks-off", "decoded", "none"],
            Question::CertificateDefect => &[
                "expired",
                "not-yet-valid",
                "other-name",
                "self-signed",
                "issuer-unknown",
                "issuer-missing",
                "signature-wrong",
                "no-authority",
                "wrong-purpose",
                "unknown-extension",
                "too-weak",
                "unreadable",
            ],
            Question::IssuerKin => &["kin", "stranger"],
            Question::IssuerPlace => &["named", "unsaid"],
            Question::DateSpread => &["one", "all"],
            Question::OwnClock => &["possible", "impossible"],
            Question::AlertSays => &[
                "version",
                "handshake",
                "certificate-required",
                "certificate-refused",
                "name",
                "other",
            ],
            Question::OldHello => &["old-version", "old-cipher", "modern", "refused"],
            Question::OwnCertificate => &["not-asked", "none-there", "shown", "another-name"],
            Question::HostWords => &["no-rule", "certificate"],
            Question::LineEncryption => &["encrypted", "clear", "lets-pass"],
            Question::WhoAnswers => &["another-service", "nobody-known"],
            Question::UsualPort => &["speaks", "does-not"],
            Question::SettingsSay => &[
                "nothing",
                "another-place",
                "inactive",
                "loopback",
                "container-name",
                "backslash",
                "inactive-answers",
            ],
            Question::NameSources => &[
                "nothing",
                "agree",
                "hosts-file-differs",
                "hosts-file-hides",
                "resolvers-differ",
                "resolvers-hide",
                "cache-differs",
                "cache-hides",
                "system-hides",
            ],
            Question::AliasChain => &["whole", "breaks"],
            Question::NearNames => &["none", "exists", "everything"],
            Question::ResolverWord => &["denied", "empty", "failed", "silent", "garbled"],
            Question::PrivateWay => &["public", "own-network", "default-way", "into-public"],
            Question::PathEnd => &["short", "host-end", "both-short", "nowhere"],
            Question::RefusalDistance => &["nearer", "same", "own-machine"],
            Question::OwnFilter => &["nothing", "counted", "blocks"],
            Question::NextDevice => &[
                "device-answers",
                "device-silent",
                "host-answers",
                "host-silent",
            ],
            Question::PassedOn => &["direct", "passed-on"],
            Question::OpenConnections => &["none", "some"],
            Question::SmallSegments => &["answered", "stalls"],
            Question::ListensElsewhere => &[
                "nowhere",
                "another-port",
                "loopback-only",
                "another-address",
                "socket-only",
                "other-instances",
            ],
            Question::TunnelSay => &["nothing", "told", "held", "shadowed"],
            Question::LongerPatience => &["speaks", "same"],
            Question::AtTheHost | Question::OtherVantage => &["connected", "refused", "silent"],
            Question::LaterAgain => &["works", "same", "refused"],
            Question::ServerLog => &[
                "password",
                "role",
                "database",
                "parameter",
                "backend",
                "limit",
                "nothing",
            ],
        }
    }

    /// How dear an answer is: 1 for a command typed here, more for another machine or
    /// another person.
    pub fn cost(self) -> f64 {
        match self {
            Question::AtTheHost | Question::ServerLog => 3.0,
            Question::OtherVantage => 2.0,
            _ => 1.0,
        }
    }

    /// Whether a cause that this question puts out was never more than possible: nothing
    /// spoke of it, and that is not worth a line among what was ruled out.
    pub fn needs_ground(self) -> bool {
        matches!(
            self,
            Question::SettingsSay
                | Question::NameSources
                | Question::AliasChain
                | Question::PrivateWay
                | Question::OwnFilter
                | Question::TunnelSay
        )
    }

    /// How often each of its answers comes under a cause that says nothing on it. Where
    /// nothing else is known, every answer is as likely as the next.
    pub fn usual(self) -> &'static [Grade] {
        use Grade::{Always, Mostly, Often, Rare, Sometimes};
        const ALIKE: [Grade; 12] = [Often; 12];
        const FIRST: [Grade; 4] = [Always, Rare, Rare, Rare];
        let as_many = |row: &'static [Grade]| row.get(..self.answers().len()).unwrap_or(row);
        match self {
            Question::NameSources => &[
                Always, Always, Often, Rare, Often, Rare, Sometimes, Rare, Rare,
            ],
            Question::ControlPort => &[Mostly, Mostly, Mostly, Mostly, Rare],
            Question::AliasChain | Question::TunnelSay => as_many(&FIRST),
            Question::ListensElsewhere => &[
                Always, Sometimes, Sometimes, Sometimes, Sometimes, Sometimes,
            ],
            Question::SettingsSay => &[Often, Often, Often, Often, Often, Often, Rare],
            Question::MendedPort => &[Sometimes, Often, Often],
            Question::TargetPlace => &[Often, Sometimes, Often],
            Question::ResolverWord => &[Always, Often, Often, Often, Rare],
            Question::NearNames => &[Mostly, Sometimes, Often],
            Question::PrivateWay => &[Always, Always, Often, Sometimes],
            Question::OwnFilter => &[Always, Rare, Rare],
            Question::NextDevice => &[Always, Rare, Often, Rare],
            Question::PassedOn => &[Always, Rare],
            Question::OpenConnections => &[Mostly, Often],
            Question::SmallSegments => &[Rare, Always],
            Question::RefusalDistance => &[Often, Often, Rare],
            Question::LineEncryption => &[Always, Always, Rare],
            _ => as_many(&ALIKE),
        }
    }

    /// The chance of an answer under a cause that says nothing on it.
    pub fn usual_chance(self, word: &str) -> f64 {
        let row = self.usual();
        let sum: f64 = row.iter().map(|grade| grade.weight()).sum();
        let own = self.answers().iter().zip(row).find(|(w, _)| **w == word);
        own.map_or(0.0, |(_, grade)| grade.weight() / sum)
    }

    /// The answer that the log holds for this path, if it holds one. A question answers
    /// only where it bears on the symptom; each fact feeds one question.
    pub fn answer(self, view: &PathView<'_>, symptom: Symptom) -> Option<Answer> {
        asked::answer_to(self, view, symptom)
    }
}

//! Observations: typed, timed, with what they are about; never an opinion.

mod encryption;
mod lasting;
mod observation;
mod services;
mod session;
mod told;
mod way;
mod words;

pub use encryption::{
    HandshakeTrouble, OwnCertificate, ShownCertificate, ShownChain, ShownChainDefect,
};
pub use lasting::{FailureMet, IdleEnd, IdleSession, InstanceMet, Repeats, WaitedFor};
pub use observation::{Observation, Recorded, Subject};
pub use services::{
    InstanceOffered, InstanceState, Redirect, RedirectTrouble, ServiceOffered, ServicesOffered,
};
pub use session::{SchemaSeen, Surroundings};
pub use told::{
    LogEntryRead, LogStands, MessageRead, MessageRole, OthersRefused, ServerLogRead, Signal,
};
pub use way::{
    AnswerTrouble, FilterDecision, Held, ListWord, Listening, RecordKind, ResolverAnswer,
    Resolvers, ServicePlace, StepAnswer, Tunnel,
};
pub use words::{
    Awaited, Beyond, HostQuestion, Icmp, Instance, Knocked, Meaning, NameTrouble, Service, Spoke,
    Unreach,
};

use std::net::{IpAddr, SocketAddr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::account::AccountTold;
use crate::layer::Micros;
use crate::redact::Redacted;
use crate::reference::ReferenceCompared;
use crate::secret::Repair;
use crate::settings::Defect;
use crate::token::{Token, TokenDates};

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
    /// The host has letters beyond ASCII; DNS holds such names in another form (RFC 5890,
    /// section 2.3.2.1).
    HostBeyondAscii {
        /// As the settings write it.
        told: String,
        /// The form in which DNS holds it.
        in_dns: String,
        /// Whether this client converts it before it asks; else it asks for the letters as
        /// they stand.
        converted: bool,
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

    /// What the hosts file of this machine says of a name.
    HostsFileSays {
        /// The addresses, in its order.
        addresses: Vec<IpAddr>,
        /// The first line that names it, from 1.
        line: u32,
    },
    /// The name service that this machine is set up to ask, or that the user named.
    ResolversFound(Resolvers),
    /// The system's own look-up had not ended, because a resolver that it asks first is
    /// silent. What the next one says is taken, as the system would after its time-out
    /// (resolv.conf(5), `timeout`).
    SystemStillAsks {
        /// How long was waited.
        waited_us: Micros,
    },
    /// A resolver answered one question of ours.
    ResolverAnswered(Box<ResolverAnswer>),
    /// A resolver did not.
    ResolverSilent {
        /// The whole name that was asked for.
        asked: String,
        /// Which records.
        kind: RecordKind,
        /// How long was waited.
        waited_us: Micros,
    },
    /// A resolver could not be reached.
    ResolverUnreachable {
        /// The whole name that was asked for.
        asked: String,
        /// Which records.
        kind: RecordKind,
        /// The system's error name.
        error: String,
        /// The ICMP message that said so.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        icmp: Option<Icmp>,
    },
    /// What came from a resolver is no answer to the question.
    ResolverGarbled {
        /// The whole name that was asked for.
        asked: String,
        /// Which records.
        kind: RecordKind,
        /// What is wrong with it.
        trouble: AnswerTrouble,
    },
    /// A name near one that does not exist was asked for; or a random one, which shows
    /// whether this name service says of everything that it exists.
    NearNameAsked {
        /// The whole name.
        asked: String,
        /// Whether it is the random one.
        control: bool,
        /// Whether there is such a name.
        exists: bool,
    },

    /// This machine has a way there.
    RouteFound {
        /// The address from which it would send.
        source: IpAddr,
        /// The interface by which it leaves.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        interface: Option<String>,
        /// The next device; none where the address is on a network of this machine.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        gateway: Option<IpAddr>,
        /// The length of the prefix of the route that fits; 0 is the default route.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        prefix: Option<u8>,
    },
    /// This machine has none.
    RouteMissing {
        /// The system's error name.
        error: String,
    },

    /// What a list of rules that was given says of a connection from here to there.
    ListSays {
        /// The list's file.
        list: Redacted,
        /// The client's address for which it was asked.
        client: IpAddr,
        /// What it says.
        word: ListWord,
        /// The line of the rule that decides.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        line: Option<u32>,
        /// That rule; none where no rule fits.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        rule: Option<Redacted>,
        /// Why.
        why: Redacted,
    },
    /// A name that stands in such a list was looked up.
    ListName {
        /// The name.
        name: Redacted,
        /// Its addresses; none where there is no such name.
        addresses: Vec<IpAddr>,
    },
    /// A name in such a list leads elsewhere than it did.
    ListNameMoved {
        /// The list's file.
        list: Redacted,
        /// The line where it stands.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        line: Option<u32>,
        /// What was seen.
        what: Redacted,
    },
    /// What this machine's own filter says of packets to there, where its rules can be read.
    OwnFilter {
        /// What becomes of them.
        decision: FilterDecision,
        /// Whether it is about the answers on their way in.
        #[serde(skip_serializing_if = "std::ops::Not::not", default)]
        answers: bool,
        /// The rule that decides, as the filter writes it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        rule: Option<Redacted>,
    },
    /// What this machine's system counted while an attempt was silent: packets of
    /// connections that it could not send itself.
    OwnSendFailures {
        /// How many.
        counted: u64,
    },
    /// What this machine's own tables say of the next device on the way; of the host itself
    /// where it is on a network of this machine.
    NextDevice {
        /// Which.
        address: IpAddr,
        /// Whether it answers to its link-layer address (RFC 826; RFC 4861, section 7.3).
        #[serde(skip_serializing_if = "Option::is_none", default)]
        answers: Option<bool>,
        /// Whether the link to it is up.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        link_up: Option<bool>,
    },
    /// Connections of this machine to the same address and port that stand open.
    ConnectionsOpen {
        /// How many.
        count: u32,
        /// To which program one belongs, where that may be known.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        program: Option<Redacted>,
        /// Since when that program runs: RFC 3339, UTC.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        since: Option<String>,
    },
    /// A packet that begins a connection was sent to live for so many devices only.
    PathStep {
        /// How many.
        ttl: u8,
        /// For how many devices an answer must still have had to live to be heard; none
        /// where every answer is.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        least: Option<u8>,
        /// What came back.
        answer: StepAnswer,
        /// Who sent that; none where nobody said.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        by: Option<IpAddr>,
        /// Time it took, or how long was waited.
        elapsed_us: Micros,
    },
    /// The steps to the same port of another address of the same network, walked by this
    /// run and ended in the same way, stand for those of this one.
    PathLike {
        /// The other address.
        address: IpAddr,
    },
    /// A line that had stalled was made again with small segments.
    SmallSegments {
        /// The largest segment that it asked for, in bytes.
        segment: u16,
        /// Whether what had stalled then came.
        answered: bool,
    },

    /// An attempt was begun.
    PortTried {
        /// This side of it.
        from: SocketAddr,
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

    /// The host itself was asked whether it is up, beside its ports.
    HostAsked {
        /// By what.
        with: HostQuestion,
        /// How many packets were sent.
        sent: u32,
        /// How many were answered in kind.
        received: u32,
        /// The ICMP message that came instead, where one came.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        icmp: Option<Icmp>,
        /// Time that the first answer took; how long was waited where none came.
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
    /// A program of this machine that listens, and bears on this target.
    ListenerHere(Listening),
    /// A tunnel that this machine's settings or processes tell of, from this port.
    TunnelTold(Tunnel),
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

    /// The listener says what it is.
    ListenerIntroduced {
        /// Its own words.
        server: Redacted,
        /// Whether it lets nobody know which users there are.
        #[serde(skip_serializing_if = "std::ops::Not::not", default)]
        hides_users: bool,
    },
    /// The services that the listener offers.
    ServicesListed(Box<ServicesOffered>),
    /// The listener lists no services.
    ServicesWithheld {
        /// Its code.
        code: Redacted,
        /// Its own words.
        message: Redacted,
    },
    /// The listener sends the client on to the place of an instance.
    Redirected(Redirect),
    /// The client does not go where it was sent.
    RedirectNotFollowed {
        /// Why.
        trouble: RedirectTrouble,
    },

    /// The server answered the question whether it encrypts.
    EncryptionAnswered {
        /// Whether it does.
        offered: bool,
        /// Whether the client's settings demand it.
        demanded: bool,
    },
    /// What became of the client's user over an encrypted line that the client itself does
    /// not make; no secret went out.
    EncryptedTried {
        /// Whether the server's host rules let it pass.
        passed: bool,
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
    /// Nothing says which engine is meant: who answers is asked.
    EngineUntold,
    /// The password is a token, and this is what it says of itself.
    TokenGiven {
        /// What it says.
        token: Token,
        /// How its dates stood when the run began.
        dates: TokenDates,
    },
    /// The settings were held against others that are known to be right.
    ReferenceCompared(Box<ReferenceCompared>),
    /// The log holds so many facts of a kind about one thing that more of them were left
    /// out.
    LeftOut {
        /// How many.
        count: usize,
    },
    /// This program, or its machine, was too busy to look at what came when it came: times
    /// measured meanwhile may be its own delay.
    RanLate {
        /// By how much, all in all, since the target was begun.
        by_us: Micros,
    },
    /// This program cannot go on, which says nothing about the server.
    BeyondUs {
        /// What it cannot do.
        what: Beyond,
        /// The particular, in a few words.
        detail: Redacted,
    },

    /// A text was given in place of a target, and read.
    TextRead {
        /// How many lines it has.
        lines: usize,
        /// The file, where it came from one.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        file: Option<String>,
        /// What was not read of it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        left_out: Option<String>,
    },
    /// A message was recognised in a text that was given.
    MessageRead(Box<MessageRead>),
    /// A log of the server was given, and read.
    ServerLogRead(Box<ServerLogRead>),
    /// What a session with more rights says of the account, from the server's own tables.
    AccountTold(Box<AccountTold>),
    /// A session with more rights was to say something of the account, and did not come about.
    AccountUntold {
        /// As whom it was to be asked.
        asked_as: String,
        /// What became of it, in words.
        why: Redacted,
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
    /// It was tried again and again.
    Repeated(Box<Repeats>),
    /// One session was kept idle.
    KeptIdle(IdleSession),
    /// It was waited for until it worked, or the time was over.
    Waited {
        /// What for, one after the other.
        spells: Vec<WaitedFor>,
    },
    /// The query for it failed, which does not end the session.
    InstanceUnknown {
        /// The code that the engine uses.
        code: String,
        /// The server's own words.
        message: Redacted,
    },
}

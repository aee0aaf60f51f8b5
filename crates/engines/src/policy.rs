//! What an engine's client does with what it was told, in words that no engine owns: how it
//! goes on beyond one address, when it tries again, which server it wants.

use chronaxis_model::layer::Micros;
use chronaxis_model::target::ShownTarget;

/// What a client does with several addresses, and how long it waits on one.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ClientPolicy {
    /// It takes only the first address of a name.
    pub first_address_only: bool,
    /// It puts IPv4 addresses before others.
    pub v4_first: bool,
    /// It takes the hosts in another order each time.
    pub shuffles: bool,
    /// Longest wait for the connection; none: as long as the system tries.
    pub connect_wait: Option<Micros>,
    /// Longest wait for the first answer on a connection.
    pub answer_wait: Option<Micros>,
    /// Longest wait from the first packet to the session.
    pub whole_wait: Option<Micros>,
    /// That time is one for all hosts together: silence uses it up.
    pub one_time_for_all: bool,
    /// After a refusal by a server it takes the next host.
    pub refusal_leads_on: bool,
    /// After a line that was closed, or on which something else spoke, it takes the next
    /// address.
    pub odd_answer_leads_on: bool,
    /// When it tries the same address again in another way: in clear after an encrypted
    /// line, or encrypted after a clear one.
    pub second_attempt: SecondAttempt,
}

impl ClientPolicy {
    /// Whether the client leaves a silent address by itself before the system does.
    pub fn leaves_silence(self) -> bool {
        !self.one_time_for_all && self.connect_wait.or(self.whole_wait).is_some()
    }

    /// Whether it leaves a connection on which nothing is said.
    pub fn leaves_muteness(self) -> bool {
        !self.one_time_for_all && self.answer_wait.or(self.whole_wait).is_some()
    }

    /// Whether it leaves a sign-in that comes to no end.
    pub fn leaves_sign_in(self) -> bool {
        !self.one_time_for_all && self.whole_wait.is_some()
    }
}

/// What makes a client try the same address again in another way.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SecondAttempt {
    /// Any refusal before it is let in, and a handshake that fails.
    AfterAnything,
    /// A refusal of the account, of its password or of its host.
    AfterIdentity,
    /// The same, but for the password.
    AfterAccount,
    /// Nothing.
    #[default]
    Never,
}

/// Which kind of server a session is wanted on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SessionWish {
    /// Any.
    #[default]
    Anything,
    /// One that takes writes.
    Writable,
    /// One that takes none.
    ReadOnly,
    /// One that is no replica.
    Primary,
    /// A replica.
    Standby,
    /// A replica if there is one, else any.
    RatherStandby,
    /// No replica if there is one, else any.
    RatherPrimary,
}

/// How hosts are found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum HostLookup {
    /// Each name has addresses.
    #[default]
    Addresses,
    /// The name has service records, which give hosts and ports (RFC 2782).
    ServiceRecords,
}

/// The files with certificates that settings name.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct TlsFiles<'a> {
    /// The authorities.
    pub authorities: Option<&'a str>,
    /// The client's certificate.
    pub certificate: Option<&'a str>,
    /// The client's private key.
    pub key: Option<&'a str>,
}

/// An option that tells a time in whole seconds; none where it is not set or nought.
pub(crate) fn seconds(target: &ShownTarget, key: &str) -> Option<Micros> {
    milliseconds(target, key).map(|time| Micros(time.0.saturating_mul(1_000)))
}

/// An option that tells a time in milliseconds; none where it is not set or nought.
pub(crate) fn milliseconds(target: &ShownTarget, key: &str) -> Option<Micros> {
    let told = target.options.get(key)?.trim().parse::<u64>().ok()?;
    (told > 0).then(|| Micros(told.saturating_mul(1_000)))
}

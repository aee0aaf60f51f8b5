//! How an attempt stopped: observed, not inferred.

use chronaxis_model::layer::Layer;

macro_rules! symptoms {
    ($($(#[$doc:meta])* $name:ident = $layer:ident / $word:literal,)*) => {
        /// The first layer that failed, and a closed answer of that layer.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
        pub enum Symptom { $($(#[$doc])* $name,)* }

        impl Symptom {
            /// All of them, in the order of the way.
            pub const ALL: &'static [Symptom] = &[$(Symptom::$name,)*];

            /// The layer that failed.
            pub fn layer(self) -> Layer {
                match self { $(Symptom::$name => Layer::$layer,)* }
            }

            /// How it failed there, in the word of the contract.
            pub fn word(self) -> &'static str {
                match self { $(Symptom::$name => $word,)* }
            }
        }
    };
}

symptoms! {
    /// The string cannot be parsed.
    SettingsUnreadable = Settings / "unreadable",
    /// Its scheme is not known.
    SettingsScheme = Settings / "scheme-unknown",
    /// A value is absent.
    SettingsMissing = Settings / "value-missing",
    /// The host is a placeholder.
    SettingsPlaceholder = Settings / "placeholder",
    /// A blank keeps the client from reading it.
    SettingsWhitespace = Settings / "whitespace",
    /// A reserved character splits it in the wrong place.
    SettingsNotEscaped = Settings / "not-escaped",
    /// A library that the driver needs is absent.
    SettingsNoLibrary = Settings / "library-missing",
    /// The client would ask the server for a setting that none has.
    SettingsParameter = Settings / "parameter-unknown",
    /// No driver is found for what the program asks for, and the message does not say what.
    SettingsNoDriver = Settings / "no-driver",
    /// A file of certificates that the client looks for by itself is absent.
    BundleIncomplete = Bundle / "incomplete",
    /// A file of certificates that the settings name is absent.
    BundleElsewhere = Bundle / "path-stale",
    /// A file of certificates cannot be read.
    BundleUnusable = Bundle / "unreadable",
    /// A key is open to others, and this client refuses it.
    BundleOpen = Bundle / "open-to-others",
    /// A key or keystore is locked, and does not open.
    BundleLocked = Bundle / "passphrase-wrong",
    /// The key does not belong to the certificate.
    BundleMismatch = Bundle / "key-mismatch",
    /// The name of the connection leads nowhere.
    BundleAlias = Bundle / "alias-unknown",
    /// No such name.
    NameNotFound = Name / "not-found",
    /// A name without an address.
    NameNoAddress = Name / "no-address",
    /// Name service answers with a failure.
    NameFailing = Name / "failing",
    /// Name service does not answer.
    NameSilent = Name / "silent",
    /// No way to that network.
    RouteNone = Route / "none",
    /// Refused by a reset.
    PortRefused = Port / "refused",
    /// Refused by an ICMP message about the port or a rule.
    PortProhibited = Port / "prohibited",
    /// An ICMP message that the host or its network cannot be reached.
    PortUnreachable = Port / "unreachable",
    /// Nothing came back.
    PortSilent = Port / "silent",
    /// No socket file there.
    PortSocketMissing = Port / "socket-missing",
    /// A socket file closed to this user.
    PortSocketClosed = Port / "socket-not-permitted",
    /// A socket file on which nobody listens.
    PortSocketRefused = Port / "socket-refused",
    /// A socket file whose queue is full.
    PortSocketSilent = Port / "socket-silent",
    /// Connected, after this client had given up.
    PortSlow = Port / "slow",
    /// This machine could not even try.
    PortLocalFailure = Port / "local-failure",
    /// Connected, and no answer.
    ListenerMute = Listener / "mute",
    /// The first answer came after this client had given up.
    ListenerSlow = Listener / "slow",
    /// Connected, and closed before an answer.
    ListenerClosed = Listener / "closed",
    /// Something else answers.
    ListenerOther = Listener / "other-answer",
    /// The server takes nobody now.
    ListenerNotReady = Listener / "not-ready",
    /// The server is going down.
    ListenerStopping = Listener / "stopping",
    /// The server has no place left.
    ListenerFull = Listener / "full",
    /// The server takes nobody from this address.
    ListenerBlocked = Listener / "blocked",
    /// The server has no version of the protocol that this client takes.
    ListenerVersion = Listener / "version",
    /// The listener does not offer the service, or not that instance of it.
    ListenerNoService = Listener / "service-unknown",
    /// The service is offered, and its instance takes no connections now.
    ListenerServiceNotReady = Listener / "service-not-ready",
    /// The listener sends the client on to where it cannot come.
    ListenerRedirect = Listener / "redirect-failed",
    /// The server refuses for a reason of its own.
    ListenerRefused = Listener / "refused",
    /// Refused by a code that says nothing of why.
    ListenerUnexplained = Listener / "unexplained",
    /// The SSH server that a tunnel goes over is not reached.
    ListenerTunnelDown = Listener / "tunnel-down",
    /// The SSH server does not reach what the tunnel leads to.
    ListenerTunnelFarEnd = Listener / "tunnel-far-end",
    /// The SSH server refuses the sign-in, or the forwarding.
    ListenerTunnelRefused = Listener / "tunnel-refused",
    /// The port where a tunnel or a container was to listen is taken.
    ListenerTunnelTaken = Listener / "tunnel-taken",
    /// Encryption demanded, and not offered.
    TlsNotOffered = Tls / "not-offered",
    /// The server insists on encryption.
    TlsRequired = Tls / "required",
    /// This client does not take the server's certificate.
    TlsCertificate = Tls / "certificate-refused",
    /// The server ended the handshake, or the encryption, by an alert.
    TlsAlert = Tls / "alert",
    /// No version or cipher in common.
    TlsNothingInCommon = Tls / "nothing-in-common",
    /// What came is no TLS.
    TlsGarbled = Tls / "garbled",
    /// Closed in the handshake.
    TlsClosed = Tls / "closed",
    /// Silent in the handshake.
    TlsMute = Tls / "mute",
    /// This host is not in the server's rules.
    LoginHostRefused = Login / "host-refused",
    /// The server asks for a password, and there is none.
    LoginNoPassword = Login / "password-asked",
    /// The password is a placeholder, and was not sent.
    LoginPlaceholder = Login / "placeholder",
    /// The proof was refused.
    LoginCredentials = Login / "credentials-refused",
    /// Not let in, for one of several reasons that the server does not tell apart.
    LoginDenied = Login / "denied",
    /// The account is locked.
    LoginLocked = Login / "locked",
    /// The password is past its date.
    LoginExpired = Login / "password-expired",
    /// The server wants the password in clear, and this client does not send it so.
    LoginPlaintext = Login / "plaintext-refused",
    /// The account was refused.
    LoginIdentity = Login / "identity-refused",
    /// The account signs in only with a special role.
    LoginRoleRequired = Login / "role-required",
    /// The account may not take the role that it asks for.
    LoginRoleRefused = Login / "role-refused",
    /// A limit of the account.
    LoginLimit = Login / "limit",
    /// No method in common.
    LoginMethod = Login / "method",
    /// No answer to the sign-in.
    LoginMute = Login / "mute",
    /// Let in, after this client had given up.
    LoginSlow = Login / "slow",
    /// Closed during the sign-in.
    LoginClosed = Login / "closed",
    /// The server could not prove itself.
    LoginUnproven = Login / "server-unproven",
    /// Something else answers in the middle of the sign-in.
    LoginGarbled = Login / "garbled",
    /// Refused for another reason.
    LoginRefused = Login / "refused",
    /// Refused in the sign-in, by a code that says nothing of why.
    LoginUnexplained = Login / "unexplained",
    /// No such database.
    SessionNoDatabase = Session / "database-missing",
    /// The database is not for this user.
    SessionNotPermitted = Session / "database-not-permitted",
    /// The database is switched off.
    SessionDatabaseClosed = Session / "database-closed",
    /// A start-up option is not accepted.
    SessionParameter = Session / "parameter-refused",
    /// No answer in the session.
    SessionMute = Session / "mute",
    /// Closed in the session.
    SessionClosed = Session / "closed",
    /// Something else answers in the session.
    SessionGarbled = Session / "garbled",
    /// Refused for another reason.
    SessionRefused = Session / "refused",
    /// Refused in the session, by a code that says nothing of why.
    SessionUnexplained = Session / "unexplained",
    /// A replica, where a writable one was asked for.
    SessionReadOnly = Session / "read-only",
    /// A writable instance, where a standby or read-only one was asked for.
    SessionWritable = Session / "writable",
    /// Another instance answered than the one that was meant.
    SessionOtherInstance = Session / "other-instance",
    /// The session ended while it was idle.
    SessionIdleCut = Session / "idle-cut",
    /// The schema that the settings name is not there.
    SessionNoSchema = Session / "schema-missing",
    /// It is there, and this account may use nothing in it.
    SessionNoPrivileges = Session / "privileges-missing",
    /// All connections of the program's own pool are in use.
    SessionPoolEmpty = Session / "pool-empty",
    /// The program's own pool gave no connection in time, and does not say why.
    SessionPoolWait = Session / "pool-wait",
}

/// All symptoms, or none, for the schema of the case. Later versions add to them.
pub fn optional_symptom_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
    let all = Symptom::ALL.iter().map(|s| Some(s.to_string()));
    let words: Vec<Option<String>> = all.chain([None]).collect();
    schemars::json_schema!({ "type": ["string", "null"], "enum": words })
}

impl Symptom {
    /// Whether an answer came, after this client had given up.
    pub fn is_late(self) -> bool {
        matches!(
            self,
            Symptom::PortSlow | Symptom::ListenerSlow | Symptom::LoginSlow
        )
    }

    /// The one of this id, `port/silent`.
    pub fn from_id(id: &str) -> Option<Symptom> {
        let (layer, word) = id.split_once('/')?;
        let is = |s: &&Symptom| s.layer().as_str() == layer && s.word() == word;
        Symptom::ALL.iter().find(is).copied()
    }

    /// Whether the other side ended the connection without an answer.
    pub fn is_closed(self) -> bool {
        matches!(
            self,
            Symptom::ListenerClosed
                | Symptom::TlsClosed
                | Symptom::LoginClosed
                | Symptom::SessionClosed
        )
    }
}

impl std::fmt::Display for Symptom {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.layer(), self.word())
    }
}

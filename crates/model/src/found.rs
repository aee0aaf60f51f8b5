//! The ids of everything that can be found: causes of a failure, and warnings about what
//! works. What each means stands in the catalogue of the diagnosis.

/// Makes a closed set of ids: a type inside, kebab-case strings at the edges.
macro_rules! ids {
    ($(#[$doc:meta])* $name:ident { $($variant:ident = $id:literal,)* }) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[allow(missing_docs, reason = "the id says it, the catalogue explains it")]
        pub enum $name { $($variant,)* }

        impl $name {
            /// All of them.
            pub const ALL: &'static [$name] = &[$($name::$variant,)*];

            /// Its id, as options and outputs write it.
            pub const fn as_str(self) -> &'static str {
                match self { $($name::$variant => $id,)* }
            }

            /// The one with this id.
            pub fn from_id(id: &str) -> Option<$name> {
                Some(match id { $($id => $name::$variant,)* _ => return None })
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.pad(self.as_str())
            }
        }
    };
}

ids! {
    /// What stopped an attempt first, in the order of the way.
    CauseId {
        SettingsUnreadable = "settings-unreadable",
        SchemeUnknown = "scheme-unknown",
        SettingMissing = "setting-missing",
        PlaceholderLeftIn = "placeholder-left-in",
        StrayWhitespace = "stray-whitespace",
        CharacterNotEscaped = "character-not-escaped",
        LookAlikeLetter = "look-alike-letter",
        ClientLibraryMissing = "client-library-missing",
        BackslashEaten = "backslash-eaten",
        LoopbackMeansElsewhere = "loopback-means-elsewhere",
        ContainerNameOutside = "container-name-outside",
        SourcesDisagree = "sources-disagree",
        SettingInactive = "setting-inactive",
        SettingsNotReloaded = "settings-not-reloaded",
        PortOfOtherEngine = "port-of-other-engine",
        PortMistyped = "port-mistyped",
        StartupParameterRefused = "startup-parameter-refused",
        BundleIncomplete = "bundle-incomplete",
        BundlePathStale = "bundle-path-stale",
        BundleUnreadable = "bundle-unreadable",
        BundlePermissions = "bundle-permissions",
        BundlePassphraseWrong = "bundle-passphrase-wrong",
        BundleExpired = "bundle-expired",
        BundleKeyMismatch = "bundle-key-mismatch",
        BundleAliasUnknown = "bundle-alias-unknown",
        BundleForOtherServer = "bundle-for-other-server",
        NameDoesNotExist = "name-does-not-exist",
        NameHasNoAddress = "name-has-no-address",
        NameServiceFailing = "name-service-failing",
        NameServiceSilent = "name-service-silent",
        HostsFileOverride = "hosts-file-override",
        PrivateAddressFromOutside = "private-address-from-outside",
        ResolversDisagree = "resolvers-disagree",
        AliasChainBroken = "alias-chain-broken",
        StaleAddress = "stale-address",
        NoRoute = "no-route",
        LocalFirewallBlocks = "local-firewall-blocks",
        AllowListExcludesClient = "allow-list-excludes-client",
        AllowListWrongPort = "allow-list-wrong-port",
        AllowListRuleOff = "allow-list-rule-off",
        ReturnPathBlocked = "return-path-blocked",
        FirewallDrops = "firewall-drops",
        FirewallRejects = "firewall-rejects",
        HostFilterRejects = "host-filter-rejects",
        HostDown = "host-down",
        SomeAddressesDead = "some-addresses-dead",
        LinkLossy = "link-lossy",
        SocketFileMissing = "socket-file-missing",
        SocketNotPermitted = "socket-not-permitted",
        ClientResourceExhausted = "client-resource-exhausted",
        PathMtuHole = "path-mtu-hole",
        NothingListening = "nothing-listening",
        WrongServiceOnPort = "wrong-service-on-port",
        ServerHung = "server-hung",
        ListenerMute = "listener-mute",
        ServerSlowToGreet = "server-slow-to-greet",
        ClosesOnAccept = "closes-on-accept",
        ClientBlockedByServer = "client-blocked-by-server",
        ServerStarting = "server-starting",
        ServerStopping = "server-stopping",
        ServerFull = "server-full",
        PoolerBackendDown = "pooler-backend-down",
        PoolerFull = "pooler-full",
        ListensOnLoopbackOnly = "listens-on-loopback-only",
        ListensOnOtherAddress = "listens-on-other-address",
        ListensOnOtherPort = "listens-on-other-port",
        ProtocolVersionGap = "protocol-version-gap",
        TunnelDown = "tunnel-down",
        TunnelFarEndDead = "tunnel-far-end-dead",
        TunnelRefused = "tunnel-refused",
        TunnelShadowed = "tunnel-shadowed",
        ServiceUnknown = "service-unknown",
        ServiceAmbiguous = "service-ambiguous",
        ServiceNotReady = "service-not-ready",
        RedirectUnreachable = "redirect-unreachable",
        TlsNotOffered = "tls-not-offered",
        TlsRequired = "tls-required",
        CertificateExpired = "certificate-expired",
        CertificateNotYetValid = "certificate-not-yet-valid",
        ClockWrong = "clock-wrong",
        CertificateNameMismatch = "certificate-name-mismatch",
        CertificateIssuerUnknown = "certificate-issuer-unknown",
        CertificateSelfSigned = "certificate-self-signed",
        CertificateChainIncomplete = "certificate-chain-incomplete",
        TlsVersionGap = "tls-version-gap",
        ClientCertificateMissing = "client-certificate-missing",
        ClientCertificateRefused = "client-certificate-refused",
        PasswordMissing = "password-missing",
        PasswordWrong = "password-wrong",
        PasswordNotSet = "password-not-set",
        CredentialsRejected = "credentials-rejected",
        UserUnknown = "user-unknown",
        PasswordHasStrayWhitespace = "password-has-stray-whitespace",
        TokenExpired = "token-expired",
        ClientHostNotPermitted = "client-host-not-permitted",
        LoginMethodUnsupported = "login-method-unsupported",
        LoginNotAllowedForRole = "login-not-allowed-for-role",
        LoginNeedsRole = "login-needs-role",
        PlaintextRefused = "plaintext-refused",
        AccountLocked = "account-locked",
        PasswordExpired = "password-expired",
        AccountLimitReached = "account-limit-reached",
        AccountDefinedElsewhere = "account-defined-elsewhere",
        DatabaseMissing = "database-missing",
        DatabaseNotPermitted = "database-not-permitted",
        DatabaseTakesNoConnections = "database-takes-no-connections",
        SchemaMissing = "schema-missing",
        PrivilegesMissing = "privileges-missing",
        WrongInstance = "wrong-instance",
        ReadOnlyInstance = "read-only-instance",
        IdleCut = "idle-cut",
        IdleCutByServer = "idle-cut-by-server",
        ClientPoolExhausted = "client-pool-exhausted",
        SomethingElse = "something-else",
    }
}

ids! {
    /// What is worth a look beside a verdict, though nothing fails of it.
    Warning {
        TlsNotVerified = "tls-not-verified",
        CertificateExpiresSoon = "certificate-expires-soon",
        OldTlsVersion = "old-tls-version",
        WeakKey = "weak-key",
        TlsOff = "tls-off",
        SecretOnCommandLine = "secret-on-command-line",
        EmptyPassword = "empty-password",
        AddressDeadButSkipped = "address-dead-but-skipped",
        PlaintextWithheld = "plaintext-withheld",
        BeyondUs = "beyond-us",
        SecretReadableByOthers = "secret-readable-by-others",
        PublishedPortTaken = "published-port-taken",
        ParameterUnknown = "parameter-unknown",
        ReadersDiffer = "readers-differ",
        ClientRulesUnknown = "client-rules-unknown",
        AdministratorAccountUsed = "administrator-account-used",
        AdminOnOtherServer = "admin-on-other-server",
        SometimesFailing = "sometimes-failing",
        AllowListOpenToAll = "allow-list-open-to-all",
        RuleDuplicate = "rule-duplicate",
        RangeHostBits = "range-host-bits",
        RangeTooWide = "range-too-wide",
        PeerNameChanged = "peer-name-changed",
        FollowOnError = "follow-on-error",
        HidesTheError = "hides-the-error",
        LogNotRead = "log-not-read",
    }
}

/// What can be found: a cause, or something to look at.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum FindingId {
    /// A cause of a failure.
    Cause(CauseId),
    /// Something to look at.
    Warning(Warning),
}

impl FindingId {
    /// Its id, as outputs write it.
    pub const fn as_str(self) -> &'static str {
        match self {
            FindingId::Cause(id) => id.as_str(),
            FindingId::Warning(id) => id.as_str(),
        }
    }
}

impl FindingId {
    /// The one with this id.
    pub fn from_id(id: &str) -> Option<FindingId> {
        let cause = CauseId::from_id(id).map(FindingId::Cause);
        cause.or_else(|| Warning::from_id(id).map(FindingId::Warning))
    }

    /// The cause, if it is one.
    pub fn cause(self) -> Option<CauseId> {
        match self {
            FindingId::Cause(id) => Some(id),
            FindingId::Warning(_) => None,
        }
    }
}

impl std::fmt::Display for FindingId {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(self.as_str())
    }
}

impl serde::Serialize for FindingId {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(self.as_str())
    }
}

impl<'de> serde::Deserialize<'de> for FindingId {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = <std::borrow::Cow<'de, str>>::deserialize(from)?;
        FindingId::from_id(&text)
            .ok_or_else(|| serde::de::Error::custom("the id of a cause or a warning was expected"))
    }
}

impl From<CauseId> for FindingId {
    fn from(id: CauseId) -> FindingId {
        FindingId::Cause(id)
    }
}

impl From<Warning> for FindingId {
    fn from(id: Warning) -> FindingId {
        FindingId::Warning(id)
    }
}

//! How often each cause shows each symptom, and how often it gives each answer.
//!
//! `shows` compares the causes of one symptom with each other: read it down a symptom.
//! `says` is a row per question: read it along. A cause that says nothing on a question
//! has that question's usual row: every answer as likely as the next. The chances of a
//! row are divided by their sum. *Never* is only for what is logically impossible.

use chronaxis_model::found::CauseId;

use super::Grade;
use super::questions::{Question, Word, answers};
use crate::judge::Symptom;

/// One cause.
#[derive(Debug)]
pub struct Row {
    /// Its id.
    pub cause: CauseId,
    /// The symptoms that it can show.
    pub shows: &'static [(Symptom, Grade)],
    /// Its answers to the questions on which it is not like any other.
    pub says: &'static [(Question, &'static [(Word, Grade)])],
}

/// Makes the table of its rows: a cause, the symptoms that it shows, its answers.
macro_rules! table {
    ($($cause:ident: shows [$($symptom:ident $shown:ident),*]
        $($question:ident { $($answer:ident $given:ident),* })*;)*) => {
        /// The table. The honest rest is not in it: it can show every symptom, rarely, and
        /// has the usual row everywhere.
        pub const TABLE: &[Row] = &[$(Row {
            cause: CauseId::$cause,
            shows: &[$((Symptom::$symptom, Grade::$shown)),*],
            says: &[$((
                Question::$question,
                &[$((answers::$question::$answer.word(), Grade::$given)),*],
            )),*],
        }),*];
    };
}

table! {
    // What the text of the settings shows by itself.
    SettingsUnreadable: shows [SettingsUnreadable Always];
    SchemeUnknown: shows [SettingsScheme Always, SettingsNoDriver Often];
    SettingMissing: shows [LoginDenied Often, SettingsMissing Always, PortSocketMissing Often, PortSocketRefused Sometimes, LoginCredentials Often, LoginIdentity Often, SessionNoDatabase Often]
        ValueShape { Clean Never, Blank Never, BlankElsewhere Never, Placeholder Never, LeftOut Always, LookAlike Never, Percent Never }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    PlaceholderLeftIn: shows [LoginDenied Often, SettingsPlaceholder Always, NameNotFound Often, LoginPlaceholder Always, LoginCredentials Often, LoginIdentity Often, LoginHostRefused Mostly, SessionNoDatabase Often, ListenerNoService Often]
        ValueShape { Clean Rare, Blank Never, BlankElsewhere Never, Placeholder Always, LeftOut Never, LookAlike Never, Percent Rare }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    StrayWhitespace: shows [SettingsWhitespace Always, NameNotFound Often, LoginIdentity Often, LoginCredentials Often, LoginDenied Often, LoginHostRefused Often, SessionNoDatabase Often, ListenerNoService Often]
        ValueShape { Clean Never, Blank Never, BlankElsewhere Always, Placeholder Never, LeftOut Never, LookAlike Never, Percent Never }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    CharacterNotEscaped: shows [LoginDenied Sometimes, SettingsNotEscaped Always, LoginCredentials Sometimes]
        ValueShape { Clean Never, Blank Never, BlankElsewhere Never, Placeholder Never, LeftOut Never, LookAlike Never, Percent Always }
        RepairedSecret { BlanksOff Never, Decoded Always, None Rare }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Always, Exists Always }
        ReferenceSays { Same Never, AnotherPassword Rare, Blanks Rare, Encoding Always };
    LookAlikeLetter: shows [LoginDenied Often, NameNotFound Often, LoginIdentity Often, LoginCredentials Often, LoginHostRefused Often, SessionNoDatabase Often, ListenerNoService Often]
        ValueShape { Clean Never, Blank Never, BlankElsewhere Never, Placeholder Never, LeftOut Never, LookAlike Always, Percent Never }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    ClientLibraryMissing: shows [SettingsNoLibrary Always, SettingsNoDriver Mostly];
    // What the files round the settings say: found there, or there is no ground for it.
    BackslashEaten: shows [NameNotFound Mostly, PortSocketMissing Mostly, LoginCredentials Always, LoginDenied Mostly, LoginIdentity Mostly]
        SettingsSay { Nothing Never, AnotherPlace Never, Inactive Never, Loopback Never, ContainerName Never, Backslash Always, InactiveAnswers Never }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Always, Exists Always };
    LoopbackMeansElsewhere: shows [PortRefused Mostly, PortSilent Mostly, PortSocketMissing Mostly, PortSocketRefused Mostly, ListenerOther Mostly, LoginCredentials Always, LoginDenied Mostly, LoginIdentity Mostly, LoginHostRefused Mostly, SessionNoDatabase Always]
        SettingsSay { Nothing Never, AnotherPlace Never, Inactive Never, Loopback Always, ContainerName Never, Backslash Never, InactiveAnswers Never }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    ContainerNameOutside: shows [NameNotFound Always, PortRefused Mostly, PortSilent Mostly, ListenerOther Mostly]
        SettingsSay { Nothing Never, AnotherPlace Never, Inactive Never, Loopback Never, ContainerName Always, Backslash Never, InactiveAnswers Never }
        ListensElsewhere { Nowhere Mostly, AnotherPort Mostly, LoopbackOnly Sometimes, AnotherAddress Sometimes, SocketOnly Sometimes, OtherInstances Sometimes };
    SourcesDisagree: shows [NameNotFound Mostly, PortRefused Mostly, PortSilent Mostly, PortUnreachable Mostly, PortProhibited Mostly, PortSocketMissing Mostly, PortSocketRefused Mostly, ListenerOther Mostly, ListenerMute Mostly, ListenerClosed Mostly, LoginCredentials Always, LoginDenied Mostly, LoginIdentity Mostly, LoginHostRefused Mostly, SessionNoDatabase Always, ListenerNoService Always]
        SettingsSay { Nothing Never, AnotherPlace Always, Inactive Never, Loopback Never, ContainerName Never, Backslash Never, InactiveAnswers Never }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    SettingInactive: shows [NameNotFound Mostly, PortRefused Mostly, PortSilent Mostly, PortUnreachable Mostly, PortProhibited Mostly, PortSocketMissing Mostly, PortSocketRefused Mostly, ListenerOther Mostly, ListenerMute Mostly, ListenerClosed Mostly, LoginCredentials Always, LoginDenied Mostly, LoginIdentity Mostly, LoginHostRefused Mostly, SessionNoDatabase Always, ListenerNoService Always]
        SettingsSay { Nothing Never, AnotherPlace Never, Inactive Always, Loopback Never, ContainerName Never, Backslash Never, InactiveAnswers Mostly }
        ListensElsewhere { Nowhere Mostly, AnotherPort Mostly, LoopbackOnly Sometimes, AnotherAddress Sometimes, SocketOnly Sometimes, OtherInstances Sometimes }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    PortOfOtherEngine: shows [ListenerOther Mostly, ListenerMute Often, ListenerClosed Often, PortRefused Often, PortSilent Sometimes]
        WhoAnswers { AnotherService Always, NobodyKnown Sometimes }
        PortNumber { Usual Never, OtherEngines Always, Mistyped Never, Another Never }
        MendedPort { Connected Always, Refused Rare, Silent Rare };
    PortMistyped: shows [ListenerOther Often, ListenerMute Sometimes, ListenerClosed Sometimes, PortRefused Mostly, PortSilent Sometimes]
        WhoAnswers { AnotherService Mostly, NobodyKnown Often }
        PortNumber { Usual Never, OtherEngines Never, Mistyped Always, Another Rare }
        MendedPort { Connected Always, Refused Rare, Silent Rare };
    StartupParameterRefused: shows [SettingsParameter Always, SessionParameter Always, ListenerRefused Often]
        SentParameters { None Never, Some Always }
        RefusedBy { Server Rare, Pooler Always }
        PoolerWords { Database Rare, Parameter Always, Credentials Rare, Limit Rare, Backend Rare, Waited Rare }
        ServerLog { Password Rare, Role Rare, Database Rare, Parameter Always, Backend Rare, Limit Rare, Nothing Rare };

    // Files of certificates and keys.
    BundleIncomplete: shows [BundleIncomplete Always];
    BundlePathStale: shows [BundleElsewhere Always];
    BundleUnreadable: shows [BundleUnusable Always];
    BundlePermissions: shows [BundleOpen Always];
    BundlePassphraseWrong: shows [BundleLocked Always];
    BundleKeyMismatch: shows [BundleMismatch Always];
    BundleAliasUnknown: shows [BundleAlias Always];
    BundleExpired: shows [TlsAlert Often, LoginHostRefused Rare, LoginIdentity Rare, TlsCertificate Sometimes]
        BundleSays { Nothing Never, Past Always, Given Never }
        AlertSays { Version Rare, Handshake Sometimes, CertificateRequired Sometimes, CertificateRefused Always, Name Rare, Other Sometimes }
        OwnCertificate { NotAsked Rare, NoneThere Rare, Shown Always, AnotherName Rare };
    BundleForOtherServer: shows [TlsCertificate Often]
        BundleSays { Nothing Never, Past Rare, Given Always }
        CertificateDefect { Expired Never, NotYetValid Never, OtherName Never, SelfSigned Sometimes, IssuerUnknown Always, IssuerMissing Sometimes, SignatureWrong Often, NoAuthority Rare, WrongPurpose Rare, UnknownExtension Rare, TooWeak Rare, Unreadable Rare, IssuerUnclear Mostly };

    // Names.
    NameDoesNotExist: shows [NameNotFound Often]
        ResolverWord { Denied Always, Empty Rare, Failed Rare, Silent Sometimes, Garbled Rare }
        NearNames { None Often, Exists Mostly, Everything Sometimes }
        ValueShape { Clean Always, Blank Rare, BlankElsewhere Rare, Placeholder Rare, LeftOut Rare, LookAlike Rare, Percent Rare };
    NameHasNoAddress: shows [NameNoAddress Mostly, NameNotFound Sometimes]
        ResolverWord { Denied Rare, Empty Always, Failed Rare, Silent Sometimes, Garbled Rare };
    NameServiceFailing: shows [NameFailing Often]
        ResolverWord { Denied Rare, Empty Rare, Failed Always, Silent Rare, Garbled Mostly }
        NameSpeed { Quick Mostly, Slow Sometimes };
    NameServiceSilent: shows [NameSilent Always, NameFailing Often]
        ResolverWord { Denied Rare, Empty Rare, Failed Rare, Silent Always, Garbled Rare }
        NameSpeed { Quick Sometimes, Slow Mostly };

    HostsFileOverride: shows [PortSilent Mostly, PortRefused Mostly, PortUnreachable Mostly, PortProhibited Mostly, ListenerOther Often, ListenerMute Often, ListenerClosed Often, TlsCertificate Sometimes]
        ListensElsewhere { Nowhere Mostly, AnotherPort Sometimes, LoopbackOnly Sometimes, AnotherAddress Often, SocketOnly Rare, OtherInstances Sometimes }
        NameSources { Nothing Never, Agree Never, HostsFileDiffers Mostly, HostsFileHides Always, ResolversDiffer Never, ResolversHide Never, CacheDiffers Never, CacheHides Never, SystemHides Never };
    ResolversDisagree: shows [NameNotFound Mostly, NameNoAddress Mostly, NameFailing Mostly, PortSilent Mostly, PortRefused Mostly, PortUnreachable Mostly, PortProhibited Mostly, ListenerOther Often, ListenerMute Often, ListenerClosed Often, TlsCertificate Sometimes]
        NameSources { Nothing Never, Agree Never, HostsFileDiffers Never, HostsFileHides Never, ResolversDiffer Mostly, ResolversHide Always, CacheDiffers Never, CacheHides Never, SystemHides Often };
    StaleAddress: shows [PortSilent Mostly, PortRefused Mostly, PortUnreachable Mostly, PortProhibited Mostly, ListenerOther Often, ListenerMute Often, ListenerClosed Often, TlsCertificate Sometimes]
        NameSources { Nothing Never, Agree Never, HostsFileDiffers Never, HostsFileHides Never, ResolversDiffer Never, ResolversHide Never, CacheDiffers Mostly, CacheHides Always, SystemHides Never };
    AliasChainBroken: shows [NameNotFound Mostly, NameNoAddress Always, NameFailing Often]
        AliasChain { Whole Never, Breaks Always };
    PrivateAddressFromOutside: shows [PortSilent Mostly, PortUnreachable Mostly, PortProhibited Often]
        PrivateWay { Public Never, OwnNetwork Never, DefaultWay Mostly, IntoPublic Always }
        NextDevice { DeviceAnswers Always, DeviceSilent Never, HostAnswers Never, HostSilent Never }
        HostAnswers { Answers Rare, Silent Always }
        ControlPort { Connected Sometimes, Refused Sometimes, Silent Always, Unreachable Always, FarOnly Rare }
        RefusalSays { Port Rare, Prohibited Sometimes, Host Mostly, Network Mostly }
        RefusalSender { TheHost Never, ADevice Always, ThisMachine Rare }
        PathEnd { Short Rare, HostEnd Rare, BothShort Always, Nowhere Always };

    // The way.
    LocalFirewallBlocks: shows [PortSilent Always, PortRefused Often, PortProhibited Mostly, PortUnreachable Often]
        OwnFilter { Nothing Never, Counted Mostly, Blocks Always };
    AllowListExcludesClient: shows [PortSilent Often]
        AllowList { Covers Rare, Excludes Always, OtherPort Rare, RuleOff Rare, WayBack Rare, HostRules Rare }
        HostAnswers { Answers Sometimes, Silent Always }
        ControlPort { Connected Rare, Refused Rare, Silent Always, Unreachable Sometimes, FarOnly Rare }
        TargetPlace { Loopback Never, OwnAddress Never, Elsewhere Always }
        PathEnd { Short Sometimes, HostEnd Sometimes, BothShort Always, Nowhere Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        OpenConnections { None Always, Some Rare }
        AtTheHost { Connected Always, Refused Rare, Silent Rare }
        OtherVantage { Connected Always, Refused Rare, Silent Sometimes };
    AllowListWrongPort: shows [PortSilent Often, PortRefused Sometimes, PortProhibited Sometimes]
        ListSpeaks { Nothing Never, OtherPort Always, RuleOff Never, WayBack Never }
        AllowList { Covers Rare, Excludes Rare, OtherPort Always, RuleOff Rare, WayBack Rare, HostRules Rare }
        ControlPort { Connected Sometimes, Refused Sometimes, Silent Always, Unreachable Sometimes, FarOnly Sometimes }
        TargetPlace { Loopback Never, OwnAddress Never, Elsewhere Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        OpenConnections { None Always, Some Rare }
        AtTheHost { Connected Always, Refused Rare, Silent Rare }
        OtherVantage { Connected Always, Refused Rare, Silent Sometimes };
    AllowListRuleOff: shows [PortSilent Often, PortRefused Sometimes, PortProhibited Sometimes]
        ListSpeaks { Nothing Never, OtherPort Never, RuleOff Always, WayBack Never }
        AllowList { Covers Rare, Excludes Rare, OtherPort Rare, RuleOff Always, WayBack Rare, HostRules Rare }
        HostAnswers { Answers Sometimes, Silent Always }
        ControlPort { Connected Rare, Refused Rare, Silent Always, Unreachable Sometimes, FarOnly Rare }
        TargetPlace { Loopback Never, OwnAddress Never, Elsewhere Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        OpenConnections { None Always, Some Rare }
        AtTheHost { Connected Always, Refused Rare, Silent Rare }
        OtherVantage { Connected Always, Refused Rare, Silent Sometimes };
    ReturnPathBlocked: shows [PortSilent Often]
        ListSpeaks { Nothing Never, OtherPort Never, RuleOff Never, WayBack Always }
        AllowList { Covers Rare, Excludes Rare, OtherPort Rare, RuleOff Rare, WayBack Always, HostRules Rare }
        HostAnswers { Answers Sometimes, Silent Always }
        ControlPort { Connected Rare, Refused Rare, Silent Always, Unreachable Sometimes, FarOnly Rare }
        TargetPlace { Loopback Never, OwnAddress Never, Elsewhere Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        OpenConnections { None Always, Some Rare }
        AtTheHost { Connected Always, Refused Rare, Silent Rare }
        OtherVantage { Connected Often, Refused Rare, Silent Often };
    NoRoute: shows [RouteNone Always, PortUnreachable Often, PortSilent Sometimes]
        NextDevice { DeviceAnswers Mostly, DeviceSilent Always, HostAnswers Rare, HostSilent Rare }
        HostAnswers { Answers Rare, Silent Always }
        ControlPort { Connected Sometimes, Refused Sometimes, Silent Always, Unreachable Always, FarOnly Rare }
        TargetPlace { Loopback Never, OwnAddress Never, Elsewhere Always }
        RefusalSays { Port Never, Prohibited Never, Host Sometimes, Network Always }
        RefusalSender { TheHost Never, ADevice Mostly, ThisMachine Rare };

    // The port.
    FirewallDrops: shows [TlsMute Often, PortSilent Always, ListenerMute Rare, SessionPoolWait Sometimes]
        OnlyTold { Seen Always, Told Sometimes }
        PathEnd { Short Always, HostEnd Always, BothShort Always, Nowhere Always }
        OpenConnections { None Always, Some Often }
        MendedPort { Connected Sometimes, Refused Often, Silent Often }
        OwnQueue { Waiting Rare, Empty Mostly, Nobody Mostly }
        RequestConfirmed { Confirmed Rare, Unconfirmed Always }
        PacketLoss { None Mostly, Some Rare }
        HostAnswers { Answers Often, Silent Always }
        ControlPort { Connected Mostly, Refused Mostly, Silent Often, Unreachable Sometimes, FarOnly Sometimes }
        TargetPlace { Loopback Rare, OwnAddress Rare, Elsewhere Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        AtTheHost { Connected Always, Refused Rare, Silent Rare }
        OtherVantage { Connected Mostly, Refused Rare, Silent Often };
    FirewallRejects: shows [PortProhibited Often, PortRefused Often, PortUnreachable Sometimes]
        RefusalDistance { Nearer Always, Same Sometimes, OwnMachine Rare }
        UsualPort { Speaks Sometimes, DoesNot Often }
        MendedPort { Connected Sometimes, Refused Often, Silent Often }
        ControlPort { Connected Mostly, Refused Always, Silent Sometimes, Unreachable Always, FarOnly Rare }
        TargetPlace { Loopback Rare, OwnAddress Rare, Elsewhere Always }
        RefusalSender { TheHost Sometimes, ADevice Always, ThisMachine Rare }
        RefusalSays { Port Mostly, Prohibited Mostly, Host Often, Network Sometimes }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        OwnQueue { Waiting Often, Empty Mostly, Nobody Sometimes }
        AtTheHost { Connected Always, Refused Rare, Silent Rare }
        OtherVantage { Connected Mostly, Refused Often, Silent Rare };
    HostFilterRejects: shows [PortProhibited Often, PortRefused Often]
        RefusalDistance { Nearer Rare, Same Always, OwnMachine Rare }
        TargetPlace { Loopback Rare, OwnAddress Rare, Elsewhere Always }
        OwnQueue { Waiting Often, Empty Mostly, Nobody Sometimes }
        UsualPort { Speaks Rare, DoesNot Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        RefusalSender { TheHost Always, ADevice Rare, ThisMachine Rare }
        AtTheHost { Connected Always, Refused Rare, Silent Rare };
    HostDown: shows [PortUnreachable Often, PortSilent Often]
        NextDevice { DeviceAnswers Always, DeviceSilent Rare, HostAnswers Rare, HostSilent Mostly }
        PassedOn { Direct Always, PassedOn Often }
        PathEnd { Short Rare, HostEnd Rare, BothShort Always, Nowhere Always }
        OpenConnections { None Always, Some Sometimes }
        HostAnswers { Answers Rare, Silent Always }
        ControlPort { Connected Never, Refused Sometimes, Silent Always, Unreachable Always, FarOnly Rare }
        TargetPlace { Loopback Never, OwnAddress Never, Elsewhere Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        RefusalSender { TheHost Rare, ADevice Often, ThisMachine Often }
        RefusalSays { Port Never, Prohibited Rare, Host Always, Network Rare }
        AtTheHost { Connected Never, Refused Never, Silent Always }
        OtherVantage { Connected Never, Refused Rare, Silent Always };
    SomeAddressesDead: shows [PortSilent Mostly, PortRefused Often, PortUnreachable Often, PortProhibited Often]
        OtherAddress { Works Always, Fails Never, OnlyOne Never, PassedOver Never }
        HostAnswers { Answers Sometimes, Silent Mostly }
        ControlPort { Connected Often, Refused Often, Silent Always, Unreachable Sometimes, FarOnly Sometimes }
        TargetPlace { Loopback Rare, OwnAddress Rare, Elsewhere Always };
    LinkLossy: shows [TlsMute Sometimes, PortSlow Always, PortSilent Rare, ListenerMute Rare, ListenerSlow Often, LoginSlow Often]
        PacketLoss { None Rare, Some Always }
        RequestConfirmed { Confirmed Often, Unconfirmed Always }
        TargetPlace { Loopback Rare, OwnAddress Rare, Elsewhere Always }
        LaterAgain { Works Mostly, Same Often, Refused Rare };
    PathMtuHole: shows [TlsMute Often, ListenerMute Rare]
        WhoAnswers { AnotherService Rare, NobodyKnown Always }
        SmallSegments { Answered Always, Stalls Rare }
        RequestConfirmed { Confirmed Mostly, Unconfirmed Always }
        TargetPlace { Loopback Rare, OwnAddress Rare, Elsewhere Always };
    SocketFileMissing: shows [PortSocketMissing Often]
        ValueShape { Clean Mostly, Blank Rare, BlankElsewhere Rare, Placeholder Rare, LeftOut Often, LookAlike Rare, Percent Rare };
    SocketNotPermitted: shows [PortSocketClosed Always];
    ClientResourceExhausted: shows [PortLocalFailure Always];

    // What answers.
    NothingListening: shows [PortRefused Often, PortSocketRefused Always, SessionPoolWait Sometimes]
        OnlyTold { Seen Always, Told Mostly }
        RefusalDistance { Nearer Rare, Same Always, OwnMachine Rare }
        ListensElsewhere { Nowhere Always, AnotherPort Sometimes, LoopbackOnly Rare, AnotherAddress Rare, SocketOnly Rare, OtherInstances Often }
        UsualPort { Speaks Rare, DoesNot Always }
        MendedPort { Connected Sometimes, Refused Often, Silent Often }
        ControlPort { Connected Mostly, Refused Always, Silent Mostly, Unreachable Sometimes, FarOnly Rare }
        TargetPlace { Loopback Often, OwnAddress Sometimes, Elsewhere Mostly }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        OwnQueue { Waiting Never, Empty Never, Nobody Always }
        AtTheHost { Connected Rare, Refused Always, Silent Rare }
        OtherVantage { Connected Rare, Refused Always, Silent Rare };
    ListensOnLoopbackOnly: shows [PortRefused Often]
        RefusalDistance { Nearer Rare, Same Always, OwnMachine Rare }
        ListensElsewhere { Nowhere Rare, AnotherPort Rare, LoopbackOnly Always, AnotherAddress Rare, SocketOnly Rare, OtherInstances Rare }
        TargetPlace { Loopback Never, OwnAddress Often, Elsewhere Often }
        OwnQueue { Waiting Never, Empty Never, Nobody Always }
        UsualPort { Speaks Rare, DoesNot Always }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        AtTheHost { Connected Always, Refused Rare, Silent Rare }
        OtherVantage { Connected Rare, Refused Always, Silent Rare };
    ListensOnOtherAddress: shows [PortRefused Sometimes]
        RefusalDistance { Nearer Rare, Same Always, OwnMachine Rare }
        ListensElsewhere { Nowhere Rare, AnotherPort Rare, LoopbackOnly Rare, AnotherAddress Always, SocketOnly Mostly, OtherInstances Rare }
        OwnQueue { Waiting Never, Empty Never, Nobody Always }
        UsualPort { Speaks Rare, DoesNot Always }
        OtherAddress { Works Sometimes, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        AtTheHost { Connected Sometimes, Refused Always, Silent Rare }
        OtherVantage { Connected Rare, Refused Always, Silent Rare };
    ListensOnOtherPort: shows [PortRefused Often]
        RefusalDistance { Nearer Rare, Same Always, OwnMachine Rare }
        ListensElsewhere { Nowhere Rare, AnotherPort Always, LoopbackOnly Rare, AnotherAddress Rare, SocketOnly Rare, OtherInstances Often }
        OwnQueue { Waiting Never, Empty Never, Nobody Always }
        UsualPort { Speaks Always, DoesNot Rare }
        OtherAddress { Works Rare, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        AtTheHost { Connected Rare, Refused Always, Silent Rare }
        OtherVantage { Connected Rare, Refused Always, Silent Rare };
    TunnelDown: shows [PortRefused Mostly, ListenerTunnelDown Always]
        TunnelSay { Nothing Never, Told Always, Held Never, Shadowed Never }
        ListensElsewhere { Nowhere Always, AnotherPort Often, LoopbackOnly Sometimes, AnotherAddress Sometimes, SocketOnly Often, OtherInstances Often };
    TunnelFarEndDead: shows [ListenerTunnelFarEnd Always, ListenerClosed Mostly, ListenerMute Often, TlsClosed Often, TlsMute Sometimes]
        TunnelSay { Nothing Never, Told Never, Held Always, Shadowed Never };
    TunnelRefused: shows [ListenerTunnelRefused Always];
    TunnelShadowed: shows [ListenerTunnelTaken Always, ListenerOther Mostly, LoginCredentials Mostly, LoginDenied Mostly, LoginIdentity Mostly, LoginHostRefused Mostly, SessionNoDatabase Mostly]
        TunnelSay { Nothing Never, Told Never, Held Never, Shadowed Always }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Mostly, MayNotSignIn Rare, Expired Rare, NoPassword Sometimes, Elsewhere Rare, HostExcluded Sometimes, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Mostly, Exists Mostly };
    WrongServiceOnPort: shows [TlsGarbled Often, TlsClosed Sometimes, ListenerOther Mostly, ListenerMute Sometimes, ListenerClosed Often, ListenerRefused Rare, LoginGarbled Often, SessionGarbled Often]
        RefusedBy { Server Rare, Pooler Always }
        OwnQueue { Waiting Rare, Empty Always, Nobody Sometimes }
        RequestConfirmed { Confirmed Always, Unconfirmed Rare }
        UsualPort { Speaks Mostly, DoesNot Often }
        WhoAnswers { AnotherService Always, NobodyKnown Sometimes }
        AtTheHost { Connected Always, Refused Rare, Silent Rare };
    ServerHung: shows [TlsMute Often, PortSocketSilent Always, PortSilent Often, ListenerMute Sometimes, LoginMute Often, SessionMute Often, SessionPoolWait Sometimes]
        PathEnd { Short Rare, HostEnd Always, BothShort Rare, Nowhere Sometimes }
        OpenConnections { None Often, Some Often }
        WhoAnswers { AnotherService Rare, NobodyKnown Always }
        HostAnswers { Answers Mostly, Silent Often }
        ControlPort { Connected Mostly, Refused Always, Silent Often, Unreachable Sometimes, FarOnly Rare }
        TargetPlace { Loopback Often, OwnAddress Sometimes, Elsewhere Often }
        OtherAddress { Works Sometimes, Fails Mostly, OnlyOne Mostly, PassedOver Mostly }
        AtTheHost { Connected Rare, Refused Rare, Silent Always }
        OtherVantage { Connected Rare, Refused Rare, Silent Always }
        LaterAgain { Works Sometimes, Same Mostly, Refused Sometimes }
        OwnQueue { Waiting Always, Empty Sometimes, Nobody Rare }
        RequestConfirmed { Confirmed Always, Unconfirmed Rare }
        LongerPatience { Speaks Sometimes, Same Always }
        ServerLog { Password Rare, Role Rare, Database Rare, Parameter Rare, Backend Rare, Limit Rare, Nothing Always };
    ListenerMute: shows [ListenerMute Mostly]
        WhoAnswers { AnotherService Never, NobodyKnown Always }
        OwnQueue { Waiting Rare, Empty Mostly, Nobody Sometimes }
        RequestConfirmed { Confirmed Always, Unconfirmed Rare }
        LongerPatience { Speaks Sometimes, Same Mostly };
    ServerSlowToGreet: shows [ListenerMute Sometimes, ListenerSlow Often, LoginSlow Often]
        WhoAnswers { AnotherService Rare, NobodyKnown Always }
        PacketLoss { None Always, Some Sometimes }
        LaterAgain { Works Often, Same Often, Refused Rare }
        OwnQueue { Waiting Rare, Empty Mostly, Nobody Sometimes }
        RequestConfirmed { Confirmed Always, Unconfirmed Rare }
        LongerPatience { Speaks Always, Same Sometimes };
    ClosesOnAccept: shows [TlsClosed Often, ListenerClosed Mostly]
        WhoAnswers { AnotherService Never, NobodyKnown Always };
    ProtocolVersionGap: shows [ListenerVersion Always, TlsClosed Sometimes, TlsGarbled Often]
        OrdinaryRequest { Untold Rare, Offered Always, Refused Sometimes };
    ClientBlockedByServer: shows [ListenerBlocked Always, ListenerClosed Sometimes]
        WhoAnswers { AnotherService Rare, NobodyKnown Always };
    ServerStarting: shows [ListenerNotReady Often]
        StateWords { Starting Always, Stopping Rare }
        LaterAgain { Works Mostly, Same Often, Refused Rare };
    ServerStopping: shows [ListenerNotReady Often, ListenerStopping Always, LoginClosed Often, SessionClosed Often]
        StateWords { Starting Rare, Stopping Always }
        LaterAgain { Works Sometimes, Same Sometimes, Refused Mostly };
    ServerFull: shows [ListenerFull Always, SessionPoolWait Sometimes];
    PoolerBackendDown: shows [LoginMute Often, SessionMute Often, LoginClosed Often, SessionClosed Often, ListenerRefused Often, LoginRefused Often, SessionRefused Often]
        RequestConfirmed { Confirmed Always, Unconfirmed Rare }
        RefusedBy { Server Rare, Pooler Always }
        PoolerWords { Database Rare, Parameter Rare, Credentials Rare, Limit Rare, Backend Always, Waited Often }
        ServerLog { Password Rare, Role Rare, Database Rare, Parameter Rare, Backend Always, Limit Rare, Nothing Sometimes };
    PoolerFull: shows [SessionMute Often, LoginMute Often, ListenerRefused Sometimes, LoginRefused Sometimes, SessionRefused Sometimes]
        RequestConfirmed { Confirmed Always, Unconfirmed Rare }
        RefusedBy { Server Rare, Pooler Always }
        PoolerWords { Database Rare, Parameter Rare, Credentials Rare, Limit Always, Backend Rare, Waited Mostly }
        LaterAgain { Works Mostly, Same Often, Refused Rare }
        ServerLog { Password Rare, Role Rare, Database Rare, Parameter Rare, Backend Rare, Limit Always, Nothing Sometimes };

    // What is behind a listener.
    ServiceUnknown: shows [ListenerNoService Mostly]
        ServicesOffered { Others Always, NothingYet Rare, Withheld Always }
        ValueShape { Clean Always, Blank Rare, BlankElsewhere Rare, Placeholder Rare, LeftOut Sometimes, LookAlike Rare, Percent Rare };
    ServiceAmbiguous: shows [SessionOtherInstance Always]
        SameService { Several Always, Otherwise Never };
    ServiceNotReady: shows [ListenerServiceNotReady Always, ListenerNoService Often]
        ServicesOffered { Others Rare, NothingYet Always, Withheld Sometimes };
    RedirectUnreachable: shows [ListenerRedirect Always];

    // Encryption.
    TlsNotOffered: shows [TlsNotOffered Always, TlsRequired Often, TlsClosed Sometimes, TlsGarbled Often, LoginDenied Rare]
        OrdinaryRequest { Untold Rare, Offered Rare, Refused Always }
        LineEncryption { Encrypted Never, Clear Always, LetsPass Never }
        // A server that demands what it was not given the certificate for.
        EncryptionOffer { Offered Rare, Refused Always }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Always, NeedsCertificate Always, InOrder Rare, Exists Rare };
    TlsRequired: shows [TlsRequired Often, LoginDenied Sometimes, LoginHostRefused Often]
        HostWords { NoRule Always, Certificate Rare }
        LineEncryption { Encrypted Never, Clear Always, LetsPass Often }
        EncryptionOffer { Offered Always, Refused Rare }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Always, NeedsCertificate Often, InOrder Rare, Exists Rare };
    CertificateExpired: shows [TlsCertificate Often]
        CertificateDefect { Expired Always, NotYetValid Never, OtherName Never, SelfSigned Never, IssuerUnknown Never, IssuerMissing Never, SignatureWrong Never, NoAuthority Never, WrongPurpose Never, UnknownExtension Never, TooWeak Never, Unreadable Never, IssuerUnclear Never }
        DateSpread { One Mostly, All Sometimes };
    CertificateNotYetValid: shows [TlsCertificate Often]
        CertificateDefect { Expired Never, NotYetValid Always, OtherName Never, SelfSigned Never, IssuerUnknown Never, IssuerMissing Never, SignatureWrong Never, NoAuthority Never, WrongPurpose Never, UnknownExtension Never, TooWeak Never, Unreadable Never, IssuerUnclear Never }
        DateSpread { One Mostly, All Sometimes }
        OwnClock { Possible Always, Impossible Rare };
    ClockWrong: shows [TlsCertificate Sometimes]
        CertificateDefect { Expired Often, NotYetValid Mostly, OtherName Never, SelfSigned Never, IssuerUnknown Never, IssuerMissing Never, SignatureWrong Never, NoAuthority Never, WrongPurpose Never, UnknownExtension Never, TooWeak Never, Unreadable Never, IssuerUnclear Never }
        DateSpread { One Sometimes, All Mostly }
        OwnClock { Possible Sometimes, Impossible Always };
    CertificateNameMismatch: shows [TlsCertificate Often]
        CertificateDefect { Expired Never, NotYetValid Never, OtherName Always, SelfSigned Never, IssuerUnknown Never, IssuerMissing Never, SignatureWrong Never, NoAuthority Never, WrongPurpose Never, UnknownExtension Never, TooWeak Never, Unreadable Never, IssuerUnclear Never };
    CertificateSelfSigned: shows [TlsCertificate Often]
        CertificateDefect { Expired Never, NotYetValid Never, OtherName Never, SelfSigned Always, IssuerUnknown Never, IssuerMissing Never, SignatureWrong Never, NoAuthority Never, WrongPurpose Never, UnknownExtension Never, TooWeak Never, Unreadable Never, IssuerUnclear Sometimes };
    CertificateIssuerUnknown: shows [TlsCertificate Often]
        CertificateDefect { Expired Never, NotYetValid Never, OtherName Never, SelfSigned Never, IssuerUnknown Mostly, IssuerMissing Often, SignatureWrong Often, NoAuthority Sometimes, WrongPurpose Rare, UnknownExtension Rare, TooWeak Rare, Unreadable Rare, IssuerUnclear Mostly }
        IssuerKin { Kin Sometimes, Stranger Mostly }
        IssuerPlace { Named Often, Unsaid Mostly };
    CertificateChainIncomplete: shows [TlsCertificate Often]
        CertificateDefect { Expired Never, NotYetValid Never, OtherName Never, SelfSigned Never, IssuerUnknown Never, IssuerMissing Always, SignatureWrong Never, NoAuthority Never, WrongPurpose Never, UnknownExtension Never, TooWeak Never, Unreadable Never, IssuerUnclear Mostly }
        IssuerKin { Kin Always, Stranger Often }
        IssuerPlace { Named Mostly, Unsaid Often };
    TlsVersionGap: shows [TlsNothingInCommon Always, TlsAlert Often, TlsClosed Often]
        AlertSays { Version Mostly, Handshake Mostly, CertificateRequired Rare, CertificateRefused Rare, Name Rare, Other Sometimes }
        OldHello { OldVersion Always, OldCipher Mostly, Modern Rare, Refused Sometimes };
    ClientCertificateMissing: shows [TlsAlert Often, LoginHostRefused Sometimes, LoginDenied Rare]
        AlertSays { Version Rare, Handshake Often, CertificateRequired Always, CertificateRefused Sometimes, Name Rare, Other Rare }
        OwnCertificate { NotAsked Rare, NoneThere Always, Shown Never, AnotherName Never }
        LineEncryption { Encrypted Always, Clear Rare, LetsPass Rare }
        AccountCertificate { NotAsked Rare, NoneThere Always, Shown Never, AnotherName Never, Fits Never }
        HostWords { NoRule Rare, Certificate Always }
        OldHello { OldVersion Rare, OldCipher Mostly, Modern Often, Refused Sometimes }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Always, InOrder Rare, Exists Rare };
    ClientCertificateRefused: shows [TlsAlert Often, LoginHostRefused Rare, LoginIdentity Often, LoginDenied Sometimes, LoginCredentials Sometimes]
        AccountCertificate { NotAsked Never, NoneThere Never, Shown Often, AnotherName Always, Fits Never }
        LineEncryption { Encrypted Always, Clear Rare, LetsPass Rare }
        RoleWords { NoSuchRole Rare, MayNotSignIn Rare, Certificate Always, OwnAccount Never }
        AlertSays { Version Rare, Handshake Sometimes, CertificateRequired Rare, CertificateRefused Always, Name Rare, Other Sometimes }
        OwnCertificate { NotAsked Never, NoneThere Never, Shown Always, AnotherName Always }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Often, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Always, InOrder Mostly, Exists Mostly };

    // The sign-in.
    PasswordMissing: shows [LoginNoPassword Always];
    PasswordWrong: shows [LoginDenied Mostly, LoginCredentials Mostly, LoginRefused Often]
        RefusedBy { Server Rare, Pooler Always }
        PoolerWords { Database Rare, Parameter Rare, Credentials Always, Limit Rare, Backend Rare, Waited Rare }
        LogNames { Nothing Never, User Never, Password Always, ServerSays Always }
        AccountLooked { No Never, Partly Rare, Yes Rare, ServerSays Always }
        AccountStands { NoSuchDatabase Never, NoSuchUser Never, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Never, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Always, Exists Mostly }
        ReferenceSays { Same Never, AnotherPassword Always, Blanks Rare, Encoding Rare };
    PasswordNotSet: shows [LoginDenied Often, LoginCredentials Often]
        AccountLooked { No Never, Partly Rare, Yes Rare, ServerSays Always }
        AccountStands { NoSuchDatabase Never, NoSuchUser Never, MayNotSignIn Rare, Expired Rare, NoPassword Always, Elsewhere Rare, HostExcluded Never, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Rare, Exists Mostly };
    AccountDefinedElsewhere: shows [LoginDenied Often, LoginCredentials Often]
        AccountLooked { No Never, Partly Rare, Yes Rare, ServerSays Always }
        AccountStands { NoSuchDatabase Never, NoSuchUser Never, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Always, HostExcluded Never, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Rare, Exists Sometimes };
    CredentialsRejected: shows [LoginDenied Mostly, LoginCredentials Mostly, LoginIdentity Rare, LoginRefused Often, SessionPoolWait Rare]
        LogNames { Nothing Always, User Rare, Password Rare, ServerSays Always }
        RoleWords { NoSuchRole Rare, MayNotSignIn Rare, Certificate Rare, OwnAccount Always }
        RepairedSecret { BlanksOff Never, Decoded Never, None Always }
        RefusedBy { Server Rare, Pooler Always }
        PoolerWords { Database Rare, Parameter Rare, Credentials Always, Limit Rare, Backend Rare, Waited Rare }
        ServerLog { Password Always, Role Mostly, Database Rare, Parameter Rare, Backend Rare, Limit Rare, Nothing Rare }
        ValueShape { Clean Always, Blank Sometimes, BlankElsewhere Rare, Placeholder Sometimes, LeftOut Often, LookAlike Sometimes, Percent Often }
        AccountLooked { No Always, Partly Never, Yes Never, ServerSays Always };
    PasswordHasStrayWhitespace: shows [LoginDenied Often, LoginCredentials Often]
        ValueShape { Clean Never, Blank Always, BlankElsewhere Never, Placeholder Never, LeftOut Never, LookAlike Never, Percent Never }
        RepairedSecret { BlanksOff Always, Decoded Never, None Rare }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Always, Exists Always }
        ReferenceSays { Same Never, AnotherPassword Rare, Blanks Always, Encoding Rare };
    TokenExpired: shows [LoginDenied Always, LoginCredentials Always]
        TokenDate { Past Always, NotYet Always, Plain Never }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Always, Exists Always };
    UserUnknown: shows [LoginIdentity Sometimes, LoginDenied Often, LoginCredentials Often, LoginHostRefused Often, LoginRefused Often]
        RefusedBy { Server Rare, Pooler Always }
        PoolerWords { Database Rare, Parameter Rare, Credentials Always, Limit Rare, Backend Rare, Waited Rare }
        LogNames { Nothing Never, User Always, Password Never, ServerSays Always }
        ProofBefore { Accepted Rare, NoneAsked Mostly }
        RoleWords { NoSuchRole Always, MayNotSignIn Rare, Certificate Rare, OwnAccount Rare }
        ValueShape { Clean Mostly, Blank Rare, BlankElsewhere Rare, Placeholder Rare, LeftOut Sometimes, LookAlike Rare, Percent Rare }
        AccountLooked { No Never, Partly Rare, Yes Rare, ServerSays Always }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Always, MayNotSignIn Never, Expired Never, NoPassword Never, Elsewhere Never, HostExcluded Never, NeedsEncryption Never, NeedsCertificate Never, InOrder Never, Exists Never };
    LoginNotAllowedForRole: shows [LoginIdentity Often, LoginRoleRefused Always]
        ProofBefore { Accepted Mostly, NoneAsked Mostly }
        RoleWords { NoSuchRole Rare, MayNotSignIn Always, Certificate Rare, OwnAccount Rare }
        ValueShape { Clean Mostly, Blank Rare, BlankElsewhere Rare, Placeholder Rare, LeftOut Rare, LookAlike Rare, Percent Rare }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Never, MayNotSignIn Always, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Rare, Exists Rare };
    LoginNeedsRole: shows [LoginRoleRequired Always];
    ClientHostNotPermitted: shows [LoginDenied Sometimes, LoginHostRefused Often]
        OwnCertificate { NotAsked Mostly, NoneThere Sometimes, Shown Often, AnotherName Rare }
        HostWords { NoRule Always, Certificate Rare }
        AllowList { Covers Rare, Excludes Rare, OtherPort Rare, RuleOff Rare, WayBack Rare, HostRules Always }
        EncryptionOffer { Offered Mostly, Refused Often }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Rare, MayNotSignIn Rare, Expired Rare, NoPassword Rare, Elsewhere Rare, HostExcluded Always, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Rare, Exists Rare };
    LoginMethodUnsupported: shows [LoginMethod Always];
    PlaintextRefused: shows [LoginPlaintext Always];
    AccountLocked: shows [LoginLocked Always];
    PasswordExpired: shows [LoginExpired Always, LoginCredentials Often]
        AccountLooked { No Never, Partly Rare, Yes Rare, ServerSays Always }
        AccountStands { NoSuchDatabase Rare, NoSuchUser Never, MayNotSignIn Rare, Expired Always, NoPassword Rare, Elsewhere Rare, HostExcluded Rare, NeedsEncryption Rare, NeedsCertificate Rare, InOrder Rare, Exists Rare };
    AccountLimitReached: shows [LoginLimit Always];

    // The session.
    DatabaseMissing: shows [SessionNoDatabase Often, ListenerRefused Often, LoginRefused Often, SessionNotPermitted Often, LoginHostRefused Often]
        RefusedBy { Server Rare, Pooler Always }
        PoolerWords { Database Always, Parameter Rare, Credentials Rare, Limit Rare, Backend Rare, Waited Rare }
        ServerLog { Password Rare, Role Rare, Database Always, Parameter Rare, Backend Rare, Limit Rare, Nothing Rare }
        ValueShape { Clean Always, Blank Rare, BlankElsewhere Rare, Placeholder Rare, LeftOut Sometimes, LookAlike Rare, Percent Rare }
        DatabaseThere { Untold Never, Missing Always, There Rare, ServerSays Always }
        AccountLooked { No Never, Partly Rare, Yes Rare, ServerSays Always }
        AccountStands { NoSuchDatabase Always, NoSuchUser Rare, MayNotSignIn Never, Expired Never, NoPassword Never, Elsewhere Never, HostExcluded Never, NeedsEncryption Never, NeedsCertificate Never, InOrder Never, Exists Never };
    DatabaseNotPermitted: shows [SessionNotPermitted Often]
        DatabaseThere { Untold Always, Missing Rare, There Always, ServerSays Always };
    DatabaseTakesNoConnections: shows [SessionDatabaseClosed Always];
    SchemaMissing: shows [SessionNoSchema Always];
    PrivilegesMissing: shows [SessionNoPrivileges Always];
    WrongInstance: shows [SessionWritable Always, LoginUnproven Often, SessionOtherInstance Always]
        SameService { Several Rare, Otherwise Always };
    ReadOnlyInstance: shows [SessionReadOnly Always];
    ClientPoolExhausted: shows [SessionPoolEmpty Always, SessionPoolWait Often];
    IdleCut: shows [SessionIdleCut Often]
        IdleEnd { Unexplained Always, ServerSaid Never, ServerLimit Rare };
    IdleCutByServer: shows [SessionIdleCut Often]
        IdleEnd { Unexplained Rare, ServerSaid Always, ServerLimit Mostly };
}

//! How often each cause shows each symptom, and how often it gives each answer.
//!
//! `shows` compares the causes of one symptom with each other: read it down a symptom.
//! `says` is a row per question: read it along. A cause that says nothing on a question
//! has that question's usual row: every answer as likely as the next. The chances of a
//! row are divided by their sum. *Never* is only for what is logically impossible.

use super::Grade::{self, Always, Mostly, Never, Often, Rare, Sometimes};
use super::questions::Question::{self, *};
use crate::judge::Symptom::{self, *};

/// One cause.
#[derive(Debug)]
pub struct Row {
    /// Its id.
    pub cause: &'static str,
    /// The symptoms that it can show.
    pub shows: &'static [(Symptom, Grade)],
    /// Its answers to the questions on which it is not like any other.
    pub says: &'static [(Question, &'static [(&'static str, Grade)])],
}

/// The table. The honest rest is not in it: it can show every symptom, rarely, and has
/// the usual row everywhere.
#[rustfmt::skip] // a page to be read, a question a line
pub const TABLE: &[Row] = &[
    // What the text of the settings shows by itself.
    Row { cause: "settings-unreadable", shows: &[(SettingsUnreadable, Always)], says: &[] },
    Row { cause: "scheme-unknown", shows: &[(SettingsScheme, Always)], says: &[] },
    Row { cause: "setting-missing", shows: &[
        (LoginDenied, Often), (SettingsMissing, Always), (PortSocketMissing, Often), (PortSocketRefused, Sometimes), (LoginCredentials, Often), (LoginIdentity, Often), (SessionNoDatabase, Often),
    ], says: &[
        (ValueShape, &[("clean", Never), ("blank", Never), ("placeholder", Never), ("left-out", Always), ("look-alike", Never), ("percent", Never)]),
    ] },
    Row { cause: "placeholder-left-in", shows: &[
        (LoginDenied, Often), (SettingsPlaceholder, Always), (NameNotFound, Often), (LoginPlaceholder, Always), (LoginCredentials, Often), (LoginIdentity, Often), (LoginHostRefused, Mostly), (SessionNoDatabase, Often),
    ], says: &[
        (ValueShape, &[("clean", Rare), ("blank", Never), ("placeholder", Always), ("left-out", Never), ("look-alike", Never), ("percent", Rare)]),
    ] },
    Row { cause: "stray-whitespace", shows: &[
        (SettingsWhitespace, Always), (NameNotFound, Often), (LoginIdentity, Often), (LoginHostRefused, Often), (SessionNoDatabase, Often),
    ], says: &[
        (ValueShape, &[("clean", Never), ("blank", Always), ("placeholder", Never), ("left-out", Never), ("look-alike", Never), ("percent", Never)]),
    ] },
    Row { cause: "character-not-escaped", shows: &[(LoginDenied, Sometimes), (SettingsNotEscaped, Always), (LoginCredentials, Sometimes)], says: &[
        (ValueShape, &[("clean", Never), ("blank", Never), ("placeholder", Never), ("left-out", Never), ("look-alike", Never), ("percent", Always)]),
        (RepairedSecret, &[("blanks-off", Never), ("decoded", Always), ("none", Rare)]),
    ] },
    Row { cause: "look-alike-letter", shows: &[(LoginDenied, Often), (NameNotFound, Often), (LoginIdentity, Often), (LoginCredentials, Often), (LoginHostRefused, Often), (SessionNoDatabase, Often)], says: &[
        (ValueShape, &[("clean", Never), ("blank", Never), ("placeholder", Never), ("left-out", Never), ("look-alike", Always), ("percent", Never)]),
    ] },
    Row { cause: "client-library-missing", shows: &[(SettingsNoLibrary, Always)], says: &[] },
    // What the files round the settings say: found there, or there is no ground for it.
    Row { cause: "backslash-eaten", shows: &[(NameNotFound, Mostly), (PortSocketMissing, Mostly), (LoginCredentials, Always), (LoginDenied, Mostly), (LoginIdentity, Mostly)], says: &[
        (SettingsSay, &[("nothing", Never), ("another-place", Never), ("inactive", Never), ("loopback", Never), ("container-name", Never), ("backslash", Always), ("inactive-answers", Never)]),
    ] },
    Row { cause: "loopback-means-elsewhere", shows: &[(PortRefused, Mostly), (PortSilent, Mostly), (PortSocketMissing, Mostly), (PortSocketRefused, Mostly), (ListenerOther, Mostly), (LoginCredentials, Always), (LoginDenied, Mostly), (LoginIdentity, Mostly), (LoginHostRefused, Mostly), (SessionNoDatabase, Always)], says: &[
        (SettingsSay, &[("nothing", Never), ("another-place", Never), ("inactive", Never), ("loopback", Always), ("container-name", Never), ("backslash", Never), ("inactive-answers", Never)]),
    ] },
    Row { cause: "container-name-outside", shows: &[(NameNotFound, Always), (PortRefused, Mostly), (PortSilent, Mostly), (ListenerOther, Mostly)], says: &[
        (SettingsSay, &[("nothing", Never), ("another-place", Never), ("inactive", Never), ("loopback", Never), ("container-name", Always), ("backslash", Never), ("inactive-answers", Never)]),
        (ListensElsewhere, &[("nowhere", Mostly), ("another-port", Mostly), ("loopback-only", Sometimes), ("another-address", Sometimes), ("socket-only", Sometimes), ("other-instances", Sometimes)]),
    ] },
    Row { cause: "sources-disagree", shows: &[(NameNotFound, Mostly), (PortRefused, Mostly), (PortSilent, Mostly), (PortUnreachable, Mostly), (PortProhibited, Mostly), (PortSocketMissing, Mostly), (PortSocketRefused, Mostly), (ListenerOther, Mostly), (ListenerMute, Mostly), (ListenerClosed, Mostly), (LoginCredentials, Always), (LoginDenied, Mostly), (LoginIdentity, Mostly), (LoginHostRefused, Mostly), (SessionNoDatabase, Always)], says: &[
        (SettingsSay, &[("nothing", Never), ("another-place", Always), ("inactive", Never), ("loopback", Never), ("container-name", Never), ("backslash", Never), ("inactive-answers", Never)]),
    ] },
    Row { cause: "setting-inactive", shows: &[(NameNotFound, Mostly), (PortRefused, Mostly), (PortSilent, Mostly), (PortUnreachable, Mostly), (PortProhibited, Mostly), (PortSocketMissing, Mostly), (PortSocketRefused, Mostly), (ListenerOther, Mostly), (ListenerMute, Mostly), (ListenerClosed, Mostly), (LoginCredentials, Always), (LoginDenied, Mostly), (LoginIdentity, Mostly), (LoginHostRefused, Mostly), (SessionNoDatabase, Always)], says: &[
        (SettingsSay, &[("nothing", Never), ("another-place", Never), ("inactive", Always), ("loopback", Never), ("container-name", Never), ("backslash", Never), ("inactive-answers", Mostly)]),
        (ListensElsewhere, &[("nowhere", Mostly), ("another-port", Mostly), ("loopback-only", Sometimes), ("another-address", Sometimes), ("socket-only", Sometimes), ("other-instances", Sometimes)]),
    ] },
    Row { cause: "port-of-other-engine", shows: &[(ListenerOther, Mostly), (ListenerMute, Often), (ListenerClosed, Often), (PortRefused, Often), (PortSilent, Sometimes)], says: &[
        (WhoAnswers, &[("another-service", Always), ("nobody-known", Sometimes)]),
        (PortNumber, &[("usual", Never), ("other-engines", Always), ("mistyped", Never), ("another", Never)]),
        (MendedPort, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
    ] },
    Row { cause: "port-mistyped", shows: &[(ListenerOther, Often), (ListenerMute, Sometimes), (ListenerClosed, Sometimes), (PortRefused, Mostly), (PortSilent, Sometimes)], says: &[
        (WhoAnswers, &[("another-service", Mostly), ("nobody-known", Often)]),
        (PortNumber, &[("usual", Never), ("other-engines", Never), ("mistyped", Always), ("another", Rare)]),
        (MendedPort, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
    ] },
    Row { cause: "startup-parameter-refused", shows: &[(SessionParameter, Always), (ListenerRefused, Often)], says: &[
        (SentParameters, &[("none", Never), ("some", Always)]),
        (RefusedBy, &[("server", Rare), ("pooler", Always)]),
        (PoolerWords, &[("database", Rare), ("parameter", Always), ("credentials", Rare), ("limit", Rare), ("backend", Rare), ("waited", Rare)]),
        (ServerLog, &[("password", Rare), ("role", Rare), ("database", Rare), ("parameter", Always), ("backend", Rare), ("limit", Rare), ("nothing", Rare)]),
    ] },

    // Files of certificates and keys.
    Row { cause: "bundle-incomplete", shows: &[(BundleIncomplete, Always)], says: &[] },
    Row { cause: "bundle-path-stale", shows: &[(BundleElsewhere, Always)], says: &[] },
    Row { cause: "bundle-unreadable", shows: &[(BundleUnusable, Always)], says: &[] },
    Row { cause: "bundle-permissions", shows: &[(BundleOpen, Always)], says: &[] },

    // Names.
    Row { cause: "name-does-not-exist", shows: &[(NameNotFound, Often)], says: &[
        (ResolverWord, &[("denied", Always), ("empty", Rare), ("failed", Rare), ("silent", Sometimes), ("garbled", Rare)]),
        (NearNames, &[("none", Often), ("exists", Mostly), ("everything", Sometimes)]),
        (ValueShape, &[("clean", Always), ("blank", Rare), ("placeholder", Rare), ("left-out", Rare), ("look-alike", Rare), ("percent", Rare)]),
    ] },
    Row { cause: "name-has-no-address", shows: &[(NameNoAddress, Mostly), (NameNotFound, Sometimes)], says: &[
        (ResolverWord, &[("denied", Rare), ("empty", Always), ("failed", Rare), ("silent", Sometimes), ("garbled", Rare)]),
    ] },
    Row { cause: "name-service-failing", shows: &[(NameFailing, Often)], says: &[
        (ResolverWord, &[("denied", Rare), ("empty", Rare), ("failed", Always), ("silent", Rare), ("garbled", Mostly)]),
        (NameSpeed, &[("quick", Mostly), ("slow", Sometimes)]),
    ] },
    Row { cause: "name-service-silent", shows: &[(NameSilent, Always), (NameFailing, Often)], says: &[
        (ResolverWord, &[("denied", Rare), ("empty", Rare), ("failed", Rare), ("silent", Always), ("garbled", Rare)]),
        (NameSpeed, &[("quick", Sometimes), ("slow", Mostly)]),
    ] },

    Row { cause: "hosts-file-override", shows: &[(PortSilent, Mostly), (PortRefused, Mostly), (PortUnreachable, Mostly), (PortProhibited, Mostly), (ListenerOther, Often), (ListenerMute, Often), (ListenerClosed, Often), (TlsCertificate, Sometimes)], says: &[
        (ListensElsewhere, &[("nowhere", Mostly), ("another-port", Sometimes), ("loopback-only", Sometimes), ("another-address", Often), ("socket-only", Rare), ("other-instances", Sometimes)]),
        (NameSources, &[("nothing", Never), ("agree", Never), ("hosts-file-differs", Mostly), ("hosts-file-hides", Always), ("resolvers-differ", Never), ("resolvers-hide", Never), ("cache-differs", Never), ("cache-hides", Never), ("system-hides", Never)]),
    ] },
    Row { cause: "resolvers-disagree", shows: &[(NameNotFound, Mostly), (NameNoAddress, Mostly), (NameFailing, Mostly), (PortSilent, Mostly), (PortRefused, Mostly), (PortUnreachable, Mostly), (PortProhibited, Mostly), (ListenerOther, Often), (ListenerMute, Often), (ListenerClosed, Often), (TlsCertificate, Sometimes)], says: &[
        (NameSources, &[("nothing", Never), ("agree", Never), ("hosts-file-differs", Never), ("hosts-file-hides", Never), ("resolvers-differ", Mostly), ("resolvers-hide", Always), ("cache-differs", Never), ("cache-hides", Never), ("system-hides", Often)]),
    ] },
    Row { cause: "stale-address", shows: &[(PortSilent, Mostly), (PortRefused, Mostly), (PortUnreachable, Mostly), (PortProhibited, Mostly), (ListenerOther, Often), (ListenerMute, Often), (ListenerClosed, Often), (TlsCertificate, Sometimes)], says: &[
        (NameSources, &[("nothing", Never), ("agree", Never), ("hosts-file-differs", Never), ("hosts-file-hides", Never), ("resolvers-differ", Never), ("resolvers-hide", Never), ("cache-differs", Mostly), ("cache-hides", Always), ("system-hides", Never)]),
    ] },
    Row { cause: "alias-chain-broken", shows: &[(NameNotFound, Mostly), (NameNoAddress, Always), (NameFailing, Often)], says: &[
        (AliasChain, &[("whole", Never), ("breaks", Always)]),
    ] },
    Row { cause: "private-address-from-outside", shows: &[(PortSilent, Mostly), (PortUnreachable, Mostly), (PortProhibited, Often)], says: &[
        (PrivateWay, &[("public", Never), ("own-network", Never), ("default-way", Mostly), ("into-public", Always)]),
        (NextDevice, &[("device-answers", Always), ("device-silent", Never), ("host-answers", Never), ("host-silent", Never)]),
        (HostAnswers, &[("answers", Rare), ("silent", Always)]),
        (ControlPort, &[("connected", Sometimes), ("refused", Sometimes), ("silent", Always), ("unreachable", Always), ("far-only", Rare)]),
        (RefusalSays, &[("port", Rare), ("prohibited", Sometimes), ("host", Mostly), ("network", Mostly)]),
        (RefusalSender, &[("the-host", Never), ("a-device", Always), ("this-machine", Rare)]),
        (PathEnd, &[("short", Rare), ("host-end", Rare), ("both-short", Always), ("nowhere", Always)]),
    ] },

    // The way.
    Row { cause: "local-firewall-blocks", shows: &[(PortSilent, Always), (PortRefused, Often), (PortProhibited, Mostly), (PortUnreachable, Often)], says: &[
        (OwnFilter, &[("nothing", Never), ("counted", Mostly), ("blocks", Always)]),
    ] },
    Row { cause: "allow-list-excludes-client", shows: &[(PortSilent, Often)], says: &[
        (HostAnswers, &[("answers", Sometimes), ("silent", Always)]),
        (ControlPort, &[("connected", Rare), ("refused", Rare), ("silent", Always), ("unreachable", Sometimes), ("far-only", Rare)]),
        (TargetPlace, &[("loopback", Never), ("own-address", Never), ("elsewhere", Always)]),
        (PathEnd, &[("short", Sometimes), ("host-end", Sometimes), ("both-short", Always), ("nowhere", Always)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (OpenConnections, &[("none", Always), ("some", Rare)]),
        (AtTheHost, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
        (OtherVantage, &[("connected", Always), ("refused", Rare), ("silent", Sometimes)]),
    ] },
    Row { cause: "no-route", shows: &[(RouteNone, Always), (PortUnreachable, Often), (PortSilent, Sometimes)], says: &[
        (NextDevice, &[("device-answers", Mostly), ("device-silent", Always), ("host-answers", Rare), ("host-silent", Rare)]),
        (HostAnswers, &[("answers", Rare), ("silent", Always)]),
        (ControlPort, &[("connected", Sometimes), ("refused", Sometimes), ("silent", Always), ("unreachable", Always), ("far-only", Rare)]),
        (TargetPlace, &[("loopback", Never), ("own-address", Never), ("elsewhere", Always)]),
        (RefusalSays, &[("port", Never), ("prohibited", Never), ("host", Sometimes), ("network", Always)]),
        (RefusalSender, &[("the-host", Never), ("a-device", Mostly), ("this-machine", Rare)]),
    ] },

    // The port.
    Row { cause: "firewall-drops", shows: &[(TlsMute, Often), (PortSilent, Always), (ListenerMute, Rare)], says: &[
        (PathEnd, &[("short", Always), ("host-end", Always), ("both-short", Always), ("nowhere", Always)]),
        (OpenConnections, &[("none", Always), ("some", Often)]),
        (MendedPort, &[("connected", Sometimes), ("refused", Often), ("silent", Often)]),
        (OwnQueue, &[("waiting", Rare), ("empty", Mostly), ("nobody", Mostly)]),
        (RequestConfirmed, &[("confirmed", Rare), ("unconfirmed", Always)]),
        (PacketLoss, &[("none", Mostly), ("some", Rare)]),
        (HostAnswers, &[("answers", Often), ("silent", Always)]),
        (ControlPort, &[("connected", Mostly), ("refused", Mostly), ("silent", Often), ("unreachable", Sometimes), ("far-only", Sometimes)]),
        (TargetPlace, &[("loopback", Rare), ("own-address", Rare), ("elsewhere", Always)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (AtTheHost, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
        (OtherVantage, &[("connected", Mostly), ("refused", Rare), ("silent", Often)]),
    ] },
    Row { cause: "firewall-rejects", shows: &[
        (PortProhibited, Often), (PortRefused, Often), (PortUnreachable, Sometimes),
    ], says: &[
        (RefusalDistance, &[("nearer", Always), ("same", Sometimes), ("own-machine", Rare)]),
        (UsualPort, &[("speaks", Sometimes), ("does-not", Often)]),
        (MendedPort, &[("connected", Sometimes), ("refused", Often), ("silent", Often)]),
        (ControlPort, &[("connected", Mostly), ("refused", Always), ("silent", Sometimes), ("unreachable", Always), ("far-only", Rare)]),
        (TargetPlace, &[("loopback", Rare), ("own-address", Rare), ("elsewhere", Always)]),
        (RefusalSender, &[("the-host", Sometimes), ("a-device", Always), ("this-machine", Rare)]),
        (RefusalSays, &[("port", Mostly), ("prohibited", Mostly), ("host", Often), ("network", Sometimes)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (OwnQueue, &[("waiting", Often), ("empty", Mostly), ("nobody", Sometimes)]),
        (AtTheHost, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
        (OtherVantage, &[("connected", Mostly), ("refused", Often), ("silent", Rare)]),
    ] },
    Row { cause: "host-filter-rejects", shows: &[(PortProhibited, Often), (PortRefused, Often)], says: &[
        (RefusalDistance, &[("nearer", Rare), ("same", Always), ("own-machine", Rare)]),
        (TargetPlace, &[("loopback", Rare), ("own-address", Rare), ("elsewhere", Always)]),
        (OwnQueue, &[("waiting", Often), ("empty", Mostly), ("nobody", Sometimes)]),
        (UsualPort, &[("speaks", Rare), ("does-not", Always)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (RefusalSender, &[("the-host", Always), ("a-device", Rare), ("this-machine", Rare)]),
        (AtTheHost, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
    ] },
    Row { cause: "host-down", shows: &[(PortUnreachable, Often), (PortSilent, Often)], says: &[
        (NextDevice, &[("device-answers", Always), ("device-silent", Rare), ("host-answers", Rare), ("host-silent", Mostly)]),
        (PassedOn, &[("direct", Always), ("passed-on", Often)]),
        (PathEnd, &[("short", Rare), ("host-end", Rare), ("both-short", Always), ("nowhere", Always)]),
        (OpenConnections, &[("none", Always), ("some", Sometimes)]),
        (HostAnswers, &[("answers", Rare), ("silent", Always)]),
        (ControlPort, &[("connected", Never), ("refused", Sometimes), ("silent", Always), ("unreachable", Always), ("far-only", Rare)]),
        (TargetPlace, &[("loopback", Never), ("own-address", Never), ("elsewhere", Always)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (RefusalSender, &[("the-host", Rare), ("a-device", Often), ("this-machine", Often)]),
        (RefusalSays, &[("port", Never), ("prohibited", Rare), ("host", Always), ("network", Rare)]),
        (AtTheHost, &[("connected", Never), ("refused", Never), ("silent", Always)]),
        (OtherVantage, &[("connected", Never), ("refused", Rare), ("silent", Always)]),
    ] },
    Row { cause: "some-addresses-dead", shows: &[(PortSilent, Mostly), (PortRefused, Often), (PortUnreachable, Often), (PortProhibited, Often)], says: &[
        (OtherAddress, &[("works", Always), ("fails", Never), ("only-one", Never), ("passed-over", Never)]),
        (HostAnswers, &[("answers", Sometimes), ("silent", Mostly)]),
        (ControlPort, &[("connected", Often), ("refused", Often), ("silent", Always), ("unreachable", Sometimes), ("far-only", Sometimes)]),
        (TargetPlace, &[("loopback", Rare), ("own-address", Rare), ("elsewhere", Always)]),
    ] },
    Row { cause: "link-lossy", shows: &[(TlsMute, Sometimes), (PortSlow, Always), (PortSilent, Rare), (ListenerMute, Rare), (ListenerSlow, Often), (LoginSlow, Often)], says: &[
        (PacketLoss, &[("none", Rare), ("some", Always)]),
        (RequestConfirmed, &[("confirmed", Often), ("unconfirmed", Always)]),
        (TargetPlace, &[("loopback", Rare), ("own-address", Rare), ("elsewhere", Always)]),
        (LaterAgain, &[("works", Mostly), ("same", Often), ("refused", Rare)]),
    ] },
    Row { cause: "path-mtu-hole", shows: &[(TlsMute, Often), (ListenerMute, Rare)], says: &[
        (WhoAnswers, &[("another-service", Rare), ("nobody-known", Always)]),
        (SmallSegments, &[("answered", Always), ("stalls", Rare)]),
        (RequestConfirmed, &[("confirmed", Mostly), ("unconfirmed", Always)]),
        (TargetPlace, &[("loopback", Rare), ("own-address", Rare), ("elsewhere", Always)]),
    ] },
    Row { cause: "socket-file-missing", shows: &[(PortSocketMissing, Often)], says: &[
        (ValueShape, &[("clean", Mostly), ("blank", Rare), ("placeholder", Rare), ("left-out", Often), ("look-alike", Rare), ("percent", Rare)]),
    ] },
    Row { cause: "socket-not-permitted", shows: &[(PortSocketClosed, Always)], says: &[] },
    Row { cause: "client-resource-exhausted", shows: &[(PortLocalFailure, Always)], says: &[] },

    // What answers.
    Row { cause: "nothing-listening", shows: &[(PortRefused, Often), (PortSocketRefused, Always)], says: &[
        (RefusalDistance, &[("nearer", Rare), ("same", Always), ("own-machine", Rare)]),
        (ListensElsewhere, &[("nowhere", Always), ("another-port", Sometimes), ("loopback-only", Rare), ("another-address", Rare), ("socket-only", Rare), ("other-instances", Often)]),
        (UsualPort, &[("speaks", Rare), ("does-not", Always)]),
        (MendedPort, &[("connected", Sometimes), ("refused", Often), ("silent", Often)]),
        (ControlPort, &[("connected", Mostly), ("refused", Always), ("silent", Mostly), ("unreachable", Sometimes), ("far-only", Rare)]),
        (TargetPlace, &[("loopback", Often), ("own-address", Sometimes), ("elsewhere", Mostly)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (OwnQueue, &[("waiting", Never), ("empty", Never), ("nobody", Always)]),
        (AtTheHost, &[("connected", Rare), ("refused", Always), ("silent", Rare)]),
        (OtherVantage, &[("connected", Rare), ("refused", Always), ("silent", Rare)]),
    ] },
    Row { cause: "listens-on-loopback-only", shows: &[(PortRefused, Often)], says: &[
        (RefusalDistance, &[("nearer", Rare), ("same", Always), ("own-machine", Rare)]),
        (ListensElsewhere, &[("nowhere", Rare), ("another-port", Rare), ("loopback-only", Always), ("another-address", Rare), ("socket-only", Rare), ("other-instances", Rare)]),
        (TargetPlace, &[("loopback", Never), ("own-address", Often), ("elsewhere", Often)]),
        (OwnQueue, &[("waiting", Never), ("empty", Never), ("nobody", Always)]),
        (UsualPort, &[("speaks", Rare), ("does-not", Always)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (AtTheHost, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
        (OtherVantage, &[("connected", Rare), ("refused", Always), ("silent", Rare)]),
    ] },
    Row { cause: "listens-on-other-address", shows: &[(PortRefused, Sometimes)], says: &[
        (RefusalDistance, &[("nearer", Rare), ("same", Always), ("own-machine", Rare)]),
        (ListensElsewhere, &[("nowhere", Rare), ("another-port", Rare), ("loopback-only", Rare), ("another-address", Always), ("socket-only", Mostly), ("other-instances", Rare)]),
        (OwnQueue, &[("waiting", Never), ("empty", Never), ("nobody", Always)]),
        (UsualPort, &[("speaks", Rare), ("does-not", Always)]),
        (OtherAddress, &[("works", Sometimes), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (AtTheHost, &[("connected", Sometimes), ("refused", Always), ("silent", Rare)]),
        (OtherVantage, &[("connected", Rare), ("refused", Always), ("silent", Rare)]),
    ] },
    Row { cause: "listens-on-other-port", shows: &[(PortRefused, Often)], says: &[
        (RefusalDistance, &[("nearer", Rare), ("same", Always), ("own-machine", Rare)]),
        (ListensElsewhere, &[("nowhere", Rare), ("another-port", Always), ("loopback-only", Rare), ("another-address", Rare), ("socket-only", Rare), ("other-instances", Often)]),
        (OwnQueue, &[("waiting", Never), ("empty", Never), ("nobody", Always)]),
        (UsualPort, &[("speaks", Always), ("does-not", Rare)]),
        (OtherAddress, &[("works", Rare), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (AtTheHost, &[("connected", Rare), ("refused", Always), ("silent", Rare)]),
        (OtherVantage, &[("connected", Rare), ("refused", Always), ("silent", Rare)]),
    ] },
    Row { cause: "tunnel-down", shows: &[(PortRefused, Mostly)], says: &[
        (TunnelSay, &[("nothing", Never), ("told", Always), ("held", Never), ("shadowed", Never)]),
        (ListensElsewhere, &[("nowhere", Always), ("another-port", Often), ("loopback-only", Sometimes), ("another-address", Sometimes), ("socket-only", Often), ("other-instances", Often)]),
    ] },
    Row { cause: "tunnel-far-end-dead", shows: &[(ListenerClosed, Mostly), (ListenerMute, Often), (TlsClosed, Often), (TlsMute, Sometimes)], says: &[
        (TunnelSay, &[("nothing", Never), ("told", Never), ("held", Always), ("shadowed", Never)]),
    ] },
    Row { cause: "tunnel-shadowed", shows: &[(ListenerOther, Mostly), (LoginCredentials, Mostly), (LoginDenied, Mostly), (LoginIdentity, Mostly), (LoginHostRefused, Mostly), (SessionNoDatabase, Mostly)], says: &[
        (TunnelSay, &[("nothing", Never), ("told", Never), ("held", Never), ("shadowed", Always)]),
    ] },
    Row { cause: "wrong-service-on-port", shows: &[
        (TlsGarbled, Often), (TlsClosed, Sometimes), (ListenerOther, Mostly), (ListenerMute, Sometimes), (ListenerClosed, Often), (ListenerRefused, Rare), (LoginGarbled, Often), (SessionGarbled, Often),
    ], says: &[
        (RefusedBy, &[("server", Rare), ("pooler", Always)]),
        (OwnQueue, &[("waiting", Rare), ("empty", Always), ("nobody", Sometimes)]),
        (RequestConfirmed, &[("confirmed", Always), ("unconfirmed", Rare)]),
        (UsualPort, &[("speaks", Mostly), ("does-not", Often)]),
        (WhoAnswers, &[("another-service", Always), ("nobody-known", Sometimes)]),
        (AtTheHost, &[("connected", Always), ("refused", Rare), ("silent", Rare)]),
    ] },
    Row { cause: "server-hung", shows: &[
        (TlsMute, Often), (PortSocketSilent, Always), (PortSilent, Often), (ListenerMute, Sometimes), (LoginMute, Often), (SessionMute, Often),
    ], says: &[
        (PathEnd, &[("short", Rare), ("host-end", Always), ("both-short", Rare), ("nowhere", Sometimes)]),
        (OpenConnections, &[("none", Often), ("some", Often)]),
        (WhoAnswers, &[("another-service", Rare), ("nobody-known", Always)]),
        (HostAnswers, &[("answers", Mostly), ("silent", Often)]),
        (ControlPort, &[("connected", Mostly), ("refused", Always), ("silent", Often), ("unreachable", Sometimes), ("far-only", Rare)]),
        (TargetPlace, &[("loopback", Often), ("own-address", Sometimes), ("elsewhere", Often)]),
        (OtherAddress, &[("works", Sometimes), ("fails", Mostly), ("only-one", Mostly), ("passed-over", Mostly)]),
        (AtTheHost, &[("connected", Rare), ("refused", Rare), ("silent", Always)]),
        (OtherVantage, &[("connected", Rare), ("refused", Rare), ("silent", Always)]),
        (LaterAgain, &[("works", Sometimes), ("same", Mostly), ("refused", Sometimes)]),
        (OwnQueue, &[("waiting", Always), ("empty", Sometimes), ("nobody", Rare)]),
        (RequestConfirmed, &[("confirmed", Always), ("unconfirmed", Rare)]),
        (LongerPatience, &[("speaks", Sometimes), ("same", Always)]),
        (ServerLog, &[("password", Rare), ("role", Rare), ("database", Rare), ("parameter", Rare), ("backend", Rare), ("limit", Rare), ("nothing", Always)]),
    ] },
    Row { cause: "listener-mute", shows: &[(ListenerMute, Mostly)], says: &[
        (WhoAnswers, &[("another-service", Never), ("nobody-known", Always)]),
        (OwnQueue, &[("waiting", Rare), ("empty", Mostly), ("nobody", Sometimes)]),
        (RequestConfirmed, &[("confirmed", Always), ("unconfirmed", Rare)]),
        (LongerPatience, &[("speaks", Sometimes), ("same", Mostly)]),
    ] },
    Row { cause: "server-slow-to-greet", shows: &[(ListenerMute, Sometimes), (ListenerSlow, Often), (LoginSlow, Often)], says: &[
        (WhoAnswers, &[("another-service", Rare), ("nobody-known", Always)]),
        (PacketLoss, &[("none", Always), ("some", Sometimes)]),
        (LaterAgain, &[("works", Often), ("same", Often), ("refused", Rare)]),
        (OwnQueue, &[("waiting", Rare), ("empty", Mostly), ("nobody", Sometimes)]),
        (RequestConfirmed, &[("confirmed", Always), ("unconfirmed", Rare)]),
        (LongerPatience, &[("speaks", Always), ("same", Sometimes)]),
    ] },
    Row { cause: "closes-on-accept", shows: &[(TlsClosed, Often), (ListenerClosed, Mostly)], says: &[
        (WhoAnswers, &[("another-service", Never), ("nobody-known", Always)]),
    ] },
    Row { cause: "client-blocked-by-server", shows: &[(ListenerBlocked, Always), (ListenerClosed, Sometimes)], says: &[
        (WhoAnswers, &[("another-service", Rare), ("nobody-known", Always)]),
    ] },
    Row { cause: "server-starting", shows: &[(ListenerNotReady, Often)], says: &[
        (StateWords, &[("starting", Always), ("stopping", Rare)]),
        (LaterAgain, &[("works", Mostly), ("same", Often), ("refused", Rare)]),
    ] },
    Row { cause: "server-stopping", shows: &[(ListenerNotReady, Often), (ListenerStopping, Always), (LoginClosed, Often), (SessionClosed, Often)], says: &[
        (StateWords, &[("starting", Rare), ("stopping", Always)]),
        (LaterAgain, &[("works", Sometimes), ("same", Sometimes), ("refused", Mostly)]),
    ] },
    Row { cause: "server-full", shows: &[(ListenerFull, Always)], says: &[] },
    Row { cause: "pooler-backend-down", shows: &[(LoginMute, Often), (SessionMute, Often), (LoginClosed, Often), (SessionClosed, Often), (ListenerRefused, Often), (LoginRefused, Often), (SessionRefused, Often)], says: &[
        (RequestConfirmed, &[("confirmed", Always), ("unconfirmed", Rare)]),
        (RefusedBy, &[("server", Rare), ("pooler", Always)]),
        (PoolerWords, &[("database", Rare), ("parameter", Rare), ("credentials", Rare), ("limit", Rare), ("backend", Always), ("waited", Often)]),
        (ServerLog, &[("password", Rare), ("role", Rare), ("database", Rare), ("parameter", Rare), ("backend", Always), ("limit", Rare), ("nothing", Sometimes)]),
    ] },
    Row { cause: "pooler-full", shows: &[(SessionMute, Often), (LoginMute, Often), (ListenerRefused, Sometimes), (LoginRefused, Sometimes), (SessionRefused, Sometimes)], says: &[
        (RequestConfirmed, &[("confirmed", Always), ("unconfirmed", Rare)]),
        (RefusedBy, &[("server", Rare), ("pooler", Always)]),
        (PoolerWords, &[("database", Rare), ("parameter", Rare), ("credentials", Rare), ("limit", Always), ("backend", Rare), ("waited", Mostly)]),
        (LaterAgain, &[("works", Mostly), ("same", Often), ("refused", Rare)]),
        (ServerLog, &[("password", Rare), ("role", Rare), ("database", Rare), ("parameter", Rare), ("backend", Rare), ("limit", Always), ("nothing", Sometimes)]),
    ] },

    // Encryption.
    Row { cause: "tls-not-offered", shows: &[(TlsNotOffered, Always), (TlsRequired, Often), (LoginDenied, Rare)], says: &[
        (LineEncryption, &[("encrypted", Never), ("clear", Always), ("lets-pass", Never)]),
        // A server that demands what it was not given the certificate for.
        (EncryptionOffer, &[("offered", Rare), ("refused", Always)]),
    ] },
    Row { cause: "tls-required", shows: &[(TlsRequired, Often), (LoginDenied, Sometimes), (LoginHostRefused, Often)], says: &[
        (HostWords, &[("no-rule", Always), ("certificate", Rare)]),
        (LineEncryption, &[("encrypted", Never), ("clear", Always), ("lets-pass", Often)]),
        (EncryptionOffer, &[("offered", Always), ("refused", Rare)]),
    ] },
    Row { cause: "certificate-expired", shows: &[(TlsCertificate, Often)], says: &[
        (CertificateDefect, &[("expired", Always), ("not-yet-valid", Never), ("other-name", Never), ("self-signed", Never), ("issuer-unknown", Never), ("issuer-missing", Never), ("signature-wrong", Never), ("no-authority", Never), ("wrong-purpose", Never), ("unknown-extension", Never), ("too-weak", Never), ("unreadable", Never)]),
        (DateSpread, &[("one", Mostly), ("all", Sometimes)]),
    ] },
    Row { cause: "certificate-not-yet-valid", shows: &[(TlsCertificate, Often)], says: &[
        (CertificateDefect, &[("expired", Never), ("not-yet-valid", Always), ("other-name", Never), ("self-signed", Never), ("issuer-unknown", Never), ("issuer-missing", Never), ("signature-wrong", Never), ("no-authority", Never), ("wrong-purpose", Never), ("unknown-extension", Never), ("too-weak", Never), ("unreadable", Never)]),
        (DateSpread, &[("one", Mostly), ("all", Sometimes)]),
        (OwnClock, &[("possible", Always), ("impossible", Rare)]),
    ] },
    Row { cause: "clock-wrong", shows: &[(TlsCertificate, Sometimes)], says: &[
        (CertificateDefect, &[("expired", Often), ("not-yet-valid", Mostly), ("other-name", Never), ("self-signed", Never), ("issuer-unknown", Never), ("issuer-missing", Never), ("signature-wrong", Never), ("no-authority", Never), ("wrong-purpose", Never), ("unknown-extension", Never), ("too-weak", Never), ("unreadable", Never)]),
        (DateSpread, &[("one", Sometimes), ("all", Mostly)]),
        (OwnClock, &[("possible", Sometimes), ("impossible", Always)]),
    ] },
    Row { cause: "certificate-name-mismatch", shows: &[(TlsCertificate, Often)], says: &[
        (CertificateDefect, &[("expired", Never), ("not-yet-valid", Never), ("other-name", Always), ("self-signed", Never), ("issuer-unknown", Never), ("issuer-missing", Never), ("signature-wrong", Never), ("no-authority", Never), ("wrong-purpose", Never), ("unknown-extension", Never), ("too-weak", Never), ("unreadable", Never)]),
    ] },
    Row { cause: "certificate-self-signed", shows: &[(TlsCertificate, Often)], says: &[
        (CertificateDefect, &[("expired", Never), ("not-yet-valid", Never), ("other-name", Never), ("self-signed", Always), ("issuer-unknown", Never), ("issuer-missing", Never), ("signature-wrong", Never), ("no-authority", Never), ("wrong-purpose", Never), ("unknown-extension", Never), ("too-weak", Never), ("unreadable", Never)]),
    ] },
    Row { cause: "certificate-issuer-unknown", shows: &[(TlsCertificate, Often)], says: &[
        (CertificateDefect, &[("expired", Never), ("not-yet-valid", Never), ("other-name", Never), ("self-signed", Never), ("issuer-unknown", Mostly), ("issuer-missing", Often), ("signature-wrong", Often), ("no-authority", Sometimes), ("wrong-purpose", Rare), ("unknown-extension", Rare), ("too-weak", Rare), ("unreadable", Rare)]),
        (IssuerKin, &[("kin", Sometimes), ("stranger", Mostly)]),
        (IssuerPlace, &[("named", Often), ("unsaid", Mostly)]),
    ] },
    Row { cause: "certificate-chain-incomplete", shows: &[(TlsCertificate, Often)], says: &[
        (CertificateDefect, &[("expired", Never), ("not-yet-valid", Never), ("other-name", Never), ("self-signed", Never), ("issuer-unknown", Never), ("issuer-missing", Always), ("signature-wrong", Never), ("no-authority", Never), ("wrong-purpose", Never), ("unknown-extension", Never), ("too-weak", Never), ("unreadable", Never)]),
        (IssuerKin, &[("kin", Always), ("stranger", Often)]),
        (IssuerPlace, &[("named", Mostly), ("unsaid", Often)]),
    ] },
    Row { cause: "tls-version-gap", shows: &[(TlsNothingInCommon, Always), (TlsAlert, Often), (TlsClosed, Often)], says: &[
        (AlertSays, &[("version", Mostly), ("handshake", Mostly), ("certificate-required", Rare), ("certificate-refused", Rare), ("name", Rare), ("other", Sometimes)]),
        (OldHello, &[("old-version", Always), ("old-cipher", Mostly), ("modern", Rare), ("refused", Sometimes)]),
    ] },
    Row { cause: "client-certificate-missing", shows: &[(TlsAlert, Often), (LoginHostRefused, Sometimes), (LoginDenied, Rare)], says: &[
        (AlertSays, &[("version", Rare), ("handshake", Often), ("certificate-required", Always), ("certificate-refused", Sometimes), ("name", Rare), ("other", Rare)]),
        (OwnCertificate, &[("not-asked", Rare), ("none-there", Always), ("shown", Never), ("another-name", Never)]),
        (HostWords, &[("no-rule", Rare), ("certificate", Always)]),
        (OldHello, &[("old-version", Rare), ("old-cipher", Mostly), ("modern", Often), ("refused", Sometimes)]),
    ] },
    Row { cause: "client-certificate-refused", shows: &[(TlsAlert, Often), (LoginHostRefused, Rare), (LoginIdentity, Often)], says: &[
        (RoleWords, &[("no-such-role", Rare), ("may-not-sign-in", Rare), ("certificate", Always), ("own-account", Never)]),
        (AlertSays, &[("version", Rare), ("handshake", Sometimes), ("certificate-required", Rare), ("certificate-refused", Always), ("name", Rare), ("other", Sometimes)]),
        (OwnCertificate, &[("not-asked", Never), ("none-there", Never), ("shown", Always), ("another-name", Always)]),
    ] },

    // The sign-in.
    Row { cause: "password-missing", shows: &[(LoginNoPassword, Always)], says: &[] },
    Row { cause: "credentials-rejected", shows: &[(LoginDenied, Mostly), (LoginCredentials, Mostly), (LoginIdentity, Rare), (LoginRefused, Often)], says: &[
        (RoleWords, &[("no-such-role", Rare), ("may-not-sign-in", Rare), ("certificate", Rare), ("own-account", Always)]),
        (RepairedSecret, &[("blanks-off", Never), ("decoded", Never), ("none", Always)]),
        (RefusedBy, &[("server", Rare), ("pooler", Always)]),
        (PoolerWords, &[("database", Rare), ("parameter", Rare), ("credentials", Always), ("limit", Rare), ("backend", Rare), ("waited", Rare)]),
        (ServerLog, &[("password", Always), ("role", Mostly), ("database", Rare), ("parameter", Rare), ("backend", Rare), ("limit", Rare), ("nothing", Rare)]),
        (ValueShape, &[("clean", Always), ("blank", Sometimes), ("placeholder", Sometimes), ("left-out", Often), ("look-alike", Sometimes), ("percent", Often)]),
    ] },
    Row { cause: "password-has-stray-whitespace", shows: &[(LoginDenied, Often), (LoginCredentials, Often)], says: &[
        (ValueShape, &[("clean", Never), ("blank", Always), ("placeholder", Never), ("left-out", Never), ("look-alike", Never), ("percent", Never)]),
        (RepairedSecret, &[("blanks-off", Always), ("decoded", Never), ("none", Rare)]),
    ] },
    Row { cause: "user-unknown", shows: &[(LoginIdentity, Often)], says: &[
        (ProofBefore, &[("accepted", Rare), ("none-asked", Mostly)]),
        (RoleWords, &[("no-such-role", Always), ("may-not-sign-in", Rare), ("certificate", Rare), ("own-account", Rare)]),
        (ValueShape, &[("clean", Mostly), ("blank", Rare), ("placeholder", Rare), ("left-out", Sometimes), ("look-alike", Rare), ("percent", Rare)]),
    ] },
    Row { cause: "login-not-allowed-for-role", shows: &[(LoginIdentity, Often)], says: &[
        (ProofBefore, &[("accepted", Mostly), ("none-asked", Mostly)]),
        (RoleWords, &[("no-such-role", Rare), ("may-not-sign-in", Always), ("certificate", Rare), ("own-account", Rare)]),
        (ValueShape, &[("clean", Mostly), ("blank", Rare), ("placeholder", Rare), ("left-out", Rare), ("look-alike", Rare), ("percent", Rare)]),
    ] },
    Row { cause: "client-host-not-permitted", shows: &[(LoginDenied, Sometimes), (LoginHostRefused, Often)], says: &[
        (OwnCertificate, &[("not-asked", Mostly), ("none-there", Sometimes), ("shown", Often), ("another-name", Rare)]),
        (HostWords, &[("no-rule", Always), ("certificate", Rare)]),
        (EncryptionOffer, &[("offered", Mostly), ("refused", Often)]),
    ] },
    Row { cause: "login-method-unsupported", shows: &[(LoginMethod, Always)], says: &[] },
    Row { cause: "plaintext-refused", shows: &[(LoginPlaintext, Always)], says: &[] },
    Row { cause: "account-locked", shows: &[(LoginLocked, Always)], says: &[] },
    Row { cause: "password-expired", shows: &[(LoginExpired, Always)], says: &[] },
    Row { cause: "account-limit-reached", shows: &[(LoginLimit, Always)], says: &[] },

    // The session.
    Row { cause: "database-missing", shows: &[(SessionNoDatabase, Often), (ListenerRefused, Often), (LoginRefused, Often)], says: &[
        (RefusedBy, &[("server", Rare), ("pooler", Always)]),
        (PoolerWords, &[("database", Always), ("parameter", Rare), ("credentials", Rare), ("limit", Rare), ("backend", Rare), ("waited", Rare)]),
        (ServerLog, &[("password", Rare), ("role", Rare), ("database", Always), ("parameter", Rare), ("backend", Rare), ("limit", Rare), ("nothing", Rare)]),
        (ValueShape, &[("clean", Always), ("blank", Rare), ("placeholder", Rare), ("left-out", Sometimes), ("look-alike", Rare), ("percent", Rare)]),
    ] },
    Row { cause: "database-not-permitted", shows: &[(SessionNotPermitted, Always)], says: &[] },
    Row { cause: "database-takes-no-connections", shows: &[(SessionDatabaseClosed, Always)], says: &[] },
    Row { cause: "wrong-instance", shows: &[(SessionWritable, Always), (LoginUnproven, Often)], says: &[] },
    Row { cause: "read-only-instance", shows: &[(SessionReadOnly, Always)], says: &[] },
];

//! Every question, in one place: what it asks, what answers it, how dear an answer is, and how
//! often each of its answers comes under a cause that says nothing on it.
//!
//! A question that needs ground names a cause only where something spoke of it: a cause that
//! it puts out was never more than possible, and that is not worth a line among what was
//! ruled out.

use super::{asked, questions};

questions! {
    /// What the port below did; where it is silent too, what one far away did.
    ControlPort = "control-port", by asked::way::control_port, cost 1.0 {
        Connected = "connected" Mostly, Refused = "refused" Mostly, Silent = "silent" Mostly,
        Unreachable = "unreachable" Mostly, FarOnly = "far-only" Rare,
    }
    /// Whether the host itself answers, beside its ports.
    HostAnswers = "host-answers", by asked::way::host_answers, cost 1.0 {
        Answers = "answers" Often, Silent = "silent" Often,
    }
    /// Whether the address is this machine's own, and whether others could reach it.
    TargetPlace = "target-place", by asked::way::target_place, cost 1.0 {
        Loopback = "loopback" Often, OwnAddress = "own-address" Sometimes,
        Elsewhere = "elsewhere" Often,
    }
    /// Whether another address of the name works.
    OtherAddress = "other-address", by asked::way::other_address, cost 1.0 {
        Works = "works" Often, Fails = "fails" Often, OnlyOne = "only-one" Often,
        PassedOver = "passed-over" Often,
    }
    /// Who sent the ICMP message.
    RefusalSender = "refusal-sender", by asked::way::refusal_sender, cost 1.0 {
        TheHost = "the-host" Often, ADevice = "a-device" Often,
        ThisMachine = "this-machine" Often,
    }
    /// What the ICMP message says.
    RefusalSays = "refusal-says", by asked::way::refusal_says, cost 1.0 {
        Port = "port" Often, Prohibited = "prohibited" Often, Host = "host" Often,
        Network = "network" Often,
    }
    /// The form of the value on which this symptom turns.
    ValueShape = "value-shape", by asked::value_shape, cost 1.0 {
        Clean = "clean" Often, Blank = "blank" Often,
        BlankElsewhere = "blank-elsewhere" Rare, Placeholder = "placeholder" Often,
        LeftOut = "left-out" Often, LookAlike = "look-alike" Often, Percent = "percent" Often,
    }
    /// How fast name service failed.
    NameSpeed = "name-speed", by asked::name_speed, cost 1.0 {
        Quick = "quick" Often, Slow = "slow" Often,
    }
    /// Whether a proof was accepted before the refusal.
    ProofBefore = "proof-before", by asked::proof_before, cost 1.0 {
        Accepted = "accepted" Often, NoneAsked = "none-asked" Often,
    }
    /// What the server's untranslated words say of the account.
    RoleWords = "role-words", by asked::role_words, cost 1.0 {
        NoSuchRole = "no-such-role" Often, MayNotSignIn = "may-not-sign-in" Often,
        Certificate = "certificate" Often, OwnAccount = "own-account" Often,
    }
    /// What the server's untranslated words say of its state.
    StateWords = "state-words", by asked::state_words, cost 1.0 {
        Starting = "starting" Often, Stopping = "stopping" Often,
    }
    /// Whether the server offers encryption.
    EncryptionOffer = "encryption-offer", by asked::encryption::encryption_offer, cost 1.0 {
        Offered = "offered" Often, Refused = "refused" Often,
    }
    /// Whose port the number looks like.
    PortNumber = "port-number", by asked::port::port_number, cost 1.0 {
        Usual = "usual" Often, OtherEngines = "other-engines" Often,
        Mistyped = "mistyped" Often, Another = "another" Often,
    }
    /// What the port did that was probably meant.
    MendedPort = "mended-port", by asked::port::mended_port, cost 1.0 {
        Connected = "connected" Sometimes, Refused = "refused" Often, Silent = "silent" Often,
    }
    /// What this machine's own table of sockets says of the port.
    OwnQueue = "own-queue", by asked::way::own_queue, cost 1.0 {
        Waiting = "waiting" Often, Empty = "empty" Often, Nobody = "nobody" Often,
    }
    /// Whether packets had to be sent again.
    PacketLoss = "packet-loss", by asked::way::packet_loss, cost 1.0 {
        None = "none" Often, Some = "some" Often,
    }
    /// Whether the other side confirmed our request, though it did not answer it.
    RequestConfirmed = "request-confirmed", by asked::way::request_confirmed, cost 1.0 {
        Confirmed = "confirmed" Often, Unconfirmed = "unconfirmed" Often,
    }
    /// Who spoke the refusal: the server names its routine, a pooler does not.
    RefusedBy = "refused-by", by asked::refused_by, cost 1.0 {
        Server = "server" Often, Pooler = "pooler" Often,
    }
    /// What a pooler's untranslated words say.
    PoolerWords = "pooler-words", by asked::pooler_words, cost 1.0 {
        Database = "database" Often, Parameter = "parameter" Often,
        Credentials = "credentials" Often, Limit = "limit" Often, Backend = "backend" Often,
        Waited = "waited" Often,
    }
    /// Whether the client sent more at the start than user and database.
    SentParameters = "sent-parameters", by asked::sent_parameters, cost 1.0 {
        None = "none" Often, Some = "some" Often,
    }
    /// Which repaired form of the refused secret the server let in.
    RepairedSecret = "repaired-secret", by asked::repaired_secret, cost 1.0 {
        BlanksOff = "blanks-off" Often, Decoded = "decoded" Often, None = "none" Often,
    }
    /// What is wrong first with the server's certificates.
    CertificateDefect = "certificate-defect", by asked::encryption::certificate_defect, cost 1.0 {
        Expired = "expired" Often, NotYetValid = "not-yet-valid" Often,
        OtherName = "other-name" Often, SelfSigned = "self-signed" Often,
        IssuerUnknown = "issuer-unknown" Often, IssuerMissing = "issuer-missing" Often,
        SignatureWrong = "signature-wrong" Often, NoAuthority = "no-authority" Often,
        WrongPurpose = "wrong-purpose" Often, UnknownExtension = "unknown-extension" Often,
        TooWeak = "too-weak" Often, Unreadable = "unreadable" Often,
        IssuerUnclear = "issuer-unclear" Rare,
    }
    /// Whether a trusted authority is of the house of the issuer that is missing.
    IssuerKin = "issuer-kin", by asked::encryption::issuer_kin, cost 1.0 {
        Kin = "kin" Often, Stranger = "stranger" Often,
    }
    /// Whether the last certificate says where its issuer's is to be had.
    IssuerPlace = "issuer-place", by asked::encryption::issuer_place, cost 1.0 {
        Named = "named" Often, Unsaid = "unsaid" Often,
    }
    /// Whether the whole chain is out of its time, or one certificate.
    DateSpread = "date-spread", by asked::encryption::date_spread, cost 1.0 {
        One = "one" Often, All = "all" Often,
    }
    /// Whether this machine's clock shows a plausible time.
    OwnClock = "own-clock", by asked::encryption::own_clock, cost 1.0 {
        Possible = "possible" Often, Impossible = "impossible" Often,
    }
    /// Of what the server's alert speaks.
    AlertSays = "alert-says", by asked::encryption::alert_says, cost 1.0 {
        Version = "version" Often, Handshake = "handshake" Often,
        CertificateRequired = "certificate-required" Often,
        CertificateRefused = "certificate-refused" Often, Name = "name" Often,
        Other = "other" Often,
    }
    /// What an old server's hello is answered with.
    OldHello = "old-hello", by asked::encryption::old_hello, cost 1.0 {
        OldVersion = "old-version" Often, OldCipher = "old-cipher" Often,
        Modern = "modern" Often, Refused = "refused" Often,
    }
    /// Whether the client's own certificate came into it.
    OwnCertificate = "own-certificate", by asked::encryption::own_certificate, cost 1.0 {
        NotAsked = "not-asked" Often, NoneThere = "none-there" Often, Shown = "shown" Often,
        AnotherName = "another-name" Often,
    }
    /// Whether a certificate that an account may demand was shown, where the refusal does not tell.
    AccountCertificate = "account-certificate", by asked::encryption::account_certificate, cost 1.0 needs ground {
        NotAsked = "not-asked" Often, NoneThere = "none-there" Often, Shown = "shown" Often,
        AnotherName = "another-name" Often, Fits = "fits" Often,
    }
    /// What is known of a bundle that was given: without one nothing speaks for its faults.
    BundleSays = "bundle-says", by asked::encryption::bundle_says, cost 1.0 needs ground {
        Nothing = "nothing" Often, Past = "past" Often, Given = "given" Often,
    }
    /// What the password says of its own dates, if it is a token.
    TokenDate = "token-date", by asked::token_date, cost 1.0 needs ground {
        Past = "past" Rare, NotYet = "not-yet" Rare, Plain = "plain" Always,
    }
    /// What the server's untranslated words say of the host's refusal.
    HostWords = "host-words", by asked::host_words, cost 1.0 {
        NoRule = "no-rule" Often, Certificate = "certificate" Often,
    }
    /// Whether the line on which it failed is encrypted.
    LineEncryption = "line-encryption", by asked::encryption::line_encryption, cost 1.0 {
        Encrypted = "encrypted" Always, Clear = "clear" Always, LetsPass = "lets-pass" Rare,
    }
    /// Who answers, by its first bytes or by its answer to ours.
    WhoAnswers = "who-answers", by asked::port::who_answers, cost 1.0 {
        AnotherService = "another-service" Often, NobodyKnown = "nobody-known" Often,
    }
    /// Whether the engine answers on its usual port of that host.
    UsualPort = "usual-port", by asked::port::usual_port, cost 1.0 {
        Speaks = "speaks" Often, DoesNot = "does-not" Often,
    }
    /// What the files round the settings say of the value on which this symptom turns.
    SettingsSay = "settings-say", by asked::settings_say, cost 1.0 needs ground {
        Nothing = "nothing" Often, AnotherPlace = "another-place" Often,
        Inactive = "inactive" Often, Loopback = "loopback" Often,
        ContainerName = "container-name" Often, Backslash = "backslash" Often,
        InactiveAnswers = "inactive-answers" Rare,
    }
    /// Whether a list of rules that was given speaks of the client and keeps it out: without
    /// that nothing speaks for a rule that is off, or for another port.
    ListSpeaks = "list-speaks", by asked::lists::speaks, cost 1.0 needs ground {
        Nothing = "nothing" Often, OtherPort = "other-port" Often, RuleOff = "rule-off" Often,
        WayBack = "way-back" Often,
    }
    /// What the lists of rules that were given say: the first that keeps the client out.
    AllowList = "allow-list", by asked::lists::says, cost 1.0 {
        Covers = "covers" Mostly, Excludes = "excludes" Rare, OtherPort = "other-port" Rare,
        RuleOff = "rule-off" Rare, WayBack = "way-back" Rare, HostRules = "host-rules" Rare,
    }
    /// How the sources of a name compare, and whether what the other gives connects.
    NameSources = "name-sources", by asked::names::sources, cost 1.0 needs ground {
        Nothing = "nothing" Always, Agree = "agree" Always,
        HostsFileDiffers = "hosts-file-differs" Often,
        HostsFileHides = "hosts-file-hides" Rare, ResolversDiffer = "resolvers-differ" Often,
        ResolversHide = "resolvers-hide" Rare, CacheDiffers = "cache-differs" Sometimes,
        CacheHides = "cache-hides" Rare, SystemHides = "system-hides" Rare,
    }
    /// Whether an alias or a service record leads into the void.
    AliasChain = "alias-chain", by asked::names::alias_chain, cost 1.0 needs ground {
        Whole = "whole" Always, Breaks = "breaks" Rare,
    }
    /// Whether names near one that is denied exist.
    NearNames = "near-names", by asked::names::near_names, cost 1.0 {
        None = "none" Mostly, Exists = "exists" Sometimes, Everything = "everything" Often,
    }
    /// What the resolvers say, asked one by one.
    ResolverWord = "resolver-word", by asked::names::resolver_word, cost 1.0 {
        Denied = "denied" Always, Empty = "empty" Often, Failed = "failed" Often,
        Silent = "silent" Often, Garbled = "garbled" Rare,
    }
    /// Whether a private address leaves towards the public network.
    PrivateWay = "private-way", by asked::names::private_way, cost 1.0 needs ground {
        Public = "public" Always, OwnNetwork = "own-network" Always,
        DefaultWay = "default-way" Often, IntoPublic = "into-public" Sometimes,
    }
    /// Where packets to the port end, against those to a control port.
    PathEnd = "path-end", by asked::steps::path_end, cost 1.0 {
        Short = "short" Often, HostEnd = "host-end" Often, BothShort = "both-short" Often,
        Nowhere = "nowhere" Often,
    }
    /// How far away the refusal is made, against the host.
    RefusalDistance = "refusal-distance", by asked::steps::refusal_distance, cost 1.0 {
        Nearer = "nearer" Often, Same = "same" Often, OwnMachine = "own-machine" Rare,
    }
    /// Whether this machine itself stops it.
    OwnFilter = "own-filter", by asked::steps::own_filter, cost 1.0 needs ground {
        Nothing = "nothing" Always, Counted = "counted" Rare, Blocks = "blocks" Rare,
    }
    /// Whether the next device on the way answers at all.
    NextDevice = "next-device", by asked::departure::next_device, cost 1.0 {
        DeviceAnswers = "device-answers" Always, DeviceSilent = "device-silent" Rare,
        HostAnswers = "host-answers" Often, HostSilent = "host-silent" Rare,
    }
    /// Whether the port is passed on to another machine on the way.
    PassedOn = "passed-on", by asked::steps::passed_on, cost 1.0 {
        Direct = "direct" Always, PassedOn = "passed-on" Rare,
    }
    /// Whether connections of this machine to the same place stand open.
    OpenConnections = "open-connections", by asked::steps::open_connections, cost 1.0 {
        None = "none" Mostly, Some = "some" Often,
    }
    /// What a server that closes on TLS at once says to the ordinary request to encrypt.
    OrdinaryRequest = "ordinary-request", by asked::encryption::ordinary_request, cost 1.0 {
        Untold = "untold" Always, Offered = "offered" Rare, Refused = "refused" Rare,
    }
    /// Whether a line that stalled goes on with small segments.
    SmallSegments = "small-segments", by asked::steps::small_segments, cost 1.0 {
        Answered = "answered" Rare, Stalls = "stalls" Always,
    }
    /// What this machine's own tables say of the engine's listeners.
    ListensElsewhere = "listens-elsewhere", by asked::steps::listens_elsewhere, cost 1.0 {
        Nowhere = "nowhere" Always, AnotherPort = "another-port" Sometimes,
        LoopbackOnly = "loopback-only" Sometimes, AnotherAddress = "another-address" Sometimes,
        SocketOnly = "socket-only" Sometimes, OtherInstances = "other-instances" Sometimes,
    }
    /// What tells of a tunnel from this port.
    TunnelSay = "tunnel", by asked::steps::tunnel, cost 1.0 needs ground {
        Nothing = "nothing" Always, Told = "told" Rare, Held = "held" Rare,
        Shadowed = "shadowed" Rare,
    }
    /// What the same port does when asked on the host itself.
    AtTheHost = "at-the-host", by asked::from_outside, cost 3.0 {
        Connected = "connected" Often, Refused = "refused" Often, Silent = "silent" Often,
    }
    /// What the same port does when asked from another network.
    OtherVantage = "other-vantage", by asked::from_outside, cost 2.0 {
        Connected = "connected" Often, Refused = "refused" Often, Silent = "silent" Often,
    }
    /// What the same attempt brings a minute later.
    LaterAgain = "later-again", by asked::from_outside, cost 1.0 {
        Works = "works" Often, Same = "same" Often, Refused = "refused" Often,
    }
    /// What the same attempt brings with more patience.
    LongerPatience = "longer-patience", by asked::from_outside, cost 1.0 {
        Speaks = "speaks" Often, Same = "same" Often,
    }
    /// What the log of the server, or of the pooler, says.
    ServerLog = "server-log", by asked::from_outside, cost 3.0 {
        Password = "password" Often, Role = "role" Often, Database = "database" Often,
        Parameter = "parameter" Often, Backend = "backend" Often, Limit = "limit" Often,
        Nothing = "nothing" Often,
    }
    /// What the log of a pooler names that says the same to its clients whatever it is.
    LogNames = "log-names", by asked::log_names, cost 3.0 needs ground {
        Nothing = "nothing" Always, User = "user-unknown" Rare, Password = "password-wrong" Rare,
        ServerSays = "server-says" Always,
    }
    /// Whether somebody with more rights looked the account up on the server: without that
    /// nothing tells apart what the server says alike.
    AccountLooked = "account-looked-up", by asked::account::looked, cost 2.0 needs ground {
        No = "no" Always, Partly = "partly" Rare, Yes = "yes" Rare,
        ServerSays = "server-says" Always,
    }
    /// How the account stands on the server, as somebody with more rights sees it.
    AccountStands = "account-stands", by asked::account::stands, cost 2.0 {
        NoSuchDatabase = "no-such-database" Rare, NoSuchUser = "no-such-user" Rare, MayNotSignIn = "may-not-sign-in" Rare,
        Expired = "expired" Rare, NoPassword = "no-password" Rare,
        Elsewhere = "elsewhere" Rare, HostExcluded = "host-excluded" Rare,
        NeedsEncryption = "needs-encryption" Rare,
        NeedsCertificate = "needs-certificate" Rare, InOrder = "in-order" Often,
        Exists = "exists" Often,
    }
    /// Whether the database is there, where the server does not say it to this account.
    DatabaseThere = "database-there", by asked::account::database, cost 2.0 needs ground {
        Untold = "untold" Always, Missing = "missing" Rare, There = "there" Often,
        ServerSays = "server-says" Always,
    }
    /// What the listener offers in place of a service that it does not know.
    ServicesOffered = "services-offered", by asked::services::offered, cost 1.0 {
        Others = "others" Mostly, NothingYet = "nothing-yet" Rare, Withheld = "withheld" Often,
    }
    /// Whether a listener offers several instances by one name, and they answered in turn.
    SameService = "same-service", by asked::services::same_service, cost 1.0 needs ground {
        Several = "several" Rare, Otherwise = "otherwise" Always,
    }
    /// What explains that an idle session ended.
    IdleEnd = "idle-end", by asked::account::idle_end, cost 1.0 {
        Unexplained = "unexplained" Often, ServerSaid = "server-said" Often,
        ServerLimit = "server-limit" Often,
    }
    /// Whether it was seen by this program, or only a text tells of it.
    OnlyTold = "only-told", by asked::from_outside, cost 1.0 {
        Seen = "seen" Always, Told = "told" Often,
    }
    /// How the password compares with the one of settings that are known to be right.
    ReferenceSays = "reference-says", by asked::account::reference, cost 1.0 {
        Same = "same" Often, AnotherPassword = "another-password" Rare, Blanks = "blanks" Rare,
        Encoding = "encoding" Rare,
    }
}

//! A defect of a text.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::field::Field;
use super::place::Place;
use crate::found::{CauseId, FindingId, Warning};
use crate::layer::Layer;

/// What kind of defect a text shows.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum DefectKind {
    /// It cannot be parsed.
    Unreadable,
    /// Its scheme or engine is not known.
    SchemeUnknown,
    /// A value that the engine needs is absent.
    Missing,
    /// A value that somebody was to fill in.
    Placeholder,
    /// Outer blanks, line ends, invisible characters, quotes taken into the value.
    StrayWhitespace,
    /// A reserved character split the text in the wrong place.
    NotEscaped,
    /// A letter of another script that looks like the right one.
    LookAlike,
    /// The usual port of another engine.
    OtherEnginesPort,
    /// A file that the client looks for by itself, and that its settings need.
    FileMissing,
    /// A file that the settings name, and that is not there.
    FileElsewhere,
    /// A file that does not hold what it should.
    FileUnusable,
    /// A key that others may read, where the client refuses it for that.
    FileOpen,
    /// A key or keystore that a passphrase locks, and that does not open.
    FileLocked,
    /// A key that does not belong to the certificate.
    FileMismatch,
    /// A certificate of a bundle that is past its date.
    FileExpired,
    /// A file in a form, or with a lock, that this program does not read and the client may.
    FileBeyond,
    /// A name of a connection that its bundle does not define, or that leads in a circle.
    AliasUnknown,
    /// The usual port with a digit lost, doubled or swapped.
    PortMistyped,
    /// A variable in a value that nothing sets.
    Unresolved,
    /// A comment sign that cuts a value short.
    CutShort,
    /// An escape in double quotes that changed a value.
    BackslashEaten,
    /// Loopback where it means the container itself.
    LoopbackElsewhere,
    /// A name or port of a container network, used outside it.
    ContainerNameOutside,
    /// Another place describes the same connection differently.
    SourcesDisagree,
    /// The right value is commented out, or under a name that nothing reads.
    Inactive,
    /// The settings take effect once only, and that was before they changed.
    Ineffective,
    /// A process was started before its settings changed.
    NotReloaded,
    /// A library that the driver needs is not there.
    LibraryMissing,
    /// A comment behind a value that its reader takes for a part of it.
    CommentKept,
    /// A setting that the client asks the server for, and that no server has.
    SettingRefused,
    /// Others may read the file that holds the secret.
    SecretReadable,
    /// An account with all rights.
    Administrator,
    /// An explicitly empty password.
    EmptyPassword,
    /// A parameter that this client does not know, and that another program may take.
    ParameterUnknown,
    /// Two versions of the client, or two readers of the file, make different values of it.
    ReadersDiffer,
    /// The client's own rules are not known here.
    ClientUnknown,
    /// Something listens already where a container's port is to be published.
    PortTaken,
}

/// What a defect means for a connection that nobody has tried yet.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Weight {
    /// It works, but look.
    Caution,
    /// It may be meant so; only a test tells.
    Doubt,
    /// The connection fails of it, or the value is not what somebody meant.
    Fault,
}

impl Weight {
    /// Its word.
    pub fn as_str(self) -> &'static str {
        match self {
            Weight::Caution => "caution",
            Weight::Doubt => "doubt",
            Weight::Fault => "fault",
        }
    }
}

impl DefectKind {
    /// Whether it is of one of the files that the settings point to.
    pub fn is_of_files(self) -> bool {
        matches!(
            self,
            DefectKind::FileMissing
                | DefectKind::FileElsewhere
                | DefectKind::FileUnusable
                | DefectKind::FileOpen
                | DefectKind::FileLocked
                | DefectKind::FileMismatch
                | DefectKind::FileExpired
                | DefectKind::FileBeyond
                | DefectKind::AliasUnknown
        )
    }

    /// What it means where nothing is tried.
    pub fn weight(self) -> Weight {
        match self {
            DefectKind::Unreadable
            | DefectKind::SchemeUnknown
            | DefectKind::Placeholder
            | DefectKind::StrayWhitespace
            | DefectKind::NotEscaped
            | DefectKind::LookAlike
            | DefectKind::FileElsewhere
            | DefectKind::FileUnusable
            | DefectKind::FileOpen
            | DefectKind::FileLocked
            | DefectKind::FileMismatch
            | DefectKind::FileExpired
            | DefectKind::AliasUnknown
            | DefectKind::BackslashEaten
            | DefectKind::LoopbackElsewhere
            | DefectKind::ContainerNameOutside
            | DefectKind::LibraryMissing
            | DefectKind::SettingRefused => Weight::Fault,
            DefectKind::Missing
            | DefectKind::OtherEnginesPort
            | DefectKind::PortMistyped
            | DefectKind::FileMissing
            | DefectKind::Unresolved
            | DefectKind::CutShort
            | DefectKind::SourcesDisagree
            | DefectKind::Inactive
            | DefectKind::Ineffective
            | DefectKind::NotReloaded => Weight::Doubt,
            DefectKind::SecretReadable
            | DefectKind::FileBeyond
            | DefectKind::Administrator
            | DefectKind::EmptyPassword
            | DefectKind::ParameterUnknown
            | DefectKind::ReadersDiffer
            | DefectKind::ClientUnknown
            | DefectKind::CommentKept
            | DefectKind::PortTaken => Weight::Caution,
        }
    }

    /// The cause or caution of the catalogue that a defect of this kind is, by the value
    /// that has it.
    pub fn cause(self, subject: &Field) -> FindingId {
        match self {
            DefectKind::StrayWhitespace | DefectKind::CommentKept
                if *subject == Field::PASSWORD =>
            {
                CauseId::PasswordHasStrayWhitespace.into()
            }
            DefectKind::Unreadable => CauseId::SettingsUnreadable.into(),
            DefectKind::SchemeUnknown => CauseId::SchemeUnknown.into(),
            DefectKind::Missing => CauseId::SettingMissing.into(),
            DefectKind::Placeholder | DefectKind::Unresolved => CauseId::PlaceholderLeftIn.into(),
            DefectKind::StrayWhitespace | DefectKind::CommentKept => {
                CauseId::StrayWhitespace.into()
            }
            DefectKind::NotEscaped | DefectKind::CutShort => CauseId::CharacterNotEscaped.into(),
            DefectKind::LookAlike => CauseId::LookAlikeLetter.into(),
            DefectKind::FileMissing => CauseId::BundleIncomplete.into(),
            DefectKind::FileElsewhere => CauseId::BundlePathStale.into(),
            DefectKind::FileUnusable => CauseId::BundleUnreadable.into(),
            DefectKind::FileOpen => CauseId::BundlePermissions.into(),
            DefectKind::FileLocked => CauseId::BundlePassphraseWrong.into(),
            DefectKind::FileMismatch => CauseId::BundleKeyMismatch.into(),
            DefectKind::FileExpired => CauseId::BundleExpired.into(),
            DefectKind::FileBeyond => Warning::BeyondUs.into(),
            DefectKind::AliasUnknown => CauseId::BundleAliasUnknown.into(),
            DefectKind::OtherEnginesPort => CauseId::PortOfOtherEngine.into(),
            DefectKind::PortMistyped => CauseId::PortMistyped.into(),
            DefectKind::BackslashEaten => CauseId::BackslashEaten.into(),
            DefectKind::LoopbackElsewhere => CauseId::LoopbackMeansElsewhere.into(),
            DefectKind::ContainerNameOutside => CauseId::ContainerNameOutside.into(),
            DefectKind::SourcesDisagree => CauseId::SourcesDisagree.into(),
            DefectKind::Inactive | DefectKind::Ineffective => CauseId::SettingInactive.into(),
            DefectKind::NotReloaded => CauseId::SettingsNotReloaded.into(),
            DefectKind::LibraryMissing => CauseId::ClientLibraryMissing.into(),
            DefectKind::SettingRefused => CauseId::StartupParameterRefused.into(),
            DefectKind::SecretReadable => Warning::SecretReadableByOthers.into(),
            DefectKind::Administrator => Warning::AdministratorAccountUsed.into(),
            DefectKind::EmptyPassword => Warning::EmptyPassword.into(),
            DefectKind::ParameterUnknown => Warning::ParameterUnknown.into(),
            DefectKind::ReadersDiffer => Warning::ReadersDiffer.into(),
            DefectKind::ClientUnknown => Warning::ClientRulesUnknown.into(),
            DefectKind::PortTaken => Warning::PublishedPortTaken.into(),
        }
    }
}

/// One defect, with its place.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Defect {
    /// What kind it is.
    pub kind: DefectKind,
    /// Which value has it: `host`, `port`, `user`, `password`, `database`, `scheme`, …
    pub subject: Field,
    /// Whether the client can dial nothing because of it.
    pub stops: bool,
    /// What is there, in a few words; without any secret.
    pub text: String,
    /// What was expected there.
    pub expected: String,
    /// Where; none for what is absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub place: Option<Place>,
    /// The mended text, with the secret hidden, where it can be told.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub mended: Option<String>,
}

impl Defect {
    /// What it means where nothing is tried.
    pub fn weight(&self) -> Weight {
        if self.stops {
            Weight::Fault
        } else {
            self.kind.weight()
        }
    }

    /// Whether it stops a client before it dials: one of a file may stop it later, or not at
    /// all ([`crate::certificate::TlsPolicy::stopped_late`]).
    pub fn stops_dialling(&self, stopped_late: bool) -> bool {
        // Of what is beyond this program nobody here knows whether it stops the client.
        let late = stopped_late && self.kind != DefectKind::FileBeyond;
        self.stops && !(late && self.kind.is_of_files())
    }

    /// The layer for which the value is needed: who goes less far does without.
    pub fn needed_for(&self) -> Layer {
        match self.kind {
            DefectKind::Missing if self.subject == Field::DATABASE => Layer::Login,
            _ => Layer::Settings,
        }
    }

    /// The cause or caution of the catalogue that it is.
    pub fn cause(&self) -> FindingId {
        self.kind.cause(&self.subject)
    }
}

//! What turns the words of an environment file into values: libraries, shells, service
//! managers, container engines. There is no standard for these files, and hardly two of
//! them agree (`docs/readers.md` lists what each does).
//!
//! A reader is a file of this folder and a line of [`READERS`].

mod choice;
mod compose_env_file;
mod container_env_file;
mod decouple;
mod django_environ;
mod dotenv_expand;
mod handing;
mod make;
mod node_dotenv;
mod node_env_file;
mod php_dotenv;
mod python_dotenv;
mod ruby_dotenv;
mod sourced;
mod symfony_dotenv;
mod systemd_file;
mod written;

pub(crate) use choice::Surroundings;
pub(crate) use handing::{client_started, may as may_hand, of as handed};
pub(crate) use written::written;

use crate::entry::Parsed;
use crate::packages::Language;
use crate::text::Text;

/// What a reader makes of a variable that is set nowhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unset {
    /// Nothing stands in its place.
    Empty,
    /// It stays as it is written.
    Stays,
}

/// A reader of environment files.
pub struct Reader {
    /// Its name in tests and machine-readable output.
    pub id: &'static str,
    /// What people call it.
    pub title: &'static str,
    /// Its reading.
    pub read: fn(&Text) -> Parsed,
    /// What it makes of a variable that is set nowhere.
    pub unset: Unset,
    /// What tells that a project uses it.
    pub told_by: ToldBy,
}

impl std::fmt::Debug for Reader {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id)
    }
}

/// What tells that a project uses a reader.
pub struct ToldBy {
    /// Packages, by the names that dependency lists call them.
    pub packages: &'static [&'static str],
    /// The language of the programs that it is for.
    pub language: Option<Language>,
}

/// A file that is read by nobody in particular.
const NOBODY: ToldBy = ToldBy {
    packages: &[],
    language: None,
};

/// All of them, the likelier first where several could be meant.
pub const READERS: &[Reader] = &[
    Reader {
        id: "dotenv-expand",
        title: "node dotenv with dotenv-expand",
        read: dotenv_expand::read,
        unset: Unset::Empty,
        told_by: ToldBy {
            packages: &[
                "dotenv-expand",
                "next",
                "vite",
                "@nestjs/config",
                "react-scripts",
            ],
            language: Some(Language::Javascript),
        },
    },
    Reader {
        id: "node-dotenv",
        title: "node dotenv",
        read: node_dotenv::read,
        unset: Unset::Stays,
        told_by: ToldBy {
            packages: &["dotenv", "dotenv-flow", "dotenv-cli", "prisma"],
            language: Some(Language::Javascript),
        },
    },
    Reader {
        id: "node-env-file",
        title: "node's own --env-file",
        read: node_env_file::read,
        unset: Unset::Stays,
        told_by: ToldBy {
            packages: &[],
            language: Some(Language::Javascript),
        },
    },
    Reader {
        id: "django-environ",
        title: "django-environ",
        read: django_environ::read,
        unset: Unset::Stays,
        told_by: ToldBy {
            packages: &["django-environ"],
            language: Some(Language::Python),
        },
    },
    Reader {
        id: "decouple",
        title: "python-decouple",
        read: decouple::read,
        unset: Unset::Stays,
        told_by: ToldBy {
            packages: &["python-decouple"],
            language: Some(Language::Python),
        },
    },
    Reader {
        id: "python-dotenv",
        title: "python-dotenv",
        read: python_dotenv::read,
        unset: Unset::Empty,
        told_by: ToldBy {
            packages: &[
                "python-dotenv",
                "environs",
                "pydantic-settings",
                "django-dotenv",
                "flask-dotenv",
            ],
            language: Some(Language::Python),
        },
    },
    Reader {
        id: "symfony-dotenv",
        title: "Symfony's dotenv",
        read: symfony_dotenv::read,
        unset: Unset::Empty,
        told_by: ToldBy {
            packages: &[
                "symfony/dotenv",
                "symfony/framework-bundle",
                "symfony/runtime",
            ],
            language: Some(Language::Php),
        },
    },
    Reader {
        id: "php-dotenv",
        title: "PHP dotenv",
        read: php_dotenv::read,
        unset: Unset::Stays,
        told_by: ToldBy {
            packages: &[
                "vlucas/phpdotenv",
                "laravel/framework",
                "laravel/lumen-framework",
            ],
            language: Some(Language::Php),
        },
    },
    Reader {
        id: "ruby-dotenv",
        title: "Ruby's dotenv",
        read: ruby_dotenv::read,
        unset: Unset::Empty,
        told_by: ToldBy {
            packages: &["dotenv", "dotenv-rails"],
            language: Some(Language::Ruby),
        },
    },
    Reader {
        id: "compose",
        title: "compose's env_file",
        read: compose_env_file::read,
        unset: Unset::Empty,
        told_by: NOBODY,
    },
    Reader {
        id: "container",
        title: "a container engine's --env-file",
        read: container_env_file::read,
        unset: Unset::Stays,
        told_by: NOBODY,
    },
    Reader {
        id: "systemd",
        title: "systemd's EnvironmentFile",
        read: systemd_file::read,
        unset: Unset::Stays,
        told_by: NOBODY,
    },
    Reader {
        id: "make",
        title: "make",
        read: make::read,
        unset: Unset::Empty,
        told_by: NOBODY,
    },
    Reader {
        id: "bash",
        title: "bash",
        read: sourced::read_bash,
        unset: Unset::Empty,
        told_by: NOBODY,
    },
    Reader {
        id: "posix-shell",
        title: "a POSIX shell",
        read: sourced::read_posix,
        unset: Unset::Empty,
        told_by: NOBODY,
    },
];

/// A reader by its name.
pub fn by_id(id: &str) -> Option<&'static Reader> {
    READERS.iter().find(|reader| reader.id == id)
}

//! What a project says that it is made of: the packages in its dependency lists.

use crate::format::Format;
use crate::text::Text;

/// The language of a program.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Language {
    /// JavaScript and TypeScript.
    Javascript,
    /// Python.
    Python,
    /// PHP.
    Php,
    /// Ruby.
    Ruby,
    /// Go.
    Go,
    /// Java, and what runs on its machine.
    Java,
    /// C# and its kin.
    Dotnet,
    /// Rust.
    Rust,
}

/// A package that a project uses.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Package {
    /// The folder of the list that names it.
    pub(crate) folder: String,
    /// Its language.
    pub(crate) language: Language,
    /// Its name, in lower case; of Java the artifact, without its group.
    pub(crate) name: String,
}

/// A kind of dependency list.
struct List {
    /// Whether a file of this name is one.
    is: fn(&str) -> bool,
    language: Language,
    /// The names in it.
    names: fn(&str) -> Vec<String>,
}

const LISTS: &[List] = &[
    List {
        is: |name| name == "package.json",
        language: Language::Javascript,
        names: |text| {
            of_json(
                text,
                &["dependencies", "devDependencies", "optionalDependencies"],
            )
        },
    },
    List {
        is: |name| name == "composer.json",
        language: Language::Php,
        names: |text| of_json(text, &["require", "require-dev"]),
    },
    List {
        is: |name| name.starts_with("requirements") && name.ends_with(".txt"),
        language: Language::Python,
        names: |text| text.lines().filter_map(requirement).collect(),
    },
    List {
        is: |name| name == "pyproject.toml" || name == "Pipfile",
        language: Language::Python,
        names: of_toml,
    },
    List {
        is: |name| name == "Gemfile",
        language: Language::Ruby,
        names: |text| {
            let mut names = behind(text, "gem ", &['"', '\'']);
            names.extend(text.lines().filter_map(old_rails));
            names
        },
    },
    List {
        is: |name| name == "Gemfile.lock",
        language: Language::Ruby,
        names: |text| text.lines().filter_map(old_rails).collect(),
    },
    List {
        is: |name| name == "go.mod",
        language: Language::Go,
        names: |text| {
            let words = text.lines().flat_map(|line| line.split("//").next());
            let words = words.flat_map(str::split_whitespace);
            words
                .filter(|w| w.contains('/'))
                .map(str::to_owned)
                .collect()
        },
    },
    List {
        is: |name| name == "Cargo.toml",
        language: Language::Rust,
        names: of_cargo,
    },
    List {
        is: |name| name == "pom.xml",
        language: Language::Java,
        names: |text| behind(text, "<artifactId", &['>']),
    },
    List {
        is: |name| name == "build.gradle" || name == "build.gradle.kts",
        language: Language::Java,
        names: |text| {
            let quoted = text.split(['"', '\'']).skip(1).step_by(2);
            let artifacts = quoted.filter_map(|q| q.split(':').nth(1));
            artifacts.map(str::to_owned).collect()
        },
    },
    List {
        is: |name| name == "packages.config",
        language: Language::Dotnet,
        names: |text| behind(text, "<package id", &['"']),
    },
    List {
        is: |name| name.ends_with(".csproj") || name.ends_with(".fsproj"),
        language: Language::Dotnet,
        names: |text| behind(text, "<PackageReference Include", &['"']),
    },
];

/// What stands in a project's packages beside the gem where its version of Rails has no
/// adapter for `mysql://` (Ruby on Rails 7.2 release notes).
pub(crate) const OLD_RAILS: &str = "rails before 7.2";

/// Whether a line of a list of gems, or of what was resolved of it, names such a version.
fn old_rails(line: &str) -> Option<String> {
    let bare = line.trim();
    let words: Vec<&str> = bare
        .split([' ', '(', ')', '"', '\'', ','])
        .filter(|word| !word.is_empty() && *word != "gem")
        .collect();
    let of_rails = matches!(words.first(), Some(&("rails" | "activerecord")));
    let number = words
        .iter()
        .find(|word| word.starts_with(|c: char| c.is_ascii_digit()))
        .filter(|_| of_rails)?;
    let mut parts = number
        .split('.')
        .map(|part| part.parse::<u32>().unwrap_or(0));
    let version = (parts.next()?, parts.next().unwrap_or(0));
    (version < (7, 2)).then(|| OLD_RAILS.to_owned())
}

/// Folders of other people's code, with lists of their own.
const FOREIGN: &[&str] = &["node_modules/", "vendor/", "site-packages/"];

fn list(path: &str) -> Option<&'static List> {
    let mut pieces = path.rsplit('/');
    let name = pieces.next().unwrap_or(path);
    // A folder of lists, one a stage of work.
    let name = match pieces.next() {
        Some("requirements") if name.ends_with(".txt") => "requirements.txt",
        _ => name,
    };
    LISTS
        .iter()
        .find(|list| !is_foreign(path) && (list.is)(name))
}

/// Whether a file is other people's code.
pub(crate) fn is_foreign(path: &str) -> bool {
    FOREIGN.iter().any(|folder| path.contains(folder))
}

/// Whether a file lists what a project is made of.
pub fn is_list(path: &str) -> bool {
    list(path).is_some()
}

/// The packages that a list names.
pub(crate) fn of(path: &str, text: &Text) -> Vec<Package> {
    let Some(list) = list(path) else {
        return Vec::new();
    };
    let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
    let folder = match folder.strip_suffix("requirements") {
        Some(above) if above.is_empty() || above.ends_with('/') => above.trim_end_matches('/'),
        _ => folder,
    };
    let package = |name: String| Package {
        folder: folder.to_owned(),
        language: list.language,
        name: name.to_ascii_lowercase(),
    };
    let mut out: Vec<Package> = (list.names)(&text.string)
        .into_iter()
        .map(package)
        .collect();
    // That there is a list says which language is spoken, even where it names nothing.
    out.push(package(String::new()));
    out
}

/// The packages of the nearest lists in a folder and above it.
pub(crate) fn near<'a>(packages: &'a [Package], folder: &str) -> Vec<&'a Package> {
    let reaches = |p: &&Package| {
        let above = p.folder.as_str();
        above.is_empty() || folder == above || folder.starts_with(&format!("{above}/"))
    };
    let all: Vec<&Package> = packages.iter().filter(reaches).collect();
    let nearest = all.iter().map(|p| p.folder.len()).max();
    all.into_iter()
        .filter(|p| Some(p.folder.len()) == nearest)
        .collect()
}

fn of_json(text: &str, sections: &[&str]) -> Vec<String> {
    let parsed = Format::Json.read(&Text::new(text.to_owned()));
    let entries = parsed.entries.iter();
    entries
        .filter_map(|e| match e.path.as_slice() {
            [section, name] if sections.contains(&section.as_str()) => Some(name.clone()),
            _ => None,
        })
        .collect()
}

/// `name[extra]>=1.0; marker` (PEP 508).
fn requirement(line: &str) -> Option<String> {
    let bare = line.trim();
    let end = bare
        .find(|c: char| !(c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.')))
        .unwrap_or(bare.len());
    let name = bare.get(..end).filter(|name| !name.is_empty())?;
    Some(name.replace(['_', '.'], "-"))
}

fn of_toml(text: &str) -> Vec<String> {
    let parsed = Format::Toml.read(&Text::new(text.to_owned()));
    let mut out = Vec::new();
    for entry in &parsed.entries {
        let path: Vec<&str> = entry.path.iter().map(String::as_str).collect();
        let word = || requirement(entry.value.plain()?.as_str());
        match path.as_slice() {
            ["project", "dependencies", _]
            | ["project", "optional-dependencies", _, _]
            | ["dependency-groups", _, _] => out.extend(word()),
            ["tool", "poetry", "dependencies", name, ..]
            | ["tool", "poetry", "group", _, "dependencies", name, ..]
            | ["packages" | "dev-packages", name, ..] => out.extend(requirement(name)),
            _ => {}
        }
    }
    out
}

/// The crates of a manifest, and each of their features behind a slash: one crate may be for
/// several engines (The Cargo Book, "Specifying Dependencies").
fn of_cargo(text: &str) -> Vec<String> {
    let parsed = Format::Toml.read(&Text::new(text.to_owned()));
    let mut out = Vec::new();
    for entry in &parsed.entries {
        let path: Vec<&str> = entry.path.iter().map(String::as_str).collect();
        let rest = match path.as_slice() {
            ["dependencies", rest @ ..] | ["workspace", "dependencies", rest @ ..] => rest,
            _ => continue,
        };
        match rest {
            [name, "features", _] => {
                let feature = entry.value.plain();
                out.extend(feature.map(|f| format!("{name}/{}", f.as_str())));
            }
            [name, ..] => out.push((*name).to_owned()),
            [] => {}
        }
    }
    out
}

/// The words behind a lead, between two of the signs (or up to a tag's end).
fn behind(text: &str, lead: &str, signs: &[char]) -> Vec<String> {
    let pieces = text.split(lead).skip(1);
    pieces
        .filter_map(|piece| {
            let from = piece.find(signs)? + 1;
            let rest = piece.get(from..)?;
            let end = rest.find(['"', '\'', '<', '>', '\n'])?;
            Some(rest.get(..end)?.to_owned())
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lists_name_their_packages() {
        let cases = [
            (
                "package.json",
                r#"{"dependencies": {"dotenv": "^16", "pg": "8"}}"#,
                "dotenv pg",
            ),
            (
                "composer.json",
                r#"{"require": {"laravel/framework": "^11"}}"#,
                "laravel/framework",
            ),
            (
                "requirements-dev.txt",
                "# tools\nPython_Decouple>=3\npsycopg[binary]==3.2 ; x\n",
                "python-decouple psycopg",
            ),
            (
                "pyproject.toml",
                "[project]\ndependencies = [\"django-environ ~= 0.11\"]\n",
                "django-environ",
            ),
            (
                "pyproject.toml",
                "[tool.poetry.dependencies]\npython-dotenv = \"*\"\n",
                "python-dotenv",
            ),
            ("Pipfile", "[packages]\nasyncpg = \"*\"\n", "asyncpg"),
            (
                "Gemfile",
                "gem \"pg\"\ngem 'dotenv-rails', groups: [:test]\n",
                "pg dotenv-rails",
            ),
            (
                "go.mod",
                "module x\nrequire github.com/jackc/pgx/v5 v5.5.0\n",
                "github.com/jackc/pgx/v5",
            ),
            (
                "pom.xml",
                "<dependency><groupId>org.postgresql</groupId><artifactId>postgresql</artifactId>",
                "postgresql",
            ),
            (
                "build.gradle",
                "implementation 'com.mysql:mysql-connector-j:8.3'",
                "mysql-connector-j",
            ),
            (
                "a.csproj",
                "<PackageReference Include=\"Npgsql\" Version=\"8\" />",
                "npgsql",
            ),
        ];
        for (path, text, wanted) in cases {
            let found = of(path, &Text::new(text.to_owned()));
            let names: Vec<&str> = found
                .iter()
                .map(|p| p.name.as_str())
                .filter(|n| !n.is_empty())
                .collect();
            assert_eq!(names.join(" "), wanted, "{path}");
        }
        assert!(!is_list("web/node_modules/dotenv/package.json"));
    }
}

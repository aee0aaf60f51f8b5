//! Connections by the names that a credential bundle, or a file of aliases, has for them.

mod books;

use std::path::{Path, PathBuf};
use std::rc::Rc;

use chronaxis_bundle::alias::{self, Lead, follow};
use chronaxis_bundle::bounds::LARGEST_PART;
use chronaxis_bundle::item::{Bundle, Content};
use chronaxis_bundle::manifest::Alias;
use chronaxis_engines::{Draft, EngineBy, TCP, by_id, recognise};
use chronaxis_model::redact::visible;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::EngineId;
use chronaxis_readers::Connection;
use chronaxis_readers::bundle::{MANIFEST, manifest};
use chronaxis_tls::ByRing;

use self::books::Book;
use super::bundled::Material;
use super::draft::{Described, DescribedBy};
use super::reading::{self, Read};
use super::typed::Typed;
use crate::bundles::{self, Loaded};
use crate::client_environment::Environment;
use crate::error::Failure;
use crate::input;

/// Whether a path is a bundle that may have names for connections.
fn is_one(path: &Path) -> bool {
    if path.is_dir() {
        return has_aliases(&path.join(MANIFEST));
    }
    (is_toml(path) && has_aliases(path)) || bundles::is_archive(path)
}

/// Whether a file may hold aliases: the manifest of a bundle, or a file of nothing else.
fn is_toml(path: &Path) -> bool {
    path.extension().is_some_and(|e| e == "toml")
}

/// The names that a file of aliases defines; none where it is the manifest of a bundle.
fn of_file(path: &Path) -> Option<Result<Vec<Alias>, Damage>> {
    let is_manifest = path.file_name().is_some_and(|n| n == MANIFEST);
    if is_manifest || !path.is_file() || !is_toml(path) {
        return None;
    }
    let text = input::whole(path, LARGEST_PART).ok()?;
    let text = String::from_utf8(text).ok()?;
    Some(match manifest(&text) {
        Ok(read) => Ok(read.manifest.aliases),
        Err(broken) => {
            let line = text
                .get(..broken.at)
                .map_or(1, |before| before.matches('\n').count() + 1);
            let file = shown::path(&path.to_string_lossy());
            Err((
                format!("{file}, line {line}: {}", broken.what),
                broken.expected,
            ))
        }
    })
}

/// What is wrong with a file of names, and what was expected.
type Damage = (String, String);

/// Whether a file is a manifest of ours with names for connections, and not another program's
/// file of that name.
fn has_aliases(path: &Path) -> bool {
    let read = input::whole(path, LARGEST_PART).ok();
    let Some(text) = read.and_then(|bytes| String::from_utf8(bytes).ok()) else {
        return false;
    };
    match manifest(&text) {
        Ok(read) => !read.manifest.aliases.is_empty(),
        // One with a slip is one all the same: what is wrong with it is said.
        Err(_) => text
            .lines()
            .any(|line| line.trim_start().starts_with("[alias.")),
    }
}

/// The connection that a bundle calls by this name; nothing where the path is no bundle.
pub(crate) fn of_alias(
    typed: &Typed,
    passphrase_file: Option<&Path>,
    engine: Option<EngineId>,
    number: usize,
) -> Option<Result<Described, Failure>> {
    let (path, name) = reading::split(typed.expose());
    let name = name.filter(|name| !name.is_empty());
    is_one(Path::new(path)).then(|| described(path, name, typed, passphrase_file, engine, number))
}

/// What the other files of a bundle describe; nothing where it is a single file.
pub(crate) fn others(top: &Path, loaded: &Loaded) -> Option<Read> {
    match loaded.archive {
        Some(_) => {
            let texts = loaded.texts.iter();
            Some(reading::of_texts(
                texts.map(|(path, bytes)| (path.as_str(), bytes.as_slice())),
            ))
        }
        None if loaded.bundle.single => None,
        None => reading::read_folder(top).ok(),
    }
}

/// Whether a connection of the other files is one with a name, and none of the manifest's.
pub(crate) fn is_named(connection: &Connection, top: &Path, bundle: &Bundle) -> bool {
    let path = Path::new(&connection.file);
    let inner = path.strip_prefix(top).unwrap_or(path);
    let mut manifests = bundle
        .files
        .iter()
        .filter(|f| f.content == Content::Manifest);
    !connection.name.is_empty() && !manifests.any(|f| Path::new(&f.path) == inner)
}

fn described(
    path: &str,
    name: Option<&str>,
    typed: &Typed,
    passphrase_file: Option<&Path>,
    engine: Option<EngineId>,
    number: usize,
) -> Result<Described, Failure> {
    // A manifest stands for the folder in which it lies; so does a file of aliases beside one.
    let whole = Path::new(path);
    let alone = of_file(whole);
    let beside_manifest = alone.is_some() && whole.with_file_name(MANIFEST).is_file();
    let is_manifest = whole.file_name().is_some_and(|n| n == MANIFEST);
    let top = match is_manifest || beside_manifest {
        true => match whole.parent() {
            Some(parent) if !parent.as_os_str().is_empty() => parent,
            _ => Path::new("."),
        },
        false => whole,
    };
    // A file of names alone is no bundle: its clients trust what the machine trusts.
    let names_alone = alone.is_some() && !beside_manifest;
    let passphrase = bundles::passphrase(passphrase_file)?;
    let loaded = bundles::load(top, passphrase.as_ref(), &ByRing)?;
    let file_damage = match &alone {
        Some(Err(damage)) => Some(damage.clone()),
        _ => None,
    };
    let aliases: Vec<Alias> = match alone {
        Some(own) => own.unwrap_or_default(),
        None => {
            let manifest = loaded.bundle.manifest();
            manifest.map_or_else(Vec::new, |(_, manifest)| manifest.aliases.clone())
        }
    };
    let (own_file, aliases) = (file_of(whole), aliases.as_slice());
    let books = match loaded.archive {
        Some(_) => Vec::new(),
        None => books::beside(&own_file),
    };
    let of_manifest = |name: &str| aliases.iter().any(|a| a.name == name);
    let mut names: Vec<String> = aliases.iter().map(|a| visible(&a.name)).collect();
    let needs_others = aliases.is_empty() || name.is_some_and(|name| !of_manifest(name));
    let other = others(top, &loaded).filter(|_| needs_others);
    let connections = other.as_ref().map_or(&[][..], |r| &r.report.connections);
    let of_others: Vec<(usize, &Connection)> = connections
        .iter()
        .enumerate()
        .filter(|(_, c)| is_named(c, top, &loaded.bundle))
        .collect();
    names.extend(of_others.iter().map(|(_, c)| visible(&c.name)));
    let top = top.to_string_lossy();
    let name = match (name, aliases, of_others.as_slice()) {
        (Some(name), ..) => name.to_owned(),
        (None, [only], []) => only.name.clone(),
        (None, [], [(_, only)]) => only.name.clone(),
        (None, [], []) if file_damage.is_some() || damaged(&loaded.bundle).is_some() => {
            let file = whole.file_name().filter(|_| names_alone);
            file.map_or(MANIFEST.to_owned(), |name| visible(&name.to_string_lossy()))
        }
        (None, [], []) => {
            return Err(Failure::NoConnection {
                path: shown::path(path),
                why: "; the bundle has no names for connections: use it with --bundle".to_owned(),
            });
        }
        (None, ..) => {
            return Err(Failure::SeveralConnections {
                path: shown::path(path),
                names,
            });
        }
    };
    let fits: Vec<usize> = of_others
        .iter()
        .filter(|(_, c)| c.name == name)
        .map(|(index, _)| *index)
        .collect();
    let found = match fits.as_slice() {
        [one] => Some(*one),
        _ => None,
    };
    let material = Rc::new(match names_alone {
        true => Material::default(),
        false => Material::chosen(&top, &loaded.bundle),
    });
    let label = Some(visible(&name));
    let mut environment = Environment::Counts;
    let folder = match (loaded.archive, own_file.parent()) {
        (None, Some(parent)) if loaded.bundle.single => parent.to_string_lossy(),
        _ => top.clone(),
    };
    let all = books::joined(aliases, &books);
    let damage = || file_damage.clone().or_else(|| damaged(&loaded.bundle));
    let by = match (follow(&all, &name), found, other) {
        (Lead::To(found), ..) => {
            let rivals = match loaded.archive {
                Some(_) => None,
                None if loaded.bundle.single => None,
                None => others(Path::new(top.as_ref()), &loaded),
            };
            let rivals = rivals.map_or_else(Vec::new, |read| read.report.connections.clone());
            let rivals: Vec<Connection> = rivals
                .into_iter()
                .filter(|c| is_named(c, Path::new(top.as_ref()), &loaded.bundle))
                .collect();
            let of_own = aliases.iter().any(|a| a.name == found.name);
            let holds = |book: &&Book| book.aliases.iter().any(|a| a.name == found.name);
            let book = books.iter().find(holds).filter(|_| !of_own);
            let file = book.map_or(own_file.as_path(), |book| &book.path);
            let told = (typed, file);
            string_of(found, &folder, (engine, number), told, (&books, &rivals))?
        }
        (_, Some(index), Some(mut read)) => {
            // The names of a bundle stand for different ways to one database.
            read.report.disagreements.clear();
            environment = Environment::LeftOut;
            DescribedBy::File {
                read: Rc::new(read),
                index,
                word: typed.expose().to_owned(),
            }
        }
        (lead, ..) => match damage() {
            Some(damage) => nowhere(&name, typed, DefectKind::FileUnusable, damage),
            None => unknown(&lead, &name, &names, typed),
        },
    };
    Ok(Described {
        by,
        environment,
        label,
        material: Some(material),
    })
}

/// The file in which the names stand that were asked for.
fn file_of(path: &Path) -> PathBuf {
    match path.is_dir() {
        true => path.join(MANIFEST),
        false => path.to_owned(),
    }
}

/// The line on which an alias says where it leads.
fn line_of(alias: &Alias) -> u32 {
    let told = alias.target.as_ref();
    told.or(alias.fields.first().map(|(_, told)| told))
        .map_or(alias.line, |told| told.line)
}

/// The connection string of an alias.
fn string_of(
    alias: &Alias,
    top: &str,
    (engine, number): (Option<EngineId>, usize),
    (typed, file): (&Typed, &Path),
    others: (&[Book], &[Connection]),
) -> Result<DescribedBy, Failure> {
    let mut text = alias::string(alias, top);
    if alias::lacks_engine(alias) {
        let Some(engine) = engine else {
            let place = format!(
                "{}, line {}",
                shown::path(&file.to_string_lossy()),
                alias.line
            );
            let said = format!(
                "{place}: the alias {} names no engine",
                visible(&alias.name)
            );
            let expected = "engine = \"directory\", or another engine; or --engine".to_owned();
            return Ok(nowhere(
                &alias.name,
                typed,
                DefectKind::Missing,
                (said, expected),
            ));
        };
        text.insert_str(0, engine.as_str());
    }
    let read = recognise(&text, Some(alias.line), engine);
    let mut read = read.map_err(|cause| Failure::Target { number, cause })?;
    let differs = books::differs(&alias.name, &read.draft, top, others);
    let in_file = |origin: &mut Origin| {
        if let Origin::Stdin { .. } = origin {
            *origin = Origin::File {
                file: shown::path(&file.to_string_lossy()),
                line: line_of(alias),
                column: 1,
                name: alias.name.clone(),
            };
        }
    };
    for told in read.draft.values.values_mut() {
        in_file(&mut told.origin);
    }
    if let Some(secret) = &mut read.draft.secret {
        in_file(&mut secret.origin);
    }
    read.draft.defects.extend(differs);
    Ok(DescribedBy::Text {
        typed: typed.clone(),
        draft: Box::new(read.draft),
        engine: read.engine,
        engine_by: read.by,
    })
}

/// A name that leads nowhere: a case like any other, and nothing is sent.
fn unknown(lead: &Lead<'_>, name: &str, names: &[String], typed: &Typed) -> DescribedBy {
    let name = visible(name);
    let text = lead.trouble(&name);
    let expected = match names {
        [] => "a manifest with aliases".to_owned(),
        some => format!("one of {}", some.join(", ")),
    };
    nowhere(&name, typed, DefectKind::AliasUnknown, (text, expected))
}

/// What is wrong with a manifest that cannot be read, and what was expected.
fn damaged(bundle: &Bundle) -> Option<(String, String)> {
    let file = bundle
        .files
        .iter()
        .find(|f| f.content == Content::Manifest && f.manifest.is_none())?;
    let damage = file.damage.as_deref().unwrap_or("it cannot be read");
    Some((
        format!("{}: {}", shown::path(&file.path), visible(damage)),
        "a manifest that can be read".to_owned(),
    ))
}

/// A name that leads nowhere, for a reason.
fn nowhere(
    name: &str,
    typed: &Typed,
    kind: DefectKind,
    (text, expected): (String, String),
) -> DescribedBy {
    let defect = Defect {
        kind,
        subject: Field::CERTIFICATES,
        stops: true,
        text,
        expected,
        place: None,
        mended: None,
    };
    let name = visible(name);
    DescribedBy::Text {
        typed: typed.clone(),
        draft: Box::new(Draft {
            form: "alias of a bundle".to_owned(),
            defects: vec![defect],
            shown: name,
            ..Draft::default()
        }),
        engine: by_id(TCP),
        engine_by: EngineBy::Text,
    }
}

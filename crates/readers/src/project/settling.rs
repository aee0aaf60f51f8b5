//! Who reads each file, once all of them are known.

use super::{File, Handed, Kind, Project, beside, folder};
use crate::entry::Parsed;
use crate::format::{self, Format, IniReader};
use crate::names;
use crate::packages::{self, Language, Package};
use crate::reader::Surroundings;
use crate::traced::FileId;

impl Project {
    /// Reads each environment file as the reader does that the project gives it to.
    pub(crate) fn settle(&mut self) {
        let mut handed = self.handed.clone();
        for file in &self.files {
            let home = folder(&file.path);
            for service in &file.services {
                let named = service.env_files.iter().map(|named| beside(home, named));
                handed.extend(named.map(|path| Handed {
                    path,
                    reader: "compose",
                    engine: None,
                    start: None,
                }));
            }
            if file.format == Format::Unit {
                let all = file
                    .parsed
                    .entries
                    .iter()
                    .filter(|e| e.key() == "EnvironmentFile");
                for named in all.filter_map(|e| e.value.plain()) {
                    handed.push(Handed {
                        path: named.as_str().to_owned(),
                        reader: "systemd",
                        engine: None,
                        start: None,
                    });
                }
            }
        }
        self.settle_by_format();
        for (id, file) in self.files.iter_mut().enumerate() {
            if file.format != Format::Environment || file.kind != Kind::Plain {
                continue;
            }
            let own = beside("", &file.path);
            let name = own.rsplit('/').next().unwrap_or_default().to_owned();
            let meant = |path: &str, reader: &str| {
                // A service's path is that on its own machine.
                let deployed = reader == "systemd" && path.rsplit('/').next() == Some(&name);
                beside("", path) == own || deployed
            };
            let to_it: Vec<&'static str> = handed
                .iter()
                .filter(|h| meant(&h.path, h.reader))
                .map(|h| h.reader)
                .collect();
            file.client_of = handed
                .iter()
                .filter(|h| meant(&h.path, h.reader))
                .find_map(|h| h.engine);
            let around = Surroundings {
                folder: folder(&file.path),
                packages: &self.packages,
                handed: &to_it,
            };
            file.readers = around.readers();
            if let Some(reader) = file.readers.first() {
                let mut parsed = (reader.read)(&file.text);
                // What is in a file that is given up can still be told, and checked.
                if let Some(refused) = parsed.refused.take() {
                    parsed = file.format.read(&file.text);
                    parsed.refused = Some(refused);
                }
                let says = |at: usize| file.text.string.get(at..).unwrap_or_default();
                // A line that is passed over matters if it speaks of a connection.
                parsed.troubles.retain(|trouble| {
                    let line = says(trouble.at).lines().next().unwrap_or_default();
                    let key = line.split('=').next().unwrap_or_default().trim();
                    line.contains('=') && names::named(key).is_some()
                });
                parsed.in_file(id);
                file.parsed = parsed;
            }
        }
    }

    /// Reads INI, JSON and option files as the project's program does.
    fn settle_by_format(&mut self) {
        let by_project =
            |f: &File| matches!(f.format, Format::Json | Format::Ini | Format::OptionFile);
        let files = self.files.iter_mut().enumerate();
        for (id, file) in files.filter(|(_, f)| by_project(f)) {
            let near = packages::near(&self.packages, folder(&file.path));
            match file.format {
                Format::Json => refuse_beyond_json(file, &near),
                Format::Ini => {
                    let reader = ini_reader(file, self.ini_reader, &near);
                    let parsed = reader.map(|reader| format::ini_by(reader, &file.text));
                    take(file, id, parsed);
                }
                Format::OptionFile if is_pymysqls(&near) => {
                    let parsed = format::option_file_by_pymysql(&file.text);
                    take(file, id, Some(parsed));
                }
                _ => {}
            }
        }
    }
}

fn take(file: &mut File, id: FileId, parsed: Option<Parsed>) {
    if let Some(mut parsed) = parsed {
        parsed.in_file(id);
        file.parsed = parsed;
    }
}

fn has_language(near: &[&Package], language: Language) -> bool {
    near.iter().any(|p| p.language == language)
}

/// Gives up JSON that is more than JSON, where the project's language reads no more. What
/// .NET reads may have comments (its documentation, "JSON configuration provider").
fn refuse_beyond_json(file: &mut File, near: &[&Package]) {
    let loose = has_language(near, Language::Dotnet);
    if !file.path.ends_with(".json") || loose || near.is_empty() {
        return;
    }
    if let Some(at) = format::beyond_json(&file.text) {
        let what = "this is no JSON by its standard: a comment, a comma too many or a name without quotes; this project's language does not read the file";
        file.parsed.refuse(at, what, "JSON (RFC 8259)");
    }
}

/// Whether PyMySQL is the only driver that would read an option file.
fn is_pymysqls(near: &[&Package]) -> bool {
    let python = |p: &&&Package| p.language == Language::Python;
    let has = |name: &str| near.iter().filter(python).any(|p| p.name == name);
    has("pymysql") && !has("mysqlclient")
}

/// Who reads an INI file: whom a program of the project names, else its language's own.
fn ini_reader(file: &File, named: Option<IniReader>, near: &[&Package]) -> Option<IniReader> {
    if file.path.ends_with("alembic.ini") {
        return Some(IniReader::Python);
    }
    let by_language = [
        (Language::Python, IniReader::Python),
        (Language::Php, IniReader::Php),
    ];
    let mut told = by_language.iter().filter(|(l, _)| has_language(near, *l));
    named.or_else(|| told.next().map(|(_, reader)| *reader))
}

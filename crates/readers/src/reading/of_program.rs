//! What the program takes of all that a folder describes: what another connection is made
//! of is none by itself, nor is a call that only repeats what stands elsewhere.

use std::collections::BTreeSet;

use chronaxis_engines::POSTGRESQL;
use chronaxis_model::settings::Field;

use super::Reading;
use crate::connection::Connection;
use crate::entry::{Part, Value};
use crate::format::Format;
use crate::names::{Role, stage};
use crate::packages;
use crate::project::folder;
use crate::traced::FileId;

/// A value's place: its file, and the byte at which it begins.
type Place = (FileId, usize);

impl Reading<'_> {
    /// Passes over what the program does not connect with as it stands.
    pub(super) fn as_the_program_takes(&self, connections: &mut [Connection]) {
        self.read_by_others(connections);
        self.fill_from_named_files(connections);
        if !self.project.as_program {
            return;
        }
        for connection in connections.iter_mut().filter(|c| is_of_pipeline(&c.file)) {
            connection.passed_over = true;
        }
        self.of_images(connections);
        of_other_modes(connections);
        self.of_alembic(connections);
        self.url_over_parts(connections);
        self.fill_from_password_files(connections);
        only_told_elsewhere(connections);
    }

    /// Passes over the URL of Alembic's list that its program replaces, or that nobody filled
    /// in beside another one (Alembic's documentation, "Tutorial").
    fn of_alembic(&self, connections: &mut [Connection]) {
        let programs = self
            .project
            .files
            .iter()
            .filter(|f| f.format == Format::Python);
        let replaces = |text: &str| {
            text.contains("set_main_option(\"sqlalchemy.url\"")
                || text.contains("set_main_option('sqlalchemy.url'")
                || text.contains("[\"sqlalchemy.url\"] =")
                || text.contains("['sqlalchemy.url'] =")
        };
        let replaced = programs.into_iter().any(|f| replaces(&f.text.string));
        let is_list = |c: &Connection| c.file.rsplit('/').next() == Some("alembic.ini");
        let another = connections.iter().any(|c| !is_list(c) && !c.passed_over);
        for connection in connections.iter_mut().filter(|c| is_list(c)) {
            let text = connection
                .entries
                .iter()
                .find(|(role, _)| *role == Role::Url);
            let text = text.and_then(|(_, e)| e.value.plain());
            let template = text.is_some_and(|t| t.as_str().starts_with("driver://"));
            connection.passed_over |= another && (replaced || template);
        }
    }

    /// Passes over what an image of a database makes its first account of: it says nothing
    /// of where, and a composition here runs that image, or the place is told elsewhere.
    fn of_images(&self, connections: &mut [Connection]) {
        let placed = |c: &Connection| c.value("host").is_some() || c.value("socket").is_some();
        let others: Vec<_> = connections
            .iter()
            .filter(|c| placed(c))
            .map(|c| c.engine)
            .collect();
        let services = || self.project.files.iter().flat_map(|f| &f.services);
        for connection in connections
            .iter_mut()
            .filter(|c| !placed(c) && !c.is_of_string())
        {
            let image = ["POSTGRES", "MYSQL", "MARIADB"].contains(&connection.name.as_str());
            let runs = services().any(|s| s.engine.is_some() && s.engine == connection.engine);
            let elsewhere = others.contains(&connection.engine);
            let untold = !connection.unknown.iter().any(|u| u.subject == Field::HOST);
            connection.passed_over |= image && untold && (runs || elsewhere);
        }
    }

    /// Passes over connections whose place another one takes from them: variables that a
    /// URL or a settings module is put together of.
    fn read_by_others(&self, connections: &mut [Connection]) {
        let used: Vec<BTreeSet<Place>> = connections
            .iter()
            .map(|connection| {
                let mut places = BTreeSet::new();
                let seen = self.seen(connection.file_id);
                for (_, entry) in &connection.entries {
                    self.behind(&entry.value, entry.file, &seen, &mut places, 0);
                }
                places
            })
            .collect();
        let places_of = |c: &Connection| -> Vec<(Place, Place)> {
            let leads = |(role, _): &&(Role, _)| matches!(role, Role::Host | Role::Url);
            let all = c.entries.iter().filter(leads).map(|(_, e)| e);
            all.map(|e| ((e.file, e.value.at.start), (e.file, e.value.at.end)))
                .collect()
        };
        let taken: Vec<bool> = (0..connections.len())
            .map(|at| {
                let own = connections.get(at).map(places_of).unwrap_or_default();
                let by = |(other, used): (usize, &BTreeSet<Place>)| {
                    let whole = |c: &Connection| !c.passed_over && !only_a_run_tells(c);
                    let counts = connections.get(other).is_some_and(whole);
                    other != at
                        && counts
                        && own
                            .iter()
                            .any(|(from, to)| used.range(*from..=*to).next().is_some())
                };
                !own.is_empty() && used.iter().enumerate().any(by)
            })
            .collect();
        let parts = connections.iter_mut().zip(taken);
        for (connection, _) in parts.filter(|(_, taken)| *taken) {
            connection.pass_over_as_part();
        }
    }

    /// The places of the values that a value is put together of.
    fn behind(
        &self,
        value: &Value,
        file: FileId,
        seen: &[FileId],
        out: &mut BTreeSet<Place>,
        depth: usize,
    ) {
        let mut named: Vec<(&Value, FileId)> = Vec::new();
        for part in &value.parts {
            match part {
                Part::Look(look) => named.extend(self.variables.of(look, seen)),
                Part::Name(name) => named.extend(self.variables.of_name(name, file)),
                Part::Text(text) => {
                    named.extend(self.variables.of_template(text, seen));
                    // A reader that puts variables in leaves where they came from.
                    let own = |(of, at): &Place| *of == file && value.at.contains(at);
                    out.extend(text.origins().filter(|place| !own(place)));
                }
                Part::Unknown => {}
            }
        }
        for (inner, of) in named {
            if depth < 8 && out.insert((of, inner.at.start)) {
                self.behind(inner, of, seen, out, depth + 1);
            }
        }
    }

    /// A URL in Rails' own variable outranks the connection of the file, which fills in what
    /// it lacks (Ruby on Rails guides, "Connection Preference").
    fn url_over_parts(&self, connections: &mut [Connection]) {
        let near = |c: &Connection| packages::near(&self.project.packages, folder(&c.file));
        let of_rails = |c: &Connection| {
            let rails = ["rails", "activerecord"];
            near(c).iter().any(|p| rails.contains(&p.name.as_str()))
        };
        let variable = |c: &Connection| {
            let key = c.entries.iter().find(|(role, _)| *role == Role::Url);
            key.is_some_and(|(_, e)| e.key() == "DATABASE_URL") && of_rails(c)
        };
        let Some(url) = connections
            .iter()
            .position(|c| variable(c) && !c.is_sample())
        else {
            return;
        };
        let in_file = |c: &Connection| {
            c.file.ends_with("config/database.yml") && !c.passed_over && !c.is_sample()
        };
        let all = connections.iter().enumerate();
        let below: Vec<usize> = all.filter(|(_, c)| in_file(c)).map(|(at, _)| at).collect();
        let [below] = below.as_slice() else {
            return;
        };
        let values = connections.get(*below).map(|c| c.draft.values.clone());
        if let Some(connection) = connections.get_mut(url) {
            for (key, told) in values.unwrap_or_default() {
                connection.draft.values.entry(key).or_insert(told);
            }
            connection.passed_over = false;
        }
        if let Some(connection) = connections.get_mut(*below) {
            connection.passed_over = true;
        }
    }

    /// A password file of the folder gives its passwords to the connections beside it
    /// (PostgreSQL's documentation, "The Password File"), and is none by itself.
    fn fill_from_password_files(&self, connections: &mut [Connection]) {
        let of_file = |c: &Connection| {
            let file = self.file(c.file_id);
            file.is_some_and(|f| f.format == Format::PasswordFile)
        };
        let lines: Vec<Connection> = connections.iter().filter(|c| of_file(c)).cloned().collect();
        let mut some = false;
        for connection in connections.iter_mut().filter(|c| !of_file(c)) {
            let asks = connection.engine == Some(POSTGRESQL) && !connection.passed_over;
            some |= asks && connection.value("host").is_some();
            let waits = connection
                .unknown
                .iter()
                .any(|u| u.subject == Field::PASSWORD);
            if !asks || waits || connection.draft.secret.is_some() {
                continue;
            }
            let fits = |line: &&Connection| {
                let same = |key: &str, usual: &str| {
                    let told = line.value(key).unwrap_or("*");
                    told == "*" || told == connection.value(key).unwrap_or(usual)
                };
                let user = connection.value("user").unwrap_or_default();
                same("host", "localhost")
                    && same("port", "5432")
                    && same("dbname", user)
                    && same("user", "")
            };
            let found = lines.iter().find(fits);
            connection.draft.secret = found.and_then(|line| line.draft.secret.clone());
        }
        for line in connections.iter_mut().filter(|c| of_file(c)) {
            line.passed_over |= some;
        }
    }
}

/// Whether a file is for machines that build and test: what it describes is theirs.
fn is_of_pipeline(path: &str) -> bool {
    let held = |folder: &str| path.starts_with(folder) || path.contains(&format!("/{folder}"));
    let name = path.rsplit('/').next().unwrap_or(path);
    held(".github/workflows/") || held(".circleci/") || name == ".gitlab-ci.yml"
}

/// Whether a value of a connection is one that only a run of the program would tell.
fn only_a_run_tells(connection: &Connection) -> bool {
    let mut all = connection.unknown.iter();
    all.any(|u| u.variables.is_empty() && u.instead.is_none())
}

/// A call whose place only a run would tell, beside a description that is whole: the call
/// gets it from there.
fn only_told_elsewhere(connections: &mut [Connection]) {
    let whole = |c: &Connection| {
        let place = c.value("host").is_some() || c.value("socket").is_some();
        place && c.engine.is_some() && !c.passed_over && !c.is_sample()
    };
    let known = connections
        .iter()
        .filter(|c| whole(c) && !only_a_run_tells(c));
    let engines: Vec<_> = known.map(|c| c.engine).collect();
    for connection in connections.iter_mut().filter(|c| only_a_run_tells(c)) {
        let fits = connection.engine.is_none() || engines.contains(&connection.engine);
        connection.passed_over |= fits && !engines.is_empty();
    }
}

/// Passes over what files of other modes describe (`.env.test`, `application-prod.yml`) beside
/// a file of the same name for all modes, or for that of development.
fn of_other_modes(connections: &mut [Connection]) {
    let family = |c: &Connection| {
        let name = c.file.rsplit('/').next().unwrap_or(&c.file);
        let stem = name.trim_start_matches('.').split(['.', '-', '_']).next();
        (
            folder(&c.file).to_owned(),
            stem.unwrap_or_default().to_owned(),
        )
    };
    let other = |c: &Connection| {
        let name = c.file.rsplit('/').next().unwrap_or(&c.file);
        matches!(stage(name), Some("production" | "staging" | "test"))
    };
    let taken: Vec<_> = connections
        .iter()
        .filter(|c| !other(c) && !c.passed_over && !c.is_sample())
        .map(family)
        .collect();
    for connection in connections.iter_mut().filter(|c| other(c)) {
        connection.passed_over |= taken.contains(&family(connection));
    }
}

//! A scene: one situation at Osmary Ferries, and what must be concluded from it.

mod second;

use std::sync::Arc;

use chronaxis_allowlist::chain::Lists;
use chronaxis_bundle::alias::{self, Lead, follow};
use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::verdict::State;
use chronaxis_engines::{ClientEnvironment, Draft, FileSeen, by_id, note_dates, recognise};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::target::Target;
use chronaxis_readers::allowlist::{self, Chain, Reading};
use chronaxis_readers::text::Text;
use chronaxis_readers::{Machine, Project};
use jiff::civil::Date;

use crate::certificates;
use crate::loopback::LoopbackServers;
use crate::stand_in::{Counts, Service};
use crate::world::World;

/// What must be concluded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Expected {
    /// How it stands.
    pub state: State,
    /// The first cause; none where it works or nothing is in the running.
    pub cause: Option<&'static str>,
    /// How it stopped.
    pub symptom: Option<&'static str>,
}

/// How a scene can be played.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stage {
    /// On loopback ports: the real sockets of this machine.
    Loopback,
    /// In the simulated network only: loopback cannot honestly play it.
    Simulated,
}

/// A second look at a scene.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Second {
    /// None.
    Nothing,
    /// An administrator by this name and password looks the account up on the same server.
    Administrator(&'static str, &'static str),
    /// One session is kept idle for up to so many seconds.
    Idle(u64),
}

/// One situation.
#[derive(Clone, Debug)]
pub struct Scene {
    /// Its name.
    pub id: &'static str,
    /// What is broken in it, in a line.
    pub what: &'static str,
    /// The target as a user has it; `{port}` stands for the port of the stage.
    pub target: String,
    /// The world.
    pub world: World,
    /// Where it can be played.
    pub stage: Stage,
    /// Whether repaired forms of the password may be tried.
    pub repairs: bool,
    /// Whether the password may go out by the server's public key.
    pub server_key: bool,
    /// The settings files in which its target stands, as `FILE#NAME`; `{port}` in them too.
    pub files: Vec<(&'static str, &'static str)>,
    /// The lists of rules that are at hand, by their files.
    pub lists: Vec<(&'static str, &'static str)>,
    /// The instance that is meant, where that is told.
    pub expect: Option<&'static str>,
    /// What is looked at once the first look is over.
    pub second: Second,
    /// What must be concluded.
    pub expected: Expected,
    /// What the world may see of the diagnosis, at most and at least.
    pub counts: Counts,
}

/// The machine on which the scenes' files lie: nothing is installed there.
struct Bare;

impl Machine for Bare {
    fn has_file(&self, _: &str) -> Option<bool> {
        Some(false)
    }
}

/// The day on which the scenes' lists are asked.
const DAY: Date = jiff::civil::date(2026, 11, 29);

/// The same day in seconds of Unix time.
const NOW: i64 = 1_795_910_400;

/// The nominal port of most scenes: PostgreSQL's. Those of other engines have their own.
pub const PORT: u16 = 5432;

/// Where a scene's target has its certificates, when it is played in memory.
const FOLDER: &str = "/osmary";

impl Scene {
    /// Its lists of rules, asked on the day of the scenes; none where it has none.
    pub fn lists(&self) -> Option<Arc<dyn Lists>> {
        let read = |(path, text): &(&str, &str)| {
            let text = Text::new((*text).to_owned());
            allowlist::read(path, text, &allowlist::Alone).ok()
        };
        let lists: Vec<Reading> = self.lists.iter().filter_map(read).collect();
        let chain = Chain {
            lists,
            client: None,
            today: DAY,
        };
        (!self.lists.is_empty()).then(|| Arc::new(chain) as Arc<dyn Lists>)
    }

    /// The target's text with this port, its certificates in this folder.
    pub fn text(&self, port: u16, folder: &str) -> String {
        self.target
            .replace("{port}", &port.to_string())
            .replace("{papers}", folder)
    }

    /// Whether its target names files of certificates.
    pub fn has_certificates(&self) -> bool {
        self.target.contains("{papers}")
    }

    /// The port that its own hosts have for it.
    pub fn port(&self) -> u16 {
        if self.target.contains("mysql") || self.target.contains("mariadb") {
            return 3306;
        }
        let files = self.files.iter();
        let mut texts = files.map(|(_, text)| *text).chain([self.target.as_str()]);
        match texts.any(|text| text.contains("directory://")) {
            true => chronaxis_engines::directory::USUAL_PORT,
            false => PORT,
        }
    }

    /// The target that a text of this scene describes, in surroundings of its own.
    ///
    /// # Errors
    /// Passes on why the text is none; a scene's own text always is one.
    pub fn read(&self, port: u16) -> Result<Target, String> {
        if !self.files.is_empty() {
            return self.read_files(port);
        }
        let read = recognise(&self.text(port, FOLDER), None, None).map_err(|e| e.to_string())?;
        let target = read
            .engine
            .strings
            .complete(read.draft, &self.surroundings());
        let mut target = target.map_err(|e| e.to_string())?;
        note_dates(&mut target, NOW);
        Ok(target)
    }

    /// The text of one of its files, with this port.
    pub fn file(&self, text: &str, port: u16) -> String {
        text.replace("{port}", &port.to_string())
    }

    fn read_files(&self, port: u16) -> Result<Target, String> {
        let (path, name) = self.target.split_once('#').unwrap_or((&self.target, ""));
        if let Some(manifest) = self.manifest(path) {
            return self.read_alias(manifest, name, port);
        }
        let mut project = Project::default();
        for (file, text) in &self.files {
            project.add(file, self.file(text, port).as_bytes(), Some(0o600));
        }
        let report = project.report(&Bare);
        let mut all = report.connections.iter();
        let number = all
            .position(|c| c.file == path && c.name == name)
            .ok_or_else(|| format!("{} is not described in its files", self.target))?;
        let engine = report.connections.get(number).and_then(|c| c.engine);
        let engine = by_id(engine.unwrap_or(chronaxis_engines::TCP));
        let walkable = report.walkable(number, engine, &self.surroundings());
        walkable.map_err(|e| e.to_string())?.ok_or_else(String::new)
    }

    /// The manifest of a bundle among its files.
    fn manifest(&self, folder: &str) -> Option<&'static str> {
        let path = format!("{folder}/{}", chronaxis_readers::bundle::MANIFEST);
        let mut files = self.files.iter();
        files.find(|(file, _)| *file == path).map(|(_, text)| *text)
    }

    /// The target that an alias of a bundle stands for.
    fn read_alias(&self, manifest: &str, name: &str, port: u16) -> Result<Target, String> {
        let text = self.file(manifest, port);
        let read = chronaxis_readers::bundle::manifest(&text).map_err(|e| format!("{e:?}"))?;
        let lead = follow(&read.manifest.aliases, name);
        if let Lead::To(alias) = lead {
            let read = recognise(&alias::string(alias, FOLDER), Some(alias.line), None);
            let read = read.map_err(|e| e.to_string())?;
            let strings = read.engine.strings;
            let target = strings.complete(read.draft, &self.surroundings());
            return target.map_err(|e| e.to_string());
        }
        let defect = Defect {
            kind: DefectKind::AliasUnknown,
            subject: Field::CERTIFICATES,
            stops: true,
            text: lead.trouble(name),
            expected: "a name that the bundle defines".to_owned(),
            place: None,
            mended: None,
        };
        let draft = Draft {
            form: "alias of a bundle".to_owned(),
            defects: vec![defect],
            ..Draft::default()
        };
        let strings = by_id(chronaxis_engines::TCP).strings;
        let target = strings.complete(draft, &self.surroundings());
        target.map_err(|e| e.to_string())
    }

    /// What stands around its target: an account, and the files of its folder.
    pub fn surroundings(&self) -> ClientEnvironment {
        ClientEnvironment {
            os_user: Some("deckhand".to_owned()),
            socket_folder: "/run/osmary".to_owned(),
            files: self.files(),
            belongs: Some(chronaxis_tls::belongs),
            ..ClientEnvironment::default()
        }
    }

    /// The files of the client's folder, as it would read them.
    fn files(&self) -> Vec<FileSeen> {
        if !self.has_certificates() {
            return Vec::new();
        }
        let file = |(name, text): (&str, String)| FileSeen {
            path: format!("{FOLDER}/{name}"),
            mode: 0o600,
            regular: true,
            root_owned: false,
            text: text.into(),
            ..FileSeen::default()
        };
        certificates::files().into_iter().map(file).collect()
    }

    /// What is asked of a diagnosis of this scene. On loopback patience is short: nothing
    /// there takes long but silence.
    pub fn scope(&self) -> Scope {
        let patience_us = match self.stage {
            Stage::Loopback => Micros::from_millis(2000),
            Stage::Simulated => Micros::from_millis(4000),
        };
        Scope {
            until: Layer::Session,
            attempts: 3,
            patience_us,
            deadline_us: Micros::from_millis(15_000),
            allow_plaintext: false,
            allow_server_key: self.server_key,
            try_repairs: self.repairs,
            resolvers: Vec::new(),
            expect: self.expect.map(str::to_owned),
            again: None,
        }
    }

    /// Opens the scene's servers on loopback.
    ///
    /// # Errors
    /// Passes on what the system says when it has no port to give.
    pub fn open(&self) -> std::io::Result<LoopbackServers> {
        let loopback = self.world.hosts.iter().find(|h| h.address.is_loopback());
        let mut services: Vec<(u16, Option<Service>)> = loopback
            .into_iter()
            .flat_map(|h| h.ports.iter().map(|(port, s)| (*port, Some(s.clone()))))
            .collect();
        if services.iter().all(|(port, _)| *port != self.port()) {
            services.push((self.port(), None));
        }
        LoopbackServers::open(&services)
    }
}

//! Folders laid out as the generators and the documentation of frameworks do, each healthy
//! and with faults: the program in the folder, run for real, says whether it connects.
//!
//! A layout is a part of a file in `tests/layouts`; `CONTRIBUTING.md` describes its form.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use crate::real_folders::{Servers, differs, write};
use crate::support::real::tally;

/// A folder, how its program is started, and what can be wrong with it.
pub struct Layout {
    pub name: String,
    run: String,
    /// What is diagnosed: a connection of the folder, or all of it.
    of: String,
    files: Vec<(String, String)>,
    faults: Vec<Fault>,
}

/// One change to one file.
struct Fault {
    name: String,
    file: String,
    old: String,
    new: String,
}

impl Fault {
    fn read(line: &str) -> Fault {
        let parts: Vec<&str> = line.split(" | ").collect();
        let [name, file, old, new] = parts.as_slice() else {
            panic!("name, file, old, new: {line}");
        };
        let text = |part: &str| {
            part.replace("\\n", "\n")
                .replace("\\s", " ")
                .replace("\\b", "\\")
        };
        Fault {
            name: (*name).to_owned(),
            file: (*file).to_owned(),
            old: text(old),
            new: text(new),
        }
    }
}

/// The layouts of a file.
pub fn read(text: &str) -> Vec<Layout> {
    let mut out: Vec<Layout> = Vec::new();
    for line in text.lines() {
        if let Some(name) = line.strip_prefix("=== ") {
            out.push(Layout {
                name: name.to_owned(),
                run: String::new(),
                of: String::new(),
                files: Vec::new(),
                faults: Vec::new(),
            });
            continue;
        }
        let layout = out.last_mut().expect("a layout begins with its name");
        if let Some(run) = line.strip_prefix("run: ") {
            layout.run = run.to_owned();
        } else if let Some(of) = line.strip_prefix("of: ") {
            layout.of = of.to_owned();
        } else if let Some(path) = line.strip_prefix("--- ") {
            layout.files.push((path.to_owned(), String::new()));
        } else if let Some(fault) = line.strip_prefix("fault: ") {
            layout.faults.push(Fault::read(fault));
        } else if let Some((_, text)) = layout.files.last_mut()
            && layout.faults.is_empty()
        {
            text.push_str(line);
            text.push('\n');
        }
    }
    out
}

/// What the layouts need of this machine.
pub struct Around<'a> {
    pub judges: &'a Path,
    pub home: &'a Path,
    /// What stands for what in the files: ports of the servers.
    pub words: &'a [(&'a str, String)],
}

impl Around<'_> {
    fn filled(&self, text: &str) -> String {
        let each = self.words.iter();
        each.fold(text.to_owned(), |text, (word, value)| {
            text.replace(word, value)
        })
    }

    fn works(&self, layout: &Layout, folder: &Path) -> bool {
        let python = self.judges.join("py/bin/python");
        let run = layout.run.replace("{python}", &python.to_string_lossy());
        let shown = std::env::var_os("CHRONAXIS_LAYOUT").is_some();
        let out = || match shown {
            true => Stdio::inherit(),
            false => Stdio::null(),
        };
        let status = Command::new("/bin/sh")
            .args(["-c", &run])
            .current_dir(folder)
            .env_clear()
            .env("PATH", "/usr/local/bin:/usr/bin:/bin")
            .env("HOME", self.home)
            .env("LANG", "C.UTF-8")
            .env("PYTHONDONTWRITEBYTECODE", "1")
            .env("NODE_PATH", self.judges.join("node_modules"))
            .stdin(Stdio::null())
            .stdout(out())
            .stderr(out())
            .status()
            .expect("a shell");
        status.success()
    }
}

/// What was judged, and what was judged otherwise than by the program.
#[derive(Default)]
pub struct Score {
    pub healthy: usize,
    pub faulty: usize,
    pub wrong: Vec<String>,
}

impl Score {
    /// Judges a layout, and each of its faults.
    pub fn judge(&mut self, layout: &Layout, around: &Around<'_>) {
        let faults = layout.faults.iter().map(Some);
        for fault in std::iter::once(None).chain(faults) {
            let case = fault.map_or("healthy", |f| &f.name);
            let folder = tempfile::tempdir().expect("a folder");
            let mut changed = fault.is_none();
            for (path, text) in &layout.files {
                let mut text = text.clone();
                if let Some(fault) = fault.filter(|f| f.file == *path) {
                    changed = text.contains(&fault.old);
                    text = text.replace(&fault.old, &fault.new);
                }
                let path: PathBuf = folder.path().join(path);
                std::fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
                let name = path.file_name().expect("a name").to_string_lossy();
                write(
                    path.parent().expect("a folder"),
                    &name,
                    &around.filled(&text),
                );
            }
            assert!(changed, "{}: {case} changes nothing", layout.name);
            let works = around.works(layout, folder.path());
            let of = format!("{}{}", folder.path().display(), layout.of);
            let ours = differs(around.home, Path::new(&of), works);
            let truth = match works {
                true => "works",
                false => "fails",
            };
            match works {
                true => self.healthy += 1,
                false => self.faulty += 1,
            }
            if works != fault.is_none() {
                self.wrong
                    .push(format!("{}, {case}: the program {truth}", layout.name));
            }
            if let Some(ours) = ours {
                self.wrong
                    .push(format!("{}, {case}: {truth}, we say {ours}", layout.name));
            }
        }
    }
}

/// The layouts, a file a family.
const LAYOUTS: &[&str] = &[
    include_str!("../layouts/django.txt"),
    include_str!("../layouts/flask_fastapi.txt"),
    include_str!("../layouts/python.txt"),
    include_str!("../layouts/parameters.txt"),
    include_str!("../layouts/names_and_forms.txt"),
    include_str!("../layouts/node.txt"),
    include_str!("../layouts/php.txt"),
    include_str!("../layouts/php_applications.txt"),
    include_str!("../layouts/ruby.txt"),
    include_str!("../layouts/java.txt"),
    include_str!("../layouts/files_and_shells.txt"),
];

#[test]
fn layouts_of_frameworks_judged_by_their_programs() {
    let Some(servers) = Servers::start() else {
        return;
    };
    let home = tempfile::tempdir().unwrap();
    let nobody = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let unused = nobody.local_addr().unwrap().port();
    drop(nobody);
    let around = Around {
        judges: &servers.judges,
        home: home.path(),
        words: &[
            ("@PG@", servers.postgres.port().to_string()),
            ("@MY@", servers.mariadb.port().to_string()),
            ("@NONE@", unused.to_string()),
        ],
    };
    let wanted = std::env::var("CHRONAXIS_LAYOUT").ok();
    let mut score = Score::default();
    let layouts = LAYOUTS.iter().flat_map(|text| read(text));
    let wanted = |layout: &Layout| {
        wanted
            .as_ref()
            .is_none_or(|w| layout.name.contains(w.as_str()))
    };
    for layout in layouts.filter(wanted) {
        score.judge(&layout, &around);
        tally("layout", &layout.name);
    }
    assert!(score.healthy > 0 && score.faulty > score.healthy);
    assert!(
        score.wrong.is_empty(),
        "{} of {} healthy and {} faulty folders are judged otherwise:\n{}",
        score.wrong.len(),
        score.healthy,
        score.faulty,
        score.wrong.join("\n")
    );
}

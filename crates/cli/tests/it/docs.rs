//! The published reference is what the program and its types say: schema, help tree,
//! catalogue, man pages, completions. `scripts/docs` writes them anew.

use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use chronaxis_diagnosis::case::{Case, schema};
use chronaxis_diagnosis::judge::Symptom;
use chronaxis_diagnosis::knowledge::causes::{CAUSES, Cause, Owner, warning_words};
use chronaxis_diagnosis::knowledge::table::TABLE;
use chronaxis_lab::rehearsal;
use chronaxis_model::found::Warning;
use chronaxis_model::layer::Layer;
use clap_complete::Shell;
use serde_json::{Value, json};

fn docs() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs")
}

/// Holds a file to what it must be, or writes it where that is asked for.
fn held(name: &str, text: &str) {
    let path = docs().join(name);
    if std::env::var("CHRONAXIS_DOCS").is_ok_and(|v| v == "write") {
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        return std::fs::write(&path, text).unwrap();
    }
    let there = std::fs::read_to_string(&path).unwrap_or_default();
    let differs = there.lines().zip(text.lines()).position(|(a, b)| a != b);
    assert!(
        there == text,
        "docs/{name} is not what the program says (first at line {:?}); scripts/docs writes it anew",
        differs.map(|l| l + 1)
    );
}

#[test]
fn the_schema_is_on_file() {
    held(
        "case.schema.json",
        &(serde_json::to_string_pretty(&schema()).unwrap() + "\n"),
    );
}

#[test]
fn the_schema_of_settings_is_on_file() {
    held(
        "settings.schema.json",
        &(serde_json::to_string_pretty(&chronaxis_diagnosis::survey::schema()).unwrap() + "\n"),
    );
}

#[test]
fn the_schema_of_allowlist_is_on_file() {
    held(
        "allowlist.schema.json",
        &(serde_json::to_string_pretty(&chronaxis_diagnosis::allowlist::schema()).unwrap() + "\n"),
    );
}

#[test]
fn the_schema_of_bundles_is_on_file() {
    held(
        "bundle.schema.json",
        &(serde_json::to_string_pretty(&chronaxis_diagnosis::bundle::schema()).unwrap() + "\n"),
    );
}

#[test]
fn the_schema_of_directory_messages_is_on_file() {
    held(
        "directory-message.schema.json",
        &(serde_json::to_string_pretty(&chronaxis_engines::directory::message::schema()).unwrap()
            + "\n"),
    );
}

/// The messages of the page fit the schema, and what is none of them does not.
#[test]
fn the_exchange_of_the_page_fits_the_schema_of_its_messages() {
    let schema = chronaxis_engines::directory::message::schema();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let page = std::fs::read_to_string(docs().join("directory.md")).unwrap();
    let (_, rest) = page.split_once("```text\n").unwrap();
    let (exchange, _) = rest.split_once("\n```").unwrap();
    let mut seen = 0;
    for line in exchange.lines() {
        let json = line.get(line.find('{').unwrap()..).unwrap();
        let message: Value = serde_json::from_str(json).unwrap();
        assert!(validator.is_valid(&message), "{json}");
        seen += 1;
        let mut other = message.clone();
        other["type"] = json!("tide");
        assert!(!validator.is_valid(&other), "{json}");
    }
    assert_eq!(seen, 12);
    for none in [
        json!({"type": "open"}),
        json!({"type": "hello", "version": "one", "client": "x"}),
        json!([]),
    ] {
        assert!(!validator.is_valid(&none), "{none}");
    }
}

#[test]
fn the_schema_of_listeners_is_on_file() {
    held(
        "listeners.schema.json",
        &(serde_json::to_string_pretty(&chronaxis_diagnosis::listed::schema()).unwrap() + "\n"),
    );
}

/// The words of the prefilter in the page on settings are those of the program.
#[test]
fn the_page_on_settings_names_every_word_of_the_prefilter() {
    let page = std::fs::read_to_string(docs().join("settings.md")).unwrap();
    let bare = page.replace('\n', " ");
    use chronaxis_readers::prefilter::{ACCOUNTS, PLACES, PROGRAMS, engine_words};
    let others = PLACES.iter().chain(ACCOUNTS).chain(PROGRAMS);
    let others = others.map(|word| (*word).to_owned());
    for word in engine_words().into_iter().chain(others) {
        assert!(bare.contains(&format!("`{word}`")), "{word}");
    }
}

#[test]
fn every_case_fits_the_schema() {
    let validator = jsonschema::validator_for(&schema()).unwrap();
    let scenes = chronaxis_lab::scenes::all();
    for scene in &scenes {
        let case = serde_json::to_value(rehearsal::case_of(scene).unwrap()).unwrap();
        let wrong: Vec<String> = validator
            .iter_errors(&case)
            .map(|e| e.to_string())
            .collect();
        assert!(wrong.is_empty(), "{}: {wrong:?}", scene.id);
    }
    let case = serde_json::to_value(rehearsal::case_of(&scenes[0]).unwrap()).unwrap();
    let spoilt = |pointer: &str, value: Value| {
        let mut case = case.clone();
        *case.pointer_mut(pointer).expect(pointer) = value;
        validator.is_valid(&case)
    };
    assert!(
        !spoilt("/verdict/state", json!("fine")),
        "a state that is none"
    );
    assert!(
        !spoilt("/layers/0/layer", json!("cellar")),
        "a layer that is none"
    );
    assert!(
        !spoilt("/verdict/cause", json!("bad-luck")),
        "a cause that is none"
    );
    assert!(
        !spoilt("/contacts/lines", json!("many")),
        "a number that is none"
    );
    assert!(
        spoilt(
            "/layers/0/facts",
            json!([{"fact": "moon-phase", "phase": 0.5}])
        ),
        "a fact of another version is kept"
    );
}

/// Every `enum` of the schema, by the name of the field or type that has it.
fn words(schema: &Value, pointer: &str) -> BTreeSet<String> {
    let found = schema
        .pointer(pointer)
        .unwrap_or_else(|| panic!("{pointer}"));
    let from = |v: &Value| -> Vec<String> {
        let listed = v["enum"].as_array().cloned().unwrap_or_default();
        let one = v.get("const").cloned();
        let nested = v["oneOf"].as_array().cloned().unwrap_or_default();
        let nested = nested.iter().filter_map(|o| o.get("const").cloned());
        listed
            .into_iter()
            .chain(one)
            .chain(nested)
            .filter_map(|w| w.as_str().map(str::to_owned))
            .collect()
    };
    from(found).into_iter().collect()
}

/// The words of the interface, read from the generated schema: none is missing, none is
/// there that the interface does not know.
#[test]
fn the_words_of_the_interface_are_those_of_the_schema() {
    let schema = schema();
    let is = |pointer: &str, wanted: &str| {
        let wanted: BTreeSet<String> = wanted.split(' ').map(str::to_owned).collect();
        assert_eq!(words(&schema, pointer), wanted, "{pointer}");
    };
    is("/$defs/State", "working broken undecided");
    is("/$defs/Outcome", "ok caution fault unreached untested");
    is(
        "/$defs/Layer",
        "settings bundle name route port listener tls login session",
    );
    is(
        "/$defs/Owner",
        "developer dba network names security platform",
    );
    is(
        "/$defs/EngineId",
        "postgresql mysql tds mongodb directory tcp tls",
    );
    let ids = words(&schema, "/$defs/ShownCause/properties/id");
    let catalogue: BTreeSet<String> = CAUSES.iter().map(|c| c.id.to_string()).collect();
    assert_eq!(ids, catalogue);
    for id in [
        "firewall-drops",
        "nothing-listening",
        "some-addresses-dead",
        "server-slow-to-greet",
        "read-only-instance",
        "wrong-instance",
        "port-of-other-engine",
        "port-mistyped",
        "link-lossy",
        "client-resource-exhausted",
        "server-hung",
        "pooler-backend-down",
        "pooler-full",
        "startup-parameter-refused",
        "something-else",
    ] {
        assert!(ids.contains(id), "{id}");
    }
    let found = words(&schema, "/$defs/AlsoFound/properties/id");
    for caution in [
        "address-dead-but-skipped",
        "plaintext-withheld",
        "beyond-us",
        "tls-off",
    ] {
        assert!(found.contains(caution), "{caution}");
    }
    let fields = schema["properties"].as_object().unwrap();
    for field in [
        "format",
        "version",
        "tool",
        "knowledge",
        "target",
        "scope",
        "vantage",
        "layers",
        "paths",
        "contacts",
        "verdict",
        "causes",
        "ruled_out",
        "also_found",
    ] {
        assert!(fields.contains_key(field), "{field}");
    }
    assert!(Case::read("{}").is_err());
}

fn every_command(command: &clap::Command, path: &str, out: &mut Vec<(String, clap::Command)>) {
    let path = format!("{path} {}", command.get_name()).trim().to_owned();
    out.push((path.clone(), command.clone()));
    for inner in command.get_subcommands().filter(|c| c.get_name() != "help") {
        every_command(inner, &path, out);
    }
}

#[test]
fn the_reference_is_the_whole_help_tree() {
    let mut all = Vec::new();
    let mut tree = chronaxis::definitions().term_width(80);
    tree.build();
    every_command(&tree, "", &mut all);
    let mut text = String::from(
        "# Reference\n\nEvery command and option, as `--help` shows it. Made by `scripts/docs`.\n",
    );
    for (path, command) in all {
        let mut command = command.term_width(80).bin_name(&path);
        let help = command.render_long_help().to_string();
        let lines: Vec<&str> = help.lines().map(str::trim_end).collect();
        write!(text, "\n## {path}\n\n```text\n{}\n```\n", lines.join("\n")).unwrap();
    }
    held("reference.md", &text);
}

fn entry(text: &mut String, cause: &Cause) {
    let who = cause.owner.map_or("nobody in particular", Owner::title);
    writeln!(text, "\n### `{}`\n\n{}\n", cause.id, cause.headline).unwrap();
    writeln!(text, "- looks like: {}", cause.looks.replace('<', "\\<")).unwrap();
    writeln!(text, "- told apart: {}", cause.told_apart).unwrap();
    writeln!(text, "- to be fixed by {who}").unwrap();
    for fix in cause.fix {
        writeln!(text, "- fix: {fix}").unwrap();
    }
    if cause.waiting_may_mend {
        writeln!(text, "- waiting may help: `--wait` goes on").unwrap();
    }
    let shows: Vec<String> = TABLE
        .iter()
        .filter(|row| row.cause == cause.id)
        .flat_map(|row| row.shows)
        .map(|(symptom, grade)| format!("`{symptom}` {}", grade.as_str()))
        .collect();
    if !shows.is_empty() {
        writeln!(text, "- among the causes of: {}", shows.join(", ")).unwrap();
    }
}

#[test]
fn the_catalogue_is_a_page() {
    let mut text = String::from(
        "# Causes\n\nWhat Chronaxis can tell apart, in the order of the way. Made by `scripts/docs` from the\ncatalogue and the table; how the table is read stands in ARCHITECTURE.md.\n",
    );
    for layer in Layer::ALL {
        let of_layer: Vec<&Cause> = CAUSES
            .iter()
            .filter(|c| c.layer == layer && c.owner.is_some())
            .collect();
        if of_layer.is_empty() {
            continue;
        }
        writeln!(text, "\n## {layer}").unwrap();
        for cause in of_layer {
            entry(&mut text, cause);
        }
    }
    writeln!(text, "\n## any").unwrap();
    let rest = CAUSES.iter().find(|c| c.owner.is_none()).unwrap();
    entry(&mut text, rest);
    writeln!(
        text,
        "\n## Cautions\n\nFound beside the verdict; none of them stops a client.\n"
    )
    .unwrap();
    for id in Warning::ALL {
        let what = warning_words(*id);
        writeln!(text, "- `{id}`: {what}").unwrap();
    }
    writeln!(text, "\n## Symptoms\n\nHow an attempt stops, with the causes that show it, the likeliest first.\n\n| symptom | causes |\n|---|---|").unwrap();
    for symptom in Symptom::ALL {
        let mut causes: Vec<_> = TABLE
            .iter()
            .filter_map(|r| Some((r.shows.iter().find(|(s, _)| s == symptom)?.1, r.cause)))
            .collect();
        causes.sort_by(|a, b| b.0.cmp(&a.0).then(a.1.as_str().cmp(b.1.as_str())));
        let names: Vec<String> = causes.iter().map(|(_, id)| format!("`{id}`")).collect();
        writeln!(text, "| `{symptom}` | {} |", names.join(", ")).unwrap();
    }
    held("causes.md", &text);
}

/// What is recognised, and from which component, stands on the page.
#[test]
fn what_is_recognised_is_a_page() {
    use chronaxis_messages::catalogue::{components, patterns};
    use chronaxis_messages::pattern::{Kind, Says};
    let mut text = format!(
        "# What `explain` recognises\n\nMade from the table of messages by `scripts/docs`: {} patterns of {} components. Words in braces stand for what differs. *measured*: the component was made to fail here; *source*: the words stand in its published package; *documented*: it does not install here. What does not stand here is not guessed.\n",
        patterns().count(),
        components().count()
    );
    let kinds = [
        Kind::Library,
        Kind::Driver,
        Kind::Framework,
        Kind::Pool,
        Kind::Between,
        Kind::Server,
        Kind::Tls,
        Kind::Ssh,
        Kind::System,
    ];
    let cell = |text: &str| text.replace('|', "\\|").replace('\n', " ");
    for kind in kinds {
        let title = kind.title();
        writeln!(text, "\n## {}{}", title[..1].to_uppercase(), &title[1..]).unwrap();
        for component in components().filter(|c| c.kind == kind) {
            let languages = match component.languages {
                "" => String::new(),
                languages => format!("; {languages}"),
            };
            writeln!(
                text,
                "\n### {} (`{}`, {}{languages})\n\n| message | means | may also mean |\n|---|---|---|",
                component.title,
                component.id,
                component.source.title()
            )
            .unwrap();
            for pattern in component.patterns {
                let means = match pattern.says {
                    Says::Stopped { symptom, .. } => format!("`{symptom}`"),
                    Says::Code => "by the code".to_owned(),
                    Says::Driver => "a driver that is missing, or misspelt".to_owned(),
                    Says::FollowsOn { alone: Some(alone) } => {
                        format!("follows from another error; alone `{alone}`")
                    }
                    Says::FollowsOn { alone: None } => "follows from another error".to_owned(),
                    Says::Hides { .. } => "hides the error".to_owned(),
                    Says::NotTheConnection => "not about the connection".to_owned(),
                    Says::Beside => "says where to".to_owned(),
                };
                let language = match pattern.language {
                    "" => String::new(),
                    language => format!(" ({language})"),
                };
                writeln!(
                    text,
                    "| {}{language} | {means} | {} |",
                    cell(&format!("`{}`", pattern.shape.replace('`', "'"))),
                    cell(pattern.besides)
                )
                .unwrap();
            }
        }
    }
    held("explain.md", &text);
}

/// Every symptom, question and answer of the table of messages is one of the diagnosis.
#[test]
fn the_table_of_messages_speaks_the_words_of_the_diagnosis() {
    use chronaxis_diagnosis::knowledge::questions::Question;
    use chronaxis_messages::catalogue::patterns;
    use chronaxis_messages::pattern::Says;
    for (_, pattern) in patterns() {
        let symptom = match pattern.says {
            Says::Stopped { symptom, signals } => {
                for (question, answer) in signals {
                    let known = Question::ALL.iter().find(|q| q.as_str() == *question);
                    let known = known.unwrap_or_else(|| panic!("{}: {question}", pattern.id));
                    let mut words = known.words();
                    assert!(
                        words.any(|w| w.as_str() == *answer),
                        "{}: {answer}",
                        pattern.id
                    );
                }
                Some(symptom)
            }
            Says::FollowsOn { alone } => alone,
            _ => None,
        };
        if let Some(symptom) = symptom {
            assert!(
                Symptom::from_id(symptom).is_some(),
                "{}: {symptom}",
                pattern.id
            );
            let shown = TABLE
                .iter()
                .any(|row| row.shows.iter().any(|(s, _)| s.to_string() == symptom));
            assert!(shown, "{}: no cause shows {symptom}", pattern.id);
        }
    }
}

/// Every statement that a session may send stands on the page, and all of them read.
#[test]
fn the_statements_are_on_a_page() {
    const HEADING: &str = "## Statements\n";
    let page = std::fs::read_to_string(docs().join("sign-in.md")).unwrap();
    let (head, rest) = page.split_once(HEADING).unwrap();
    let intro: String = rest.lines().take_while(|line| !line.starts_with('#')).fold(
        String::new(),
        |mut out, line| {
            out.push_str(line);
            out.push('\n');
            out
        },
    );
    let mut text = format!("{head}{HEADING}{}\n", intro.trim_end());
    for engine in chronaxis_engines::engines() {
        let spec = engine.spec;
        let own = spec.queries.iter().map(|(sql, when)| {
            let when = when.trim_end_matches(": ");
            (format!("every session {when}"), *sql)
        });
        let looked_up = spec.inquiry.iter().map(|one| {
            let on = one.product.map_or_else(String::new, |p| format!(" ({p})"));
            (format!("`--admin`: {}{on}", one.asks), one.sql)
        });
        let all: Vec<(String, &str)> = own.chain(looked_up).collect();
        if all.is_empty() {
            continue;
        }
        writeln!(text, "\n### {}\n", spec.title).unwrap();
        for (what, sql) in all {
            for one in sql.split("; ") {
                let low = one.to_lowercase();
                assert!(
                    low.starts_with("select ") || low.starts_with("with "),
                    "{one}"
                );
            }
            writeln!(text, "{}:\n\n```sql\n{sql}\n```\n", what.trim_end()).unwrap();
        }
    }
    held("sign-in.md", &format!("{}\n", text.trim_end()));
}

#[test]
fn the_man_pages_and_completions_are_on_file() {
    let mut all = Vec::new();
    let mut tree = chronaxis::definitions();
    tree.build();
    every_command(&tree, "", &mut all);
    for (path, command) in all {
        let name = path.replace(' ', "-");
        let mut page = Vec::new();
        clap_mangen::Man::new(command.bin_name(&path).display_name(&name))
            .title(name.to_uppercase())
            .date("")
            .source("Chronaxis")
            .render(&mut page)
            .unwrap();
        let page = String::from_utf8(page).unwrap();
        held(&format!("man/{name}.1"), &page);
    }
    for (shell, name) in [
        (Shell::Bash, "chronaxis.bash"),
        (Shell::Zsh, "_chronaxis"),
        (Shell::Fish, "chronaxis.fish"),
    ] {
        let mut text = Vec::new();
        clap_complete::generate(shell, &mut chronaxis::definitions(), "chronaxis", &mut text);
        held(
            &format!("completions/{name}"),
            &String::from_utf8(text).unwrap(),
        );
    }
}

/// A symptom without a cause in the table leaves only the honest rest: that is right only for a
/// refusal by a code that says nothing of why.
#[test]
fn every_symptom_has_a_cause() {
    const HONEST: [Symptom; 3] = [
        Symptom::ListenerUnexplained,
        Symptom::LoginUnexplained,
        Symptom::SessionUnexplained,
    ];
    let bare: Vec<String> = Symptom::ALL
        .iter()
        .filter(|s| !HONEST.contains(s))
        .filter(|s| {
            TABLE
                .iter()
                .all(|r| r.shows.iter().all(|(shown, _)| shown != *s))
        })
        .map(ToString::to_string)
        .collect();
    assert!(bare.is_empty(), "{bare:?}");
}

/// What the README says of the program is counted, not remembered.
#[test]
fn the_readme_is_true() {
    let readme = std::fs::read_to_string(docs().join("../README.md")).unwrap();
    let changes = std::fs::read_to_string(docs().join("../CHANGELOG.md")).unwrap();
    let scenes = chronaxis_lab::scenes::all().len();
    assert!(
        readme.contains(&format!("runs {scenes} scenes")),
        "{scenes} scenes"
    );
    assert!(
        changes.contains(&format!("with {scenes} scenes")),
        "{scenes} scenes"
    );
    for cause in CAUSES.iter() {
        assert!(readme.contains(&format!("`{}`", cause.id)), "{}", cause.id);
    }
    let pictures = std::fs::read_dir(docs().join("screenshots")).unwrap();
    for picture in pictures {
        let name = picture.unwrap().file_name().into_string().unwrap();
        assert!(
            readme.contains(&format!("docs/screenshots/{name}")),
            "{name}"
        );
    }
    let linked = readme
        .split("](")
        .skip(1)
        .filter_map(|l| l.split(')').next());
    for link in linked.filter(|l| !l.contains("://")) {
        assert!(docs().join("..").join(link).exists(), "{link}");
    }
}

/// Scenes of the simulated network that nothing real plays, and why.
const MEMORY_ONLY: &[(&str, &str)] = &[
    ("name-with-blank", "a defect of the settings"),
    ("hosts-file-dead", "as hosts-file-wrong and absent-host"),
    (
        "hosts-file-silent",
        "as hosts-file-wrong and dropped-altogether",
    ),
    (
        "commented-port-answers",
        "files are read, and the port is any that fails",
    ),
    ("look-alike-name", "a defect of the settings"),
    (
        "remembered-address",
        "a store of names that this machine does not have",
    ),
    (
        "two-files-disagree",
        "files are read, and the way is any that fails",
    ),
    (
        "right-line-commented",
        "files are read, and the name is any that fails",
    ),
    (
        "service-name-outside",
        "files are read, and the name is any that fails",
    ),
    ("certificate-near-end", "a clock that is not this machine's"),
    (
        "other-certificate",
        "certificates, tested with real servers in real_tls",
    ),
    ("clock-behind", "a clock that is not this machine's"),
    (
        "other-instances-here",
        "two servers by their programs' names, which only the administrator sees",
    ),
    ("slow-to-greet", "a pause of seconds"),
    ("web-server", "as web-on-port"),
    ("shell-server", "as ssh-on-port"),
    ("manifest-elsewhere", "as manifest-on-port"),
];

#[test]
fn every_scene_of_the_simulated_network_is_backed() {
    use chronaxis_lab::scene::Stage;
    let mut bare = Vec::new();
    for scene in chronaxis_lab::scenes::all() {
        if scene.stage != Stage::Simulated {
            continue;
        }
        let Some(backing) = chronaxis_lab::scenes::backed_by(scene.id) else {
            bare.push(scene.id);
            continue;
        };
        let (file, test) = backing.split_once("::").unwrap();
        let path = format!("{}/tests/it/{file}.rs", env!("CARGO_MANIFEST_DIR"));
        let text = std::fs::read_to_string(&path).unwrap_or_else(|e| panic!("{path}: {e}"));
        assert!(text.contains(&format!("fn {test}(")), "{backing}");
    }
    bare.sort_unstable();
    let mut known: Vec<&str> = MEMORY_ONLY.iter().map(|(id, _)| *id).collect();
    known.sort_unstable();
    assert_eq!(bare, known);
}

//! Thousands of mutated slips with a password in them: nothing that is made of them for
//! people, for JSON or for the network holds any of that password.

use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::walk;
use chronaxis_engines::{ClientEnvironment, completed, recognise};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::target::EngineId;
use proptest::prelude::*;
use proptest::sample::{Index, select};

/// It can be no host and no plain name, whatever is cut off around it.
const SECRET: &str = "Xk7!wQ*zv9^Tr~Lm";

/// As many letters in a row are a part of it.
const TELLING: usize = 5;

const SLIPS: &str = include_str!("../data/slips.json");

/// What people and programs put between things.
const PIECES: &[&str] = &[
    ";",
    "&",
    "?",
    "/",
    ":",
    "@",
    "=",
    ",",
    " ",
    "\n",
    "\"",
    "'",
    "(",
    ")",
    "{",
    "}",
    "[",
    "]",
    "://",
    "%20",
    "%3D",
    "%40",
    "\\",
    "#",
    "\u{feff}",
    "\u{200b}",
    "\t",
    "password=",
    "host=",
    "user=",
    "sslmode=",
    "jdbc:",
    "postgresql://",
    "mysql:",
    "--",
    "-p",
    "|",
    "<",
    ">",
    "+",
];

#[derive(Clone, Debug)]
enum Mutation {
    Insert(Index, &'static str),
    Delete(Index),
    Double(Index),
    Swap(Index),
    Cut(Index),
}

fn mutation() -> impl Strategy<Value = Mutation> {
    let at = any::<Index>;
    prop_oneof![
        4 => (at(), select(PIECES)).prop_map(|(at, piece)| Mutation::Insert(at, piece)),
        2 => at().prop_map(Mutation::Delete),
        1 => at().prop_map(Mutation::Double),
        1 => at().prop_map(Mutation::Swap),
        1 => at().prop_map(Mutation::Cut),
    ]
}

/// The slip with its mutations; the password itself stays whole.
fn mutated(slip: &str, mutations: &[Mutation]) -> String {
    let mut text: Vec<char> = slip.chars().collect();
    for mutation in mutations {
        let length = text.len();
        let place = |at: &Index| at.index(length.max(1));
        match mutation {
            Mutation::Insert(at, piece) => {
                let at = place(at);
                text.splice(at..at, piece.chars());
            }
            Mutation::Delete(at) if text.get(place(at)).is_some_and(|c| *c != '§') => {
                text.remove(place(at));
            }
            Mutation::Double(at) if length > 0 && text[place(at)] != '§' => {
                text.insert(place(at), text[place(at)]);
            }
            Mutation::Swap(at) if place(at) + 1 < length => text.swap(place(at), place(at) + 1),
            Mutation::Cut(at) => {
                let rest = text.split_off(place(at));
                if rest.contains(&'§') {
                    text = rest;
                }
            }
            _ => {}
        }
    }
    text.into_iter().collect::<String>().replace('§', SECRET)
}

fn scope() -> Scope {
    Scope {
        until: Layer::Session,
        attempts: 3,
        patience_us: Micros(4_000_000),
        deadline_us: Micros(15_000_000),
        allow_plaintext: false,
        allow_server_key: false,
        try_repairs: true,
        resolvers: Vec::new(),
        expect: None,
        again: None,
    }
}

/// All that anybody would get to see, or a name server to hear, of this text.
fn seen(text: &str, engine: Option<EngineId>) -> String {
    let read = match recognise(text, None, engine) {
        Ok(read) => read,
        Err(refused) => return format!("{refused} {refused:?}"),
    };
    let shown = read.draft.shown.clone();
    let around = ClientEnvironment {
        home: Some("/home/purser".to_owned()),
        os_user: Some("purser".to_owned()),
        socket_folder: "/tmp".to_owned(),
        ..ClientEnvironment::default()
    };
    let target = match completed(read.engine, read.draft, &around) {
        Ok(target) => target,
        Err(refused) => return refused.to_string(),
    };
    let steps = walk::plan(&target, &scope(), &[]);
    let steps: Vec<String> = steps
        .iter()
        .map(|step| format!("{} {}", step.to, step.when))
        .collect();
    let defects = serde_json::to_string(&target.defects).unwrap();
    let case = serde_json::to_string(&target.shown()).unwrap();
    let command = read.engine.strings.described(&target.shown());
    format!(
        "{shown}\n{defects}\n{case}\n{command}\n{}",
        steps.join("\n")
    )
}

fn check(text: &str, engine: Option<EngineId>) -> Result<(), String> {
    let seen = seen(text, engine);
    let letters: Vec<char> = SECRET.chars().collect();
    for part in letters.windows(TELLING) {
        let part: String = part.iter().collect();
        if let Some(line) = seen.lines().find(|line| line.contains(&part)) {
            return Err(format!("{text:?} as {engine:?} shows {part:?}: {line}"));
        }
    }
    Ok(())
}

const ENGINES: [Option<EngineId>; 6] = [
    None,
    Some(chronaxis_engines::POSTGRESQL),
    Some(chronaxis_engines::MYSQL),
    Some(chronaxis_engines::TDS),
    Some(chronaxis_engines::MONGODB),
    Some(chronaxis_engines::TLS),
];

#[test]
fn every_slip_as_it_is_shows_nothing() {
    let slips: Vec<String> = serde_json::from_str(SLIPS).unwrap();
    assert!(slips.len() >= 150, "{}", slips.len());
    let pairs = slips
        .iter()
        .flat_map(|slip| ENGINES.map(|engine| (slip, engine)));
    let wrong: Vec<String> = pairs
        .filter_map(|(slip, engine)| check(&slip.replace('§', SECRET), engine).err())
        .collect();
    assert!(wrong.is_empty(), "{}:\n{}", wrong.len(), wrong.join("\n"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(6000))]

    #[test]
    fn no_mutation_of_a_slip_shows_anything(
        slip in select(serde_json::from_str::<Vec<String>>(SLIPS).unwrap()),
        mutations in prop::collection::vec(mutation(), 1..6),
        engine in select(ENGINES.to_vec()),
    ) {
        let text = mutated(&slip, &mutations);
        if let Err(wrong) = check(&text, engine) {
            prop_assert!(false, "{wrong}");
        }
    }
}

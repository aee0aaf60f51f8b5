//! The strings of the directory: where they lead, as whom, and what stops them.

use chronaxis_engines::{ClientEnvironment, completed, recognise};

/// Where it leads, which service, as whom, and its options; what stops it.
fn read(text: &str, engine: Option<chronaxis_model::target::EngineId>) -> String {
    let read = recognise(text, None, engine).unwrap();
    let around = ClientEnvironment {
        os_user: Some("deckhand".to_owned()),
        ..ClientEnvironment::default()
    };
    let target = completed(read.engine, read.draft, &around).unwrap();
    let ends: Vec<String> = target.ends.iter().map(ToString::to_string).collect();
    let options: Vec<String> = target
        .options
        .iter()
        .map(|(k, v)| format!(" {k}={v}"))
        .collect();
    let stops = target.defects.iter().find(|d| d.stops);
    let stops = stops.map_or_else(String::new, |d| format!(" !{} {}", d.cause(), d.subject));
    // What outputs call it leads to the same place, and stands there as one would write it.
    let described = read.engine.strings.described(&target.shown());
    assert!(!described.contains("%2D"), "{described}");
    if let (true, Ok(again)) = (stops.is_empty(), recognise(&described, None, engine)) {
        let again = completed(again.engine, again.draft, &around).unwrap();
        assert_eq!(
            (&again.ends, &again.options),
            (&target.ends, &target.options),
            "{described}"
        );
        assert_eq!(
            (&again.database, &again.user),
            (&target.database, &target.user)
        );
    }
    format!(
        "{} {} {} {}{}{stops}",
        target.engine.as_str(),
        ends.join(","),
        target.database.as_deref().unwrap_or("-"),
        target.user.as_deref().unwrap_or("-"),
        options.concat()
    )
}

#[test]
fn strings_of_every_form_lead_to_the_same_places() {
    let own = Some(chronaxis_engines::DIRECTORY);
    for (text, engine, wanted) in [
        (
            "directory://purser@berths.osmary.example/berths",
            None,
            "directory berths.osmary.example:7471 berths purser",
        ),
        (
            "directory://purser:a%2Fb@[2001:db8::7]:7500/berths?instance=north-quay&role=master&tls=on",
            None,
            "directory [2001:db8::7]:7500 berths purser instance=north-quay role=master tls=on",
        ),
        (
            "host=berths.osmary.example service=berths user=purser role=master tls=off",
            own,
            "directory berths.osmary.example:7471 berths purser role=master tls=off",
        ),
        // Without the option, the word is the C library's of PostgreSQL.
        (
            "host=berths.osmary.example service=berths",
            None,
            "postgresql  - - service=berths !setting-missing service",
        ),
        // A place alone: the listener can be asked, and nothing more.
        (
            "berths.osmary.example:7471",
            None,
            "directory berths.osmary.example:7471 - deckhand",
        ),
        (
            "directory://purser@berths.osmary.example",
            None,
            "directory berths.osmary.example:7471 - purser !setting-missing database",
        ),
        (
            "directory://purser@berths.osmary.example/berths?tls=maybe",
            None,
            "directory  berths purser tls=maybe !settings-unreadable tls",
        ),
        (
            "directory://purser@berths.osmary.example/berths?rolle=master",
            None,
            "directory  berths purser !settings-unreadable parameters",
        ),
    ] {
        let found = read(text, engine);
        assert_eq!(found, wanted, "{text}");
    }
}

//! Connection strings: recognised, completed by every engine's rules, and written again.
#![no_main]

use chronaxis_engines::{ClientEnvironment, completed, engines, recognise};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let around = ClientEnvironment::default();
    let asked = std::iter::once(None).chain(engines().iter().map(|e| Some(e.spec.id)));
    for engine in asked {
        let Ok(read) = recognise(text, None, engine) else {
            continue;
        };
        if let Ok(target) = completed(read.engine, read.draft, &around) {
            let shown = target.shown();
            let again = read.engine.strings.described(&shown);
            let _ = recognise(&again, None, Some(read.engine.spec.id));
        }
    }
});

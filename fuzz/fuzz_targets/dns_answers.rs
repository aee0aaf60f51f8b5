//! Answers of resolvers, hosts files, resolver configurations.
#![no_main]

use chronaxis_model::fact::RecordKind;
use chronaxis_model::layer::Micros;
use chronaxis_model::redact::Redactor;
use chronaxis_probe::name_service::{Asked, question, read};
use chronaxis_probe::name_sources::{in_hosts, resolvers_in};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    for kind in [RecordKind::A, RecordKind::Aaaa, RecordKind::Srv, RecordKind::Txt] {
        let asked = Asked {
            name: "quay.osmary.example".to_owned(),
            kind,
            number: u16::from_be_bytes([
                bytes.first().copied().unwrap_or(0),
                bytes.get(1).copied().unwrap_or(0),
            ]),
        };
        let _ = read(bytes, &asked, &Redactor::default(), Micros(1));
    }
    let _ = in_hosts(bytes, "quay.osmary.example");
    let _ = resolvers_in(bytes);
    if let Ok(name) = std::str::from_utf8(bytes) {
        let _ = question(&Asked {
            name: name.to_owned(),
            kind: RecordKind::A,
            number: 7,
        });
    }
});

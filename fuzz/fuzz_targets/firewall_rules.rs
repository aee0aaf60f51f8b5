//! Rulesets of this machine's own filter, as JSON.
#![no_main]

use chronaxis_probe::local_firewall::{Going, Packet, decide};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let Ok(rules) = serde_json::from_slice(bytes) else {
        return;
    };
    for going in [Going::Out, Going::Back] {
        let packet = Packet {
            going,
            far: "198.51.100.7:5432".parse().unwrap(),
            near: Some("10.8.4.21:49153".parse().unwrap()),
            interface: Some("up0".to_owned()),
        };
        let _ = decide(&rules, &packet);
    }
});

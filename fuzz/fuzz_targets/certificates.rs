//! Certificates and keys, as DER and as PEM.
#![no_main]

use chronaxis_model::certificate::{certificates, private_key, read, rsa_key};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let _ = read(bytes);
    let _ = rsa_key(bytes);
    if let Ok(text) = std::str::from_utf8(bytes) {
        if let Ok(all) = certificates(text) {
            for one in &all {
                let _ = read(one);
            }
        }
        let _ = private_key(text);
    }
});

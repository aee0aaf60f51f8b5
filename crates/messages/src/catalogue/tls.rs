//! What TLS libraries say.

use crate::pattern::{Component, Kind, Pattern, Source, component, stop};

pub(super) const ALL: &[Component] = &[
    component(
        "openssl",
        "OpenSSL",
        Kind::Tls,
        None,
        "C, Python, Ruby, PHP, Node",
        Source::Measured,
        OPENSSL,
    ),
    component(
        "gnutls",
        "GnuTLS",
        Kind::Tls,
        None,
        "C",
        Source::Published,
        GNUTLS,
    ),
    component(
        "rustls",
        "rustls",
        Kind::Tls,
        None,
        "Rust",
        Source::Published,
        RUSTLS,
    ),
];

const OPENSSL: &[Pattern] = &[
    stop("openssl-verify-expired", "certificate verify failed: certificate has expired", "tls/certificate-refused")
        .sig(&[("certificate-defect", "expired")])
        .eg("[SSL: CERTIFICATE_VERIFY_FAILED] certificate verify failed: certificate has expired (_ssl.c:1006)")
        .not("certificate verify failed: self-signed certificate"),
    stop("openssl-expired", "certificate has expired", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "expired")])
        .eg("verify error:num=10:certificate has expired")
        .not("the certificates have expired"),
    stop("openssl-early", "certificate is not yet valid", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "not-yet-valid")])
        .eg("verify error:num=9:certificate is not yet valid")
        .not("certificate is valid"),
    stop("openssl-self-signed-chain", "self-signed certificate in certificate chain", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unknown")])
        .eg("certificate verify failed: self-signed certificate in certificate chain (_ssl.c:1006)")
        .not("self-signed certificate"),
    stop("openssl-self-signed-chain-old", "self signed certificate in certificate chain", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unknown")])
        .eg("SSL error: certificate verify failed: self signed certificate in certificate chain")
        .not("self signed certificate"),
    stop("openssl-self-signed", "self-signed certificate", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "self-signed")])
        .eg("certificate verify failed: self-signed certificate (_ssl.c:1006)")
        .not("self-signed certificates are made so"),
    stop("openssl-self-signed-old", "self signed certificate", "tls/certificate-refused").weak()
        .sig(&[("certificate-defect", "self-signed")])
        .eg("SSL error: certificate verify failed: self signed certificate")
        .not("self signed certificates are made so"),
    stop("openssl-issuer", "unable to get local issuer certificate", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .may("a certificate of an authority that this client does not trust, or an intermediate one that the server does not send")
        .eg("certificate verify failed: unable to get local issuer certificate (_ssl.c:1006)")
        .not("unable to get the file"),
    stop("openssl-first", "unable to verify the first certificate", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("Error: unable to verify the first certificate")
        .not("unable to verify the file"),
    stop("openssl-name", "certificate verify failed: Hostname mismatch, certificate is not valid for '{host}'", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("certificate verify failed: Hostname mismatch, certificate is not valid for 'quay.osmary.example'. (_ssl.c:1006)")
        .not("certificate verify failed: IP address mismatch"),
    stop("openssl-address", "certificate verify failed: IP address mismatch, certificate is not valid for '{address}'", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("certificate verify failed: IP address mismatch, certificate is not valid for '192.0.2.10'. (_ssl.c:1006)")
        .not("certificate verify failed: Hostname mismatch"),
    stop("openssl-verify", "certificate verify failed", "tls/certificate-refused").weak()
        .may("any defect of the certificate: only the words behind it tell")
        .eg("SSL error: certificate verify failed")
        .not("certificate verified"),
    stop("openssl-weak", "ee key too small", "tls/certificate-refused")
        .sig(&[("certificate-defect", "too-weak")])
        .eg("SSL error: ee key too small")
        .not("key too large"),
    stop("openssl-weak-digest", "ca md too weak", "tls/certificate-refused")
        .sig(&[("certificate-defect", "too-weak")])
        .eg("SSL error: ca md too weak")
        .not("md is strong"),
    stop("openssl-alert-version", "tlsv1 alert protocol version", "tls/alert")
        .sig(&[("alert-says", "version")])
        .eg("SSL error: tlsv1 alert protocol version")
        .not("tlsv1 protocol version"),
    stop("openssl-alert-handshake", "sslv3 alert handshake failure", "tls/alert")
        .sig(&[("alert-says", "handshake")])
        .eg("SSL error: sslv3 alert handshake failure")
        .not("handshake failure-"),
    stop("openssl-alert-handshake-new", "ssl/tls alert handshake failure", "tls/alert")
        .sig(&[("alert-says", "handshake")])
        .eg("SSL error: ssl/tls alert handshake failure")
        .not("ssl/tls alert"),
    stop("openssl-alert-required", "alert certificate required", "tls/alert")
        .sig(&[("alert-says", "certificate-required")])
        .eg("SSL error: tlsv13 alert certificate required")
        .not("alert certificate unknown"),
    stop("openssl-alert-bad", "alert bad certificate", "tls/alert")
        .sig(&[("alert-says", "certificate-refused")])
        .eg("SSL error: sslv3 alert bad certificate")
        .not("alert certificate required"),
    stop("openssl-alert-unknown-ca", "alert unknown ca", "tls/alert")
        .sig(&[("alert-says", "certificate-refused")])
        .may("a client that does not trust the server, where it stands in the server's log")
        .eg("SSL error: tlsv1 alert unknown ca")
        .not("alert unknown"),
    stop("openssl-alert-certificate-expired", "alert certificate expired", "tls/alert")
        .sig(&[("alert-says", "certificate-refused")])
        .eg("SSL error: sslv3 alert certificate expired")
        .not("certificate has not expired"),
    stop("openssl-version", "unsupported protocol", "tls/nothing-in-common").weak()
        .eg("SSL error: unsupported protocol")
        .not("unsupported protocols"),
    stop("openssl-no-cipher", "no shared cipher", "tls/nothing-in-common")
        .eg("could not accept SSL connection: no shared cipher")
        .not("a shared cipher"),
    stop("openssl-no-protocols", "no protocols available", "tls/nothing-in-common")
        .eg("SSL error: no protocols available")
        .not("protocols available"),
    stop("openssl-dh", "dh key too small", "tls/nothing-in-common")
        .eg("SSL error: dh key too small")
        .not("dh key"),
    stop("openssl-wrong-version", "wrong version number", "tls/garbled")
        .may("a server that does not speak TLS on this port")
        .eg("SSL error: wrong version number")
        .not("wrong version"),
    stop("openssl-packet", "packet length too long", "tls/garbled")
        .eg("SSL error: packet length too long")
        .not("packet length"),
    stop("openssl-eof", "unexpected eof while reading", "tls/closed").weak()
        .may("a session that was ended later")
        .eg("SSL error: unexpected eof while reading")
        .not("eof while reading"),
    stop("openssl-syscall-eof", "SSL SYSCALL error: EOF detected", "tls/closed").weak()
        .may("a session that was ended later")
        .eg("SSL SYSCALL error: EOF detected")
        .not("SSL SYSCALL error: none"),
    stop("openssl-key-mismatch", "key values mismatch", "bundle/key-mismatch").weak()
        .eg("SSL error: x509 certificate routines::key values mismatch")
        .not("key values match"),
    stop("openssl-decrypt", "bad decrypt", "bundle/passphrase-wrong").weak()
        .eg("SSL error: bad decrypt")
        .not("decrypted"),
];

const GNUTLS: &[Pattern] = &[
    stop(
        "gnutls-untrusted",
        "The certificate is NOT trusted. The certificate issuer is unknown.",
        "tls/certificate-refused",
    )
    .sig(&[("certificate-defect", "issuer-unclear")])
    .eg("The certificate is NOT trusted. The certificate issuer is unknown.")
    .not("The certificate is trusted."),
    stop(
        "gnutls-expired",
        "The certificate is NOT trusted. The certificate chain uses expired certificate.",
        "tls/certificate-refused",
    )
    .sig(&[("certificate-defect", "expired")])
    .eg("The certificate is NOT trusted. The certificate chain uses expired certificate.")
    .not("The certificate is trusted."),
    stop(
        "gnutls-name",
        "The name in the certificate does not match the expected.",
        "tls/certificate-refused",
    )
    .sig(&[("certificate-defect", "other-name")])
    .eg("The certificate is NOT trusted. The name in the certificate does not match the expected.")
    .not("The name in the certificate matches."),
    stop(
        "gnutls-alert",
        "A TLS fatal alert has been received.",
        "tls/alert",
    )
    .eg("A TLS fatal alert has been received.")
    .not("A TLS warning alert has been received."),
    stop(
        "gnutls-nonproper",
        "The TLS connection was non-properly terminated.",
        "tls/closed",
    )
    .weak()
    .eg("The TLS connection was non-properly terminated.")
    .not("The TLS connection was properly terminated."),
    stop(
        "gnutls-packet",
        "An unexpected TLS packet was received.",
        "tls/garbled",
    )
    .eg("An unexpected TLS packet was received.")
    .not("A TLS packet was received."),
];

const RUSTLS: &[Pattern] = &[
    stop("rustls-issuer", "invalid peer certificate: UnknownIssuer", "tls/certificate-refused")
        .sig(&[("certificate-defect", "issuer-unclear")])
        .eg("invalid peer certificate: UnknownIssuer")
        .not("invalid peer certificate: Expired"),
    stop("rustls-expired", "invalid peer certificate: certificate expired", "tls/certificate-refused")
        .sig(&[("certificate-defect", "expired")])
        .eg("invalid peer certificate: certificate expired: verification time 1764496800 (UNIX), but certificate is not valid after 1761955200")
        .not("invalid peer certificate: UnknownIssuer"),
    stop("rustls-name", "invalid peer certificate: certificate not valid for name", "tls/certificate-refused")
        .sig(&[("certificate-defect", "other-name")])
        .eg("invalid peer certificate: certificate not valid for name \"quay.osmary.example\"; certificate is only valid for DnsName(\"harbour.osmary.example\")")
        .not("invalid peer certificate: UnknownIssuer"),
    stop("rustls-ca-as-leaf", "invalid peer certificate: Other(OtherError(CaUsedAsEndEntity))", "tls/certificate-refused")
        .sig(&[("certificate-defect", "self-signed")])
        .eg("invalid peer certificate: Other(OtherError(CaUsedAsEndEntity))")
        .not("invalid peer certificate: Other(none)"),
    stop("rustls-alert", "received fatal alert: HandshakeFailure", "tls/alert")
        .sig(&[("alert-says", "handshake")])
        .eg("received fatal alert: HandshakeFailure")
        .not("received fatal alert: ProtocolVersion"),
    stop("rustls-alert-version", "received fatal alert: ProtocolVersion", "tls/alert")
        .sig(&[("alert-says", "version")])
        .eg("received fatal alert: ProtocolVersion")
        .not("received fatal alert: HandshakeFailure"),
    stop("rustls-alert-required", "received fatal alert: CertificateRequired", "tls/alert")
        .sig(&[("alert-says", "certificate-required")])
        .eg("received fatal alert: CertificateRequired")
        .not("received fatal alert: HandshakeFailure"),
];

//! Single files: damage, locks, permissions, names that lie.

use chronaxis_model::found::{CauseId, Warning};
use chronaxis_model::shell;

use super::Finding;
use crate::item::{Bundle, Content, File, Locked, What};

pub(super) fn findings(bundle: &Bundle) -> Vec<Finding> {
    let mut out = Vec::new();
    if let Some(damage) = &bundle.damage {
        let found = Finding::fault(CauseId::BundleUnreadable, damage.clone());
        out.push(
            found.fix("Download or copy the archive again, and compare its size or checksum."),
        );
    }
    for entry in &bundle.hostile {
        let text = format!("the archive has an entry that nobody should unpack: {entry}");
        let fix = "Do not unpack it; ask whoever issued the bundle for a clean one.";
        out.push(Finding::fault(CauseId::BundleUnreadable, text).fix(fix));
    }
    for (index, file) in bundle.files.iter().enumerate() {
        let mut found = Vec::new();
        let lies_at = format!("{}{}", bundle.lies_in, file.path);
        of_file(file, &lies_at, bundle.single, &mut found);
        out.extend(found.into_iter().map(|f| {
            let line = f.line;
            f.file(index, line)
        }));
    }
    out
}

fn of_file(file: &File, lies_at: &str, single: bool, out: &mut Vec<Finding>) {
    let path = &file.path;
    let quoted = shell::quoted(lies_at);
    // What is no archive cannot be looked into as one.
    if let (Content::Archive(kind), true) = (file.content, single) {
        let text = format!("{path} is an archive ({kind}) that is not looked into here");
        let fix = "Unpack it into a folder of its own, and name that folder.";
        out.push(Finding::remark(Warning::BeyondUs, text).fix(fix));
    }
    let unreadable = |text: String| Finding::fault(CauseId::BundleUnreadable, text);
    let again = "Get the file again from whoever issued the bundle.";
    if let Some(damage) = &file.damage {
        out.push(match file.content {
            // A person wrote it.
            Content::Manifest => unreadable(format!("{path} cannot be read: {damage}"))
                .fix("Correct that line, or get the file again from whoever issued the bundle."),
            _ => unreadable(format!("{path} is damaged: {damage}")).fix(again),
        });
    }
    match (file.content, file.named_like) {
        (Content::Closed, _) => {
            let text = format!("{path} cannot be read by this account");
            let found = Finding::fault(CauseId::BundlePermissions, text);
            let fix = format!("As its owner: chmod u+r {quoted}, or give it to this account.");
            out.push(found.fix(fix));
        }
        (Content::Empty, Some(like)) => {
            out.push(unreadable(format!("{path} is empty; its name says {like}")).fix(again));
        }
        (Content::WebPage, _) => {
            let text = format!("{path} is a web page: the download gave a page, not the file");
            let fix = "Download it again, signed in, and look at the first line before you use it.";
            out.push(unreadable(text).fix(fix));
        }
        (Content::Der, Some(like)) => {
            let to = path
                .rsplit_once('.')
                .map_or(path.as_str(), |(stem, _)| stem);
            let kind = match file.objects.first().map(|o| &o.what) {
                Some(What::Key(_)) => "pkey",
                _ => "x509",
            };
            let text = format!(
                "{path} is in DER form, and its name says {like}: most database clients read PEM only"
            );
            let out_file = shell::quoted(&format!("{to}.new.pem"));
            let fix = format!("openssl {kind} -inform der -in {quoted} -out {out_file}");
            out.push(unreadable(text).fix(fix));
        }
        (Content::Text | Content::Unknown, Some(like)) => {
            let text = format!("{path} holds nothing that is {like}, though its name says so");
            out.push(unreadable(text).fix(again));
        }
        (Content::Pem | Content::Pkcs12, Some(like)) => {
            let text = format!(
                "{path} is {}, and its name says {like}",
                file.content.title()
            );
            let fix = "Give it a name that fits, or the client the file in the form that it reads.";
            out.push(unreadable(text).fix(fix));
        }
        (Content::JavaKeystore | Content::JavaSecretKeystore, _) => {
            let text =
                format!("{path} is a keystore in Java's own form, which is not looked into here");
            let to = shell::quoted(&format!("{lies_at}.p12"));
            let fix = format!(
                "keytool -importkeystore -srckeystore {quoted} -destkeystore {to} -deststoretype pkcs12"
            );
            out.push(Finding::remark(Warning::BeyondUs, text).fix(fix));
        }
        _ => {}
    }
    for object in &file.objects {
        match &object.what {
            What::Damaged { label, why } => {
                let found = unreadable(format!("{path}: the block {label} {why}")).fix(again);
                out.push(Finding {
                    line: object.line,
                    ..found
                });
            }
            What::Signed => {
                let text = format!(
                    "{path} has its certificates in a signed message (PKCS #7), which database clients do not read"
                );
                let fix = format!(
                    "openssl pkcs7 -in {quoted} -print_certs -out {}",
                    shell::quoted(&format!("{lies_at}.pem"))
                );
                out.push(Finding::remark(Warning::BeyondUs, text).fix(fix));
            }
            What::LockedKey(Locked::Wrong) => {
                out.push(wrong_passphrase(path));
            }
            What::LockedKey(Locked::Unknown) => {
                out.push(beyond(path, &format!("openssl pkey -in {quoted}")))
            }
            _ => {}
        }
    }
    match file.locked {
        Some(Locked::Wrong) => out.push(wrong_passphrase(path)),
        Some(Locked::Unknown) => {
            out.push(beyond(
                path,
                &format!("openssl pkcs12 -in {quoted} -info -noout"),
            ));
        }
        _ => {}
    }
    let open = file
        .access
        .is_some_and(|a| a.mode & 0o077 != 0 && !(a.root && a.mode & 0o037 == 0));
    if let Some(access) = file.access.filter(|_| open && file.is_secret()) {
        let what = if file.holds_password {
            "the password in it"
        } else {
            "the private key in it"
        };
        let text = format!(
            "{path}: other users of this machine can read {what} (mode {:04o})",
            access.mode & 0o7777
        );
        let found = Finding::remark(Warning::SecretReadableByOthers, text);
        out.push(found.fix(format!("chmod 600 {quoted}")));
    }
}

fn wrong_passphrase(path: &str) -> Finding {
    let text = format!("{path} does not open with the passphrase that was given");
    Finding::fault(CauseId::BundlePassphraseWrong, text).fix(
        "Ask whoever issued the bundle for its passphrase; look for spaces and line ends in the one that was given.",
    )
}

fn beyond(path: &str, command: &str) -> Finding {
    let text = format!("{path} is locked in a way that is not opened here");
    Finding::remark(Warning::BeyondUs, text).fix(command.to_owned())
}

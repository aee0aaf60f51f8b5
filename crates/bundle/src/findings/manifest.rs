//! What a manifest says, against what lies in the bundle.

use chronaxis_model::found::CauseId;
use chronaxis_model::redact::visible;
use chronaxis_model::shown;

use super::Finding;
use crate::alias::{Lead, follow};
use crate::chain::Together;
use crate::item::Bundle;
use crate::manifest::{Led, Manifest, Told, led};
use crate::uses::Use;

pub(super) fn findings(bundle: &Bundle, together: &Together) -> Vec<Finding> {
    let mut out = Vec::new();
    for (index, file) in bundle.files.iter().enumerate() {
        let Some(manifest) = &file.manifest else {
            continue;
        };
        let folder = file.folder();
        let mut found = paths(bundle, manifest, folder);
        found.extend(pair(bundle, together, manifest, folder));
        found.extend(aliases(manifest));
        out.extend(found.into_iter().map(|f| {
            let line = f.line;
            f.file(index, line)
        }));
    }
    out
}

/// The file of a bundle at a path of the manifest.
fn at<'a>(bundle: &'a Bundle, folder: &str, told: &Told) -> Option<(usize, &'a crate::item::File)> {
    let Led::Inside(path) = led(folder, &told.text) else {
        return None;
    };
    let mut files = bundle.files.iter().enumerate();
    files.find(|(_, f)| f.path == path)
}

fn paths(bundle: &Bundle, manifest: &Manifest, folder: &str) -> Vec<Finding> {
    let mut out = Vec::new();
    for (what, told) in manifest.paths() {
        if at(bundle, folder, told).is_some() {
            continue;
        }
        let name = told.text.rsplit('/').next().unwrap_or_default();
        let elsewhere = bundle.files.iter().find(|f| {
            let own = f.path.rsplit('/').next().unwrap_or_default();
            own == name && !name.is_empty()
        });
        let path = shown::path(&told.text);
        let found = match (led(folder, &told.text), elsewhere) {
            (_, Some(file)) => {
                let text = format!(
                    "the manifest looks for the {what} at {path}; it lies at {}",
                    file.path
                );
                let from_here = file.path.strip_prefix(&format!("{folder}/"));
                let write = match folder.is_empty() {
                    true => file.path.clone(),
                    false => from_here
                        .map_or_else(|| format!("${{BUNDLE}}/{}", file.path), str::to_owned),
                };
                Finding::fault(CauseId::BundlePathStale, text).fix(format!(
                    "In line {} of the manifest write \"{write}\".",
                    told.line
                ))
            }
            (Led::Outside, None) => {
                let text = format!(
                    "the manifest's path of the {what} leads out of the bundle and is not read: {path}"
                );
                Finding::fault(CauseId::BundlePathStale, text).fix(
                    "Put the file into the bundle, and write its path relative to the manifest.",
                )
            }
            (Led::Inside(_), None) => {
                let text = format!("the {what} that the manifest names is missing: {path}");
                Finding::fault(CauseId::BundleIncomplete, text)
                    .fix("Get the whole bundle again, or correct the name in the manifest.")
            }
        };
        out.push(Finding {
            line: Some(told.line),
            ..found
        });
    }
    out
}

/// The key that the manifest names, against the certificate that it names.
fn pair(
    bundle: &Bundle,
    together: &Together,
    manifest: &Manifest,
    folder: &str,
) -> Option<Finding> {
    let certificate = manifest.certificate.as_ref()?;
    let told = manifest.key.as_ref()?;
    let (of_certificate, _) = at(bundle, folder, certificate)?;
    let (of_key, _) = at(bundle, folder, told)?;
    let keys: Vec<_> = together
        .pairs
        .iter()
        .filter(|p| p.key.file == of_key)
        .collect();
    let fits = keys.iter().any(|p| {
        let all = p.certificates.iter().chain(&p.open);
        all.into_iter().any(|at| at.file == of_certificate)
    });
    // That it belongs to none at all is said by itself.
    let elsewhere = keys.iter().find_map(|p| p.certificates.first());
    if fits {
        return None;
    }
    let other = bundle.files.get(elsewhere?.file)?;
    let text = format!(
        "the key {} belongs to the certificate in {}, not to {}, which the manifest names",
        shown::path(&told.text),
        other.path,
        shown::path(&certificate.text)
    );
    let found = Finding::fault(CauseId::BundleKeyMismatch, text);
    let fix = format!(
        "In line {} of the manifest write \"{}\".",
        certificate.line, other.path
    );
    Some(Finding {
        line: Some(told.line),
        ..found.fix(fix)
    })
}

fn aliases(manifest: &Manifest) -> Vec<Finding> {
    let mut out = Vec::new();
    for alias in &manifest.aliases {
        let name = visible(&alias.name);
        let text = match follow(&manifest.aliases, &alias.name) {
            Lead::To(_) => continue,
            Lead::Unknown(other) => {
                format!(
                    "the alias {name} leads to {}, which no alias defines",
                    visible(&other)
                )
            }
            Lead::Circle(way) => {
                let way: Vec<String> = way.iter().map(|n| visible(n)).collect();
                format!("the alias {name} leads in a circle: {}", way.join(" → "))
            }
            Lead::Nothing(last) if last.name == alias.name => {
                format!("the alias {name} has neither a target nor a host")
            }
            Lead::Nothing(last) => format!(
                "the alias {name} leads to {}, which has neither a target nor a host",
                visible(&last.name)
            ),
        };
        let found = Finding::fault(CauseId::BundleAliasUnknown, text);
        let line = alias.target.as_ref().map_or(alias.line, |t| t.line);
        let fix = "Write a connection string there, or the name of an alias that has one.";
        out.push(Finding {
            line: Some(line),
            ..found.fix(fix)
        });
    }
    out
}

/// What is missing for the purpose that the manifest tells.
pub(super) fn purpose(bundle: &Bundle, uses: &[Use; 2]) -> Option<Finding> {
    let index = bundle.files.iter().position(|f| f.manifest.is_some())?;
    let wanted = bundle.manifest()?.1.purpose?;
    // A client that shows a certificate checks the server's too.
    let missing: Vec<&str> = uses
        .iter()
        .filter(|u| u.purpose <= wanted)
        .flat_map(|u| u.missing.iter().map(String::as_str))
        .filter(|m| !m.contains("valid today") && !m.contains("locked"))
        .collect();
    (!missing.is_empty()).then(|| {
        let text = format!(
            "the manifest says that the bundle is for {}; missing for that: {}",
            wanted.as_str(),
            missing.join(", ")
        );
        Finding::fault(CauseId::BundleIncomplete, text)
            .fix("Get the missing part from whoever issued the bundle.")
            .file(index, None)
    })
}

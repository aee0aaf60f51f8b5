//! Services: named sets of values in files that the client reads by itself.

use chronaxis_model::secret::Secret;
use chronaxis_model::settings::{Defect, DefectKind, Field, check_value, nearest};
use chronaxis_model::shown;
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::ClientId;

use super::service_file;
use crate::strings::{ClientEnvironment, Draft};
use crate::text::pieces::subject;

/// The service file of the user, or the one that a variable names, and the machine's own.
pub(super) fn files(around: &ClientEnvironment) -> Vec<String> {
    let own = around
        .variable("PGSERVICEFILE")
        .map(|t| t.value)
        .or_else(|| {
            around
                .home
                .as_ref()
                .map(|home| format!("{home}/.pg_service.conf"))
        });
    let folder = around
        .variable("PGSYSCONFDIR")
        .map_or_else(|| "/etc/postgresql-common".to_owned(), |t| t.value);
    own.into_iter()
        .chain([format!("{folder}/pg_service.conf")])
        .collect()
}

/// The service that the draft or the environment asks for, where this client has services.
pub(super) fn asked(draft: &Draft, around: &ClientEnvironment) -> Option<Sourced<String>> {
    let told = draft.value("service").cloned();
    match draft.client {
        ClientId::Libpq => told.or_else(|| around.variable("PGSERVICE")),
        ClientId::Pgjdbc => told,
        _ => None,
    }
}

/// Lays the values of the service that the draft asks for under the string's own; above
/// them stand only the string and the options.
pub(super) fn take(draft: &mut Draft, around: &ClientEnvironment) {
    let Some(service) = asked(draft, around) else {
        return;
    };
    let mut names: Vec<&str> = Vec::new();
    for path in files(around) {
        let Some(file) = around.files.iter().find(|f| f.path == path) else {
            continue;
        };
        names.extend(service_file::names(&file.text));
        match service_file::find(&file.text, &service.value) {
            Ok(None) => {}
            Ok(Some(entries)) => return lay_under(draft, &path, entries),
            Err(broken) => {
                let text = format!(
                    "{path}, line {}, service {}: {}",
                    broken.line,
                    shown::quoted("service", &service.value),
                    broken.what
                );
                return draft.defects.push(Defect {
                    kind: DefectKind::Unreadable,
                    subject: Field::SERVICE,
                    stops: true,
                    text,
                    expected: "key=value, with the keys of this client".to_owned(),
                    place: None,
                    mended: None,
                });
            }
        }
    }
    let name = shown::value("service", &service.value);
    let near = nearest(&service.value, names.iter().copied());
    let files = files(around).join(" or ");
    draft.defects.push(Defect {
        kind: DefectKind::Missing,
        subject: Field::SERVICE,
        stops: true,
        text: format!("the service {name} is not defined in {files}"),
        expected: near.map_or_else(
            || format!("a section [{name}]"),
            |near| format!("probably {}", shown::value("service", near)),
        ),
        place: None,
        mended: None,
    });
}

fn lay_under(draft: &mut Draft, path: &str, entries: Vec<service_file::Entry>) {
    for entry in entries {
        let origin = Origin::File {
            file: path.to_owned(),
            line: entry.line,
            column: entry.column,
            name: entry.key.clone(),
        };
        if entry.key == "password" {
            let secret = Sourced::new(Secret::new(entry.value), origin);
            draft.secret.get_or_insert(secret);
        } else if !draft.values.contains_key(&entry.key) {
            for one in entry.value.split(',') {
                draft
                    .defects
                    .extend(check_value(subject(&entry.key), one, None));
            }
            draft
                .values
                .insert(entry.key, Sourced::new(entry.value, origin));
        }
    }
}

/// The password file that a service names.
pub(super) fn password_file(service: &str, around: &ClientEnvironment) -> Option<String> {
    files(around).iter().find_map(|path| {
        let seen = around.files.iter().find(|f| f.path == *path)?;
        let entries = service_file::find(&seen.text, service).ok()??;
        let named = entries.into_iter().find(|e| e.key == "passfile")?;
        Some(named.value)
    })
}

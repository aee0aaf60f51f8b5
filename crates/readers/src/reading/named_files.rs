//! Settings that name a file of their client's, or a part of one: a service, a file of
//! options. What stands there is the connection's, and none by itself.

use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::shown;

use super::Reading;
use crate::connection::Connection;
use crate::format::Format;
use crate::project::{beside, folder};

impl Reading<'_> {
    /// Fills in what connections ask other files for.
    pub(super) fn fill_from_named_files(&self, connections: &mut [Connection]) {
        self.fill_from_service_files(connections);
        self.fill_from_option_files(connections);
    }

    fn of_format(&self, connections: &[Connection], format: Format) -> Vec<(usize, Connection)> {
        let of_it = |c: &Connection| self.file(c.file_id).is_some_and(|f| f.format == format);
        let all = connections.iter().enumerate().filter(|(_, c)| of_it(c));
        all.map(|(at, c)| (at, c.clone())).collect()
    }

    /// The services of a service file in the folder (PostgreSQL's documentation, "The
    /// Connection Service File").
    fn fill_from_service_files(&self, connections: &mut [Connection]) {
        let services = self.of_format(connections, Format::ServiceFile);
        let Some((_, any)) = services.first() else {
            return;
        };
        let mut taken = Vec::new();
        for connection in connections.iter_mut() {
            let own = services
                .iter()
                .any(|(_, s)| s.file_id == connection.file_id);
            let Some(asked) = connection.draft.value("service").cloned().filter(|_| !own) else {
                continue;
            };
            connection.draft.values.remove("service");
            match services.iter().find(|(_, s)| s.name == asked.value) {
                Some((at, service)) => {
                    taken.push(*at);
                    lay_under(connection, service);
                }
                None => {
                    taken.extend(services.iter().map(|(at, _)| *at));
                    connection.draft.defects.push(Defect {
                        kind: DefectKind::Missing,
                        subject: Field::SERVICE,
                        stops: true,
                        text: format!(
                            "there is no service {} in {}",
                            shown::quoted("service", &asked.value),
                            any.file
                        ),
                        expected: format!("a service of that file, such as [{}]", any.name),
                        place: None,
                        mended: None,
                    });
                }
            }
        }
        pass_over(connections, &taken);
    }

    /// The group of a file of options that a client reads (MariaDB's documentation,
    /// "Configuring MariaDB Connector/C with Option Files").
    fn fill_from_option_files(&self, connections: &mut [Connection]) {
        let groups = self.of_format(connections, Format::OptionFile);
        let mut taken = Vec::new();
        for connection in connections.iter_mut() {
            let Some(asked) = connection.draft.value("read_default_file").cloned() else {
                continue;
            };
            // It is named from where the program is started: from here, or from above.
            let named = asked.value.trim_start_matches("./");
            let fits = |c: &Connection| {
                let own = beside("", &c.file);
                own == beside(folder(&connection.file), named)
                    || own.ends_with(&format!("/{named}"))
            };
            let wanted = connection.value("read_default_group").unwrap_or("client");
            let found = groups.iter().find(|(_, c)| fits(c) && c.name == wanted);
            if let Some((at, group)) = found {
                taken.push(*at);
                connection.draft.values.remove("read_default_file");
                lay_under(connection, group);
            }
        }
        pass_over(connections, &taken);
    }
}

/// Gives a connection what it lacks, and what stops the part it comes from.
fn lay_under(connection: &mut Connection, part: &Connection) {
    for (key, told) in &part.draft.values {
        let own = connection.draft.values.entry(key.clone());
        own.or_insert_with(|| told.clone());
    }
    if connection.draft.secret.is_none() {
        connection.draft.secret.clone_from(&part.draft.secret);
    }
    let stops = part.draft.defects.iter().chain(&part.findings);
    connection
        .findings
        .extend(stops.filter(|d| d.stops).cloned());
    let lacks = |d: &Defect| d.kind == DefectKind::Missing && !d.stops;
    connection.findings.retain(|d| !lacks(d));
}

fn pass_over(connections: &mut [Connection], taken: &[usize]) {
    for at in taken {
        if let Some(part) = connections.get_mut(*at) {
            part.passed_over = true;
        }
    }
}

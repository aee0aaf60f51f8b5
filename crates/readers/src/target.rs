//! From a description to a target that can be walked: the client's own rules fill the
//! gaps, what only the environment would tell stays unknown, and what the other files show
//! comes with it.

use chronaxis_engines::{ClientEnvironment, Engine, NotFollowed, completed};
use chronaxis_model::redact::without_words;
use chronaxis_model::secret::Secret;
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::Target;

use crate::connection::Connection;
use crate::project::Report;

impl Connection {
    /// The target that it is to a client of this engine.
    ///
    /// # Errors
    /// Names what stands in it that this version does not follow.
    pub fn target(
        &self,
        engine: &Engine,
        around: &ClientEnvironment,
    ) -> Result<Target, NotFollowed> {
        let mut target = completed(engine, self.draft.clone(), around)?;
        self.forget_defaults(&mut target);
        let pasted = |d: &Defect| d.subject == Field::HOST && d.stops;
        if self.findings.iter().any(pasted) {
            // What stands there is told in full.
            target.defects.retain(|d| !pasted(d) || d.place.is_some());
        }
        if self.is_sample() {
            // Whoever copies a sample fills them in.
            target.defects.retain(|d| d.kind != DefectKind::Placeholder);
        }
        Ok(target)
    }

    /// What is told by a variable that is not known here is not what the client would take
    /// by default.
    fn forget_defaults(&self, target: &mut Target) {
        for unknown in &self.unknown {
            let by_default =
                |target: &Target, key: &str| target.origins.get(key).is_none_or(Origin::is_default);
            let subject = unknown.subject.as_str();
            target
                .defects
                .retain(|d| d.subject != unknown.subject || d.kind != DefectKind::Missing);
            match subject {
                "string" => {
                    target.ends.clear();
                    target.user = None;
                    target.database = None;
                    target.origins.clear();
                }
                "host" | "port" if by_default(target, subject) => {
                    target.ends.clear();
                    target.origins.remove(subject);
                }
                "user" if by_default(target, "user") => {
                    target.user = None;
                    target.origins.remove("user");
                }
                "database" if by_default(target, "database") => {
                    target.database = None;
                    target.origins.remove("database");
                }
                _ => {}
            }
        }
    }

    /// Why a value is not known whose variables cannot be named: they may be pieces of it.
    fn why_unknown(&self, subject: &Field) -> String {
        let said = |d: &&Defect| d.kind == DefectKind::Unresolved && d.subject == *subject;
        match self.findings.iter().find(said) {
            Some(defect) => defect.text.clone(),
            None => "only running the program would tell".to_owned(),
        }
    }

    /// What is not known, as defects of a target that is to be walked: without a host, a
    /// port or a user there is nothing to dial and nobody to sign in.
    fn unknown_as_defects(&self, target: &Target) -> Vec<Defect> {
        let told = |subject: &str| match subject {
            "user" => target.user.is_some(),
            "database" => target.database.is_some(),
            "password" => target.secret.is_some(),
            _ => false,
        };
        let unknown = self.unknown.iter().filter(|u| !told(u.subject.as_str()));
        unknown
            .map(|unknown| {
                let what = match unknown.variables.as_slice() {
                    _ if unknown.instead.is_some() => unknown.instead.clone().unwrap_or_default(),
                    [] => self.why_unknown(&unknown.subject),
                    [one] => format!("it comes from the variable {one}, which is not set here"),
                    more => format!(
                        "it comes from the variables {}, which are not all set here",
                        more.join(", ")
                    ),
                };
                Defect {
                    kind: DefectKind::Unresolved,
                    subject: unknown.subject.clone(),
                    stops: unknown.subject != Field::PASSWORD,
                    text: format!(
                        "the {} is not known: {what} ({})",
                        unknown.subject,
                        unknown.origin.shown()
                    ),
                    expected: "set the variable here as it is set where the program runs"
                        .to_owned(),
                    place: None,
                    mended: None,
                }
            })
            .collect()
    }
}

/// A value that cannot be used for what was taken into it is no riddle: what was taken into
/// it stops the client.
fn told_by_blanks(defects: &mut Vec<Defect>) {
    let taken_in = |d: &Defect| {
        matches!(
            d.kind,
            DefectKind::StrayWhitespace | DefectKind::CommentKept
        )
    };
    let told: Vec<Field> = defects
        .iter()
        .filter(|d| taken_in(d))
        .map(|d| d.subject.clone())
        .collect();
    let unusable =
        |d: &Defect| d.kind == DefectKind::Unreadable && d.stops && told.contains(&d.subject);
    let stopped: Vec<Field> = defects
        .iter()
        .filter(|d| unusable(d))
        .map(|d| d.subject.clone())
        .collect();
    defects.retain(|d| !unusable(d));
    for defect in defects.iter_mut().filter(|d| taken_in(d)) {
        defect.stops |= stopped.contains(&defect.subject);
    }
}

impl Report {
    /// A connection's target with all that this reading shows of it, for a walk.
    ///
    /// # Errors
    /// Names what stands in it that this version does not follow.
    pub fn walkable(
        &self,
        number: usize,
        engine: &Engine,
        around: &ClientEnvironment,
    ) -> Result<Option<Target>, NotFollowed> {
        let Some(connection) = self.connections.get(number) else {
            return Ok(None);
        };
        let mut target = connection.target(engine, around)?;
        // What the verdict says by itself, from the account and the secret. What keeps the
        // program from starting is no gap of its own values.
        let own = |d: &&Defect| match d.kind {
            DefectKind::Missing => d.stops,
            DefectKind::Administrator | DefectKind::EmptyPassword | DefectKind::Unresolved => false,
            _ => true,
        };
        let unknown = connection.unknown_as_defects(&target);
        // Where a file is named in a way that only a run would tell, the client does not look
        // for one of its own.
        let files = engine.spec.file_options;
        if unknown.iter().any(|d| files.contains(&d.subject.as_str())) {
            target.defects.retain(|d| d.kind != DefectKind::FileMissing);
        }
        target.defects.extend(unknown);
        target
            .defects
            .extend(connection.findings.iter().filter(own).cloned());
        target
            .defects
            .extend(connection.alternatives.iter().cloned());
        target.defects.extend(self.disagreeing(number));
        told_by_blanks(&mut target.defects);
        // A file that its client opens late stops nothing before it is dialled.
        let late = target.encryption.stopped_late;
        if target.defects.iter().any(|d| d.stops_dialling(late)) {
            target.ends.clear();
        }
        // A finding may quote a line beside this one, and that the secret of another.
        let secrets: Vec<&Secret> = self
            .connections
            .iter()
            .filter_map(|c| Some(&c.draft.secret.as_ref()?.value))
            .collect();
        let mask = |text: &mut String| *text = without_words(text, secrets.iter().copied());
        for defect in &mut target.defects {
            mask(&mut defect.text);
            defect.mended.iter_mut().for_each(mask);
            if let Some(place) = &mut defect.place {
                mask(&mut place.excerpt);
            }
        }
        Ok(Some(target))
    }
}

//! A whole connection string where it stands in a file.

use chronaxis_engines::{Draft, NotATarget, recognise};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::sourced::{Origin, Sourced};
use chronaxis_model::target::{ClientId, EngineId};

use super::program::TakenApart;
use super::{Source, Unknown};
use crate::clients::client;
use crate::entry::Entry;
use crate::format::Format;
use crate::grouping::is_string;
use crate::names::{Means, engine_word};
use crate::references;
use crate::resolve::{is_unknown, shown_variables};
use crate::traced::Traced;

/// A string that was read.
pub(super) struct ReadString {
    pub(super) engine: Option<EngineId>,
    pub(super) draft: Draft,
    pub(super) unknown: Vec<Unknown>,
}

impl ReadString {
    fn unknown(
        entry: &Entry,
        text: &Traced,
        hint: Option<EngineId>,
        source: &Source<'_>,
    ) -> ReadString {
        ReadString {
            engine: hint,
            draft: Draft {
                form: format!("string in {}", source.format.one()),
                read_by: Vec::new(),
                client: client(hint, "", source.format),
                ..Draft::default()
            },
            unknown: vec![Unknown {
                subject: Field::STRING,
                variables: shown_variables(text.as_str()),
                origin: source.places.origin(entry, text, 0),
                instead: None,
            }],
        }
    }
}

impl Source<'_> {
    /// Reads a whole connection string where it stands.
    pub(super) fn string(
        &self,
        entry: &Entry,
        text: &Traced,
        hint: Option<EngineId>,
    ) -> Option<ReadString> {
        let string = text.as_str();
        if let Some(inner) = within_quotes(text) {
            return self.quoted_string(entry, text, &inner, hint);
        }
        if let Some(at) = after_r2dbc(string) {
            return self.of_r2dbc(entry, &text.slice(at..string.len()), hint);
        }
        if !is_string(string) {
            if is_unknown(string) {
                return Some(ReadString::unknown(entry, text, hint, self));
            }
            if let Some(absent) = self.pdo_driver(entry, text) {
                let word = string.split(':').next().unwrap_or_default();
                let Some(Means::Engine(engine)) = engine_word(word) else {
                    return None;
                };
                return Some(ReadString {
                    engine: Some(engine),
                    draft: Draft {
                        form: format!("string in {}", self.format.one()),
                        client: client(Some(engine), "", self.format),
                        defects: vec![absent],
                        ..Draft::default()
                    },
                    unknown: Vec::new(),
                });
            }
            // An address of something else, or a word that is no string at all.
            return None;
        }
        let written = text;
        let taken = self.taken_apart(text, hint);
        let (text, string, by) = match &taken {
            TakenApart::Anew(anew) => (&anew.text, anew.text.as_str(), Some(anew.reader)),
            TakenApart::Refused(_, reader) => (text, string, Some(*reader)),
            TakenApart::AsItStands => (text, string, None),
        };
        let (read, engine) = match recognise(string, None, hint) {
            Ok(read) => {
                let engine = Some(read.engine.spec.id);
                (read, engine)
            }
            // Whose it is stays open: its words are those of several engines' clients.
            Err(NotATarget::EngineOfPairsUnsaid) => (
                recognise(string, None, Some(chronaxis_engines::MYSQL)).ok()?,
                None,
            ),
            Err(_) => return None,
        };
        let mut draft = read.draft;
        draft.form = format!("{} in {}", draft.form, self.format.one());
        if let Some(reader) = by {
            draft.read_by.push(reader.title.to_owned());
        }
        let names_driver = string.split("://").next().is_some_and(|s| s.contains('+'));
        let of_go = string.contains("@tcp(") || string.contains("@unix(");
        let of_dotnet = matches!(self.format, Format::Json | Format::Xml) && string.contains(';');
        let of_keywords = !string.contains("://") && !string.contains(';') && string.contains('=');
        if string.starts_with("jdbc:") {
            draft
                .defects
                .extend(engine.and_then(|id| self.no_driver(id, true)));
        }
        if (string.contains("://") && !names_driver) || of_go || of_dotnet || of_keywords {
            self.by_driver(&mut draft, engine);
        }
        if engine.is_none() {
            draft
                .defects
                .retain(|d| d.kind != DefectKind::ClientUnknown);
        }
        let mut unknown = Vec::new();
        draft.values = std::mem::take(&mut draft.values)
            .into_iter()
            .filter_map(|(key, told)| {
                let origin = self.moved(entry, text, &told.origin);
                if is_unknown(&told.value) {
                    let subject = if key == "dbname" {
                        "database"
                    } else {
                        key.as_str()
                    };
                    unknown.push(Unknown {
                        subject: Field::of(subject),
                        variables: shown_variables(&told.value),
                        origin,
                        instead: None,
                    });
                    return None;
                }
                Some((key, Sourced::new(told.value, origin)))
            })
            .collect();
        if let Some(told) = draft.secret.take() {
            let origin = self.moved(entry, text, &told.origin);
            let instead = references::why(told.value.expose()).map(str::to_owned);
            if is_unknown(told.value.expose()) || instead.is_some() {
                unknown.push(Unknown {
                    subject: Field::PASSWORD,
                    variables: shown_variables(told.value.expose()),
                    origin,
                    instead,
                });
            } else {
                draft.secret = Some(Sourced::new(told.value, origin));
            }
        }
        let waits = |d: &Defect| unknown.iter().any(|u| u.subject == d.subject);
        draft.defects.retain(|d| !waits(d));
        let refused = |d: &&mut Defect| d.kind == DefectKind::ParameterUnknown;
        let to_client = engine.is_some() && self.client_of == engine;
        for defect in draft.defects.iter_mut().filter(|d| to_client && refused(d)) {
            defect.kind = DefectKind::Unreadable;
            defect.stops = true;
            defect.expected = "a parameter of this client".to_owned();
        }
        for defect in &mut draft.defects {
            defect.place = defect
                .place
                .take()
                .map(|p| self.places.mark_in(p, entry, text));
        }
        let names: &[String] = match &taken {
            TakenApart::Anew(anew) => &anew.parameters,
            _ => &[],
        };
        let mark = || self.places.mark(entry, written, true);
        self.judge_parameters(&mut draft, engine, (by, names), mark);
        if matches!(draft.client, ClientId::Npgsql | ClientId::MysqlConnector) {
            draft
                .defects
                .retain(|d| d.kind != DefectKind::ClientUnknown);
        }
        let to = (draft.client, engine);
        draft.defects.extend(self.of_form((entry, written), to, by));
        draft.defects.extend(self.engine_call(entry, written));
        if let TakenApart::Refused(defect, _) = taken {
            // What others would say of it does not matter to this program.
            draft.defects.retain(|d| !d.stops);
            draft.defects.push(Defect {
                place: Some(self.places.mark(entry, written, true)),
                ..*defect
            });
        }
        Some(ReadString {
            engine,
            draft,
            unknown,
        })
    }

    /// A string whose quotes its reader takes for a part of it: no client knows such a scheme.
    fn quoted_string(
        &self,
        entry: &Entry,
        text: &Traced,
        inner: &Traced,
        hint: Option<EngineId>,
    ) -> Option<ReadString> {
        let mut read = self.string(entry, inner, hint)?;
        read.draft.defects.retain(|d| !d.stops);
        read.draft.defects.push(Defect {
            kind: DefectKind::StrayWhitespace,
            subject: Field::STRING,
            stops: true,
            text: "the quotes around the string are part of the value here".to_owned(),
            expected: "the string without quotes".to_owned(),
            place: Some(self.places.mark(entry, text, true)),
            mended: self.places.mended_secret(entry, text, "without the quotes"),
        });
        Some(read)
    }

    /// A URL of Java's reactive drivers: a plain one behind their own beginning (R2DBC
    /// Specification, "Connection URL").
    fn of_r2dbc(&self, entry: &Entry, text: &Traced, hint: Option<EngineId>) -> Option<ReadString> {
        let mut read = self.string(entry, text, hint)?;
        read.draft.defects.push(Defect {
            kind: DefectKind::ClientUnknown,
            subject: Field::CLIENT,
            stops: false,
            text: format!(
                "the rules of R2DBC's drivers are not known here; it is judged as {} would connect",
                read.draft.client.as_str()
            ),
            expected: "the same result, except where the clients have different defaults"
                .to_owned(),
            place: None,
            mended: None,
        });
        Some(read)
    }

    /// The origin of a value inside a string, in the file.
    fn moved(&self, entry: &Entry, text: &Traced, origin: &Origin) -> Origin {
        let Origin::Target { column } = origin else {
            return origin.clone();
        };
        let before = text
            .as_str()
            .chars()
            .take((*column as usize).saturating_sub(1));
        let at: usize = before.map(char::len_utf8).sum();
        self.places.origin(entry, text, at)
    }
}

/// What stands between quotes that are part of a value.
fn within_quotes(text: &Traced) -> Option<Traced> {
    let string = text.as_str();
    let quote = string.chars().next().filter(|c| matches!(c, '"' | '\''))?;
    let ends = string.len() > 2 && string.ends_with(quote) && string.contains("://");
    ends.then(|| text.slice(1..string.len() - 1))
}

/// Where the plain URL begins behind what R2DBC's drivers put before it.
fn after_r2dbc(text: &str) -> Option<usize> {
    let rest = text.strip_prefix("r2dbc:")?;
    let bare = rest.strip_prefix("pool:").unwrap_or(rest);
    bare.contains("://").then_some(text.len() - bare.len())
}

//! A target held against settings that are known to be right: what differs is noted, field by
//! field; of the passwords only how they compare.

use std::collections::BTreeSet;

use chronaxis_model::fact::Fact;
use chronaxis_model::reference::{FieldCompared, ReferenceCompared, SecretsCompared};
use chronaxis_model::settings::{Defect, DefectKind, Field};
use chronaxis_model::target::{ShownTarget, Target};

/// Notes how a target differs from another one, which is known to be right.
pub fn note_reference(target: &mut Target, reference: &Target, name: &str) {
    let (own, other) = (target.shown(), reference.shown());
    let different = different(&own, &other);
    let secret = |target: &Target| target.secret.as_ref().map(|told| told.value.clone());
    let (own_secret, other_secret) = (secret(target), secret(reference));
    for one in &different {
        let subject = match one.field.as_str() {
            "host" => Field::HOST,
            "port" => Field::PORT,
            "database" => Field::DATABASE,
            "user" => Field::USER,
            _ => continue,
        };
        let said = |value: &Option<String>| value.clone().unwrap_or_else(|| "nothing".to_owned());
        let (here, there) = (said(&one.own), said(&one.reference));
        target.defects.push(Defect {
            kind: DefectKind::SourcesDisagree,
            subject,
            stops: false,
            text: format!(
                "{}: these settings say {here}, the reference {name} says {there}",
                one.field
            ),
            expected: there,
            place: None,
            mended: None,
        });
    }
    target
        .remarks
        .push(Fact::ReferenceCompared(Box::new(ReferenceCompared {
            reference: name.to_owned(),
            different,
            secret: SecretsCompared::of(own_secret.as_ref(), other_secret.as_ref()),
        })));
}

fn different(own: &ShownTarget, other: &ShownTarget) -> Vec<FieldCompared> {
    let mut out = Vec::new();
    let mut compare = |field: &str, own: Option<String>, reference: Option<String>| {
        if own != reference {
            out.push(FieldCompared {
                field: field.to_owned(),
                own,
                reference,
            });
        }
    };
    let engine = |target: &ShownTarget| Some(target.engine.as_str().to_owned());
    compare("engine", engine(own), engine(other));
    compare("host", hosts(own), hosts(other));
    compare("port", ports(own), ports(other));
    compare("database", own.database.clone(), other.database.clone());
    compare("user", own.user.clone(), other.user.clone());
    let keys: BTreeSet<&String> = own.options.keys().chain(other.options.keys()).collect();
    for key in keys {
        let value = |target: &ShownTarget| target.options.get(key).cloned();
        compare(key, value(own), value(other));
    }
    out
}

fn hosts(target: &ShownTarget) -> Option<String> {
    joined(target.ends.iter().map(|end| match end {
        chronaxis_model::target::End::Host { host, .. } => host.clone(),
        chronaxis_model::target::End::Socket { socket } => socket.clone(),
    }))
}

fn ports(target: &ShownTarget) -> Option<String> {
    joined(target.ends.iter().filter_map(|end| match end {
        chronaxis_model::target::End::Host { port, .. } => Some(port.to_string()),
        chronaxis_model::target::End::Socket { .. } => None,
    }))
}

fn joined(all: impl Iterator<Item = String>) -> Option<String> {
    let all: Vec<String> = all.collect();
    (!all.is_empty()).then(|| all.join(","))
}

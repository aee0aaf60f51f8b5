//! What a walk would do, said beforehand: every look-up, line, sign-in and query.

use crate::endpoint::Endpoint;
use crate::engine::by_id;
use crate::judge::{MOST_HOSTS, Scope};
use crate::layer::Layer;
use crate::secret::Blemish;
use crate::settings::usual_port_meant;
use crate::target::{End, Target};

/// One thing that a walk would do.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Step {
    /// `look-up`, `line`, `sign-in`, `query`, or `nothing`.
    pub kind: &'static str,
    /// Whom or what it concerns.
    pub to: String,
    /// Under which condition, and how often.
    pub when: String,
}

fn step(kind: &'static str, to: impl Into<String>, when: impl Into<String>) -> Step {
    Step {
        kind,
        to: to.into(),
        when: when.into(),
    }
}

/// Everything that a walk of this target might touch, in its order. Makes nothing.
pub fn plan(target: &Target, scope: &Scope) -> Vec<Step> {
    let stops = target.defects.iter().find(|d| d.stops);
    if let Some(defect) = stops {
        return vec![step(
            "nothing",
            "",
            format!("the settings stop it: {}", defect.text),
        )];
    }
    if scope.until < Layer::Name {
        return vec![step("nothing", "", "only the settings are read")];
    }
    let mut out: Vec<Step> = target
        .ends
        .iter()
        .take(MOST_HOSTS)
        .filter_map(End::name)
        .map(|name| step("look-up", name, "once, in the system's own way"))
        .collect();
    if scope.until >= Layer::Route {
        for end in target.ends.iter().take(MOST_HOSTS) {
            lines_to(target, scope, end, &mut out);
        }
    }
    if scope.until >= Layer::Login {
        out.extend(sign_ins(target, scope));
    }
    if scope.until >= Layer::Session {
        let text = by_id(target.engine).query();
        out.push(step(
            "query",
            text,
            "once in a session that is let in; it only reads",
        ));
    }
    out
}

fn lines_to(target: &Target, scope: &Scope, end: &End, out: &mut Vec<Step>) {
    let each = match end.name() {
        Some(_) => "at each of its addresses ",
        None => "",
    };
    let again = match scope.attempts {
        1 => "one attempt".to_owned(),
        n => format!("one attempt, up to {n} while it does not connect"),
    };
    out.push(step("line", end.to_string(), format!("{each}{again}")));
    let plain = matches!(target.option_or("sslmode", "prefer"), "disable" | "allow");
    if plain && scope.until >= Layer::Login && matches!(end, End::Host { .. }) {
        let why = "only if host rules refuse the plain line, to ask whether the server encrypts";
        out.push(step("line", end.to_string(), why));
    }
    let End::Host { host, port, .. } = end else {
        return;
    };
    let at = |port: u16| match end.dialled_address() {
        Some(ip) => Endpoint::Tcp((ip, port).into()).to_string(),
        None => format!("{host}:{port}"),
    };
    let below = if *port > 1 { port - 1 } else { 2 };
    let why = "only after a refusal or 0.3 s of silence, to tell whether the host is up";
    out.push(step("line", at(below), why));
    if let Some((meant, _)) = usual_port_meant(*port, by_id(target.engine).usual_port()) {
        let why = "only if the port given does not answer as it should: it may be the one meant";
        out.push(step("line", at(meant), why));
    }
}

fn sign_ins(target: &Target, scope: &Scope) -> Vec<Step> {
    let user = target.user.clone().unwrap_or_default();
    let Some(secret) = &target.secret else {
        return vec![step(
            "sign-in",
            user,
            "without a password, if the server asks for none",
        )];
    };
    let shape = secret.value.shape();
    if shape.has(Blemish::Placeholder) {
        return vec![step(
            "nothing",
            user,
            "the password is a placeholder and is not sent",
        )];
    }
    let plain = if scope.allow_plaintext {
        ", in clear too if the server asks so"
    } else {
        ", never in clear over a plain line"
    };
    let mut out = vec![step(
        "sign-in",
        user.clone(),
        format!("at most one that may fail at each server{plain}"),
    )];
    if scope.try_repairs {
        for (repair, _) in secret.value.repairs() {
            let when = format!(
                "only if the first is refused: the password {}",
                repair.title()
            );
            out.push(step("sign-in", user.clone(), when));
        }
    }
    out
}

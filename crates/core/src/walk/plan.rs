//! What a walk would do, said beforehand: every look-up, line, sign-in and query.

use super::names::MOST_HIDDEN;
use super::steps::MOST_PACKETS;
use crate::certificate::Wish;
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
    /// `look-up`, `line`, `packet`, `sign-in`, `query`, or `nothing`.
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
    let engine = by_id(target.engine);
    let scope = &Scope {
        until: scope.until.min(engine.last_layer(&target.shown())),
        ..scope.clone()
    };
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
        .flat_map(|name| {
            let by_itself = "by each resolver for itself; where there is no such name, up to ten names near it, and a random one";
            let own = step("look-up", name, "once, in the system's own way");
            let asked = scope.resolvers.is_empty().then_some(own);
            asked.into_iter().chain([step("look-up", name, by_itself)])
        })
        .collect();
    if scope.until >= Layer::Route {
        for end in target.ends.iter().take(MOST_HOSTS) {
            lines_to(target, scope, end, &mut out);
        }
    }
    if scope.until >= Layer::Login {
        out.extend(sign_ins(target, scope));
    }
    if engine.counts_lines() && scope.until >= Layer::Listener {
        let why = "naming nobody, where a line is given up before the sign-in: this server counts lines that end without, and blocks machines that make many";
        out.push(step("sign-in", "", why));
    }
    if scope.until >= Layer::Session {
        for (text, condition) in by_id(target.engine).queries() {
            let when = format!("{condition}once in a session that is let in; it only reads");
            out.push(step("query", *text, when));
        }
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
    let wish = target.encryption.wish;
    if wish == Wish::Never && scope.until >= Layer::Login && matches!(end, End::Host { .. }) {
        let why = "only if host rules refuse the plain line: encrypted, with the user and without the password, to see whether they let it pass";
        out.push(step("line", end.to_string(), why));
    }
    encryption_lines(target, scope, end, out);
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
    let why = format!(
        "only after 0.6 s of silence, or a refusal that a device could have faked: up to {MOST_PACKETS} to this port, and to one beside it, to learn where they end"
    );
    out.push(step("packet", at(*port), why));
    if end.dialled_address().is_none() {
        let why = format!(
            "only if the way fails, and other sources give other addresses for the name: up to {MOST_HIDDEN} attempts at those"
        );
        out.push(step("line", at(*port), why));
    }
    let others = by_id(target.engine).usual_ports().iter();
    for other in others.filter(|other| *other != port && scope.until > Layer::Port) {
        let why = "only after a refusal, until one answers: whether the engine is there";
        out.push(step("line", at(*other), why));
    }
    if let Some((meant, _)) = usual_port_meant(*port, by_id(target.engine).usual_port()) {
        let why = "only if the port given does not answer as it should: it may be the one meant";
        out.push(step("line", at(meant), why));
    }
}

/// Further lines to an end, for its encryption and for who answers there.
fn encryption_lines(target: &Target, scope: &Scope, end: &End, out: &mut Vec<Step>) {
    if !matches!(end, End::Host { .. }) {
        return;
    }
    let again = match target.encryption.wish {
        Wish::Prefer => {
            Some("only if the encrypted line fails or is refused: in clear, as this client does")
        }
        Wish::IfRefused => {
            Some("only if the plain line is refused: encrypted, as this client does")
        }
        _ => None,
    };
    if let Some(why) = again.filter(|_| scope.until >= Layer::Tls) {
        out.push(step("line", end.to_string(), why));
    }
    if target.encryption.wish != Wish::Never && scope.until >= Layer::Tls {
        let why = "only if the handshake fails: to learn what older encryption the server takes";
        out.push(step("line", end.to_string(), why));
    }
    if scope.until >= Layer::Listener {
        let why = "only if it stalls: once more with small segments, up to where it stalled";
        out.push(step("line", end.to_string(), why));
        let why = "up to two, only if something else seems to answer: to learn what";
        out.push(step("line", end.to_string(), why));
        let usual = by_id(target.engine).usual_port();
        if let (Some(usual), End::Host { host, port, .. }) = (usual, end)
            && usual != *port
        {
            let why = "only if something else answers: whether the engine answers there";
            out.push(step("line", format!("{host}:{usual}"), why));
        }
    }
}

fn sign_ins(target: &Target, scope: &Scope) -> Vec<Step> {
    let user = target.shown().user.unwrap_or_default();
    let Some(secret) = &target.secret else {
        let when = match by_id(target.engine).signs_in_without_password() {
            true => "with an empty password, as this client does: at most one at each server",
            false => "without a password, if the server asks for none",
        };
        return vec![step("sign-in", user, when)];
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

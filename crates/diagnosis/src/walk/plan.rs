//! What a walk would do, said beforehand: every look-up, line, sign-in and query.

use chronaxis_engines::by_id;
use chronaxis_model::certificate::TlsMode;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::layer::Layer;
use chronaxis_model::order::ECHOES;
use chronaxis_model::secret::Blemish;
use chronaxis_model::settings::usual_port_meant;
use chronaxis_model::target::{End, Target};

use super::hop_trace::MOST_PACKETS;
use super::looking::far_port;
use super::names::MOST_HIDDEN;
use super::redirects::MOST_ADDRESSES;
use crate::judge::{MOST_HOSTS, Scope};

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
///
/// `names` are those that stand in lists of rules.
pub fn plan(target: &Target, scope: &Scope, names: &[String]) -> Vec<Step> {
    let engine = by_id(target.engine);
    let scope = &Scope {
        until: scope.until.min(engine.protocol.last_layer(&target.shown())),
        ..scope.clone()
    };
    let late = target.encryption.stopped_late && scope.until >= Layer::Listener;
    let stops = target
        .defects
        .iter()
        .find(|d| d.stops_dialling(late) && d.needed_for() <= scope.until);
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
            let by_itself = "at each resolver separately; if the name does not exist, up to twenty similar names and a random one";
            let own = step("look-up", name, "once, the way this system does it");
            let asked = scope.resolvers.is_empty().then_some(own);
            asked.into_iter().chain([step("look-up", name, by_itself)])
        })
        .collect();
    if scope.until >= Layer::Route {
        let why = "once: the list of rules has this name, and what it says depends on where the name leads";
        out.extend(names.iter().map(|name| step("look-up", name, why)));
        for end in target.ends.iter().take(MOST_HOSTS) {
            lines_to(target, scope, end, &mut out);
        }
    }
    redirects(target, scope, &mut out);
    if scope.until >= Layer::Login {
        out.extend(sign_ins(target, scope));
    }
    if engine.spec.counts_lines && scope.until >= Layer::Listener {
        let why = "without a user name, where a connection is closed before the sign-in: this server counts connections that end without one, and blocks machines that make many";
        out.push(step("sign-in", "", why));
    }
    if scope.until >= Layer::Session {
        for (text, condition) in by_id(target.engine).spec.queries {
            let when = format!("{condition}once, after the sign-in succeeded; it only reads");
            out.push(step("query", *text, when));
        }
    }
    out
}

/// What a listener is asked, and what it may lead to.
fn redirects(target: &Target, scope: &Scope, out: &mut Vec<Step>) {
    let most = by_id(target.engine).protocol.most_redirects();
    if most == 0 || scope.until < Layer::Listener {
        return;
    }
    let why = "which services it offers: where only the listener is asked, no instance is named, or the service is refused";
    out.push(step("query", "list", why));
    if scope.until < Layer::Login {
        return;
    }
    let place = "where the listener sends the client";
    let why = format!(
        "only if it does: up to {most} times, each name looked up as above, but for similar ones"
    );
    out.push(step("look-up", place, why));
    let why = format!(
        "only then: up to {} attempts at up to {MOST_ADDRESSES} addresses of each place, and nothing beside",
        scope.attempts
    );
    out.push(step("line", place, why));
    if scope.until >= Layer::Session {
        let why =
            "which instance it is and as whom: once, after the sign-in succeeded; it only reads";
        out.push(step("query", "who", why));
    }
}

/// What a second target might touch that looks the first one up.
pub fn plan_of_look_up(target: &Target, scope: &Scope) -> Vec<Step> {
    let scope = Scope {
        until: Layer::Session,
        ..scope.clone()
    };
    let mut out: Vec<Step> = plan(target, &scope, &[])
        .into_iter()
        .map(|one| Step {
            when: format!("for --admin: {}", one.when),
            ..one
        })
        .collect();
    for one in by_id(target.engine).spec.inquiry {
        let on = one
            .product
            .map_or_else(String::new, |p| format!(", on {p}"));
        let when = format!("for --admin{on}: {}; it only reads", one.asks);
        out.push(step("query", one.sql, when));
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
    let wish = target.encryption.mode;
    let asks = !by_id(target.engine).spec.tells_apart;
    let over_network = matches!(end, End::Host { .. });
    if wish == TlsMode::Never && scope.until >= Layer::Login && over_network && asks {
        let why = "only if host rules refuse the unencrypted connection: encrypted, with the user name but without the password, to see whether they let it in";
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
    let far = at(far_port(*port));
    let why =
        "only if the port below is silent too after 0.6 s: a firewall may drop a range of ports";
    out.push(step("line", far.clone(), why));
    let why = format!(
        "only then: one UDP datagram, and up to {ECHOES} ICMP echo requests where this system allows them, to find out whether the host is up"
    );
    out.push(step("packet", far, why));
    let why = format!(
        "only after 0.6 s of silence, or a refusal that a firewall could have sent: up to {MOST_PACKETS} packets to this port, and to one next to it, to find out where they stop"
    );
    out.push(step("packet", at(*port), why));
    if end.dialled_address().is_none() {
        let why = format!(
            "only if it fails, and other sources give other addresses for the name: up to {MOST_HIDDEN} attempts at those"
        );
        out.push(step("line", at(*port), why));
    }
    let others = by_id(target.engine).spec.usual_ports.iter();
    for other in others.filter(|other| *other != port && scope.until > Layer::Port) {
        let why = "only after a refusal, until one answers: to see whether the engine is there";
        out.push(step("line", at(*other), why));
    }
    if let Some((meant, _)) = usual_port_meant(*port, by_id(target.engine).spec.usual_port) {
        let why = "only if the given port does not answer as expected: this may be the port that was meant";
        out.push(step("line", at(meant), why));
    }
}

/// Further lines to an end, for its encryption and for who answers there.
fn encryption_lines(target: &Target, scope: &Scope, end: &End, out: &mut Vec<Step>) {
    if !matches!(end, End::Host { .. }) {
        return;
    }
    let again = match target.encryption.mode {
        TlsMode::Prefer => Some(
            "only if the encrypted connection fails or is refused: unencrypted, as this client does",
        ),
        TlsMode::IfRefused => {
            Some("only if the unencrypted connection is refused: encrypted, as this client does")
        }
        _ => None,
    };
    if let Some(why) = again.filter(|_| scope.until >= Layer::Tls) {
        out.push(step("line", end.to_string(), why));
    }
    if target.encryption.mode != TlsMode::Never && scope.until >= Layer::Tls {
        let why =
            "only if the handshake fails: to find out which older encryption the server accepts";
        out.push(step("line", end.to_string(), why));
    }
    if scope.until >= Layer::Listener {
        let why =
            "only if it stalls: once more with small segments, up to the point where it stalled";
        out.push(step("line", end.to_string(), why));
        let why = "up to three, only if something else seems to answer: to find out what";
        out.push(step("line", end.to_string(), why));
        let usual = by_id(target.engine).spec.usual_port;
        if let (Some(usual), End::Host { host, port, .. }) = (usual, end)
            && usual != *port
        {
            let why = "only if something else answers: to see whether the engine answers there";
            out.push(step("line", format!("{host}:{usual}"), why));
        }
    }
}

fn sign_ins(target: &Target, scope: &Scope) -> Vec<Step> {
    let user = target.shown().user.unwrap_or_default();
    let Some(secret) = &target.secret else {
        let when = match by_id(target.engine).spec.signs_in_without_password {
            true => "with an empty password, as this client does: at most one per server",
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
        ", also in clear text if the server asks for that"
    } else {
        ", never in clear text over an unencrypted connection"
    };
    let mut out = vec![step(
        "sign-in",
        user.clone(),
        format!("at most one failed attempt per server{plain}"),
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

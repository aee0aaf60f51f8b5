//! What to do about a cause.

mod services;

use std::net::IpAddr;

use chronaxis_engines::{Advice, CertificateAdvice, Entrant, Refusal, TLS_SERVICE, by_id};
use chronaxis_model::fact::{Fact, ListWord, Meaning};
use chronaxis_model::found::CauseId;
use chronaxis_model::redact::visible;
use chronaxis_model::reference::SecretsCompared;
use chronaxis_model::settings::{DefectKind, Place};
use chronaxis_model::sourced::Origin;
use chronaxis_model::target::End;
use chronaxis_model::token::TokenKind;
use chronaxis_model::{shell, shown};

use crate::administrator;
use crate::judge::name_sources::{Sources, compare};
use crate::judge::{Evidence, NextSilent, PathView};
use crate::knowledge::causes::Cause;

/// What to do about a cause: where the value at fault stands, how it should read, and what
/// the catalogue says.
pub(super) fn fix(view: &PathView<'_>, entry: Option<&Cause>) -> Vec<String> {
    let evidence = view.evidence;
    if let Some(particular) = entry.and_then(|e| particular(view, e.id)) {
        return vec![particular];
    }
    let mut out: Vec<String> = entry
        .into_iter()
        .flat_map(|e| e.fix.iter().map(|f| (*f).to_owned()))
        .collect();
    if let Some(origin) = entry.and_then(|e| origin(evidence, e.id)) {
        out.insert(0, format!("The value comes from {}.", origin.shown()));
    }
    if let Some(port) = answers_elsewhere(evidence).filter(|_| {
        entry.is_some_and(|e| {
            matches!(
                e.id,
                CauseId::WrongServiceOnPort | CauseId::PortOfOtherEngine
            )
        })
    }) {
        let engine = chronaxis_engines::title(evidence.target.engine);
        out.insert(
            0,
            format!("{engine} answers on port {port} of the same host."),
        );
    }
    if entry.is_some_and(|e| e.id == CauseId::CredentialsRejected)
        && in_clear_though_offered(evidence)
    {
        out.push(
            "The connection was not encrypted, and the server offers encryption. If the account or the server requires it, the message is the same. Try it encrypted."
                .to_owned(),
        );
    }
    if entry.is_some_and(|e| e.id == CauseId::CredentialsRejected) {
        out.extend(also_said(view));
    }
    if entry.is_some_and(|e| e.id == CauseId::WrongServiceOnPort) && speaks_tls(evidence) {
        let advice = by_id(evidence.target.engine).spec.advice.behind_tls;
        out.extend(advice.map(str::to_owned));
    }
    if entry.is_some_and(|e| e.id == CauseId::IdleCut) {
        out.splice(0..0, keep_alive(view));
    }
    if let Some(mended) = entry.and_then(|e| mended(evidence, e.id)) {
        out.insert(0, format!("Write it as: {mended}"));
    }
    out
}

/// Whether something at the port speaks TLS at once.
fn speaks_tls(evidence: Evidence<'_>) -> bool {
    let tls = |fact: &Fact| matches!(fact, Fact::ServiceAsked { service: Some(service), .. } if *service == TLS_SERVICE);
    evidence.facts().any(|(_, fact)| tls(fact))
}

/// What to do where more is known than the cause alone.
fn particular(view: &PathView<'_>, cause: CauseId) -> Option<String> {
    let text = match cause {
        CauseId::ClientResourceExhausted if is_forbidden(view) => {
            "Find what forbids this account to connect: a routing rule on this machine, a security module, or a container profile.".to_owned()
        }
        CauseId::ResolversDisagree if is_deaf(view.evidence) => {
            "Check which sources this machine uses for lookups (the hosts line in nsswitch.conf), and whether a cache still remembers that the name did not exist.".to_owned()
        }
        CauseId::NoRoute => match view.next_silent() {
            Some(silent) => first_stretch(&silent),
            None if view.is_led_nowhere() => {
                "Remove the route that discards these packets, or bring up the private link or VPN that it stands in for.".to_owned()
            }
            None => return None,
        },
        CauseId::AllowListExcludesClient
        | CauseId::AllowListWrongPort
        | CauseId::AllowListRuleOff
        | CauseId::ReturnPathBlocked => list(view)?,
        CauseId::ClientHostNotPermitted => host_rule(view)?,
        CauseId::NameDoesNotExist => asked_as_it_stands(view)?,
        CauseId::ClientCertificateRefused => certificate_of_another(view)?,
        CauseId::CredentialsRejected => own_account(view)?,
        CauseId::UserUnknown => near_user(view.evidence)?,
        CauseId::PasswordWrong => from_reference(view.evidence)?,
        CauseId::PasswordNotSet => kept_in_another_way(view.evidence)?,
        CauseId::BundlePassphraseWrong
        | CauseId::BundlePathStale
        | CauseId::BundleUnreadable
        | CauseId::BundleKeyMismatch
        | CauseId::BundleExpired
        | CauseId::BundleAliasUnknown => of_bundle(view, cause)?,
        CauseId::BundlePermissions => {
            let key = key_open_to_others(view.evidence)?;
            format!("chmod 600 {}", shell::quoted(&key))
        }
        CauseId::ServiceUnknown
        | CauseId::ServiceNotReady
        | CauseId::ServiceAmbiguous
        | CauseId::RedirectUnreachable => {
            services::fix(view, cause)?
        }
        CauseId::HostDown => {
            let number = view.passed_on_by()?;
            format!(
                "Start the machine to which hop {number} forwards this port, or forward the port to another one."
            )
        }
        _ => return None,
    };
    Some(text)
}

/// What is to be done about a part of a bundle.
fn of_bundle(view: &PathView<'_>, cause: CauseId) -> Option<String> {
    let found = view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.cause() == cause.into() => Some(defect),
        _ => None,
    })?;
    Some(match cause {
        CauseId::BundleAliasUnknown => {
            format!(
                "Use {}, or correct where the name leads in the manifest.",
                found.expected
            )
        }
        _ if found.expected.ends_with('.') => found.expected.clone(),
        CauseId::BundlePathStale => {
            let place = found.place.as_ref().and_then(Place::whereabouts);
            match (place, found.expected.strip_prefix("write ")) {
                (Some(place), Some(path)) => format!("In {place}: write {path}."),
                (None, Some(path)) => format!("In the settings, write {path}."),
                (Some(place), None) => {
                    format!("Correct the path in {place}, or put the file there.")
                }
                (None, None) => return None,
            }
        }
        CauseId::BundleUnreadable => format!("This client needs {}.", found.expected),
        CauseId::BundlePassphraseWrong => format!("Give {}.", found.expected),
        _ => found.expected.clone(),
    })
}

/// The client's own setting that keeps an idle session alive: at half of the time after which
/// it was cut.
fn keep_alive(view: &PathView<'_>) -> Option<String> {
    let ended = view.find(|fact| match fact {
        Fact::KeptIdle(idle) => idle.ended_us,
        _ => None,
    })?;
    let seconds = (ended.0 / 2_000_000).max(1);
    let target = view.evidence.target;
    let setting = by_id(target.engine).strings.keep_alive(target, seconds)?;
    Some(format!(
        "In the settings, write {setting}: less than the {ended} after which it was cut."
    ))
}

/// Where the right password stands, where settings that are known to be right have another.
fn from_reference(evidence: Evidence<'_>) -> Option<String> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::ReferenceCompared(compared)
            if matches!(
                compared.secret,
                Some(SecretsCompared::Different | SecretsCompared::ByCase)
            ) =>
        {
            Some(format!(
                "Take the password from {}.",
                visible(&compared.reference)
            ))
        }
        _ => None,
    })
}

/// The users near one that does not exist, where somebody looked.
fn near_user(evidence: Evidence<'_>) -> Option<String> {
    let told = administrator::told(evidence)?;
    let near: Vec<&str> = told.near_users.iter().map(|name| name.as_str()).collect();
    let user = evidence.target.user.as_deref()?;
    (!near.is_empty()).then(|| {
        format!(
            "If {} was meant, correct the user name in the settings; else have the user {user} created.",
            near.join(" or ")
        )
    })
}

/// What to do about a password that is kept in a way that the rule does not take.
fn kept_in_another_way(evidence: Evidence<'_>) -> Option<String> {
    let told = administrator::told(evidence)?;
    let entry = told.entries.as_ref()?.first()?;
    (entry.password_set == Some(true)).then(|| {
        "Have the password of the account set again: the server then keeps it in the way that its rule asks for (password_encryption).".to_owned()
    })
}

/// What else a refusal of the credentials may mean, as the engine's own people know it.
fn also_said(view: &PathView<'_>) -> Vec<String> {
    let advice = advice(view.evidence);
    let mut out = Vec::new();
    if denied_without_encryption(view.evidence) {
        out.extend(advice.without_encryption.map(str::to_owned));
    }
    if denied_with_offer(view.evidence, true) && is_secured(view.evidence) {
        out.extend(advice.demanded_certificate.map(str::to_owned));
    }
    out.extend(
        view.find(|fact| refusal(fact).map(|refused| (advice.remarks)(&refused)))
            .unwrap_or_default(),
    );
    out.extend(token_for_others(view));
    if let Some((name, user, own)) = named_differently(view.evidence) {
        out.push(format!(
            "The client's certificate is for {name}, and the user is {user}: a rule with {} refuses that with the same message.",
            own.rule
        ));
    }
    out
}

/// What a refused token says of whom and what it is for, where the settings say something else.
fn token_for_others(view: &PathView<'_>) -> Option<String> {
    let token = view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::TokenGiven { token, .. } => Some(token),
        _ => None,
    })?;
    let target = view.evidence.target;
    if token.kind != TokenKind::SignedQuery {
        let says = token.names();
        return (!says.is_empty()).then(|| {
            format!(
                "The password is a JSON web token, {}: compare that with what the server takes.",
                says.join(", ")
            )
        });
    }
    let place = token.audience.as_deref().unwrap_or_default();
    let host = place.rsplit_once(':').map_or(place, |(host, _)| host);
    let other_host = !host.is_empty()
        && !target.ends.iter().any(
            |end| matches!(end, End::Host { host: own, .. } if own.eq_ignore_ascii_case(host)),
        );
    let user = token.subject.as_deref();
    let other_user = user.is_some() && user != target.user.as_deref();
    (other_host || other_user).then(|| {
        format!(
            "The token was made for {}{place}, and these settings connect to another {}.",
            user.map_or_else(String::new, |user| format!("{user} at ")),
            if other_host { "host" } else { "user" }
        )
    })
}

fn advice(evidence: Evidence<'_>) -> Advice {
    by_id(evidence.target.engine).spec.advice
}

/// A fact as a refusal, if it is one.
fn refusal(fact: &Fact) -> Option<Refusal<'_>> {
    match fact {
        Fact::ServerRefused {
            meaning,
            code,
            message,
            ..
        } => Some(Refusal {
            meaning: *meaning,
            code: code.as_str(),
            message: message.as_str(),
        }),
        _ => None,
    }
}

/// Whom the client's certificate names, and whom the settings do, where these differ and the
/// engine compares them.
fn named_differently(evidence: Evidence<'_>) -> Option<(&str, &str, CertificateAdvice)> {
    let own = advice(evidence).certificate?;
    let name = evidence.target.encryption.own_name.as_deref()?;
    let user = evidence.target.user.as_deref()?;
    (name != user).then_some((name, user, own))
}

/// A certificate that names another user than the settings.
fn certificate_of_another(view: &PathView<'_>) -> Option<String> {
    let (name, user, own) = named_differently(view.evidence)?;
    view.refusal().is_some().then(|| {
        format!(
            "Use the certificate that was issued for {user}, or sign in as {name}; or let the administrator map the one to the other ({}).",
            own.map
        )
    })
}

/// A host with letters beyond ASCII, for which this client asks as they stand.
fn asked_as_it_stands(view: &PathView<'_>) -> Option<String> {
    view.evidence.facts().find_map(|(_, fact)| match fact {
        Fact::HostBeyondAscii {
            told,
            in_dns,
            converted: false,
        } => Some(format!(
            "This client asks for {told} with the letters as they stand, and DNS holds such names in another form: if the name is right, write {in_dns}."
        )),
        _ => None,
    })
}

/// What to do where the server goes by the account of the operating system.
fn own_account(view: &PathView<'_>) -> Option<String> {
    let user = view.evidence.target.user.as_deref()?;
    let own_account = advice(view.evidence).own_account;
    view.find(|fact| own_account(&refusal(fact)?, user))
}

/// What the list that keeps the client out would have to say.
fn list(view: &PathView<'_>) -> Option<String> {
    let to = view.endpoint.ip().zip(view.endpoint.port())?;
    let to = std::net::SocketAddr::from(to);
    view.find(|fact| match fact {
        Fact::ListSays {
            list,
            client,
            word,
            line,
            why,
            ..
        } if word.denies() && *word != ListWord::HostRules => {
            let line = line.map_or_else(String::new, |line| format!(", line {line}"));
            let file = shell::quoted(list.as_str());
            Some(format!(
                "In {list}{line}: {why}. To see the smallest change that lets in {client} alone: chronaxis allowlist --rules {file} --client {client} --to {to}",
            ))
        }
        _ => None,
    })
}

/// The rule that is missing on the server, as it is written there.
fn host_rule(view: &PathView<'_>) -> Option<String> {
    let evidence = view.evidence;
    let told = view.find(|fact| match fact {
        Fact::ServerRefused { message, .. } => Some(message.as_str()),
        _ => None,
    })?;
    // The address as the server sees it, behind whatever translates it on the way.
    let seen = told.split('"').find_map(|word| word.parse::<IpAddr>().ok());
    let from = seen.or_else(|| {
        view.find(|fact| match fact {
            Fact::RouteFound { source, .. } => Some(*source),
            _ => None,
        })
    })?;
    let user = evidence
        .target
        .user
        .as_deref()
        .filter(|u| shown::is_name(u))?;
    (advice(evidence).host_rule)(&Entrant {
        user,
        database: evidence.target.database.as_deref(),
        from,
    })
}

/// The file of a key that its client refuses for its mode.
fn key_open_to_others(evidence: Evidence<'_>) -> Option<String> {
    let open = |fact: &Fact| match fact {
        Fact::SettingDefect(defect) => defect.kind == DefectKind::FileOpen,
        _ => false,
    };
    evidence.facts().find(|(_, fact)| open(fact))?;
    let target = evidence.target;
    let file = by_id(target.engine).strings.tls_files(target).key?;
    shown::is_path(file).then(|| file.to_owned())
}

/// Whether this machine's system does not go by what resolvers say.
pub(super) fn is_deaf(evidence: Evidence<'_>) -> bool {
    let ends = evidence.ends();
    let mut names = ends.iter().filter_map(|end| end.name());
    names.any(|name| matches!(compare(evidence, name), Sources::System { .. }))
}

/// Whether something on this machine forbids this user to connect: that is no lack.
fn is_forbidden(view: &PathView<'_>) -> bool {
    view.find(|fact| match fact {
        Fact::LocalFailure { error } => Some(matches!(error.as_str(), "EACCES" | "EPERM")),
        _ => None,
    })
    .unwrap_or_default()
}

/// The way is there, and nobody takes what is sent along it.
fn first_stretch(silent: &NextSilent) -> String {
    match &silent.link_down {
        Some(interface) => format!(
            "Bring up the link of {}, or the device at its other end.",
            chronaxis_model::redact::visible(interface)
        ),
        None => format!(
            "Bring up the gateway {}, or use another one.",
            silent.device
        ),
    }
}

/// The other port on which the engine answers, where that was asked.
fn answers_elsewhere(evidence: Evidence<'_>) -> Option<u16> {
    evidence.facts().find_map(|(o, fact)| match fact {
        Fact::EngineElsewhere { speaks: true } => o.about.port,
        _ => None,
    })
}

/// Whether the server offers encryption that this client does not use, and answers for all
/// reasons alike.
fn in_clear_though_offered(evidence: Evidence<'_>) -> bool {
    denied_with_offer(evidence, true) && !is_secured(evidence)
}

fn is_secured(evidence: Evidence<'_>) -> bool {
    let secured = |fact: &Fact| matches!(fact, Fact::LineSecured { .. });
    evidence.facts().any(|(_, fact)| secured(fact))
}

/// The same where the server offers no encryption at all.
fn denied_without_encryption(evidence: Evidence<'_>) -> bool {
    denied_with_offer(evidence, false)
}

fn denied_with_offer(evidence: Evidence<'_>, wanted: bool) -> bool {
    let offer = |f: &Fact| matches!(f, Fact::EncryptionOffer { offered } | Fact::EncryptionAnswered { offered, .. } if *offered == wanted);
    let any = |fits: &dyn Fn(&Fact) -> bool| evidence.facts().any(|(_, fact)| fits(fact));
    any(&offer)
        && any(&|f: &Fact| {
            let meaning = Meaning::AccessDenied;
            matches!(f, Fact::ServerRefused { meaning: m, .. } if *m == meaning)
        })
}

/// The mended text of the defect that is this cause.
fn mended(evidence: Evidence<'_>, id: CauseId) -> Option<String> {
    evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if defect.cause() == id.into() => defect.mended.clone(),
        _ => None,
    })
}

/// Where the value comes from whose defect is this cause.
fn origin<'a>(evidence: Evidence<'a>, id: CauseId) -> Option<&'a Origin> {
    let subject = evidence.facts().find_map(|(_, fact)| match fact {
        Fact::SettingDefect(defect) if !defect.stops && defect.cause() == id.into() => {
            Some(defect.subject.as_str())
        }
        _ => None,
    })?;
    let field = if subject == "password" {
        "secret"
    } else {
        subject
    };
    let told = evidence.target.origins.get(field);
    told.filter(|origin| !origin.is_default())
}

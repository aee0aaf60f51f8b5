//! `chronaxis explain`.

mod meant;
mod text;

use chronaxis_diagnosis::case::{Case, Vantage};
use chronaxis_diagnosis::judge::{Again, Scope};
use chronaxis_diagnosis::walk::{Touched, settings_facts};
use chronaxis_messages::failures::{self, Failure as Failed, Told};
use chronaxis_messages::{log, target};
use chronaxis_model::fact::{Fact, Observation, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::target::{End, Target};

use self::text::Given;
use crate::args::{Diagnose, Explain};
use crate::client_environment;
use crate::delivery::Delivery;
use crate::error::Failure;

pub(crate) fn run(args: &Explain) -> Result<u8, Failure> {
    let mut delivery = Delivery::begin(&Diagnose {
        output: args.output,
        save: args.save.clone(),
        plain: args.plain,
        verbose: args.verbose,
        quiet: args.quiet,
        ..Diagnose::of("".into())
    })?;
    let project = args.project.as_ref().map(meant::connections).transpose()?;
    let given = text::given(args)?;
    let mut told = read(&given.text);
    if told.failures.is_empty() {
        told.failures.push(Failed::of_nothing());
    }
    delivery.expect(told.failures.len());
    let vantage = client_environment::vantage();
    for (index, failed) in told.failures.iter().enumerate() {
        let meant = project.as_deref().and_then(|all| meant::one(all, failed));
        let case = case(&given, &told, failed, meant, &vantage);
        delivery.in_full(index, &case)?;
    }
    delivery.read_over()
}

/// The failures of a text: of a server's log by its entries, else by what is said in it.
fn read(text: &str) -> Told {
    let year = jiff::Zoned::now().year();
    if let Some(form) = log::recognise(text) {
        let log = log::read(form, text, year);
        let failures = log::failures_of(&log);
        if !failures.is_empty() {
            return Told {
                failures,
                lines: text.lines().count(),
            };
        }
    }
    failures::read(text, year)
}

/// The case of one failure; where the project describes the connection, of that one.
fn case(
    given: &Given,
    told: &Told,
    failed: &Failed,
    meant: Option<(&Target, Option<&Again>)>,
    vantage: &Vantage,
) -> Case {
    let (target, again) = match meant {
        Some((target, again)) => (target.clone(), again.cloned()),
        None => (target::of(failed), None),
    };
    let mut log = Vec::new();
    let mut note = |fact: Fact| {
        let about = match fact {
            Fact::MessageRead(_) => dialled(&target, failed),
            _ => Subject::default(),
        };
        log.push(Observation::new(Layer::Settings, Micros(0), about, fact));
    };
    note(Fact::TextRead {
        lines: told.lines,
        file: given.file.clone(),
        left_out: given.left_out.clone(),
    });
    if meant.is_some() {
        settings_facts(&target).into_iter().for_each(&mut note);
    }
    for message in &failed.messages {
        note(Fact::MessageRead(Box::new(message.clone())));
    }
    let scope = Scope {
        until: Layer::Session,
        attempts: 0,
        patience_us: Micros(0),
        deadline_us: Micros(0),
        allow_plaintext: false,
        allow_server_key: false,
        try_repairs: false,
        resolvers: Vec::new(),
        expect: None,
        again,
    };
    Case::new(
        target.shown(),
        scope,
        &log,
        &Touched::default(),
        vantage.clone(),
        env!("CARGO_PKG_VERSION"),
    )
}

/// The address in the message, where it names one beside the host.
fn dialled(target: &Target, failed: &Failed) -> Subject {
    let port = target.ends.iter().find_map(|end| match end {
        End::Host { port, .. } => Some(*port),
        End::Socket { .. } => None,
    });
    match (failed.parts.address, failed.parts.port.or(port)) {
        (Some(address), Some(port)) => Subject {
            address: Some(address),
            port: Some(port),
            ..Subject::default()
        },
        _ => Subject::default(),
    }
}

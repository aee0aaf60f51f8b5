//! From what was typed to targets that can be walked, station by station; no text goes back
//! to a station before:
//!
//! arguments → [`request`] → [`draft`]s with their places → [`engine`] chosen →
//! [`complete`]d by that engine's client, and checked → target

pub(crate) mod again;
pub(crate) mod bundle_alias;
pub(crate) mod bundled;
pub(crate) mod complete;
pub(crate) mod draft;
pub(crate) mod engine;
pub(crate) mod named_files;
pub(crate) mod other_targets;
pub(crate) mod reading;
pub(crate) mod request;
pub(crate) mod typed;

use chronaxis_diagnosis::judge::Again;
use chronaxis_engines::ClientEnvironment;
use chronaxis_model::target::{EngineId, Target};

use self::bundled::Material;
use self::draft::Described;
use self::request::Request;
use crate::args::Diagnose;
use crate::client_environment::{self, Environment};
use crate::error::Failure;

/// A target, and the words that diagnose it again.
pub(crate) struct Wanted {
    pub(crate) target: Target,
    pub(crate) again: Option<Again>,
}

/// Reads every target before anything is sent: one that cannot be read stops the run.
pub(crate) fn targets(args: &Diagnose) -> Result<Vec<Wanted>, Failure> {
    let engine = engine::asked_for(args.engine.as_deref())?;
    request::check(args)?;
    let options = client_environment::from_options(args)?;
    let requests = request::all(args)?;
    let material = args
        .bundle
        .as_deref()
        .map(|path| Material::of(path, args.passphrase_file.as_deref()))
        .transpose()?;
    Way {
        args,
        engine,
        options: &options,
        material: material.as_ref(),
        environment: None,
    }
    .all(&requests)
}

/// The targets that an option names. Nothing of what the command or this process's environment
/// say of the first target's account counts for them.
fn of_option(own: &Diagnose, option: &'static str) -> Result<Vec<Wanted>, Failure> {
    let options = client_environment::from_options(own)?;
    let way = Way {
        args: own,
        engine: engine::asked_for(own.engine.as_deref())?,
        options: &options,
        material: None,
        environment: Some(Environment::LeftOut),
    };
    way.all(&request::all(own)?)
        .map_err(|failure| match failure {
            Failure::Target { cause, .. } => Failure::OptionsTarget { option, cause },
            other => other,
        })
}

/// So many targets are worth a thread of their own to read them.
const WORTH_A_THREAD: usize = 500;

/// What counts for every target of a run.
struct Way<'a> {
    args: &'a Diagnose,
    engine: Option<EngineId>,
    options: &'a ClientEnvironment,
    /// What the bundle of the run gives.
    material: Option<&'a Material>,
    /// Whether the variables of this process count, where that is not the target's to say.
    environment: Option<Environment>,
}

impl Way<'_> {
    /// Reads them in their order, many on several threads: nothing is sent before the last
    /// one is read.
    fn all(&self, requests: &[Request]) -> Result<Vec<Wanted>, Failure> {
        let threads = std::thread::available_parallelism().map_or(1, usize::from);
        let share = requests.len().div_ceil(threads.max(1)).max(WORTH_A_THREAD);
        if requests.len() <= share {
            return self.some(requests, 1);
        }
        let parts: Vec<Result<Vec<Wanted>, Failure>> = std::thread::scope(|scope| {
            let begun: Vec<_> = requests
                .chunks(share)
                .enumerate()
                .map(|(part, chunk)| {
                    let work = move || self.some(chunk, part * share + 1);
                    let thread = std::thread::Builder::new().spawn_scoped(scope, work);
                    (part, chunk, thread)
                })
                .collect();
            let of_each = |(part, chunk, begun)| match begun {
                Ok(thread) => match std::thread::ScopedJoinHandle::join(thread) {
                    Ok(read) => read,
                    Err(panic) => std::panic::resume_unwind(panic),
                },
                // This machine gives no thread: read here.
                Err(_) => self.some(chunk, part * share + 1),
            };
            begun.into_iter().map(of_each).collect()
        });
        let mut out = Vec::with_capacity(requests.len());
        for part in parts {
            out.extend(part?);
        }
        Ok(out)
    }

    /// Reads some, the first of which has this number.
    fn some(&self, requests: &[Request], from: usize) -> Result<Vec<Wanted>, Failure> {
        let mut out = Vec::with_capacity(requests.len());
        for (number, request) in (from..).zip(requests) {
            out.extend(self.one(number, request)?);
        }
        Ok(out)
    }

    /// The targets of one request. Of a folder's, one that is not followed here does not keep
    /// the others from being walked.
    fn one(&self, number: usize, request: &Request) -> Result<Vec<Wanted>, Failure> {
        let passphrase = self.args.passphrase_file.as_deref();
        let drafts = draft::of(request, self.engine, number, passphrase)?;
        let mut out = Vec::with_capacity(drafts.len());
        let mut refused = None;
        for mut described in drafts {
            if let Some(environment) = self.environment {
                described.environment = environment;
            }
            match self.wanted(number, described) {
                Ok(wanted) => out.push(wanted),
                Err(failure) => refused = refused.or(Some(failure)),
            }
        }
        match refused {
            Some(failure) if out.is_empty() => Err(failure),
            _ => Ok(out),
        }
    }

    fn wanted(&self, number: usize, described: Described) -> Result<Wanted, Failure> {
        let chosen = engine::choose(self.engine, &described)?;
        let mut options = self.options.clone();
        let material = self.material.or(described.material.as_deref());
        if let Some(material) = material {
            material.add_to(&mut options);
        }
        let mut target = complete::target(&described, chosen, options, number)?;
        let now = jiff::Timestamp::now().as_second();
        match material {
            Some(material) => {
                material.judge(&mut target);
                chronaxis_engines::note_token(&mut target, now);
            }
            None => chronaxis_engines::note_dates(&mut target, now),
        }
        let again = again::of(self.args, &described, &target);
        Ok(Wanted { target, again })
    }
}

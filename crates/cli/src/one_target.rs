//! One target by itself, shown as it goes on; and what else was asked about it: a second
//! target that looks it up.

use std::sync::Arc;

use chronaxis_allowlist::chain::Lists;
use chronaxis_diagnosis::administrator;
use chronaxis_diagnosis::case::Vantage;
use chronaxis_diagnosis::judge::Scope;
use chronaxis_diagnosis::run_state::RunState;
use chronaxis_diagnosis::verdict::Occasion;
use chronaxis_diagnosis::walk::Walk;
use chronaxis_engines::Errand;
use chronaxis_model::layer::Layer;
use chronaxis_model::redact::Redactor;
use chronaxis_probe::{Clock, Together};

use crate::client_environment;
use crate::command::diagnose::case_of;
use crate::delivery::Delivery;
use crate::error::Failure;
use crate::render::progress::Progress;
use crate::way_in::Wanted;

/// What is asked of one target.
pub(crate) struct Asked {
    pub(crate) wanted: Wanted,
    /// A second target, which looks the first one up.
    pub(crate) administrator: Option<Wanted>,
    pub(crate) scope: Scope,
    pub(crate) lists: Option<Arc<dyn Lists>>,
}

/// Walks it, shows the layers as they settle, and delivers the case.
pub(crate) async fn walk(asked: Asked, delivery: &mut Delivery) -> Result<(), Failure> {
    let Wanted { target, again } = asked.wanted;
    let scope = Scope {
        again,
        ..asked.scope
    };
    let mut hidden = target.hidden();
    let second = asked.administrator.map(|second| second.target);
    hidden.extend(second.iter().flat_map(|second| second.hidden()));
    let redactor = Redactor::new(&hidden);
    let vantage = client_environment::vantage();
    let clock = Clock::start();
    let seed = client_environment::seed()?;
    let plain = Scope {
        again: None,
        ..scope.clone()
    };
    let mut walk =
        Walk::new(target, scope, seed, redactor.clone(), clock.now()).behind(asked.lists);
    let progress = Progress::new(delivery.streams());
    delivery.head(walk.shown(), &vantage)?;
    let mut shown = Ok(());
    let permits = Together::<RunState>::default();
    let walked = async {
        chronaxis_probe::run(&mut walk, &permits, clock, |walk, layer| {
            if shown.is_ok() {
                shown = progress.aside(|| delivery.settled(walk.evidence(), layer));
            }
            progress.reached(layer);
        })
        .await;
        let inquiry = administrator::inquiry(walk.evidence());
        if let (Some(second), Some(inquiry)) = (second, inquiry) {
            progress.reached(Layer::Login);
            let scope = Scope {
                until: Layer::Session,
                ..plain
            };
            let seed = client_environment::seed()?;
            let mut other = Walk::new(second, scope, seed, redactor.clone(), clock.now())
                .in_order(1)
                .on_errand(Errand::LookUp(inquiry));
            chronaxis_probe::run(&mut other, &permits, clock, |_, _| {}).await;
            let occasion = Occasion {
                started: vantage.started.clone(),
                host: vantage.host.clone(),
            };
            let touched = other.touched().clone();
            let (told, touched) = administrator::learnt(
                walk.evidence(),
                other.evidence(),
                touched,
                &occasion,
                &redactor,
            );
            walk.learn(vec![told], &touched);
        }
        Ok::<(), Failure>(())
    };
    let ended = tokio::select! {
        ended = walked => ended,
        () = permits.watch_load() => Ok(()),
    };
    progress.over();
    ended?;
    shown?;
    let vantage = Vantage {
        elapsed_us: clock.now(),
        ..vantage
    };
    delivery.ended(0, &case_of(walk, vantage))
}

//! The beginning of a walk, and of its paths: what the settings say, and whether lines may be
//! made.

use chronaxis_engines::by_id;
use chronaxis_model::endpoint::Endpoint;
use chronaxis_model::fact::{Fact, Subject};
use chronaxis_model::layer::{Layer, Micros};
use chronaxis_model::settings::{DefectKind, Field};
use chronaxis_model::target::Target;

use super::paths::Paths;
use super::redirects::MOST_ADDRESSES;
use super::{MOST_PATHS, Stage, Walk};
use crate::judge::Way;
use crate::run_state::RunState;

/// That the settings were read: how much was given.
fn settings_read(target: &Target) -> Fact {
    let count = |default: bool| {
        let origins = target.origins.values();
        origins.filter(|o| o.is_default() == default).count()
    };
    Fact::SettingsRead {
        given: count(false),
        by_default: count(true),
    }
}

/// All that the settings of a target show by themselves, where nobody goes anywhere.
pub fn settings_facts(target: &Target) -> Vec<Fact> {
    std::iter::once(settings_read(target))
        .chain(target.remarks.iter().cloned())
        .chain(target.defects.iter().cloned().map(Fact::SettingDefect))
        .collect()
}

impl Walk {
    pub(super) fn read_settings(&mut self, run: &mut RunState, now: Micros) {
        let read = settings_read(&self.target);
        let remarks = std::mem::take(&mut self.target.remarks);
        let defects = std::mem::take(&mut self.target.defects);
        self.secret_unknown = defects
            .iter()
            .any(|d| d.kind == DefectKind::Unresolved && d.subject == Field::PASSWORD);
        // What stops the client later is of interest only where it would have come that far.
        let late = self.target.encryption.stopped_late && self.scope.until >= Layer::Listener;
        let stops = defects
            .iter()
            .any(|d| d.stops_dialling(late) && d.needed_for() <= self.scope.until)
            || self.target.ends.is_empty();
        let facts = std::iter::once(read)
            .chain(remarks)
            .chain(defects.into_iter().map(Fact::SettingDefect));
        for fact in facts {
            self.note(now, Layer::Settings, Subject::default(), fact);
        }
        self.settle_up_to(Layer::Bundle);
        // Who has nothing to prove takes nobody's turn.
        if self.scope.until >= Layer::Login && self.target.secret.is_some() {
            self.turns.line_up(&mut run.permits);
        }
        if stops || self.scope.until < Layer::Name {
            return self.finish(run, now);
        }
        self.stage = Stage::Name;
        self.look_up(run, now);
        // Where there is no name, nothing else would bring it on.
        self.step(run, now);
    }

    pub(super) fn begin_paths(&mut self, run: &mut RunState, now: Micros) {
        if !self.resolvers_open() {
            self.settle_up_to(Layer::Name);
        }
        let ways: Vec<Way> = self.evidence().ways();
        if ways.is_empty() || self.scope.until < Layer::Route {
            self.stage = Stage::Leaving;
            return self.step(run, now);
        }
        let patience = self.scope.patience_us;
        let most = match self.chain.has_left() {
            true => MOST_ADDRESSES,
            false => MOST_PATHS,
        };
        let ways = ways.into_iter().take(most);
        let (spared, ways): (Vec<Way>, Vec<Way>) =
            ways.partition(|way| run.permits.spares(&way.endpoint).is_some());
        let noted = |fact: &Fact| matches!(fact, Fact::ServerSpared { .. });
        let known = self.evidence().seen().any(noted);
        for way in spared.into_iter().filter(|_| !known) {
            let given_up = run.permits.spares(&way.endpoint).unwrap_or_default();
            let fact = Fact::ServerSpared { given_up };
            self.note(now, Layer::Listener, way.endpoint.subject(), fact);
        }
        if ways.is_empty() {
            self.stage = Stage::Leaving;
            return self.step(run, now);
        }
        if !self.may_walk(run, now, &ways) {
            return;
        }
        self.paths = Paths::new(ways.into_iter(), now, patience, self.scope.attempts);
        self.stage = Stage::Paths;
        self.plan_side_checks(now);
        self.go_on_trying(run, now);
    }

    /// Whether lines may be made now: servers that count those which are given up see few
    /// at one time.
    fn may_walk(&mut self, run: &mut RunState, now: Micros, ways: &[Way]) -> bool {
        if !by_id(self.target.engine).spec.counts_lines {
            return true;
        }
        let servers: Vec<Endpoint> = ways.iter().map(|w| w.endpoint.clone()).collect();
        let may = self.turns.may_walk(&mut run.permits, servers);
        self.wait_for_turn(now, !may);
        may
    }
}

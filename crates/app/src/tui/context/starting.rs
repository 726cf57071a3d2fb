//! What comes of a new snapshot for all screens.

use std::sync::Arc;

use cribrum_core::{
    engine::Snapshot,
    sieve::{History, Kind, Mesh},
};

use super::Context;
use crate::tui::effect::Effect;

impl Context {
    /// Takes the latest snapshot.
    pub(crate) fn refresh(&mut self, snapshot: Arc<Snapshot>) {
        let newest = |snapshot: &Snapshot| {
            let notes = snapshot.status.iter().flat_map(|status| status.notes.last());
            notes.max_by_key(|note| note.time).cloned()
        };
        let shared = &mut self.shared;
        let (known, note) = (newest(&shared.snapshot), newest(&snapshot));
        shared.snapshot = snapshot;
        if let Some(note) = note.filter(|note| known.as_ref() != Some(note)) {
            shared.warn(format!("{} (i: the intake)", note.text));
        }
        shared.rows.clear();
        self.add_conditions();
        self.look_at_watches();
        self.look_at_strip();
        self.verify_typed();
    }

    /// Adds the conditions of the command line, once the day of their clock times is known.
    fn add_conditions(&mut self) {
        let Some(conditions) = &self.shared.conditions else { return };
        let snapshot = &self.shared.snapshot;
        let (first, last) = snapshot.span().unzip();
        let sieve = conditions.sieve(first.or(Some(0)), last.or(Some(0))).ok();
        let sieve =
            sieve.filter(|sieve| snapshot.loaded() || !sieve.meshes.iter().any(Mesh::is_timed));
        let Some(sieve) = sieve else { return };
        self.shared.conditions = None;
        let changed = !sieve.meshes.is_empty();
        self.shared.history = History::new(sieve.clone());
        if changed {
            self.emit(Effect::Sieve(sieve));
        }
    }

    /// Everything is read again: what had arrived is counted by blocks that are others now.
    pub(crate) fn read_again(&mut self) {
        self.shared.history.change_all(|sieve| {
            sieve.meshes.retain(|mesh| !matches!(mesh.kind, Kind::Swept(_)));
        });
        self.shared.watches.clear();
        self.shared.strip = None;
        self.count_beside();
    }
}

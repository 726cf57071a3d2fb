//! What is asked of the entries: the sieve, the lenses beside it, and the bits that answer them.

use std::sync::Arc;

use super::{
    Command, Lens,
    across::Across,
    jobs::Workers,
    judging::{Judgements, Key},
    state::Store,
};
use crate::{sieve::Sieve, source::Source};

#[derive(Default)]
pub(super) struct Questions {
    pub(super) sieve: Sieve,
    pub(super) keys: Vec<Key>,
    pub(super) lenses: [Option<(Key, String)>; Lens::ALL.len()],
    /// Sieves that are counted beside the one that makes the pan.
    pub(super) beside: Vec<(Sieve, Vec<Key>)>,
    pub(super) judgements: Judgements,
    /// The span of time that the volume is counted over, if not that of all entries.
    pub(super) span: Option<(i64, i64)>,
    /// The end that times which slide with it were counted from.
    slid: Option<i64>,
}

impl Questions {
    /// Takes a question, or drops one.
    pub(super) fn ask(&mut self, command: Command, store: &Store) {
        match command {
            Command::Sieve(sieve) => {
                self.sieve = sieve;
                self.find_keys(store);
            }
            Command::Beside(sieves) => {
                self.beside = sieves.into_iter().map(|sieve| (sieve, Vec::new())).collect();
                self.find_keys(store);
            }
            Command::Span(span) => self.span = span,
            Command::Release(_) => return,
            Command::Lens(lens, expr) => {
                self.lenses[lens as usize] = expr.map(|expr| {
                    let text = expr.to_string();
                    (self.judgements.expr(expr), text)
                });
            }
        }
        self.judgements.forget(&self.used());
    }

    /// Finds the conditions of all sieves, with times that slide counted from the end as it is.
    fn find_keys(&mut self, store: &Store) {
        self.slid = store.last_time();
        self.keys = self.judgements.sieve(&self.sieve, self.slid);
        for (sieve, keys) in &mut self.beside {
            *keys = self.judgements.sieve(sieve, self.slid);
        }
    }

    /// The conditions that are asked for.
    pub(super) fn used(&self) -> Vec<Key> {
        let lenses = self.lenses.iter().flatten().map(|(key, _)| key);
        let beside = self.beside.iter().flat_map(|(_, keys)| keys);
        self.keys.iter().chain(lenses).chain(beside).cloned().collect()
    }

    /// Queues what is missing of the conditions in use. `reading` says that the end is not where it will be.
    pub(super) fn judge(
        &mut self,
        store: &mut Store,
        sources: &Arc<Vec<Source>>,
        across: &Arc<Across>,
        workers: &Workers,
        reading: bool,
    ) {
        for number in store.changed() {
            self.judgements.block_changed(number);
        }
        if !reading && self.slid != store.last_time() {
            self.find_keys(store);
            self.judgements.forget(&self.used());
        }
        self.judgements.queue(&self.used(), &store.blocks, sources, across, workers);
    }
}

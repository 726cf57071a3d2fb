//! Measures that grow with the entries: what has been measured stays, and only what is new is read.

use std::{
    collections::HashMap,
    sync::{Arc, Mutex, PoisonError},
};

use super::{Fold, Measured, Pass, Selection, each_block};
use crate::{
    engine::Snapshot,
    guard,
    store::{Bits, Block},
};

/// A measure that is extended as entries arrive. Blocks that can change no more are put together for good; the last of each
/// source is measured again as long as it grows. Memory: what has been measured, and the sets of entries it is of.
pub(crate) struct Growing<P> {
    /// What blocks hold that change no more.
    whole: P,
    /// Of which entries of each block that is, and of which of its editions.
    taken: Vec<Option<Taken>>,
}

#[derive(PartialEq)]
struct Taken {
    edition: u32,
    /// Of each selection, the entries of the block.
    within: Vec<Option<Arc<Bits>>>,
}

impl<P: Default> Default for Growing<P> {
    fn default() -> Self {
        Self { whole: P::default(), taken: Vec::new() }
    }
}

impl<P: Default + Clone + Send> Growing<P> {
    /// Measures the entries of some selections, by the same measure as before. `None` when the pass was ended; what was
    /// measured until then is kept. Cost: the blocks that are new, or have changed, and a copy of what is known; all
    /// blocks where something else is selected of one.
    pub(crate) fn extend<F: Fold<Part = P>>(
        &mut self,
        snapshot: &Snapshot,
        selections: &[&Selection],
        fold: &F,
        pass: &Pass,
    ) -> Option<Measured<P>> {
        let blocks = snapshot.blocks.len();
        let by_block: Vec<_> = selections.iter().map(|of| of.by_block(blocks)).collect();
        let now = |number: usize, block: &Block| Taken {
            edition: block.edition,
            within: by_block.iter().map(|of| of[number].clone()).collect(),
        };
        let stands =
            |(number, taken): (usize, &Option<Taken>)| match (taken, snapshot.blocks.get(number)) {
                (Some(taken), Some(block)) => *taken == now(number, block),
                (Some(_), None) => false,
                (None, _) => true,
            };
        if !self.taken.iter().enumerate().all(stands) {
            *self = Self::default();
        }
        self.taken.resize_with(blocks, || None);
        let of = selections.iter().fold(Selection::default(), |all, one| all.or(one));
        let last = last_of_sources(snapshot);
        let closed = |number: usize, block: &Block| {
            !block.growing && last.get(&block.source.index()) != Some(&number)
        };
        let fresh = of
            .blocks
            .iter()
            .filter(|(number, _)| self.taken.get(*number).is_none_or(Option::is_none));
        let fresh = Selection { blocks: fresh.cloned().collect() };
        // What changes no more; the rest; and entries that could not be read, which is tried again the next time.
        let state = Mutex::new((&mut *self, P::default(), 0));
        each_block(snapshot, &fresh, pass, &|number, entries| {
            let mut part = P::default();
            let read = guard::catch(|| fold.measure(entries, &mut part));
            let mut state = state.lock().unwrap_or_else(PoisonError::into_inner);
            let (kept, open, unread) = &mut *state;
            match read {
                Some(Ok(())) if closed(number, entries.block()) => {
                    fold.merge(&mut kept.whole, part);
                    kept.taken[number] = Some(now(number, entries.block()));
                }
                Some(Ok(())) => fold.merge(open, part),
                _ => *unread += entries.count(),
            }
        });
        let (kept, open, unread) = state.into_inner().unwrap_or_else(PoisonError::into_inner);
        if pass.is_cancelled() {
            return None;
        }
        let mut part = kept.whole.clone();
        fold.merge(&mut part, open);
        Some(Measured { part, of: of.len(), unread })
    }
}

/// The number of the last block of each source, which may still grow.
fn last_of_sources(snapshot: &Snapshot) -> HashMap<usize, usize> {
    let mut last: HashMap<usize, usize> = HashMap::new();
    for (number, block) in snapshot.blocks.iter().enumerate() {
        let known = last.entry(block.source.index()).or_insert(number);
        if snapshot.blocks[*known].place <= block.place {
            *known = number;
        }
    }
    last
}

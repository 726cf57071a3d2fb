//! Passes: something measured of many entries, block by block on all cores.
//!
//! To add a measure, write a [`Fold`]: what is taken from the entries of one block, and how two such parts
//! become one. [`run`] does the rest: it spreads the blocks over the cores, reads each block once, puts the parts
//! together, tells how far it is, and ends early when it is cancelled. A fold that looks only at the index
//! reads no byte.
//!
//! How often each value of a field occurs ([`super::Counts`]), for example:
//!
//! ```text
//! struct CountBy<'p> { path: &'p str }
//!
//! impl Fold for CountBy<'_> {
//!     type Part = Counts;
//!
//!     fn measure(&self, entries: &mut Entries<'_>, part: &mut Counts) -> io::Result<()> {
//!         entries.each_value(self.path, &mut |_, value| part.add(&value, 1))
//!     }
//!
//!     fn merge(&self, whole: &mut Counts, part: Counts) {
//!         part.counts.values().for_each(|(value, count)| whole.add(value, *count));
//!     }
//! }
//! ```

mod entries;
mod growing;
mod kinds;
mod leaves;
mod reading;
mod rows;

use std::{
    io,
    sync::{
        Arc, Mutex, PoisonError,
        atomic::{AtomicBool, AtomicUsize, Ordering},
    },
};

pub(crate) use entries::Entries;
pub(crate) use growing::Growing;
pub(crate) use kinds::Told;
pub(crate) use leaves::Leaf;
pub(crate) use reading::read_entries;
pub(crate) use rows::{Cell, Took, Wanted};

use super::{LensView, Snapshot, across::Among};
use crate::{
    guard,
    query::Predicate,
    store::{Bits, EntryId, NO_TIME},
};

/// Something that is measured of entries.
pub(crate) trait Fold: Sync {
    /// What is measured.
    type Part: Default + Send;

    /// Measures the entries of one block.
    ///
    /// # Errors
    ///
    /// Those of reading it; the block is then counted as not read.
    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()>;

    /// Puts a part to others. Parts come in any order.
    fn merge(&self, whole: &mut Self::Part, part: Self::Part);
}

/// What a pass has measured.
#[derive(Clone, Debug, Default)]
pub(crate) struct Measured<P> {
    pub(crate) part: P,
    /// Entries that were selected.
    pub(crate) of: usize,
    /// Those of them whose blocks could not be read.
    pub(crate) unread: usize,
}

/// A pass on its way: how far it is, and whether it was cancelled. Clones are about the same pass.
#[derive(Clone, Debug, Default)]
pub struct Pass(Arc<State>);

#[derive(Debug, Default)]
struct State {
    cancelled: AtomicBool,
    done: AtomicUsize,
    of: AtomicUsize,
}

impl Pass {
    /// Ends the pass; it then gives nothing.
    pub fn cancel(&self) {
        self.0.cancelled.store(true, Ordering::Relaxed);
    }

    /// Whether it was cancelled.
    #[must_use]
    pub fn is_cancelled(&self) -> bool {
        self.0.cancelled.load(Ordering::Relaxed)
    }

    /// Blocks that are measured, and blocks that will be.
    #[must_use]
    pub fn progress(&self) -> (usize, usize) {
        (self.0.done.load(Ordering::Relaxed), self.0.of.load(Ordering::Relaxed))
    }
}

/// Passes of which only the latest is waited for.
#[derive(Debug, Default)]
pub struct Latest(Mutex<Pass>);

impl Latest {
    /// Begins a pass and ends the one before.
    pub fn begin(&self) -> Pass {
        let mut latest = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        latest.cancel();
        *latest = Pass::default();
        latest.clone()
    }
}

/// Which entries are measured: a set for each block that has some.
#[derive(Clone, Debug, Default)]
pub(crate) struct Selection {
    blocks: Vec<(usize, Arc<Bits>)>,
}

impl Selection {
    /// All entries that are in the order.
    pub(crate) fn all(snapshot: &Snapshot) -> Self {
        Self::of(snapshot, snapshot.order.iter_from(0))
    }

    /// Those that fell through the whole sieve.
    pub(crate) fn pan(snapshot: &Snapshot) -> Self {
        Self::of(snapshot, snapshot.pan.iter_from(0))
    }

    /// Those that a lens has found.
    pub(crate) fn lens(lens: &LensView) -> Self {
        let found = lens.bits.iter().enumerate();
        let found = found.filter_map(|(number, bits)| Some((number, Arc::clone(bits.as_ref()?))));
        Self { blocks: found.filter(|(_, bits)| bits.count() > 0).collect() }
    }

    /// Any entries.
    pub(crate) fn of(snapshot: &Snapshot, ids: impl Iterator<Item = EntryId>) -> Self {
        let mut sets: Vec<Option<Bits>> = vec![None; snapshot.blocks.len()];
        for id in ids {
            let Some(block) = snapshot.block(id) else { continue };
            sets[id.block()].get_or_insert_with(|| Bits::none(block.len())).set(id.index());
        }
        let sets = sets.into_iter().enumerate();
        Self { blocks: sets.filter_map(|(number, set)| Some((number, Arc::new(set?)))).collect() }
    }

    /// The time of the first of them and of the last. Cost: no byte is read.
    pub(crate) fn span(&self, snapshot: &Snapshot) -> Option<(i64, i64)> {
        let mut span: Option<(i64, i64)> = None;
        for (number, bits) in &self.blocks {
            let Some(block) = snapshot.blocks.get(*number) else { continue };
            for time in bits.iter().map(|index| block.time(index)).filter(|time| *time != NO_TIME) {
                let (first, last) = span.unwrap_or((time, time));
                span = Some((first.min(time), last.max(time)));
            }
        }
        span
    }

    /// Hands over the time of each that has one. Cost: no byte is read.
    pub(crate) fn times(&self, snapshot: &Snapshot, hand: &mut dyn FnMut(i64)) {
        for (number, bits) in &self.blocks {
            let Some(block) = snapshot.blocks.get(*number) else { continue };
            bits.iter()
                .map(|index| block.time(index))
                .filter(|time| *time != NO_TIME)
                .for_each(&mut *hand);
        }
    }

    /// The entries of either.
    pub(crate) fn or(&self, other: &Self) -> Self {
        let (mut one, mut two) = (self.blocks.iter().peekable(), other.blocks.iter().peekable());
        let mut blocks = Vec::with_capacity(self.blocks.len().max(other.blocks.len()));
        // Both are in the order of the numbers.
        loop {
            let numbers = [one.peek().map(|(at, _)| *at), two.peek().map(|(at, _)| *at)];
            let Some(number) = numbers.into_iter().flatten().min() else { break };
            let here = |(at, _): &&(usize, Arc<Bits>)| *at == number;
            let either = match (one.next_if(here), two.next_if(here)) {
                (Some((_, one)), Some((_, two))) if one != two => {
                    let mut both = Bits::clone(one);
                    both.add(two);
                    Arc::new(both)
                }
                (Some((_, bits)), _) | (None, Some((_, bits))) => Arc::clone(bits),
                (None, None) => break,
            };
            blocks.push((number, either));
        }
        Self { blocks }
    }

    /// The entries of each block, by its number.
    pub(crate) fn by_block(&self, blocks: usize) -> Vec<Option<Arc<Bits>>> {
        let mut by_block = vec![None; blocks];
        for (number, bits) in &self.blocks {
            if let Some(place) = by_block.get_mut(*number) {
                *place = Some(Arc::clone(bits));
            }
        }
        by_block
    }

    /// How many there are.
    pub(crate) fn len(&self) -> usize {
        self.blocks.iter().map(|(_, bits)| bits.count()).sum()
    }
}

/// Measures the entries of a selection. `None` when the pass was ended. Memory: a block's bytes and a part a core.
pub(crate) fn run<F: Fold>(
    snapshot: &Snapshot,
    selection: &Selection,
    fold: &F,
    pass: &Pass,
) -> Option<Measured<F::Part>> {
    let merged = Mutex::new(Measured { of: selection.len(), ..Measured::default() });
    each_block(snapshot, selection, pass, &|_, entries| {
        let mut part = F::Part::default();
        let read = guard::catch(|| fold.measure(entries, &mut part));
        let mut merged = merged.lock().unwrap_or_else(PoisonError::into_inner);
        match read {
            Some(Ok(())) => fold.merge(&mut merged.part, part),
            _ => merged.unread += entries.count(),
        }
    });
    let merged = merged.into_inner().unwrap_or_else(PoisonError::into_inner);
    (!pass.is_cancelled()).then_some(merged)
}

/// Those of some entries for which a condition holds. `None` when the pass was ended.
pub(crate) fn passing(
    snapshot: &Snapshot,
    of: &Selection,
    predicate: &Predicate,
    pass: &Pass,
) -> Option<Selection> {
    let found = Mutex::new(Vec::new());
    each_block(snapshot, of, pass, &|number, entries| {
        let block = entries.block();
        let Some(source) = snapshot.sources.get(entries.source()) else { return };
        let among = Among { across: &snapshot.across, number, block };
        let mut bits = predicate.judge(block, source, &snapshot.veil, Some(&among));
        bits.keep(entries.within());
        if bits.count() > 0 {
            let mut found = found.lock().unwrap_or_else(PoisonError::into_inner);
            found.push((number, Arc::new(bits)));
        }
    });
    let mut blocks = found.into_inner().unwrap_or_else(PoisonError::into_inner);
    blocks.sort_unstable_by_key(|(number, _)| *number);
    (!pass.is_cancelled()).then_some(Selection { blocks })
}

/// Hands each block of a selection to `measure`, on all cores, until the pass is ended.
fn each_block(
    snapshot: &Snapshot,
    selection: &Selection,
    pass: &Pass,
    measure: &(dyn Fn(usize, &mut Entries<'_>) + Sync),
) {
    let blocks = &selection.blocks;
    pass.0.of.store(blocks.len(), Ordering::Relaxed);
    pass.0.done.store(0, Ordering::Relaxed);
    let next = AtomicUsize::new(0);
    let work = || {
        let mut buffer = Vec::new();
        while !pass.is_cancelled()
            && let Some((number, within)) = blocks.get(next.fetch_add(1, Ordering::Relaxed))
        {
            if let Some(block) = snapshot.blocks.get(*number) {
                let mut entries = Entries::new(snapshot, *number, block, within, &mut buffer);
                measure(*number, &mut entries);
            }
            pass.0.done.fetch_add(1, Ordering::Relaxed);
        }
    };
    let threads = std::thread::available_parallelism().map_or(1, usize::from).min(16);
    std::thread::scope(|scope| {
        // This thread is one of them; where there can be no others, it is alone.
        for _ in 1..threads.min(blocks.len()) {
            let _ = std::thread::Builder::new().spawn_scoped(scope, work);
        }
        work();
    });
}

#[cfg(test)]
mod tests;

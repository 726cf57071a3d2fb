//! What is counted of something on both sides.

use crate::{EntryId, entry::Level, tally::Sketch};

/// What is counted of something on both sides.
#[derive(Clone, Debug, Default)]
pub(super) struct Tallied {
    pub(super) counts: [u64; 2],
    /// Those of each level, on both sides; those without one last.
    pub(super) levels: [u64; 7],
    pub(super) took: Box<[Sketch; 2]>,
    /// The first entry of each side.
    pub(super) entries: [Option<EntryId>; 2],
}

impl Tallied {
    /// Counts an entry of a level, on the sides that it is on.
    pub(super) fn add(&mut self, id: EntryId, sides: [bool; 2], level: Option<Level>) {
        for (side, _) in sides.iter().enumerate().filter(|(_, is)| **is) {
            self.counts[side] += 1;
            self.entries[side].get_or_insert(id);
        }
        self.levels[level.map_or(6, Level::index)] += 1;
    }

    /// The level of most of its entries.
    pub(super) fn level(&self) -> Option<Level> {
        let most = (0..7).max_by_key(|level| self.levels[*level])?;
        Level::ALL.get(most).copied()
    }

    pub(super) fn merge(&mut self, other: &Self) {
        for side in 0..2 {
            self.counts[side] += other.counts[side];
            self.took[side].merge(&other.took[side]);
            let both = [self.entries[side], other.entries[side]];
            self.entries[side] = both.into_iter().flatten().min();
        }
        self.levels.iter_mut().zip(other.levels).for_each(|(mine, theirs)| *mine += theirs);
    }

    pub(super) fn entry(&self) -> EntryId {
        self.entries[1].or(self.entries[0]).unwrap_or(EntryId::new(0, 0))
    }
}

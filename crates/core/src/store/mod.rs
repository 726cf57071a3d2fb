//! The compact index: columns in blocks, one order over all sources, and look-up.
//!
//! An entry costs eight bytes of time, eight of extent, level, layout and marks, and four in the
//! order. Everything else is read again from its source when it is shown.

mod bits;
mod block;
mod columns;
mod hints;
mod ids;
mod levels;
mod rows;
mod writings;

pub(crate) use bits::Bits;
pub(crate) use block::Block;
pub(crate) use columns::{Columns, Flags, NO_TIME};
pub(crate) use hints::{Counted, Half, Hints, Life, Program, Says, Start};
pub(crate) use ids::{IdBuilder, IdColumn};
pub(crate) use levels::Levels;
pub use rows::Rows;
pub(crate) use rows::{Blocks, Chunk, Key, in_order, key};
pub(crate) use writings::may_be_other;

/// An entry's identity: its block and its number there. It stays the same while entries arrive before
/// and after it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct EntryId(u32);

impl EntryId {
    pub(crate) fn new(block: usize, index: usize) -> Self {
        debug_assert!(block < crate::limits::BLOCKS && index < crate::limits::BLOCK_ENTRIES);
        let block = u32::try_from(block & 0xffff).unwrap_or(0);
        Self(block << 16 | u32::try_from(index & 0xffff).unwrap_or(0))
    }

    pub(crate) fn block(self) -> usize {
        (self.0 >> 16) as usize
    }

    pub(crate) fn index(self) -> usize {
        (self.0 & 0xffff) as usize
    }
}

#[cfg(test)]
mod tests;

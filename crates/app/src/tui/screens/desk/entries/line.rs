//! A line of the list.

use cribrum_core::EntryId;

/// A line of the list of entries.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Line {
    /// An entry and the time since the one above, if both have a time.
    Entry { id: EntryId, gap: Option<i64> },
    /// Nothing happened for so long.
    Quiet(i64),
    /// Another day begins.
    Day(i64),
    /// A program has started again.
    Restart(EntryId),
}

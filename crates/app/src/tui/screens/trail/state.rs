//! A trail, or the wait for one.

use cribrum_core::{EntryId, query::Expr, trail::Trail};

/// A trail that is open.
pub(super) struct TrailView {
    /// The condition that its entries satisfy, once the id is known.
    pub(super) expr: Option<Expr>,
    pub(super) trail: Option<Trail>,
    /// It has been asked for.
    pub(super) asked: bool,
    pub(super) cursor: usize,
    /// The entry that it was opened from.
    pub(super) from: EntryId,
}

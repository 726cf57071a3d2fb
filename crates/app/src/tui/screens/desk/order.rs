//! The order of the list, where it is not that of time.

use std::sync::{Arc, Mutex, PoisonError};

use cribrum_core::{
    Rows,
    engine::{First, Pass},
    sieve::Sieve,
};

use crate::tui::{columns::Column, shared::Shared};

/// An order of the pan that is not that of time.
pub(super) struct Order {
    pub(super) column: Column,
    pub(super) first: First,
    /// The sieve and the number of entries that it was asked for.
    pub(super) of: (Sieve, usize),
    /// The entries in their order, or the first of them; `None` until the values are known.
    pub(super) rows: Option<Rows>,
    /// Entries that have the value.
    pub(super) having: usize,
    /// It is being worked out; how far the reading is.
    pub(super) pass: Option<Arc<Mutex<Option<Pass>>>>,
}

impl Order {
    /// How many hundredths of the values have been read, while they are or have to be.
    pub(super) fn percent(&self) -> Option<usize> {
        if self.rows.is_none() && self.pass.is_none() {
            return Some(0);
        }
        let pass = self.pass.as_ref()?.lock().unwrap_or_else(PoisonError::into_inner);
        let (done, of) = pass.as_ref().map_or((0, 1), Pass::progress);
        Some(done * 100 / of.max(1))
    }

    /// `took, largest first`.
    pub(super) fn told(&self, shared: &Shared) -> String {
        let first = match self.first {
            First::Largest => "largest first",
            First::Smallest => "smallest first",
        };
        format!("{}, {first}", shared.own_text(self.column.name()))
    }
}

//! What the kinds show.

use std::sync::Arc;

use cribrum_core::{
    kinds::{Fills, Kind, Kinds, Only, Order},
    sieve::Sieve,
    veil::Desk,
};

use crate::tui::widgets::Scroll;

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Table,
}

/// The kinds in their order.
pub(super) struct Listed {
    pub(super) kinds: Arc<Kinds<Desk>>,
    /// The numbers of the kinds that are shown, in their order.
    pub(super) rows: Vec<u32>,
}

/// What stands in the holes of a kind.
pub(super) struct Filled {
    /// The words of the kind.
    pub(super) of: String,
    /// `None` while it is looked for.
    pub(super) fills: Option<Fills<Desk>>,
}

/// Which kinds are shown, in numbers and in words.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Shown {
    pub(super) only: Only,
    pub(super) words: String,
}

/// The screen.
pub(super) struct KindsView {
    pub(super) listed: Option<Listed>,
    /// An answer is on its way.
    pub(super) asked: bool,
    /// What it is of: the sieve, and entries in the pan.
    pub(super) looked_at: Option<(Sieve, usize)>,
    pub(super) shown: Shown,
    pub(super) order: (Order, bool),
    /// The column under the cursor.
    pub(super) column: usize,
    pub(super) cursor: usize,
    /// Words that the kinds shown have.
    pub(super) words: String,
    /// The values of holes are shown, of whatever kind is under the cursor.
    pub(super) values: bool,
    pub(super) filled: Option<Filled>,
    /// Rows that the table shows.
    pub(super) height: usize,
    pub(super) width: u16,
}

impl KindsView {
    pub(super) fn new() -> Self {
        Self {
            listed: None,
            asked: false,
            looked_at: None,
            shown: Shown::default(),
            order: (Order::Count, true),
            column: 0,
            cursor: 0,
            words: String::new(),
            values: false,
            filled: None,
            height: 20,
            width: 80,
        }
    }

    /// The number of the kind in a row of the list.
    pub(super) fn number(&self, row: usize) -> Option<usize> {
        self.listed.as_ref()?.rows.get(row).map(|number| *number as usize)
    }

    /// The kind in a row of the list.
    pub(super) fn kind(&self, row: usize) -> Option<&Kind<Desk>> {
        self.listed.as_ref()?.kinds.kinds.get(self.number(row)?)
    }

    /// How many are listed.
    pub(super) fn len(&self) -> usize {
        self.listed.as_ref().map_or(0, |listed| listed.rows.len())
    }

    /// The rows that are in sight.
    pub(super) fn in_sight(&self) -> std::ops::Range<usize> {
        let from = Scroll::around(self.cursor, self.len(), self.height).from;
        from..(from + self.height).min(self.len())
    }
}

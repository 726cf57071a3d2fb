//! What the comparison shows.

use std::sync::Arc;

use cribrum_core::{
    compare::{Comparison, Difference, Per, Side, Told},
    sieve::Sieve,
    veil::Desk,
};

use crate::tui::widgets::Scroll;

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Table,
}

/// A side, and what it is called.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Named {
    pub(super) side: Side,
    pub(super) name: String,
}

/// The differences in their order.
pub(super) struct Listed {
    pub(super) compared: Arc<Comparison<Desk>>,
    pub(super) rows: Vec<Told>,
}

/// The screen.
pub(super) struct CompareView {
    pub(super) sides: [Named; 2],
    pub(super) per: Per,
    /// What is alike on both sides is shown as well.
    pub(super) all: bool,
    pub(super) listed: Option<Listed>,
    /// An answer is on its way.
    pub(super) asked: bool,
    /// What it is of: the sieve, and entries in the pan.
    pub(super) looked_at: Option<(Sieve, usize)>,
    pub(super) cursor: usize,
    /// Words that the differences shown have.
    pub(super) words: String,
    /// Rows that the table shows.
    pub(super) height: usize,
    pub(super) width: u16,
}

impl CompareView {
    pub(super) fn of(sides: [Named; 2]) -> Self {
        Self {
            sides,
            per: Per::Entry,
            all: false,
            listed: None,
            asked: false,
            looked_at: None,
            cursor: 0,
            words: String::new(),
            height: 20,
            width: 80,
        }
    }

    pub(super) fn told(&self, row: usize) -> Option<&Told> {
        self.listed.as_ref()?.rows.get(row)
    }

    /// The difference in a row of the list.
    pub(super) fn difference(&self, row: usize) -> Option<&Difference<Desk>> {
        self.listed.as_ref()?.compared.differences.get(self.told(row)?.number)
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

//! What the kinds show.

use std::sync::{Arc, Mutex};

use cribrum_core::{
    kinds::{Fills, Kind, Kinds, Only, Order, SoFar},
    veil::Desk,
};

use crate::tui::table::{Asked, State};

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
    pub(super) asked: Asked,
    pub(super) so_far: Arc<Mutex<SoFar<Desk>>>,
    pub(super) shown: Shown,
    pub(super) table: State<Order>,
    /// The values of holes are shown, of whatever kind is under the cursor.
    pub(super) values: bool,
    pub(super) filled: Option<Filled>,
}

impl KindsView {
    pub(super) fn new() -> Self {
        Self {
            listed: None,
            asked: Asked::default(),
            so_far: Arc::default(),
            shown: Shown::default(),
            table: State::by(Order::Count),
            values: false,
            filled: None,
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

    /// The kind under the cursor.
    pub(super) fn chosen(&self) -> Option<&Kind<Desk>> {
        self.kind(self.table.cursor)
    }
}

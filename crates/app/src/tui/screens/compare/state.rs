//! What the comparison shows.

use std::sync::{Arc, Mutex};

use cribrum_core::{
    compare::{Comparison, Difference, Per, Side, SoFar, Told},
    veil::Desk,
};

use crate::tui::table::{Asked, State};

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
    pub(super) asked: Asked,
    /// What has been counted of the sides.
    pub(super) so_far: Arc<Mutex<Option<SoFar<Desk>>>>,
    pub(super) table: State<()>,
}

impl CompareView {
    pub(super) fn of(sides: [Named; 2]) -> Self {
        Self {
            sides,
            per: Per::Entry,
            all: false,
            listed: None,
            asked: Asked::default(),
            so_far: Arc::default(),
            table: State::by(()),
        }
    }

    pub(super) fn told(&self, row: usize) -> Option<&Told> {
        self.listed.as_ref()?.rows.get(row)
    }

    /// The difference in a row of the list.
    pub(super) fn difference(&self, row: usize) -> Option<&Difference<Desk>> {
        self.listed.as_ref()?.compared.differences.get(self.told(row)?.number)
    }

    /// The difference under the cursor.
    pub(super) fn chosen(&self) -> Option<&Difference<Desk>> {
        self.difference(self.table.cursor)
    }

    /// What was counted is of something else.
    pub(super) fn forget(&mut self) {
        (self.listed, self.asked, self.so_far) = (None, Asked::default(), Arc::default());
    }
}

//! What the kinds show.

use cribrum_core::{
    kinds::{Fills, Kind, Order},
    veil::Desk,
};

use crate::{results::AskKinds, tui::table::Measured};

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Table,
}

/// What stands in the holes of a kind.
pub(super) struct Filled {
    /// The words of the kind.
    pub(super) of: String,
    /// `None` while it is looked for.
    pub(super) fills: Option<Fills<Desk>>,
}

/// The screen.
pub(super) struct KindsView {
    pub(super) table: Measured<AskKinds>,
    /// Which kinds are listed, in words.
    pub(super) shown: String,
    /// The values of holes are shown, of whatever kind is under the cursor.
    pub(super) values: bool,
    pub(super) filled: Option<Filled>,
}

impl KindsView {
    pub(super) fn new() -> Self {
        Self {
            table: Measured::new(AskKinds, Order::Count),
            shown: String::new(),
            values: false,
            filled: None,
        }
    }

    /// The kind under the cursor.
    pub(super) fn chosen(&self) -> Option<&Kind<Desk>> {
        self.table.chosen()
    }
}

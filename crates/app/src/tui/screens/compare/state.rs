//! What the comparison shows.

use cribrum_core::{
    compare::{Per, Side},
    veil::Desk,
};

use crate::{
    results::{AskDifferences, Differences},
    tui::table::Measured,
};

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

/// The screen.
pub(super) struct CompareView {
    pub(super) names: [String; 2],
    pub(super) table: Measured<AskDifferences>,
}

impl CompareView {
    pub(super) fn of(sides: [Named; 2]) -> Self {
        let [from, with] = sides;
        let names = [from.name, with.name];
        let inquiry = AskDifferences { sides: [from.side, with.side], per: Per::Entry };
        Self { names, table: Measured::new(inquiry, ()) }
    }

    pub(super) fn found(&self) -> Option<&Differences<Desk>> {
        self.table.found()
    }
}

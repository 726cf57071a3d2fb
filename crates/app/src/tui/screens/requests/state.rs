//! The table of requests, and the two that are compared.

use cribrum_core::{
    entry::IdKey,
    requests::{Request, SortBy},
    trail::{Pair, Trail},
};

use crate::{results::AskRequests, tui::table::Measured};

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Table,
    Compared,
}

/// Two trails side by side.
pub(super) struct Comparison {
    pub(super) trails: [Trail; 2],
    pub(super) pairs: Vec<Pair>,
    pub(super) cursor: usize,
}

/// The screen.
pub(super) struct RequestsView {
    pub(super) table: Measured<AskRequests>,
    pub(super) marked: Vec<IdKey>,
    pub(super) comparison: Option<Comparison>,
}

impl Default for RequestsView {
    fn default() -> Self {
        let mut table = Measured::new(AskRequests::default(), SortBy::Duration);
        table.column = 1;
        Self { table, marked: Vec::new(), comparison: None }
    }
}

impl RequestsView {
    /// The request under the cursor.
    pub(super) fn chosen(&self) -> Option<&Request> {
        self.table.chosen()
    }
}

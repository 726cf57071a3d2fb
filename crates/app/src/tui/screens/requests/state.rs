//! The table of requests, and the two that are compared.

use std::{collections::HashMap, sync::Arc};

use cribrum_core::{
    entry::IdKey,
    requests::{Durations, Request, RequestText, Requests, SortBy},
    trail::{Pair, Trail},
};

use crate::tui::table::State;

/// Texts that are kept.
pub(super) const KEPT: usize = 4_096;

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Table,
    Compared,
}

/// The requests in their order.
#[derive(Clone, Debug)]
pub(super) struct Listed {
    pub(super) requests: Arc<Requests>,
    /// The numbers of the rows that are shown, in their order.
    pub(super) rows: Vec<u32>,
    pub(super) durations: Option<Durations>,
    /// How many of them have errors.
    pub(super) errors: usize,
}

/// Two trails side by side.
pub(super) struct Comparison {
    pub(super) trails: [Trail; 2],
    pub(super) pairs: Vec<Pair>,
    pub(super) cursor: usize,
}

/// The screen.
pub(super) struct RequestsView {
    /// The kind of id, once it is known.
    pub(super) kind: Option<&'static str>,
    pub(super) listed: Option<Listed>,
    /// No entry has an id of the kind, or of any.
    pub(super) none: bool,
    /// It has been asked for.
    pub(super) asked: bool,
    /// What it was asked of: entries there are, entries in the pan.
    pub(super) looked_at: (usize, usize),
    pub(super) table: State<SortBy>,
    /// The request that the cursor stays on while the list changes.
    pub(super) at: Option<IdKey>,
    pub(super) texts: HashMap<IdKey, RequestText>,
    /// Texts have been asked for.
    pub(super) reading: bool,
    pub(super) marked: Vec<IdKey>,
    pub(super) comparison: Option<Comparison>,
}

impl Default for RequestsView {
    fn default() -> Self {
        Self {
            kind: None,
            listed: None,
            none: false,
            asked: false,
            looked_at: (0, 0),
            table: State { column: 1, ..State::by(SortBy::Duration) },
            at: None,
            texts: HashMap::new(),
            reading: false,
            marked: Vec::new(),
            comparison: None,
        }
    }
}

impl RequestsView {
    /// The request in a row of the list.
    pub(super) fn request(&self, row: usize) -> Option<&Request> {
        let listed = self.listed.as_ref()?;
        let number = *listed.rows.get(row)?;
        listed.requests.rows.get(number as usize)
    }

    /// The request under the cursor.
    pub(super) fn chosen(&self) -> Option<&Request> {
        self.request(self.table.cursor)
    }
}

//! The table of requests, and the two that are compared.

use std::{collections::HashMap, sync::Arc};

use cribrum_core::{
    entry::IdKey,
    requests::{Durations, Request, RequestText, Requests, SortBy},
    trail::{Pair, Trail},
};

use super::columns::Column;

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
    pub(super) order: (SortBy, bool),
    /// The column under the cursor.
    pub(super) column: usize,
    pub(super) cursor: usize,
    /// The request that the cursor stays on while the list changes.
    pub(super) at: Option<IdKey>,
    pub(super) texts: HashMap<IdKey, RequestText>,
    /// Texts have been asked for.
    pub(super) reading: bool,
    /// Words that the requests shown have.
    pub(super) words: String,
    pub(super) marked: Vec<IdKey>,
    pub(super) comparison: Option<Comparison>,
    /// Rows that the table shows.
    pub(super) height: usize,
    pub(super) width: u16,
}

impl Default for RequestsView {
    fn default() -> Self {
        Self {
            kind: None,
            listed: None,
            none: false,
            asked: false,
            looked_at: (0, 0),
            order: (SortBy::Duration, true),
            column: 1,
            cursor: 0,
            at: None,
            texts: HashMap::new(),
            reading: false,
            words: String::new(),
            marked: Vec::new(),
            comparison: None,
            height: 20,
            width: 80,
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

    /// How many are listed.
    pub(super) fn len(&self) -> usize {
        self.listed.as_ref().map_or(0, |listed| listed.rows.len())
    }

    /// The column under the cursor.
    pub(super) fn column(&self) -> Column {
        let columns = Column::fitting(self.width);
        columns[self.column.min(columns.len() - 1)]
    }

    /// The rows that are in sight.
    pub(super) fn in_sight(&self) -> std::ops::Range<usize> {
        let from = crate::tui::widgets::Scroll::around(self.cursor, self.len(), self.height).from;
        from..(from + self.height).min(self.len())
    }
}

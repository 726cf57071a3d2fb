//! What a table has asked for, what it lists, and where its cursor is.

use std::{
    ops::Range,
    sync::{Arc, Mutex, PoisonError},
};

use cribrum_core::{
    engine::{Pass, Snapshot},
    sieve::Sieve,
    veil::Desk,
};

use crate::{
    results::{Column, Findings, Inquiry, Listing, Reader},
    tui::widgets::Scroll,
};

type Found<I> = <I as Inquiry>::Found<Desk>;

/// A question to the pan, what was found, and how that is listed.
pub(crate) struct Measured<I: Inquiry> {
    pub(crate) inquiry: I,
    /// What the inquiry left open was decided.
    pub(crate) settled: bool,
    pub(crate) listed: Option<Listed<I>>,
    pub(crate) listing: Listing<I>,
    asked: Asked,
    /// What has been counted.
    so_far: SoFar<I>,
    /// What rows in sight say is being read.
    pub(super) reading: bool,
    /// The column under the cursor.
    pub(crate) column: usize,
    pub(crate) cursor: usize,
    /// The next list is shown from its first row on.
    pub(super) from_the_top: bool,
    /// Rows that the table shows.
    pub(crate) height: usize,
    pub(crate) width: u16,
}

/// What was found, and the numbers of the rows that are listed, in their order.
pub(crate) struct Listed<I: Inquiry> {
    pub(crate) found: Arc<Found<I>>,
    pub(crate) rows: Vec<u32>,
    pub(crate) summary: I::Summary,
}

type SoFar<I> = Arc<Mutex<Option<<I as Inquiry>::SoFar<Desk>>>>;

/// What something was counted of, and whether another answer is on its way.
#[derive(Debug, Default)]
pub(crate) struct Asked {
    on_its_way: bool,
    /// The sieve, entries in the pan, and all there are.
    of: Option<(Sieve, usize, usize)>,
}

impl Asked {
    /// Whether something else is to be counted now than last time; it is then on its way. One answer comes after the
    /// other: what grows all the time is never done otherwise.
    pub(crate) fn is_due(&mut self, snapshot: &Snapshot) -> bool {
        self.is_due_of(snapshot, 0)
    }

    /// The same of something that depends on so many entries beside those in the pan.
    fn is_due_of(&mut self, snapshot: &Snapshot, entries: usize) -> bool {
        let now = (snapshot.sieve.clone(), snapshot.pan.len(), entries);
        if self.on_its_way || !snapshot.settled() || self.of.as_ref() == Some(&now) {
            return false;
        }
        *self = Self { on_its_way: true, of: Some(now) };
        true
    }

    pub(crate) fn has_come(&mut self) {
        self.on_its_way = false;
    }
}

impl<I: Inquiry> Measured<I> {
    /// Nothing has been asked yet. The largest come first.
    pub(crate) fn new(inquiry: I, order: I::Order) -> Self {
        Self {
            inquiry,
            settled: false,
            listed: None,
            listing: Listing {
                order: (order, true),
                only: I::Only::default(),
                words: String::new(),
            },
            asked: Asked::default(),
            so_far: Arc::default(),
            reading: false,
            column: 0,
            cursor: 0,
            from_the_top: false,
            height: 20,
            width: 80,
        }
    }

    /// How many rows are listed.
    pub(crate) fn len(&self) -> usize {
        self.listed.as_ref().map_or(0, |listed| listed.rows.len())
    }

    pub(crate) fn found(&self) -> Option<&Found<I>> {
        self.listed.as_ref().map(|listed| &*listed.found)
    }

    /// The number of a row in what was found.
    pub(crate) fn number(&self, row: usize) -> Option<u32> {
        self.listed.as_ref()?.rows.get(row).copied()
    }

    pub(crate) fn row(&self, row: usize) -> Option<&<Found<I> as Findings>::Row> {
        Some(self.found()?.row(self.number(row)?))
    }

    /// The row under the cursor.
    pub(crate) fn chosen(&self) -> Option<&<Found<I> as Findings>::Row> {
        self.row(self.cursor)
    }

    /// The columns that fit.
    pub(crate) fn columns(&self) -> Vec<Column<Found<I>>> {
        self.found().map(|found| Column::fitting(found, self.width)).unwrap_or_default()
    }

    /// The rows that are in sight.
    pub(crate) fn in_sight(&self) -> Range<usize> {
        let from = Scroll::around(self.cursor, self.len(), self.height).from;
        from..(from + self.height).min(self.len())
    }

    /// What was counted is of something else.
    pub(crate) fn forget(&mut self) {
        (self.listed, self.asked, self.so_far) = (None, Asked::default(), Arc::default());
    }

    /// Whether it is to be asked now.
    pub(super) fn is_due(&mut self, snapshot: &Snapshot) -> bool {
        match I::OF_ALL {
            true => {
                snapshot.is_identified() && self.asked.is_due_of(snapshot, snapshot.order.len())
            }
            false => self.asked.is_due(snapshot),
        }
    }

    /// What is asked, to be answered elsewhere.
    pub(super) fn ask(&self) -> Ask<I> {
        Ask {
            inquiry: self.inquiry.clone(),
            settled: self.settled,
            listing: self.listing.clone(),
            so_far: Arc::clone(&self.so_far),
        }
    }

    /// The answer has come.
    pub(super) fn take(&mut self, inquiry: I, listed: Listed<I>) {
        self.asked.has_come();
        (self.inquiry, self.settled) = (inquiry, true);
        self.show(listed);
    }

    /// Shows rows, with the cursor on the one that it was on.
    pub(super) fn show(&mut self, listed: Listed<I>) {
        let found = &listed.found;
        let same = |number: &u32| {
            let row = self.chosen();
            row.is_some_and(|row| Found::<I>::is_same(row, found.row(*number)))
        };
        let place = if self.from_the_top { Some(0) } else { listed.rows.iter().position(same) };
        let last = listed.rows.len().saturating_sub(1);
        (self.cursor, self.from_the_top) = (place.unwrap_or(self.cursor).min(last), false);
        self.listed = Some(listed);
    }
}

/// A question on its way.
pub(super) struct Ask<I: Inquiry> {
    inquiry: I,
    settled: bool,
    pub(super) listing: Listing<I>,
    so_far: SoFar<I>,
}

impl<I: Inquiry> Ask<I> {
    /// Finds the answer. `None` when the pass was ended.
    pub(super) fn find(&mut self, reader: &Reader<'_>, pass: &Pass) -> Option<(I, Listed<I>)> {
        let snapshot = reader.snapshot;
        self.inquiry.settle(!self.settled, snapshot, pass)?;
        let mut so_far = self.so_far.lock().unwrap_or_else(PoisonError::into_inner);
        let so_far = so_far.get_or_insert_with(|| self.inquiry.begin());
        let found = Arc::new(self.inquiry.find(so_far, snapshot, pass)?);
        Some((self.inquiry.clone(), list(found, &self.listing, reader, pass)?))
    }
}

/// Lists rows. `None` when the pass was ended.
pub(super) fn list<I: Inquiry>(
    found: Arc<Found<I>>,
    listing: &Listing<I>,
    reader: &Reader<'_>,
    pass: &Pass,
) -> Option<Listed<I>> {
    let rows = listing.rows(&found, reader, pass)?;
    let summary = I::summary(&found, &rows);
    Some(Listed { found, rows, summary })
}

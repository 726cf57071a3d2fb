//! What the tally shows.

use std::sync::Arc;

use cribrum_core::{
    sieve::Sieve,
    tally::{Group, Order, Question, Tally},
    veil::Desk,
};

use crate::tui::widgets::Scroll;

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Table,
}

/// The groups in their order.
pub(super) struct Listed {
    pub(super) tally: Arc<Tally<Desk>>,
    /// The numbers of the groups that are shown, in their order.
    pub(super) rows: Vec<u32>,
}

/// The screen.
pub(super) struct TallyView {
    pub(super) question: Question,
    pub(super) listed: Option<Listed>,
    /// An answer is on its way.
    pub(super) asked: bool,
    /// What it is of: the sieve, and entries in the pan.
    pub(super) looked_at: Option<(Sieve, usize)>,
    pub(super) order: (Order, bool),
    /// The column under the cursor.
    pub(super) column: usize,
    pub(super) cursor: usize,
    /// The next list is shown from its first row on.
    pub(super) from_the_top: bool,
    /// Words that the groups shown have.
    pub(super) words: String,
    /// Rows that the table shows.
    pub(super) height: usize,
    pub(super) width: u16,
}

impl TallyView {
    pub(super) fn of(question: Question) -> Self {
        Self {
            question,
            listed: None,
            asked: false,
            looked_at: None,
            order: (Order::Count, true),
            column: 0,
            cursor: 0,
            from_the_top: false,
            words: String::new(),
            height: 20,
            width: 80,
        }
    }

    /// The group in a row of the list.
    pub(super) fn group(&self, row: usize) -> Option<&Group<Desk>> {
        let listed = self.listed.as_ref()?;
        listed.tally.groups.get(*listed.rows.get(row)? as usize)
    }

    /// All entries that belong to a group.
    pub(super) fn whole(&self) -> Option<&Group<Desk>> {
        self.listed.as_ref()?.tally.all.as_ref()
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

//! What the tally shows.

use std::sync::{Arc, Mutex};

use cribrum_core::{
    tally::{Group, Order, Question, SoFar, Tally},
    veil::Desk,
};

use crate::tui::table::{Asked, State};

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
    /// The question was made for it, or answered: it is not to be made again.
    pub(super) settled: bool,
    pub(super) listed: Option<Listed>,
    pub(super) asked: Asked,
    /// What has been counted of the question.
    pub(super) so_far: Arc<Mutex<Option<SoFar<Desk>>>>,
    pub(super) table: State<Order>,
    /// Entries that the groups shown have at least.
    pub(super) at_least: u64,
}

impl TallyView {
    pub(super) fn of(question: Question) -> Self {
        Self {
            question,
            settled: false,
            listed: None,
            asked: Asked::default(),
            so_far: Arc::default(),
            table: State::by(Order::Count),
            at_least: 1,
        }
    }

    /// The group in a row of the list.
    pub(super) fn group(&self, row: usize) -> Option<&Group<Desk>> {
        let listed = self.listed.as_ref()?;
        listed.tally.groups.get(*listed.rows.get(row)? as usize)
    }

    /// The group under the cursor.
    pub(super) fn chosen(&self) -> Option<&Group<Desk>> {
        self.group(self.table.cursor)
    }

    /// All entries that belong to a group.
    pub(super) fn whole(&self) -> Option<&Group<Desk>> {
        self.listed.as_ref()?.tally.all.as_ref()
    }

    /// What was counted is of something else.
    pub(super) fn forget(&mut self) {
        (self.listed, self.asked, self.so_far) = (None, Asked::default(), Arc::default());
    }
}

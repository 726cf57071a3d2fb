//! What the tally shows.

use cribrum_core::tally::{Order, Question};
use jiff::tz::TimeZone;

use crate::{results::AskGroups, tui::table::Measured};

/// What the keys act on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Region {
    Table,
}

/// The screen.
pub(super) struct TallyView {
    pub(super) table: Measured<AskGroups>,
}

impl TallyView {
    pub(super) fn of(question: Question, zone: TimeZone) -> Self {
        let inquiry = AskGroups { question, zone: Some(zone) };
        Self { table: Measured::new(inquiry, Order::Count) }
    }

    pub(super) fn question(&self) -> &Question {
        &self.table.inquiry.question
    }

    pub(super) fn question_mut(&mut self) -> &mut Question {
        &mut self.table.inquiry.question
    }
}

//! Where the columns of the list stand, and how wide they are.

use ratatui::layout::Rect;

use super::columns::{Column, Placed};
use crate::{
    present::cells,
    tui::{
        screens::desk::{layout::Areas, state::Desk},
        shared::Shared,
    },
};

/// The cells at which the columns of the list begin.
pub(super) struct Places {
    pub(super) gap: Option<u16>,
    /// Where each column begins and how wide it is, in the order of the columns; the message comes last.
    pub(super) columns: Vec<(u16, u16)>,
    pub(super) message: u16,
}

impl Places {
    pub(super) fn of(desk: &Desk, shared: &Shared, area: Rect) -> Self {
        let roomy = area.width >= 90;
        let space = if roomy { 2 } else { 1 };
        let mut x = if roomy { 24 } else { 14 };
        // The message keeps a third of the line.
        let most = area.width - area.width / 3;
        let mut columns = Vec::new();
        for placed in desk.columns.all() {
            let width = width_of(shared, placed, roomy);
            let fits = x + width < most || placed.column == Column::Message;
            let width = if fits { width } else { 0 };
            columns.push((x, width));
            x += width + if width > 0 { space } else { 0 };
        }
        let message = columns.last().map_or(x, |(x, _)| *x);
        Self { gap: roomy.then_some(14), columns, message }
    }
}

/// How wide a column is drawn.
fn width_of(shared: &Shared, placed: &Placed, roomy: bool) -> u16 {
    match (&placed.column, placed.width) {
        (Column::Level, _) => 7,
        (Column::Id, _) => {
            if roomy {
                5
            } else {
                6
            }
        }
        (Column::Message, _) => 0,
        (_, Some(width)) => width,
        (Column::Source, None) => {
            let widest = shared.snapshot.sources.iter().map(|s| cells(&s.label)).max().unwrap_or(4);
            u16::try_from(widest.clamp(4, if roomy { 18 } else { 9 })).unwrap_or(9)
        }
        (Column::Field(_), None) => 14,
    }
}

/// How wide the chosen column is drawn.
pub(in crate::tui::screens::desk) fn column_width(desk: &Desk, shared: &Shared) -> u16 {
    let roomy = Areas::of(desk, shared).entries.width >= 90;
    let columns = &desk.columns;
    let chosen = columns.all().iter().find(|placed| placed.column == *columns.chosen());
    chosen.map_or(0, |placed| width_of(shared, placed, roomy))
}

//! Where the columns of the list stand, and how wide they are.

use ratatui::layout::Rect;

use crate::{
    present::cells,
    tui::{
        columns::{Column, Placed},
        screens::desk::{layout::Areas, state::Desk},
        shared::Shared,
    },
};

/// The cells at which the columns of the list begin.
pub(super) struct Places {
    pub(super) gap: Option<u16>,
    /// Where each column begins and how wide it is, in the order of the columns; the message comes last. Columns that
    /// find no room have no width.
    pub(super) columns: Vec<(u16, u16)>,
    pub(super) message: u16,
    /// Columns out of sight to the left of those that are shown, and to the right.
    pub(super) hidden: (usize, usize),
}

impl Places {
    /// Places the columns; those to the left give way until the chosen one is in sight.
    pub(super) fn of(shared: &Shared, area: Rect) -> Self {
        let chosen = shared.columns.chosen_at();
        let message = shared.columns.all().len() - 1;
        let mut from = 0;
        loop {
            let places = Self::from(from, shared, area);
            let seen = chosen == message || places.columns[chosen].1 > 0;
            if seen || from >= chosen {
                return places;
            }
            from += 1;
        }
    }

    /// Places the columns from one on.
    fn from(from: usize, shared: &Shared, area: Rect) -> Self {
        let roomy = area.width >= 90;
        let space = if roomy { 2 } else { 1 };
        let start = if roomy { 24 } else { 14 };
        let mut x = start;
        // The message keeps a quarter of the line.
        let most = area.width.saturating_sub((area.width / 4).max(12));
        let mut columns = Vec::new();
        let (mut right, mut full) = (0, false);
        for (at, placed) in shared.columns.all().iter().enumerate() {
            let width = width_of(shared, placed, roomy);
            let is_message = placed.column == Column::Message;
            // The one that begins the row is shown however narrow the terminal is.
            let fits = !full && (x + width < most || x == start);
            full |= !fits;
            let shown = at >= from && (fits || is_message);
            right += usize::from(at >= from && !shown);
            let width = if shown { width } else { 0 };
            columns.push((x, width));
            x += width + if width > 0 { space } else { 0 };
        }
        let message = columns.last().map_or(x, |(x, _)| *x);
        let gap = roomy.then_some(14);
        Self { gap, columns, message, hidden: (from, right) }
    }
}

/// How wide a column is drawn.
fn width_of(shared: &Shared, placed: &Placed, roomy: bool) -> u16 {
    match (&placed.column, placed.width) {
        (Column::Level, _) => 7,
        (Column::Id, _) if roomy => 5,
        (Column::Id, _) => 6,
        (Column::Message, _) => 0,
        (_, Some(width)) => width,
        (Column::Source, None) => {
            let widest = shared.snapshot.sources.iter().map(|s| cells(&s.label)).max().unwrap_or(4);
            u16::try_from(widest.clamp(4, if roomy { 18 } else { 9 })).unwrap_or(9)
        }
        (Column::Field(path), None) => u16::try_from(cells(path).clamp(8, 14)).unwrap_or(14),
        (Column::Logger, None) => 14,
    }
}

/// How wide the chosen column is drawn.
pub(in crate::tui::screens::desk) fn column_width(desk: &Desk, shared: &Shared) -> u16 {
    let roomy = Areas::of(desk, shared).entries.width >= 90;
    let columns = &shared.columns;
    let chosen = columns.all().iter().find(|placed| placed.column == *columns.chosen());
    chosen.map_or(0, |placed| width_of(shared, placed, roomy))
}

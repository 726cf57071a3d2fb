//! An entry without the veil, and how it is drawn.

use cribrum_core::{EntryId, veil::Revealed};
use ratatui::{buffer::Buffer, layout::Rect};

use crate::{
    present::wrapped,
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{clear, put},
    },
};

/// The entry that is shown without the veil.
pub(super) struct Bare {
    pub(super) id: EntryId,
    pub(super) text: Revealed,
}

/// Draws the entry over the lower part of an area.
pub(super) fn draw(bare: &Bare, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let text = bare.text.for_terminal();
    let lines: Vec<String> = text
        .lines()
        .flat_map(|line| {
            wrapped(&line.replace('\t', "    "), usize::from(area.width.saturating_sub(4)).max(8))
        })
        .collect();
    let wanted = u16::try_from(lines.len()).unwrap_or(u16::MAX).saturating_add(2);
    let height = wanted.min(area.height / 2).max(2);
    let area = Rect { y: area.bottom() - height, height, ..area };
    clear(theme, area, buffer);
    let band = Rect { height: 1, ..area };
    buffer.set_style(band, theme.style(Role::Band));
    let title = "as it is written, without the veil, for ten seconds · Esc takes it away";
    put(buffer, area.x + 2, area.y, area.width.saturating_sub(3), title, theme.style(Role::Wrong));
    for (line, y) in lines.iter().zip(area.y + 1..area.bottom()) {
        put(buffer, area.x + 2, y, area.width.saturating_sub(3), line, theme.style(Role::Text));
    }
}

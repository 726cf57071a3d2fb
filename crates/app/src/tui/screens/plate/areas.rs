//! Where a chart stands in its screen.

use ratatui::layout::Rect;

/// Where the marks stand in the screen.
pub(super) fn plot_area(area: Rect) -> Rect {
    Rect {
        x: area.x + 12,
        y: area.y + 5,
        width: area.width.saturating_sub(16),
        height: area.height.saturating_sub(10),
    }
}

/// Where bars lie that go to the right.
pub(super) fn bars_area(area: Rect) -> Rect {
    Rect {
        x: area.x + 3,
        y: area.y + 4,
        width: area.width.saturating_sub(6),
        height: area.height.saturating_sub(5),
    }
}

//! Where the tree and the text of the inspector are.

use ratatui::layout::Rect;

use super::state::Inspector;

/// The regions of the inspector.
#[derive(Clone, Copy, Debug, Default)]
pub(in crate::tui::screens::desk) struct Panes {
    pub(in crate::tui::screens::desk) tree: Rect,
    /// Of no size where there is nothing to read.
    pub(in crate::tui::screens::desk) text: Rect,
    /// The text stands under the tree, not beside it.
    pub(in crate::tui::screens::desk) stacked: bool,
}

impl Panes {
    pub(in crate::tui::screens::desk) fn of(inspector: &Inspector, area: Rect) -> Self {
        let none = Rect::default();
        if inspector.raw {
            let text =
                Rect { x: area.x + 2, y: area.y + 1, width: area.width.saturating_sub(3), ..area };
            let text = Rect { height: area.height.saturating_sub(1), ..text };
            return Self { tree: none, text, stacked: false };
        }
        if !inspector.has_text() && area.width < 100 {
            return Self { tree: area, text: none, stacked: false };
        }
        // High and narrow: beside the rows.
        if area.height > 24 && area.width < 120 {
            let rows = u16::try_from(inspector.rows().len()).unwrap_or(u16::MAX).saturating_add(4);
            let tree = rows.min(area.height / 2);
            let below = area.height.saturating_sub(tree + 1);
            return Self {
                tree: Rect { height: tree, ..area },
                text: Rect {
                    x: area.x + 2,
                    y: area.y + tree + 1,
                    width: area.width.saturating_sub(3),
                    height: below,
                },
                stacked: true,
            };
        }
        let left = if area.width < 100 { area.width / 2 } else { (area.width * 3 / 8).max(44) };
        let x = area.x + left + 2;
        Self {
            tree: Rect { width: left, ..area },
            text: Rect { x, width: area.right().saturating_sub(x + 1), ..area },
            stacked: false,
        }
    }
}

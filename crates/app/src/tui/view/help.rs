//! All keys, made from the table that the keys themselves come from.

use ratatui::{buffer::Buffer, layout::Rect};

use super::{frame, put, put_right};
use crate::tui::{keymap::BINDINGS, state::App, theme::Role};

/// Lines at the end that say what the signs mean.
const SIGNS: [(&str, &str); 4] = [
    ("▁ ▂ ▃ ▅ ▇ █", "trace, debug, info, warn, error, fatal: severity is a height"),
    ("▌d86f", "the end of the request id, in a colour of its own"),
    ("«card·4e1b»", "a hidden secret; the same one has the same sign"),
    ("1 … 9", "a mesh off, and on again"),
];

pub(super) fn draw(app: &App, from: usize, area: Rect, buffer: &mut Buffer) {
    let theme = &app.theme;
    frame::heading(app, "keys", "what every key does", area, buffer);
    let rows = usize::from(area.height.saturating_sub(4));
    let mut lines: Vec<(&str, &str)> =
        BINDINGS.iter().map(|binding| (binding.shown, binding.help)).collect();
    lines.dedup();
    lines.push(("", ""));
    lines.extend(SIGNS);
    let columns = if area.width >= 120 { 2 } else { 1 };
    let per_column = lines.len().div_ceil(usize::from(columns));
    let width = area.width / columns;
    let from = from.min(per_column.saturating_sub(rows));
    let below = per_column.saturating_sub(from + rows);
    if below > 0 || from > 0 {
        let text = match (from, below) {
            (0, _) => format!("↓ {below} more"),
            (_, 0) => format!("↑ {from} more"),
            _ => format!("↑ {from} more   ↓ {below} more"),
        };
        put(buffer, 19, area.bottom().saturating_sub(2), 40, &text, theme.style(Role::Dim));
    }
    for column in 0..columns {
        let start = usize::from(column) * per_column;
        let mine = lines.iter().take((start + per_column).min(lines.len())).skip(start + from);
        for (at, (keys, help)) in mine.take(rows).enumerate() {
            let y = area.y + 2 + u16::try_from(at).unwrap_or(0);
            let x = column * width;
            put_right(buffer, x + 16, y, 14, keys, theme.style(Role::Accent));
            put(buffer, x + 19, y, width.saturating_sub(20), help, theme.style(Role::Text));
        }
    }
}

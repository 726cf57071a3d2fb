//! What stands around a screen: its heading, rules between regions, a cleared ground.

use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use super::text::{put, put_right};
use crate::tui::{
    shared::Shared,
    theme::{Role, Theme},
};

/// The style of a text on the band of the masthead and the footer.
pub(crate) fn masthead_style(theme: &Theme, role: Role) -> Style {
    match theme.style(Role::Band).bg {
        Some(ground) => theme.style(role).bg(ground),
        None => theme.style(role),
    }
}

/// The heading of a screen: its name, what it is about, and the zone of its times.
pub(crate) fn heading(shared: &Shared, name: &str, detail: &str, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let band = theme.style(Role::Band);
    buffer.set_style(Rect { height: 1, ..area }, band);
    let mut x = area.x + 1;
    x += put(buffer, x, area.y, 10, "cribrum", masthead_style(theme, Role::Accent)) + 2;
    x += put(buffer, x, area.y, 20, name, masthead_style(theme, Role::Text)) + 2;
    put(buffer, x, area.y, area.width.saturating_sub(x + 20), detail, band);
    let zone = format!("times in {}  ", shared.clock.name());
    put_right(buffer, area.right(), area.y, 30, &zone, band);
}

/// A line across, with a joint where another line meets it.
pub(crate) fn rule(theme: &Theme, area: Rect, joint: Option<(u16, &str)>, buffer: &mut Buffer) {
    if area.height == 0 {
        return;
    }
    let style = theme.style(Role::Rule);
    for x in area.x..area.right() {
        put(buffer, x, area.y, 1, theme.glyphs.across, style);
    }
    if let Some((x, sign)) = joint
        && theme.is_unicode()
    {
        put(buffer, x, area.y, 1, sign, style);
    }
}

/// Takes away what stands in an area.
pub(crate) fn clear(theme: &Theme, area: Rect, buffer: &mut Buffer) {
    let area = area.intersection(buffer.area);
    for y in area.y..area.bottom() {
        for x in area.x..area.right() {
            if let Some(cell) = buffer.cell_mut((x, y)) {
                cell.reset();
            }
        }
    }
    buffer.set_style(area, theme.style(Role::Ground));
}

/// Puts an ASCII sign in the place of all others, for a terminal that shows no others. What is wider than a cell becomes
/// a question mark and spaces.
pub(crate) fn ascii(buffer: &mut Buffer) {
    for cell in &mut buffer.content {
        if cell.symbol().is_ascii() {
            continue;
        }
        let sign = match cell.symbol() {
            "…" | "·" | "•" => ".",
            "−" | "–" | "—" | "─" => "-",
            "\u{2009}" | "\u{a0}" | "\u{202f}" => " ",
            "«" => "<",
            "»" => ">",
            "⏎" => "E",
            "↑" => "^",
            "↓" => "v",
            "←" => "<",
            "→" => ">",
            "≥" => ">",
            "±" => "+",
            "│" => "|",
            _ => "?",
        };
        cell.set_symbol(sign);
    }
}

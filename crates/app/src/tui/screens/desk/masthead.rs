//! The line on top of the desk.

use ratatui::{buffer::Buffer, layout::Rect};

use super::{order::Order, state::Desk};
use crate::{
    present::{cells, count_text, counted},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{masthead_style, put, put_right},
    },
};

/// The line on top: what is poured in, how far it is read, what is hidden, which day and zone.
pub(super) fn draw(desk: &Desk, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let band = theme.style(Role::Band);
    buffer.set_style(area, band);
    let text = |role| masthead_style(theme, role);
    let mut x = area.x + 1;
    x += put(buffer, x, area.y, 10, "cribrum", text(Role::Accent)) + 2;
    x += put(buffer, x, area.y, area.width / 4, &shared.title, text(Role::Text)) + 1;
    let sources = shared.snapshot.sources.len();
    let label = counted(sources, "source");
    x += put(buffer, x, area.y, 14, &label, band);
    let wide = area.width >= 110;
    if !shared.settings.beside.is_empty() {
        // Whoever wrote it decides how these logs are read.
        let name = if wide { " + cribrum.toml" } else { " + toml" };
        x += put(buffer, x, area.y, 15, name, text(Role::Slow));
    }
    x += 3;
    let state = if wide { x.max(area.width * 3 / 8) } else { x };
    let progress = shared.snapshot.progress;
    let ordering = desk.order.as_ref().and_then(Order::percent);
    let ordering = ordering.map(|percent| format!("ordering {percent} %"));
    let (status, role) = match (progress.read, desk.list.follow) {
        ((read, size), _) if read < size => {
            let percent = read * 100 / size.max(1);
            (format!("reading {percent} %"), Role::Slow)
        }
        _ if progress.sifted.0 < progress.sifted.1 => {
            let percent = progress.sifted.0 * 100 / progress.sifted.1.max(1);
            (format!("sifting {percent} %"), Role::Slow)
        }
        _ if shared.unseen() > 0 => (
            format!("{} {} came · W", shared.theme.glyphs.mark, count_text(shared.unseen())),
            Role::Slow,
        ),
        _ if ordering.is_some() => (ordering.unwrap_or_default(), Role::Slow),
        _ if desk.order.is_some() => {
            let told = desk.order.as_ref().map(|order| order.told(shared)).unwrap_or_default();
            (format!("by {told}"), Role::Accent)
        }
        (_, true) => ("● following".to_owned(), Role::Accent),
        _ => (String::new(), Role::Dim),
    };
    let end = state + put(buffer, state, area.y, 30, &status, text(role)) + 3;
    let hidden: usize = shared.rows.values().flatten().map(|shown| shown.hidden).sum();
    let weakened = shared.snapshot.veil().policy().weakened();
    let veil = match (weakened.as_slice(), hidden) {
        ([], 0) => "veil on".to_owned(),
        ([], _) => format!("veil on · {} hidden here", count_text(hidden)),
        ([one], _) => format!("veil weakened: {}", one.name()),
        ([one, others @ ..], _) => {
            format!("veil weakened: {} + {}", one.name(), others.len())
        }
    };
    let role = if weakened.is_empty() { Role::Dim } else { Role::Wrong };
    let place = if wide { end.max(area.width * 17 / 32) } else { end };
    let veil_end = place + u16::try_from(cells(&veil)).unwrap_or(0);
    let zone = &shared.clock.name();
    let time = desk.list.selected.and_then(|id| shared.snapshot.time(id));
    let day = time.map(|time| shared.clock.format(time, "%a %d %b %Y"));
    let right = match (&day, wide) {
        (Some(day), true) => format!("{day}  times in {zone}  "),
        (Some(day), false) if area.width >= 90 => format!("{day} {zone} "),
        (None, true) => format!("times in {zone}  "),
        _ => format!("{zone} "),
    };
    let room = area.right().saturating_sub(u16::try_from(cells(&right)).unwrap_or(0));
    if veil_end + 1 < room {
        put(buffer, place, area.y, 40, &veil, text(role));
    }
    put_right(buffer, area.right(), area.y, area.width / 2, &right, band);
}

//! The strip: kept sieves under the masthead, each with its live count and its gravest level.

use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use crate::{
    present::{cells, count_text},
    tui::{shared::Shared, theme::Role, widgets::put},
};

pub(super) fn draw(shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let strip = shared.strip.as_deref().unwrap_or_default();
    let mut x = area.x + 1;
    for (at, pinned) in strip.iter().enumerate() {
        let name = shared.own_text(&pinned.kept.name);
        let view = shared.snapshot.beside.iter().find(|view| view.sieve == pinned.sieve);
        let count = match view {
            Some(view) if view.done => count_text(view.left),
            _ => "…".to_owned(),
        };
        let grown =
            view.map_or(0, |view| view.left.saturating_sub(pinned.seen.unwrap_or(view.left)));
        let grown = if grown > 0 { format!("+{}", count_text(grown)) } else { String::new() };
        let key = format!("F{}", at + 1);
        let wide = [&key, &name, &count, &grown].iter().map(|text| cells(text) + 1).sum::<usize>();
        let left = strip.len() - at;
        let room = usize::from(area.right().saturating_sub(x));
        // What comes after it is told where there is no room for it.
        if wide + 3 + if left > 1 { 8 } else { 0 } > room {
            put(buffer, x, area.y, 12, &format!("{left} more · S"), theme.style(Role::Dim));
            return;
        }
        let used = pinned.sieve == *shared.sieve();
        let weight = if used { Modifier::BOLD | Modifier::UNDERLINED } else { Modifier::empty() };
        x += put(buffer, x, area.y, 4, &key, theme.style(Role::Accent)) + 1;
        let role = if used { Role::Text } else { Role::Dim };
        let style = theme.style(role).add_modifier(weight);
        x += put(buffer, x, area.y, 40, &name, style) + 1;
        let worst = view.and_then(|view| view.worst);
        if let Some(level) = worst {
            let style = theme.level(worst).remove_modifier(Modifier::BOLD);
            x += put(buffer, x, area.y, 1, theme.glyphs.severity[level.index()], style) + 1;
        }
        x += put(buffer, x, area.y, 12, &count, theme.style(Role::Text)) + 1;
        x += put(buffer, x, area.y, 12, &grown, theme.style(Role::Slow)) + 2;
    }
}

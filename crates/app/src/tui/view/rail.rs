//! The rail: the time axis beside the entries, as overview, histogram and scroll bar in one.

use cribrum_core::{entry::civil, tally::Volume};
use ratatui::{buffer::Buffer, layout::Rect};

use super::{put, put_right};
use crate::tui::{
    state::{App, Line},
    theme::Role,
};

const DAY: i64 = 86_400_000_000_000;

fn slices(app: &App, area: Rect) -> Volume {
    app.snapshot.volume.coarser(usize::from(area.height).max(1))
}

/// The time at which the slice in a row of the screen begins.
pub(crate) fn rail_time(app: &App, area: Rect, row: u16) -> Option<i64> {
    let volume = slices(app, area);
    let at = usize::from(row.checked_sub(area.y)?);
    (at < volume.slices.len()).then(|| volume.start + volume.width * i64::try_from(at).unwrap_or(0))
}

pub(super) fn draw(app: &App, area: Rect, buffer: &mut Buffer) {
    let volume = slices(app, area);
    if volume.total() == 0 {
        return;
    }
    let theme = &app.theme;
    let narrow = area.width < 16;
    let label_width = if narrow { 6 } else { 10 };
    let bars = area.width.saturating_sub(label_width + 2);
    let peak = u64::from(volume.peak().max(1));
    let visible = visible_span(app);
    let window = app
        .snapshot
        .sieve
        .meshes
        .iter()
        .filter(|m| m.on)
        .find_map(|m| m.window());
    let every = (usize::from(area.height) / 10).clamp(1, 4);
    for (at, slice) in volume
        .slices
        .iter()
        .enumerate()
        .take(usize::from(area.height))
    {
        let y = area.y + u16::try_from(at).unwrap_or(0);
        let from = volume.start + volume.width * i64::try_from(at).unwrap_or(0);
        let to = from + volume.width;
        let inside = window.is_none_or(|(first, last)| {
            first.is_none_or(|first| first < to) && last.is_none_or(|last| last >= from)
        });
        if at.is_multiple_of(every) {
            let role = if inside { Role::Dim } else { Role::Faint };
            put(
                buffer,
                area.x + 1,
                y,
                label_width - 1,
                &label(app, from, &volume, narrow),
                theme.style(role),
            );
        }
        if window.is_some() && inside {
            put(
                buffer,
                area.x + label_width - 1,
                y,
                1,
                theme.glyphs.down,
                theme.style(Role::Accent),
            );
        }
        let eighths = u64::from(bars) * 8 * u64::from(slice.total()) / peak;
        let eighths = eighths.max(u64::from(slice.total() > 0));
        let style = if inside {
            theme.level(slice.worst())
        } else {
            theme.style(Role::Rule)
        };
        let style = style.remove_modifier(ratatui::style::Modifier::BOLD);
        bar(app, area.x + label_width, y, eighths, style, buffer);
        if let Some((first, last)) = visible
            && first < to
            && last >= from
        {
            put_right(
                buffer,
                area.right(),
                y,
                1,
                theme.glyphs.bracket,
                theme.style(Role::Accent),
            );
        }
    }
}

fn bar(app: &App, x: u16, y: u16, eighths: u64, style: ratatui::style::Style, buffer: &mut Buffer) {
    let glyphs = app.theme.glyphs.rail;
    let whole = u16::try_from(eighths / 8).unwrap_or(0);
    for cell in 0..whole {
        put(buffer, x + cell, y, 1, glyphs[7], style);
    }
    if let rest @ 1.. = eighths % 8 {
        let rest = usize::try_from(rest - 1).unwrap_or(0);
        put(buffer, x + whole, y, 1, glyphs[rest], style);
    }
}

fn label(app: &App, time: i64, volume: &Volume, narrow: bool) -> String {
    let moment = civil(time, &app.zone);
    let long = volume.end() - volume.start > DAY;
    let form = match (long, volume.width < 60_000_000_000, narrow) {
        (true, ..) if volume.width >= DAY => "%d %b",
        (true, ..) => "%a %H",
        (_, true, true) => "%M:%S",
        (_, true, false) => "%H:%M:%S",
        _ => "%H:%M",
    };
    let text = moment.strftime(form).to_string();
    text.chars()
        .take(if narrow { 5 } else { 8 })
        .collect::<String>()
}

/// From when to when the entries on the screen are.
fn visible_span(app: &App) -> Option<(i64, i64)> {
    let mut times = app.desk.lines.iter().filter_map(|line| match line {
        Line::Entry { id, .. } => app.snapshot.time(*id),
        _ => None,
    });
    let first = times.next()?;
    Some((first, times.last().unwrap_or(first)))
}

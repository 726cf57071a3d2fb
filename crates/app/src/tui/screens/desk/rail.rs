//! The rail: the time axis beside the entries, as overview, histogram and scroll bar in one.

use cribrum_core::{
    entry::Level,
    volume::{Slice, Volume},
};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::{
    entries::line::Line,
    layout::Areas,
    state::{Desk, Focus},
};
use crate::tui::{
    shared::Shared,
    theme::Role,
    widgets::{put, put_right},
};

const DAY: i64 = 86_400_000_000_000;

impl Desk {
    /// The volume as the rail shows it: a slice a row.
    pub(super) fn rail_volume(&self, shared: &Shared) -> Volume {
        slices(shared, Areas::of(self, shared).rail)
    }
}

fn slices(shared: &Shared, area: Rect) -> Volume {
    shared.snapshot.volume.coarser(usize::from(area.height).max(1))
}

/// The time at which the slice in a row of the screen begins.
pub(super) fn time_at(shared: &Shared, area: Rect, row: u16) -> Option<i64> {
    let volume = slices(shared, area);
    let at = usize::from(row.checked_sub(area.y)?);
    (at < volume.slices.len()).then(|| volume.start + volume.width * i64::try_from(at).unwrap_or(0))
}

pub(super) fn draw(desk: &Desk, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let volume = slices(shared, area);
    if volume.total() == 0 {
        return;
    }
    let theme = &shared.theme;
    let narrow = area.width < 16;
    let label_width = if narrow { 6 } else { 10 };
    let bars = area.width.saturating_sub(label_width + 3);
    let peak = u64::from(volume.peak().max(1));
    let visible = visible_span(desk, shared);
    // A window that is being drawn is shown in the place of the one there is.
    let rail = &desk.rail;
    let focused = desk.focus == Focus::Rail;
    let drawn =
        rail.from.zip(rail.cursor).map(|(from, to)| (Some(from.min(to)), Some(from.max(to))));
    let window = drawn.or_else(|| shared.sieve().window());
    let cursor =
        rail.cursor.or_else(|| shared.snapshot.time(desk.list.selected?)).filter(|_| focused);
    let most_ticks = (usize::from(area.height) / 4).max(2);
    let ticks = Volume::over(volume.start, volume.end() - 1, most_ticks).width;
    for (at, slice) in volume.slices.iter().enumerate().take(usize::from(area.height)) {
        let y = area.y + u16::try_from(at).unwrap_or(0);
        let from = volume.start + volume.width * i64::try_from(at).unwrap_or(0);
        let to = from + volume.width;
        let inside = window.is_none_or(|(first, last)| {
            first.is_none_or(|first| first < to) && last.is_none_or(|last| last >= from)
        });
        if cursor.is_some_and(|cursor| (from..to).contains(&cursor)) {
            let line = Rect::new(area.x, y, area.width, 1);
            buffer.set_style(line, theme.style(Role::Selection));
            put(buffer, area.x, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        // The first slice that reaches a round time carries it.
        let tick = (to - 1).div_euclid(ticks) * ticks;
        if tick >= from {
            let role = if inside { Role::Dim } else { Role::Faint };
            let text = label(shared, tick, &volume, narrow);
            put(buffer, area.x + 1, y, label_width - 1, &text, theme.style(role));
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
        bar(shared, slice, (area.x + label_width, y), (bars, peak), inside, buffer);
        let marked = shared.marks.iter().any(|mark| (from..to).contains(&mark.time));
        if marked {
            let x = area.right().saturating_sub(2);
            put(buffer, x, y, 1, theme.glyphs.mark, theme.style(Role::Slow));
        }
        if let Some((first, last)) = visible
            && first < to
            && last >= from
        {
            put_right(buffer, area.right(), y, 1, theme.glyphs.bracket, theme.style(Role::Accent));
        }
    }
}

/// A bar as long as the slice has entries, its beginning coloured by the gravest levels in it: one error
/// among thousands is seen, and many are seen as many.
fn bar(
    shared: &Shared,
    slice: &Slice,
    (x, y): (u16, u16),
    (room, peak): (u16, u64),
    inside: bool,
    buffer: &mut Buffer,
) {
    let glyphs = shared.theme.glyphs.rail;
    let eighths = |count: u64| u64::from(room) * 8 * count / peak;
    let length = eighths(u64::from(slice.total())).max(u64::from(slice.total() > 0));
    let cells = u16::try_from(length.div_ceil(8)).unwrap_or(room);
    let last = usize::try_from((length + 7) % 8).unwrap_or(7);
    let mut grave: Vec<(Level, u16)> = [Level::Fatal, Level::Error, Level::Warn]
        .into_iter()
        .filter(|level| slice.levels[level.index()] > 0)
        .map(|level| {
            let count = u64::from(slice.levels[level.index()]);
            (level, u16::try_from(eighths(count).div_ceil(8)).unwrap_or(room).max(1))
        })
        .collect();
    let calm = slice.worst().filter(|worst| *worst < Level::Warn).unwrap_or(Level::Info);
    for cell in 0..cells {
        let level = grave.iter_mut().find(|(_, left)| *left > 0).map(|(level, left)| {
            *left -= 1;
            *level
        });
        let style = match inside {
            false => shared.theme.style(Role::Faint),
            true => shared.theme.level(Some(level.unwrap_or(calm))),
        };
        let sign = if cell + 1 == cells { glyphs[last] } else { glyphs[7] };
        put(buffer, x + cell, y, 1, sign, style.remove_modifier(Modifier::BOLD));
    }
}

fn label(shared: &Shared, time: i64, volume: &Volume, narrow: bool) -> String {
    let long = volume.end() - volume.start > DAY;
    let form = match (long, volume.width < 60_000_000_000, narrow) {
        (true, ..) if volume.width >= DAY => "%d %b",
        (true, ..) => "%a %H",
        (_, true, true) => "%M:%S",
        (_, true, false) => "%H:%M:%S",
        _ => "%H:%M",
    };
    let text = shared.clock.format(time, form);
    text.chars().take(if narrow { 5 } else { 8 }).collect::<String>()
}

/// From when to when the entries on the screen are.
fn visible_span(desk: &Desk, shared: &Shared) -> Option<(i64, i64)> {
    let mut times = desk.list.lines.iter().filter_map(|line| match line {
        Line::Entry { id, .. } => shared.snapshot.time(*id),
        _ => None,
    });
    let first = times.next()?;
    Some(times.fold((first, first), |(least, most), time| (least.min(time), most.max(time))))
}

//! A plate before it is saved: entries over time, by level.

use cribrum_core::{
    entry::Level,
    volume::{Slice, Volume},
};
use cribrum_draw::VolumePlate;
use ratatui::{buffer::Buffer, layout::Rect};

use crate::{
    present::{cells, count_text, span_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{Part, heading, put, put_right, round_ticks, stack},
    },
};

/// Where the chart stands in the screen.
fn chart_area(area: Rect) -> Rect {
    Rect {
        x: area.x + 12,
        y: area.y + 4,
        width: area.width.saturating_sub(16),
        height: area.height.saturating_sub(9),
    }
}

/// The volume with as many slices as there are cells.
pub(super) fn volume_in(plate: &VolumePlate, area: Rect) -> Volume {
    plate.volume().coarser(usize::from(chart_area(area).width).max(1))
}

pub(super) fn draw(
    plate: Option<&VolumePlate>,
    cursor: Option<usize>,
    shared: &Shared,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    heading(shared, "plate", "entries over time, by level", area, buffer);
    let Some(plate) = plate else {
        let counting = "counting what is left …";
        put(buffer, area.x + 2, area.y + 2, area.width - 4, counting, theme.style(Role::Dim));
        return;
    };
    let chart = chart_area(area);
    let volume = volume_in(plate, area);
    let chosen = cursor.and_then(|at| Some((at, volume.slices.get(at)?)));
    match chosen {
        Some((at, slice)) => figures(shared, &volume, at, slice, area, buffer),
        None => {
            let text = format!(
                "{} entries · a column is {} · ← → read one",
                count_text(usize::try_from(volume.total()).unwrap_or(usize::MAX)),
                span_text(volume.width)
            );
            put(buffer, area.x + 2, area.y + 2, area.width - 4, &text, theme.style(Role::Dim));
        }
    }
    let ticks = round_ticks(u64::from(volume.peak()), u64::from(chart.height / 4).clamp(2, 6));
    let top = ticks.last().copied().unwrap_or(1);
    for value in ticks {
        let row = u64::from(chart.height) * value / top;
        let y = chart.bottom() - u16::try_from(row).unwrap_or(0);
        let figure = count_text(usize::try_from(value).unwrap_or(usize::MAX));
        put_right(buffer, chart.x - 1, y, 11, &figure, theme.style(Role::Faint));
        if value > 0 {
            for x in (chart.x..chart.right()).step_by(2) {
                put(buffer, x, y, 1, theme.glyphs.dot, theme.style(Role::Rule));
            }
        }
    }
    for x in chart.x..chart.right() {
        put(buffer, x, chart.bottom(), 1, theme.glyphs.across, theme.style(Role::Rule));
    }
    columns(shared, &volume, top, chosen.map(|(at, _)| at), chart, buffer);
    legend(shared, &volume.slices, Rect { y: chart.bottom() + 3, ..area }, buffer);
}

/// All columns, with the round times under them.
fn columns(
    shared: &Shared,
    volume: &Volume,
    top: u64,
    chosen: Option<usize>,
    chart: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let columns = volume.slices.len().max(1);
    let x =
        |at: usize| chart.x + u16::try_from(usize::from(chart.width) * at / columns).unwrap_or(0);
    let ticks = Volume::over(volume.start, volume.end() - 1, usize::from(chart.width) / 12).width;
    for (at, slice) in volume.slices.iter().enumerate() {
        let (from, to) = (x(at), x(at + 1));
        let width = if to - from >= 4 { to - from - 1 } else { to - from };
        let bar = Rect { x: from, width, ..chart };
        if chosen == Some(at) {
            buffer.set_style(bar, theme.style(Role::Selection));
            put(buffer, from, chart.bottom(), 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        let parts = counts(slice).map(|(level, count)| Part {
            count: u64::from(count),
            style: theme.level(level),
            fill: theme.glyphs.fills[level.map_or(0, |level| level.index() + 1)],
        });
        stack(&parts, top, bar, theme.is_unicode(), buffer);
        let time = volume.start + volume.width * i64::try_from(at).unwrap_or(0);
        // The first column that reaches a round time carries it.
        let tick = (time + volume.width - 1).div_euclid(ticks) * ticks;
        if tick >= time {
            let label = shared.clock.format(tick, form(volume));
            let room = chart.right().saturating_sub(from);
            if cells(&label) <= usize::from(room) {
                put(buffer, from, chart.bottom() + 1, room, &label, theme.style(Role::Dim));
            }
        }
    }
}

/// What the column under the cursor counts.
fn figures(
    shared: &Shared,
    volume: &Volume,
    at: usize,
    slice: &Slice,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let from = volume.start + volume.width * i64::try_from(at).unwrap_or(0);
    let form = if form(volume) == "%H:%M" { "%H:%M:%S" } else { form(volume) };
    let (one, other) =
        (shared.clock.format(from, form), shared.clock.format(from + volume.width, form));
    let total = usize::try_from(slice.total()).unwrap_or(usize::MAX);
    let text = format!("{one} … {other}   {} entries", count_text(total));
    let mut x = area.x + 2;
    x += put(buffer, x, area.y + 2, area.width - 4, &text, theme.style(Role::Text)) + 3;
    for (level, count) in counts(slice).into_iter().rev().filter(|(_, count)| *count > 0) {
        let name = level.map_or("no level", Level::name);
        let text = format!("{} {name}", count_text(usize::try_from(count).unwrap_or(usize::MAX)));
        let room = area.right().saturating_sub(x + 1);
        x += put(buffer, x, area.y + 2, room, &text, theme.level(level)) + 3;
    }
}

fn form(volume: &Volume) -> &'static str {
    const MINUTE: i64 = 60_000_000_000;
    match (volume.end() - volume.start, volume.width) {
        (span, _) if span > 1_440 * MINUTE => "%d %b %H:%M",
        (_, width) if width < MINUTE => "%H:%M:%S",
        _ => "%H:%M",
    }
}

/// The counts from no level and trace at the foot to fatal on top.
fn counts(slice: &Slice) -> [(Option<Level>, u32); 7] {
    let mut all = [(None, slice.none); 7];
    for level in Level::ALL {
        all[level.index() + 1] = (Some(level), slice.levels[level.index()]);
    }
    all
}

fn legend(shared: &Shared, slices: &[Slice], area: Rect, buffer: &mut Buffer) {
    let mut x = area.x + 12;
    for at in 0..7 {
        let sum: u64 = slices.iter().map(|slice| u64::from(counts(slice)[at].1)).sum();
        if sum == 0 {
            continue;
        }
        let level = counts(&slices[0])[at].0;
        let glyph = level.map_or(" ", |level| shared.theme.glyphs.severity[level.index()]);
        let name = level.map_or("no level", Level::name);
        let style = shared.theme.level(level);
        x += put(buffer, x, area.y, 2, glyph, style) + 1;
        let text = format!("{name} {}", count_text(usize::try_from(sum).unwrap_or(usize::MAX)));
        x += put(buffer, x, area.y, area.right().saturating_sub(x), &text, style) + 4;
    }
}

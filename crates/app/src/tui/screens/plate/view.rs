//! A plate before it is saved: entries over time, by level.

use cribrum_core::{
    entry::Level,
    tally::{Slice, Volume},
};
use cribrum_draw::VolumePlate;
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use crate::{
    present::{cells, count_text, span_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{heading, put, put_right},
    },
};

pub(super) fn draw(plate: Option<&VolumePlate>, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    heading(shared, "plate", "entries over time, by level", area, buffer);
    let chart = Rect {
        x: area.x + 12,
        y: area.y + 4,
        width: area.width.saturating_sub(16),
        height: area.height.saturating_sub(9),
    };
    let Some(plate) = plate else {
        let counting = "counting what is left …";
        put(buffer, area.x + 2, area.y + 2, area.width - 4, counting, theme.style(Role::Dim));
        return;
    };
    let volume = plate.volume().coarser(usize::from(chart.width));
    let peak = volume.peak().max(1);
    let text = format!(
        "{} entries · a column is {}",
        count_text(usize::try_from(volume.total()).unwrap_or(usize::MAX)),
        span_text(volume.width)
    );
    put(buffer, area.x + 2, area.y + 2, area.width - 4, &text, theme.style(Role::Dim));
    for (at, y) in [(0, chart.bottom()), (2, chart.y + chart.height / 2), (4, chart.y)] {
        let value = u64::from(peak) * at / 4;
        let figure = count_text(usize::try_from(value).unwrap_or(0));
        put_right(buffer, chart.x - 1, y, 11, &figure, theme.style(Role::Faint));
        if at > 0 {
            for x in (chart.x..chart.right()).step_by(2) {
                put(buffer, x, y, 1, theme.glyphs.dot, theme.style(Role::Rule));
            }
        }
    }
    for x in chart.x..chart.right() {
        put(buffer, x, chart.bottom(), 1, theme.glyphs.across, theme.style(Role::Rule));
    }
    let columns = volume.slices.len().max(1);
    let x =
        |at: usize| chart.x + u16::try_from(usize::from(chart.width) * at / columns).unwrap_or(0);
    let ticks = Volume::over(volume.start, volume.end() - 1, usize::from(chart.width) / 12).width;
    for (at, slice) in volume.slices.iter().enumerate() {
        let (from, to) = (x(at), x(at + 1));
        let width = if to - from >= 4 { to - from - 1 } else { to - from };
        column(shared, slice, peak, Rect { x: from, width, ..chart }, buffer);
        let time = volume.start + volume.width * i64::try_from(at).unwrap_or(0);
        // The first column that reaches a round time carries it.
        let tick = (time + volume.width - 1).div_euclid(ticks) * ticks;
        if tick >= time {
            let label = shared.clock.format(tick, form(&volume));
            let room = chart.right().saturating_sub(from);
            if cells(&label) <= usize::from(room) {
                put(buffer, from, chart.bottom() + 1, room, &label, theme.style(Role::Dim));
            }
        }
    }
    legend(shared, &volume.slices, Rect { y: chart.bottom() + 3, ..area }, buffer);
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

fn column(shared: &Shared, slice: &Slice, peak: u32, area: Rect, buffer: &mut Buffer) {
    let height = u64::from(area.height);
    let mut below = 0u64;
    let mut drawn = 0u64;
    for (level, count) in counts(slice) {
        below += u64::from(count);
        let top = (below * height).div_ceil(u64::from(peak)).min(height);
        let style = shared.theme.level(level);
        // Whatever occurs is seen, if only as one cell.
        let top = if count > 0 { top.max((drawn + 1).min(height)) } else { top.min(drawn) };
        let glyph = level.map_or(shared.theme.glyphs.bar, |_| shared.theme.glyphs.rail[7]);
        for row in drawn..top {
            let y = area.bottom() - 1 - u16::try_from(row).unwrap_or(0);
            for x in area.x..area.x + area.width {
                match (style.fg, level) {
                    // A filled ground has no seams between its lines, as signs have in some fonts.
                    (Some(colour), Some(_)) => {
                        put(buffer, x, y, 1, " ", Style::new().bg(colour));
                    }
                    _ => {
                        put(buffer, x, y, 1, glyph, style);
                    }
                }
            }
        }
        drawn = drawn.max(top);
    }
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

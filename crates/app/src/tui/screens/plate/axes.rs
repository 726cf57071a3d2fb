//! The axes of a chart on the screen: round values at the left, round times below.

use cribrum_core::{
    chart::{Ask, Slices},
    volume::Volume,
};
use cribrum_draw::Scale;
use ratatui::{buffer::Buffer, layout::Rect};

use crate::{
    present::{cells, span_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{put, put_right},
    },
};

/// The row of the plot that a value stands in, from its foot; eight parts of a row.
pub(super) fn eighths(scale: Scale, value: f64, height: u16) -> u64 {
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "parts of a few rows"
    )]
    let parts = (scale.place(value) * f64::from(height) * 8.0).round() as u64;
    parts
}

/// The lines and the figures of an axis of values.
pub(super) fn values(
    shared: &Shared,
    scale: Scale,
    write: &dyn Fn(f64) -> String,
    plot: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let mut last: Option<u16> = None;
    for tick in scale.ticks(usize::from((plot.height / 4).clamp(2, 6))) {
        let row =
            u16::try_from(eighths(scale, tick, plot.height) / 8).unwrap_or(0).min(plot.height);
        let y = plot.bottom() - row;
        if last.is_some_and(|last| last.abs_diff(y) < 2) {
            continue;
        }
        last = Some(y);
        put_right(buffer, plot.x - 1, y, 11, &write(tick), theme.style(Role::Faint));
        if row > 0 {
            for x in (plot.x..plot.right()).step_by(2) {
                put(buffer, x, y, 1, theme.glyphs.dot, theme.style(Role::Rule));
            }
        }
    }
    foot(shared, plot, buffer);
}

/// The line that a plot stands on.
pub(super) fn foot(shared: &Shared, plot: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    for x in plot.x..plot.right() {
        put(buffer, x, plot.bottom(), 1, theme.glyphs.across, theme.style(Role::Rule));
    }
}

/// The column of the plot that a slice begins at.
pub(super) fn column(slices: Slices, at: usize, plot: Rect) -> u16 {
    plot.x + u16::try_from(usize::from(plot.width) * at / slices.count.max(1)).unwrap_or(0)
}

/// Round times under a plot.
pub(super) fn times(shared: &Shared, ask: &Ask, slices: Slices, plot: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let every = Volume::over(slices.start, slices.end() - 1, usize::from(plot.width) / 12).width;
    if every <= 0 || slices.width <= 0 {
        return;
    }
    let form = form(slices);
    let mut free = plot.x;
    for at in 0..slices.count {
        let time = slices.from(at);
        // The first column that reaches a round time carries it.
        let tick = (time + slices.width - 1).div_euclid(every) * every;
        if tick < time || tick >= time + slices.width {
            continue;
        }
        let label = match ask {
            Ask::Overlay(_) => span_text(tick),
            _ => shared.clock.format(tick, form),
        };
        let x = column(slices, at, plot);
        if x >= free && cells(&label) <= usize::from(plot.right().saturating_sub(x)) {
            free =
                x + put(
                    buffer,
                    x,
                    plot.bottom() + 1,
                    plot.right() - x,
                    &label,
                    theme.style(Role::Dim),
                ) + 1;
        }
    }
}

/// How a time of a slice is written.
pub(super) fn form(slices: Slices) -> &'static str {
    const MINUTE: i64 = 60_000_000_000;
    match (slices.end() - slices.start, slices.width) {
        (span, _) if span > 1_440 * MINUTE => "%d %b %H:%M",
        (_, width) if width < MINUTE => "%H:%M:%S",
        _ => "%H:%M",
    }
}

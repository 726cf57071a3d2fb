//! The marks of each kind of chart.

use cribrum_core::{
    chart::{Ask, Bar, Chart, Figures, Label, Series, Slices},
    tally::Sketch,
    veil::Desk,
};
use cribrum_draw::Scale;
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use super::{
    axes::{column, eighths, times, values},
    state::PlateView,
};
use crate::{
    present::{axis_text, bar_text, cells, count_text, names, value_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{Part, put, put_kind, put_right, stack},
    },
};

/// How a series is drawn.
pub(super) fn style_of(shared: &Shared, number: usize, label: &Label<Desk>) -> Style {
    let theme = &shared.theme;
    match label {
        Label::Level(level) => theme.level(*level),
        Label::Others(_) | Label::Everything => theme.style(Role::Faint),
        Label::Pan => theme.style(Role::Accent),
        _ => theme.lane(number),
    }
}

/// What fills a bar of a series where there is no colour.
pub(super) fn fill_of(shared: &Shared, number: usize, label: &Label<Desk>) -> &'static str {
    let fills = shared.theme.glyphs.fills;
    match label {
        Label::Level(level) => fills[level.map_or(0, |level| level.index() + 1)],
        _ => fills[number % fills.len()],
    }
}

pub(super) fn chart(
    view: &PlateView,
    shared: &Shared,
    chart: &Chart<Desk>,
    plot: Rect,
    buffer: &mut Buffer,
) {
    match &chart.figures {
        Figures::Stacked(slices, series) => stacked(view, shared, (*slices, series), plot, buffer),
        Figures::Lines(slices, series) if chart.ask == Ask::Rate => {
            rate(view, shared, (*slices, series), plot, buffer);
        }
        Figures::Lines(slices, series) => over(view, shared, (*slices, series), plot, buffer),
        Figures::Values(slices, all) if matches!(chart.ask, Ask::Heat(_)) => {
            grid(view, shared, chart, (*slices, all), plot, buffer);
        }
        Figures::Values(slices, all) => bands(view, shared, chart, (*slices, all), plot, buffer),
        Figures::Spread(all) => spread(view, shared, chart, all, plot, buffer),
        Figures::Bars(all) => bars(view, shared, chart, all, buffer),
    }
}

/// The place of a column, on its ground where it is under the cursor.
fn bar(
    view: &PlateView,
    shared: &Shared,
    slices: Slices,
    at: usize,
    plot: Rect,
    buffer: &mut Buffer,
) -> Rect {
    let (from, to) = (column(slices, at, plot), column(slices, at + 1, plot));
    let width = if to - from >= 4 { to - from - 1 } else { to - from };
    let area = Rect { x: from, width, ..plot };
    pointed(view, shared, at, area, plot, buffer);
    area
}

fn pointed(
    view: &PlateView,
    shared: &Shared,
    at: usize,
    area: Rect,
    plot: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    if view.chosen().is_some_and(|(from, to)| (from..=to).contains(&at)) {
        buffer.set_style(area, theme.style(Role::Selection));
        let sign = if view.cursor == Some(at) { theme.glyphs.mark } else { theme.glyphs.across };
        put(buffer, area.x, plot.bottom(), 1, sign, theme.style(Role::Accent));
    }
}

fn counts_axis(shared: &Shared, ask: &Ask, largest: u64, plot: Rect, buffer: &mut Buffer) -> Scale {
    let scale = Scale::of_counts(largest, usize::from((plot.height / 4).clamp(2, 6)));
    values(
        shared,
        scale,
        &|tick| axis_text(ask, tick, cribrum_core::tally::Unit::Number),
        plot,
        buffer,
    );
    scale
}

#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "the end of an axis of counts"
)]
fn top(scale: Scale) -> u64 {
    scale.ends().1.max(1.0) as u64
}

fn stacked(
    view: &PlateView,
    shared: &Shared,
    (slices, series): (Slices, &[Series<Desk>]),
    plot: Rect,
    buffer: &mut Buffer,
) {
    let sums = (0..slices.count).map(|at| series.iter().map(|one| one.counts[at]).sum::<u64>());
    let scale = counts_axis(shared, &view.ask, sums.max().unwrap_or(0), plot, buffer);
    for at in 0..slices.count {
        let area = bar(view, shared, slices, at, plot, buffer);
        let parts: Vec<Part> = series
            .iter()
            .enumerate()
            .map(|(number, one)| Part {
                count: one.counts[at],
                style: style_of(shared, number, &one.label),
                fill: fill_of(shared, number, &one.label),
            })
            .collect();
        stack(&parts, top(scale), area, shared.theme.is_unicode(), buffer);
    }
    times(shared, &view.ask, slices, plot, buffer);
}

fn rate(
    view: &PlateView,
    shared: &Shared,
    (slices, series): (Slices, &[Series<Desk>]),
    plot: Rect,
    buffer: &mut Buffer,
) {
    let [pan, all] = series else { return };
    // Thousandths of a per cent, so that small shares have a height.
    let share = |at: usize| pan.counts[at] * 100_000 / all.counts[at].max(1);
    let largest = (0..slices.count).map(share).max().unwrap_or(0);
    #[expect(clippy::cast_precision_loss, reason = "a share on an axis")]
    let scale =
        Scale::from_zero(largest as f64 / 1_000.0, usize::from((plot.height / 4).clamp(2, 6)));
    let unit = cribrum_core::tally::Unit::Number;
    values(shared, scale, &|tick| axis_text(&view.ask, tick, unit), plot, buffer);
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "the end of an axis of shares"
    )]
    let top = (scale.ends().1 * 1_000.0).max(1.0) as u64;
    for at in 0..slices.count {
        let area = bar(view, shared, slices, at, plot, buffer);
        let part = Part {
            count: share(at),
            style: shared.theme.style(Role::Accent),
            fill: shared.theme.glyphs.bar,
        };
        stack(&[part], top, area, shared.theme.is_unicode(), buffer);
    }
    times(shared, &view.ask, slices, plot, buffer);
}

/// The first selection as columns, the second as a line over them.
fn over(
    view: &PlateView,
    shared: &Shared,
    (slices, series): (Slices, &[Series<Desk>]),
    plot: Rect,
    buffer: &mut Buffer,
) {
    let [first, second] = series else { return };
    let largest = series.iter().flat_map(|one| one.counts.iter().copied()).max().unwrap_or(0);
    let scale = counts_axis(shared, &view.ask, largest, plot, buffer);
    let theme = &shared.theme;
    for at in 0..slices.count {
        let area = bar(view, shared, slices, at, plot, buffer);
        let part = Part {
            count: first.counts[at],
            style: theme.style(Role::Faint),
            fill: theme.glyphs.fills[1],
        };
        stack(&[part], top(scale), area, theme.is_unicode(), buffer);
    }
    let sign = if theme.is_unicode() { "━" } else { "#" };
    // The line ends where the selection does.
    let end = second.counts.iter().rposition(|count| *count > 0).map_or(0, |last| last + 1);
    for at in 0..end {
        let (from, to) = (column(slices, at, plot), column(slices, at + 1, plot));
        #[expect(clippy::cast_precision_loss, reason = "a count on an axis")]
        let row = eighths(scale, second.counts[at] as f64, plot.height) / 8;
        let y = plot.bottom() - 1 - u16::try_from(row).unwrap_or(0).min(plot.height - 1);
        for x in from..to {
            put(buffer, x, y, 1, sign, theme.style(Role::Accent));
        }
    }
    times(shared, &view.ask, slices, plot, buffer);
}

fn bands(
    view: &PlateView,
    shared: &Shared,
    chart: &Chart<Desk>,
    (slices, all): (Slices, &[Sketch]),
    plot: Rect,
    buffer: &mut Buffer,
) {
    let quantile = |values: &Sketch, share| values.quantile(share);
    let low = all.iter().filter_map(|values| quantile(values, 0.05)).fold(f64::INFINITY, f64::min);
    let high =
        all.iter().filter_map(|values| quantile(values, 0.99)).fold(f64::NEG_INFINITY, f64::max);
    let scale = Scale::between(low, high, view.log);
    values(shared, scale, &|tick| axis_text(&view.ask, tick, chart.unit), plot, buffer);
    let theme = &shared.theme;
    let unicode = theme.is_unicode();
    let (accent, faint) = (theme.style(Role::Accent), theme.style(Role::Faint));
    for (at, values) in all.iter().enumerate().filter(|(_, values)| values.count > 0) {
        let area = bar(view, shared, slices, at, plot, buffer);
        let row = |share| {
            let value = quantile(values, share).unwrap_or(low);
            u16::try_from(eighths(scale, value, plot.height).saturating_sub(1) / 8)
                .unwrap_or(0)
                .min(plot.height - 1)
        };
        let (p5, p50, p95, p99) = (row(0.05), row(0.5), row(0.95), row(0.99));
        for up in p5..=p99 {
            let (sign, style, share) = match up {
                _ if up == p50 => (if unicode { "━" } else { "#" }, accent, 0.5),
                _ if up < p50 => (if unicode { "░" } else { "." }, accent, 0.26),
                _ if up <= p95 => (if unicode { "▒" } else { ":" }, accent, 0.42),
                _ => (if unicode { "░" } else { "." }, faint, 0.16),
            };
            for x in area.x..area.right() {
                let y = plot.bottom() - 1 - up;
                match theme.shade(share) {
                    Some(ground) if unicode => {
                        let sign = if up == p50 { sign } else { " " };
                        put(buffer, x, y, 1, sign, style.bg(ground));
                    }
                    _ => {
                        put(buffer, x, y, 1, sign, style);
                    }
                }
            }
        }
    }
    times(shared, &view.ask, slices, plot, buffer);
}

fn grid(
    view: &PlateView,
    shared: &Shared,
    chart: &Chart<Desk>,
    (slices, all): (Slices, &[Sketch]),
    plot: Rect,
    buffer: &mut Buffer,
) {
    let scale = view.across(chart);
    values(shared, scale, &|tick| axis_text(&view.ask, tick, chart.unit), plot, buffer);
    let rows = usize::from(plot.height);
    let ranges = |values: &Sketch| match scale.is_log() {
        true => values.histogram_between(scale.ends(), rows),
        false => values.histogram_evenly(scale.ends(), rows),
    };
    let counts: Vec<Vec<u64>> = all.iter().map(ranges).collect();
    let peak = counts.iter().flatten().copied().max().unwrap_or(1).max(1);
    let signs =
        if shared.theme.is_unicode() { ["░", "▒", "▓", "█"] } else { [".", ":", "+", "#"] };
    let style = shared.theme.style(Role::Accent);
    for (at, row) in counts.iter().enumerate() {
        let area = bar(view, shared, slices, at, plot, buffer);
        for (up, count) in (0u16..).zip(row).filter(|(_, count)| **count > 0) {
            #[expect(clippy::cast_precision_loss, reason = "a shade")]
            let share = (*count as f64 / peak as f64).sqrt();
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "one of four signs"
            )]
            let sign = signs[((share * 4.0).ceil() as usize).clamp(1, 4) - 1];
            for x in area.x..area.right() {
                let y = plot.bottom() - 1 - up;
                match shared.theme.shade(0.15 + 0.85 * share) {
                    Some(ground) if shared.theme.is_unicode() => {
                        put(buffer, x, y, 1, " ", Style::new().bg(ground))
                    }
                    _ => put(buffer, x, y, 1, sign, style),
                };
            }
        }
    }
    times(shared, &view.ask, slices, plot, buffer);
}

fn spread(
    view: &PlateView,
    shared: &Shared,
    chart: &Chart<Desk>,
    all: &Sketch,
    plot: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let counts = view.counts(chart);
    let scale =
        counts_axis(shared, &Ask::Volume, counts.iter().copied().max().unwrap_or(0), plot, buffer);
    let across = view.across(chart);
    let parts = Slices { start: 0, width: 1, count: view.parts() };
    let place = |value: f64| {
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a column of a few"
        )]
        let at = (across.place(value) * f64::from(plot.width)) as u16;
        plot.x + at.min(plot.width.saturating_sub(1))
    };
    let slow = all.quantile(0.95).unwrap_or(f64::INFINITY);
    for (at, count) in counts.iter().enumerate() {
        let area = bar(view, shared, parts, at, plot, buffer);
        let role = if view.bound(chart, at) > slow { Role::Slow } else { Role::Accent };
        let part = Part { count: *count, style: theme.style(role), fill: theme.glyphs.bar };
        stack(&[part], top(scale), area, theme.is_unicode(), buffer);
    }
    let mut free = plot.x;
    for (name, share) in [("p50", 0.5), ("p95", 0.95), ("p99", 0.99)] {
        let Some(value) = all.quantile(share) else { continue };
        let text = format!("{} {name} {}", theme.glyphs.place, value_text(value, chart.unit));
        let x = place(value)
            .max(free)
            .min(plot.right().saturating_sub(u16::try_from(cells(&text)).unwrap_or(8)));
        if x >= free {
            free = x
                + put(buffer, x, plot.y - 1, plot.right() - x, &text, theme.style(Role::Slow))
                + 2;
        }
    }
    let mut free = plot.x;
    for tick in across.ticks(usize::from(plot.width / 12).max(2)) {
        let x = place(tick);
        let text = axis_text(&view.ask, tick, chart.unit);
        if x >= free && usize::from(plot.right() - x) >= cells(&text) {
            free =
                x + put(
                    buffer,
                    x,
                    plot.bottom() + 1,
                    plot.right() - x,
                    &text,
                    theme.style(Role::Dim),
                ) + 2;
        }
    }
}

fn bars(
    view: &PlateView,
    shared: &Shared,
    chart: &Chart<Desk>,
    all: &[Bar<Desk>],
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let area = super::areas::bars_area(view.area);
    let measured = chart.ask.measure().is_some();
    #[expect(clippy::cast_precision_loss, reason = "a length on the screen")]
    let length = |bar: &Bar<Desk>| match measured {
        true => bar.values.quantile(0.95).unwrap_or(0.0),
        false => bar.count as f64,
    };
    let longest = all.iter().map(length).fold(f64::MIN_POSITIVE, f64::max);
    let names = names(chart, &shared.snapshot, &shared.clock, &view.names);
    let widest = names.iter().map(|name| cells(name)).max().unwrap_or(0);
    let name_width = u16::try_from(widest).unwrap_or(u16::MAX).min(area.width * 2 / 5);
    let room = area.width.saturating_sub(name_width + 16);
    for (at, (bar, name)) in all.iter().zip(&names).enumerate().take(usize::from(area.height)) {
        let y = area.y + u16::try_from(at).unwrap_or(0);
        if view.chosen().is_some_and(|(from, to)| (from..=to).contains(&at)) {
            buffer.set_style(
                Rect { x: 0, y, width: view.area.width, height: 1 },
                theme.style(Role::Selection),
            );
            put(
                buffer,
                area.x.saturating_sub(2),
                y,
                1,
                theme.glyphs.pointer,
                theme.style(Role::Accent),
            );
        }
        put_kind(theme, (area.x, y), name_width, name, theme.style(Role::Text), buffer);
        let bars = bar_text(length(bar) / longest, usize::from(room));
        let x = area.x + name_width + 2;
        put(buffer, x, y, room, &bars, theme.style(Role::Accent));
        if !measured && bar.errors > 0 {
            #[expect(clippy::cast_precision_loss, reason = "a length on the screen")]
            let errors = bar_text(bar.errors as f64 / longest, usize::from(room));
            let style = theme.level(Some(cribrum_core::entry::Level::Error));
            // A cell that is partly of both has the colour of both.
            let style = theme.style(Role::Accent).fg.map_or(style, |accent| style.bg(accent));
            put(buffer, x, y, room, &errors, style);
        }
        let text = match measured {
            true => value_text(length(bar), chart.unit),
            false => count_text(usize::try_from(bar.count).unwrap_or(usize::MAX)),
        };
        put_right(buffer, area.right(), y, 12, &text, theme.style(Role::Dim));
    }
}

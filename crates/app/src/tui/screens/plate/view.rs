//! A chart before it is saved: what it is of on top, the marks and their axes, and what they stand for.

use cribrum_core::{
    chart::{Ask, Chart, Figures},
    veil::Desk,
};
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use super::{areas::plot_area, draw as marks, reading::under, state::PlateView};
use crate::{
    present::{cells, chart_axis, chart_title, count_text, counted, names, width_text},
    tui::{
        shared::Shared,
        theme::{Role, Theme},
        widgets::{heading, put},
    },
};

pub(super) fn draw(view: &PlateView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let title = shared.own_text(&chart_title(&view.ask));
    heading(shared, "plate", &title, area, buffer);
    let dim = theme.style(Role::Dim);
    let Some(chart) = view.drawn() else {
        put(buffer, area.x + 2, area.y + 2, area.width - 4, "counting what is left …", dim);
        return;
    };
    if chart.is_empty() {
        put(buffer, area.x + 2, area.y + 2, area.width - 4, &nothing(chart, shared), dim);
        return;
    }
    match view.chosen() {
        Some(chosen) => {
            let mut x = area.x + 2;
            for (words, style) in under(view, shared, chart, chosen) {
                let room = area.right().saturating_sub(x + 1);
                x += put(buffer, x, area.y + 2, room, &words, style) + 3;
            }
        }
        None => drop(put(buffer, area.x + 2, area.y + 2, area.width - 4, &summary(chart), dim)),
    }
    let plot = plot_area(area);
    if !matches!(chart.figures, Figures::Bars(_)) && plot.y >= 2 {
        let axis = shared.own_text(&chart_axis(&view.ask));
        put(buffer, area.x + 2, area.y + 3, 30, &axis, theme.style(Role::Faint));
    }
    if plot.height < 3 || plot.width < 10 {
        return;
    }
    marks::chart(view, shared, chart, plot, buffer);
    legend(view, shared, chart, Rect { y: plot.bottom() + 3, ..area }, buffer);
}

/// Why nothing is drawn.
fn nothing(chart: &Chart<Desk>, shared: &Shared) -> String {
    let entries = counted(usize::try_from(chart.entries).unwrap_or(usize::MAX), "entry");
    match (&chart.ask, chart.ask.measure()) {
        _ if chart.entries == 0 => {
            "No entry is in the pan: the sieve holds all of them back.".to_owned()
        }
        (Ask::Bars(by, None) | Ask::Groups(by), _) => {
            format!(
                "None of the {entries} has {}; o draws something else.",
                shared.own_text(&by.to_string())
            )
        }
        (_, Some(of)) => {
            let of = shared.own_text(&of.to_string());
            let left = match chart.left_out {
                0 => String::new(),
                count => format!(
                    ", {} can't be measured",
                    counted(usize::try_from(count).unwrap_or(0), "value")
                ),
            };
            format!("None of the {entries} has a value of {of}{left}; o draws something else.")
        }
        _ => "There is nothing to draw; o draws something else.".to_owned(),
    }
}

/// How many entries are drawn, and how to read one place.
fn summary(chart: &Chart<Desk>) -> String {
    let entries = counted(usize::try_from(chart.entries).unwrap_or(usize::MAX), "entry");
    let mut text = entries;
    match chart.slices() {
        Some(slices) => {
            text.push_str(&format!(" · a column is {} · ← → read one", width_text(slices.width)));
        }
        None if matches!(chart.figures, Figures::Bars(_)) => text.push_str(" · ← → read a bar"),
        None => text.push_str(" · ← → read a range"),
    }
    if chart.without > 0 {
        let count = counted(usize::try_from(chart.without).unwrap_or(usize::MAX), "entry");
        text.push_str(&format!(" · {count} without it"));
    }
    if chart.left_out > 0 {
        let count = counted(usize::try_from(chart.left_out).unwrap_or(usize::MAX), "value");
        text.push_str(&format!(" · {count} could not be measured"));
    }
    if chart.undrawn > 0 {
        let what = counted(chart.undrawn, "group");
        text.push_str(&match chart.figures {
            Figures::Bars(_) => format!(" · {what} more not drawn"),
            _ => format!(" · {what} drawn as one"),
        });
    }
    if chart.unread > 0 {
        text.push_str(&format!(" · {} could not be read", counted(chart.unread, "entry")));
    }
    text
}

/// A sign of the legend, what it stands for, and how the sign is drawn.
type Sign = (&'static str, &'static str, Style);

/// What shades of a grid stand for.
fn heat_signs(theme: &Theme) -> Vec<Sign> {
    let shade = |share| {
        theme.shade(share).map_or(theme.style(Role::Accent), |colour| Style::new().fg(colour))
    };
    let (few, many) = match (theme.is_unicode(), theme.shade(1.0).is_some()) {
        (true, true) => ("■", "■"),
        (true, false) => ("░", "█"),
        (false, _) => (".", "#"),
    };
    vec![(few, "few entries", shade(0.3)), (many, "many", shade(1.0))]
}

/// What the line and the bands of quantiles stand for.
fn band_signs(theme: &Theme) -> Vec<Sign> {
    let unicode = theme.is_unicode();
    let (accent, faint) = (theme.style(Role::Accent), theme.style(Role::Faint));
    let mut signs = vec![(if unicode { "━" } else { "#" }, "p50", accent)];
    for (words, share, blocks, ascii, style) in [
        ("p5 – p50", 0.26, "░", ".", accent),
        ("p50 – p95", 0.42, "▒", ":", accent),
        ("p95 – p99", 0.16, "░", ".", faint),
    ] {
        signs.push(match theme.shade(share).filter(|_| unicode) {
            Some(ground) => (" ", words, theme.style(Role::Dim).bg(ground)),
            None => (if unicode { blocks } else { ascii }, words, style),
        });
    }
    signs
}

/// What the marks stand for.
fn legend(view: &PlateView, shared: &Shared, chart: &Chart<Desk>, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (mut x, mut y) = (area.x + 12, area.y);
    let mut say = |sign: &str, words: &str, style: Style, word_style: Style| {
        let needed = u16::try_from(cells(words)).unwrap_or(u16::MAX).saturating_add(3);
        if x.saturating_add(needed) > area.right() && x > area.x + 12 && y == area.y {
            (x, y) = (area.x + 12, y + 1);
        }
        let room = area.right().saturating_sub(x + 1);
        x += put(buffer, x, y, room.min(2), sign, style) + 1;
        x += put(buffer, x, y, area.right().saturating_sub(x + 1), words, word_style) + 4;
    };
    let (unicode, dim) = (theme.is_unicode(), theme.style(Role::Dim));
    let figure = |total: u64| count_text(usize::try_from(total).unwrap_or(usize::MAX));
    match &chart.figures {
        // Only the share is drawn, not what it is a share of.
        Figures::Lines(_, series) if chart.ask == Ask::Rate => {
            if let [pan, all] = series.as_slice() {
                let style = marks::style_of(shared, 0, &pan.label);
                let sign = if unicode { "■" } else { marks::fill_of(shared, 0, &pan.label) };
                let of = format!("{} of {} entries", figure(pan.total()), figure(all.total()));
                say(sign, &format!("the pan · {of}"), style, style);
            }
        }
        Figures::Stacked(_, series) | Figures::Lines(_, series) => {
            let names = names(chart, &shared.snapshot, &shared.clock, &view.names);
            for (at, (one, name)) in series.iter().zip(names).enumerate() {
                let style = match (&chart.ask, at) {
                    (Ask::Overlay(_), 0) => theme.style(Role::Dim),
                    (Ask::Overlay(_), _) => theme.style(Role::Accent),
                    _ => marks::style_of(shared, at, &one.label),
                };
                let sign = match &one.label {
                    cribrum_core::chart::Label::Level(level) => {
                        level.map_or(" ", |level| theme.glyphs.severity[level.index()])
                    }
                    _ if unicode => "■",
                    label => marks::fill_of(shared, at, label),
                };
                let words = format!("{} · {}", shared.own_text(&name), figure(one.total()));
                say(sign, &words, style, style);
            }
        }
        Figures::Values(..) => {
            let signs = match chart.ask {
                Ask::Heat(_) => heat_signs(theme),
                _ => band_signs(theme),
            };
            signs.into_iter().for_each(|(sign, words, style)| say(sign, words, style, dim));
        }
        Figures::Spread(_) => {
            let kind = if view.across(chart).is_log() { "logarithmic" } else { "linear" };
            say(
                "",
                &format!("{kind} axis; y changes it"),
                theme.style(Role::Faint),
                theme.style(Role::Faint),
            );
        }
        Figures::Bars(_) => {}
    }
}

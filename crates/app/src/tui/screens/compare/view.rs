//! The comparison as it is drawn: both sides and the difference under the cursor on top, all differences below.

use cribrum_core::{compare::Told, veil::Desk};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::state::CompareView;
use crate::{
    present::{cells, counted, histogram_text, span_text, value_text, wrapped},
    results::{Differences, difference_text},
    tui::{
        shared::Shared,
        table,
        theme::Role,
        widgets::{heading, put, put_kind, put_right, put_veiled, rule},
    },
};

/// Lines of the difference under the cursor.
const ABOVE: u16 = 6;

/// Lines above the table.
fn above(area: Rect) -> u16 {
    if area.height >= 30 { 6 + ABOVE } else { 6 }
}

/// Rows that the table shows.
pub(super) fn table_height(area: Rect) -> usize {
    usize::from(area.height.saturating_sub(above(area) + 1))
}

pub(super) fn draw(view: &CompareView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let narrowed = table::narrowed(view, shared);
    heading(shared, "compare", narrowed.trim_start_matches(" · "), area, buffer);
    sides(view, shared, area, buffer);
    let Some(found) = view.found() else {
        table::waiting("comparing …", shared, (2, area.y + 5), area, buffer);
        return;
    };
    let top = area.y + above(area);
    if above(area) > 6
        && let Some(row) = view.table.chosen()
    {
        let panel = Rect { x: 2, y: area.y + 5, width: area.width - 4, height: ABOVE - 1 };
        one(shared, found, row, panel, buffer);
    }
    rule(theme, Rect { y: top - 2, height: 1, ..area }, None, buffer);
    let lines = Rect { y: top - 1, height: area.bottom().saturating_sub(top - 1), ..area };
    table::draw(view, shared, lines, buffer);
    if view.table.len() == 0 {
        let text = nothing(view, shared, found);
        put(buffer, 2, top + 1, area.width - 4, &text, theme.style(Role::Dim));
    }
}

/// Why there is no difference.
fn nothing(view: &CompareView, shared: &Shared, found: &Differences<Desk>) -> String {
    if !view.table.listing.words.is_empty() {
        return "No difference has these words; Esc takes them away.".into();
    }
    for (name, whole) in view.names.iter().zip(&found.compared.wholes) {
        if whole.entries == 0 {
            return format!("No entry is {}; f and o choose other sides.", shared.own_text(name));
        }
    }
    "Nothing differs more than by chance; a shows what is alike as well.".into()
}

/// What is compared, a line each.
fn sides(view: &CompareView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (dim, text) = (theme.style(Role::Dim), theme.style(Role::Text));
    let names: Vec<String> = view.names.iter().map(|name| shared.own_text(name)).collect();
    let widest = names.iter().map(|name| cells(name)).max().unwrap_or(0);
    let width = u16::try_from(widest).unwrap_or(40).min(area.width / 2);
    // Figures below each other end at the same place.
    let counts: Vec<String> = view
        .found()
        .iter()
        .flat_map(|found| &found.compared.wholes)
        .map(|whole| counted(usize::try_from(whole.entries).unwrap_or(usize::MAX), "entry"))
        .collect();
    let most = counts.iter().map(|count| cells(count)).max().unwrap_or(0);
    for (y, (at, word)) in (area.y + 2..).zip(["from", "with"].into_iter().enumerate()) {
        put(buffer, 2, y, 4, word, dim);
        put_veiled(theme, (8, y), width, &names[at], text.add_modifier(Modifier::BOLD), buffer);
        let Some(whole) = view.found().map(|found| found.compared.wholes[at]) else {
            continue;
        };
        let entries = format!("{}{}", " ".repeat(most - cells(&counts[at])), counts[at]);
        let span = whole.span.map_or_else(String::new, |(first, last)| {
            format!(
                "   {} … {}   {}",
                shared.moment(first),
                shared.moment(last),
                span_text(last - first)
            )
        });
        let x = 8 + width + 3;
        put(buffer, x, y, area.right().saturating_sub(x + 1), &format!("{entries}{span}"), dim);
    }
}

/// The difference under the cursor: how long both sides took, and what has the same counts.
fn one(shared: &Shared, found: &Differences<Desk>, told: &Told, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let row = found.difference(told);
    let (dim, faint) = (theme.style(Role::Dim), theme.style(Role::Faint));
    let bold = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    let used = put(buffer, area.x, area.y, area.width, found.of_what(told), dim);
    let text = table::read(shared, &difference_text(row));
    put_kind(
        theme,
        (area.x + used + 2, area.y),
        area.width.saturating_sub(used + 2),
        &text,
        bold,
        buffer,
    );
    if let Some(took) = &row.took {
        let bounds = (took[0].min.min(took[1].min), took[0].max.max(took[1].max));
        let width = usize::from(area.width.saturating_sub(10).min(90));
        for (y, (values, word)) in (area.y + 1..).zip(took.iter().zip(["from", "with"])) {
            put(buffer, area.x, y, 6, word, dim);
            let bars = histogram_text(values, bounds, width);
            put(buffer, area.x + 7, y, area.width - 7, &bars, theme.style(Role::Accent));
        }
        let unit = cribrum_core::tally::Unit::Seconds;
        let end = area.x + 7 + u16::try_from(width).unwrap_or(0);
        put(buffer, area.x + 7, area.y + 3, 12, &value_text(bounds.0, unit), faint);
        put_right(buffer, end, area.y + 3, 12, &value_text(bounds.1, unit), faint);
        return;
    }
    if told.alike.is_empty() {
        return;
    }
    let alike = table::read(shared, &found.alike(told));
    put(buffer, area.x, area.y + 1, 22, "of the same entries", dim);
    let lines = wrapped(&alike, usize::from(area.width.saturating_sub(23)));
    for (y, line) in (area.y + 1..area.y + 4).zip(lines) {
        put_veiled(
            theme,
            (area.x + 21, y),
            area.width - 21,
            &line,
            theme.style(Role::Text),
            buffer,
        );
    }
}

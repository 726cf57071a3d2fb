//! The comparison as it is drawn: both sides and the difference under the cursor on top, all differences below.

use cribrum_core::{
    compare::{Change, Difference, What},
    entry::Level,
    veil::Desk,
};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::{
    columns::{Column, of, what},
    state::{CompareView, Listed},
};
use crate::{
    present::{cells, counted, histogram_text, span_text, value_text, wrapped},
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
    let Some(listed) = &view.listed else {
        table::waiting("comparing …", shared, (2, area.y + 5), area, buffer);
        return;
    };
    let top = area.y + above(area);
    if above(area) > 6
        && let Some(row) = view.chosen()
    {
        one(
            view,
            shared,
            listed,
            row,
            Rect { x: 2, y: area.y + 5, width: area.width - 4, height: ABOVE - 1 },
            buffer,
        );
    }
    rule(theme, Rect { y: top - 2, height: 1, ..area }, None, buffer);
    table::head(view, shared, Rect { y: top - 1, height: 1, ..area }, buffer);
    if listed.rows.is_empty() {
        let text = nothing(view, shared, listed);
        put(buffer, 2, top + 1, area.width - 4, &text, theme.style(Role::Dim));
        return;
    }
    let lines = Rect { y: top, height: area.bottom().saturating_sub(top), ..area };
    table::rows(view, lines, buffer, |row, area, buffer| line(view, shared, row, area, buffer));
}

/// Why there is no difference.
fn nothing(view: &CompareView, shared: &Shared, listed: &Listed) -> String {
    if !view.table.words.is_empty() {
        return "No difference has these words; Esc takes them away.".into();
    }
    for (named, whole) in view.sides.iter().zip(&listed.compared.wholes) {
        if whole.entries == 0 {
            return format!(
                "No entry is {}; f and o choose other sides.",
                shared.own_text(&named.name)
            );
        }
    }
    "Nothing differs more than by chance; a shows what is alike as well.".into()
}

/// What is compared, a line each.
fn sides(view: &CompareView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (dim, text) = (theme.style(Role::Dim), theme.style(Role::Text));
    let names: Vec<String> = view.sides.iter().map(|named| shared.own_text(&named.name)).collect();
    let widest = names.iter().map(|name| cells(name)).max().unwrap_or(0);
    let width = u16::try_from(widest).unwrap_or(40).min(area.width / 2);
    // Figures below each other end at the same place.
    let counts: Vec<String> = view
        .listed
        .iter()
        .flat_map(|listed| &listed.compared.wholes)
        .map(|whole| counted(usize::try_from(whole.entries).unwrap_or(usize::MAX), "entry"))
        .collect();
    let most = counts.iter().map(|count| cells(count)).max().unwrap_or(0);
    for (y, (at, word)) in (area.y + 2..).zip(["from", "with"].into_iter().enumerate()) {
        put(buffer, 2, y, 4, word, dim);
        put_veiled(theme, (8, y), width, &names[at], text.add_modifier(Modifier::BOLD), buffer);
        let Some(whole) = view.listed.as_ref().map(|listed| listed.compared.wholes[at]) else {
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
fn one(
    view: &CompareView,
    shared: &Shared,
    listed: &Listed,
    row: &Difference<Desk>,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let (dim, faint) = (theme.style(Role::Dim), theme.style(Role::Faint));
    let bold = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    let (of_what, text) = (of(shared, row), what(shared, row));
    let used = put(buffer, area.x, area.y, area.width, &of_what, dim);
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
    let Some(told) = view.told(view.table.cursor).filter(|told| !told.alike.is_empty()) else {
        return;
    };
    let alike = told.alike.iter().map(|number| {
        let row = &listed.compared.differences[*number];
        match row.what {
            What::Value(..) => format!("{} {}", of(shared, row), what(shared, row)),
            _ => what(shared, row),
        }
    });
    let alike = alike.collect::<Vec<_>>().join(" · ");
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

fn line(view: &CompareView, shared: &Shared, row: usize, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let Some(difference) = view.difference(row) else { return };
    table::ground(view, shared, row, area, buffer);
    let alike = view.told(row).map_or(0, |told| told.alike.len());
    table::columns(view, shared, area, |column, place| {
        let (x, _, width) = place;
        let text = column.text(view, shared, difference);
        if column == Column::What {
            let used = put_kind(theme, (x, area.y), width, &text, theme.style(Role::Text), buffer);
            if alike > 0 {
                let more = format!("+{alike} alike");
                put(
                    buffer,
                    x + used + 2,
                    area.y,
                    width.saturating_sub(used + 2),
                    &more,
                    theme.style(Role::Faint),
                );
            }
            return;
        }
        let style = match column {
            Column::Level => theme.level(difference.level),
            Column::Change => match difference.change {
                Change::New | Change::More | Change::Slower if difference.is_error() => {
                    theme.level(Some(Level::Error))
                }
                Change::New | Change::Slower => theme.level(Some(Level::Warn)),
                _ => theme.style(Role::Text),
            },
            Column::With | Column::Times => theme.style(Role::Text),
            Column::Of => theme.style(Role::Accent),
            _ => theme.style(Role::Dim),
        };
        table::cell::<CompareView>(column, &text, place, style, buffer);
    });
}

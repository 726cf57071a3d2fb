//! How tables are drawn.

use cribrum_core::{entry::Level, tally::Key, veil::Desk};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::rows::{Found, Table};
use crate::{
    present::cells,
    results::{Cell, Column, Findings, Reader},
    tui::{
        shared::Shared,
        theme::{Role, Theme},
        widgets::{put, put_kind, put_right, put_veiled},
    },
};

/// Where something is drawn: where it begins, its line, and its width.
type Place = (u16, u16, u16);

/// A column with its place.
type Placed<V> = (Column<Found<V>>, u16, u16);

/// Draws the names of the columns in the first line of an area, and the rows that are in sight below; the last line is
/// that of all rows, where they have one. Gives the line below.
pub(crate) fn draw<V: Table>(view: &V, shared: &Shared, area: Rect, buffer: &mut Buffer) -> u16 {
    let Some(found) = view.table().found() else { return area.y };
    let columns = placed(view, found, shared, area);
    head(view, shared, &columns, area.y, buffer);
    let mut y = area.y + 1;
    let last = area.bottom() - u16::from(found.all().is_some());
    for row in view.table().in_sight() {
        if y >= last {
            break;
        }
        line(view, shared, &columns, row, Rect { y, height: 1, ..area }, buffer);
        y += 1;
    }
    if let Some(all) = found.all().filter(|_| y > area.y + 1) {
        let style = shared.theme.style(Role::Text).add_modifier(Modifier::BOLD);
        let mut label = Some("all");
        for (column, x, width) in &columns {
            let place = (*x, y, *width);
            match column.width(view.table().width) {
                0 => drop(put(buffer, *x, y, *width, label.take().unwrap_or_default(), style)),
                _ => drop(cell(shared, &column.cell(found, all), column, place, style, buffer)),
            }
        }
    }
    y
}

/// The columns that fit, each with the place where it begins and its width.
fn placed<V: Table>(view: &V, found: &Found<V>, shared: &Shared, area: Rect) -> Vec<Placed<V>> {
    let table = view.table();
    let columns = table.columns();
    let reader = reader(shared);
    let is_rest = |column: &Column<Found<V>>| column.width(table.width) == 0;
    // What a column in sight needs that takes what is left.
    let needed = |column: &Column<Found<V>>| {
        let rows = table.in_sight().filter_map(|row| table.row(row));
        let texts = rows.map(|row| cells(&column.cell(found, row).for_people(&reader, 0)));
        let title = cells(column.title.as_deref().unwrap_or_default()) + 2;
        u16::try_from(texts.max().unwrap_or(0).max(title)).unwrap_or(u16::MAX)
    };
    let mut x = area.x + 2;
    let mut placed = Vec::with_capacity(columns.len());
    let widths: Vec<u16> = (0..columns.len())
        .map(|at| {
            let left = area.right().saturating_sub(x + 1);
            let width = if is_rest(&columns[at]) {
                // The first of them takes what the others, in sight, leave.
                let behind: Vec<_> = columns[at + 1..].iter().collect();
                let rest = behind.iter().filter(|column| is_rest(column)).count() + 1;
                let share = left / u16::try_from(rest).unwrap_or(1);
                let others: u16 = behind
                    .iter()
                    .map(|column| match is_rest(column) {
                        true => needed(column).min(share) + 2,
                        false => column.width(table.width) + 2,
                    })
                    .sum();
                left.saturating_sub(others)
            } else {
                columns[at].width(table.width).min(left)
            };
            x += width + 2;
            width
        })
        .collect();
    x = area.x + 2;
    for (column, width) in columns.into_iter().zip(widths) {
        placed.push((column, x, width));
        x += width + 2;
    }
    placed
}

/// The names of the columns: the one that orders is marked, the one under the cursor stands out.
fn head<V: Table>(view: &V, shared: &Shared, columns: &[Placed<V>], y: u16, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let table = view.table();
    let (by, descending) = table.listing.order;
    let chosen = table.column.min(columns.len().saturating_sub(1));
    let order_of_chosen = columns.get(chosen).and_then(|(column, ..)| column.order);
    for (at, (column, x, width)) in columns.iter().enumerate() {
        // Of columns that order alike one is marked: that under the cursor, or the first.
        let first = if order_of_chosen == column.order { at == chosen } else { !column.is_second };
        let sorted = column.order == Some(by) && first;
        let title = shared.own_text(column.title.as_deref().unwrap_or_default());
        let sign = match (sorted, descending) {
            (true, true) => "↓",
            (true, false) => "↑",
            (false, _) => "",
        };
        // A narrow column lends one cell of the gap beside it to the sign.
        let (x, width) = (*x, *width);
        let (gap, place) = match cells(&title) + 2 > usize::from(width) && sorted {
            true if column.is_number => ("", (x.saturating_sub(1), y, width + 1)),
            true => ("", (x, y, width + 1)),
            false => (if sorted { " " } else { "" }, (x, y, width)),
        };
        let title = format!("{title}{gap}{sign}");
        let mut style = theme.style(if sorted { Role::Accent } else { Role::Dim });
        if at == chosen && column.order.is_some() {
            style = style.add_modifier(Modifier::UNDERLINED);
        }
        text(&title, column.is_number, place, style, buffer);
    }
}

fn line<V: Table>(
    view: &V,
    shared: &Shared,
    columns: &[Placed<V>],
    row: usize,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let Some((found, of)) = view.table().found().zip(view.table().row(row)) else { return };
    if row == view.table().cursor {
        buffer.set_style(area, theme.style(Role::Selection));
        put(buffer, area.x, area.y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
    }
    if view.is_marked(of) {
        put(buffer, area.x + 1, area.y, 1, theme.glyphs.mark, theme.style(Role::Accent));
    }
    let mut end = area.x;
    for (column, x, width) in columns {
        let what = column.cell(found, of);
        let style =
            view.style(column, of, shared).unwrap_or_else(|| usual(theme, &what, column.is_strong));
        end = x + cell(shared, &what, column, (*x, area.y, *width), style, buffer);
    }
    if let Some(note) = V::note(of) {
        let room = area.right().saturating_sub(end + 3);
        put(buffer, end + 2, area.y, room, &note, theme.style(Role::Faint));
    }
}

/// How a cell is drawn for what it is.
fn usual(theme: &Theme, cell: &Cell<'_, Desk>, strong: bool) -> Style {
    match cell {
        Cell::Level(level) | Cell::Key(Key::Level(level), _) => theme.level(Some(*level)),
        Cell::Status(500..) => theme.level(Some(Level::Error)),
        Cell::Status(400..) => theme.level(Some(Level::Warn)),
        Cell::Id(id) => theme.id(id.as_str()),
        Cell::Bar(..) | Cell::Histogram(..) => theme.style(Role::Accent),
        Cell::Curve(_, level) => theme.level(*level),
        Cell::Key(Key::None, _) => theme.style(Role::Faint),
        Cell::None => theme.style(Role::Dim),
        Cell::Key(..) | Cell::Kind(_) => theme.style(Role::Text),
        _ if strong => theme.style(Role::Text),
        _ => theme.style(Role::Dim),
    }
}

/// Draws a cell; gives how many cells of the screen it took from its left end on.
fn cell<F: Findings<Audience = Desk>>(
    shared: &Shared,
    what: &Cell<'_, Desk>,
    column: &Column<F>,
    place: Place,
    style: Style,
    buffer: &mut Buffer,
) -> u16 {
    let theme = &shared.theme;
    let (x, y, width) = place;
    let written = what.for_people(&reader(shared), usize::from(width));
    match what {
        Cell::Level(level) => {
            let glyph = theme.glyphs.severity[level.index()];
            put(buffer, x, y, 1, glyph, style.remove_modifier(Modifier::BOLD));
            put(buffer, x + 2, y, width.saturating_sub(2), &written, style) + 2
        }
        Cell::Kind(_) => put_kind(theme, (x, y), width, &written, style, buffer),
        _ if column.is_number => text(&written, true, place, style, buffer),
        _ => put_veiled(theme, (x, y), width, &written, style, buffer),
    }
}

/// Draws a text: figures end under each other.
fn text(text: &str, is_number: bool, place: Place, style: Style, buffer: &mut Buffer) -> u16 {
    let (x, y, width) = place;
    if is_number {
        put_right(buffer, x + width, y, width, text, style);
        return width;
    }
    put(buffer, x, y, width, text, style)
}

fn reader(shared: &Shared) -> Reader<'_> {
    Reader::new(&shared.snapshot, &shared.clock).with_names(&shared.settings.kinds)
}

/// What is said in the heading of the words that rows are narrowed by.
pub(crate) fn narrowed<V: Table>(view: &V, shared: &Shared) -> String {
    match view.table().listing.words.as_str() {
        "" => String::new(),
        words => format!(" · with “{}”", shared.own_text(words)),
    }
}

/// Why there are no rows yet.
pub(crate) fn waiting(
    doing: &str,
    shared: &Shared,
    (x, y): (u16, u16),
    area: Rect,
    buffer: &mut Buffer,
) {
    let text = match shared.snapshot.settled() {
        true => doing,
        false => "the sieve is being worked through first …",
    };
    put(buffer, x, y, area.width.saturating_sub(4), text, shared.theme.style(Role::Dim));
}

/// A row as it reads where one is looked at alone: the text of a cell.
pub(crate) fn read(shared: &Shared, cell: &Cell<'_, Desk>) -> String {
    cell.for_people(&reader(shared), 0)
}

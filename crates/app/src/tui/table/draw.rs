//! How tables are drawn.

use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::rows::{Column, Table};
use crate::{
    present::cells,
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{put, put_right},
    },
};

/// The names of the columns: the one that orders is marked, the one under the cursor stands out.
pub(crate) fn head<V: Table>(view: &V, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (by, descending) = view.table().order;
    let chosen = view.column();
    columns(view, shared, area, |column, place| {
        // Of columns that order alike one is marked: that under the cursor, or the first.
        let alike = chosen.order() == column.order();
        let first = if alike { column == chosen } else { !column.is_second() };
        let sorted = column.order() == Some(by) && first;
        let title = shared.own_text(&column.title(view));
        let sign = match (sorted, descending) {
            (true, true) => "↓",
            (true, false) => "↑",
            (false, _) => "",
        };
        // A narrow column lends one cell of the gap beside it to the sign.
        let (x, y, width) = place;
        let (gap, place) = match cells(&title) + 2 > usize::from(width) && sorted {
            true if column.is_number() => ("", (x.saturating_sub(1), y, width + 1)),
            true => ("", (x, y, width + 1)),
            false => (if sorted { " " } else { "" }, place),
        };
        let title = format!("{title}{gap}{sign}");
        let mut style = theme.style(if sorted { Role::Accent } else { Role::Dim });
        if column == chosen && column.order().is_some() {
            style = style.add_modifier(Modifier::UNDERLINED);
        }
        cell::<V>(column, &title, place, style, buffer);
    });
}

/// Hands over each column with its place: where it begins, its line, and its width.
pub(crate) fn columns<V: Table>(
    view: &V,
    shared: &Shared,
    area: Rect,
    mut hand: impl FnMut(V::Column, (u16, u16, u16)),
) {
    let mut x = area.x + 2;
    for column in V::Column::fitting(view) {
        let left = area.right().saturating_sub(x + 1);
        let width = match column.width(view) {
            0 => column.of_what_is_left(view, shared, left),
            width => width.min(left),
        };
        hand(column, (x, area.y, width));
        x += width + 2;
    }
}

/// Draws what stands in a column: figures end under each other.
pub(crate) fn cell<V: Table>(
    column: V::Column,
    text: &str,
    (x, y, width): (u16, u16, u16),
    style: Style,
    buffer: &mut Buffer,
) {
    if column.is_number() {
        put_right(buffer, x + width, y, width, text, style);
    } else {
        put(buffer, x, y, width, text, style);
    }
}

/// Draws the rows that are in sight, from the top of an area on. Gives the line below the last.
pub(crate) fn rows<V: Table>(
    view: &V,
    area: Rect,
    buffer: &mut Buffer,
    mut draw: impl FnMut(usize, Rect, &mut Buffer),
) -> u16 {
    let mut below = area.y;
    for (y, row) in (area.y..area.bottom()).zip(view.in_sight()) {
        draw(row, Rect { y, height: 1, ..area }, buffer);
        below = y + 1;
    }
    below
}

/// Marks the row under the cursor.
pub(crate) fn ground<V: Table>(
    view: &V,
    shared: &Shared,
    row: usize,
    area: Rect,
    buffer: &mut Buffer,
) {
    if row == view.table().cursor {
        let theme = &shared.theme;
        buffer.set_style(area, theme.style(Role::Selection));
        put(buffer, area.x, area.y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
    }
}

/// What is said in the heading of the words that rows are narrowed by.
pub(crate) fn narrowed<V: Table>(view: &V, shared: &Shared) -> String {
    match view.table().words.as_str() {
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

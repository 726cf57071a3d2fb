//! The extract as it is drawn: what it is, its form and what is hidden on top, its first lines below.

use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};

use super::state::{ExtractView, Preview};
use crate::{
    present::{count_text, counted},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{heading, put, put_veiled, rule},
    },
};

/// Lines above the first lines of it.
const ABOVE: u16 = 8;

/// Lines of it that are in sight.
pub(super) fn height(area: Rect) -> usize {
    usize::from(area.height.saturating_sub(ABOVE))
}

pub(super) fn draw(view: &ExtractView, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (dim, text) = (theme.style(Role::Dim), theme.style(Role::Text));
    let bold = text.add_modifier(Modifier::BOLD);
    heading(shared, "extract", view.what.name(), area, buffer);
    let y = area.y + 2;
    let room = area.width.saturating_sub(14);
    put(buffer, 2, y, 10, "form", dim);
    let mut x = 14;
    for (at, form) in view.what.forms().iter().enumerate() {
        let (name, chosen) = (form.name().0, at == view.form);
        if chosen {
            put(buffer, x - 2, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        let style = if chosen { bold } else { dim };
        x += put(buffer, x, y, area.right().saturating_sub(x), name, style) + 3;
    }
    put(buffer, 2, y + 1, 10, "file", dim);
    put(buffer, 14, y + 1, room, &view.file_name(), text);
    put(buffer, 2, y + 2, 10, "rows", dim);
    put(buffer, 2, y + 3, 10, "hidden", dim);
    let lines = Rect { y: area.y + ABOVE, height: area.height.saturating_sub(ABOVE), ..area };
    rule(theme, Rect { y: lines.y - 1, height: 1, ..area }, None, buffer);
    match &view.preview {
        None => drop(put(buffer, 14, y + 2, room, "being found …", dim)),
        Some(Err(error)) => drop(put(buffer, 14, y + 2, room, error, text)),
        Some(Ok(preview)) => {
            rows(view, preview, shared, (14, y + 2), area, buffer);
            first_lines(view, preview, shared, lines, buffer);
        }
    }
}

/// How many rows there are, and what is hidden in them.
fn rows(
    view: &ExtractView,
    preview: &Preview,
    shared: &Shared,
    (x, y): (u16, u16),
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let (dim, text) = (theme.style(Role::Dim), theme.style(Role::Text));
    let room = area.right().saturating_sub(x);
    put(buffer, x, y, room, &counted(preview.rows, view.what.noun()), text);
    let all = preview.counted == preview.rows;
    let hidden = preview.hidden.iter().map(|(class, count)| {
        let name = class.name();
        format!("{} {name}", count_text(*count))
    });
    let hidden = hidden.collect::<Vec<_>>().join(" · ");
    let among = match all {
        true => String::new(),
        false => format!(" in the first {}", counted(preview.counted, view.what.noun())),
    };
    let hidden = if hidden.is_empty() { "no value".to_owned() } else { hidden };
    let used = put(buffer, x, y + 1, room, &format!("{hidden}{among}"), text);
    let personal = match view.personal {
        true => "personal data stay as on the desk",
        false => "personal data are hidden; p lets them stay",
    };
    let x = x + used + 3;
    put(buffer, x, y + 1, area.right().saturating_sub(x), personal, dim);
}

/// The first lines, as they will be.
fn first_lines(
    view: &ExtractView,
    preview: &Preview,
    shared: &Shared,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let style: Style = theme.style(Role::Text);
    let lines = preview.lines.iter().skip(view.scroll);
    for (y, line) in (area.y..area.bottom()).zip(lines) {
        let text = line.for_terminal();
        let room = area.width.saturating_sub(4);
        put_veiled(theme, (2, y), room, &text.replace('\t', "  "), style, buffer);
    }
}

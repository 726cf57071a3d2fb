//! Lists to choose from, and the candidates above a prompt.

use cribrum_core::engine::BesideView;
use ratatui::{buffer::Buffer, layout::Rect};

use super::{put, put_right};
use crate::tui::{
    picker::Row,
    state::App,
    text::{cells, count_text},
    theme::Role,
};

/// Rows of a list that are shown at most, and candidates.
const ROWS: usize = 14;
const CANDIDATES: usize = 8;

/// The list that is open, over the lower part of the screen.
pub(super) fn draw(app: &App, area: Rect, buffer: &mut Buffer) {
    let Some(picker) = &app.picker else { return };
    let theme = &app.theme;
    let most = ROWS.min(usize::from(area.height / 2));
    let shown = picker.rows.len().clamp(1, most);
    let height = u16::try_from(shown).unwrap_or(1) + 2;
    let top = area.bottom().saturating_sub(height + 1);
    let panel = Rect::new(0, top, area.width, height);
    clear(app, panel, buffer);
    for x in 0..area.width {
        put(buffer, x, top, 1, theme.glyphs.across, theme.style(Role::Rule));
    }
    put(buffer, 2, top, 30, &format!(" {} ", picker.title()), theme.style(Role::Accent));
    if picker.rows.is_empty() {
        put(buffer, 5, top + 1, area.width - 6, picker.empty(), theme.style(Role::Dim));
        return;
    }
    let from = picker.cursor.saturating_sub(shown - 1);
    let figures = picker.rows.iter().any(|row| row.sieve.is_some());
    let widest = picker.rows.iter().map(|row| cells(&row.text)).max().unwrap_or(0);
    let figure = if figures { 17 } else { 5 };
    let room = area.width.saturating_sub(figure + 2);
    let width = u16::try_from(widest).unwrap_or(room).min(room * 2 / 3);
    for (at, row) in picker.rows.iter().enumerate().skip(from).take(shown) {
        let y = top + 1 + u16::try_from(at - from).unwrap_or(0);
        if at == picker.cursor {
            buffer.set_style(Rect::new(0, y, area.width, 1), theme.style(Role::Selection));
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        if let Some(key) = row.key {
            put(buffer, 2, y, 1, &key.to_string(), theme.style(Role::Accent));
        }
        put_right(buffer, 15, y, 11, &left(app, row), theme.style(Role::Text));
        put(buffer, figure, y, width, &row.text, theme.style(Role::Text));
        let x = figure + width + 3;
        put(buffer, x, y, area.width.saturating_sub(x + 1), &row.note, theme.style(Role::Dim));
    }
}

/// How many entries a row would leave, as far as that is known.
fn left(app: &App, row: &Row) -> String {
    let Some(sieve) = &row.sieve else { return String::new() };
    let same = |view: &&BesideView| view.sieve == *sieve;
    match app.snapshot.beside.iter().find(same) {
        Some(view) if view.done => count_text(view.left),
        _ => "…".to_owned(),
    }
}

/// What can be typed next, above the prompt.
pub(super) fn completion(app: &App, above: Rect, start: u16, buffer: &mut Buffer) {
    let Some(prompt) = &app.prompt else { return };
    let completion = &prompt.completion;
    let items = &completion.items;
    if items.is_empty() || prompt.error.is_some() {
        return;
    }
    let theme = &app.theme;
    let shown = items.len().min(CANDIDATES).min(usize::from(above.y / 3));
    let from = completion.chosen.map_or(0, |at| at.saturating_sub(shown.saturating_sub(1)));
    let text = items.iter().map(|item| cells(&item.text)).max().unwrap_or(0).clamp(12, 48);
    let text = u16::try_from(text).unwrap_or(48);
    let notes = items.iter().map(|item| cells(&item.note)).max().unwrap_or(0).clamp(10, 26);
    let width = text + 2 + u16::try_from(notes).unwrap_or(26) + 3;
    let rows = u16::try_from(shown).unwrap_or(0);
    let more = u16::from(items.len() > shown || completion.sample.is_some());
    let x = start.min(above.width.saturating_sub(width)).saturating_sub(1);
    let top = above.y.saturating_sub(rows + more);
    clear(app, Rect::new(x, top, width, rows + more), buffer);
    let band = theme.style(Role::Band);
    buffer.set_style(Rect::new(x, top, width, rows + more), band);
    let ground = band.bg.unwrap_or_default();
    for (at, item) in items.iter().enumerate().skip(from).take(shown) {
        let y = top + u16::try_from(at - from).unwrap_or(0);
        if completion.chosen == Some(at) {
            buffer.set_style(Rect::new(x, y, width, 1), theme.style(Role::Selection));
        }
        let style = match completion.chosen == Some(at) {
            true => theme.style(Role::Accent),
            false => theme.style(Role::Text).bg(ground),
        };
        let shown = app.snapshot.own_text(&item.text);
        put(buffer, x + 1, y, text, &shown.for_terminal(), style);
        let right = item.count.map_or_else(|| item.note.clone(), count_text);
        let note = if completion.chosen == Some(at) { theme.style(Role::Dim) } else { band };
        put_right(buffer, x + width - 1, y, width - text - 2, &right, note);
    }
    if more > 0 {
        let rest = items.len() - shown;
        let told = match (completion.sample, rest) {
            (Some((looked, of)), _) => {
                format!("seen in {} of {}", count_text(looked), count_text(of))
            }
            (None, rest) => format!("{rest} more"),
        };
        put_right(buffer, x + width - 1, above.y - 1, width - 2, &told, band);
    }
}

fn clear(app: &App, area: Rect, buffer: &mut Buffer) {
    for y in area.y..area.bottom() {
        for x in area.x..area.right() {
            if let Some(cell) = buffer.cell_mut((x, y)) {
                cell.reset();
            }
        }
    }
    buffer.set_style(area, app.theme.style(Role::Ground));
}

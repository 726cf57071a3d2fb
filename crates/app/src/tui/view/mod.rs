//! What is drawn, from the state and nothing else.

mod empty;
mod entries;
mod frame;
mod funnel;
mod help;
mod inspector;
mod intake;
mod picker;
mod plate;
mod rail;
mod trail;

use ratatui::{Frame, buffer::Buffer, layout::Rect, style::Style};

pub(super) use entries::{column_width, prepare};
pub(super) use frame::{moment, zone_name};
pub(super) use rail::{rail_time, rail_volume};

use super::{
    state::{App, Screen},
    text::cells,
    theme::Role,
};

/// The smallest terminal that everything fits on.
const SMALLEST: (u16, u16) = (60, 15);

/// Where the regions of the desk are.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Areas {
    pub(super) masthead: Rect,
    pub(super) funnel: Rect,
    pub(super) rule: Rect,
    pub(super) entries: Rect,
    pub(super) rail: Rect,
    pub(super) lower_rule: Rect,
    pub(super) inspector: Rect,
}

/// Lays the desk out for the size of the terminal.
pub(super) fn desk_areas(app: &App) -> Areas {
    let (width, height) = app.size;
    let airy = height >= 32;
    let meshes = u16::try_from(app.history.sieve().meshes.len()).unwrap_or(u16::MAX);
    let funnel = (1 + meshes).min(if airy { 9 } else { 5 });
    let footer = if app.prompt.is_some() { 2 } else { 1 };
    let top = 1 + u16::from(airy);
    let rule = top + funnel + u16::from(airy);
    let body = rule + 1;
    let bottom = height.saturating_sub(footer);
    let room = bottom.saturating_sub(body);
    let inspector = match app.desk.inspector {
        Some(_) => (room * 2 / 5).max(6).min(room.saturating_sub(4)),
        None => 0,
    };
    let entries = room - inspector - u16::from(inspector > 0);
    let rail = match width {
        0..100 => 13,
        100..130 => 19,
        _ => 24,
    };
    let left = width.saturating_sub(rail + 1);
    Areas {
        masthead: Rect::new(0, 0, width, 1),
        funnel: Rect::new(0, top, width, funnel),
        rule: Rect::new(0, rule, width, 1),
        entries: Rect::new(0, body, left, entries),
        rail: Rect::new(left + 1, body, rail, entries),
        lower_rule: Rect::new(0, body + entries, width, u16::from(inspector > 0)),
        inspector: Rect::new(0, body + entries + 1, width, inspector),
    }
}

/// Draws whatever screen is open.
pub(super) fn draw(app: &App, frame: &mut Frame<'_>) {
    let area = frame.area();
    let buffer = frame.buffer_mut();
    buffer.set_style(area, app.theme.style(Role::Ground));
    if area.width < SMALLEST.0 || area.height < SMALLEST.1 {
        let text = format!("Cribrum needs {} columns and {} rows", SMALLEST.0, SMALLEST.1);
        put(buffer, 0, 0, area.width, &text, app.theme.style(Role::Text));
        return;
    }
    match &app.screen {
        Screen::Desk => desk(app, buffer),
        Screen::Trail(view) => trail::draw(app, view, area, buffer),
        Screen::Plate(view) => plate::draw(app, view, area, buffer),
        Screen::Intake { cursor, samples, .. } => intake::draw(app, *cursor, samples, area, buffer),
        Screen::Help { from, .. } => help::draw(app, *from, area, buffer),
    }
    let footer = Rect::new(0, area.height - 1, area.width, 1);
    if app.picker.is_some() {
        picker::draw(app, area, buffer);
    }
    if let Some(place) = frame::footer(app, footer, buffer) {
        frame.set_cursor_position(place);
    }
}

fn desk(app: &App, buffer: &mut Buffer) {
    let areas = desk_areas(app);
    frame::masthead(app, areas.masthead, buffer);
    funnel::draw(app, areas.funnel, buffer);
    let split = Some(areas.rail.x.saturating_sub(1));
    frame::rule(app, areas.rule, split.map(|x| (x, "┬")), buffer);
    entries::names(app, areas.rule, areas.entries, buffer);
    for y in areas.entries.y..areas.entries.bottom() {
        let down = app.theme.glyphs.down;
        put(buffer, areas.rail.x.saturating_sub(1), y, 1, down, app.theme.style(Role::Rule));
    }
    if app.snapshot.pan.is_empty() {
        empty::draw(app, areas.entries, buffer);
    } else {
        entries::draw(app, areas.entries, buffer);
    }
    rail::draw(app, areas.rail, buffer);
    if app.desk.inspector.is_some() {
        frame::rule(app, areas.lower_rule, split.map(|x| (x, "┴")), buffer);
        inspector::draw(app, areas.inspector, buffer);
    }
}

/// Writes text at a place, in at most `width` cells; gives the cells it took.
fn put(buffer: &mut Buffer, x: u16, y: u16, width: u16, text: &str, style: Style) -> u16 {
    let area = buffer.area;
    if width == 0 || !area.contains((x, y).into()) {
        return 0;
    }
    let width = width.min(area.right() - x);
    let shown = super::text::fit(text, usize::from(width));
    let (end, _) = buffer.set_stringn(x, y, shown, usize::from(width), style);
    end - x
}

/// Writes text so that it ends before `right`.
fn put_right(buffer: &mut Buffer, right: u16, y: u16, width: u16, text: &str, style: Style) {
    let taken = u16::try_from(cells(text)).unwrap_or(width).min(width);
    put(buffer, right.saturating_sub(taken), y, width, text, style);
}

#[cfg(test)]
mod random_tests;
#[cfg(test)]
mod tests;

//! The mouse on the desk.

use ratatui::{
    crossterm::event::{MouseButton, MouseEvent, MouseEventKind},
    layout::Rect,
};

use super::{
    entries::line::Line,
    layout::Areas,
    rail,
    state::{Desk, Focus},
};
use crate::tui::context::Context;

impl Desk {
    pub(super) fn click(&mut self, column: u16, row: u16, cx: &mut Context) {
        let areas = Areas::of(self, &cx.shared);
        let within = |area: Rect| area.contains((column, row).into());
        if within(areas.rail) {
            if let Some(time) = rail::time_at(&cx.shared, areas.rail, row) {
                self.go_to_time(time, cx);
                // A click goes there; what is dragged over becomes a window.
                (self.rail.from, self.rail.cursor) = (Some(time), Some(time));
            }
        } else if within(areas.entries) {
            let at = usize::from(row - areas.entries.y);
            if let Some(Line::Entry { id, .. }) = self.list.lines.get(at) {
                self.focus = Focus::Entries;
                self.list.follow = false;
                (self.list.selected, self.list.moved) = (Some(*id), true);
                // In an order that is not that of time every line is a row.
                self.list.at = self.list.top.map_or(0, |(top, _)| top + at);
            }
        } else if within(areas.funnel) {
            let at = usize::from(row - areas.funnel.y);
            if (1..=cx.shared.sieve().meshes.len()).contains(&at) {
                self.focus = Focus::Funnel;
                self.mesh = at - 1;
            }
        } else if within(areas.inspector) && self.inspector.is_some() {
            self.focus = Focus::Inspector;
        }
    }

    /// The mouse is dragged over the rail.
    pub(super) fn drag(&mut self, row: u16, cx: &Context) {
        if self.rail.from.is_none() {
            return;
        }
        let area = Areas::of(self, &cx.shared).rail;
        // A terminal of three rows has no rail.
        let last = area.bottom().saturating_sub(1).max(area.y);
        if let Some(time) = rail::time_at(&cx.shared, area, row.clamp(area.y, last)) {
            self.rail.cursor = Some(time);
        }
    }

    /// The mouse was let go: what it was dragged over on the rail becomes the window.
    pub(super) fn drop_drag(&mut self, cx: &mut Context) {
        let (Some(from), Some(to)) = (self.rail.from.take(), self.rail.cursor.take()) else {
            return;
        };
        if from != to {
            let width = self.rail_volume(&cx.shared).width;
            self.set_window(from.min(to), from.max(to) + width, cx);
        }
    }

    /// Takes a press, a drag or a release of the left button.
    pub(super) fn button(&mut self, event: MouseEvent, cx: &mut Context) {
        match event.kind {
            MouseEventKind::Down(MouseButton::Left) => self.click(event.column, event.row, cx),
            MouseEventKind::Drag(MouseButton::Left) => self.drag(event.row, cx),
            MouseEventKind::Up(MouseButton::Left) => self.drop_drag(cx),
            _ => {}
        }
    }
}

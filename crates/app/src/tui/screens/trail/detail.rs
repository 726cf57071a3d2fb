//! The step under the cursor in full, and the ids that the trail can be widened to.

use cribrum_core::{
    trail::{Link, Step, width},
    veil::Desk,
};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::state::TrailView;
use crate::{
    present::{cells, count_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{pair_text, put, put_veiled},
    },
};

/// Cells that the ids beside the trail take.
const BESIDE: u16 = 58;

pub(super) fn draw(
    view: &TrailView,
    shared: &Shared,
    step: &Step,
    area: Rect,
    buffer: &mut Buffer,
) {
    let links = area.width >= 120 && links(view, shared, area, buffer);
    let area = if links { Rect { width: area.width - BESIDE, ..area } } else { area };
    let theme = &shared.theme;
    let entry = &step.entry;
    let source = &shared.snapshot.sources[entry.source].name;
    let how = entry.logger.as_ref().map(|logger| logger.for_terminal().into_owned());
    let how = how.unwrap_or_default();
    let widest = cells(source).max(cells(&how));
    let label = u16::try_from(widest.clamp(8, 28)).unwrap_or(28) + 4;
    put(buffer, 2, area.y, label - 3, source, theme.style(Role::Dim));
    put(buffer, 2, area.y + 1, label - 3, &how, theme.style(Role::Faint));
    let room = area.width.saturating_sub(label + 2);
    let title = theme.level(entry.level()).add_modifier(Modifier::BOLD);
    put_veiled(theme, (label, area.y), room, &entry.message.for_terminal(), title, buffer);
    let body = entry.body.iter().flat_map(|body| body.as_str().lines());
    let mut y = area.y + 1;
    for line in body {
        if y >= area.bottom() {
            return;
        }
        let line = cribrum_core::veil::harmless(line).replace('\t', "    ");
        put_veiled(theme, (label, y), room, &line, theme.style(Role::Dim), buffer);
        y += 1;
    }
    if entry.body.is_none() {
        fields(shared, step, Rect { x: label, y, width: room, height: area.bottom() - y }, buffer);
    }
}

/// The fields of the step, line by line.
fn fields(shared: &Shared, step: &Step, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let (mut x, mut y) = (area.x, area.y);
    for field in &step.entry.fields {
        let text = pair_text(field);
        let wide = u16::try_from(cells(&text)).unwrap_or(u16::MAX);
        if x > area.x && x.saturating_add(wide) > area.right() {
            (x, y) = (area.x, y + 1);
        }
        if y >= area.bottom() {
            return;
        }
        let room = area.right().saturating_sub(x);
        x += put_veiled(theme, (x, y), room, &text, theme.style(Role::Dim), buffer) + 3;
    }
}

/// The ids that take in more than the one that is followed; whether there are any.
fn links(view: &TrailView, shared: &Shared, area: Rect, buffer: &mut Buffer) -> bool {
    let theme = &shared.theme;
    let own = width(view.kind());
    let steps = view.trail.as_ref().map_or(0, |trail| trail.steps.len());
    let wide = |link: &&Link<Desk>| width(link.id.kind) > own && link.entries >= steps;
    let wider: Vec<_> = view.links.iter().filter(wide).collect();
    if wider.is_empty() {
        return false;
    }
    let x = area.right() - BESIDE + 2;
    put(buffer, x, area.y, BESIDE - 4, "widen to", theme.style(Role::Faint));
    let rows = usize::from(area.height.saturating_sub(1));
    for (link, y) in wider.iter().rev().take(rows).zip(area.y + 1..) {
        let kind = format!("{} ", link.id.kind);
        let mut at = x + put(buffer, x, y, BESIDE - 4, &kind, theme.style(Role::Dim));
        let room = area.right().saturating_sub(at + 18);
        let id = link.id.text.for_terminal();
        at += put_veiled(theme, (at, y), room, &id, theme.id(link.id.text.as_str()), buffer);
        let count = format!("   {} entries", count_text(link.entries));
        put(buffer, at, y, area.right().saturating_sub(at + 1), &count, theme.style(Role::Faint));
    }
    true
}

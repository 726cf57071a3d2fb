//! The spans of a trail as a tree: how long each took, how much of that it spent itself, and the path that took
//! longest.

use cribrum_core::trail::{Node, Trail, Tree};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::{lanes::colour, state::TrailView};
use crate::{
    present::{counted, span_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{Scroll, brief, put, put_right, put_veiled},
    },
};

/// Cells of the bar that stands for a span's own time.
const BAR: u16 = 16;
/// Where the names begin.
const NAMES: u16 = 40 + BAR;

pub(super) fn draw(
    view: &TrailView,
    tree: &Tree,
    trail: &Trail,
    shared: &Shared,
    area: Rect,
    buffer: &mut Buffer,
) {
    let theme = &shared.theme;
    let dim = theme.style(Role::Dim);
    for (right, title) in [(11, "at"), (23, "took"), (35, "itself")] {
        put_right(buffer, right, area.y, 10, title, dim);
    }
    let mut told = "span".to_owned();
    if tree.orphans > 0 {
        told = format!("{told} · {} without a parent in the trail", counted(tree.orphans, "span"));
    }
    if tree.outside > 0 {
        told = format!("{told} · {} beyond the parent's time", counted(tree.outside, "span"));
    }
    put(buffer, NAMES, area.y, area.width.saturating_sub(NAMES), &told, dim);
    let most = tree.nodes.iter().filter_map(|node| node.own).max().unwrap_or(0).max(1);
    let at = tree.nodes.iter().position(|node| node.step == view.cursor).unwrap_or(0);
    let shown = usize::from(area.height.saturating_sub(1));
    let scroll = Scroll::around(at, tree.nodes.len(), shown);
    let rows = tree.nodes.iter().enumerate().skip(scroll.from).take(shown);
    for ((number, node), y) in rows.zip(area.y + 1..) {
        let line = Rect { y, height: 1, ..area };
        if number == at {
            buffer.set_style(line, theme.style(Role::Selection));
            put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        row(shared, trail, *node, most, line, buffer);
    }
}

fn row(shared: &Shared, trail: &Trail, node: Node, most: i64, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let step = &trail.steps[node.step];
    let y = area.y;
    put_right(buffer, 11, y, 10, &span_text(step.at), theme.style(Role::Dim));
    if let (Some(took), Some(own)) = (node.took, node.own) {
        let style = theme.style(if node.slowest { Role::Slow } else { Role::Text });
        put_right(buffer, 23, y, 10, &span_text(took), style);
        put_right(buffer, 35, y, 10, &span_text(own), theme.style(Role::Dim));
        let share = u128::from(own.max(0).unsigned_abs()) * u128::from(BAR);
        let cells = share.div_ceil(u128::from(most.unsigned_abs()));
        let cells = u16::try_from(cells).unwrap_or(BAR).min(BAR);
        for x in 37..37 + cells {
            put(buffer, x, y, 1, theme.glyphs.bar, style);
        }
    }
    let depth = u16::try_from(node.depth).unwrap_or(u16::MAX).saturating_mul(2).min(area.width / 3);
    let mut x = NAMES + depth;
    let sign = match (node.orphan, node.slowest) {
        (true, _) => "?",
        (false, true) => theme.glyphs.pointer,
        (false, false) => theme.glyphs.dot,
    };
    let role = if node.slowest { Role::Slow } else { Role::Faint };
    x += put(buffer, x, y, 1, sign, theme.style(role)) + 1;
    let lane = trail.lanes[step.lane].name.for_terminal();
    x += put(buffer, x, y, 14, &lane, colour(shared, trail, step.lane)) + 1;
    let level = step.entry.level();
    let style = match level {
        Some(level) if level >= cribrum_core::entry::Level::Warn => theme.level(Some(level)),
        _ if node.took.is_none() => theme.style(Role::Dim),
        _ if node.slowest => theme.style(Role::Text).add_modifier(Modifier::BOLD),
        _ => theme.style(Role::Text),
    };
    let room = area.right().saturating_sub(x);
    // What closes a span says no more than that.
    let text = match step.entry.closes_span() {
        true => step.entry.spans().pop().unwrap_or_default(),
        false => brief(&step.entry),
    };
    put_veiled(theme, (x, y), room, &text, style, buffer);
}

//! Two requests side by side, step by step.

use cribrum_core::trail::{Step, Trail};
use ratatui::{buffer::Buffer, layout::Rect, style::Modifier};

use super::state::Comparison;
use crate::{
    present::{asked_text, span_text},
    tui::{
        shared::Shared,
        theme::Role,
        widgets::{Scroll, brief, heading, put, put_right, put_veiled, rule},
    },
};

/// A difference between two waits that stands out, in nanoseconds.
const LONGER: i64 = 10_000_000;

pub(super) fn draw(comparison: &Comparison, shared: &Shared, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    heading(shared, "compare", "two requests, step by step", area, buffer);
    let half = (area.width - 14) / 2;
    let sides = [area.x + 2, area.x + half + 13];
    for (trail, x) in comparison.trails.iter().zip(sides) {
        title(shared, trail, Rect { x, y: area.y + 2, width: half - 1, height: 2 }, buffer);
    }
    rule(theme, Rect { y: area.y + 4, height: 1, ..area }, None, buffer);
    let top = area.y + 6;
    let dim = theme.style(Role::Dim);
    for x in sides {
        put_right(buffer, x + 9, top - 1, 9, "gap", dim);
    }
    put_right(buffer, sides[1] - 1, top - 1, 11, "longer by", dim);
    let shown = usize::from(area.bottom().saturating_sub(top));
    let scroll = Scroll::around(comparison.cursor, comparison.pairs.len(), shown);
    let rows = comparison.pairs.iter().enumerate().skip(scroll.from).take(shown);
    for ((number, pair), y) in rows.zip(top..) {
        if number == comparison.cursor {
            buffer.set_style(Rect { y, height: 1, ..area }, theme.style(Role::Selection));
            put(buffer, area.x, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
        }
        let steps = [pair.first, pair.second];
        let steps =
            [0, 1].map(|side| steps[side].and_then(|at| comparison.trails[side].steps.get(at)));
        for ((step, trail), x) in steps.iter().zip(&comparison.trails).zip(sides) {
            let line = Rect { x, y, width: half - 1, height: 1 };
            match step {
                Some(step) => side(shared, trail, step, line, buffer),
                None => {
                    put(buffer, x + 11, y, half - 12, "not there", theme.style(Role::Rule));
                }
            }
        }
        if let [Some(first), Some(second)] = steps {
            let more = second.gap - first.gap;
            if more.abs() >= LONGER {
                let sign = if more > 0 { "+" } else { "" };
                let text = format!("{sign}{}", span_text(more));
                put_right(buffer, sides[1] - 1, y, 11, &text, theme.style(Role::Slow));
            }
        }
    }
}

/// Which request it is, and how long it took.
fn title(shared: &Shared, trail: &Trail, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    let id = trail.ids.first();
    let text = id.map_or_else(String::new, |id| id.text.for_terminal().into_owned());
    let style = id.map_or(theme.style(Role::Dim), |id| theme.id(id.text.as_str()));
    let x = area.x + put_veiled(theme, (area.x, area.y), area.width, &text, style, buffer) + 2;
    let start = trail.start().map_or_else(String::new, |start| shared.moment(start));
    put(buffer, x, area.y, area.right().saturating_sub(x), &start, theme.style(Role::Dim));
    let strong = theme.style(Role::Text).add_modifier(Modifier::BOLD);
    let x = area.x
        + put(buffer, area.x, area.y + 1, area.width, &span_text(trail.duration), strong)
        + 2;
    let text = format!("{} entries", trail.steps.len());
    put(buffer, x, area.y + 1, area.right().saturating_sub(x), &text, theme.style(Role::Dim));
}

fn side(shared: &Shared, trail: &Trail, step: &Step, area: Rect, buffer: &mut Buffer) {
    let theme = &shared.theme;
    put_right(buffer, area.x + 9, area.y, 9, &span_text(step.gap), theme.style(Role::Faint));
    let level = step.entry.level();
    let glyph = level.map_or(" ", |level| theme.glyphs.severity[level.index()]);
    put(buffer, area.x + 11, area.y, 1, glyph, theme.level(level).remove_modifier(Modifier::BOLD));
    let lane = &trail.lanes[step.lane];
    let name = lane.name.for_terminal();
    let width = 10.min(area.width / 4);
    put(buffer, area.x + 13, area.y, width, &name, theme.lane(lane.source));
    let x = area.x + 14 + width;
    let room = area.right().saturating_sub(x);
    let style = match level {
        Some(level) if level >= cribrum_core::entry::Level::Warn => theme.level(Some(level)),
        _ => theme.style(Role::Text),
    };
    let text = asked_text(&step.entry).unwrap_or_else(|| brief(&step.entry));
    put_veiled(theme, (x, area.y), room, &text, style, buffer);
}

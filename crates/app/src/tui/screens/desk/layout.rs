//! Where the regions of the desk are.

use ratatui::layout::Rect;

use super::state::Desk;
use crate::tui::shared::Shared;

/// Columns of the terminal from which on the inspector can stand beside the rows.
const BESIDE: u16 = 120;

/// The regions of the desk on the screen.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Areas {
    pub(super) masthead: Rect,
    /// Of no height where no kept sieve stands in it.
    pub(super) strip: Rect,
    pub(super) funnel: Rect,
    pub(super) rule: Rect,
    pub(super) entries: Rect,
    pub(super) rail: Rect,
    pub(super) lower_rule: Rect,
    pub(super) inspector: Rect,
}

impl Areas {
    /// Lays the desk out for its area.
    pub(super) fn of(desk: &Desk, shared: &Shared) -> Self {
        let Rect { width, height, .. } = desk.area;
        let airy = height >= 31;
        let meshes = u16::try_from(shared.sieve().meshes.len()).unwrap_or(u16::MAX);
        let funnel = meshes.saturating_add(1).min(if airy { 9 } else { 5 });
        let strip = u16::from(shared.strip.iter().flatten().next().is_some());
        let top = 1 + strip + u16::from(airy);
        let rule = top + funnel + u16::from(airy);
        let body = rule + 1;
        let room = height.saturating_sub(body);
        let rail = match width {
            0..100 => 13,
            100..130 => 19,
            _ => 24,
        };
        let left = width.saturating_sub(rail + 1);
        if desk.inspector.is_some() && desk.beside && width >= BESIDE {
            // The rows keep the larger part; a rule stands between them and the inspector.
            let rows = left * 11 / 20;
            return Self {
                masthead: Rect::new(0, 0, width, 1),
                strip: Rect::new(0, 1, width, strip),
                funnel: Rect::new(0, top, width, funnel),
                rule: Rect::new(0, rule, width, 1),
                entries: Rect::new(0, body, rows, room),
                rail: Rect::new(left + 1, body, rail, room),
                lower_rule: Rect::default(),
                inspector: Rect::new(rows + 1, body, left - rows - 1, room),
            };
        }
        let inspector = match desk.inspector {
            Some(_) => (room * 2 / 5).max(6).min(room.saturating_sub(4)),
            None => 0,
        };
        let entries = room - inspector - u16::from(inspector > 0);
        Self {
            masthead: Rect::new(0, 0, width, 1),
            strip: Rect::new(0, 1, width, strip),
            funnel: Rect::new(0, top, width, funnel),
            rule: Rect::new(0, rule, width, 1),
            entries: Rect::new(0, body, left, entries),
            rail: Rect::new(left + 1, body, rail, entries),
            lower_rule: Rect::new(0, body + entries, width, u16::from(inspector > 0)),
            inspector: Rect::new(0, body + entries + 1, width, inspector),
        }
    }
}

//! Time on the rail: windows that are drawn and moved, and zoom.

use cribrum_core::query::Expr;

use super::state::{Desk, Focus};
use crate::tui::{
    context::{Context, Step},
    effect::Effect,
    shared::Shared,
};

impl Desk {
    /// The slice of time under the rail's cursor: where it begins and how long it is.
    fn rail_slice(&self, shared: &Shared) -> (i64, i64) {
        let volume = self.rail_volume(shared);
        let time = self.rail.cursor.or_else(|| shared.snapshot.time(self.list.selected?));
        let time =
            time.unwrap_or(volume.start).clamp(volume.start, (volume.end() - 1).max(volume.start));
        (time, volume.width.max(1))
    }

    /// Moves the rail's cursor by slices; the entries go with it.
    pub(super) fn rail_step(&mut self, step: Step, cx: &mut Context) {
        let volume = self.rail_volume(&cx.shared);
        let (time, width) = self.rail_slice(&cx.shared);
        let last = (volume.end() - 1).max(volume.start);
        let page = i64::try_from(self.list.height / 2).unwrap_or(1).max(1);
        let to = match step {
            Step::Rows(by) => {
                time.saturating_add(width.saturating_mul(i64::try_from(by).unwrap_or(0)))
            }
            Step::Pages(by) => {
                let by = i64::try_from(by).unwrap_or(0).saturating_mul(page);
                time.saturating_add(width.saturating_mul(by))
            }
            Step::First => volume.start,
            Step::Last => last,
        };
        let to = to.clamp(volume.start, last);
        self.rail.cursor = Some(to);
        if self.rail.from.is_none() {
            self.list.follow = false;
            self.go(cx.shared.snapshot.row_at(to), &cx.shared);
            self.list.moved = true;
        }
    }

    /// Begins a window at the rail's cursor, or ends it there.
    pub(super) fn draw_window(&mut self, cx: &mut Context) {
        let (time, width) = self.rail_slice(&cx.shared);
        match self.rail.from.take() {
            None => {
                self.rail.from = Some(time);
                cx.tell("a window begins here; ↑ ↓ to its other end, ⏎ sets it, Esc leaves it");
            }
            Some(from) => self.set_window(from.min(time), from.max(time) + width, cx),
        }
    }

    /// Puts a time window over the slices from one moment to another.
    pub(super) fn set_window(&mut self, from: i64, to: i64, cx: &mut Context) {
        let width = self.rail_volume(&cx.shared).width.max(1);
        let from = from.div_euclid(width) * width;
        let to = (to - 1).div_euclid(width) * width + width - 1;
        cx.alter(|sieve| sieve.set_window(Expr::within(from, to)));
    }

    /// Moves the window by a part of its width, or changes the width by one.
    pub(super) fn shift_window(&mut self, move_by: f64, grow_by: f64, cx: &mut Context) {
        let Some((Some(from), Some(to))) = cx.shared.sieve().window() else {
            return cx
                .tell("there is no window with two ends; T types one, ⏎ ⏎ on the rail draws one");
        };
        #[expect(clippy::cast_precision_loss, clippy::cast_possible_truncation, reason = "a part")]
        let part = |of: f64| ((to - from + 1) as f64 * of) as i64;
        let (shift, grow) = (part(move_by), part(grow_by));
        let (from, to) = (from + shift - grow, to + shift + grow);
        if to - from < 1_000_000 {
            return cx.tell("a millisecond is as narrow as it gets");
        }
        cx.alter(|sieve| sieve.set_window(Expr::within(from, to)));
    }

    /// Shows less time on the rail, around the window or the cursor, or more again.
    pub(super) fn zoom(&mut self, closer: bool, cx: &mut Context) {
        let volume = self.rail_volume(&cx.shared);
        let zoom = &mut self.rail.zoom;
        if !closer {
            if zoom.pop().is_none() {
                cx.tell("all of the time is shown");
                return;
            }
            return cx.emit(Effect::Span(self.rail.zoom.last().copied()));
        }
        let span = volume.end() - volume.start;
        let window = cx.shared.sieve().window();
        let narrow = |from: i64, to: i64| to - from < span / 2;
        let (from, to) = match window {
            Some((Some(from), Some(to))) if narrow(from, to) => {
                let room = (to - from) / 4;
                (from - room, to + room)
            }
            _ => {
                let (time, _) = self.rail_slice(&cx.shared);
                (time - span / 8, time + span / 8)
            }
        };
        if to - from < 50_000_000 {
            return cx.tell("there is no finer time to see");
        }
        self.rail.zoom.push((from, to));
        cx.emit(Effect::Span(Some((from, to))));
    }

    pub(super) fn drop_window(&mut self, cx: &mut Context) {
        cx.alter(|sieve| {
            let at = sieve.meshes.iter().position(|mesh| mesh.window().is_some());
            at.into_iter().for_each(|at| sieve.drop_mesh(at));
        });
    }

    /// Leaves what was begun on the rail, one thing at a time.
    pub(super) fn leave_rail(&mut self) {
        if self.rail.from.take().is_some() {
            return;
        }
        self.rail.cursor = None;
        self.focus = Focus::Entries;
    }
}

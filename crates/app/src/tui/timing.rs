//! Time on the desk: windows drawn on the rail, zoom, marks, jumps, zones.

use cribrum_core::query::Expr;
use jiff::tz::TimeZone;

use super::{
    picker::{Kind, Pick, Row},
    state::{App, Effect, Focus, Mark, Times},
    view,
};

impl App {
    /// The slice of time under the rail's cursor: where it begins and how long it is.
    fn rail_slice(&self) -> (i64, i64) {
        let volume = view::rail_volume(self);
        let time = self.desk.rail.cursor.or_else(|| self.snapshot.time(self.desk.selected?));
        let time =
            time.unwrap_or(volume.start).clamp(volume.start, (volume.end() - 1).max(volume.start));
        (time, volume.width.max(1))
    }

    /// Moves the rail's cursor by slices; the entries go with it.
    pub(super) fn rail_step(&mut self, by: isize) -> Vec<Effect> {
        let volume = view::rail_volume(self);
        let (time, width) = self.rail_slice();
        let by = i64::try_from(by).unwrap_or(0);
        let to = time.saturating_add(width.saturating_mul(by));
        let to = to.clamp(volume.start, (volume.end() - 1).max(volume.start));
        self.desk.rail.cursor = Some(to);
        if self.desk.rail.from.is_none() {
            self.desk.follow = false;
            self.go(self.snapshot.row_at(to));
            self.desk.moved = true;
        }
        Vec::new()
    }

    /// Begins a window at the rail's cursor, or ends it there.
    pub(super) fn draw_window(&mut self) -> Vec<Effect> {
        let (time, width) = self.rail_slice();
        match self.desk.rail.from.take() {
            None => {
                self.desk.rail.from = Some(time);
                self.tell("a window begins here; ↑ ↓ to its other end, ⏎ sets it, Esc leaves it");
                Vec::new()
            }
            Some(from) => self.set_window(from.min(time), from.max(time) + width),
        }
    }

    /// Puts a time window over the slices from one moment to another.
    pub(super) fn set_window(&mut self, from: i64, to: i64) -> Vec<Effect> {
        let width = view::rail_volume(self).width.max(1);
        let from = from.div_euclid(width) * width;
        let to = (to - 1).div_euclid(width) * width + width - 1;
        self.alter(|sieve| sieve.set_window(Expr::within(from, to)))
    }

    /// Moves the window by a part of its width, or changes the width by one.
    pub(super) fn shift_window(&mut self, move_by: f64, grow_by: f64) -> Vec<Effect> {
        let Some((Some(from), Some(to))) = self.history.sieve().window() else {
            self.tell("there is no window with two ends; T types one, ⏎ ⏎ on the rail draws one");
            return Vec::new();
        };
        #[expect(clippy::cast_precision_loss, clippy::cast_possible_truncation, reason = "a part")]
        let part = |of: f64| ((to - from + 1) as f64 * of) as i64;
        let (shift, grow) = (part(move_by), part(grow_by));
        let (from, to) = (from + shift - grow, to + shift + grow);
        if to - from < 1_000_000 {
            self.tell("a millisecond is as narrow as it gets");
            return Vec::new();
        }
        self.alter(|sieve| sieve.set_window(Expr::within(from, to)))
    }

    /// Shows less time on the rail, around the window or the cursor, or more again.
    pub(super) fn zoom(&mut self, closer: bool) -> Vec<Effect> {
        let volume = view::rail_volume(self);
        let zoom = &mut self.desk.rail.zoom;
        if !closer {
            if zoom.pop().is_none() {
                self.tell("all of the time is shown");
                return Vec::new();
            }
            return vec![Effect::Span(self.desk.rail.zoom.last().copied())];
        }
        let span = volume.end() - volume.start;
        let window = self.history.sieve().window();
        let narrow = |from: i64, to: i64| to - from < span / 2;
        let (from, to) = match window {
            Some((Some(from), Some(to))) if narrow(from, to) => {
                let room = (to - from) / 4;
                (from - room, to + room)
            }
            _ => {
                let (time, _) = self.rail_slice();
                (time - span / 8, time + span / 8)
            }
        };
        if to - from < 50_000_000 {
            self.tell("there is no finer time to see");
            return Vec::new();
        }
        self.desk.rail.zoom.push((from, to));
        vec![Effect::Span(Some((from, to)))]
    }

    /// Puts the cursor on the first entry at or after a time.
    pub(super) fn jump(&mut self, time: i64) -> Vec<Effect> {
        let row = self.snapshot.row_at(time);
        if row >= self.snapshot.pan.len() {
            self.tell("nothing that is left comes at or after it");
        }
        self.desk.follow = false;
        self.go(row);
        self.desk.moved = true;
        self.desk.rail.cursor = None;
        Vec::new()
    }

    /// Sets a mark at the selected entry.
    pub(super) fn set_mark(&mut self, name: &str) -> Vec<Effect> {
        let time = self.desk.selected.and_then(|id| self.snapshot.time(id));
        let Some(time) = time else {
            self.tell("there is no moment here to mark");
            return Vec::new();
        };
        let name = match name.trim() {
            "" => format!("mark {}", self.marks.len() + 1),
            name => self.snapshot.own_text(name).for_terminal().replace(['"', '\\'], ""),
        };
        self.marks.retain(|mark| mark.name != name);
        self.tell(format!(
            "marked; time > mark \"{name}\" is what comes after it, ' lists the marks"
        ));
        self.marks.push(Mark { name, time });
        self.marks.sort_by_key(|mark| mark.time);
        Vec::new()
    }

    pub(super) fn open_marks(&mut self) -> Vec<Effect> {
        let rows = self.marks.iter().map(|mark| Row {
            key: None,
            text: mark.name.clone(),
            note: view::moment(self, mark.time),
            sieve: None,
            pick: Pick::Jump(mark.time),
        });
        let rows = rows.collect();
        self.open_picker(Kind::Marks, rows)
    }

    /// From one way to show times to the next: the zone asked for, the machine's own, as written.
    pub(super) fn next_zone(&mut self) {
        let local = TimeZone::system();
        let at_first = self.zone == self.first_zone;
        (self.zone, self.times) = match self.times {
            Times::Zone if at_first && local != self.first_zone => (local, Times::Zone),
            Times::Zone => (self.first_zone.clone(), Times::Written),
            Times::Written => (self.first_zone.clone(), Times::Zone),
        };
        let name = view::zone_name(self);
        self.tell(match self.times {
            Times::Zone => format!("times in {name}"),
            Times::Written => "times as written; what is typed is meant in UTC".to_owned(),
        });
    }

    /// Leaves what was begun on the rail, one thing at a time. Says whether there was something.
    pub(super) fn leave_rail(&mut self) -> bool {
        if self.desk.rail.from.take().is_some() {
            return true;
        }
        self.desk.rail.cursor = None;
        self.desk.focus = Focus::Entries;
        true
    }
}

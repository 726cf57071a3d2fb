//! The desk as a screen: what it does with keys, steps, the mouse and new snapshots.

use std::sync::Arc;

use cribrum_core::{EntryId, engine::Lens, tally::By};
use ratatui::{
    buffer::Buffer,
    crossterm::event::{MouseEvent, MouseEventKind},
    layout::Rect,
};

use super::{
    bare, empty, entries,
    entries::line::Line,
    funnel, inspector,
    keys::KEYS,
    layout::Areas,
    masthead, rail,
    state::{Desk, Focus, RailView},
    strip,
};
use crate::{
    present::count_text,
    results::{EntryExtract, Extract, WhichEntries},
    tui::{
        context::{Context, Step, Target},
        screen::{Binding, Opening, Screen, actions_of},
        shared::{Here, Shared},
        theme::Role,
        widgets::{put, rule},
    },
};

/// The desk is the first screen; no key opens it.
pub(crate) const OPENING: Opening = Opening {
    name: Desk::NAME,
    about: Desk::ABOUT,
    key: None,
    open: |cx| Some(Box::new(Desk::new(cx.shared.follow))),
    actions: actions_of::<Desk>,
    anywhere: false,
};

impl Screen for Desk {
    type Region = Focus;
    const NAME: &'static str = "desk";
    const ABOUT: &'static str = "the sieve, the entries that are left, and the rail of time";
    const EXTRACTS: bool = true;
    const SIFTS: bool = true;
    const OPENS: bool = true;

    fn keys() -> &'static [Binding<Self, Focus>] {
        KEYS
    }

    fn region(&self) -> Focus {
        self.focus
    }

    fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        let areas = Areas::of(self, shared);
        let theme = &shared.theme;
        masthead::draw(self, shared, areas.masthead, buffer);
        if areas.strip.height > 0 {
            strip::draw(shared, areas.strip, buffer);
        }
        funnel::draw(self, shared, areas.funnel, buffer);
        let split = areas.rail.x.saturating_sub(1);
        rule(theme, areas.rule, Some((split, "┬")), buffer);
        entries::names(shared, areas.rule, areas.entries, buffer);
        for y in areas.entries.y..areas.entries.bottom() {
            put(buffer, split, y, 1, theme.glyphs.down, theme.style(Role::Rule));
        }
        match shared.snapshot.pan.is_empty() {
            true => empty::draw(self, shared, areas.entries, buffer),
            false => entries::draw(self, shared, areas.entries, buffer),
        }
        rail::draw(self, shared, areas.rail, buffer);
        if self.inspector.is_some() {
            rule(theme, areas.lower_rule, Some((split, "┴")), buffer);
            if areas.lower_rule.height == 0 {
                let x = areas.inspector.x.saturating_sub(1);
                for y in areas.inspector.y..areas.inspector.bottom() {
                    put(buffer, x, y, 1, theme.glyphs.down, theme.style(Role::Rule));
                }
            }
            inspector::draw(self, shared, areas.inspector, buffer);
        }
        if let Some(bare) = self.bare(shared) {
            bare::draw(bare, shared, area, buffer);
        }
    }

    fn prepare(&mut self, area: Rect, cx: &mut Context) {
        self.area = area;
        // What the funnel's cursor was on may be gone.
        let meshes = cx.shared.sieve().meshes.len();
        self.mesh = self.mesh.min(meshes.saturating_sub(1));
        if meshes == 0 && self.focus == Focus::Funnel {
            self.focus = Focus::Entries;
        }
        self.fit_columns(cx);
        self.put_in_order(cx);
        entries::choose(self, &cx.shared);
        self.inspect(cx);
    }

    fn wanted(&self) -> Vec<EntryId> {
        let entry = |line: &Line| match line {
            Line::Entry { id, .. } => Some(*id),
            _ => None,
        };
        self.list.lines.iter().filter_map(entry).collect()
    }

    fn refreshed(&mut self, cx: &mut Context) {
        if !self.list.moved && !self.list.follow {
            self.list.selected = cx.shared.snapshot.pan.get(0);
        }
        self.go_to_found(cx);
        self.explain_when_empty(cx);
    }

    fn step(&mut self, step: Step, cx: &mut Context) {
        let page = self.list.height;
        let remedies = self.remedies(&cx.shared);
        let text_height = Areas::of(self, &cx.shared).inspector.height;
        match (self.focus, &mut self.inspector) {
            (Focus::Rail, _) => self.rail_step(step, cx),
            (Focus::Text, Some(inspector)) => {
                let len = inspector.text().len();
                inspector.line = step.from(inspector.line, len, usize::from(text_height));
            }
            (Focus::Inspector, Some(inspector)) => {
                inspector.cursor = step.from(inspector.cursor, inspector.rows().len(), page);
            }
            (Focus::Funnel, _) => {
                self.mesh = step.from(self.mesh, cx.shared.sieve().meshes.len(), page);
            }
            _ if remedies > 0 => self.empty.remedy = step.from(self.empty.remedy, remedies, page),
            _ => self.move_cursor(step, cx),
        }
    }

    fn back(&mut self, cx: &mut Context) -> bool {
        if self.conceal() {
            return true;
        }
        if self.focus == Focus::Text {
            if let Some(inspector) = &mut self.inspector {
                inspector.raw = false;
            }
            self.focus = Focus::Inspector;
        } else if self.focus == Focus::Rail {
            self.leave_rail();
        } else if self.focus == Focus::Funnel {
            self.focus = Focus::Entries;
        } else if self.inspector.take().is_some() {
            self.focus = Focus::Entries;
            cx.set_lens(Lens::Id, None);
        } else if !self.stop_finding(cx) {
            let ordered = self.order.is_some();
            self.order_by_time(cx);
            return ordered;
        }
        true
    }

    fn mouse(&mut self, event: MouseEvent, cx: &mut Context) {
        match event.kind {
            MouseEventKind::ScrollUp => self.step(Step::Rows(-3), cx),
            MouseEventKind::ScrollDown => self.step(Step::Rows(3), cx),
            _ => self.button(event, cx),
        }
    }

    fn go_to(&mut self, target: Target, cx: &mut Context) {
        match target {
            Target::Entry(id) => self.go_to_entry(id, cx),
            Target::Time(time) => self.go_to_time(time, cx),
        }
    }

    fn extract(&self, shared: &Shared) -> Option<Arc<dyn Extract>> {
        let one =
            self.entry(shared).filter(|_| matches!(self.focus, Focus::Inspector | Focus::Text));
        let (name, entries) = match one {
            Some(id) => ("entry", WhichEntries::Ids([id].into())),
            None => ("entries", WhichEntries::Rows(self.rows(shared).clone())),
        };
        Some(Arc::new(EntryExtract { name, entries, columns: shared.columns.to_extract() }))
    }

    fn here(&self, shared: &Shared) -> Here {
        let row = match (self.focus, &self.inspector) {
            (Focus::Inspector, Some(inspector)) => inspector.row(),
            _ => None,
        };
        let by = match row {
            Some(row) => row.same.as_ref().and_then(|same| By::of(same.path()?)),
            None => shared.columns.chosen().tallied_by(),
        };
        let id_kind = row.and_then(|row| row.id_kind);
        Here { entry: self.entry(shared), id_kind, by, ..Here::default() }
    }

    fn corner(&self, shared: &Shared) -> String {
        match (&self.find.words, shared.lens(Lens::Find)) {
            (Some(words), Some(lens)) => {
                let more = if lens.done { "" } else { " so far" };
                let words = shared.own_text(words);
                format!("\"{words}\" in {}{more} · n N", count_text(lens.in_pan))
            }
            _ => {
                let len = shared.snapshot.pan.len();
                let at = if len == 0 { 0 } else { self.row(shared) + 1 };
                format!("{} of {}", count_text(at), count_text(len))
            }
        }
    }

    fn read_again(&mut self) {
        (self.list.selected, self.list.top, self.list.moved) = (None, None, false);
        self.inspector = None;
        (self.order, self.fitted) = (None, None);
        self.rail = RailView::default();
        if matches!(self.focus, Focus::Inspector | Focus::Text) {
            self.focus = Focus::Entries;
        }
    }
}

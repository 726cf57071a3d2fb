//! What happened, and what it changes. The only place where state changes; no I/O but reading rows.

use std::{path::PathBuf, sync::Arc};

use cribrum_core::{
    EntryId,
    engine::{Finding, Lens, Snapshot, Survey},
    query::Expr,
    sieve::Sieve,
    trail::Trail,
};
use cribrum_draw::VolumePlate;
use ratatui::crossterm::event::{KeyEvent, MouseButton, MouseEvent, MouseEventKind};

use super::{
    columns::Column,
    completing::Asked,
    inspector::{Inspector, View},
    jobs::Job,
    keymap::{self, Action},
    prompt::{Prompt, Purpose},
    state::{App, Effect, Focus, Line, PlateView, Screen, TrailView},
    teach::Sample,
    view,
};
use crate::cli::Conditions;

/// Something that happened.
pub(crate) enum Event {
    Key(KeyEvent),
    Paste(String),
    Mouse(MouseEvent),
    Resize,
    /// There is a new snapshot.
    News,
    /// Rows have been read.
    Rows,
    /// A trail has been read.
    Trail(Box<Trail>),
    /// A plate has been counted.
    Plate(Box<VolumePlate>),
    /// An entry has been read for the inspector, with the condition that finds those with its id.
    Inspected(EntryId, Box<Result<View, String>>, Option<Expr>),
    /// An entry's text for the clipboard.
    Copied(Result<String, String>),
    /// The condition that finds the entries with the id of one that is to be followed.
    Follow(EntryId, Result<Option<Expr>, String>),
    /// Lines of a source have been read.
    Samples(usize, Vec<Sample>),
    /// Whether a word that was typed is hidden where it stands.
    Hidden(String, bool),
    /// A plate has been saved, or why not.
    Saved(Result<PathBuf, String>),
    /// What a prompt asked for has been looked up.
    Survey(Asked, Survey),
    /// Why a sieve leaves nothing.
    Findings(Sieve, Vec<Finding>),
    /// The terminal is given away for a while.
    Suspend,
    /// The terminal has gone away, or somebody asks the program to end.
    Quit,
}

impl App {
    /// Takes an event in.
    pub(crate) fn update(&mut self, event: Event) -> Vec<Effect> {
        match event {
            Event::Key(key) => self.key(key),
            Event::Paste(text) => match &mut self.prompt {
                Some(prompt) => {
                    prompt.insert(&text);
                    self.typed()
                }
                // What is pasted never runs as keys.
                None => {
                    self.tell("press s or / before pasting");
                    Vec::new()
                }
            },
            Event::Mouse(mouse) => self.mouse(mouse),
            Event::Resize | Event::News | Event::Rows | Event::Suspend => Vec::new(),
            Event::Trail(trail) => {
                if let Screen::Trail(view) = &mut self.screen {
                    view.cursor =
                        trail.steps.iter().position(|s| s.entry.id == view.from).unwrap_or(0);
                    view.trail = Some(*trail);
                }
                Vec::new()
            }
            Event::Plate(plate) => {
                if let Screen::Plate(view) = &mut self.screen {
                    view.plate = Some(*plate);
                }
                Vec::new()
            }
            Event::Inspected(id, view, expr) => {
                let Some(inspector) = self.desk.inspector.as_mut() else { return Vec::new() };
                if inspector.id != Some(id) {
                    return Vec::new();
                }
                inspector.show(*view);
                vec![Effect::Lens(Lens::Id, expr)]
            }
            Event::Copied(Ok(text)) => {
                self.tell("copied, secrets hidden");
                vec![Effect::Copy(text)]
            }
            Event::Copied(Err(error)) => {
                self.warn(error);
                Vec::new()
            }
            Event::Follow(id, expr) => self.follow(id, expr),
            Event::Samples(source, samples) => {
                if let Screen::Intake { cursor, samples: shown, .. } = &mut self.screen
                    && *cursor == source
                {
                    *shown = samples;
                }
                Vec::new()
            }
            Event::Hidden(word, hidden) => self.verified(&word, hidden),
            Event::Saved(Ok(path)) => {
                self.tell(format!("saved {}", path.display()));
                Vec::new()
            }
            Event::Saved(Err(error)) => {
                self.warn(error);
                Vec::new()
            }
            Event::Survey(asked, survey) => {
                self.surveys.insert(asked, Some(survey));
                self.complete()
            }
            Event::Findings(sieve, findings) => {
                self.findings = Some((sieve, findings));
                Vec::new()
            }
            Event::Quit => {
                self.quitting = true;
                Vec::new()
            }
        }
    }

    /// Takes the latest snapshot.
    pub(crate) fn refresh(&mut self, snapshot: Arc<Snapshot>) -> Vec<Effect> {
        if !self.desk.moved && !self.desk.follow {
            self.desk.selected = snapshot.pan.get(0);
        }
        let newest = |snapshot: &Snapshot| {
            let notes = snapshot.status.iter().flat_map(|status| status.notes.last());
            notes.max_by_key(|note| note.time).cloned()
        };
        let (known, note) = (newest(&self.snapshot), newest(&snapshot));
        self.snapshot = snapshot;
        if let Some(note) = note.filter(|note| known.as_ref() != Some(note)) {
            self.warn(format!("{} (i: the intake)", note.text));
        }
        self.read.clear();
        if let Screen::Intake { cursor, .. } = self.screen {
            self.open_intake(cursor);
        }
        self.go_to_found();
        let mut effects = self.conditions_when_ready();
        effects.extend(self.look_at_watches());
        // Where programs have started is looked up when there is nothing else to do.
        if self.snapshot.settled() && self.snapshot.lens(Lens::Start).is_none() {
            effects.push(Effect::Lens(Lens::Start, Some(Expr::starting())));
        }
        effects.extend(self.explain_when_empty());
        effects.extend(self.verify_typed());
        if let Screen::Trail(view) = &mut self.screen
            && !view.asked
        {
            let text = view.expr.to_string();
            let done = self.snapshot.lens(Lens::Trail).is_some_and(|l| l.done && l.text == text);
            if done && self.snapshot.loaded() {
                view.asked = true;
                effects.push(Effect::Look(Job::Trail(view.expr.clone())));
            }
        }
        effects
    }

    /// Finds out why nothing is left, once for each sieve that leaves nothing.
    fn explain_when_empty(&mut self) -> Vec<Effect> {
        let snapshot = &self.snapshot;
        let empty = snapshot.pan.is_empty() && !snapshot.order.is_empty() && snapshot.settled();
        if !empty {
            self.findings = None;
            return Vec::new();
        }
        match &self.findings {
            Some((sieve, _)) if *sieve == snapshot.sieve => Vec::new(),
            _ => {
                self.findings = Some((snapshot.sieve.clone(), Vec::new()));
                vec![Effect::Look(Job::Diagnose)]
            }
        }
    }

    /// Puts the conditions of the command line in, once the day of their clock times is known.
    fn conditions_when_ready(&mut self) -> Vec<Effect> {
        let Some(conditions) = &self.conditions else {
            return Vec::new();
        };
        let dated = |conditions: &Conditions, last| {
            conditions.sieve(last).ok().filter(|sieve| {
                self.snapshot.loaded()
                    || !sieve.meshes.iter().any(cribrum_core::sieve::Mesh::is_timed)
            })
        };
        let last = self.snapshot.span().map(|(_, last)| last);
        let Some(sieve) = dated(conditions, last.or(Some(0))) else {
            return Vec::new();
        };
        self.conditions = None;
        let changed = !sieve.meshes.is_empty();
        self.history = cribrum_core::sieve::History::new(sieve.clone());
        if changed { vec![Effect::Sieve(sieve)] } else { Vec::new() }
    }

    fn key(&mut self, key: KeyEvent) -> Vec<Effect> {
        self.message = None;
        // A window that the mouse was drawing ends with any key.
        if self.desk.focus != Focus::Rail {
            (self.desk.rail.from, self.desk.rail.cursor) = (None, None);
        }
        if self.prompt.is_some() {
            return self.prompt_key(key);
        }
        if self.picker.is_some() {
            return self.picker_key(key);
        }
        match keymap::resolve(self.mode(), key) {
            Some(action) => self.act(action),
            None => Vec::new(),
        }
    }

    pub(super) fn act(&mut self, action: Action) -> Vec<Effect> {
        if self.desk.focus == Focus::Rail
            && matches!(self.screen, Screen::Desk)
            && let Some(effects) = self.act_on_rail(action)
        {
            return effects;
        }
        match action {
            Action::Help => self.open_help(),
            Action::Back | Action::Quit => return self.back(action == Action::Quit),
            Action::Up => self.step(-1),
            Action::Down => self.step(1),
            Action::PageUp => self.step(-self.page()),
            Action::PageDown => self.step(self.page()),
            Action::Top => self.step(isize::MIN),
            Action::Bottom => self.step(isize::MAX),
            Action::Left => self.desk.columns.choose(-1),
            Action::Right => self.desk.columns.choose(1),
            Action::Open if matches!(self.screen, Screen::Intake { .. }) => {
                return self.not_understood();
            }
            Action::Open if self.remedies() > 0 => return self.apply_remedy(),
            Action::Open => self.open(),
            Action::NextRegion => self.next_region(),
            Action::Sift => return self.ask(Purpose::Sift, ""),
            Action::Find => return self.ask(Purpose::Find, ""),
            Action::Window => return self.ask(Purpose::Window, ""),
            Action::JumpTo => return self.ask(Purpose::Jump, ""),
            Action::Mark => return self.ask(Purpose::Mark, ""),
            Action::Marks => return self.open_marks(),
            Action::Watch => return self.open_watches(),
            Action::Sieves => return self.open_sieves(),
            Action::Values => return self.open_values(),
            Action::Zone => self.next_zone(),
            Action::Column => self.column_here(),
            Action::ColumnLeft | Action::ColumnRight => {
                let by = if action == Action::ColumnLeft { -1 } else { 1 };
                if !self.desk.columns.shift(by) {
                    self.tell("← → choose a column to move; the message stays last");
                }
            }
            Action::Narrower | Action::Wider => self.size_column(action == Action::Wider),
            Action::DropColumn => {
                if !self.desk.columns.drop_chosen() {
                    self.tell("← → choose a column to drop; the message stays");
                }
            }
            Action::FindNext => self.find(true),
            Action::FindBefore => self.find(false),
            Action::Trail => return self.trail(),
            Action::Plate => return self.plate(),
            Action::Intake => self.open_intake(0),
            Action::Teach => self.teach(),
            Action::Clock => self.ask_clock(),
            Action::Follow => self.desk.follow = !self.desk.follow,
            Action::Copy => return self.copy(),
            Action::Mouse => {
                self.mouse = !self.mouse;
                self.tell(if self.mouse {
                    "the mouse is ours"
                } else {
                    "the mouse is the terminal's"
                });
                return vec![Effect::Mouse(self.mouse)];
            }
            Action::EditMesh => return self.edit_mesh(),
            Action::Save => {
                self.prompt = Some(Prompt::new(Purpose::Save, "volume.svg"));
            }
            action => return self.change(action),
        }
        self.inspect()
    }

    /// What keys mean while the rail is in focus; `None` for those that mean the same as elsewhere.
    fn act_on_rail(&mut self, action: Action) -> Option<Vec<Effect>> {
        let page = self.page();
        Some(match action {
            Action::Up => self.rail_step(-1),
            Action::Down => self.rail_step(1),
            Action::PageUp => self.rail_step(-page / 2),
            Action::PageDown => self.rail_step(page / 2),
            Action::Top => self.rail_step(isize::MIN),
            Action::Bottom => self.rail_step(isize::MAX),
            Action::DrawWindow => self.draw_window(),
            Action::Earlier => self.shift_window(-0.5, 0.0),
            Action::Later => self.shift_window(0.5, 0.0),
            Action::NarrowWindow => self.shift_window(0.0, -0.25),
            Action::WidenWindow => self.shift_window(0.0, 0.5),
            Action::ZoomIn => self.zoom(true),
            Action::ZoomOut => self.zoom(false),
            Action::DropWindow => self.alter(|sieve| {
                let at = sieve.meshes.iter().position(|mesh| mesh.window().is_some());
                at.into_iter().for_each(|at| sieve.drop_mesh(at));
            }),
            Action::Back => {
                self.leave_rail();
                Vec::new()
            }
            _ => return None,
        })
    }

    /// Makes a column of the field under the inspector's cursor, or takes it away.
    fn column_here(&mut self) {
        let same = self.same_value();
        match same.as_ref().and_then(super::pointing::column_of) {
            Some(Column::Field(path)) => self.toggle_column(&path),
            _ => self.tell("this is no field with a single value"),
        }
    }

    /// Makes a column of a field, or takes it away.
    pub(super) fn toggle_column(&mut self, path: &str) {
        let there = self.desk.columns.toggle_field(path);
        self.tell(match there {
            true => format!("{path} is a column now; [ ] move it, {{ }} size it, Del drops it"),
            false => format!("{path} is no column any more"),
        });
    }

    fn size_column(&mut self, wider: bool) {
        let now = view::column_width(self);
        if !self.desk.columns.resize(if wider { 2 } else { -2 }, now) {
            self.tell("← → choose the source or a field's column to size");
        }
    }

    /// How many remedies an empty pan offers.
    pub(crate) fn remedies(&self) -> usize {
        let empty = self.snapshot.pan.is_empty() && matches!(self.screen, Screen::Desk);
        let here = empty && self.desk.focus == Focus::Entries;
        let findings = self.findings.iter().filter(|_| here).flat_map(|(_, findings)| findings);
        findings.filter(|finding| finding.remedy.is_some()).count()
    }

    fn apply_remedy(&mut self) -> Vec<Effect> {
        let findings = self.findings.iter().flat_map(|(_, findings)| findings);
        let mut remedies = findings.filter_map(|finding| finding.remedy.clone());
        match remedies.nth(self.desk.remedy) {
            Some((_, sieve)) => self.alter(|now| *now = sieve),
            None => Vec::new(),
        }
    }

    /// Puts the cursor on an entry, or on where it would be.
    pub(super) fn go_to(&mut self, id: EntryId) {
        self.screen = Screen::Desk;
        self.desk.follow = false;
        (self.desk.selected, self.desk.moved) = (Some(id), true);
        let row = self.snapshot.row_of(id);
        if self.snapshot.pan.get(row) != Some(id) {
            self.tell("the sieve holds this entry back; the cursor is where it would be");
        }
    }

    fn back(&mut self, quit: bool) -> Vec<Effect> {
        match std::mem::replace(&mut self.screen, Screen::Desk) {
            Screen::Help { under, .. } => self.screen = *under,
            Screen::Trail(_) => return vec![Effect::Lens(Lens::Trail, None)],
            Screen::Plate(_) | Screen::Intake { .. } => {}
            Screen::Desk if quit => self.quitting = true,
            Screen::Desk if self.desk.focus == Focus::Funnel => self.desk.focus = Focus::Entries,
            Screen::Desk if self.desk.inspector.is_some() => {
                self.desk.inspector = None;
                self.desk.focus = Focus::Entries;
                return vec![Effect::Lens(Lens::Id, None)];
            }
            Screen::Desk if self.found.is_some() => {
                (self.found, self.finding) = (None, None);
                return vec![Effect::Lens(Lens::Find, None)];
            }
            Screen::Desk => self.tell("q ends the program"),
        }
        Vec::new()
    }

    fn open_intake(&mut self, cursor: usize) {
        // What is shown stays until that of the source is read.
        let samples = match &mut self.screen {
            Screen::Intake { samples, .. } => std::mem::take(samples),
            _ => Vec::new(),
        };
        self.screen = Screen::Intake { cursor, samples, asked: false };
    }

    /// Everything is read again: what is known of single entries is known no more.
    pub(super) fn read_again(&mut self, snapshot: Arc<Snapshot>) {
        (self.desk.selected, self.desk.top, self.desk.inspector) = (None, None, None);
        // What had arrived is counted by blocks that are others now.
        self.history.change_all(|sieve| {
            sieve.meshes.retain(|mesh| !matches!(mesh.kind, cribrum_core::sieve::Kind::Swept(_)));
        });
        self.watches.clear();
        self.desk.rail = super::state::RailView::default();
        self.desk.moved = false;
        let _ = self.refresh(snapshot);
    }

    fn open_help(&mut self) {
        if matches!(self.screen, Screen::Help { .. }) {
            return;
        }
        let under = std::mem::replace(&mut self.screen, Screen::Desk);
        self.screen = Screen::Help { under: Box::new(under), from: 0 };
    }

    fn page(&self) -> isize {
        isize::try_from(self.desk.height.saturating_sub(2).max(1)).unwrap_or(1)
    }

    fn step(&mut self, by: isize) {
        let remedies = self.remedies();
        let moved = |at: usize, len: usize| at.saturating_add_signed(by).min(len.saturating_sub(1));
        match &mut self.screen {
            Screen::Trail(view) => {
                let len = view.trail.as_ref().map_or(0, |trail| trail.steps.len());
                view.cursor = moved(view.cursor, len);
            }
            Screen::Intake { cursor, .. } => {
                let to = moved(*cursor, self.snapshot.sources.len());
                self.open_intake(to);
            }
            Screen::Help { from, .. } => *from = moved(*from, keymap::BINDINGS.len()),
            Screen::Plate(_) => {}
            Screen::Desk => match (self.desk.focus, &mut self.desk.inspector) {
                (Focus::Inspector, Some(inspector)) if inspector.raw => {
                    inspector.scroll = inspector.scroll.saturating_add_signed(by);
                }
                (Focus::Inspector, Some(inspector)) => {
                    inspector.cursor = moved(inspector.cursor, inspector.rows().len());
                }
                (Focus::Entries, _) if remedies > 0 => {
                    self.desk.remedy = moved(self.desk.remedy, remedies);
                }
                (Focus::Funnel, _) => {
                    self.desk.mesh = moved(self.desk.mesh, self.history.sieve().meshes.len());
                }
                _ => {
                    let row = moved(self.row(), self.snapshot.pan.len());
                    if by < 0 {
                        self.desk.follow = false;
                    }
                    self.go(row);
                }
            },
        }
    }

    fn open(&mut self) {
        match &mut self.screen {
            Screen::Trail(view) => {
                let step = view.trail.as_ref().and_then(|trail| trail.steps.get(view.cursor));
                if let Some(id) = step.map(|step| step.entry.id) {
                    self.go_to(id);
                }
            }
            Screen::Desk => match (&mut self.desk.inspector, self.desk.focus) {
                (Some(inspector), Focus::Inspector) => {
                    inspector.raw = !inspector.raw;
                    inspector.scroll = 0;
                }
                _ if !self.snapshot.pan.is_empty() => {
                    self.desk.inspector = Some(Inspector::closed());
                    self.desk.focus = Focus::Inspector;
                }
                _ => {}
            },
            _ => {}
        }
    }

    fn next_region(&mut self) {
        let has_meshes = !self.history.sieve().meshes.is_empty();
        self.desk.focus = match self.desk.focus {
            Focus::Entries if self.desk.inspector.is_some() => Focus::Inspector,
            Focus::Entries | Focus::Inspector if has_meshes => Focus::Funnel,
            Focus::Entries | Focus::Inspector | Focus::Funnel => Focus::Rail,
            _ => Focus::Entries,
        };
    }

    /// Asks for what the screen is to show and has not been read: lines of a source, or the entry under the cursor
    /// for the inspector.
    pub(crate) fn inspect(&mut self) -> Vec<Effect> {
        if let Screen::Intake { cursor, asked, .. } = &mut self.screen {
            let known = std::mem::replace(asked, true);
            return if known { Vec::new() } else { vec![Effect::Look(Job::Samples(*cursor))] };
        }
        let row = self.row();
        let selected = self.snapshot.pan.get(row);
        let (Some(inspector), Some(id)) = (&mut self.desk.inspector, selected) else {
            return Vec::new();
        };
        if inspector.id == Some(id) {
            return Vec::new();
        }
        inspector.id = Some(id);
        vec![Effect::Look(Job::Inspect(id))]
    }

    /// Goes to the next entry that find has found, now or as soon as it is known.
    fn find(&mut self, forwards: bool) {
        if self.found.is_none() {
            return self.tell("nothing to find; / asks for words");
        }
        self.finding = Some(forwards);
        self.go_to_found();
    }

    fn go_to_found(&mut self) {
        let (Some(forwards), Some(words)) = (self.finding, &self.found) else {
            return;
        };
        let wanted = super::prompting::words_expr(words).map(|expr| expr.to_string());
        let Some(lens) =
            self.snapshot.lens(Lens::Find).filter(|l| Some(&l.text) == wanted.as_ref())
        else {
            return;
        };
        // What lies nearer may not have been looked at yet.
        if !lens.done {
            return;
        }
        self.finding = None;
        match self.snapshot.next_found(lens, self.row(), forwards) {
            Some(next) => {
                self.desk.follow = false;
                self.go(next);
                self.desk.moved = true;
            }
            None => self.tell("not found in what is left"),
        }
    }

    fn trail(&mut self) -> Vec<Effect> {
        let row = self.row();
        let Some(id) = self.snapshot.pan.get(row) else {
            return Vec::new();
        };
        let kind = match (self.desk.focus, &self.desk.inspector) {
            (Focus::Inspector, Some(inspector)) => inspector.row().and_then(|row| row.id_kind),
            _ => None,
        };
        vec![Effect::Look(Job::Follow(id, kind))]
    }

    /// Opens the trail of an id that an entry has.
    fn follow(&mut self, id: EntryId, expr: Result<Option<Expr>, String>) -> Vec<Effect> {
        match expr {
            Ok(Some(expr)) => {
                self.screen = Screen::Trail(Box::new(TrailView {
                    expr: expr.clone(),
                    trail: None,
                    asked: false,
                    cursor: 0,
                    from: id,
                }));
                vec![Effect::Lens(Lens::Trail, Some(expr))]
            }
            Ok(None) => {
                self.tell("this entry has no id to follow");
                Vec::new()
            }
            Err(error) => {
                self.warn(error);
                Vec::new()
            }
        }
    }

    fn plate(&mut self) -> Vec<Effect> {
        if self.snapshot.pan.is_empty() {
            self.tell("nothing is left to draw");
            return Vec::new();
        }
        self.screen = Screen::Plate(Box::new(PlateView { plate: None }));
        let title = format!("{} over time", self.title);
        vec![Effect::Look(Job::Plate(title, self.zone.clone()))]
    }

    fn copy(&mut self) -> Vec<Effect> {
        let id = match &self.screen {
            Screen::Trail(view) => {
                view.trail.as_ref().and_then(|t| t.steps.get(view.cursor)).map(|s| s.entry.id)
            }
            _ => self.snapshot.pan.get(self.row()),
        };
        id.map(|id| Effect::Look(Job::Copy(id))).into_iter().collect()
    }

    fn mouse(&mut self, mouse: MouseEvent) -> Vec<Effect> {
        match mouse.kind {
            MouseEventKind::ScrollUp => self.step(-3),
            MouseEventKind::ScrollDown => self.step(3),
            MouseEventKind::Down(MouseButton::Left) if matches!(self.screen, Screen::Desk) => {
                self.click(mouse.column, mouse.row);
            }
            MouseEventKind::Drag(MouseButton::Left) if self.desk.rail.from.is_some() => {
                let areas = view::desk_areas(self);
                // A terminal of three rows has no rail.
                let last = areas.rail.bottom().saturating_sub(1).max(areas.rail.y);
                let row = mouse.row.clamp(areas.rail.y, last);
                if let Some(time) = view::rail_time(self, areas.rail, row) {
                    self.desk.rail.cursor = Some(time);
                }
            }
            MouseEventKind::Up(MouseButton::Left) => return self.drop_drag(),
            _ => return Vec::new(),
        }
        self.inspect()
    }

    /// The mouse was let go: what it was dragged over on the rail becomes the window.
    fn drop_drag(&mut self) -> Vec<Effect> {
        let rail = &mut self.desk.rail;
        let (Some(from), Some(to)) = (rail.from.take(), rail.cursor.take()) else {
            return Vec::new();
        };
        if from == to {
            return Vec::new();
        }
        let width = view::rail_volume(self).width;
        self.set_window(from.min(to), from.max(to) + width)
    }

    fn click(&mut self, column: u16, row: u16) {
        let areas = view::desk_areas(self);
        let within = |area: ratatui::layout::Rect| area.contains((column, row).into());
        if within(areas.rail) {
            if let Some(time) = view::rail_time(self, areas.rail, row) {
                // A click goes there; what is dragged over becomes a window.
                (self.desk.rail.from, self.desk.rail.cursor) = (Some(time), Some(time));
                let _ = self.jump(time);
                self.desk.rail.cursor = Some(time);
            }
        } else if within(areas.entries) {
            let line = self.desk.lines.get(usize::from(row - areas.entries.y));
            if let Some(Line::Entry { id, .. }) = line {
                self.desk.focus = Focus::Entries;
                self.desk.follow = false;
                (self.desk.selected, self.desk.moved) = (Some(*id), true);
            }
        } else if within(areas.funnel) {
            let at = usize::from(row - areas.funnel.y);
            if (1..=self.history.sieve().meshes.len()).contains(&at) {
                self.desk.focus = Focus::Funnel;
                self.desk.mesh = at - 1;
            }
        }
    }
}

//! What happened, and what it changes. The only place where state changes; no I/O but reading rows.

use std::{path::PathBuf, sync::Arc};

use cribrum_core::{
    engine::{Lens, Snapshot},
    entry::Level,
    query::{Expr, Path},
    sieve::Mesh,
    trail::Trail,
};
use ratatui::crossterm::event::{KeyEvent, MouseButton, MouseEvent, MouseEventKind};

use super::{
    inspector::Inspector,
    keymap::{self, Action},
    prompt::{Prompt, Purpose},
    state::{App, Column, Effect, Focus, Line, PlateView, Screen, TrailView},
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
    /// A trail has been read.
    Trail(Box<Trail>),
    /// A plate has been saved, or why not.
    Saved(Result<PathBuf, String>),
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
            Event::Resize | Event::News => Vec::new(),
            Event::Trail(trail) => {
                if let Screen::Trail(view) = &mut self.screen {
                    view.cursor =
                        trail.steps.iter().position(|s| s.entry.id == view.from).unwrap_or(0);
                    view.trail = Some(*trail);
                }
                Vec::new()
            }
            Event::Saved(Ok(path)) => {
                self.tell(format!("saved {}", path.display()));
                Vec::new()
            }
            Event::Saved(Err(error)) => {
                self.warn(error);
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
        self.snapshot = snapshot;
        self.read.clear();
        if let Screen::Intake { cursor, .. } = self.screen {
            self.open_intake(cursor);
        }
        self.go_to_found();
        let mut effects = self.conditions_when_ready();
        if let Screen::Trail(view) = &mut self.screen
            && !view.asked
        {
            let text = view.expr.to_string();
            let done = self.snapshot.lens(Lens::Trail).is_some_and(|l| l.done && l.text == text);
            if done && self.snapshot.loaded() {
                view.asked = true;
                effects.push(Effect::BuildTrail(view.expr.clone()));
            }
        }
        effects
    }

    /// Puts the conditions of the command line in, once the day of their clock times is known.
    fn conditions_when_ready(&mut self) -> Vec<Effect> {
        let Some(conditions) = &self.conditions else {
            return Vec::new();
        };
        let dated = |conditions: &Conditions, last| {
            conditions.sieve(last).ok().filter(|sieve| {
                self.snapshot.loaded() || sieve.meshes.iter().all(|mesh| mesh.window().is_none())
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
        if self.prompt.is_some() {
            return self.prompt_key(key);
        }
        match keymap::resolve(self.mode(), key) {
            Some(action) => self.act(action),
            None => Vec::new(),
        }
    }

    fn act(&mut self, action: Action) -> Vec<Effect> {
        match action {
            Action::Help => self.open_help(),
            Action::Back | Action::Quit => return self.back(action == Action::Quit),
            Action::Up => self.step(-1),
            Action::Down => self.step(1),
            Action::PageUp => self.step(-self.page()),
            Action::PageDown => self.step(self.page()),
            Action::Top => self.step(isize::MIN),
            Action::Bottom => self.step(isize::MAX),
            Action::Left => self.column(-1),
            Action::Right => self.column(1),
            Action::Open if matches!(self.screen, Screen::Intake { .. }) => {
                return self.not_understood();
            }
            Action::Open => self.open(),
            Action::NextRegion => self.next_region(),
            Action::Sift => self.prompt = Some(Prompt::new(Purpose::Sift, "")),
            Action::Find => self.prompt = Some(Prompt::new(Purpose::Find, "")),
            Action::Window => self.prompt = Some(Prompt::new(Purpose::Window, "")),
            Action::FindNext => self.find(true),
            Action::FindBefore => self.find(false),
            Action::Trail => return self.trail(),
            Action::Plate => self.plate(),
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
            Action::EditMesh => self.edit_mesh(),
            Action::Save => {
                self.prompt = Some(Prompt::new(Purpose::Save, "volume.svg"));
            }
            action => return self.change(action),
        }
        self.inspect()
    }

    /// Changes of the sieve.
    fn change(&mut self, action: Action) -> Vec<Effect> {
        let at = self.desk.mesh;
        let same = match action {
            Action::KeepOnly | Action::Drop => match self.same_value() {
                Some(expr) => Some(expr),
                None => {
                    self.tell("there is no single value here");
                    return Vec::new();
                }
            },
            _ => None,
        };
        let changed = match action {
            Action::Undo => self.history.undo(),
            Action::Redo => self.history.redo(),
            _ => self.history.change(|sieve| {
                let meshes = &mut sieve.meshes;
                match (action, same) {
                    (Action::LowerFloor, _) => sieve.lower_floor(),
                    (Action::RaiseFloor, _) => sieve.raise_floor(),
                    (Action::PassUnlevelled, _) => sieve.toggle_unlevelled(),
                    (Action::KeepOnly, Some(expr)) => meshes.push(Mesh::of(expr)),
                    (Action::Drop, Some(expr)) => meshes.push(Mesh::of(expr.negated())),
                    (Action::Toggle(number), _) => {
                        if let Some(mesh) = meshes.get_mut(usize::from(number) - 1) {
                            mesh.on = !mesh.on;
                        }
                    }
                    (Action::NegateMesh, _) => {
                        if let Some(mesh) = meshes.get_mut(at) {
                            *mesh = Mesh::of(mesh.expr().negated());
                        }
                    }
                    (Action::DropMesh, _) if at < meshes.len() => {
                        meshes.remove(at);
                    }
                    (Action::MeshUp, _) if at > 0 && at < meshes.len() => meshes.swap(at, at - 1),
                    (Action::MeshDown, _) if at + 1 < meshes.len() => meshes.swap(at, at + 1),
                    _ => {}
                }
            }),
        };
        if !changed {
            match action {
                Action::Undo => self.tell("nothing to undo"),
                Action::Redo => self.tell("nothing to take again"),
                Action::PassUnlevelled => self.tell("there is no level floor; > sets one"),
                _ => {}
            }
            return Vec::new();
        }
        match action {
            Action::MeshUp => self.desk.mesh -= 1,
            Action::MeshDown => self.desk.mesh += 1,
            _ => {}
        }
        self.sifted()
    }

    /// The sieve has changed.
    pub(super) fn sifted(&mut self) -> Vec<Effect> {
        let sieve = self.history.sieve().clone();
        self.desk.mesh = self.desk.mesh.min(sieve.meshes.len().saturating_sub(1));
        if sieve.meshes.is_empty() && self.desk.focus == Focus::Funnel {
            self.desk.focus = Focus::Entries;
        }
        vec![Effect::Sieve(sieve)]
    }

    /// The condition that entries with the value under the cursor satisfy.
    fn same_value(&mut self) -> Option<Expr> {
        if self.desk.focus == Focus::Inspector {
            return self.desk.inspector.as_ref()?.row()?.same.clone();
        }
        let id = self.desk.selected?;
        let column = self.desk.column;
        let label = self.snapshot.sources[self.snapshot.source_of(id)].label.clone();
        let shown = self.fetch(id)?;
        match column {
            Column::Level => {
                shown.level().map(|level| Expr::equals(Path::Level, Level::name(level)))
            }
            Column::Source => Some(Expr::equals(Path::Source, &label)),
            Column::Id => shown.ids.first().map(|(_, id)| Expr::Id(id.as_str().to_owned())),
            Column::Message => Some(Expr::equals(Path::Message, shown.message.as_str())),
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
        let samples = super::teach::samples(&self.snapshot, cursor);
        self.screen = Screen::Intake { cursor, samples };
    }

    /// Everything is read again: what is known of single entries is known no more.
    pub(super) fn read_again(&mut self, snapshot: Arc<Snapshot>) {
        (self.desk.selected, self.desk.top, self.desk.inspector) = (None, None, None);
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

    fn column(&mut self, by: isize) {
        let at = Column::ALL.iter().position(|c| *c == self.desk.column).unwrap_or(0);
        self.desk.column = Column::ALL[at.saturating_add_signed(by).min(Column::ALL.len() - 1)];
    }

    fn open(&mut self) {
        match &mut self.screen {
            Screen::Trail(view) => {
                let step = view.trail.as_ref().and_then(|trail| trail.steps.get(view.cursor));
                if let Some(id) = step.map(|step| step.entry.id) {
                    self.screen = Screen::Desk;
                    self.desk.follow = false;
                    (self.desk.selected, self.desk.moved) = (Some(id), true);
                    let row = self.snapshot.row_of(id);
                    if self.snapshot.pan.get(row) != Some(id) {
                        self.tell(
                            "the sieve holds this step back; the cursor is where it would be",
                        );
                    }
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
            _ => Focus::Entries,
        };
    }

    /// Lets the inspector follow the cursor, and counts the entries with the same id.
    pub(crate) fn inspect(&mut self) -> Vec<Effect> {
        let row = self.row();
        let selected = self.snapshot.pan.get(row);
        let snapshot = Arc::clone(&self.snapshot);
        let (Some(inspector), Some(id)) = (&mut self.desk.inspector, selected) else {
            return Vec::new();
        };
        if inspector.id == Some(id) {
            return Vec::new();
        }
        inspector.show(&snapshot, id);
        // A source that can't be read has been told by the inspector itself.
        let expr = snapshot.id_expr(id, None).ok().flatten();
        vec![Effect::Lens(Lens::Id, expr)]
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
        match self.snapshot.id_expr(id, kind) {
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
                self.warn(super::state::gone(&error));
                Vec::new()
            }
        }
    }

    fn plate(&mut self) {
        if self.snapshot.pan.is_empty() {
            return self.tell("nothing is left to draw");
        }
        let title = Some(format!("{} over time", self.title));
        let plate = cribrum_draw::VolumePlate::of(&self.snapshot, title, Some(self.zone.clone()));
        self.screen = Screen::Plate(Box::new(PlateView { plate }));
    }

    fn copy(&mut self) -> Vec<Effect> {
        let id = match &self.screen {
            Screen::Trail(view) => {
                view.trail.as_ref().and_then(|t| t.steps.get(view.cursor)).map(|s| s.entry.id)
            }
            _ => self.snapshot.pan.get(self.row()),
        };
        let Some(id) = id else { return Vec::new() };
        match self.snapshot.raw(id) {
            Ok(text) => {
                self.tell("copied, secrets hidden");
                vec![Effect::Copy(text.as_str().to_owned())]
            }
            Err(error) => {
                self.warn(super::state::gone(&error));
                Vec::new()
            }
        }
    }

    fn mouse(&mut self, mouse: MouseEvent) -> Vec<Effect> {
        match mouse.kind {
            MouseEventKind::ScrollUp => self.step(-3),
            MouseEventKind::ScrollDown => self.step(3),
            MouseEventKind::Down(MouseButton::Left) if matches!(self.screen, Screen::Desk) => {
                self.click(mouse.column, mouse.row);
            }
            _ => return Vec::new(),
        }
        self.inspect()
    }

    fn click(&mut self, column: u16, row: u16) {
        let areas = view::desk_areas(self);
        let within = |area: ratatui::layout::Rect| area.contains((column, row).into());
        if within(areas.rail) {
            if let Some(time) = view::rail_time(self, areas.rail, row) {
                self.desk.follow = false;
                self.go(self.snapshot.row_at(time));
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

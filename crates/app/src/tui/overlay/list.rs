//! A list to choose from, over the lower part of the screen.

use std::any::Any;

use ratatui::{
    buffer::Buffer,
    crossterm::event::{KeyCode, KeyEvent},
    layout::Rect,
};

use super::line::Line;
use crate::{
    present::{cells, count_text},
    tui::{
        context::{Choice, Context, List},
        keys::Key,
        shared::Shared,
        theme::Role,
        widgets::{Scroll, clear, put, put_right, rule},
    },
};

/// Rows that are shown at most.
const ROWS: usize = 14;

/// A list that is open.
pub(crate) struct OpenList {
    list: List,
    /// The name that is looked for.
    typed: Line,
    /// The rows in sight, by their number; those that are offered for the name come after all others.
    seen: Vec<usize>,
    offered: Vec<Choice>,
    cursor: usize,
}

/// What a key has done to a list.
pub(crate) enum Outcome {
    Open,
    Closed,
    /// It is closed, and this is done.
    Picked(Choice),
    /// It is closed, and another key of it does something with a row.
    Ran(fn(&mut Context, usize), usize),
}

impl OpenList {
    pub(crate) fn new(list: List, cx: &mut Context) -> Self {
        cx.list_sieves(list.rows.iter().filter_map(|row| row.sieve.clone()).collect());
        let (typed, offered) = (Line::default(), Vec::new());
        let mut open = Self { list, typed, seen: Vec::new(), offered, cursor: 0 };
        open.look();
        open
    }

    /// Looks for the rows that hold what is typed.
    fn look(&mut self) {
        let typed = self.typed.text().to_lowercase();
        let holds = |row: &Choice| row.text.to_lowercase().contains(&typed);
        let rows = self.list.rows.iter().enumerate();
        self.seen = rows.filter(|(_, row)| holds(row)).map(|(at, _)| at).collect();
        self.offered = match self.list.named.filter(|_| !typed.trim().is_empty()) {
            Some(offer) => offer(self.typed.text().trim()),
            None => Vec::new(),
        };
        self.cursor = 0;
    }

    pub(crate) fn paste(&mut self, text: &str) {
        if self.list.named.is_some() {
            self.typed.insert(text);
            self.look();
        }
    }

    pub(crate) fn key(&mut self, event: KeyEvent) -> Outcome {
        let last = (self.seen.len() + self.offered.len()).saturating_sub(1);
        let key = Key::of(event);
        // A name is typed: only digits before it choose at once.
        let names = self.list.named.is_some();
        if let Key::Char(c) = key
            && self.typed.text().is_empty()
            && let Some(at) = self.list.rows.iter().position(|row| row.key == Some(c))
        {
            return Outcome::Picked(self.list.rows.swap_remove(at));
        }
        if let Some(other) = self.list.keys.iter().find(|other| other.keys.contains(&key)) {
            let row = self.seen.get(self.cursor).copied().unwrap_or(usize::MAX);
            return Outcome::Ran(other.run, row);
        }
        match (key, event.code) {
            (_, KeyCode::Esc) | (Key::Ctrl('c'), _) => return Outcome::Closed,
            (_, KeyCode::Enter) => return self.pick(),
            (_, KeyCode::Up) => self.cursor = self.cursor.saturating_sub(1),
            (_, KeyCode::Down) => self.cursor = (self.cursor + 1).min(last),
            (_, KeyCode::Home) => self.cursor = 0,
            (_, KeyCode::End) => self.cursor = last,
            (_, KeyCode::PageUp) => self.cursor = self.cursor.saturating_sub(10),
            (_, KeyCode::PageDown) => self.cursor = (self.cursor + 10).min(last),
            (_, KeyCode::Backspace) if names => {
                self.typed.backspace();
                self.look();
            }
            (Key::Char(c), _) if names => self.paste(c.encode_utf8(&mut [0; 4])),
            (Key::Char('q'), _) => return Outcome::Closed,
            (Key::Char('k'), _) => self.cursor = self.cursor.saturating_sub(1),
            (Key::Char('j'), _) => self.cursor = (self.cursor + 1).min(last),
            _ => {}
        }
        Outcome::Open
    }

    fn pick(&mut self) -> Outcome {
        let offered = self.cursor.checked_sub(self.seen.len());
        match (self.seen.get(self.cursor), offered) {
            (Some(at), _) => Outcome::Picked(self.list.rows.swap_remove(*at)),
            (None, Some(at)) if at < self.offered.len() => {
                Outcome::Picked(self.offered.swap_remove(at))
            }
            _ => Outcome::Open,
        }
    }

    /// The keys, for the footer.
    pub(crate) fn keys(&self) -> Vec<(&'static str, &'static str)> {
        let own = self.list.keys.iter().map(|key| (key.shown, key.word));
        let name = self.list.named.map(|_| ("a name", "finds one, or keeps the present one"));
        let enter = [("⏎", self.list.word)];
        enter.into_iter().chain(name).chain(own).chain([("Esc", "leave")]).collect()
    }

    pub(crate) fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        let theme = &shared.theme;
        let seen = self.seen.iter().map(|at| &self.list.rows[*at]);
        let rows: Vec<&Choice> = seen.chain(&self.offered).collect();
        let most = ROWS.min(usize::from(area.height / 2));
        let shown = rows.len().clamp(1, most.max(1));
        let height = u16::try_from(shown).unwrap_or(1) + 2;
        let top = area.bottom().saturating_sub(height);
        let panel = Rect::new(0, top, area.width, height);
        clear(theme, panel, buffer);
        rule(theme, Rect { height: 1, ..panel }, None, buffer);
        let title = format!(" {} ", self.list.title);
        let x = 2 + put(buffer, 2, top, 30, &title, theme.style(Role::Accent));
        if !self.typed.text().is_empty() {
            let typed = format!("{} ", shared.own_text(self.typed.text()));
            put(buffer, x, top, area.width - x, &typed, theme.style(Role::Text));
        }
        if rows.is_empty() {
            put(buffer, 5, top + 1, area.width - 6, self.list.empty, theme.style(Role::Dim));
            return;
        }
        let scroll = Scroll::around(self.cursor, rows.len(), shown);
        let figures = rows.iter().any(|row| row.sieve.is_some());
        let widest = rows.iter().map(|row| cells(&row.text)).max().unwrap_or(0);
        let figure = if figures { 17 } else { 5 };
        let room = area.width.saturating_sub(figure + 2);
        let width = u16::try_from(widest).unwrap_or(room).min(room * 2 / 3);
        for (at, row) in rows.iter().enumerate().skip(scroll.from).take(shown) {
            let y = top + 1 + u16::try_from(at - scroll.from).unwrap_or(0);
            if at == self.cursor {
                buffer.set_style(Rect::new(0, y, area.width, 1), theme.style(Role::Selection));
                put(buffer, 0, y, 1, theme.glyphs.pointer, theme.style(Role::Accent));
            }
            if let Some(key) = row.key {
                put(buffer, 2, y, 1, &key.to_string(), theme.style(Role::Accent));
            }
            put_right(buffer, 15, y, 11, &left(shared, row), theme.style(Role::Text));
            put(buffer, figure, y, width, &row.text, theme.style(Role::Text));
            let x = figure + width + 3;
            put(buffer, x, y, area.width.saturating_sub(x + 1), &row.note, theme.style(Role::Dim));
        }
        let below = rows.len() - scroll.from - shown;
        if scroll.from + below > 0 {
            let text = scroll.told(below);
            put(
                buffer,
                figure,
                panel.bottom() - 1,
                area.width - figure,
                &text,
                theme.style(Role::Dim),
            );
        }
    }

    /// Does what a row of the list does, on the screen that offered it.
    pub(crate) fn run(mut choice: Choice, screen: &mut dyn Any, cx: &mut Context) {
        (choice.pick)(screen, cx);
    }
}

/// How many entries a row would leave, as far as that is known.
fn left(shared: &Shared, row: &Choice) -> String {
    let Some(sieve) = &row.sieve else { return String::new() };
    match shared.snapshot.beside.iter().find(|view| view.sieve == *sieve) {
        Some(view) if view.done => count_text(view.left),
        _ => "…".to_owned(),
    }
}

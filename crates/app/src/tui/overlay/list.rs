//! A list to choose from, over the lower part of the screen.

use std::any::Any;

use ratatui::{
    buffer::Buffer,
    crossterm::event::{KeyCode, KeyEvent},
    layout::Rect,
};

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
        Self { list, cursor: 0 }
    }

    pub(crate) fn key(&mut self, event: KeyEvent) -> Outcome {
        let last = self.list.rows.len().saturating_sub(1);
        let key = Key::of(event);
        if let Key::Char(c) = key
            && let Some(at) = self.list.rows.iter().position(|row| row.key == Some(c))
        {
            self.cursor = at;
            return self.pick();
        }
        if let Some(other) = self.list.keys.iter().find(|other| other.keys.contains(&key)) {
            return Outcome::Ran(other.run, self.cursor);
        }
        match event.code {
            KeyCode::Esc | KeyCode::Char('q') => return Outcome::Closed,
            KeyCode::Char('c') if key == Key::Ctrl('c') => return Outcome::Closed,
            KeyCode::Enter => return self.pick(),
            KeyCode::Up | KeyCode::Char('k') => self.cursor = self.cursor.saturating_sub(1),
            KeyCode::Down | KeyCode::Char('j') => self.cursor = (self.cursor + 1).min(last),
            KeyCode::Home => self.cursor = 0,
            KeyCode::End => self.cursor = last,
            KeyCode::PageUp => self.cursor = self.cursor.saturating_sub(10),
            KeyCode::PageDown => self.cursor = (self.cursor + 10).min(last),
            _ => {}
        }
        Outcome::Open
    }

    fn pick(&mut self) -> Outcome {
        if self.cursor >= self.list.rows.len() {
            return Outcome::Open;
        }
        Outcome::Picked(self.list.rows.swap_remove(self.cursor))
    }

    /// The keys, for the footer.
    pub(crate) fn keys(&self) -> Vec<(&'static str, &'static str)> {
        let own = self.list.keys.iter().map(|key| (key.shown, key.word));
        [("⏎", self.list.word)].into_iter().chain(own).chain([("Esc", "leave")]).collect()
    }

    pub(crate) fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) {
        let theme = &shared.theme;
        let rows = &self.list.rows;
        let most = ROWS.min(usize::from(area.height / 2));
        let shown = rows.len().clamp(1, most.max(1));
        let height = u16::try_from(shown).unwrap_or(1) + 2;
        let top = area.bottom().saturating_sub(height);
        let panel = Rect::new(0, top, area.width, height);
        clear(theme, panel, buffer);
        rule(theme, Rect { height: 1, ..panel }, None, buffer);
        put(buffer, 2, top, 30, &format!(" {} ", self.list.title), theme.style(Role::Accent));
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

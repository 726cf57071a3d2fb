//! The prompt that finds actions by words: those of the present screen first, then those of the others.

use ratatui::{
    buffer::Buffer,
    crossterm::event::{KeyCode, KeyEvent, KeyModifiers},
    layout::{Position, Rect},
};

use super::line::Line;
use crate::{
    present::cells,
    tui::{
        screen::Action,
        shared::Shared,
        theme::Role,
        widgets::{Scroll, clear, put, put_right, rule},
    },
};

/// Actions that are shown at once, at most.
const ROWS: usize = 14;

/// An action that is offered; `T` says how it is run.
pub(crate) struct Offer<T> {
    pub(crate) action: Action,
    /// The screen whose action it is; empty for those of all screens.
    pub(crate) screen: &'static str,
    /// It can be run without leaving the present screen.
    pub(crate) here: bool,
    pub(crate) run: T,
}

/// The prompt and what it has found.
pub(crate) struct Finder<T> {
    line: Line,
    offers: Vec<Offer<T>>,
    /// The offers that the words fit, the best first.
    found: Vec<usize>,
    cursor: usize,
}

/// What a key has done to it.
pub(crate) enum Outcome<T> {
    Open,
    Closed,
    Chosen(T),
}

impl<T> Finder<T> {
    pub(crate) fn new(offers: Vec<Offer<T>>) -> Self {
        let mut finder = Self { line: Line::default(), offers, found: Vec::new(), cursor: 0 };
        finder.find();
        finder
    }

    pub(crate) fn key(&mut self, key: KeyEvent) -> Outcome<T> {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let last = self.found.len().saturating_sub(1);
        match key.code {
            KeyCode::Esc => return Outcome::Closed,
            KeyCode::Char('c' | 'g') if control => return Outcome::Closed,
            KeyCode::Enter => {
                let Some(at) = self.found.get(self.cursor) else { return Outcome::Open };
                return Outcome::Chosen(self.offers.swap_remove(*at).run);
            }
            KeyCode::Up | KeyCode::BackTab => self.cursor = self.cursor.saturating_sub(1),
            KeyCode::Down | KeyCode::Tab => self.cursor = (self.cursor + 1).min(last),
            KeyCode::Char('p') if control => self.cursor = self.cursor.saturating_sub(1),
            KeyCode::Char('n') if control => self.cursor = (self.cursor + 1).min(last),
            KeyCode::PageUp => self.cursor = self.cursor.saturating_sub(10),
            KeyCode::PageDown => self.cursor = (self.cursor + 10).min(last),
            KeyCode::Home => self.line.home(),
            KeyCode::End => self.line.end(),
            KeyCode::Left => self.line.left(),
            KeyCode::Right => self.line.right(),
            KeyCode::Backspace if self.line.text().is_empty() => return Outcome::Closed,
            KeyCode::Backspace => self.edit(Line::backspace),
            KeyCode::Delete => self.edit(Line::delete),
            KeyCode::Char('w') if control => self.edit(Line::delete_word),
            KeyCode::Char('u') if control => self.edit(Line::clear),
            KeyCode::Char(c) if !control => self.paste(c.encode_utf8(&mut [0; 4])),
            _ => {}
        }
        Outcome::Open
    }

    pub(crate) fn paste(&mut self, text: &str) {
        self.line.insert(text);
        self.find();
    }

    fn edit(&mut self, edit: impl FnOnce(&mut Line)) {
        edit(&mut self.line);
        self.find();
    }

    /// Finds the offers in which every word occurs; those where words begin as typed stand first, and among these
    /// those that can be run here.
    fn find(&mut self) {
        let typed = self.line.text().to_lowercase();
        let mut ranked: Vec<(usize, usize)> = Vec::new();
        for (at, offer) in self.offers.iter().enumerate() {
            let action = &offer.action;
            let words = format!(
                "{} {} {} {}",
                action.help,
                action.footer.unwrap_or_default(),
                offer.screen,
                action.group.title()
            );
            let words = words.to_lowercase();
            let rank = |part: &str| {
                if action.shown.split(' ').any(|key| key.to_lowercase() == part) {
                    return Some(0);
                }
                let begins = words
                    .split(|c: char| !c.is_alphanumeric())
                    .any(|word| !word.is_empty() && word.starts_with(part));
                if begins { Some(1) } else { words.contains(part).then_some(2) }
            };
            let ranks: Option<Vec<usize>> = typed.split_whitespace().map(rank).collect();
            if let Some(ranks) = ranks {
                ranked.push((ranks.iter().sum::<usize>() * 2 + usize::from(!offer.here), at));
            }
        }
        ranked.sort_unstable();
        self.found = ranked.into_iter().map(|(_, at)| at).collect();
        self.cursor = 0;
    }

    /// Draws it over the lower part of an area; gives the place of the cursor.
    pub(crate) fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) -> Position {
        let theme = &shared.theme;
        let most = ROWS.min(usize::from(area.height / 2)).max(1);
        let shown = self.found.len().clamp(1, most);
        let height = u16::try_from(shown).unwrap_or(1) + 3;
        let y = area.bottom().saturating_sub(1);
        let panel = Rect::new(0, area.bottom().saturating_sub(height), area.width, height);
        clear(theme, panel, buffer);
        rule(theme, Rect { height: 1, ..panel }, None, buffer);
        put(buffer, 2, panel.y, 30, " actions ", theme.style(Role::Accent));
        let scroll = Scroll::around(self.cursor, self.found.len(), shown);
        let widest = self.offers.iter().map(|offer| cells(offer.action.shown)).max().unwrap_or(1);
        let keys = 3 + u16::try_from(widest).unwrap_or(8);
        for (at, number) in self.found.iter().enumerate().skip(scroll.from).take(shown) {
            let row = panel.y + 1 + u16::try_from(at - scroll.from).unwrap_or(0);
            let offer = &self.offers[*number];
            if at == self.cursor {
                buffer.set_style(Rect::new(0, row, area.width, 1), theme.style(Role::Selection));
                put(buffer, 0, row, 1, theme.glyphs.pointer, theme.style(Role::Accent));
            }
            put_right(buffer, keys, row, keys - 2, offer.action.shown, theme.style(Role::Accent));
            let screen = u16::try_from(cells(offer.screen)).unwrap_or(0);
            let room = area.width.saturating_sub(keys + 2 + screen + 3);
            let role = if offer.here { Role::Text } else { Role::Dim };
            put(buffer, keys + 2, row, room, offer.action.help, theme.style(role));
            put_right(buffer, area.width - 1, row, screen, offer.screen, theme.style(Role::Faint));
        }
        let below = self.found.len().saturating_sub(scroll.from + shown);
        let told = match self.found.is_empty() {
            true => "no action has these words; Backspace takes them back".to_owned(),
            false => scroll.told(below),
        };
        put(buffer, keys + 2, y - 1, area.width - keys - 2, &told, theme.style(Role::Dim));
        let band = theme.style(Role::Band);
        buffer.set_style(Rect { y, height: 1, ..area }, band);
        let ground = band.bg.unwrap_or_default();
        let accent = theme.style(Role::Accent).bg(ground);
        let mut x = 1 + put(buffer, 1, y, 8, "action", accent) + 1;
        let (before, after) = self.line.parts();
        let text = theme.style(Role::Text).bg(ground);
        if self.line.text().is_empty() {
            let hint = "words of what it does, or its key   ⏎ run it   Esc leave";
            put(buffer, x + 1, y, area.width.saturating_sub(x + 1), hint, band);
        }
        x += put(buffer, x, y, area.width.saturating_sub(x + 1), before, text);
        put(buffer, x, y, area.width.saturating_sub(x), after, text);
        Position::new(x, y)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tui::screen::Group;

    #[test]
    fn actions_are_found_by_any_of_their_words() {
        let offer = |shown, help, screen, here, run| Offer {
            action: Action::new(Group::Sieve, &[], shown, help, None),
            screen,
            here,
            run,
        };
        let finder = |typed: &str| {
            let mut finder = Finder::new(vec![
                offer("u", "undo the last change of the sieve", "", true, 0),
                offer("e", "teach a layout over the lines shown", "intake", false, 1),
                offer("-", "drop the mesh", "desk", true, 2),
            ]);
            finder.paste(typed);
            let runs: Vec<i32> = finder.found.iter().map(|at| finder.offers[*at].run).collect();
            runs
        };
        for (typed, want) in [
            ("", vec![0, 2, 1]),
            ("undo", vec![0]),
            ("lay teach", vec![1]),
            ("intake", vec![1]),
            ("-", vec![2]),
            ("nothing like it", vec![]),
            ("THE", vec![0, 2, 1]),
        ] {
            assert_eq!(finder(typed), want, "{typed}");
        }
    }
}

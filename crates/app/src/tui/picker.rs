//! A list to choose from: what a value can become, marks, kept sieves, watches.

use cribrum_core::{EntryId, query::Expr, sieve::Sieve};
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use super::{
    columns::Column,
    keymap::Action,
    prompt::{Prompt, Purpose},
    state::{App, Effect},
};
use crate::config::Kept;

/// What is chosen from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Value,
    Marks,
    Sieves,
    Watches,
}

/// A list that is open.
pub(crate) struct Picker {
    pub(crate) kind: Kind,
    pub(crate) rows: Vec<Row>,
    pub(crate) cursor: usize,
}

/// A row of a list.
pub(crate) struct Row {
    /// The key that chooses it at once.
    pub(crate) key: Option<char>,
    pub(crate) text: String,
    /// What is said beside it, in a fainter colour.
    pub(crate) note: String,
    /// The sieve whose count stands beside it.
    pub(crate) sieve: Option<Sieve>,
    pub(crate) pick: Pick,
}

/// What choosing a row does.
pub(crate) enum Pick {
    /// A mesh more.
    Add(Expr),
    /// What a key does.
    Act(Action),
    /// A column for a field, or away with it.
    Column(String),
    Jump(i64),
    Take(Kept),
    /// To the last entry that passed the watch of this number.
    Watch(usize, Option<EntryId>),
}

impl Picker {
    pub(crate) fn title(&self) -> &'static str {
        match self.kind {
            Kind::Value => "with this value",
            Kind::Marks => "marks",
            Kind::Sieves => "kept sieves",
            Kind::Watches => "watches",
        }
    }

    /// The keys, for the footer.
    pub(crate) fn keys(&self) -> impl Iterator<Item = (&'static str, &'static str)> {
        let own: &[(&str, &str)] = match self.kind {
            Kind::Value => &[("⏎", "take it, or press its key")],
            Kind::Marks => &[("⏎", "go there"), ("-", "drop it"), ("m", "set one here")],
            Kind::Sieves => &[
                ("⏎", "take it"),
                ("s", "keep the present one"),
                ("t", "the same, beside the logs"),
            ],
            Kind::Watches => {
                &[("⏎", "go to its last entry"), ("-", "end it"), ("n", "watch for more")]
            }
        };
        own.iter().copied().chain([("Esc", "leave")])
    }

    /// What the list says while there is nothing in it.
    pub(crate) fn empty(&self) -> &'static str {
        match self.kind {
            Kind::Value => "there is no single value here",
            Kind::Marks => "no mark yet; m sets one at the selected entry",
            Kind::Sieves => "no sieve is kept yet; s keeps the present one under a name",
            Kind::Watches => "nothing is watched for; n begins",
        }
    }
}

impl App {
    pub(super) fn open_picker(&mut self, kind: Kind, rows: Vec<Row>) -> Vec<Effect> {
        self.picker = Some(Picker { kind, rows, cursor: 0 });
        vec![self.count_beside()]
    }

    pub(super) fn close_picker(&mut self) -> Vec<Effect> {
        self.picker = None;
        vec![self.count_beside()]
    }

    pub(super) fn picker_key(&mut self, key: KeyEvent) -> Vec<Effect> {
        let Some(picker) = &mut self.picker else { return Vec::new() };
        let last = picker.rows.len().saturating_sub(1);
        let kind = picker.kind;
        let own = |c: char| picker.rows.iter().position(|row| row.key == Some(c));
        match key.code {
            KeyCode::Esc => return self.close_picker(),
            KeyCode::Up => picker.cursor = picker.cursor.saturating_sub(1),
            KeyCode::Down => picker.cursor = (picker.cursor + 1).min(last),
            KeyCode::Home => picker.cursor = 0,
            KeyCode::End => picker.cursor = last,
            KeyCode::PageUp => picker.cursor = picker.cursor.saturating_sub(10),
            KeyCode::PageDown => picker.cursor = (picker.cursor + 10).min(last),
            KeyCode::Enter => return self.pick(),
            KeyCode::Char(c) if own(c).is_some() => {
                picker.cursor = own(c).unwrap_or(0);
                return self.pick();
            }
            KeyCode::Char('k') => picker.cursor = picker.cursor.saturating_sub(1),
            KeyCode::Char('j') => picker.cursor = (picker.cursor + 1).min(last),
            KeyCode::Char('q') => return self.close_picker(),
            KeyCode::Char('-') | KeyCode::Delete => return self.drop_row(),
            KeyCode::Char('m') if kind == Kind::Marks => return self.ask(Purpose::Mark, ""),
            KeyCode::Char('n') if kind == Kind::Watches => return self.ask(Purpose::Watch, ""),
            KeyCode::Char('s') if kind == Kind::Sieves => return self.ask(Purpose::Keep, ""),
            KeyCode::Char('t') if kind == Kind::Sieves => {
                return match self.beside_logs {
                    Some(_) => self.ask(Purpose::KeepBeside, ""),
                    None => {
                        self.tell(
                            "there is no folder beside what was poured in; s keeps it for you",
                        );
                        Vec::new()
                    }
                };
            }
            _ => {}
        }
        Vec::new()
    }

    /// Opens a prompt in the place of the list.
    pub(super) fn ask(&mut self, purpose: Purpose, text: &str) -> Vec<Effect> {
        let mut effects = self.close_picker();
        self.prompt = Some(Prompt::new(purpose, text));
        effects.extend(self.typed());
        effects
    }

    fn pick(&mut self) -> Vec<Effect> {
        let Some(picker) = &mut self.picker else { return Vec::new() };
        if picker.cursor >= picker.rows.len() {
            return Vec::new();
        }
        let row = picker.rows.swap_remove(picker.cursor);
        let mut effects = self.close_picker();
        effects.extend(match row.pick {
            Pick::Add(expr) => self.alter(|sieve| sieve.add(expr)),
            Pick::Act(action) => self.act(action),
            Pick::Column(path) => {
                self.toggle_column(&path);
                Vec::new()
            }
            Pick::Jump(time) => self.jump(time),
            Pick::Take(kept) => self.take_kept(&kept),
            Pick::Watch(at, last) => self.go_to_watched(at, last),
        });
        effects
    }

    fn drop_row(&mut self) -> Vec<Effect> {
        let Some(picker) = &mut self.picker else { return Vec::new() };
        let (kind, at) = (picker.kind, picker.cursor);
        match kind {
            Kind::Marks if at < self.marks.len() => {
                self.marks.remove(at);
                self.open_marks()
            }
            Kind::Watches if at < self.watches.len() => {
                self.watches.remove(at);
                self.open_watches()
            }
            _ => Vec::new(),
        }
    }

    /// Lists what the value under the cursor can become.
    pub(super) fn open_values(&mut self) -> Vec<Effect> {
        let rows = self.value_rows();
        if rows.is_empty() {
            self.tell("there is no single value here");
            return Vec::new();
        }
        self.open_picker(Kind::Value, rows)
    }

    fn value_rows(&mut self) -> Vec<Row> {
        let Some(same) = self.same_value() else { return Vec::new() };
        let sieve = self.history.sieve().clone();
        let with = |expr: &Expr| {
            let mut sieve = sieve.clone();
            sieve.add(expr.clone());
            sieve
        };
        let row = |key, note: &str, expr: Expr| Row {
            key: Some(key),
            text: self.snapshot.own_text(&expr.to_string()).for_terminal().into_owned(),
            note: note.to_owned(),
            sieve: Some(with(&expr)),
            pick: Pick::Add(expr),
        };
        let mut rows = vec![
            row('=', "only this value", same.clone()),
            row('-', "not this value", same.clone().negated()),
        ];
        for (key, note, expr) in super::pointing::beside(&same) {
            rows.push(row(key, note, expr));
        }
        for (key, note, expr) in self.of_entry(&same) {
            rows.push(row(key, note, expr));
        }
        let act = |key, text: &str, action| Row {
            key: Some(key),
            text: text.to_owned(),
            note: String::new(),
            sieve: None,
            pick: Pick::Act(action),
        };
        rows.push(act('a', "around this moment", Action::Around));
        rows.push(act('z', "quieten this logger", Action::Quieten));
        if let Some(Column::Field(path)) = super::pointing::column_of(&same) {
            rows.push(Row {
                key: Some('+'),
                text: "as a column".to_owned(),
                note: path.clone(),
                sieve: None,
                pick: Pick::Column(path),
            });
        }
        rows
    }
}

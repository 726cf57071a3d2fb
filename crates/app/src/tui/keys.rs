//! Keys as data.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// A key as it is pressed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Key {
    Char(char),
    Ctrl(char),
    Code(KeyCode),
}

pub(crate) const ENTER: Key = Key::Code(KeyCode::Enter);
pub(crate) const ESC: Key = Key::Code(KeyCode::Esc);
pub(crate) const TAB: Key = Key::Code(KeyCode::Tab);
pub(crate) const LEFT: Key = Key::Code(KeyCode::Left);
pub(crate) const RIGHT: Key = Key::Code(KeyCode::Right);
pub(crate) const DELETE: Key = Key::Code(KeyCode::Delete);

/// The keys that drop something from a list.
pub(crate) const DROP: &[Key] = &[Key::Char('-'), DELETE];

impl Key {
    pub(crate) fn of(event: KeyEvent) -> Self {
        match event.code {
            KeyCode::Char(c) if event.modifiers.contains(KeyModifiers::CONTROL) => Self::Ctrl(c),
            KeyCode::Char(c) => Self::Char(c),
            code => Self::Code(code),
        }
    }
}

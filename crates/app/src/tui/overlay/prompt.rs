//! The prompt: a question, the line that is typed, and what is wrong with it.

use std::any::Any;

use cribrum_core::{
    engine::Lens,
    query::{self, Expr, Hole, Slot},
};
use ratatui::{
    buffer::Buffer,
    crossterm::event::{KeyCode, KeyEvent, KeyModifiers},
    layout::{Position, Rect},
};
use unicode_segmentation::UnicodeSegmentation;

use super::{completion::Completion, line::Line};
use crate::{
    present::{cells, count_text},
    tui::{
        context::{Context, Input, Question, words},
        shared::Shared,
        theme::Role,
        widgets::put,
    },
};

/// A prompt that is open.
pub(crate) struct Prompt {
    pub(crate) question: Question,
    pub(crate) line: Line,
    /// What is wrong, and before which byte of the text.
    error: Option<(usize, String)>,
    completion: Completion,
    /// How far back in what was typed before, and what was typed now.
    back: Option<(usize, String)>,
}

/// What a key has done to a prompt.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Outcome {
    Open,
    Left,
    Answered,
}

impl Prompt {
    pub(crate) fn open(
        question: Question,
        text: &str,
        screen: &mut dyn Any,
        cx: &mut Context,
    ) -> Self {
        let mut prompt = Self {
            question,
            line: Line::new(text),
            error: None,
            completion: Completion::default(),
            back: None,
        };
        prompt.changed(screen, cx);
        prompt
    }

    pub(crate) fn key(&mut self, key: KeyEvent, screen: &mut dyn Any, cx: &mut Context) -> Outcome {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let by_word = key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
        match key.code {
            KeyCode::Esc => return self.leave(screen, cx),
            KeyCode::Char('c' | 'g') if control => return self.leave(screen, cx),
            KeyCode::Enter => return self.enter(screen, cx),
            KeyCode::Backspace if self.line.text().is_empty() => return self.leave(screen, cx),
            KeyCode::Backspace if by_word => self.line.delete_word(),
            KeyCode::Backspace => self.line.backspace(),
            KeyCode::Delete => self.line.delete(),
            KeyCode::Tab | KeyCode::BackTab => {
                let forwards = key.code == KeyCode::Tab;
                if let Some((from, text)) = self.completion.next(forwards) {
                    self.line.replace_from(from, &text);
                    self.error = None;
                }
                self.look(screen, cx);
                return Outcome::Open;
            }
            KeyCode::Up => self.step_in_past(true, cx),
            KeyCode::Down => self.step_in_past(false, cx),
            KeyCode::Char('p') if control => self.step_in_past(true, cx),
            KeyCode::Char('n') if control => self.step_in_past(false, cx),
            KeyCode::Left if by_word => self.line.word_left(),
            KeyCode::Right if by_word => self.line.word_right(),
            KeyCode::Left => self.line.left(),
            KeyCode::Right => self.line.right(),
            KeyCode::Home => self.line.home(),
            KeyCode::End => self.line.end(),
            KeyCode::Char('a') if control => self.line.home(),
            KeyCode::Char('e') if control => self.line.end(),
            KeyCode::Char('w') if control => self.line.delete_word(),
            KeyCode::Char('u') if control => self.line.clear(),
            KeyCode::Char(c) if !control => self.insert(c.encode_utf8(&mut [0; 4]), cx),
            _ => return Outcome::Open,
        }
        self.changed(screen, cx);
        Outcome::Open
    }

    pub(crate) fn paste(&mut self, text: &str, screen: &mut dyn Any, cx: &mut Context) {
        self.insert(text, cx);
        self.changed(screen, cx);
    }

    fn insert(&mut self, text: &str, cx: &mut Context) {
        if !self.line.insert(text) {
            cx.shared.warn("the text is too long; its end was left out");
        }
    }

    /// The text or the cursor has changed.
    fn changed(&mut self, screen: &mut dyn Any, cx: &mut Context) {
        self.error = None;
        self.completion.reset();
        self.look(screen, cx);
    }

    /// Asks for what the text would let through, and for what it can be completed with.
    fn look(&mut self, screen: &mut dyn Any, cx: &mut Context) {
        if let Some(typed) = &mut self.question.typed
            && let Err(wrong) = typed(screen, cx, Some(self.line.text().to_owned()))
        {
            self.error = Some(wrong);
        }
        let expr = match self.question.input {
            Input::Condition => cx.condition(self.line.text()).ok(),
            Input::Window => cx.window(self.line.text()).ok(),
            Input::Words => words(self.line.text()),
            Input::Name => return self.complete(cx),
            Input::Text { .. } => return,
        };
        cx.set_lens(Lens::Sift, expr);
        self.complete(cx);
    }

    /// Works out what can be typed next, with what has been looked up since.
    pub(crate) fn complete(&mut self, cx: &mut Context) {
        match self.question.input {
            Input::Condition => self.completion.update(&query::hole(self.line.parts().0), cx),
            Input::Name => {
                let typed = self.line.text().to_owned();
                self.completion.update(&Hole { slot: Slot::Field, from: 0, typed }, cx);
            }
            _ => {}
        }
    }

    fn leave(&mut self, screen: &mut dyn Any, cx: &mut Context) -> Outcome {
        self.forget(screen, cx);
        Outcome::Left
    }

    /// Takes back what was asked for while the text was typed.
    fn forget(&mut self, screen: &mut dyn Any, cx: &mut Context) {
        cx.shared.typed.surveys.clear();
        cx.set_lens(Lens::Sift, None);
        if let Some(typed) = &mut self.question.typed {
            let _ = typed(screen, cx, None);
        }
    }

    fn enter(&mut self, screen: &mut dyn Any, cx: &mut Context) -> Outcome {
        let text = self.line.text().to_owned();
        let optional = self.question.input == (Input::Text { optional: true });
        if text.trim().is_empty() && !optional {
            return self.leave(screen, cx);
        }
        if let Err(wrong) = (self.question.answer)(screen, cx, text.clone()) {
            self.error = Some(wrong);
            return Outcome::Open;
        }
        if !matches!(self.question.input, Input::Text { .. } | Input::Name) {
            cx.remember(self.question.label, &text, self.question.input == Input::Words);
        }
        self.forget(screen, cx);
        Outcome::Answered
    }

    /// Puts what was typed before into the prompt, or what came after it.
    fn step_in_past(&mut self, older: bool, cx: &Context) {
        let label = self.question.label;
        let past = cx.shared.typed.past.iter().rev();
        let mine: Vec<&String> = past.filter(|(of, _)| of == label).map(|(_, text)| text).collect();
        let (at, typed) = match &self.back {
            Some((at, typed)) => (Some(*at), typed.clone()),
            None => (None, self.line.text().to_owned()),
        };
        let next = match (at, older) {
            (None, true) => Some(0),
            (Some(at), true) => Some((at + 1).min(mine.len().saturating_sub(1))),
            (Some(0) | None, false) => None,
            (Some(at), false) => Some(at - 1),
        };
        match next.and_then(|next| mine.get(next)) {
            Some(text) => self.line.set(text),
            None => self.line.set(&typed),
        }
        self.back = next.filter(|at| *at < mine.len()).map(|at| (at, typed));
    }

    /// Draws it on the last line of an area, a line of help above it, and the candidates above that. Gives the place of
    /// the cursor.
    pub(crate) fn view(&self, shared: &Shared, area: Rect, buffer: &mut Buffer) -> Position {
        let theme = &shared.theme;
        let band = theme.style(Role::Band);
        let ground = band.bg.unwrap_or_default();
        let (above, y) = (area.bottom().saturating_sub(2), area.bottom().saturating_sub(1));
        buffer.set_style(Rect { y: above, height: 2, ..area }, band);
        let mut x = area.x + 1;
        let accent = theme.style(Role::Accent).bg(ground);
        x += put(buffer, x, y, 15, self.question.label, accent) + 1;
        let start = x;
        let text = theme.style(Role::Text).bg(ground);
        let room = usize::from(area.width.saturating_sub(start + 2));
        let (before, after) = self.around_cursor(shared, room);
        x += put(buffer, x, y, area.width, &before, text);
        let cursor = Position::new(x, y);
        put(buffer, x, y, area.width.saturating_sub(x), &after, text);
        match &self.error {
            Some((at, message)) => {
                let typed = self.line.text();
                let shift = cells(typed.get(..*at).unwrap_or(typed));
                let place = start.saturating_add(u16::try_from(shift).unwrap_or(u16::MAX));
                let mark = place.min(area.right().saturating_sub(4));
                let wrong = theme.style(Role::Wrong).bg(ground);
                let width = u16::try_from(cells(message)).unwrap_or(u16::MAX);
                put(buffer, mark, above, 1, theme.glyphs.place, wrong);
                if mark.saturating_add(2).saturating_add(width) < area.right() {
                    put(buffer, mark + 2, above, width, message, wrong);
                } else if width.saturating_add(1) < mark {
                    put(buffer, mark - width - 1, above, width, message, wrong);
                } else {
                    put(buffer, area.x + 1, above, area.width - 2, message, wrong);
                }
            }
            None => {
                let width = area.width.saturating_sub(start);
                put(buffer, start, above, width, &self.told(shared), band);
                self.completion.view(shared, Rect { y: above, ..area }, start, buffer);
            }
        }
        cursor
    }

    /// What the line above the text says: what is wrong with a name, what the text would let through, or what can be
    /// typed.
    fn told(&self, shared: &Shared) -> String {
        let text = self.line.text();
        let hint = || Some(self.question.hint.to_owned());
        let condition = self.question.input == Input::Condition;
        let expr = Expr::parse(text, &shared.context()).ok().filter(|_| condition);
        let misspelt = expr.and_then(|expr| self.completion.hint(&expr, shared));
        let candidates = !self.completion.is_empty();
        let count = shared.lens(Lens::Sift).filter(|_| !text.is_empty()).map(|lens| {
            let at_least = if lens.done { "" } else { "at least " };
            let (count, of) = (count_text(lens.in_pan), count_text(shared.snapshot.pan.len()));
            let more = if candidates { "   Tab complete" } else { "" };
            format!("{at_least}{count} of {of} in the pan{more}   ⏎ add it   Esc leave")
        });
        let complete = || Some("Tab complete   Esc leave".to_owned());
        misspelt
            .or(count)
            .or_else(|| complete().filter(|_| candidates && !text.is_empty()))
            .or_else(hint)
            .unwrap_or_default()
    }

    /// What fits of the text before the cursor, and behind it, with secrets as dots: the end of a text that is too
    /// long is what is being typed.
    fn around_cursor(&self, shared: &Shared, room: usize) -> (String, String) {
        let text = self.line.text();
        let secrets = shared.snapshot.secrets_in(text);
        let mut secrets = secrets.iter().peekable();
        let shown: Vec<(usize, &str)> = text
            .grapheme_indices(true)
            .map(|(at, cluster)| {
                while secrets.next_if(|span| span.end <= at).is_some() {}
                let hidden = secrets.peek().is_some_and(|span| span.contains(&at));
                (at, if hidden { "•" } else { cluster })
            })
            .collect();
        let cursor = self.line.parts().0.len();
        let split = shown.iter().take_while(|(at, _)| *at < cursor).count();
        let (before, after) = shown.split_at(split);
        let mut taken = 0;
        let fits = before.iter().rev().take_while(|(_, cluster)| {
            taken += cells(cluster);
            taken < room
        });
        let from = before.len() - fits.count();
        let join = |part: &[(usize, &str)]| part.iter().map(|(_, cluster)| *cluster).collect();
        (join(&before[from..]), join(&after[..after.len().min(room)]))
    }
}

//! What is typed into the prompt, and what comes of it.

use std::path::PathBuf;

use cribrum_core::{
    engine::Lens,
    entry::{Level, Severity},
    query::{self, Expr, Op, Path},
    sieve::Mesh,
};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use super::{
    prompt::{Prompt, Purpose},
    state::{App, Effect, Screen},
};

impl App {
    pub(super) fn prompt_key(&mut self, key: KeyEvent) -> Vec<Effect> {
        let Some(prompt) = &mut self.prompt else {
            return Vec::new();
        };
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        match key.code {
            KeyCode::Esc => return self.leave_prompt(),
            KeyCode::Char('c' | 'g') if control => return self.leave_prompt(),
            KeyCode::Enter => return self.enter(),
            KeyCode::Backspace if prompt.text().is_empty() => return self.leave_prompt(),
            KeyCode::Backspace => prompt.backspace(),
            KeyCode::Delete => prompt.delete(),
            KeyCode::Left => prompt.left(),
            KeyCode::Right => prompt.right(),
            KeyCode::Home => prompt.home(),
            KeyCode::End => prompt.end(),
            KeyCode::Char('a') if control => prompt.home(),
            KeyCode::Char('e') if control => prompt.end(),
            KeyCode::Char('w') if control => prompt.delete_word(),
            KeyCode::Char('u') if control => prompt.clear(),
            KeyCode::Char(c) if !control => prompt.insert(c.encode_utf8(&mut [0; 4])),
            _ => return Vec::new(),
        }
        self.typed()
    }

    pub(super) fn leave_prompt(&mut self) -> Vec<Effect> {
        self.prompt = None;
        vec![Effect::Lens(Lens::Sift, None)]
    }

    /// The text of the prompt has changed: count what it would let through.
    pub(super) fn typed(&mut self) -> Vec<Effect> {
        let Some(prompt) = &self.prompt else {
            return Vec::new();
        };
        let expr = match prompt.purpose {
            Purpose::Sift | Purpose::Edit(_) => Expr::parse(&prompt.text(), &self.context()).ok(),
            Purpose::Window => self.window(&prompt.text()).ok(),
            Purpose::Find => words_expr(&prompt.text()),
            Purpose::Save | Purpose::Clock => None,
            Purpose::Teach => {
                let wrong = super::teach::taught(&prompt.text()).err();
                if let (Some(prompt), Some((at, message))) = (&mut self.prompt, wrong) {
                    prompt.fail(at, message);
                }
                return Vec::new();
            }
        };
        vec![Effect::Lens(Lens::Sift, expr)]
    }

    pub(super) fn window(&self, text: &str) -> Result<Expr, query::Error> {
        let text = text.trim();
        let shift = |prefix: usize| {
            move |mut error: query::Error| {
                error.at = error.at.saturating_sub(prefix);
                error
            }
        };
        if let Some(to) = text.strip_prefix("..") {
            return Expr::parse(&format!("time <= {to}"), &self.context()).map_err(shift(6));
        }
        let open = text.strip_suffix("..").or_else(|| (!text.contains("..")).then_some(text));
        match open {
            Some(from) => {
                Expr::parse(&format!("time >= {from}"), &self.context()).map_err(shift(8))
            }
            None => Expr::parse(&format!("time in {text}"), &self.context()).map_err(shift(8)),
        }
    }

    pub(super) fn enter(&mut self) -> Vec<Effect> {
        let Some(prompt) = &self.prompt else {
            return Vec::new();
        };
        let text = prompt.text();
        let purpose = prompt.purpose.clone();
        if text.trim().is_empty() && !matches!(purpose, Purpose::Save | Purpose::Clock) {
            return self.leave_prompt();
        }
        let parsed = match purpose {
            Purpose::Find => return self.start_find(&text),
            Purpose::Save => return self.save(&text),
            Purpose::Teach => return self.save_layout(&text),
            Purpose::Clock => return self.set_clock(&text),
            Purpose::Window => self.window(&text),
            Purpose::Sift | Purpose::Edit(_) => Expr::parse(&text, &self.context()),
        };
        let expr = match parsed {
            Ok(expr) => expr,
            Err(error) => {
                if let Some(prompt) = &mut self.prompt {
                    prompt.fail(error.at, error.message);
                }
                return Vec::new();
            }
        };
        self.prompt = None;
        let changed = self.history.change(|sieve| match (&purpose, floor_of(&expr)) {
            (Purpose::Window, _) => sieve.set_window(expr),
            (Purpose::Edit(at), _) if *at < sieve.meshes.len() => {
                sieve.meshes[*at] = Mesh::of(expr);
            }
            // A level floor that is typed is the floor that < and > change.
            (Purpose::Sift, Some(level)) => sieve.set_floor(Some(level)),
            _ => sieve.meshes.push(Mesh::of(expr)),
        });
        let mut effects = vec![Effect::Lens(Lens::Sift, None)];
        if changed {
            effects.extend(self.sifted());
        }
        effects
    }

    pub(super) fn start_find(&mut self, text: &str) -> Vec<Effect> {
        self.prompt = None;
        let expr = words_expr(text);
        self.found = expr.is_some().then(|| text.trim().to_owned());
        self.finding = Some(true);
        vec![Effect::Lens(Lens::Sift, None), Effect::Lens(Lens::Find, expr)]
    }

    pub(super) fn save(&mut self, text: &str) -> Vec<Effect> {
        let path = PathBuf::from(text.trim());
        if cribrum_draw::Format::of(&path).is_none() {
            if let Some(prompt) = &mut self.prompt {
                prompt.fail(text.len(), "a name that ends in .svg or .pdf is needed");
            }
            return Vec::new();
        }
        self.prompt = None;
        match &self.screen {
            Screen::Plate(view) => vec![Effect::Save(path, Box::new(view.plate.clone()))],
            _ => Vec::new(),
        }
    }

    /// Opens the prompt on the mesh under the cursor.
    pub(super) fn edit_mesh(&mut self) {
        let at = self.desk.mesh;
        if let Some(mesh) = self.history.sieve().meshes.get(at) {
            // A secret that was typed shows as its stand-in, which finds the same entries.
            let text = self.snapshot.own_text(&mesh.expr().to_string());
            self.prompt = Some(Prompt::new(Purpose::Edit(at), text.as_str()));
        }
    }
}

/// The words of the find prompt: all of them must be there.
pub(super) fn words_expr(text: &str) -> Option<Expr> {
    let text = text.trim();
    (!text.is_empty()).then(|| Expr::Word(text.to_owned()))
}

/// The level of an expression that is a floor and nothing else.
fn floor_of(expr: &Expr) -> Option<Level> {
    match expr {
        Expr::Compare(Path::Level, Op::AtLeast, value) => {
            Severity::read(value.text.as_bytes()).map(Severity::level)
        }
        _ => None,
    }
}

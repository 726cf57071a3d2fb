//! What is typed into the prompt, and what comes of it.

use std::path::PathBuf;

use cribrum_core::{
    engine::Lens,
    query::{self, Expr, Path},
};
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use super::{
    jobs::Job,
    prompt::Purpose,
    state::{App, Effect, Screen, Unverified},
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
            KeyCode::Tab => return self.next_candidate(true),
            KeyCode::BackTab => return self.next_candidate(false),
            KeyCode::Up => return self.step_in_past(true),
            KeyCode::Down => return self.step_in_past(false),
            KeyCode::Char('p') if control => return self.step_in_past(true),
            KeyCode::Char('n') if control => return self.step_in_past(false),
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
        if let Some(prompt) = &mut self.prompt {
            prompt.completion.chosen = None;
        }
        self.typed()
    }

    pub(super) fn leave_prompt(&mut self) -> Vec<Effect> {
        self.prompt = None;
        self.surveys.clear();
        vec![Effect::Lens(Lens::Sift, None)]
    }

    /// Puts what was typed before into the prompt, or what came after it.
    fn step_in_past(&mut self, older: bool) -> Vec<Effect> {
        let Some(prompt) = &mut self.prompt else { return Vec::new() };
        let label = prompt.purpose.label();
        let mine: Vec<&String> =
            self.past.iter().rev().filter(|(of, _)| of == label).map(|(_, text)| text).collect();
        let (at, typed) = match &prompt.back {
            Some((at, typed)) => (Some(*at), typed.clone()),
            None => (None, prompt.text()),
        };
        let next = match (at, older) {
            (None, true) => Some(0),
            (Some(at), true) => Some((at + 1).min(mine.len().saturating_sub(1))),
            (Some(0) | None, false) => None,
            (Some(at), false) => Some(at - 1),
        };
        match next.and_then(|next| mine.get(next)) {
            Some(text) => prompt.set(text),
            None => prompt.set(&typed),
        }
        prompt.back = next.filter(|at| *at < mine.len()).map(|at| (at, typed));
        self.typed()
    }

    /// Keeps what was typed for the next time, as soon as it is known that there is no secret in it.
    fn remember(&mut self, label: &'static str, text: &str) -> Vec<Effect> {
        let text = text.trim();
        let clean = self.snapshot.own_text(text);
        if text.is_empty() || clean.as_str() != text || text.contains('«') {
            return Vec::new();
        }
        // Where its words stand, turned round or not: there they may be hidden.
        let parts = match label {
            "find" => vec![text.to_owned()],
            _ => words_in(text, &self.context()),
        };
        let text = text.to_owned();
        self.unverified = Some(Unverified { label, text, parts, asked: false, hidden: false });
        self.verify_next()
    }

    /// Asks where the next part of what was typed stands; keeps the text when no part is left.
    fn verify_next(&mut self) -> Vec<Effect> {
        let Some(unverified) = &self.unverified else { return Vec::new() };
        if let Some(part) = unverified.parts.last() {
            return vec![Effect::Lens(Lens::Typed, Some(Expr::Word(part.clone())))];
        }
        let hidden = unverified.hidden;
        let line = (unverified.label.to_owned(), unverified.text.clone());
        self.unverified = None;
        if hidden {
            return vec![Effect::Lens(Lens::Typed, None)];
        }
        self.past.retain(|other| *other != line);
        self.past.push(line);
        vec![Effect::Lens(Lens::Typed, None), Effect::Remember(self.past.clone())]
    }

    /// Looks at a few entries that a part of what was typed was found in: where it is hidden there, it is a
    /// secret, whatever it looks like. It is then hidden wherever the text is shown, and the text not kept.
    pub(super) fn verify_typed(&mut self) -> Vec<Effect> {
        let Some(word) = self.unverified.as_ref().and_then(|typed| typed.parts.last()) else {
            return Vec::new();
        };
        let text = Expr::Word(word.clone()).to_string();
        let lens = self.lens(Lens::Typed).filter(|lens| lens.done && lens.text == text);
        let Some(lens) = lens else { return Vec::new() };
        let found = self.snapshot.first_found(lens, 12);
        let word = word.clone();
        let asked = |typed: &mut Unverified| std::mem::replace(&mut typed.asked, true);
        if self.unverified.as_mut().is_none_or(asked) {
            return Vec::new();
        }
        vec![Effect::Look(Job::Hides(word, found))]
    }

    /// It is known whether a part of what was typed is hidden where it stands.
    pub(super) fn verified(&mut self, word: &str, hidden: bool) -> Vec<Effect> {
        let Some(unverified) = &mut self.unverified else { return Vec::new() };
        if unverified.parts.last().is_none_or(|part| part != word) {
            return Vec::new();
        }
        unverified.asked = false;
        unverified.parts.pop();
        unverified.hidden |= hidden;
        self.verify_next()
    }

    /// The text of the prompt has changed: count what it would let through.
    pub(super) fn typed(&mut self) -> Vec<Effect> {
        let Some(prompt) = &self.prompt else {
            return Vec::new();
        };
        let expr = match prompt.purpose {
            Purpose::Sift | Purpose::Edit(_) | Purpose::Watch => {
                Expr::parse(&prompt.text(), &self.context()).ok()
            }
            Purpose::Window => self.window(&prompt.text()).ok(),
            Purpose::Find => words_expr(&prompt.text()),
            Purpose::Save
            | Purpose::Clock
            | Purpose::Jump
            | Purpose::Mark
            | Purpose::Quiet
            | Purpose::Keep
            | Purpose::KeepBeside => None,
            Purpose::Teach => {
                let wrong = super::teach::taught(&prompt.text()).err();
                if let (Some(prompt), Some((at, message))) = (&mut self.prompt, wrong) {
                    prompt.fail(at, message);
                }
                return Vec::new();
            }
        };
        let mut effects = vec![Effect::Lens(Lens::Sift, expr)];
        effects.extend(self.complete());
        effects
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
        let may_be_empty = matches!(purpose, Purpose::Save | Purpose::Clock | Purpose::Mark);
        if text.trim().is_empty() && !may_be_empty {
            return self.leave_prompt();
        }
        let parsed = match purpose {
            Purpose::Find => return self.start_find(&text),
            Purpose::Mark | Purpose::Keep | Purpose::KeepBeside => {
                let mut effects = self.leave_prompt();
                effects.extend(match purpose {
                    Purpose::Mark => self.set_mark(&text),
                    purpose => self.keep(&text, purpose == Purpose::KeepBeside),
                });
                return effects;
            }
            Purpose::Quiet => {
                return match self.quieten(&text) {
                    Ok(more) => {
                        let mut effects = self.leave_prompt();
                        effects.extend(more);
                        effects
                    }
                    Err((at, message)) => self.fail(at, message),
                };
            }
            Purpose::Jump => {
                let parsed = self.window(text.trim());
                return match parsed.map(|expr| expr.window()) {
                    Ok(Some((Some(time), _))) => {
                        let mut effects = self.leave_prompt();
                        effects.extend(self.jump(time));
                        effects
                    }
                    Ok(_) => self.fail(0, "one time is needed, such as 06:41".into()),
                    Err(error) => self.fail(error.at, error.message),
                };
            }
            Purpose::Save => return self.save(&text),
            Purpose::Teach => return self.save_layout(&text),
            Purpose::Clock => return self.set_clock(&text),
            Purpose::Window => self.window(&text),
            Purpose::Sift | Purpose::Edit(_) | Purpose::Watch => {
                Expr::parse(&text, &self.context())
            }
        };
        let expr = match parsed {
            Ok(expr) => expr,
            Err(error) => return self.fail(error.at, error.message),
        };
        let mut effects = self.remember(purpose.label(), &text);
        effects.extend(self.leave_prompt());
        effects.extend(match purpose {
            Purpose::Window => self.alter(|sieve| sieve.set_window(expr)),
            Purpose::Edit(at) => self.replace_mesh(at, expr),
            Purpose::Watch => self.watch(expr),
            // A level floor that is typed is the floor that < and > change.
            _ => self.alter(|sieve| sieve.add(expr)),
        });
        effects
    }

    /// Shows what is wrong with the text of the prompt.
    fn fail(&mut self, at: usize, message: String) -> Vec<Effect> {
        if let Some(prompt) = &mut self.prompt {
            prompt.fail(at, message);
        }
        Vec::new()
    }

    pub(super) fn start_find(&mut self, text: &str) -> Vec<Effect> {
        let mut effects = self.remember("find", text);
        effects.extend(self.leave_prompt());
        let expr = words_expr(text);
        self.found = expr.is_some().then(|| text.trim().to_owned());
        self.finding = Some(true);
        effects.push(Effect::Lens(Lens::Find, expr));
        effects
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
            Screen::Plate(view) => match &view.plate {
                Some(plate) => vec![Effect::Save(path, Box::new(plate.clone()))],
                None => {
                    self.tell("the plate is still being counted");
                    Vec::new()
                }
            },
            _ => Vec::new(),
        }
    }
}

/// The words and values of a condition, each as it is written in an entry. Of a pattern the longest run of
/// letters, digits and dashes.
fn words_in(text: &str, context: &query::Context) -> Vec<String> {
    let mut words = Vec::new();
    let mut value = |path: &Path, value: &query::Literal| {
        if value.quantity.is_none() && !matches!(path, Path::Level | Path::Time) {
            words.push(value.text.clone());
        }
    };
    let Ok(expr) = Expr::parse(text, context) else { return words };
    let mut plain = Vec::new();
    expr.leaves(&mut |leaf| match leaf {
        Expr::Word(word) | Expr::Id(word) => plain.push(word.clone()),
        Expr::Compare(path, _, literal) => value(path, literal),
        Expr::OneOf(path, literals) => literals.iter().for_each(|literal| value(path, literal)),
        Expr::Matches(_, pattern) => {
            let runs = pattern.as_str().split(|c: char| !(c.is_alphanumeric() || "-_".contains(c)));
            plain.extend(runs.max_by_key(|run| run.len()).map(str::to_owned));
        }
        _ => {}
    });
    words.extend(plain);
    words.retain(|word| word.trim().len() > 1);
    words
}

/// The words of the find prompt: all of them must be there.
pub(super) fn words_expr(text: &str) -> Option<Expr> {
    let text = text.trim();
    (!text.is_empty()).then(|| Expr::Word(text.to_owned()))
}

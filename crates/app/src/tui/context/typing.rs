//! What was typed: kept for the next time as soon as it is known that there is no secret in it.

use cribrum_core::{
    engine::{Lens, Survey},
    query::{self, Expr, Path},
};

use super::Context;
use crate::settings::Change;
use crate::tui::{
    effect::Effect,
    shared::{Asked, Unverified},
};

impl Context {
    /// Looks up what a prompt needs to know, once.
    pub(crate) fn survey(&mut self, asked: &Asked) {
        if self.shared.typed.surveys.contains_key(asked) {
            return;
        }
        self.shared.typed.surveys.insert(asked.clone(), None);
        let (wanted, name) = (asked.clone(), asked.clone());
        self.look_for_all(
            "survey",
            false,
            move |snapshot, pass| match &wanted {
                Asked::Names => Survey::names(snapshot, pass),
                Asked::Values(path) => Survey::values(snapshot, path, pass),
            },
            move |cx, survey| {
                cx.shared.typed.surveys.insert(name, Some(survey));
            },
        );
    }

    /// Keeps what was typed for the next time, unless there is a secret in it.
    pub(crate) fn remember(&mut self, label: &'static str, text: &str, words: bool) {
        let text = text.trim();
        let clean = self.shared.snapshot.own_text(text);
        if text.is_empty() || clean.as_str() != text || text.contains('«') {
            return;
        }
        // Where its words stand, negated or not: there they may be hidden.
        let parts = match words {
            true => vec![text.to_owned()],
            false => words_in(text, &self.shared.context()),
        };
        let text = text.to_owned();
        let unverified = Unverified { label, text, parts, asked: false, hidden: false };
        self.shared.typed.unverified = Some(unverified);
        self.verify_next();
    }

    /// Asks where the next part of what was typed stands; keeps the text when no part is left.
    fn verify_next(&mut self) {
        let Some(unverified) = &self.shared.typed.unverified else { return };
        if let Some(part) = unverified.parts.last() {
            let word = Expr::Word(part.clone());
            return self.set_lens(Lens::Typed, Some(word));
        }
        let hidden = unverified.hidden;
        let line = (unverified.label.to_owned(), unverified.text.clone());
        self.shared.typed.unverified = None;
        self.set_lens(Lens::Typed, None);
        if hidden {
            return;
        }
        let past = &mut self.shared.typed.past;
        past.retain(|other| *other != line);
        past.push(line);
        let past = past.clone();
        self.emit(Effect::Settings(Change::Remember(past)));
    }

    /// Looks at a few entries that a part of what was typed was found in: where it is hidden there, it is a
    /// secret, whatever it looks like. It is then hidden wherever the text is shown, and the text not kept.
    pub(super) fn verify_typed(&mut self) {
        let typed = self.shared.typed.unverified.as_ref();
        let Some(word) = typed.and_then(|typed| typed.parts.last()) else { return };
        let text = Expr::Word(word.clone()).to_string();
        let lens = self.shared.lens(Lens::Typed).filter(|lens| lens.done && lens.text == text);
        let Some(lens) = lens else { return };
        let found = self.shared.snapshot.first_found(lens, 12);
        let word = word.clone();
        let asked = |typed: &mut Unverified| std::mem::replace(&mut typed.asked, true);
        if self.shared.typed.unverified.as_mut().is_none_or(asked) {
            return;
        }
        self.look_for_all(
            "secrets",
            false,
            move |snapshot, _| {
                let hides =
                    |id: &cribrum_core::EntryId| snapshot.hides(*id, &word).unwrap_or(false);
                let hidden = found.iter().any(hides);
                Some((word, hidden))
            },
            |cx, (word, hidden)| cx.verified(&word, hidden),
        );
    }

    /// It is known whether a part of what was typed is hidden where it stands.
    fn verified(&mut self, word: &str, hidden: bool) {
        let Some(unverified) = &mut self.shared.typed.unverified else { return };
        if unverified.parts.last().is_none_or(|part| part != word) {
            return;
        }
        unverified.asked = false;
        unverified.parts.pop();
        unverified.hidden |= hidden;
        self.verify_next();
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

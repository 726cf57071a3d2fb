//! Changes of the sieve that any screen may ask for.

use cribrum_core::{
    query::{self, Expr},
    sieve::{History, Mesh, Sieve},
};

use super::{Context, Input, Question, Wrong};
use crate::tui::effect::Effect;

const CONDITIONS: &str = "level >= warn   status in (502, 503)   path ~ \"^/crossings\"   not logger = x   \"seat hold\"";
const WINDOWS: &str = "06:38..06:44   06:38..   ..06:44:30   -15min..";

impl Context {
    /// Changes the sieve in one step that can be undone.
    pub(crate) fn alter(&mut self, change: impl FnOnce(&mut Sieve)) {
        self.change_sieve(|history| history.change(change));
    }

    /// Changes the sieve by its history; says whether anything has changed.
    pub(crate) fn change_sieve(&mut self, change: impl FnOnce(&mut History) -> bool) -> bool {
        let before = self.shared.sieve().clone();
        let changed = change(&mut self.shared.history);
        if changed {
            self.shared.change_columns(before);
            self.sifted();
        }
        changed
    }

    /// The sieve has changed.
    fn sifted(&mut self) {
        let sieve = self.shared.sieve().clone();
        self.emit(Effect::Sieve(sieve));
    }

    pub(crate) fn undo(&mut self) {
        if !self.change_sieve(History::undo) {
            self.tell("nothing to undo");
        }
    }

    pub(crate) fn redo(&mut self) {
        if !self.change_sieve(History::redo) {
            self.tell("nothing to redo");
        }
    }

    /// Lets entries without a level pass the level floor, or holds them back.
    pub(crate) fn toggle_unlevelled(&mut self) {
        match self.shared.sieve().floor() {
            Some(_) => self.alter(Sieve::toggle_unlevelled),
            None => self.tell("there is no level floor; > sets one"),
        }
    }

    /// Switches the mesh of this number, from 1, off or on.
    pub(crate) fn toggle(&mut self, number: usize) {
        match self.shared.sieve().meshes.len() {
            len if number > len => self.tell(format!("there is no mesh {number}")),
            _ => self.alter(|sieve| sieve.toggle(number - 1)),
        }
    }

    /// Asks for a mesh.
    pub(crate) fn ask_mesh(&mut self) {
        // A level floor that is typed is the floor that < and > change.
        let question = Question::common("sift", CONDITIONS, Input::Condition, |cx, text| {
            let expr = cx.condition(text)?;
            cx.alter(|sieve| sieve.add(expr));
            Ok(())
        });
        self.ask(question, "");
    }

    /// Asks for another condition in the place of a mesh.
    pub(crate) fn ask_edit(&mut self, at: usize, text: &str) {
        let question = Question::common("edit", CONDITIONS, Input::Condition, move |cx, text| {
            let expr = cx.condition(text)?;
            cx.alter(|sieve| {
                if at < sieve.meshes.len() {
                    let mut one = Sieve::default();
                    one.add(expr);
                    let on = sieve.meshes[at].on;
                    sieve.meshes[at] = Mesh { on, ..one.meshes.swap_remove(0) };
                }
            });
            Ok(())
        });
        self.ask(question, text);
    }

    /// Asks for a time window.
    pub(crate) fn ask_window(&mut self) {
        let question = Question::common("window", WINDOWS, Input::Window, |cx, text| {
            let expr = cx.window(text).map_err(wrong)?;
            cx.alter(|sieve| sieve.set_window(expr));
            Ok(())
        });
        self.ask(question, "");
    }

    /// Asks for a logger and the level below which it is quiet, beginning with a text.
    pub(crate) fn ask_quiet(&mut self, text: &str) {
        let hint = "the logger and the mildest level of it that passes: http.client=warn";
        let question =
            Question::common("quieten", hint, Input::Text { optional: false }, |cx, text| {
                cx.quieten(text)
            });
        self.ask(question, text);
    }

    /// Keeps a logger quiet, as `LOGGER=LEVEL` says.
    fn quieten(&mut self, text: &str) -> Result<(), Wrong> {
        let Some((logger, level)) =
            text.rsplit_once('=').filter(|(logger, _)| !logger.trim().is_empty())
        else {
            return Err((0, "write the logger, then = and the mildest level that passes".into()));
        };
        let known = cribrum_core::entry::Severity::read(level.trim().as_bytes());
        let Some(severity) = known else {
            return Err((
                logger.len() + 1,
                format!("`{level}` is no level: trace, debug, info, warn, error, fatal"),
            ));
        };
        self.alter(|sieve| sieve.quieten(logger.trim(), severity.level()));
        Ok(())
    }

    /// The condition that a text is.
    pub(crate) fn condition(&self, text: &str) -> Result<Expr, Wrong> {
        Expr::parse(text, &self.shared.context()).map_err(wrong)
    }

    /// The time window that a text such as `06:38..` is.
    pub(crate) fn window(&self, text: &str) -> Result<Expr, query::Error> {
        let text = text.trim();
        let context = self.shared.context();
        let shift = |prefix: usize| {
            move |mut error: query::Error| {
                error.at = error.at.saturating_sub(prefix);
                error
            }
        };
        if let Some(to) = text.strip_prefix("..") {
            return Expr::parse(&format!("time <= {to}"), &context).map_err(shift(6));
        }
        let open = text.strip_suffix("..").or_else(|| (!text.contains("..")).then_some(text));
        match open {
            Some(from) => Expr::parse(&format!("time >= {from}"), &context).map_err(shift(8)),
            None => Expr::parse(&format!("time in {text}"), &context).map_err(shift(8)),
        }
    }
}

/// Words to look for: all of them must be there.
pub(crate) fn words(text: &str) -> Option<Expr> {
    let text = text.trim();
    (!text.is_empty()).then(|| Expr::Word(text.to_owned()))
}

/// A mistake in a text, for its prompt.
pub(crate) fn wrong(error: query::Error) -> Wrong {
    (error.at, error.message)
}

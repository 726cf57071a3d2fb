//! What the screens ask of the world outside: of the engine, the terminal and the disk. Only the runtime carries it
//! out.

use std::{any::Any, path::PathBuf, sync::Arc};

use cribrum_core::{
    engine::{Lens, Pass, Snapshot},
    entry::Correction,
    query::Expr,
    sieve::Sieve,
    veil::{Parts, Policy, Shareable},
};

use crate::{
    code::Editor,
    settings::{Kept, NamedKind},
};

/// Who asked for something, so that the answer finds its way back. A screen that has been closed gets no answer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct Owner(pub(crate) u32);

/// The owner of what is asked for all screens.
pub(crate) const ALL: Owner = Owner(0);

/// An answer, in a type that only the owner knows.
pub(crate) type Answer = Box<dyn Any + Send>;

/// What finds an answer in the entries.
pub(crate) type Run = Box<dyn FnOnce(&Arc<Snapshot>, &Pass) -> Option<Answer> + Send>;

/// What makes the bytes of a file.
pub(crate) type Make = Box<dyn FnOnce() -> Result<Vec<u8>, String> + Send>;

/// Work on the entries, done on a thread of its own.
pub(crate) struct Job {
    pub(crate) owner: Owner,
    /// The name of the thread, and of what it looks for.
    pub(crate) name: &'static str,
    /// The job of the same owner and name that is still running is ended: only the latest answer is wanted.
    pub(crate) latest: bool,
    /// `None` when the pass was cancelled.
    pub(crate) run: Run,
}

/// Something to do outside of the state.
pub(crate) enum Effect {
    /// The engine sifts by another sieve.
    Sieve(Sieve),
    /// The engine answers another question beside the sieve.
    Lens(Lens, Option<Expr>),
    /// The engine counts these sieves beside the pan.
    Beside(Vec<Sieve>),
    /// The engine counts the volume over this span of time.
    Span(Option<(i64, i64)>),
    Look(Job),
    /// The owner has gone: its jobs are ended.
    Forget(Owner),
    /// Writes a file whole; what is in it is made on a thread of its own.
    Save(PathBuf, Make),
    /// Keeps a sieve in a file of settings.
    Keep(Kept),
    /// Removes a kept sieve from its file.
    Unkeep(Kept),
    /// Gives a kind its name in a file of settings, or takes it away.
    Name(PathBuf, NamedKind),
    /// Keeps what was typed for the next time.
    Remember(Vec<(String, String)>),
    /// Adds a layout to a file of settings, then reads everything again.
    Teach {
        file: PathBuf,
        name: String,
        files: String,
        template: String,
    },
    /// Corrects the clock of the source of this label, then reads everything again.
    Clock(String, Correction),
    /// Hides by another policy, then reads everything again.
    Veil(Policy),
    /// Adds a rule of the veil to the user's settings, then reads everything again.
    Rule(String, Parts),
    /// Gives the terminal to an editor until it is done.
    Edit(Editor),
    /// Text for the terminal's clipboard.
    Copy(Shareable<'static>),
    /// The terminal's bell rings.
    Bell,
    Title(String),
    /// Whether the program gets the mouse, or the terminal.
    Mouse(bool),
}

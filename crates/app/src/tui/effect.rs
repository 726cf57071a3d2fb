//! What the screens ask of the world outside: of the engine, the terminal and the disk. Only the runtime carries it
//! out.

use std::{any::Any, io::Write, path::PathBuf, sync::Arc};

use cribrum_core::{
    engine::{Lens, Pass, Snapshot},
    entry::Correction,
    query::Expr,
    sieve::Sieve,
    veil::{Policy, Shareable},
};

use crate::{code::Editor, settings::Change};

/// Who asked for something, so that the answer finds its way back. A screen that has been closed gets no answer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct Owner(pub(crate) u32);

/// The owner of what is asked for all screens.
pub(crate) const ALL: Owner = Owner(0);

/// An answer, in a type that only the owner knows.
pub(crate) type Answer = Box<dyn Any + Send>;

/// What finds an answer in the entries.
pub(crate) type Run = Box<dyn FnOnce(&Arc<Snapshot>, &Pass) -> Option<Answer> + Send>;

/// What writes a file, or says in words why it can't be written.
pub(crate) type Make = Box<dyn FnOnce(&mut dyn Write) -> Result<(), String> + Send>;

/// What becomes of a file that is there already.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Existing {
    /// It stays, and that is told.
    Stays,
    /// It is replaced: the person has said so.
    Replaced,
    /// It stays, and the new one gets a number: `tally-2.csv`.
    Numbered,
}

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
    Save(PathBuf, Existing, Make),
    /// Gives the terminal to a pager until it is done, and removes the file that it shows.
    Page(Editor),
    /// Changes the settings; what holds of reading is read again.
    Settings(Change),
    /// Corrects the clock of the source of this label, then reads everything again.
    Clock(String, Correction),
    /// Hides by another policy, then reads everything again.
    Veil(Policy),
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

//! The running whole: sources are read, sifted and measured on worker threads, and the desk takes
//! a [`Snapshot`] that never changes and never waits.
//!
//! Threads: one *coordinator* owns all state and is the only one to change it; *workers*, as many as
//! there are cores, take jobs from a queue and send results back; a *spool* thread copies each stream.
//! Dropping the [`Engine`] closes the command channel; the coordinator then ends, the queue closes behind
//! it, and the workers end with it.

mod across;
mod coordinator;
mod count;
mod diagnosis;
mod explain;
mod hidden;
mod hints;
mod identified;
mod identify;
mod identifying;
mod jobs;
mod judging;
mod ordering;
mod over_time;
mod pacing;
pub(crate) mod pass;
mod publish;
mod questions;
mod reader;
mod relating;
mod schedule;
mod search;
mod sets;
mod shown;
mod snapshot;
mod state;
mod status;
mod stream;
mod survey;
mod windows;

use std::sync::{Arc, Mutex, PoisonError};

use crossbeam_channel::{Sender, unbounded};

pub(crate) use across::Across;
pub use across::{Exchange, Run, Side};
pub use count::{Counts, Of};
pub use diagnosis::{Cause, Finding, Remedy, diagnose};
pub use explain::Explained;
pub use hidden::{Found, Hidden};
pub use identified::{Id, id_kinds};
pub(crate) use identify::identify;
pub use ordering::{By, First, Keys};
pub use over_time::pan_over_time;
pub use pass::{Latest, Pass};
pub(crate) use reader::Placed;
pub use reader::Reader;
pub use search::search;
pub use shown::Shown;
pub(crate) use shown::{sorted_ids, template_of};
pub use snapshot::{BesideView, Lens, LensView, Progress, Snapshot, SourceStatus};
pub(crate) use status::status_of;
pub use stream::{Streamed, stream};
pub use survey::Survey;

use crate::{
    entry::Correction,
    ingest::Discovery,
    layout::Dialect,
    query::Expr,
    sieve::{Arrival, Sieve},
    veil::Veil,
};

/// How an intake is to be read.
#[derive(Clone, Debug, Default)]
pub struct Options {
    /// What holds for every source until its own bytes say more.
    pub dialect: Dialect,
    /// Whether files are watched for more after they have been read.
    pub follow: bool,
    /// Whether there are snapshots before everything is read and sifted, for the desk.
    pub eager: bool,
    /// Whether the ids of all entries are looked for once they have been read, for the desk.
    pub ids: bool,
    /// Whether snapshots have their volume over time.
    pub volume: bool,
    /// Entries are released by who prints them ([`Engine::release`]), and until then no copy of them is given up.
    pub releases: bool,
    /// Only so many bytes at the end of each file are wanted; lines have no numbers then.
    pub last_bytes: Option<u64>,
    /// Sources whose clocks are to be set right, by name or label; the last that is given counts.
    pub clocks: Vec<(String, Correction)>,
}

pub(crate) enum Command {
    Sieve(Sieve),
    Lens(Lens, Option<Expr>),
    Beside(Vec<Sieve>),
    Span(Option<(i64, i64)>),
    Release(Arrival),
}

/// Reads and sifts in the background.
pub struct Engine {
    commands: Sender<Command>,
    latest: Arc<Mutex<Arc<Snapshot>>>,
    settled: crossbeam_channel::Receiver<()>,
}

impl Engine {
    /// Starts to read. `notify` is called, on the coordinator's thread, whenever there is a new
    /// snapshot; it must not wait.
    ///
    /// # Errors
    ///
    /// When no thread can be started.
    pub fn start(
        found: Discovery,
        options: Options,
        veil: Veil,
        notify: impl Fn() + Send + 'static,
    ) -> std::io::Result<Self> {
        let (commands, orders) = unbounded();
        let (settle, settled) = crossbeam_channel::bounded(1);
        let latest = Arc::new(Mutex::new(Arc::new(Snapshot::empty(&found.sources, veil.clone()))));
        let shared = Arc::clone(&latest);
        let publish = move |snapshot: Snapshot| {
            let quiet = snapshot.settled();
            *shared.lock().unwrap_or_else(PoisonError::into_inner) = Arc::new(snapshot);
            if quiet {
                // If the channel is full, a message is waiting already.
                let _ = settle.try_send(());
            }
            notify();
        };
        let coordinator =
            coordinator::Coordinator::new(found, options, veil, orders, Box::new(publish))?;
        std::thread::Builder::new().name("coordinator".into()).spawn(move || coordinator.run())?;
        Ok(Self { commands, latest, settled })
    }

    /// The latest state. Cost: a lock held for a moment.
    #[must_use]
    pub fn snapshot(&self) -> Arc<Snapshot> {
        Arc::clone(&self.latest.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// Puts another sieve in place; its pan follows in a later snapshot.
    pub fn set_sieve(&self, sieve: Sieve) {
        // The coordinator ends only after the last engine, or when it panicked.
        let _ = self.commands.send(Command::Sieve(sieve));
    }

    /// Looks for the entries for which an expression holds, beside the sieve; `None` stops it.
    pub fn set_lens(&self, lens: Lens, expr: Option<Expr>) {
        let _ = self.commands.send(Command::Lens(lens, expr));
    }

    /// Counts what other sieves would let through, beside the pan.
    pub fn set_beside(&self, sieves: Vec<Sieve>) {
        let _ = self.commands.send(Command::Beside(sieves));
    }

    /// Counts the volume over a span of time instead of that of all entries.
    pub fn set_span(&self, span: Option<(i64, i64)>) {
        let _ = self.commands.send(Command::Span(span));
    }

    /// Lets go of the entries that had arrived at a moment: nobody asks for them again, and no later snapshot has
    /// them. For commands that print what arrives, so that memory does not grow with it.
    pub fn release(&self, told: Arrival) {
        let _ = self.commands.send(Command::Release(told));
    }

    /// Waits until `done` holds for a snapshot. For commands; never for the desk.
    ///
    /// # Panics
    ///
    /// When the coordinator has panicked: what it had read so far is not taken for all.
    pub fn wait(&self, done: impl Fn(&Snapshot) -> bool) -> Arc<Snapshot> {
        loop {
            let snapshot = self.snapshot();
            if done(&snapshot) {
                return snapshot;
            }
            if self
                .settled
                .recv_timeout(std::time::Duration::from_millis(50))
                .is_err_and(|error| error.is_disconnected())
            {
                panic!("the engine broke off");
            }
        }
    }
}

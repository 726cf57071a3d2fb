//! Work on the entries, each on a thread of its own. Of the jobs of one owner and name that want only the latest answer,
//! the one before is ended.

use std::{
    collections::HashMap,
    io,
    sync::{
        Arc,
        atomic::{AtomicUsize, Ordering},
    },
};

use cribrum_core::engine::{Latest, Pass, Snapshot};
use crossbeam_channel::Sender;

use crate::tui::{
    app::Event,
    effect::{Job, Owner},
};

/// The jobs that are running.
#[derive(Default)]
pub(super) struct Jobs {
    latest: HashMap<(Owner, &'static str), Latest>,
    running: Arc<AtomicUsize>,
}

impl Jobs {
    /// Starts a job. What it finds is sent as an event, unless it has been ended by then.
    pub(super) fn start(
        &mut self,
        job: Job,
        snapshot: &Arc<Snapshot>,
        events: Sender<Event>,
    ) -> io::Result<()> {
        let pass = match job.latest {
            true => self.latest.entry((job.owner, job.name)).or_default().begin(),
            false => Pass::default(),
        };
        let snapshot = Arc::clone(snapshot);
        let running = Running::one_more(&self.running);
        std::thread::Builder::new().name(job.name.into()).spawn(move || {
            let found = (job.run)(&snapshot, &pass).filter(|_| !pass.is_cancelled());
            if let Some(answer) = found {
                // The receiver is gone when the desk is closed.
                let _ = events.send(Event::Answer(job.owner, answer));
            }
            drop(running);
        })?;
        Ok(())
    }

    /// The owner has gone: what only it waits for is ended.
    pub(super) fn forget(&mut self, owner: Owner) {
        self.latest.retain(|(of, _), latest| {
            if *of == owner {
                // A new pass ends the one before.
                let _ = latest.begin();
            }
            *of != owner
        });
    }

    /// No job is running: every answer has been sent.
    #[cfg(test)]
    pub(super) fn is_idle(&self) -> bool {
        self.running.load(Ordering::Acquire) == 0
    }
}

/// Counts a job while it runs, however it ends.
struct Running(Arc<AtomicUsize>);

impl Running {
    fn one_more(running: &Arc<AtomicUsize>) -> Self {
        running.fetch_add(1, Ordering::AcqRel);
        Self(Arc::clone(running))
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::AcqRel);
    }
}

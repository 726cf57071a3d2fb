//! The user's own files, written and read one after the other on a thread of their own: the thread that draws never waits
//! for a disk.

use std::{
    io,
    path::PathBuf,
    sync::{
        Arc,
        atomic::{AtomicUsize, Ordering},
    },
    thread::JoinHandle,
    time::{Duration, Instant},
};

use crossbeam_channel::{Sender, unbounded};

use crate::{
    settings::{self, Change, Folders},
    tui::app::{Event, Reread},
};

/// How long the end of the desk waits for what is still to be written.
const ENDING: Duration = Duration::from_secs(2);

/// Something to do with files, and what is told of it.
type Task = Box<dyn FnOnce() -> Option<Event> + Send>;

/// The thread. Dropping this ends it, once it has done what it was asked.
pub(super) struct Files {
    tasks: Option<Sender<Task>>,
    thread: Option<JoinHandle<()>>,
    /// Tasks that are not done.
    waiting: Arc<AtomicUsize>,
    folders: Folders,
}

impl Files {
    pub(super) fn start(events: Sender<Event>, folders: Folders) -> io::Result<Self> {
        let (tasks, asked) = unbounded::<Task>();
        let waiting = Arc::new(AtomicUsize::new(0));
        let done = Arc::clone(&waiting);
        let thread = std::thread::Builder::new().name("files".into()).spawn(move || {
            for task in asked {
                if let Some(event) = task() {
                    // The receiver is gone when the desk is closed.
                    let _ = events.send(event);
                }
                done.fetch_sub(1, Ordering::AcqRel);
            }
        })?;
        Ok(Self { tasks: Some(tasks), thread: Some(thread), waiting, folders })
    }

    /// Changes the settings. `sources` are the files that are read, beside which settings may lie, or nothing where they
    /// can't be read again.
    pub(super) fn change(&self, change: Change, sources: Option<Vec<PathBuf>>) {
        let folders = self.folders.clone();
        self.queue(move || {
            let told = change.write(&folders).transpose()?;
            Some(match change.is_of_reading() {
                true => reread(told, sources, &folders),
                false => Event::Told(told),
            })
        });
    }

    /// Removes a file that was only to be looked at.
    pub(super) fn remove(&self, file: PathBuf) {
        self.queue(move || {
            // Nothing is lost where it stays.
            let _ = std::fs::remove_file(file);
            None
        });
    }

    /// Reads the settings again.
    pub(super) fn read_again(&self, sources: Vec<PathBuf>) {
        let folders = self.folders.clone();
        self.queue(move || Some(load(None, &sources, &folders)));
    }

    fn queue(&self, task: impl FnOnce() -> Option<Event> + Send + 'static) {
        self.waiting.fetch_add(1, Ordering::AcqRel);
        if let Some(tasks) = &self.tasks {
            let _ = tasks.send(Box::new(task));
        }
    }

    /// Everything is done, and has been told.
    #[cfg(test)]
    pub(super) fn is_idle(&self) -> bool {
        self.waiting.load(Ordering::Acquire) == 0
    }
}

impl Drop for Files {
    fn drop(&mut self) {
        self.tasks = None;
        let begun = Instant::now();
        let Some(thread) = self.thread.take() else { return };
        while !thread.is_finished() && begun.elapsed() < ENDING {
            std::thread::sleep(Duration::from_millis(2));
        }
    }
}

/// What was written holds from now on, or from the next start on where a source comes through a pipe.
fn reread(told: Result<String, String>, sources: Option<Vec<PathBuf>>, folders: &Folders) -> Event {
    match (told, sources) {
        (Ok(told), Some(sources)) => load(Some(told), &sources, folders),
        (Ok(told), None) => Event::Told(Ok(format!(
            "{told}; what comes through a pipe can't be read again: it holds from the next start on"
        ))),
        (Err(told), _) => Event::Told(Err(told)),
    }
}

fn load(told: Option<String>, sources: &[PathBuf], folders: &Folders) -> Event {
    match settings::load(sources, folders) {
        Ok(settings) => Event::Reread(Box::new(Reread { told, settings })),
        Err(error) => Event::Told(Err(error.lines().next().unwrap_or_default().to_owned())),
    }
}

//! The user's own files, written and read one after the other on a thread of their own: the thread that draws never waits
//! for a disk.

use std::{
    io,
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicUsize, Ordering},
    },
    thread::JoinHandle,
    time::{Duration, Instant},
};

use crossbeam_channel::{Sender, unbounded};

use crate::{
    settings::{self, Folders, history},
    tui::{
        app::{Event, Reread},
        effect::Effect,
    },
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

    /// Does what an effect asks of files; others ask for something else, and nothing is done. `sources` are the files that are
    /// read, beside which settings may lie, or nothing where they can't be read again.
    pub(super) fn perform(&self, effect: Effect, sources: Option<Vec<PathBuf>>) {
        let folders = self.folders.clone();
        match effect {
            Effect::Keep(kept) => self.queue(move || {
                let told = format!("{} is kept in {}", kept.name, kept.file.display());
                Some(Event::Told(written(&kept.file, settings::keep(&kept)).map(|()| told)))
            }),
            Effect::Unkeep(kept) => self.queue(move || {
                let told = format!("{} is no longer kept", kept.name);
                Some(Event::Told(written(&kept.file, settings::drop_sieve(&kept)).map(|()| told)))
            }),
            Effect::Name(file, named) => self.queue(move || {
                let told = match named.name.is_empty() {
                    true => "the kind has no name any more".to_owned(),
                    false => format!("{} is kept in {}", named.name, file.display()),
                };
                let result = settings::name_kind(&file, &named);
                Some(Event::Told(written(&file, result).map(|()| told)))
            }),
            Effect::Remember(past) => self.queue(move || {
                let failed = history::write(&past, &folders).err()?;
                Some(Event::Told(Err(format!("what was typed can't be kept: {failed}"))))
            }),
            Effect::Teach { file, name, files, template } => self.queue(move || {
                let result = settings::add_layout(&file, &name, &files, &template);
                let told = written(&file, result);
                let told = told.map(|()| format!("taught; saved to {}", file.display()));
                Some(reread(told, sources, &folders))
            }),
            Effect::Rule(name, parts) => self.queue(move || {
                let Some(file) = folders.settings() else {
                    let told = "there is no folder for your settings: HOME is not set";
                    return Some(Event::Told(Err(told.to_owned())));
                };
                let told = written(&file, settings::add_rule(&file, &name, &parts));
                let told = told.map(|()| format!("{name} is kept in {}", file.display()));
                Some(reread(told, sources, &folders))
            }),
            _ => {}
        }
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

fn written(file: &Path, result: io::Result<()>) -> Result<(), String> {
    result.map_err(|error| format!("can't write {}: {error}", file.display()))
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

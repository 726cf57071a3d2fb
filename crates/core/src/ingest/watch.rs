//! Word from the system that something has changed in a folder. Polling goes on beside it: a word may get lost,
//! and some file systems give none.

use std::{
    collections::{HashMap, HashSet},
    path::{Path, PathBuf},
    sync::{Arc, Mutex, PoisonError},
};

use notify::{
    EventKind, RecommendedWatcher, RecursiveMode, Watcher as _,
    event::{ModifyKind, RenameMode},
};

use crate::source::Wake;

/// Folders that are watched at most; the system's own limit is shared with other programs.
const FOLDERS: usize = 2_000;

/// Watches folders, and collects the paths in them that have changed.
pub(crate) struct Watcher {
    /// Nothing where the system can't.
    inner: Option<RecommendedWatcher>,
    folders: HashSet<PathBuf>,
    changed: Arc<Mutex<HashMap<PathBuf, usize>>>,
}

impl Watcher {
    /// A watcher that calls `wake` when something has changed.
    pub(crate) fn new(wake: Wake) -> Self {
        let changed: Arc<Mutex<HashMap<PathBuf, usize>>> = Arc::default();
        let told = Arc::clone(&changed);
        let inner = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
            let Ok(event) = event else { return };
            if event.kind.is_access() {
                return;
            }
            let named = is_named(&event.kind);
            let mut changed = told.lock().unwrap_or_else(PoisonError::into_inner);
            for path in event.paths {
                *changed.entry(path).or_default() += usize::from(named);
            }
            drop(changed);
            wake();
        });
        Self { inner: inner.ok(), folders: HashSet::new(), changed }
    }

    /// Watches a folder from now on. What can't be watched is polled.
    pub(crate) fn add(&mut self, folder: &Path) {
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        let Ok(folder) = std::path::absolute(folder) else { return };
        if self.folders.len() >= FOLDERS || self.folders.contains(&folder) {
            return;
        }
        let watched = self
            .inner
            .as_mut()
            .is_some_and(|inner| inner.watch(&folder, RecursiveMode::NonRecursive).is_ok());
        if watched {
            self.folders.insert(folder);
        }
    }

    /// The absolute paths that have changed since the last call, each with how often it was given to another file.
    pub(crate) fn changed(&self) -> HashMap<PathBuf, usize> {
        std::mem::take(&mut *self.changed.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

/// Whether a name is given to a file: it is created, or moved there.
fn is_named(kind: &EventKind) -> bool {
    let moved = ModifyKind::Name(RenameMode::To);
    kind.is_create() || *kind == EventKind::Modify(moved)
}

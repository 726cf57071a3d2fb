//! How many files may be open at a time, and which are closed first.

use std::{
    fs::File,
    io,
    path::Path,
    sync::{
        Arc, Mutex, MutexGuard, PoisonError, Weak,
        atomic::{AtomicU64, AtomicUsize, Ordering},
    },
};

/// Opens a file to read it. Where the system has no descriptor left, files that rest are closed first.
///
/// # Errors
///
/// Those of opening it.
pub(crate) fn open(path: &Path) -> io::Result<File> {
    open_after(path, || OPEN.close(most_open() / 4 + 1))
}

/// The same with another way to close what rests, which gives how many files it closed.
fn open_after(path: &Path, close: impl FnOnce() -> usize) -> io::Result<File> {
    match open_once(path) {
        Err(error) if is_exhausted(&error) && close() > 0 => open_once(path),
        opened => opened,
    }
}

fn open_once(path: &Path) -> io::Result<File> {
    #[cfg(test)]
    super::faults::before_open()?;
    File::open(path)
}

/// Whether the process or the system has too many files open.
pub(crate) fn is_exhausted(error: &io::Error) -> bool {
    use rustix::io::Errno;
    let code = error.raw_os_error();
    [Errno::MFILE, Errno::NFILE].iter().any(|errno| code == Some(errno.raw_os_error()))
}

/// Counts readings, so that the segment that was read longest ago is closed first.
pub(super) static CLOCK: AtomicU64 = AtomicU64::new(1);

/// The named segments, and how many of them have their files open.
pub(super) static OPEN: Descriptors = Descriptors {
    named: Mutex::new(Vec::new()),
    known: AtomicUsize::new(0),
    count: AtomicUsize::new(0),
};

pub(super) struct Descriptors {
    named: Mutex<Vec<Weak<dyn Rests>>>,
    /// The named segments there are, and how many of them have their files open.
    pub(super) known: AtomicUsize,
    pub(super) count: AtomicUsize,
}

/// How many files there are that were opened by their names.
pub(crate) fn segments() -> usize {
    OPEN.known.load(Ordering::Relaxed)
}

/// What holds a file open that it can close and open again.
pub(crate) trait Rests: Send + Sync {
    /// When it was last used, counted by [`CLOCK`].
    fn used(&self) -> u64;

    /// Closes its file if it can be opened again. Says whether it did.
    fn rest(&self) -> bool;
}

impl Descriptors {
    fn lock(&self) -> MutexGuard<'_, Vec<Weak<dyn Rests>>> {
        self.named.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn register(&self, segment: &Arc<impl Rests + 'static>) {
        self.make_room();
        let segment: Arc<dyn Rests> = Arc::clone(segment) as Arc<dyn Rests>;
        let mut named = self.lock();
        if named.len() == named.capacity() {
            named.retain(|segment| segment.strong_count() > 0);
        }
        named.push(Arc::downgrade(&segment));
        drop(named);
        self.known.fetch_add(1, Ordering::Relaxed);
        self.count.fetch_add(1, Ordering::Relaxed);
    }

    /// Closes the segments that were read longest ago, when more are open than should be.
    pub(super) fn make_room(&self) {
        let most = most_open();
        if self.count.load(Ordering::Relaxed) >= most {
            self.close(most / 4 + 1);
        }
    }

    /// Whether so many segments are known that those that are quiet should be closed.
    pub(super) fn are_many(&self) -> bool {
        self.known.load(Ordering::Relaxed) > QUIET_OPEN
    }

    /// Closes so many segments that can be opened again, those that were read longest ago. Gives how many.
    fn close(&self, most: usize) -> usize {
        let mut named = self.lock();
        let mut held: Vec<Arc<dyn Rests>> = named.iter().filter_map(Weak::upgrade).collect();
        *named = held.iter().map(Arc::downgrade).collect();
        drop(named);
        // Others read segments meanwhile: an order that changes while it is made would end the sort in a panic.
        held.sort_by_cached_key(|segment| segment.used());
        held.iter().filter(|segment| segment.rest()).take(most).count()
    }
}

/// Files up to which all stay open although they are quiet: what is written to one of them right before it is deleted
/// is read then.
const QUIET_OPEN: usize = 16;

/// Descriptors for all but the files that are read: the terminal, the watch on folders, streams, what is written.
const OTHERS: usize = 22;

/// How many segments may be open at a time: half of what the system allows, once the rest has what it needs.
fn most_open() -> usize {
    (descriptor_limit().saturating_sub(OTHERS) / 2).max(4)
}

/// How many descriptors the process may have. The soft limit is raised to the hard one at the first call.
fn descriptor_limit() -> usize {
    static LIMIT: std::sync::OnceLock<usize> = std::sync::OnceLock::new();
    *LIMIT.get_or_init(|| {
        use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
        let limit = getrlimit(Resource::Nofile);
        let raised = Rlimit { current: limit.maximum, maximum: limit.maximum };
        let now = match setrlimit(Resource::Nofile, raised) {
            Ok(()) => limit.maximum,
            Err(_) => limit.current,
        };
        now.and_then(|now| usize::try_from(now).ok()).unwrap_or(usize::MAX)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::faults;

    #[test]
    fn a_file_is_opened_once_others_are_closed() {
        let file = tempfile::NamedTempFile::new().unwrap();
        let exhausted = || io::Error::from_raw_os_error(24);
        faults::plan_openings([exhausted()]);
        assert!(open_after(file.path(), || 1).is_ok(), "there is room at the second attempt");
        faults::plan_openings([exhausted()]);
        let error = open_after(file.path(), || 0).unwrap_err();
        assert!(error.to_string().contains("Too many open files"), "{error}");
        faults::plan_openings([io::ErrorKind::PermissionDenied.into()]);
        let error =
            open_after(file.path(), || unreachable!("nothing is to be closed")).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::PermissionDenied);
    }
}

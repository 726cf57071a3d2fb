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
    open_after(path, || OPEN.close(descriptor_limit() / 8 + 1))
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
fn is_exhausted(error: &io::Error) -> bool {
    use rustix::io::Errno;
    let code = error.raw_os_error();
    [Errno::MFILE, Errno::NFILE].iter().any(|errno| code == Some(errno.raw_os_error()))
}

/// Counts readings, so that the segment that was read longest ago is closed first.
pub(super) static CLOCK: AtomicU64 = AtomicU64::new(1);

/// The named segments, and how many of them have their files open.
pub(super) static OPEN: Descriptors =
    Descriptors { named: Mutex::new(Vec::new()), count: AtomicUsize::new(0) };

pub(super) struct Descriptors {
    named: Mutex<Vec<Weak<dyn Rests>>>,
    pub(super) count: AtomicUsize,
}

/// What holds a file open that it can close and open again.
pub(super) trait Rests: Send + Sync {
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
        self.lock().push(Arc::downgrade(&segment));
        self.count.fetch_add(1, Ordering::Relaxed);
    }

    /// Closes the segments that were read longest ago, when more are open than half of what the system allows.
    pub(super) fn make_room(&self) {
        let most = descriptor_limit() / 2;
        if self.count.load(Ordering::Relaxed) >= most {
            self.close(most / 4 + 1);
        }
    }

    /// Closes so many segments that can be opened again, those that were read longest ago. Gives how many.
    fn close(&self, most: usize) -> usize {
        let mut named = self.lock();
        let mut held: Vec<Arc<dyn Rests>> = named.iter().filter_map(Weak::upgrade).collect();
        *named = held.iter().map(Arc::downgrade).collect();
        drop(named);
        held.sort_by_key(|segment| segment.used());
        let closed = held.iter().filter(|segment| segment.rest()).take(most).count();
        self.count.fetch_sub(closed, Ordering::Relaxed);
        closed
    }
}

/// How many descriptors the process may have. The soft limit is raised to the hard one at the first call.
pub(super) fn descriptor_limit() -> usize {
    static LIMIT: std::sync::OnceLock<usize> = std::sync::OnceLock::new();
    *LIMIT.get_or_init(|| {
        use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
        let limit = getrlimit(Resource::Nofile);
        let raised = Rlimit { current: limit.maximum, maximum: limit.maximum };
        let now = match setrlimit(Resource::Nofile, raised) {
            Ok(()) => limit.maximum,
            Err(_) => limit.current,
        };
        now.and_then(|now| usize::try_from(now).ok()).unwrap_or(usize::MAX).max(64)
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

//! Faults below reading, for tests: what a file system may do to anybody.

use std::{cell::RefCell, collections::VecDeque, io};

/// What happens to a reading.
pub(crate) enum Fault {
    /// It gives at most so many bytes at a time.
    Short(usize),
    /// It fails.
    Error(io::ErrorKind),
    /// Something else is done to the file first.
    First(Box<dyn FnOnce()>),
}

thread_local! {
    static PLAN: RefCell<VecDeque<Fault>> = const { RefCell::new(VecDeque::new()) };
    static OPENINGS: RefCell<VecDeque<io::Error>> = const { RefCell::new(VecDeque::new()) };
}

/// Plans the faults of this thread's next readings, one each.
pub(crate) fn plan(faults: impl IntoIterator<Item = Fault>) {
    PLAN.with_borrow_mut(|plan| plan.extend(faults));
}

/// Plans how this thread's next attempts to open a file fail.
pub(crate) fn plan_openings(errors: impl IntoIterator<Item = io::Error>) {
    OPENINGS.with_borrow_mut(|plan| plan.extend(errors));
}

/// Forgets what has not happened yet.
pub(crate) fn clear() {
    PLAN.with_borrow_mut(VecDeque::clear);
    OPENINGS.with_borrow_mut(VecDeque::clear);
}

/// What is to happen to a reading: how much it may give at most, or how it fails.
pub(super) fn before_read() -> io::Result<Option<usize>> {
    match PLAN.with_borrow_mut(VecDeque::pop_front) {
        None => Ok(None),
        Some(Fault::Short(most)) => Ok(Some(most)),
        Some(Fault::Error(kind)) => Err(kind.into()),
        Some(Fault::First(act)) => {
            act();
            Ok(None)
        }
    }
}

pub(super) fn before_open() -> io::Result<()> {
    OPENINGS.with_borrow_mut(VecDeque::pop_front).map_or(Ok(()), Err)
}

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
    static SHORT: RefCell<Option<usize>> = const { RefCell::new(None) };
}

/// Plans the faults of this thread's next readings, one each.
pub(crate) fn plan(faults: impl IntoIterator<Item = Fault>) {
    PLAN.with_borrow_mut(|plan| plan.extend(faults));
}

/// Forgets what has not happened yet.
pub(crate) fn clear() {
    PLAN.with_borrow_mut(VecDeque::clear);
    SHORT.set(None);
}

pub(super) fn before_read(_offset: u64) -> io::Result<()> {
    SHORT.set(None);
    match PLAN.with_borrow_mut(VecDeque::pop_front) {
        None => Ok(()),
        Some(Fault::Short(most)) => {
            SHORT.set(Some(most));
            Ok(())
        }
        Some(Fault::Error(kind)) => Err(kind.into()),
        Some(Fault::First(act)) => {
            act();
            Ok(())
        }
    }
}

pub(super) fn shorten(got: usize, want: usize) -> usize {
    SHORT.with_borrow(|short| short.map_or(want, |most| (got + most).min(want)))
}

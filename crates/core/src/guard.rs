//! Failing at one entry without failing at the others.

use std::{
    cell::Cell,
    panic::{AssertUnwindSafe, catch_unwind},
};

thread_local! {
    static DEPTH: Cell<u32> = const { Cell::new(0) };
}

/// Runs something that may panic, by an error of the program, on unexpected bytes. `None` when it
/// did. What it had under way is dropped; it must leave nothing half done that others look at.
pub(crate) fn catch<T>(act: impl FnOnce() -> T) -> Option<T> {
    DEPTH.set(DEPTH.get() + 1);
    let done = catch_unwind(AssertUnwindSafe(act));
    DEPTH.set(DEPTH.get() - 1);
    done.ok()
}

/// Whether a panic on this thread is caught and dealt with: then a panic hook has nothing to tell.
#[must_use]
pub fn is_guarded() -> bool {
    DEPTH.get() > 0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_panic_is_caught_and_told_as_such() {
        assert!(!is_guarded());
        assert_eq!(catch(is_guarded), Some(true));
        let inner = || catch(|| -> u32 { panic!("on purpose") });
        assert_eq!(catch(|| (inner(), is_guarded())), Some((None, true)));
        assert!(!is_guarded());
    }
}

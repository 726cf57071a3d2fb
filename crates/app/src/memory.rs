//! What happens where there is no more memory: the terminal is given back, unfinished files go, and a message says why.
//!
//! Without this the standard library aborts, with the terminal as it was and its words over the screen. There is no other
//! place than the allocator where that can be caught.

use std::{
    alloc::{GlobalAlloc, Layout, System},
    sync::{
        Mutex,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

/// What is needed to end in an orderly way.
const RESERVE: usize = 1 << 20;

const TOLD: &str = "cribrum: there is not enough memory for this; raise the limit (ulimit -v), or look at fewer files or \
                    less of them, as with --from\n";

static HELD_BACK: Mutex<Option<Vec<u8>>> = Mutex::new(None);
static ENDING: AtomicBool = AtomicBool::new(false);

/// The system's allocator; where it has nothing left the program ends.
struct Heap;

#[global_allocator]
static HEAP: Heap = Heap;

// Each call is handed on as it came, and what the system returns is returned unless it is null, in which case nothing is:
// the contract is the one that `System` keeps.
// Measured: `cargo xtask budget` counts the same but for one comparison with zero for each allocation.
#[expect(unsafe_code, reason = "an allocator can be written in no other way")]
unsafe impl GlobalAlloc for Heap {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        // SAFETY: as the caller promised.
        given(unsafe { System.alloc(layout) })
    }

    unsafe fn alloc_zeroed(&self, layout: Layout) -> *mut u8 {
        // SAFETY: as the caller promised.
        given(unsafe { System.alloc_zeroed(layout) })
    }

    unsafe fn realloc(&self, was: *mut u8, layout: Layout, size: usize) -> *mut u8 {
        // SAFETY: as the caller promised.
        given(unsafe { System.realloc(was, layout, size) })
    }

    unsafe fn dealloc(&self, was: *mut u8, layout: Layout) {
        // SAFETY: as the caller promised.
        unsafe { System.dealloc(was, layout) }
    }
}

fn given(memory: *mut u8) -> *mut u8 {
    if memory.is_null() {
        end();
    }
    memory
}

/// Holds back what is needed to tell that there is no more.
pub(crate) fn hold_back() {
    if let Ok(mut held) = HELD_BACK.lock() {
        // Limits count what is reserved: it need not be written to.
        *held = Some(Vec::with_capacity(RESERVE));
    }
}

/// Ends the program where ending itself panics: an allocator must not unwind.
struct Ends;

impl Drop for Ends {
    fn drop(&mut self) {
        signal_hook::low_level::exit(4);
    }
}

/// Ends the program since there is no more memory, or no more threads.
#[cold]
pub(crate) fn end() -> ! {
    if ENDING.swap(true, Ordering::AcqRel) {
        // Another thread is at it, or ending itself needs more than there is.
        std::thread::sleep(Duration::from_secs(2));
        signal_hook::low_level::exit(4);
    }
    let _ends = Ends;
    if let Ok(mut held) = HELD_BACK.try_lock() {
        *held = None;
    }
    crate::tui::give_up();
    crate::output::abandon();
    // Not by `cli::tell`: looking for secrets takes memory, and there is none here.
    let _ = std::io::Write::write_all(&mut std::io::stderr(), TOLD.as_bytes());
    signal_hook::low_level::exit(4)
}

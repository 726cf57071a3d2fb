//! Signals that end a command: its unfinished files go first, or are made whole where it writes until it is ended.

use std::sync::atomic::{AtomicBool, Ordering};

use signal_hook::{
    consts::{SIGHUP, SIGINT, SIGTERM},
    iterator::Signals,
    low_level::emulate_default_handler,
};

/// A command makes its files whole when it is ended.
static FINISHES: AtomicBool = AtomicBool::new(false);
/// It is to end.
static ENDED: AtomicBool = AtomicBool::new(false);

/// The command ends by itself at the next signal, see [`is_ended`]; one more ends it at once.
pub(crate) fn finish_first() {
    FINISHES.store(true, Ordering::Release);
}

/// Whether a signal has come after [`finish_first`].
pub(crate) fn is_ended() -> bool {
    ENDED.load(Ordering::Acquire)
}

/// Sees to it that a command that is ended leaves nothing unfinished. The thread ends with the process.
pub(crate) fn clean_up() -> std::io::Result<()> {
    let mut signals = Signals::new([SIGTERM, SIGHUP, SIGINT])?;
    std::thread::Builder::new().name("signal".into()).spawn(move || {
        for signal in signals.forever() {
            if FINISHES.load(Ordering::Acquire) && !ENDED.swap(true, Ordering::AcqRel) {
                continue;
            }
            crate::output::abandon();
            // Raise the signal again with its default action, so that the parent process sees which signal ended it.
            let _ = emulate_default_handler(signal);
        }
    })?;
    Ok(())
}

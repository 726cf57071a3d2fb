//! Signals that end a command: its unfinished files go first.

use signal_hook::{
    consts::{SIGHUP, SIGINT, SIGTERM},
    iterator::Signals,
    low_level::emulate_default_handler,
};

/// Sees to it that a command that is ended leaves nothing unfinished. The thread ends with the process.
pub(crate) fn clean_up() -> std::io::Result<()> {
    let mut signals = Signals::new([SIGTERM, SIGHUP, SIGINT])?;
    std::thread::Builder::new().name("signal".into()).spawn(move || {
        if let Some(signal) = signals.forever().next() {
            crate::output::abandon();
            // Raise the signal again with its default action, so that the parent process sees which signal ended it.
            let _ = emulate_default_handler(signal);
        }
    })?;
    Ok(())
}

//! What the program does, written to a file on request: names and figures of its own, never text of a log or text that
//! was typed.

use std::{fs::File, io, os::unix::fs::OpenOptionsExt, path::Path, sync::Mutex};

use tracing::Level;

use crate::{output, tui::effect::Effect};

/// Begins to write diagnostics to a file, which only its owner may read. One that is there already is continued, one
/// that is a source is refused.
pub(super) fn start(path: &Path) -> io::Result<()> {
    output::check_target(path)?;
    let file = File::options().append(true).create(true).mode(0o600).open(path)?;
    let subscriber = tracing_subscriber::fmt()
        .with_writer(Mutex::new(file))
        .with_ansi(false)
        .with_target(false)
        .with_max_level(Level::DEBUG)
        .finish();
    // In tests another one may be there already.
    let _ = tracing::subscriber::set_global_default(subscriber);
    tracing::info!(version = env!("CARGO_PKG_VERSION"), "started");
    Ok(())
}

/// What an effect is called.
pub(super) fn name(effect: &Effect) -> &'static str {
    match effect {
        Effect::Sieve(_) => "sieve",
        Effect::Lens(..) => "lens",
        Effect::Beside(_) => "beside",
        Effect::Span(_) => "span",
        Effect::Look(job) => job.name,
        Effect::Forget(_) => "forget",
        Effect::Save(..) => "save",
        Effect::Page(_) => "page",
        Effect::Settings(change) => change.name(),
        Effect::Clock(..) => "clock",
        Effect::Veil(_) => "veil",
        Effect::Edit(_) => "edit",
        Effect::Copy(_) => "copy",
        Effect::Bell => "bell",
        Effect::Title(_) => "title",
        Effect::Mouse(_) => "mouse",
    }
}

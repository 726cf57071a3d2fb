//! Cribrum: pour logs in, stack meshes, look at what is left.
//!
//! ```text
//! main ─ cli/   arguments, and every command that writes to standard output
//!      ─ tui/   the desk: state, update, draw
//!      ─ veil_key   the user's key for stand-ins
//!      ─ output     files that appear whole or not at all
//! ```

mod cli;
mod config;
mod output;
mod past;
mod signals;
mod tui;
mod veil_key;
mod why;

use std::process::ExitCode;

fn main() -> ExitCode {
    // What a panic says may hold text of a log: only where it happened is told.
    std::panic::set_hook(Box::new(|info| {
        let place = info.location().map(|at| format!(" ({}:{})", at.file(), at.line()));
        cli::tell(&format!(
            "an error in Cribrum itself{}; please report it",
            place.unwrap_or_default()
        ));
    }));
    cli::run().into()
}

//! Cribrum: pour logs in, stack meshes, look at what is left.
//!
//! ```text
//! main ─ cli/         arguments, and every command that writes to standard output
//!      ─ tui/         the desk: runtime, widgets, screens
//!          both use:
//!      ─ setup, conditions   what a command line asks for
//!      ─ code/        files and editors for places in code
//!      ─ settings/    what a person has decided and typed
//!      ─ present/     how figures, spans and times are written
//!      ─ output       files that appear whole or not at all
//! ```

mod cli;
mod code;
mod conditions;
mod output;
mod present;
mod settings;
mod setup;
mod signals;
mod tui;

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
    cli::run(&tui::run).into()
}

//! Cribrum: pour logs in, stack meshes, look at what is left.
//!
//! ```text
//! run  ─ cli/         arguments, and every command that writes to standard output
//!      ─ tui/         the desk: runtime, widgets, screens
//!          both use:
//!      ─ results/     tables of what is found, in all forms: for screens, commands and extracts
//!      ─ setup, conditions   what a command line asks for
//!      ─ code/        files and editors for places in code
//!      ─ settings/    what a person has decided and typed
//!      ─ present/     how figures, spans and times are written
//!      ─ mistake      what is wrong with what was typed, without secrets
//!      ─ memory       the end where there is no more of it
//!      ─ output       files that appear whole or not at all
//! ```

mod cli;
mod code;
mod conditions;
mod memory;
mod mistake;
mod output;
mod present;
mod results;
mod settings;
mod setup;
mod signals;
mod tui;

use std::process::ExitCode;

/// Runs the program with the arguments it was started with.
#[must_use]
pub fn run() -> ExitCode {
    memory::hold_back();
    // What a panic says may hold text of a log: only where it happened is told.
    std::panic::set_hook(Box::new(|info| {
        // The standard library panics so where a limit does not let it have another thread.
        let says = info.payload().downcast_ref::<String>();
        if says.is_some_and(|says| says.starts_with("failed to spawn thread")) {
            memory::end();
        }
        let place = info.location().map(|at| format!(" ({}:{})", at.file(), at.line()));
        cli::tell(&format!(
            "an error in Cribrum itself{}; please report it",
            place.unwrap_or_default()
        ));
    }));
    cli::run(&tui::run).into()
}

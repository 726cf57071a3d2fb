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
mod tui;
mod veil_key;
mod why;

use std::process::ExitCode;

fn main() -> ExitCode {
    cli::run().into()
}

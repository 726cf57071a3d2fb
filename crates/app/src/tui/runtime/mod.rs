//! The only I/O of the desk: the engine, the terminal, jobs, files. The same in tests as in the program; only what the
//! desk is shown on differs.

mod diagnostics;
mod files;
mod input;
mod jobs;
mod rows;
mod running;
mod terminal;
mod timings;

pub(crate) use input::{input, signals};
pub(crate) use running::Runtime;
#[cfg(test)]
pub(crate) use terminal::Host;
pub(crate) use terminal::{Terminal, give_up, wait_until_it_hangs};

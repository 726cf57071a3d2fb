//! The desk in the terminal.
//!
//! ```text
//! runtime/   terminal, events, jobs, files: the only I/O
//! app/       the stack of screens, what lies over them, which key does what
//! screens/   a folder a screen: state, keys, update, view
//! table/     screens that are a table: state, keys, drawing
//! screen     what a screen is; common: keys of all screens
//! overlay/   prompt, list, the prompt for actions
//! widgets/   pieces that screens are drawn with; theme: colours and signs
//! context/   what a screen works with; shared: the state that all share; effect: what it asks of the world
//! ```
//!
//! Arrows point downwards only: nothing here imports what stands above it, and no screen another.
//!
//! Threads: the *input* thread reads the terminal and ends with the process; a *signal* thread turns SIGTERM and
//! SIGHUP into events; the *rows* thread reads what is on the screen; short-lived threads look things up and save
//! files. All of them, and the engine, send into one bounded channel, and this thread sleeps until something comes.

mod app;
mod columns;
mod common;
mod context;
mod effect;
mod keys;
mod overlay;
mod runtime;
mod screen;
mod screens;
mod shared;
mod table;
#[cfg(test)]
mod testing;
mod theme;
mod widgets;

use std::io;

use app::App;
pub(crate) use runtime::give_up;
use runtime::{Runtime, Terminal};
use shared::Shared;
use theme::Theme;

use crate::{settings::history, setup::Setup};

/// Opens the desk and gives the terminal back when it is closed.
pub(crate) fn run(setup: Setup) -> io::Result<()> {
    // The engine begins to read before the terminal is taken; what it finds is drawn at once.
    let theme = Theme::new(setup.palette);
    let past = history::read(&setup.folders);
    let mut runtime = Runtime::start(setup)?;
    runtime::signals(runtime.events(), give_up, runtime::wait_until_it_hangs)?;
    let mut shared = Shared::new(runtime.setup(), runtime.snapshot(), theme);
    shared.typed.past = past;
    if let Some(first) = shared.settings.left_out.first() {
        let first = first.clone();
        shared.warn(first);
    }
    let mut app = App::new(shared, screens::REGISTER);
    let mut terminal = Terminal::open()?;
    runtime::input(runtime.events())?;
    let result = runtime.converse(&mut app, &mut terminal);
    terminal.close()?;
    // Settings that were changed last are written.
    drop(runtime);
    // What is still being saved is not finished any more.
    crate::output::abandon();
    result
}

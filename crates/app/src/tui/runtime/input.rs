//! What comes from outside: keys, paste, mouse, signals.

use std::{
    io,
    sync::{
        Mutex, MutexGuard, PoisonError,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

use crossbeam_channel::Sender;
use ratatui::crossterm::event::{self, Event as Input, KeyEventKind};

use super::timings;
use crate::tui::app::Event;

/// Held while the terminal is read.
static READING: Mutex<()> = Mutex::new(());
/// Another program, such as an editor, wants to read the terminal.
static WANTED: AtomicBool = AtomicBool::new(false);
/// How long one poll for input lasts, before [`WANTED`] is looked at again.
const TURN: Duration = Duration::from_millis(100);

/// Takes the terminal's input from the thread that reads it, until this is dropped.
pub(super) fn pause() -> Pause {
    WANTED.store(true, Ordering::Release);
    Pause(READING.lock().unwrap_or_else(PoisonError::into_inner))
}

/// While this exists, another program reads the terminal.
pub(super) struct Pause(#[expect(dead_code, reason = "it is held")] MutexGuard<'static, ()>);

impl Drop for Pause {
    fn drop(&mut self) {
        WANTED.store(false, Ordering::Release);
    }
}

/// Waits for input, but not while another program reads.
fn next() -> io::Result<Option<Input>> {
    while WANTED.load(Ordering::Acquire) {
        std::thread::sleep(Duration::from_millis(5));
    }
    let _reading = READING.lock().unwrap_or_else(PoisonError::into_inner);
    if WANTED.load(Ordering::Acquire) || !event::poll(TURN)? {
        return Ok(None);
    }
    event::read().map(Some)
}

/// Reads the terminal on a thread of its own, which ends with the process.
pub(crate) fn input(events: Sender<Event>) -> io::Result<()> {
    std::thread::Builder::new().name("input".into()).spawn(move || {
        loop {
            let event = match next() {
                Ok(None) => continue,
                Ok(Some(Input::Key(key))) if key.kind != KeyEventKind::Release => {
                    timings::came();
                    Event::Key(key)
                }
                Ok(Some(Input::Paste(text))) => Event::Paste(text),
                Ok(Some(Input::Mouse(mouse))) => Event::Mouse(mouse),
                Ok(Some(Input::Resize(..))) => Event::Resize,
                Ok(Some(_)) => continue,
                Err(_) => Event::Quit,
            };
            let last = matches!(event, Event::Quit);
            if events.send(event).is_err() || last {
                return;
            }
        }
    })?;
    Ok(())
}

/// Asks the desk to end, or to give the terminal away for a while. Other signals that end a process, and a second
/// one that asks for it, end it here, once `give_up` has given the terminal back; so does the first one where drawing
/// hangs, which `hangs` waits for.
pub(crate) fn signals(events: Sender<Event>, give_up: fn(), hangs: fn()) -> io::Result<()> {
    use signal_hook::{
        consts::{SIGALRM, SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGTSTP, SIGUSR1, SIGUSR2},
        iterator::Signals,
    };
    let caught = [SIGTERM, SIGHUP, SIGINT, SIGTSTP, SIGQUIT, SIGUSR1, SIGUSR2, SIGALRM];
    let mut signals = Signals::new(caught)?;
    let end = move |signal| {
        give_up();
        crate::output::abandon();
        let _ = signal_hook::low_level::emulate_default_handler(signal);
    };
    std::thread::Builder::new().name("signal".into()).spawn(move || {
        let mut asked = false;
        for signal in signals.forever() {
            let event = match signal {
                SIGTSTP => Event::Suspend,
                SIGTERM | SIGHUP | SIGINT if !std::mem::replace(&mut asked, true) => {
                    let _ = std::thread::Builder::new().name("ending".into()).spawn(move || {
                        hangs();
                        end(signal);
                    });
                    Event::Quit
                }
                _ => return end(signal),
            };
            let _ = events.send(event);
        }
    })?;
    Ok(())
}

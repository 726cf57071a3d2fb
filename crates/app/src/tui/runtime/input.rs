//! What comes from outside: keys, paste, mouse, signals.

use std::io;

use crossbeam_channel::Sender;
use ratatui::crossterm::event::{self, Event as Input, KeyEventKind};

use super::{terminal, timings};
use crate::tui::app::Event;

/// Reads the terminal on a thread of its own, which ends with the process.
pub(crate) fn input(events: Sender<Event>) -> io::Result<()> {
    std::thread::Builder::new().name("input".into()).spawn(move || {
        loop {
            let event = match event::read() {
                Ok(Input::Key(key)) if key.kind != KeyEventKind::Release => {
                    timings::came();
                    Event::Key(key)
                }
                Ok(Input::Paste(text)) => Event::Paste(text),
                Ok(Input::Mouse(mouse)) => Event::Mouse(mouse),
                Ok(Input::Resize(..)) => Event::Resize,
                Ok(_) => continue,
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
/// one that asks for it, end it here, once the terminal is given back.
pub(crate) fn signals(events: Sender<Event>) -> io::Result<()> {
    use signal_hook::{
        consts::{SIGALRM, SIGHUP, SIGINT, SIGQUIT, SIGTERM, SIGTSTP, SIGUSR1, SIGUSR2},
        iterator::Signals,
    };
    let caught = [SIGTERM, SIGHUP, SIGINT, SIGTSTP, SIGQUIT, SIGUSR1, SIGUSR2, SIGALRM];
    let mut signals = Signals::new(caught)?;
    std::thread::Builder::new().name("signal".into()).spawn(move || {
        let mut asked = false;
        for signal in signals.forever() {
            let event = match signal {
                SIGTSTP => Event::Suspend,
                SIGTERM | SIGHUP | SIGINT if !std::mem::replace(&mut asked, true) => Event::Quit,
                _ => {
                    terminal::give_up();
                    crate::output::abandon();
                    let _ = signal_hook::low_level::emulate_default_handler(signal);
                    return;
                }
            };
            let _ = events.send(event);
        }
    })?;
    Ok(())
}

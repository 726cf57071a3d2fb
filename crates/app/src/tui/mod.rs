//! The desk: state, update and draw kept apart.
//!
//! Threads: the *input* thread reads the terminal and ends with the process; a *signal* thread turns
//! SIGTERM and SIGHUP into events; short-lived threads read trails and save plates. All of them, and the
//! engine, send into one bounded channel, and this thread sleeps until something comes.

mod inspector;
mod keymap;
mod prompt;
mod prompting;
mod state;
mod terminal;
mod text;
mod theme;
mod update;
mod view;

use std::{
    io,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

use cribrum_core::{
    engine::{Engine, Lens},
    query::Expr,
    trail::Trail,
};
use cribrum_draw::Format;
use crossbeam_channel::{Receiver, Sender, bounded};
use ratatui::crossterm::event::{self, Event as Input, KeyEventKind};

pub(crate) use state::Setup;
use state::{App, Effect};
use terminal::Terminal;
pub(crate) use text::{count_text, span_text};
use theme::Theme;
use update::Event;

/// Events that are taken before the screen is drawn again.
const BATCH: usize = 64;

/// Opens the desk and gives the terminal back when it is closed.
pub(crate) fn run(setup: Setup) -> io::Result<()> {
    let (events, incoming) = bounded(1_024);
    let news = Arc::new(AtomicBool::new(false));
    let engine = {
        let (events, news) = (events.clone(), Arc::clone(&news));
        Engine::start(
            setup.sources.clone(),
            setup.options.clone(),
            crate::veil_key::veil(),
            move || {
                // One note is enough until it has been read.
                if !news.swap(true, Ordering::AcqRel) {
                    let _ = events.try_send(Event::News);
                }
            },
        )?
    };
    signals(events.clone())?;
    let theme = Theme::new(setup.palette);
    let mut app = App::new(&setup, engine.snapshot(), theme);
    drop(setup);
    let mut terminal = Terminal::open()?;
    input(events.clone())?;
    let result = converse(&mut app, &mut terminal, &engine, &incoming, &events, &news);
    terminal.close()?;
    result
}

fn converse(
    app: &mut App,
    terminal: &mut Terminal,
    engine: &Engine,
    incoming: &Receiver<Event>,
    events: &Sender<Event>,
    news: &AtomicBool,
) -> io::Result<()> {
    while !app.quitting {
        app.size = terminal.size()?;
        view::prepare(app);
        terminal.draw(|frame| view::draw(app, frame))?;
        // A second without an event is a moment to look whether a note was lost in a full channel.
        let first = incoming.recv_timeout(Duration::from_secs(1)).unwrap_or(Event::News);
        for event in std::iter::once(first).chain(incoming.try_iter()).take(BATCH) {
            if matches!(event, Event::News) {
                news.store(false, Ordering::Release);
                let effects = app.refresh(engine.snapshot());
                perform(effects, app, terminal, engine, events)?;
            }
            let effects = app.update(event);
            perform(effects, app, terminal, engine, events)?;
        }
        let effects = app.inspect();
        perform(effects, app, terminal, engine, events)?;
    }
    Ok(())
}

fn perform(
    effects: Vec<Effect>,
    app: &App,
    terminal: &mut Terminal,
    engine: &Engine,
    events: &Sender<Event>,
) -> io::Result<()> {
    for effect in effects {
        match effect {
            Effect::Sieve(sieve) => engine.set_sieve(sieve),
            Effect::Lens(lens, expr) => engine.set_lens(lens, expr),
            Effect::Copy(text) => terminal.copy(&text)?,
            Effect::Mouse(on) => terminal.mouse(on)?,
            Effect::BuildTrail(expr) => {
                let (snapshot, events) = (Arc::clone(&app.snapshot), events.clone());
                std::thread::Builder::new().name("trail".into()).spawn(move || {
                    let id = match &expr {
                        Expr::Id(id) => id.as_str(),
                        _ => "",
                    };
                    if let Some(lens) = snapshot.lens(Lens::Trail) {
                        let trail = Trail::build(&snapshot, lens, id);
                        // Nobody waits any more when the desk is closed.
                        let _ = events.send(Event::Trail(Box::new(trail)));
                    }
                })?;
            }
            Effect::Save(path, plate) => {
                let events = events.clone();
                std::thread::Builder::new().name("save".into()).spawn(move || {
                    let saved = Format::of(&path)
                        .ok_or_else(|| "name a file that ends in .svg or .pdf".to_owned())
                        .and_then(|format| plate.render(format).map_err(|error| error.to_string()))
                        .and_then(|bytes| {
                            crate::output::write_file(&path, &bytes)
                                .map_err(|error| format!("can't write {}: {error}", path.display()))
                        });
                    let _ = events.send(Event::Saved(saved.map(|()| path)));
                })?;
            }
        }
    }
    Ok(())
}

fn input(events: Sender<Event>) -> io::Result<()> {
    std::thread::Builder::new().name("input".into()).spawn(move || {
        loop {
            let event = match event::read() {
                Ok(Input::Key(key)) if key.kind != KeyEventKind::Release => Event::Key(key),
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

fn signals(events: Sender<Event>) -> io::Result<()> {
    use signal_hook::{consts, iterator::Signals};
    let mut signals = Signals::new([consts::SIGTERM, consts::SIGHUP, consts::SIGINT])?;
    std::thread::Builder::new().name("signal".into()).spawn(move || {
        if signals.forever().next().is_some() {
            let _ = events.send(Event::Quit);
        }
    })?;
    Ok(())
}

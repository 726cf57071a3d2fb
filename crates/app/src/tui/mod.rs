//! The desk: state, update and draw kept apart.
//!
//! Threads: the *input* thread reads the terminal and ends with the process; a *signal* thread turns
//! SIGTERM and SIGHUP into events; the *rows* thread reads what is on the screen; short-lived threads look things
//! up (`jobs`) and save plates. All of them, and the
//! engine, send into one bounded channel, and this thread sleeps until something comes.

mod columns;
mod completing;
mod inspector;
mod jobs;
mod keeping;
mod keymap;
mod picker;
mod pointing;
mod prompt;
mod prompting;
mod rows;
mod sieving;
mod state;
mod teach;
mod terminal;
mod text;
mod theme;
mod timing;
mod timings;
mod update;
mod view;
mod watching;

use std::{
    io,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use cribrum_core::{engine::Engine, source::Origin};
use cribrum_draw::Format;
use crossbeam_channel::{Receiver, Sender, bounded};
use ratatui::crossterm::event::{self, Event as Input, KeyEventKind};

use jobs::Jobs;
use rows::Rows;
pub(crate) use state::Setup;
use state::{App, Effect};
use terminal::Terminal;
pub(crate) use text::{count_text, rate_text, span_text};
use theme::Theme;
use timings::Timings;
use update::Event;

/// How long events are taken before the screen is drawn again: none is lost, and the screen keeps up with a flood
/// of them.
const BATCH: Duration = Duration::from_millis(8);

/// Opens the desk and gives the terminal back when it is closed.
pub(crate) fn run(setup: Setup) -> io::Result<()> {
    let (events, incoming) = bounded(1_024);
    let news = Arc::new(AtomicBool::new(false));
    let engine = start(&setup, &events, &news)?;
    signals(events.clone())?;
    let theme = Theme::new(setup.palette);
    let mut app = App::new(&setup, engine.snapshot(), theme);
    app.past = crate::past::read();
    let mut running = Running {
        setup,
        engine,
        rows: Rows::start(events.clone())?,
        events,
        news,
        jobs: Jobs::default(),
    };
    let mut timings = running.setup.timings.as_deref().map(Timings::create).transpose()?;
    let mut terminal = Terminal::open()?;
    input(running.events.clone())?;
    let result = converse(&mut app, &mut terminal, &mut running, &incoming, timings.as_mut());
    terminal.close()?;
    // What is still being saved is not finished any more.
    crate::output::abandon();
    result
}

/// The engine, and what it takes to start another in its place.
struct Running {
    setup: Setup,
    engine: Engine,
    events: Sender<Event>,
    news: Arc<AtomicBool>,
    jobs: Jobs,
    rows: Rows,
}

impl Running {
    /// Reads everything again with what has been taught.
    fn again(&mut self, app: &mut App) -> io::Result<()> {
        // What came while following is read again as well.
        self.setup.found.sources.clone_from(&app.snapshot.sources);
        let paths: Vec<std::path::PathBuf> = self
            .setup
            .found
            .sources
            .iter()
            .filter_map(|source| match &source.origin {
                Origin::Files(files) => files.last().cloned(),
                Origin::Stdin => None,
            })
            .collect();
        match crate::config::settings(&paths) {
            Ok(settings) => {
                cribrum_core::entry::declare_ids(&settings.ids);
                let dialect = self.setup.options.dialect.clone();
                self.setup.options.dialect = dialect.taught(settings.layouts.clone());
                app.settings = settings;
            }
            Err(error) => {
                app.warn(error.lines().next().unwrap_or_default().to_owned());
                return Ok(());
            }
        }
        self.engine = start(&self.setup, &self.events, &self.news)?;
        self.engine.set_sieve(app.history.sieve().clone());
        app.read_again(self.engine.snapshot());
        Ok(())
    }
}

fn start(setup: &Setup, events: &Sender<Event>, news: &Arc<AtomicBool>) -> io::Result<Engine> {
    let (events, news) = (events.clone(), Arc::clone(news));
    let veil = crate::veil_key::veil();
    Engine::start(setup.found.clone(), setup.options.clone(), veil, move || {
        // One note is enough until it has been read.
        if !news.swap(true, Ordering::AcqRel) {
            let _ = events.try_send(Event::News);
        }
    })
}

fn converse(
    app: &mut App,
    terminal: &mut Terminal,
    running: &mut Running,
    incoming: &Receiver<Event>,
    mut timings: Option<&mut Timings>,
) -> io::Result<()> {
    while !app.quitting {
        app.size = terminal.size()?;
        view::prepare(app);
        running.rows.fill(app);
        terminal.draw(|frame| view::draw(app, frame))?;
        if let Some(timings) = &mut timings {
            timings.drawn(app.is_current())?;
        }
        // A second without an event is a moment to look whether a note was lost in a full channel.
        let first = incoming.recv_timeout(Duration::from_secs(1)).unwrap_or(Event::News);
        let begun = Instant::now();
        // The time is looked at before an event is taken: one that is taken is never dropped.
        let more = std::iter::from_fn(|| {
            (begun.elapsed() < BATCH).then(|| incoming.try_recv().ok()).flatten()
        });
        for event in std::iter::once(first).chain(more) {
            if matches!(event, Event::Suspend) || suspends(&event) {
                terminal.suspend()?;
                continue;
            }
            if let (Some(timings), Event::Key(key)) = (&mut timings, &event) {
                timings.key(*key);
            }
            if matches!(event, Event::News) {
                running.news.store(false, Ordering::Release);
                let snapshot = running.engine.snapshot();
                // What has come while following is a source like any other.
                if !Arc::ptr_eq(&snapshot.sources, &app.snapshot.sources) {
                    crate::output::protect(&snapshot.sources);
                }
                let effects = app.refresh(snapshot);
                perform(effects, app, terminal, running)?;
            }
            let effects = app.update(event);
            perform(effects, app, terminal, running)?;
        }
        let effects = app.inspect();
        perform(effects, app, terminal, running)?;
    }
    Ok(())
}

/// Whether a key asks for the shell: in raw mode the terminal sends no signal for it.
fn suspends(event: &Event) -> bool {
    use ratatui::crossterm::event::{KeyCode, KeyModifiers};
    let Event::Key(key) = event else { return false };
    key.code == KeyCode::Char('z') && key.modifiers == KeyModifiers::CONTROL
}

fn perform(
    effects: Vec<Effect>,
    app: &mut App,
    terminal: &mut Terminal,
    running: &mut Running,
) -> io::Result<()> {
    for effect in effects {
        let events = running.events.clone();
        match effect {
            Effect::Sieve(sieve) => running.engine.set_sieve(sieve),
            Effect::Lens(lens, expr) => running.engine.set_lens(lens, expr),
            Effect::Beside(sieves) => running.engine.set_beside(sieves),
            Effect::Span(span) => running.engine.set_span(span),
            Effect::Look(job) => running.jobs.start(job, &app.snapshot, events)?,
            Effect::Keep(kept) => match crate::config::keep(&kept) {
                Ok(()) => app.tell(format!("{} is kept in {}", kept.name, kept.file.display())),
                Err(error) => app.warn(format!("can't write {}: {error}", kept.file.display())),
            },
            Effect::Remember(past) => {
                if let Err(error) = crate::past::write(&past) {
                    app.warn(format!("what was typed can't be kept: {error}"));
                }
            }
            Effect::Bell => terminal.bell()?,
            Effect::Title(title) => terminal.title(&title)?,
            Effect::Teach(path, table) => match crate::config::add(&path, &table) {
                Ok(()) => {
                    app.tell(format!("taught; saved to {}", path.display()));
                    running.again(app)?;
                }
                Err(error) => app.warn(format!("can't write {}: {error}", path.display())),
            },
            Effect::Clock(label, correction) => {
                let clocks = &mut running.setup.options.clocks;
                clocks.retain(|(known, _)| *known != label);
                clocks.push((label, correction));
                running.again(app)?;
            }
            Effect::Copy(text) => terminal.copy(&text)?,
            Effect::Mouse(on) => terminal.mouse(on)?,
            Effect::Save(path, plate) => {
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
fn signals(events: Sender<Event>) -> io::Result<()> {
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

//! The engine, what the desk is shown on, and what carries out the desk's effects.

use std::{
    io,
    path::{Path, PathBuf},
    process::Command,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use cribrum_core::{
    engine::{Engine, Lens, Snapshot},
    entry::{Correction, declare_ids},
    sieve::Sieve,
    source::{Origin, Source},
    veil::Policy,
};
use crossbeam_channel::{Receiver, Sender, bounded};
use ratatui::crossterm::event::{KeyCode, KeyModifiers};

use super::{diagnostics, files::Files, jobs::Jobs, rows::Rows, terminal::Host, timings::Timings};
use crate::{
    code::Editor,
    output::Output,
    setup::Setup,
    tui::{
        app::{self, App, Event, Reread},
        effect::{Effect, Existing, Make},
    },
};

/// How long events are taken before the screen is drawn again: none is lost, and the screen keeps up with a flood
/// of them.
const BATCH: Duration = Duration::from_millis(8);

/// What the engine has been asked, so that it can be told whether it has answered.
#[derive(Default)]
struct Asked {
    lenses: Vec<(Lens, Option<String>)>,
    beside: Vec<Sieve>,
    span: Option<(i64, i64)>,
}

impl Asked {
    #[cfg(test)]
    fn is_answered(&self, snapshot: &Snapshot) -> bool {
        let lens = |(lens, text): &(Lens, Option<String>)| match (snapshot.lens(*lens), text) {
            (Some(view), Some(text)) => view.done && view.text == *text,
            (view, text) => view.is_none() && text.is_none(),
        };
        let beside = &snapshot.beside;
        self.lenses.iter().all(lens)
            && beside.iter().map(|view| &view.sieve).eq(&self.beside)
            && beside.iter().all(|view| view.done)
            && snapshot.span_shown == self.span
    }
}

/// A running desk but for its state.
pub(crate) struct Runtime {
    setup: Setup,
    engine: Engine,
    events: Sender<Event>,
    incoming: Receiver<Event>,
    /// There is news that has not been looked at.
    news: Arc<AtomicBool>,
    jobs: Jobs,
    files: Files,
    rows: Rows,
    asked: Asked,
    timings: Option<Timings>,
}

impl Runtime {
    /// Starts to read what the desk was opened with.
    pub(crate) fn start(setup: Setup) -> io::Result<Self> {
        if let Some(path) = &setup.diagnostics {
            diagnostics::start(path)?;
        }
        let (events, incoming) = bounded(1_024);
        let news = Arc::new(AtomicBool::new(false));
        let engine = start(&setup, &events, &news)?;
        let files = Files::start(events.clone(), setup.folders.clone())?;
        Ok(Self {
            engine,
            rows: Rows::start(events.clone())?,
            timings: setup.timings.as_deref().map(Timings::create).transpose()?,
            setup,
            events,
            incoming,
            news,
            jobs: Jobs::default(),
            files,
            asked: Asked::default(),
        })
    }

    pub(crate) fn setup(&self) -> &Setup {
        &self.setup
    }

    pub(crate) fn snapshot(&self) -> Arc<Snapshot> {
        self.engine.snapshot()
    }

    /// Where events are sent to.
    pub(crate) fn events(&self) -> Sender<Event> {
        self.events.clone()
    }

    /// Draws, waits for something to happen, and answers it, until the desk is closed.
    pub(crate) fn converse(&mut self, app: &mut App, host: &mut dyn Host) -> io::Result<()> {
        while !app.quitting {
            self.frame(app, host)?;
            // A second without an event is a moment to look whether a note was lost in a full channel.
            let first = self.incoming.recv_timeout(Duration::from_secs(1)).unwrap_or(Event::News);
            let begun = Instant::now();
            self.handle(app, first, host)?;
            // The time is looked at before an event is taken: one that is taken is never dropped.
            while begun.elapsed() < BATCH
                && let Ok(event) = self.incoming.try_recv()
            {
                self.handle(app, event, host)?;
            }
        }
        Ok(())
    }

    /// Draws the screen once.
    pub(crate) fn frame(&mut self, app: &mut App, host: &mut dyn Host) -> io::Result<()> {
        self.get_ready(app, host)?;
        host.draw(&mut |frame| app::draw(app, frame))?;
        if let Some(timings) = &mut self.timings {
            let snapshot = &app.cx.shared.snapshot;
            let (done, all) = snapshot.progress.sifted;
            timings.drawn(snapshot.sieve == *app.cx.shared.sieve() && done == all)?;
        }
        Ok(())
    }

    /// Gets what the screen needs to be drawn.
    fn get_ready(&mut self, app: &mut App, host: &mut dyn Host) -> io::Result<()> {
        app.size = host.size()?;
        let effects = app.prepare();
        self.perform(app, effects, host)?;
        self.rows.fill(app);
        Ok(())
    }

    /// Answers an event.
    pub(crate) fn handle(
        &mut self,
        app: &mut App,
        event: Event,
        host: &mut dyn Host,
    ) -> io::Result<()> {
        if matches!(event, Event::Suspend) || suspends(&event) {
            return host.suspend();
        }
        if let Event::Key(key) = &event {
            if let Some(timings) = &mut self.timings {
                timings.key(*key);
            }
            // A key that came right behind one that moved the cursor is about the entry there.
            if app.lacks_selected() {
                self.get_ready(app, host)?;
            }
        }
        if let Event::Reread(reread) = event {
            return self.read_again(app, *reread, host);
        }
        if matches!(event, Event::News) {
            self.news.store(false, Ordering::Release);
            self.take_snapshot(app, self.engine.snapshot(), host)?;
        }
        let effects = app.update(event);
        self.perform(app, effects, host)
    }

    fn take_snapshot(
        &mut self,
        app: &mut App,
        snapshot: Arc<Snapshot>,
        host: &mut dyn Host,
    ) -> io::Result<()> {
        // What has come while following is a source like any other.
        if !Arc::ptr_eq(&snapshot.sources, &app.cx.shared.snapshot.sources) {
            crate::output::protect(&snapshot.sources);
        }
        let (read, size) = snapshot.progress.read;
        tracing::debug!(
            sources = snapshot.sources.len(),
            entries = snapshot.order.len(),
            left = snapshot.pan.len(),
            meshes = snapshot.sieve.meshes.len(),
            read,
            size,
            "snapshot"
        );
        let effects = app.refresh(snapshot);
        self.perform(app, effects, host)
    }

    fn perform(
        &mut self,
        app: &mut App,
        effects: Vec<Effect>,
        host: &mut dyn Host,
    ) -> io::Result<()> {
        for effect in effects {
            tracing::debug!(effect = diagnostics::name(&effect));
            match effect {
                Effect::Sieve(sieve) => self.engine.set_sieve(sieve),
                Effect::Lens(lens, expr) => {
                    self.asked.lenses.retain(|(known, _)| *known != lens);
                    self.asked.lenses.push((lens, expr.as_ref().map(ToString::to_string)));
                    self.engine.set_lens(lens, expr);
                }
                Effect::Beside(sieves) => {
                    self.asked.beside.clone_from(&sieves);
                    self.engine.set_beside(sieves);
                }
                Effect::Span(span) => {
                    self.asked.span = span;
                    self.engine.set_span(span);
                }
                Effect::Look(job) => {
                    self.jobs.start(job, &app.cx.shared.snapshot, self.events.clone())?;
                }
                Effect::Forget(owner) => self.jobs.forget(owner),
                Effect::Save(path, existing, make) => self.save(path, existing, make)?,
                Effect::Page(pager) => {
                    edit(app, &pager, host);
                    self.files.remove(pager.file);
                }
                Effect::Clock(label, correction) => self.set_clock(app, label, correction),
                Effect::Veil(policy) => self.set_veil(app, policy),
                Effect::Edit(editor) => edit(app, &editor, host),
                Effect::Copy(text) => host.copy(text.as_str())?,
                Effect::Bell => host.bell()?,
                Effect::Title(title) => host.title(&title)?,
                Effect::Mouse(on) => host.mouse(on)?,
                Effect::Settings(change) => {
                    let reads = change.is_of_reading() && !has_stream(app);
                    self.files.change(change, reads.then(|| files_of(app)));
                }
            }
        }
        Ok(())
    }

    /// Writes a file whole, on a thread of its own.
    fn save(&self, path: PathBuf, existing: Existing, make: Make) -> io::Result<()> {
        let events = self.events.clone();
        let here = self.setup.here.clone();
        std::thread::Builder::new().name("save".into()).spawn(move || {
            let saved = save(&here, path, existing, make);
            let _ = events.send(Event::Told(saved));
        })?;
        Ok(())
    }

    fn set_clock(&mut self, app: &App, label: String, clock: Correction) {
        let clocks = &mut self.setup.options.clocks;
        clocks.retain(|(known, _)| *known != label);
        clocks.push((label, clock));
        self.files.read_again(files_of(app));
    }

    fn set_veil(&mut self, app: &mut App, policy: Policy) {
        if has_stream(app) {
            return app.cx.tell(
                "what comes through a pipe can't be read again; this holds from the next start on",
            );
        }
        self.setup.veil = self.setup.veil.clone().with_policy(policy);
        self.files.read_again(files_of(app));
    }

    /// Reads everything again with settings that have been read.
    fn read_again(&mut self, app: &mut App, reread: Reread, host: &mut dyn Host) -> io::Result<()> {
        let Reread { told, settings } = reread;
        if let Some(told) = told {
            app.cx.tell(told);
        }
        // What came while following is read again as well.
        self.setup.found.sources.clone_from(&app.cx.shared.snapshot.sources);
        declare_ids(&settings.ids);
        let dialect = self.setup.options.dialect.clone();
        self.setup.options.dialect = dialect.taught(settings.layouts.clone());
        let veil = self.setup.veil.clone();
        self.setup.veil = veil.with_rules(settings.veil.rules.clone());
        app.cx.shared.settings = settings;
        self.engine = start(&self.setup, &self.events, &self.news)?;
        self.asked = Asked::default();
        self.engine.set_sieve(app.cx.shared.sieve().clone());
        let effects = app.read_again(self.engine.snapshot());
        self.perform(app, effects, host)
    }
}

/// The youngest file of each source, beside which settings may lie.
fn files_of(app: &App) -> Vec<PathBuf> {
    let last = |source: &Source| match &source.origin {
        Origin::Files(files) => files.last().cloned(),
        Origin::Stdin => None,
    };
    app.cx.shared.snapshot.sources.iter().filter_map(last).collect()
}

/// Whether a source comes through a pipe and can't be read again.
fn has_stream(app: &App) -> bool {
    let sources = &app.cx.shared.snapshot.sources;
    sources.iter().any(|source| matches!(source.origin, Origin::Stdin))
}

/// Tests wait for what the program only shows when it comes.
#[cfg(test)]
impl Runtime {
    /// Lets everything come to rest that the events so far have led to.
    pub(crate) fn settle(&mut self, app: &mut App, host: &mut dyn Host) {
        loop {
            let snapshot = self.rest(app, host);
            if !Arc::ptr_eq(&snapshot, &app.cx.shared.snapshot) {
                self.take_snapshot(app, snapshot, host).unwrap();
            }
            let effects = app.prepare();
            let idle = effects.is_empty() && self.is_idle();
            self.perform(app, effects, host).unwrap();
            let snapshot = &app.cx.shared.snapshot;
            if idle && self.is_idle() && self.asked.is_answered(snapshot) {
                return;
            }
        }
    }

    fn is_idle(&self) -> bool {
        self.jobs.is_idle() && self.files.is_idle() && self.incoming.is_empty()
    }

    /// Answers what has come, and waits until the engine has nothing left to do.
    fn rest(&mut self, app: &mut App, host: &mut dyn Host) -> Arc<Snapshot> {
        let begun = Instant::now();
        loop {
            while let Ok(event) = self.incoming.try_recv() {
                if !matches!(event, Event::News) {
                    self.handle(app, event, host).unwrap();
                }
            }
            self.news.store(false, Ordering::Release);
            let (sieve, asked) = (app.cx.shared.sieve(), &self.asked);
            let snapshot = self.engine.wait(|snapshot: &Snapshot| {
                assert!(begun.elapsed() < Duration::from_secs(20), "the engine never came to rest");
                let known = snapshot.is_related() || !self.setup.options.ids;
                snapshot.settled()
                    && known
                    && snapshot.sieve == *sieve
                    && asked.is_answered(snapshot)
            });
            if self.is_idle() {
                return snapshot;
            }
            // Whatever is still at work tells when it is done.
            if let Ok(event) = self.incoming.recv_timeout(Duration::from_millis(1))
                && !matches!(event, Event::News)
            {
                self.handle(app, event, host).unwrap();
            }
        }
    }

    /// What has happened, where something has.
    pub(crate) fn next_event(&self) -> Option<Event> {
        self.incoming.try_recv().ok()
    }

    /// Waits until the engine has read so many entries.
    pub(crate) fn wait_for(&self, entries: usize) {
        self.engine.wait(|snapshot| snapshot.order.len() >= entries && snapshot.settled());
    }
}

fn start(setup: &Setup, events: &Sender<Event>, news: &Arc<AtomicBool>) -> io::Result<Engine> {
    let (events, news) = (events.clone(), Arc::clone(news));
    Engine::start(setup.found.clone(), setup.options.clone(), setup.veil.clone(), move || {
        // One note is enough until it has been read.
        if !news.swap(true, Ordering::AcqRel) {
            let _ = events.try_send(Event::News);
        }
    })
}

/// Whether a key asks for the shell: in raw mode the terminal sends no signal for it.
fn suspends(event: &Event) -> bool {
    let Event::Key(key) = event else { return false };
    key.code == KeyCode::Char('z') && key.modifiers == KeyModifiers::CONTROL
}

/// Gives the terminal to an editor, and tells where it could not open the file.
fn edit(app: &mut App, editor: &Editor, host: &mut dyn Host) {
    let Editor { program, arguments, file } = editor;
    let shared = &mut app.cx.shared;
    match host.lend(Command::new(program).args(arguments)) {
        Ok(status) if status.success() => shared.tell(format!("{program} has had {}", file.display())),
        Ok(status) => shared.warn(format!("{program} ended with {status}; it was to open {}", file.display())),
        Err(error) => shared.warn(format!("{program} can't be started: {error}; $VISUAL, $EDITOR or editor in cribrum.toml names another")),
    }
}

/// Writes a file whole, in a folder or beside it; gives what is told of it.
fn save(here: &Path, path: PathBuf, existing: Existing, make: Make) -> Result<String, String> {
    let is_there = |path: &Path| here.join(path).symlink_metadata().is_ok();
    let path = match existing {
        Existing::Stays if is_there(&path) => {
            let name = path.display();
            return Err(format!("{name} exists; the same name once more replaces it"));
        }
        Existing::Numbered => {
            let part = |part: Option<&std::ffi::OsStr>| {
                part.map(|part| part.to_string_lossy().into_owned()).unwrap_or_default()
            };
            let (stem, ending) = (part(path.file_stem()), part(path.extension()));
            let numbered = (2..).map(|n| path.with_file_name(format!("{stem}-{n}.{ending}")));
            let mut names = std::iter::once(path.clone()).chain(numbered);
            names.find(|name| !is_there(name)).unwrap_or(path)
        }
        Existing::Stays | Existing::Replaced => path,
    };
    let failed = |error: io::Error| cannot_write(&path, &error);
    let mut out = Output::open(Some(&here.join(&path))).map_err(failed)?;
    make(&mut out)?;
    out.finish().map_err(failed)?;
    Ok(format!("saved {}", path.display()))
}

fn cannot_write(path: &Path, error: &io::Error) -> String {
    format!("can't write {}: {error}", path.display())
}

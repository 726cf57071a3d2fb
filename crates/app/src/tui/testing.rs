//! A desk in a test: the program itself, shown on a buffer instead of a terminal.

use std::{
    io,
    path::{Path, PathBuf},
    process::{Command, ExitStatus},
    sync::{Arc, OnceLock},
};

use cribrum_core::{
    engine::{Options, Snapshot},
    ingest,
};
use cribrum_demo::{Knowledge, Pace, Scenario, Writer};
use ratatui::{
    Frame, Terminal,
    backend::TestBackend,
    buffer::Buffer,
    crossterm::event::{KeyCode, KeyEvent, KeyModifiers},
};

use super::{
    app::{App, Event},
    runtime::{Host, Runtime},
    screen::Opening,
    screens,
    shared::Shared,
    theme::Theme,
};
use crate::{
    conditions::Conditions,
    settings::{Folders, Palette, Settings, history},
    setup::Setup,
};

/// A small morning, written once for all tests.
pub(crate) fn morning() -> &'static PathBuf {
    static FOLDER: OnceLock<tempfile::TempDir> = OnceLock::new();
    static PATH: OnceLock<PathBuf> = OnceLock::new();
    PATH.get_or_init(|| {
        let folder = FOLDER.get_or_init(|| tempfile::tempdir().unwrap());
        let mut writer = Writer::create(folder.path(), Knowledge::default()).unwrap();
        for event in Scenario::new(7, Pace::Morning { entries: 3_000 }) {
            writer.write(&event).unwrap();
        }
        writer.finish().unwrap();
        folder.path().to_owned()
    })
}

/// The usual colours.
pub(crate) fn dusk() -> Theme {
    Theme::of(Some(Palette::Dusk), true)
}

/// A desk on a file of its own, and the file.
pub(crate) fn on_lines(lines: &str) -> (TestDesk, tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.log");
    std::fs::write(&path, lines).unwrap();
    let desk = TestDesk::on(&[folder.path().to_owned()], (120, 30), dusk());
    (desk, folder, path)
}

/// What stands for the terminal.
pub(crate) struct Shown {
    pub(crate) size: (u16, u16),
    buffer: Buffer,
    pub(crate) copied: Vec<String>,
    pub(crate) rung: usize,
    pub(crate) titles: Vec<String>,
}

impl Host for Shown {
    fn size(&self) -> io::Result<(u16, u16)> {
        Ok(self.size)
    }

    fn draw(&mut self, draw: &mut dyn FnMut(&mut Frame<'_>)) -> io::Result<()> {
        let mut terminal = Terminal::new(TestBackend::new(self.size.0, self.size.1)).unwrap();
        terminal.draw(|frame| draw(frame)).unwrap();
        self.buffer = terminal.backend().buffer().clone();
        Ok(())
    }

    fn suspend(&mut self) -> io::Result<()> {
        Ok(())
    }

    fn lend(&mut self, command: &mut Command) -> io::Result<ExitStatus> {
        command.status()
    }

    fn mouse(&mut self, _: bool) -> io::Result<()> {
        Ok(())
    }

    fn copy(&mut self, text: &str) -> io::Result<()> {
        self.copied.push(text.to_owned());
        Ok(())
    }

    fn bell(&mut self) -> io::Result<()> {
        self.rung += 1;
        Ok(())
    }

    fn title(&mut self, title: &str) -> io::Result<()> {
        self.titles.push(title.to_owned());
        Ok(())
    }
}

/// How a desk in a test is opened.
pub(crate) struct Opened {
    pub(crate) paths: Vec<PathBuf>,
    pub(crate) size: (u16, u16),
    pub(crate) theme: Theme,
    pub(crate) conditions: Conditions,
    pub(crate) register: &'static [Opening],
    /// An entry may be shown without the veil.
    pub(crate) reveals: bool,
}

impl Default for Opened {
    fn default() -> Self {
        Self {
            paths: vec![morning().clone()],
            size: (120, 40),
            theme: dusk(),
            conditions: Conditions::default(),
            register: screens::REGISTER,
            reveals: false,
        }
    }
}

/// A desk without a terminal, with settings of its own.
pub(crate) struct TestDesk {
    pub(crate) app: App,
    pub(crate) runtime: Runtime,
    pub(crate) host: Shown,
    pub(crate) home: tempfile::TempDir,
}

impl TestDesk {
    /// On the morning, in a size.
    pub(crate) fn open(size: (u16, u16)) -> Self {
        Self::with(Opened { size, ..Opened::default() })
    }

    pub(crate) fn on(paths: &[PathBuf], size: (u16, u16), theme: Theme) -> Self {
        Self::with(Opened { paths: paths.to_vec(), size, theme, ..Opened::default() })
    }

    pub(crate) fn revealing(paths: &[PathBuf], size: (u16, u16), theme: Theme) -> Self {
        let paths = paths.to_vec();
        Self::with(Opened { paths, size, theme, reveals: true, ..Opened::default() })
    }

    /// Presses a key without waiting for what it leads to.
    pub(crate) fn press(&mut self, key: char) {
        let event = KeyEvent::new(KeyCode::Char(key), KeyModifiers::NONE);
        self.runtime.handle(&mut self.app, Event::Key(event), &mut self.host).unwrap();
    }

    /// Handles what comes until a text is on the screen.
    pub(crate) fn until(&mut self, text: &str) -> String {
        let end = std::time::Instant::now() + std::time::Duration::from_secs(20);
        loop {
            while let Some(event) = self.runtime.next_event() {
                self.runtime.handle(&mut self.app, event, &mut self.host).unwrap();
            }
            let screen = self.screen();
            if screen.contains(text) {
                return screen;
            }
            assert!(std::time::Instant::now() < end, "{text} never came: {screen}");
            std::thread::yield_now();
        }
    }

    pub(crate) fn with(opened: Opened) -> Self {
        let home = tempfile::tempdir().unwrap();
        let folders = Folders::within(home.path());
        // The same stand-ins in each run.
        std::fs::create_dir_all(home.path().join("state")).unwrap();
        std::fs::write(home.path().join("state/veil.key"), [7; 16]).unwrap();
        let setup = Setup {
            title: "saltmarsh/".into(),
            found: ingest::discover(&opened.paths),
            options: Options {
                ids: true,
                volume: true,
                follow: true,
                eager: true,
                ..Options::default()
            },
            conditions: opened.conditions,
            palette: Palette::Dusk,
            follow: false,
            settings: Settings::default(),
            veil: match crate::settings::veil(&folders, &crate::settings::Decided::default())
                .unwrap()
            {
                (veil, _) if opened.reveals => veil.allowing_reveal(),
                (veil, _) => veil,
            },
            folders,
            here: home.path().to_owned(),
            timings: None,
            diagnostics: None,
        };
        let runtime = Runtime::start(setup).unwrap();
        let shared = Shared::new(runtime.setup(), runtime.snapshot(), opened.theme);
        let app = App::new(shared, opened.register);
        let host = Shown {
            size: opened.size,
            buffer: Buffer::default(),
            copied: Vec::new(),
            rung: 0,
            titles: Vec::new(),
        };
        let mut desk = Self { app, runtime, host, home };
        desk.settle();
        desk
    }

    /// Lets everything come to rest that was asked for.
    pub(crate) fn settle(&mut self) {
        self.app.size = self.host.size;
        self.runtime.settle(&mut self.app, &mut self.host);
    }

    pub(crate) fn event(&mut self, event: Event) -> &mut Self {
        self.runtime.handle(&mut self.app, event, &mut self.host).unwrap();
        self.settle();
        self
    }

    /// Presses keys: single characters, or names in angle brackets.
    pub(crate) fn keys(&mut self, keys: &str) -> &mut Self {
        let mut rest = keys.chars();
        while let Some(c) = rest.next() {
            let code = if c == '\u{ab}' {
                let name: String = rest.by_ref().take_while(|c| *c != '\u{bb}').collect();
                named(&name)
            } else {
                KeyCode::Char(c)
            };
            self.event(Event::Key(KeyEvent::new(code, KeyModifiers::NONE)));
        }
        self
    }

    /// Presses a letter with Control.
    pub(crate) fn ctrl(&mut self, letter: char) -> &mut Self {
        self.event(Event::Key(KeyEvent::new(KeyCode::Char(letter), KeyModifiers::CONTROL)))
    }

    /// Presses a function key.
    pub(crate) fn function(&mut self, number: u8) -> &mut Self {
        self.event(Event::Key(KeyEvent::new(KeyCode::F(number), KeyModifiers::NONE)))
    }

    /// Draws once, with or without the rows that are still being read.
    pub(crate) fn frame(&mut self) -> &Buffer {
        self.runtime.frame(&mut self.app, &mut self.host).unwrap();
        &self.host.buffer
    }

    /// What is on the screen, drawn anew.
    pub(crate) fn buffer(&mut self) -> &Buffer {
        loop {
            self.runtime.frame(&mut self.app, &mut self.host).unwrap();
            if self.app.missing().is_empty() {
                return &self.host.buffer;
            }
        }
    }

    pub(crate) fn screen(&mut self) -> String {
        let buffer = self.buffer();
        let width = usize::from(buffer.area.width.max(1));
        let lines = buffer.content.chunks(width).map(|row| {
            let mut line = String::new();
            let mut skip = 0;
            for cell in row {
                if skip == 0 {
                    line.push_str(cell.symbol());
                }
                let wide = crate::present::cells(cell.symbol());
                skip = if skip > 0 { skip - 1 } else { wide.saturating_sub(1) };
            }
            line.trim_end().to_owned()
        });
        lines.collect::<Vec<_>>().join("\n")
    }

    pub(crate) fn snapshot(&self) -> &Arc<Snapshot> {
        &self.app.cx.shared.snapshot
    }

    pub(crate) fn meshes(&self) -> Vec<String> {
        self.app.cx.shared.sieve().meshes.iter().map(ToString::to_string).collect()
    }

    /// How many entries are left.
    pub(crate) fn left(&self) -> usize {
        self.snapshot().pan.len()
    }

    /// The message of the entry under the cursor.
    pub(crate) fn selected(&self) -> String {
        let id = self.app.cx.shared.here.entry.unwrap();
        self.snapshot().row(id).unwrap().message.to_string()
    }

    /// What is told in the place of the footer.
    pub(crate) fn message(&self) -> &str {
        self.app.cx.shared.message.as_ref().map_or("", |message| &message.text)
    }

    /// Answers what comes until something is told that begins so.
    pub(crate) fn wait_for_message(&mut self, begins: &str) {
        let until = std::time::Instant::now() + std::time::Duration::from_secs(20);
        while !self.message().starts_with(begins) {
            assert!(std::time::Instant::now() < until, "{:?} was told", self.message());
            self.settle();
        }
    }

    /// What is kept of what was typed, `prompt text`.
    pub(crate) fn remembered(&self) -> Vec<String> {
        let past = history::read(&self.runtime.setup().folders);
        past.into_iter().map(|(prompt, text)| format!("{prompt} {text}")).collect()
    }

    /// The user's file of settings.
    pub(crate) fn settings(&self) -> String {
        let path = self.runtime.setup().folders.settings().unwrap();
        std::fs::read_to_string(path).unwrap_or_default()
    }

    /// Adds to a file, and waits until the engine has read it.
    pub(crate) fn append(&mut self, path: &Path, text: &str) {
        use std::io::Write as _;
        let entries = self.snapshot().order.len() + text.lines().count();
        let mut file = std::fs::OpenOptions::new().append(true).open(path).unwrap();
        file.write_all(text.as_bytes()).unwrap();
        self.runtime.wait_for(entries);
        self.settle();
    }
}

fn named(name: &str) -> KeyCode {
    match name {
        "enter" => KeyCode::Enter,
        "esc" => KeyCode::Esc,
        "tab" => KeyCode::Tab,
        "up" => KeyCode::Up,
        "down" => KeyCode::Down,
        "left" => KeyCode::Left,
        "right" => KeyCode::Right,
        "home" => KeyCode::Home,
        "end" => KeyCode::End,
        "pgdn" => KeyCode::PageDown,
        "pgup" => KeyCode::PageUp,
        "back" => KeyCode::Backspace,
        "del" => KeyCode::Delete,
        "backtab" => KeyCode::BackTab,
        other => panic!("no such key: {other}"),
    }
}

//! Whatever is pressed, pasted, dragged or resized, and whatever grows meanwhile: the desk goes on.

use std::{fs::OpenOptions, io::Write, path::PathBuf};

use ratatui::crossterm::event::{
    KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};

use crate::tui::{
    app::Event,
    testing::{TestDesk, dusk},
};

/// Events in one go; `CRIBRUM_EVENTS` asks for more, `CRIBRUM_SEED` for another row of them.
const EVENTS: usize = 20_000;

/// Rows of events that once led to a panic, each by its seed.
const SEEDS: [u64; 2] = [7, 11];

/// Numbers that look random and are always the same.
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    fn below(&mut self, limit: usize) -> usize {
        usize::try_from(self.next() % limit as u64).unwrap()
    }

    fn of<T: Copy>(&mut self, all: &[T]) -> T {
        all[self.below(all.len())]
    }
}

const TEXTS: [&str; 14] = [
    "level >= warn",
    "status in (502, 503",
    "path ~ \"^/(\"",
    "06:38..06:44",
    "-15min",
    "\u{1b}[31m\u{202e}evil\0",
    "größe 座席 😀",
    "password = hunter2",
    "not not (a or",
    "has user.id",
    "2026-03-14T06:41:00Z",
    "{time} | {level} | {rest:pairs}",
    "gate.log",
    "",
];

const LINES: [&[u8]; 8] = [
    b"{\"time\":\"2026-03-14T06:41:07Z\",\"level\":\"error\",\"msg\":\"x\",\"request_id\":\"9f3a2b1c\"}\n",
    b"2026-03-14 06:41:02 ERROR x: \x1b]0;owned\x07 \xff\xfe nul\0 end\n",
    b"    at Frame.of (deep:1)\n",
    b"half a line",
    b"\n\n\n",
    b"{\"half\":\n",
    b"99999-99-99T99:99:99Z FATAL no such time\n",
    b"\xf0\x28\x8c\x28\t|\t|\t|\n",
];

struct Chaos {
    desk: TestDesk,
    random: Random,
    folder: tempfile::TempDir,
}

impl Chaos {
    fn new(seed: u64) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let line = |at: usize| {
            format!(
                "{{\"time\":\"2026-03-14T06:{:02}:{:02}Z\",\"level\":\"{}\",\"msg\":\"number {at}\",\"status\":{},\
                 \"logger\":\"a.b{}\",\"request_id\":\"{:08x}\"}}\n",
                at / 60 % 60,
                at % 60,
                ["debug", "info", "warn", "error"][at % 4],
                200 + at % 5 * 100,
                at % 3,
                at / 7
            )
        };
        std::fs::write(folder.path().join("a.log"), (0..900).map(line).collect::<String>())
            .unwrap();
        std::fs::write(folder.path().join("b.log"), LINES.concat()).unwrap();
        let desk = TestDesk::on(&[folder.path().to_owned()], (80, 24), dusk());
        Self { desk, random: Random(seed), folder }
    }

    fn event(&mut self) -> Event {
        match self.random.below(100) {
            0..60 => Event::Key(self.key()),
            60..63 => {
                let times = [1, 1, 1, 1, 1, 40, 400][self.random.below(7)];
                Event::Paste(self.random.of(&TEXTS).repeat(times))
            }
            63..80 => Event::Mouse(self.mouse()),
            80..85 => {
                let small = self.random.below(3) == 0;
                let (width, height) = if small { (24, 8) } else { (300, 100) };
                let size = (1 + self.random.below(width), 1 + self.random.below(height));
                self.desk.host.size = (size.0.try_into().unwrap(), size.1.try_into().unwrap());
                Event::Resize
            }
            85..88 => {
                self.grow();
                Event::News
            }
            _ => Event::News,
        }
    }

    fn key(&mut self) -> KeyEvent {
        let code = match self.random.below(10) {
            0..2 => self.random.of(&[
                KeyCode::Up,
                KeyCode::Down,
                KeyCode::Left,
                KeyCode::Right,
                KeyCode::Home,
                KeyCode::End,
                KeyCode::PageUp,
                KeyCode::PageDown,
            ]),
            2..4 => self.random.of(&[
                KeyCode::Enter,
                KeyCode::Esc,
                KeyCode::Tab,
                KeyCode::BackTab,
                KeyCode::Backspace,
                KeyCode::Delete,
                KeyCode::F(1),
                KeyCode::Null,
            ]),
            // Keys that lead somewhere, more often than others.
            4..6 => KeyCode::Char(self.random.of(&[
                's', '/', 'T', '<', '>', '=', '-', 'a', 'z', '1', '2', 'u', 'U', 'w', 'F', 'o',
                't', 'i', 'd', 'm', '\'', 'S', 'W', '@', 'Z', '[', ']', '+', '!', 'n', 'N', 'e',
                'c',
            ])),
            _ => KeyCode::Char(char::from(32 + u8::try_from(self.random.below(95)).unwrap())),
        };
        let modifiers = match self.random.below(12) {
            0 => KeyModifiers::CONTROL,
            1 => KeyModifiers::ALT,
            2 => KeyModifiers::SHIFT,
            _ => KeyModifiers::NONE,
        };
        KeyEvent::new(code, modifiers)
    }

    fn mouse(&mut self) -> MouseEvent {
        let button = self.random.of(&[MouseButton::Left, MouseButton::Left, MouseButton::Right]);
        let kind = self.random.of(&[
            MouseEventKind::Down(button),
            MouseEventKind::Up(button),
            MouseEventKind::Drag(button),
            MouseEventKind::Moved,
            MouseEventKind::ScrollDown,
            MouseEventKind::ScrollUp,
        ]);
        // Near the edge, where the rail is, as often as elsewhere.
        let (width, height) = self.desk.host.size;
        let column = match self.random.below(2) {
            0 => width.saturating_sub(u16::try_from(self.random.below(24)).unwrap()),
            _ => u16::try_from(self.random.below(310)).unwrap(),
        };
        let row = u16::try_from(self.random.below(usize::from(height) + 3)).unwrap();
        MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE }
    }

    /// Something happens to the files.
    fn grow(&mut self) {
        let path: PathBuf = self.folder.path().join(self.random.of(&["a.log", "b.log"]));
        let mut open = OpenOptions::new();
        let mut file = open.append(true).create(true).open(&path).unwrap();
        match self.random.below(12) {
            0 => file.set_len(0).unwrap(),
            1 => std::fs::rename(&path, path.with_extension("log.1")).unwrap(),
            _ => file.write_all(self.random.of(&LINES)).unwrap(),
        }
    }

    /// Answers an event as the program does, without waiting for what it leads to.
    fn step(&mut self) {
        let event = self.event();
        let desk = &mut self.desk;
        desk.runtime.handle(&mut desk.app, event, &mut desk.host).unwrap();
        while let Some(event) = desk.runtime.next_event() {
            desk.runtime.handle(&mut desk.app, event, &mut desk.host).unwrap();
        }
        // `q` ends the program, not the test.
        desk.app.quitting = false;
    }

    fn draw(&mut self) {
        let control = |text: &str| text.chars().any(char::is_control);
        let buffer = self.desk.frame();
        let cell = buffer.content().iter().find(|cell| control(cell.symbol()));
        assert_eq!(cell, None, "a control character reached the screen");
    }
}

fn run(seed: u64, events: usize) {
    let mut chaos = Chaos::new(seed);
    for at in 0..events {
        // Whoever reads a failure finds the row of events by these.
        let _at = Told { seed, at };
        chaos.step();
        if at % 6 == 0 {
            chaos.draw();
        }
    }
}

/// Tells where it was when a panic passes by.
struct Told {
    seed: u64,
    at: usize,
}

impl Drop for Told {
    fn drop(&mut self) {
        if std::thread::panicking() {
            eprintln!("at event {} of CRIBRUM_SEED={}", self.at, self.seed);
        }
    }
}

#[test]
fn whatever_happens_the_desk_goes_on() {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse().ok());
    let events = number("CRIBRUM_EVENTS").unwrap_or(EVENTS as u64);
    let seeds = number("CRIBRUM_SEED").map_or(SEEDS.to_vec(), |seed| vec![seed]);
    let each = usize::try_from(events).unwrap() / seeds.len();
    for seed in seeds {
        run(seed, each);
    }
}

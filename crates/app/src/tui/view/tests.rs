//! The desk as a conversation: keys in, screens out, with a real engine behind it and no terminal.

use std::{
    path::PathBuf,
    sync::{Arc, OnceLock},
    time::{Duration, Instant},
};

use cribrum_core::{
    engine::{Engine, Lens, Options, Pass, Snapshot},
    ingest,
    veil::Veil,
};
use cribrum_demo::{Knowledge, Pace, Scenario, Writer};
use ratatui::{
    Terminal,
    backend::TestBackend,
    crossterm::event::{KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind},
};

#[path = "sifting_tests.rs"]
mod sifting;

use super::*;
use crate::{
    cli::{Conditions, Palette},
    config::{Kept, Settings},
    tui::{
        rows::{Rows, read_rows},
        state::{Effect, Focus, Setup},
        theme::Theme,
        update::Event,
    },
};

/// A small morning, written once for all tests.
fn morning() -> &'static PathBuf {
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

/// A desk without a terminal.
struct Desk {
    app: App,
    engine: Engine,
    copied: Vec<String>,
    saved: Vec<PathBuf>,
    taught: Vec<(PathBuf, String)>,
    clocks: Vec<(String, String)>,
    kept: Vec<Kept>,
    remembered: Vec<(String, String)>,
    rung: usize,
    titles: Vec<String>,
}

/// What a desk is opened with that nobody has told anything.
pub(super) fn setup(title: &str, found: ingest::Discovery) -> Setup {
    Setup {
        title: title.into(),
        found,
        options: Options::default(),
        conditions: Conditions::default(),
        palette: Palette::Dusk,
        follow: false,
        settings: Settings::default(),
        timings: None,
    }
}

impl Desk {
    fn open(size: (u16, u16)) -> Self {
        Self::on(&[morning().clone()], size, Theme::of(Some(Palette::Dusk), true))
    }

    fn on(paths: &[PathBuf], size: (u16, u16), theme: Theme) -> Self {
        let found = ingest::discover(paths);
        let options = Options { volume: true, follow: true, ..Options::default() };
        let veil = Veil::new([7; 16]);
        let engine = Engine::start(found.clone(), options, veil, || {}).unwrap();
        let setup = setup("saltmarsh/", found);
        let app = App::new(&setup, engine.snapshot(), theme);
        let mut desk = Self {
            app,
            engine,
            copied: Vec::new(),
            saved: Vec::new(),
            taught: Vec::new(),
            clocks: Vec::new(),
            kept: Vec::new(),
            remembered: Vec::new(),
            rung: 0,
            titles: Vec::new(),
        };
        desk.app.size = size;
        desk.settle();
        desk
    }

    /// Lets the engine finish what it was asked, and takes the result.
    fn settle(&mut self) {
        let sieve = self.app.history.sieve().clone();
        let begun = Instant::now();
        let snapshot = self.engine.wait(|s: &Snapshot| {
            assert!(begun.elapsed() < Duration::from_secs(20), "the engine never came to rest");
            s.settled() && s.sieve == sieve
        });
        let effects = self.app.refresh(snapshot);
        let mut effects = effects;
        while !effects.is_empty() {
            self.perform(effects);
            effects = self.app.refresh(self.engine.wait(Snapshot::settled));
        }
        prepare(&mut self.app);
        let rows = read_rows(&self.app.snapshot, &self.app.missing());
        self.app.read.extend(rows);
        let effects = self.app.inspect();
        self.perform(effects);
    }

    fn perform(&mut self, effects: Vec<Effect>) {
        for effect in effects {
            match effect {
                Effect::Sieve(sieve) => self.engine.set_sieve(sieve),
                Effect::Teach(path, table) => self.taught.push((path, table)),
                Effect::Lens(lens, expr) => {
                    let text = expr.as_ref().map(ToString::to_string);
                    self.engine.set_lens(lens, expr);
                    self.engine.wait(move |s| match &text {
                        Some(text) => s.lens(lens).is_some_and(|l| l.done && l.text == *text),
                        None => s.lens(lens).is_none(),
                    });
                }
                Effect::Look(job) => {
                    let snapshot = Arc::clone(&self.app.snapshot);
                    if let Some(found) = job.run(&snapshot, &Pass::default()) {
                        let effects = self.app.update(found);
                        self.perform(effects);
                    }
                }
                Effect::Copy(text) => self.copied.push(text),
                Effect::Save(path, _) => self.saved.push(path),
                Effect::Clock(label, correction) => {
                    self.clocks.push((label, correction.to_string()));
                }
                Effect::Mouse(_) => {}
                Effect::Beside(sieves) => {
                    self.engine.set_beside(sieves.clone());
                    self.engine.wait(move |s| {
                        let same = s.beside.iter().map(|view| &view.sieve).eq(&sieves);
                        same && s.beside.iter().all(|view| view.done)
                    });
                }
                Effect::Span(span) => {
                    self.engine.set_span(span);
                    let before = self.app.snapshot.volume.clone();
                    self.engine.wait(move |s| s.volume != before);
                }
                Effect::Keep(kept) => self.kept.push(kept),
                Effect::Remember(past) => self.remembered = past,
                Effect::Bell => self.rung += 1,
                Effect::Title(title) => self.titles.push(title),
            }
        }
    }

    fn event(&mut self, event: Event) -> &mut Self {
        let effects = self.app.update(event);
        self.perform(effects);
        self.settle();
        self
    }

    /// Presses keys: single characters, or names in angle brackets.
    fn keys(&mut self, keys: &str) -> &mut Self {
        let mut rest = keys.chars();
        while let Some(c) = rest.next() {
            let code = if c == '\u{ab}' {
                let name: String = rest.by_ref().take_while(|c| *c != '\u{bb}').collect();
                match name.as_str() {
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
            } else {
                KeyCode::Char(c)
            };
            self.event(Event::Key(KeyEvent::new(code, KeyModifiers::NONE)));
        }
        self
    }

    fn screen(&mut self) -> String {
        prepare(&mut self.app);
        let rows = read_rows(&self.app.snapshot, &self.app.missing());
        self.app.read.extend(rows);
        let (width, height) = self.app.size;
        let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
        terminal.draw(|frame| draw(&self.app, frame)).unwrap();
        let text = terminal.backend().to_string();
        text.lines().map(|line| line.trim_matches('"').trim_end()).collect::<Vec<_>>().join("\n")
    }

    fn meshes(&self) -> Vec<String> {
        self.app.history.sieve().meshes.iter().map(ToString::to_string).collect()
    }

    fn left(&self) -> usize {
        self.app.snapshot.pan.len()
    }

    fn selected(&mut self) -> String {
        let id = self.app.desk.selected.unwrap();
        self.app.fetch(id).unwrap().message.to_string()
    }

    fn prompt(&self) -> String {
        self.app.prompt.as_ref().map(crate::tui::prompt::Prompt::text).unwrap_or_default()
    }

    /// Adds to a file, and waits until the engine has read it.
    fn append(&mut self, path: &std::path::Path, text: &str) {
        use std::io::Write as _;
        let lines = text.lines().count();
        let before = self.app.snapshot.order.len();
        let mut file = std::fs::OpenOptions::new().append(true).open(path).unwrap();
        file.write_all(text.as_bytes()).unwrap();
        self.engine.wait(|s| s.order.len() >= before + lines && s.settled());
        self.settle();
    }

    fn message(&self) -> &str {
        self.app.message.as_ref().map_or("", |message| &message.text)
    }
}

#[test]
fn rows_are_read_beside_the_desk() {
    let mut desk = Desk::open((100, 30));
    let screen = desk.screen();
    let (events, told) = crossbeam_channel::bounded(4);
    let rows = Rows::start(events).unwrap();
    desk.app.read.clear();
    assert!(desk.app.missing().len() > 5, "a screen of them");
    // A slow disk takes more than a moment: then it is told when they have come.
    while !desk.app.missing().is_empty() {
        rows.fill(&mut desk.app);
        if !desk.app.missing().is_empty() {
            assert!(matches!(told.recv(), Ok(Event::Rows)));
        }
    }
    assert_eq!(desk.screen(), screen);
}

#[test]
fn the_desk_at_its_smallest_usual_size() {
    insta::assert_snapshot!(Desk::open((80, 24)).keys(">>>«down»«down»").screen());
}

#[test]
fn the_desk_with_a_funnel_and_an_inspector() {
    let mut desk = Desk::open((160, 47));
    desk.keys(
        "slevel >= warn«enter»T06:38..06:44«enter»snot source = harbour«enter»sAcquirer«enter»",
    );
    insta::assert_snapshot!(desk.keys("«enter»").screen());
    assert_eq!(desk.app.desk.focus, Focus::Inspector);
    desk.keys("«enter»");
    assert!(desk.screen().contains("as written, secrets hidden"));
}

#[test]
fn the_trail_of_the_story() {
    let mut desk = Desk::open((160, 47));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»t«end»");
    insta::assert_snapshot!(desk.screen());
    desk.keys("«home»«down»«enter»");
    assert_eq!(desk.selected(), "seat hold requested");
}

#[test]
fn the_other_screens() {
    let mut desk = Desk::open((100, 30));
    insta::assert_snapshot!("plate", desk.keys("d").screen());
    insta::assert_snapshot!("intake", desk.keys("qi").screen());
    insta::assert_snapshot!("help", desk.keys("q?").screen());
    assert!(desk.keys("«end»").screen().contains("severity is a height"));
    assert_eq!(desk.keys("q").app.mode(), crate::tui::keymap::Mode::Entries);
}

#[test]
fn an_empty_pan_explains_itself() {
    let mut desk = Desk::open((100, 24));
    desk.keys("slevel >= error«enter»T06:00..06:40«enter»sstatus = 418«enter»");
    let screen = desk.screen();
    for text in [
        "Nothing is left.",
        "status = 418 took the last",
        "3  off  status = 418   gives back",
        "u undoes the last",
    ] {
        assert!(screen.contains(text), "{text} in\n{screen}");
    }
    desk.keys("uuT2027-01-01..«enter»");
    let screen = desk.screen();
    assert!(screen.contains("The window lies outside the data"), "{screen}");
    desk.keys("u3");
    assert!(desk.left() > 0);
}

#[test]
fn meshes_are_typed_pointed_at_and_undone() {
    let mut desk = Desk::open((120, 40));
    let all = desk.left();
    assert_eq!(all, 3_000);
    desk.keys("sstatus >= 500«enter»");
    assert_eq!(desk.meshes(), ["status >= 500"]);
    let failing = desk.left();
    assert!(failing > 0 && failing < 100);
    desk.keys(">>");
    assert_eq!(desk.meshes(), ["level ≥ info", "status >= 500"], "the floor stands first");
    desk.keys("<<");
    assert_eq!(desk.meshes(), ["status >= 500"]);
    desk.keys("slevel >= error«enter»");
    assert_eq!(
        desk.meshes(),
        ["level ≥ error", "status >= 500"],
        "typed or pressed, there is one floor"
    );
    desk.keys("2");
    let errors = desk.left();
    assert!(errors > failing);
    desk.keys("2");
    assert_eq!(desk.left(), failing);
    desk.keys("«left»«left»-");
    assert_eq!(desk.meshes()[2], "source != gate");
    assert_eq!(desk.left(), 0);
    desk.keys("uuuuuuuuuu");
    assert_eq!((desk.left(), desk.meshes().len(), desk.message()), (all, 0, "nothing to undo"));
    desk.keys("U");
    assert_eq!(desk.left(), failing);
}

#[test]
fn the_funnel_takes_keys_of_its_own() {
    let mut desk = Desk::open((120, 40));
    desk.keys("stimeout«enter»swarn«enter»sx«enter»«tab»");
    assert_eq!(desk.app.desk.focus, Focus::Funnel);
    desk.keys("«home»]");
    assert_eq!(desk.meshes(), ["warn", "timeout", "x"]);
    desk.keys("!");
    assert_eq!(desk.meshes(), ["warn", "not timeout", "x"]);
    desk.keys(
        "«enter»«back»«back»«back»«back»«back»«back»«back»«back»«back»«back»«back»hold«enter»",
    );
    assert_eq!(desk.meshes(), ["warn", "hold", "x"]);
    desk.keys("«end»-«home»-");
    assert_eq!(desk.meshes(), ["hold"]);
    desk.keys("-");
    assert_eq!((desk.meshes().len(), desk.app.desk.focus), (0, Focus::Entries));
}

#[test]
fn values_become_meshes_in_the_inspector() {
    let mut desk = Desk::open((120, 40));
    desk.keys("s\"session opened\"«enter»«enter»");
    let rows: Vec<String> = desk
        .app
        .desk
        .inspector
        .as_ref()
        .unwrap()
        .rows()
        .iter()
        .map(|row| format!("{}{}", "  ".repeat(row.depth), row.name))
        .collect();
    assert!(rows.contains(&"user".to_owned()) && rows.contains(&"  id".to_owned()), "{rows:?}");
    let at = rows.iter().position(|name| name == "  id").unwrap();
    desk.keys("«home»");
    for _ in 0..at {
        desk.keys("«down»");
    }
    desk.keys("=");
    assert!(desk.meshes()[1].starts_with("user.id = u-"), "{:?}", desk.meshes());
    assert!(desk.left() >= 1);
    desk.keys("u«up»=");
    assert_eq!(desk.message(), "there is no single value here");
    desk.keys("y");
    assert_eq!(desk.copied.len(), 1);
}

#[test]
fn a_hidden_value_makes_a_mesh_without_being_shown() {
    let mut desk = Desk::open((120, 40));
    desk.keys("shas card«enter»«enter»");
    let at = |desk: &Desk| {
        let rows = desk.app.desk.inspector.as_ref().unwrap().rows();
        rows.iter().position(|row| row.name.as_str() == "card").unwrap()
    };
    desk.keys("«home»");
    for _ in 0..at(&desk) {
        desk.keys("«down»");
    }
    desk.keys("=");
    let mesh = desk.meshes()[1].clone();
    assert!(mesh.contains("card = ") && mesh.contains("«card·"), "{mesh}");
    assert_eq!(desk.left(), 1, "the stand-in finds its secret");
    assert!(!desk.screen().contains("400000"));
}

#[test]
fn find_goes_round_and_holds_nothing_back() {
    let mut desk = Desk::open((120, 40));
    desk.keys("/late answer«enter»");
    let first = desk.selected();
    assert!(first.starts_with("late answer"), "{first}");
    let row = desk.app.row();
    desk.keys("n");
    assert_ne!(desk.app.row(), row);
    desk.keys("N");
    assert_eq!((desk.app.row(), desk.left()), (row, 3_000));
    assert!(desk.screen().contains("\"late answer\" in"));
    desk.keys("/no such words«enter»");
    assert_eq!(desk.message(), "not found in what is left");
    desk.keys("«esc»n");
    assert_eq!(desk.message(), "nothing to find; / asks for words");
}

#[test]
fn the_cursor_stays_on_its_entry() {
    let mut desk = Desk::open((120, 40));
    desk.keys("/hold kept«enter»n");
    let entry = desk.app.desk.selected;
    for keys in [">>>", "ssource = booking«enter»", "u", "<"] {
        desk.keys(keys);
        assert_eq!(desk.app.desk.selected, entry, "after {keys}");
        assert!(desk.screen().contains("hold kept"), "after {keys}");
    }
    desk.keys("«home»");
    assert_eq!(desk.app.row(), 0);
    desk.keys("«pgdn»«pgdn»«pgup»");
    let page = desk.app.desk.height - 2;
    assert_eq!(desk.app.row(), page);
    desk.keys("«end»");
    assert_eq!(desk.app.row() + 1, desk.left());
    desk.keys("F«up»");
    assert!(!desk.app.desk.follow, "going up ends following");
}

#[test]
fn mistakes_stay_in_the_prompt() {
    let mut desk = Desk::open((100, 24));
    desk.keys("sstatus in (502«enter»");
    let screen = desk.screen();
    assert!(screen.contains("a comma or a closing parenthesis"), "{screen}");
    let line = |screen: &str, back: usize| screen.lines().rev().nth(back).unwrap().to_owned();
    let mark = line(&screen, 1).chars().position(|c| c == '▾').unwrap();
    assert_eq!(line(&screen, 0).chars().count(), mark, "the mark stands at the end of the text");
    desk.keys(")«enter»");
    assert_eq!(desk.meshes(), ["status in (502)"]);
    desk.keys("Tnoon«enter»");
    assert!(desk.screen().contains("`noon` is no time"));
    desk.keys("«esc»d");
    assert_eq!(desk.message(), "nothing is left to draw");
    desk.keys("udxplan«enter»");
    assert!(desk.screen().contains("a name that ends in .svg or .pdf"));
    desk.keys("«back»«back»«back»«back»«enter»");
    assert_eq!(desk.saved, [PathBuf::from("volume.svg")]);
}

#[test]
fn the_prompt_counts_while_it_is_typed() {
    let mut desk = Desk::open((100, 24));
    desk.keys("slevel >= warn");
    let wanted = desk.engine.snapshot().lens(Lens::Sift).unwrap().in_pan;
    let screen = desk.screen();
    assert!(screen.contains(&format!("{wanted} of 3\u{2009}000 in the pan")), "{screen}");
    desk.keys("«esc»");
    assert_eq!((desk.left(), desk.engine.snapshot().lens(Lens::Sift).is_none()), (3_000, true));
}

#[test]
fn pasted_text_never_runs_as_keys() {
    let mut desk = Desk::open((100, 24));
    desk.event(Event::Paste("q>>>\n".into()));
    assert_eq!((desk.app.quitting, desk.meshes().len()), (false, 0));
    desk.keys("s").event(Event::Paste("hold\nkept\u{1b}".into())).keys("«enter»");
    assert_eq!(desk.meshes(), ["hold and kept"]);
}

#[test]
fn the_mouse_points() {
    let mut desk = Desk::open((120, 40));
    desk.keys(">>>");
    let areas = desk_areas(&desk.app);
    let press = |column, row| {
        let kind = MouseEventKind::Down(MouseButton::Left);
        Event::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE })
    };
    desk.screen();
    desk.event(press(areas.entries.x + 20, areas.entries.y + 3));
    assert!(desk.app.row() > 0);
    desk.event(press(areas.rail.x + 4, areas.rail.y + 12));
    let time = desk.app.snapshot.time(desk.app.desk.selected.unwrap()).unwrap();
    assert!(time >= rail_time(&desk.app, areas.rail, areas.rail.y + 12).unwrap());
    desk.event(press(5, areas.funnel.y + 1));
    assert_eq!(desk.app.desk.focus, Focus::Funnel);
}

#[test]
fn too_small_a_terminal_says_so() {
    for size in [(59, 40), (200, 14), (1, 1)] {
        let screen = Desk::open(size).screen();
        let want: String =
            "Cribrum needs 60 columns".chars().take(usize::from(size.0) - 1).collect();
        assert!(screen.starts_with(&want), "{size:?}: {screen}");
    }
    for size in [(60, 15), (80, 24), (300, 90)] {
        let mut desk = Desk::open(size);
        for keys in ["", "«enter»", "tq", "dq", "iq", "?q", "s", "«esc»"] {
            assert!(!desk.keys(keys).screen().is_empty(), "{keys} at {size:?}");
        }
    }
}

#[test]
fn nothing_depends_on_colour_or_on_unicode() {
    let mut plain = Desk::on(&[morning().clone()], (100, 24), Theme::of(None, false));
    let screen = plain.keys(">>>").screen();
    assert!(screen.contains("4 warn") || screen.contains("5 error"), "{screen}");
    let own: String = screen.lines().skip(3).collect();
    assert!(!own.contains(['▇', '▌', '│', '▄']), "{screen}");
    let mut terminal = Terminal::new(TestBackend::new(100, 24)).unwrap();
    terminal.draw(|frame| draw(&plain.app, frame)).unwrap();
    let colours = terminal.backend().buffer().content.iter().any(|cell| {
        cell.fg != ratatui::style::Color::Reset || cell.bg != ratatui::style::Color::Reset
    });
    assert!(!colours, "no colour where none is wanted");
}

#[test]
fn sources_with_nothing_in_them_say_so() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("empty.log");
    std::fs::write(&path, "").unwrap();
    let mut desk = Desk::on(&[path], (80, 24), Theme::of(None, true));
    let screen = desk.screen();
    assert!(screen.contains("There is nothing in what was poured in."), "{screen}");
    for keys in ["«enter»", "t", "=", "n", "«end»", "y", "«tab»", "/x«enter»n", "d"] {
        desk.keys(keys);
    }
    assert!(!desk.app.quitting);
    assert!(desk.keys("«esc»q").app.quitting);
}

#[test]
fn conditions_of_the_command_line_wait_for_the_day_of_the_data() {
    let mut desk = Desk::open((100, 24));
    let pour = crate::cli::Pour {
        level: Some("warn".into()),
        from: Some("06:40".into()),
        to: Some("06:50".into()),
        ..crate::cli::Pour::default()
    };
    desk.app.conditions = Some(Conditions::of(&pour).unwrap());
    desk.settle();
    desk.settle();
    assert_eq!(desk.meshes(), ["level ≥ warn", "time in 06:40..06:50"]);
    assert!(desk.left() > 0 && desk.left() < 300, "{}", desk.left());
    desk.keys("u");
    assert_eq!(
        desk.message(),
        "nothing to undo",
        "what the desk was opened with is where it starts"
    );
}

#[test]
fn results_from_elsewhere_are_told() {
    let mut desk = Desk::open((100, 24));
    desk.event(Event::Saved(Ok("plate.svg".into())));
    assert!(desk.screen().contains("saved plate.svg"));
    desk.event(Event::Saved(Err("can't write plate.svg: no room".into())));
    assert!(desk.screen().contains("no room") && desk.app.message.as_ref().unwrap().wrong);
    desk.keys("j");
    assert!(desk.app.message.is_none(), "the next key takes the message away");
    desk.event(Event::Quit);
    assert!(desk.app.quitting);
}

#[test]
fn a_long_text_scrolls_in_the_prompt() {
    let mut desk = Desk::open((60, 15));
    let text = "abcdefghij".repeat(12);
    desk.keys("s").event(Event::Paste(text.clone()));
    let last = desk.screen().lines().last().unwrap().to_owned();
    assert!(last.ends_with("defghij") && last.starts_with(" sift "), "{last}");
    desk.keys("«home»«right»Z");
    let last = desk.screen().lines().last().unwrap().to_owned();
    assert!(last.contains("aZbcdefghij"), "{last}");
    desk.keys("«esc»");
    assert!(desk.app.prompt.is_none());
}

#[test]
fn the_footer_fits_and_names_its_keys() {
    for width in [60, 80, 120, 160] {
        let mut desk = Desk::open((width, 24));
        for keys in ["", "«enter»", "«esc»>«tab»", "«esc»t", "qd", "qi"] {
            let screen = desk.keys(keys).screen();
            let footer = screen.lines().last().unwrap();
            assert!(
                footer.contains("all keys") || footer.contains("Esc back"),
                "{width}: {footer}"
            );
            assert!(!footer.contains('…'), "{width}: {footer}");
        }
    }
}

#[test]
fn values_under_the_chosen_column_become_meshes() {
    for (keys, want) in [
        ("«left»«left»«left»=", "level = "),
        ("«left»«left»=", "source = "),
        ("«left»=", "id = "),
        ("=", "message = "),
        ("-", "message != "),
    ] {
        let mut desk = Desk::open((120, 40));
        desk.keys(keys);
        assert!(desk.meshes()[0].starts_with(want), "{keys}: {:?}", desk.meshes());
        assert!(desk.left() > 0, "{keys}");
    }
}

#[test]
fn wide_and_harmful_text_keeps_the_columns() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("wide.log");
    let lines = [
        "2026-03-14 06:41:01 INFO 座席の予約が要求されました ok=1",
        "2026-03-14 06:41:02 ERROR \u{1b}[2J\u{1b}]0;owned\u{7} caf\u{e9}\u{8} \u{202e}evil",
        "2026-03-14 06:41:03 WARN tab\there \u{200b}zero",
    ];
    std::fs::write(&path, lines.join("\n")).unwrap();
    let mut desk = Desk::on(&[path], (80, 24), Theme::of(Some(Palette::Dusk), true));
    for keys in ["", "«enter»", "«enter»", "«esc»«down»«enter»«enter»"] {
        let screen = desk.keys(keys).screen();
        assert!(!screen.chars().any(|c| c.is_control() && c != '\n'), "after {keys}");
        assert!(!screen.contains(['\u{202e}', '\u{200b}']), "after {keys}");
    }
    let screen = desk.keys("«esc»«esc»").screen();
    assert!(screen.contains("café␈") && screen.contains("座席の予約"), "{screen}");
    assert!(!screen.contains("owned"), "{screen}");
}

#[test]
fn a_funnel_of_many_meshes_keeps_its_place() {
    let mut desk = Desk::open((100, 24));
    for number in 0..12 {
        desk.keys(&format!("snot zz{number}«enter»"));
    }
    let screen = desk.screen();
    assert!(screen.contains("1 not zz0") && screen.contains("… 8 more"), "{screen}");
    assert!(!screen.contains("zz7"));
    desk.keys("«tab»«end»");
    let screen = desk.screen();
    assert!(
        screen.contains("not zz11") && screen.contains('▸'),
        "the cursor is in sight\n{screen}"
    );
    desk.keys("3");
    desk.keys("«home»«down»«down»");
    assert!(desk.screen().lines().any(|line| line.contains("not zz2") && line.contains("off")));
}

#[test]
fn the_trail_fits_a_small_screen() {
    let mut desk = Desk::open((80, 24));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»t");
    for keys in ["", "«down»«down»", "«end»", "«pgup»", "«home»"] {
        let screen = desk.keys(keys).screen();
        assert_eq!(screen.matches('▸').count(), 1, "the cursor is in sight after {keys}\n{screen}");
        assert!(screen.contains("14 entries · 6 lanes"), "{screen}");
    }
    desk.keys("y");
    assert_eq!(desk.copied.len(), 1);
    assert!(desk.keys("q").screen().contains("poured in"));
}

#[test]
fn an_entry_without_an_id_has_no_trail() {
    let mut desk = Desk::open((100, 24));
    desk.keys("ssource = harbour«enter»t");
    assert_eq!(desk.message(), "this entry has no id to follow");
    desk.keys("=");
    assert_eq!(desk.meshes().len(), 2);
}

#[test]
fn the_window_is_drawn_on_the_rail() {
    let mut desk = Desk::open((160, 47));
    let before = desk.screen();
    desk.keys("T06:38..06:44«enter»");
    let screen = desk.screen();
    let marks = |screen: &str| {
        let rail = |line: &str| line.chars().skip(137).collect::<String>();
        screen.lines().skip(5).filter(|line| rail(line).contains('│')).count()
    };
    assert_eq!(marks(&before), 0);
    assert!((2..8).contains(&marks(&screen)), "{screen}");
    assert!(screen.contains("06:38 … 06:44") && screen.contains("06:00"));
}

#[test]
fn a_layout_is_taught_over_the_lines_themselves() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("berth.log");
    std::fs::write(
        &path,
        "B4~2026-03-14 06:41:02~warn~mooring strained\nB5~2026-03-14 06:41:03~info~free\n",
    )
    .unwrap();
    let mut desk =
        Desk::on(std::slice::from_ref(&path), (100, 24), Theme::of(Some(Palette::Dusk), true));
    let screen = desk.keys("i").screen();
    assert!(
        screen.contains("lines as they are read") && screen.contains("B4~2026-03-14"),
        "{screen}"
    );
    let screen = desk.keys("e").screen();
    assert!(
        screen.contains("template {message}") && screen.contains("fits 2 of 2 lines"),
        "{screen}"
    );
    desk.keys(&"«back»".repeat("{message}".len()));
    let screen = desk.keys("{berth}~{time}~{level").screen();
    assert!(screen.contains("this hole is not closed"), "{screen}");
    desk.keys("«enter»");
    assert!(desk.taught.is_empty(), "what is wrong is not saved");
    let screen = desk.keys("}~{message}").screen();
    assert!(screen.contains("fits 2 of 2 lines  "), "{screen}");
    assert!(screen.contains("berth  time  level  message"), "{screen}");
    desk.keys("«enter»");
    let (file, table) = desk.taught.pop().unwrap();
    assert_eq!(file, folder.path().join("cribrum.toml"));
    assert!(table.contains("template = \"{berth}~{time}~{level}~{message}\""), "{table}");
    assert!(table.contains("files = \"berth.log*\""), "{table}");
    let screen = desk.keys("i«enter»").screen();
    assert!(screen.contains("layout = plain") && screen.contains("B5~2026"), "{screen}");
}

#[test]
fn the_clock_of_a_source_is_set_on_the_intake_screen() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("a.log"), "2026-03-14 06:41:02 INFO a: said\n".repeat(90))
        .unwrap();
    std::fs::write(
        folder.path().join("b.log"),
        "{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"x\"}\n",
    )
    .unwrap();
    let mut desk =
        Desk::on(&[folder.path().to_owned()], (120, 24), Theme::of(Some(Palette::Dusk), true));
    assert!(desk.keys("i").screen().contains("UTF-8 · times name no zone: UTC"));
    assert!(desk.keys("j").screen().contains("times name their zone"));
    desk.keys("kcRome«enter»");
    assert!(desk.screen().contains("`Rome` is neither a zone nor a duration"), "{}", desk.screen());
    assert!(desk.clocks.is_empty());
    desk.keys("«back»«back»«back»«back»+01:00 -2s«enter»");
    assert_eq!(desk.clocks, [("a".to_owned(), "+01:00 -2s".to_owned())]);
}

#[test]
fn the_intake_names_what_is_wrong() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("app.log"), "prose\n2026-03-14 06:41:02 INFO x: y\n")
        .unwrap();
    std::fs::write(folder.path().join("core.bin"), [0; 500]).unwrap();
    for width in [80, 160] {
        let theme = Theme::of(Some(Palette::Chalk), true);
        let mut desk = Desk::on(&[folder.path().to_owned()], (width, 24), theme);
        let screen = desk.keys("i«down»").screen();
        for text in ["app.log", "−1", "text 50 %  plain 50 %", "this is binary data"] {
            assert!(screen.contains(text), "{text} at {width}\n{screen}");
        }
    }
}

#[test]
fn a_mesh_with_a_secret_in_it_shows_a_stand_in() {
    let mut desk = Desk::open((100, 24));
    desk.keys("spassword = gull-tide-12345«enter»");
    assert!(!desk.screen().contains("gull-tide"), "typed once, hidden from then on");
    desk.keys("«esc»/4000001234567899«enter»«tab»");
    let screen = desk.screen();
    assert!(screen.contains("«card·") && !screen.contains("4000001234567899"), "{screen}");
    desk.keys("«tab»«enter»");
    let screen = desk.screen();
    assert!(screen.contains("«password·") && !screen.contains("gull-tide"), "{screen}");
}

//! What holds for every screen of the register.

use std::{fs, path::Path};

use ratatui::style::Color;

use super::made_up;
use crate::{
    settings::Palette,
    tui::{
        common,
        keys::Key,
        screen::{Action, Opening},
        screens::{self, desk, help, intake, plate, trail},
        testing::{Opened, TestDesk},
        theme::Theme,
    },
};

/// The register with one line more.
static WITH_TIDES: &[Opening] = &[
    desk::OPENING,
    trail::OPENING,
    plate::OPENING,
    intake::OPENING,
    help::OPENING,
    made_up::OPENING,
];

/// Opens a screen of the register from the desk, as its key does.
fn open(desk: &mut TestDesk, opening: &Opening) {
    desk.keys("«esc»«esc»«esc»");
    if let Some(Action { keys: [Key::Char(c), ..], .. }) = opening.key {
        desk.keys(&c.to_string());
    }
    assert_eq!(desk.app.top(), opening.name);
}

#[test]
fn every_screen_is_drawn_at_every_size_in_every_palette() {
    let palettes = [Some(Palette::Dusk), Some(Palette::Chalk), Some(Palette::Plain), None];
    for (palette, unicode) in palettes.into_iter().zip([true, true, true, false]) {
        let theme = Theme::of(palette, unicode);
        let mut desk = TestDesk::with(Opened { theme, ..Opened::default() });
        desk.keys("sid = 7f3a9c21e0b4d86f«enter»");
        for opening in screens::REGISTER {
            for size in [(60, 15), (80, 24), (120, 40), (160, 47), (400, 120)] {
                desk.host.size = size;
                desk.settle();
                open(&mut desk, opening);
                let name = format!("{} at {size:?} in {palette:?}", opening.name);
                let buffer = desk.buffer();
                assert_eq!((buffer.area.width, buffer.area.height), size, "{name}");
                let coloured = buffer.content.iter().any(|cell| cell.fg != Color::Reset);
                assert_eq!(coloured, palette.is_some(), "{name}");
                let ascii = buffer.content.iter().all(|cell| cell.symbol().is_ascii());
                assert_eq!(ascii, !unicode, "{name}");
                let screen = desk.screen();
                let lines = screen.lines().filter(|line| !line.trim().is_empty()).count();
                assert!(lines > 4, "{name} shows something\n{screen}");
                assert!(screen.lines().all(|line| line.chars().count() <= size.0.into()), "{name}");
            }
        }
    }
}

/// Text is written by one function, which marks what does not fit.
#[test]
fn no_screen_writes_text_that_is_cut_without_a_mark() {
    let mut open = vec![Path::new(env!("CARGO_MANIFEST_DIR")).join("src/tui")];
    let mut writers = Vec::new();
    while let Some(path) = open.pop() {
        for entry in fs::read_dir(path).unwrap().flatten() {
            let path = entry.path();
            if path.is_dir() {
                open.push(path);
            } else if fs::read_to_string(&path).is_ok_and(|text| text.contains(".set_string")) {
                writers.push(path.file_name().unwrap().to_string_lossy().into_owned());
            }
        }
    }
    writers.retain(|name| name != "register.rs");
    assert_eq!(writers, ["text.rs"]);
}

#[test]
fn within_a_region_no_key_means_two_things_and_none_is_without_help() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»");
    // The regions of the desk, one behind the other, then the other screens.
    for keys in ["", "«enter»", "«tab»", "«tab»", "«esc»t", "qd", "qi", "q?"] {
        desk.keys(keys);
        let here = desk.app.top();
        let mut seen: Vec<(Key, &str)> = Vec::new();
        for action in desk.app.actions_here() {
            assert!(action.help.len() > 1 && !action.shown.is_empty(), "{action:?}");
            for key in action.keys {
                let other = seen.iter().find(|(known, _)| known == key);
                assert_eq!(other, None, "{key:?} also means {} on {here}", action.help);
                seen.push((*key, action.help));
            }
        }
        assert!(seen.len() > 10, "{here}");
    }
}

#[test]
fn the_help_names_every_action_and_the_prompt_finds_it() {
    let mut desk = TestDesk::open((300, 120));
    let help = desk.keys("?").screen();
    desk.keys("q");
    let all = (screens::REGISTER.iter()).flat_map(|opening| (opening.actions)());
    let common = [common::MOVES, common::SIFTING, common::PROGRAM].concat_actions();
    for action in all.chain(common).chain(screens::REGISTER.iter().filter_map(|o| o.key)) {
        assert!(help.contains(action.help), "{} in\n{help}", action.help);
        let typed = action.help.replace(|c: char| !c.is_alphanumeric() && c != ' ', " ");
        let screen = desk.keys(&format!(":{typed}")).screen();
        assert!(screen.contains(action.help), "{typed}\n{screen}");
        desk.keys("«esc»");
    }
}

#[test]
fn no_help_is_cut_at_the_usual_sizes() {
    for size in [(80, 24), (160, 47)] {
        let mut desk = TestDesk::open(size);
        desk.keys("?");
        for _ in 0..12 {
            let screen = desk.screen();
            let cut = screen.lines().find(|line| {
                let line =
                    line.replace("1 … 9", "").replace("F1 … F9", "").replace("delimited, …", "");
                line.contains('…')
            });
            assert_eq!(cut, None, "{size:?}");
            desk.keys("«pgdn»");
        }
        assert!(desk.screen().contains("the same secret has the same one"), "its end is reached");
    }
}

#[test]
fn a_new_screen_is_a_folder_and_a_line() {
    let mut desk = TestDesk::with(Opened { register: WITH_TIDES, ..Opened::default() });
    assert!(desk.keys("b").screen().contains("row 0 of None"));
    assert_eq!(desk.app.top(), "tides");
    desk.keys("«down»«down»«enter»");
    assert!(desk.screen().contains("row 2 of Some(3000)"), "{}", desk.screen());
    assert_eq!(desk.message(), "3000 counted");
    let screen = desk.keys("«up»").screen();
    assert!(screen.contains("⏎ count") && screen.contains("Esc back"), "{screen}");
    desk.keys("rspring«enter»");
    assert!(desk.screen().contains("neapspring"));
    let screen = desk.keys("?").screen();
    assert!(screen.contains("rename the tide") && screen.contains("count the ebb"), "{screen}");
    desk.keys("qq:ebb count«enter»");
    assert_eq!((desk.app.top(), desk.message()), ("tides", "3000 counted"));
    desk.keys(":undo«enter»");
    assert_eq!((desk.app.top(), desk.message()), ("desk", "nothing to undo"));
}

/// The actions of tables of common keys.
trait Actions {
    fn concat_actions(self) -> Vec<Action>;
}

impl Actions for [&'static [crate::tui::screen::Binding<()>]; 3] {
    fn concat_actions(self) -> Vec<Action> {
        self.into_iter().flatten().map(|binding| Action::of(binding, true)).collect()
    }
}

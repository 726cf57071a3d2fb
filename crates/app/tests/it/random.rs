//! Random keys, mouse, pastes and sizes in a real terminal, while a source grows.

use std::{
    fs::{self, OpenOptions},
    io::Write,
};

use crate::{morning::Morning, tmux::Terminal};

/// Rounds of some keys and one thing else.
const ROUNDS: u64 = 60;

/// Keys that don't end the program or put it to sleep.
const KEYS: [&str; 58] = [
    "Up", "Down", "Left", "Right", "PageUp", "PageDown", "Home", "End", "Enter", "Enter", "Escape",
    "Escape", "Tab", "BTab", "BSpace", "DC", "Space", "C-u", "C-a", "s", "/", "n", "N", "t", "i",
    "d", "?", "T", "g", "f", "F", "z", "o", "=", "-", ">", "<", "u", "U", "1", "2", "3", "m", "'",
    "w", "W", "S", "a", "@", "Z", "+", "[", "]", "{", "}", "v", "e", "9",
];

const PASTES: [&str; 5] = [
    "level >= warn",
    "status in (502, 503",
    "06:38..06:44",
    "gull\u{202e}gr\u{f6}\u{df}e \u{1f600}",
    "path ~ \"^/(\"\nlevel = error\n",
];

/// Numbers that look random and are always the same.
fn random(state: &mut u64) -> u64 {
    *state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
    *state >> 33
}

fn one_of<'a>(all: &[&'a str], state: &mut u64) -> &'a str {
    let at = usize::try_from(random(state)).unwrap() % all.len();
    all[at]
}

#[test]
fn random_events_leave_a_desk_that_answers() {
    let morning = Morning::write(1_000);
    let home = morning.home.path();
    let program = env!("CARGO_BIN_EXE_cribrum");
    let command =
        format!("cd {}; {program} {}; echo status $?; sleep 1000", home.display(), morning.logs());
    let desk = Terminal::run(home, (120, 40), &command);
    desk.shows("poured in");
    let grown = std::path::Path::new(&morning.logs()).join("booking.log");
    let mut state = 7;
    for round in 0..ROUNDS {
        let keys: Vec<&str> = (0..20).map(|_| one_of(&KEYS, &mut state)).collect();
        desk.press_together(&keys);
        match random(&mut state) % 4 {
            0 => {
                let (width, height) = (random(&mut state) % 200 + 2, random(&mut state) % 60 + 2);
                desk.resize(width.try_into().unwrap(), height.try_into().unwrap());
            }
            1 => desk.paste(one_of(&PASTES, &mut state)),
            2 => {
                // A press, a drag and a release, as SGR reports (xterm's mode 1006).
                let (column, row) = (random(&mut state) % 120 + 1, random(&mut state) % 40 + 1);
                let report =
                    |button: u8, end: char| format!("\u{1b}[<{button};{column};{row}{end}");
                desk.type_in(
                    &(report(0, 'M') + &report(32, 'M') + &report(0, 'm') + &report(65, 'M')),
                );
            }
            _ => {
                let mut file = OpenOptions::new().append(true).open(&grown).unwrap();
                let line =
                    format!("{{\"level\":\"error\",\"msg\":\"round {round} \u{1b}[31m\"}}\nhalf");
                file.write_all(line.as_bytes()).unwrap();
            }
        }
    }
    desk.resize(120, 40);
    desk.press_together(&["Escape"; 12]);
    // What follows an Escape at once is read as one key with it.
    desk.press(&["Home", "?"]);
    desk.shows("what every key does");
    desk.press(&["q", "C-c"]);
    desk.shows("status 0");
    assert_eq!((desk.asks("alternate_on"), desk.asks("cursor_flag")), ("0".into(), "1".into()));
    assert!(fs::metadata(&grown).unwrap().len() > 0, "no source is harmed");
}

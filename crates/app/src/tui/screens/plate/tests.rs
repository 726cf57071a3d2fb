//! The plate as a conversation.

use crate::{
    settings::Palette,
    tui::{
        testing::{Opened, TestDesk},
        theme::Theme,
    },
};

#[test]
fn a_column_is_read_with_the_cursor_and_the_sieve_is_followed() {
    let mut desk = TestDesk::open((160, 47));
    let screen = desk.keys("d").screen();
    assert!(screen.contains("3\u{2009}000 entries · a column is"), "{screen}");
    let figure = |screen: &str| screen.lines().nth(2).unwrap().to_owned();
    let highest = figure(&desk.keys("«right»").screen());
    assert!(highest.contains(" … ") && highest.contains(" info"), "{highest}");
    let entries = |line: &str| -> usize {
        let number = line.split("entries").next().unwrap().split("   ").nth(1).unwrap();
        number.chars().filter(char::is_ascii_digit).collect::<String>().parse().unwrap()
    };
    let next = figure(&desk.keys("«right»").screen());
    assert!(entries(&next) <= entries(&highest), "{next}\n{highest}");
    assert!(figure(&desk.keys("«esc»").screen()).contains("a column is"));
    desk.keys("slevel >= error«enter»");
    let screen = desk.screen();
    let left = desk.left();
    assert!(left < 200 && screen.contains(&format!("{left} entries · a column is")), "{screen}");
    assert_eq!(desk.keys("«esc»").app.top(), "desk");
}

#[test]
fn levels_are_told_apart_without_colours() {
    let theme = Theme::of(None, false);
    let mut desk = TestDesk::with(Opened { theme, size: (100, 30), ..Opened::default() });
    let screen = desk.keys("d").screen();
    let bars: String = screen.lines().skip(4).take(18).collect();
    assert!(bars.contains('-') && bars.contains(':') && bars.contains('+'), "{screen}");
    let mut desk = TestDesk::with(Opened {
        theme: Theme::of(Some(Palette::Plain), true),
        size: (100, 30),
        ..Opened::default()
    });
    assert!(desk.keys("d").screen().contains(['▁', '▂', '▃', '▅', '▆', '▇']));
}

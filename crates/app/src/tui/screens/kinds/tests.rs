//! The kinds as a conversation.

use crate::tui::testing::{TestDesk, on_lines};

/// The rows of the table.
fn rows(screen: &str) -> Vec<String> {
    let lines = screen.lines().skip_while(|line| !line.contains("over time"));
    let rows = lines.skip(1).take_while(|line| !line.contains("⏎ entries"));
    rows.filter(|line| !line.trim().is_empty()).map(str::to_owned).collect()
}

#[test]
fn what_is_said_is_a_key_away() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("K");
    insta::assert_snapshot!(desk.screen());
    // Those in error first, and by their words.
    let screen = desk.keys("e").screen();
    let first = rows(&screen)[0].clone();
    assert!(screen.contains("level ↓") && (first.contains("fatal") || first.contains("error")));
    desk.keys("«right»«right»«right»«right»«right»,");
    let screen = desk.screen();
    assert!(screen.contains("kind ↑"), "{screen}");
}

#[test]
fn a_kind_is_silenced_kept_and_brought_back() {
    let mut desk = TestDesk::open((110, 30));
    desk.keys("K");
    let before = desk.left();
    desk.keys("-");
    assert!(desk.left() < before);
    assert!(desk.meshes()[0].starts_with("kind !="), "{:?}", desk.meshes());
    desk.keys("u");
    assert_eq!(desk.left(), before);
    // Narrowed by words, kept, and on the desk.
    let screen = desk.keys("/hold placed«enter»").screen();
    assert_eq!(rows(&screen).len(), 1, "{screen}");
    let screen = desk.keys("«enter»").screen();
    assert!(screen.contains("kind = \"hold placed\""), "{screen}");
    assert!(desk.left() > 0 && desk.left() < before);
}

/// Chooses which kinds are shown.
fn show(desk: &mut TestDesk, words: &str) -> String {
    desk.keys("o");
    for _ in 0..12 {
        let screen = desk.screen();
        if screen.lines().any(|line| line.contains('▸') && line.contains(words)) {
            return desk.keys("«enter»").screen();
        }
        desk.keys("«down»");
    }
    panic!("{words} can't be chosen: {}", desk.screen());
}

#[test]
fn new_kinds_those_that_are_gone_and_rare_ones_are_shown_alone() {
    let mut desk = TestDesk::open((120, 30));
    let all = rows(&desk.keys("K").screen()).len();
    let screen = show(&mut desk, "new since the last quarter");
    assert!(screen.contains("new since the last quarter of the time"), "{screen}");
    assert!(rows(&screen).len() < all, "{screen}");
    let screen = show(&mut desk, "rare");
    assert!(rows(&screen)[0].contains(" 1 "), "the rarest first: {screen}");
    let screen = show(&mut desk, "gone since the last quarter");
    assert!(screen.contains("gone since the last quarter"), "{screen}");
    let screen = desk.keys("«esc»").screen();
    assert!(rows(&screen).len() == all && !screen.contains("gone since the"), "{screen}");
    let screen = desk.keys("/nobody says this«enter»").screen();
    assert!(screen.contains("No kind has these words; Esc takes them away."), "{screen}");
}

#[test]
fn what_stands_in_the_holes_is_shown() {
    let mut desk = TestDesk::open((80, 24));
    let screen = desk.keys("K/ramp«enter»h").screen();
    assert!(screen.contains("{number}") && screen.contains("different"), "{screen}");
    assert_eq!(rows(&screen).len(), 1, "{screen}");
    // A kind that is said in the same words each time has none.
    let screen = desk.keys("/«back»«back»«back»«back»hold placed«enter»").screen();
    assert!(screen.contains("this kind has no holes"), "{screen}");
}

#[test]
fn a_kind_has_a_name_of_its_own_for_conditions() {
    let mut desk = TestDesk::open((120, 30));
    let screen = desk.keys("K/hold placed«enter»Aplaced holds«enter»").screen();
    assert!(screen.contains("placed holds · hold placed"), "{screen}");
    assert!(desk.settings().contains("words = \"hold placed\""), "{}", desk.settings());
    desk.keys("«esc»«esc»skind = \"placed holds\"«enter»");
    assert_eq!(desk.meshes(), ["kind = \"hold placed\""]);
    assert!(desk.left() > 0);
    // The funnel calls it by its name, whichever way round.
    let screen = desk.screen();
    assert!(screen.contains("kind = \"placed holds\""), "{screen}");
    let screen = desk.keys("uK/hold placed«enter»-«esc»«esc»").screen();
    assert!(screen.contains("kind != \"placed holds\""), "{screen}");
}

/// Entries of a second each that say something.
fn said(from: usize, messages: &[&str]) -> String {
    let line = |(at, message): (usize, &&str)| {
        let (minute, second) = ((from + at) / 60, (from + at) % 60);
        format!(
            "2026-03-14 06:{minute:02}:{second:02},000 INFO [worker-1] harbour.berths - {message}\n"
        )
    };
    messages.iter().enumerate().map(line).collect()
}

#[test]
fn kinds_grow_with_their_entries_and_the_cursor_stays_on_its_kind() {
    let (mut desk, _folder, path) =
        on_lines(&said(0, &["berth 4 free", "berth 5 free", "tide read"]));
    desk.keys("K«down»");
    assert!(desk.selected().contains("tide read"), "{}", desk.selected());
    // More of what is known, something new, and a longer time.
    desk.append(&path, &said(100, &["tide read", "tide read", "mooring strained at 7"]));
    let screen = desk.screen();
    let grown = rows(&screen);
    assert!(grown.len() == 3 && grown[0].contains("tide read"), "{screen}");
    assert!(grown[0].contains(" 3 ") && screen.contains("6 entries"), "{screen}");
    assert!(screen.contains("mooring strained at {number}"), "{screen}");
    assert!(desk.selected().contains("tide read"), "{}", desk.selected());
    // Within the time that there is room for, and again.
    desk.append(&path, &said(110, &["berth 6 free", "berth 7 free"]));
    let screen = desk.screen();
    assert!(rows(&screen)[0].contains("berth {number} free"), "{screen}");
    assert!(screen.contains("8 entries"), "{screen}");
}

#[test]
fn a_list_in_another_order_begins_at_its_first_row() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("K«down»«down»«down»");
    let chosen = desk.selected();
    desk.keys("e");
    assert_ne!(desk.selected(), chosen);
    assert!(desk.screen().contains("1 of "), "{}", desk.screen());
    // By first seen, and the other way.
    desk.keys("«right»«right»«right»,");
    let first = desk.selected();
    desk.keys(",");
    assert_ne!(desk.selected(), first, "{}", desk.screen());
}

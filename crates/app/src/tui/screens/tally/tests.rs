//! The tally as a conversation.

use crate::tui::testing::{TestDesk, on_lines};

/// The rows of the table, without the one of all entries.
fn rows(screen: &str) -> Vec<String> {
    let lines =
        screen.lines().skip_while(|line| !line.contains("entries") || !line.contains("errors"));
    lines.skip(1).take_while(|line| !line.trim_end().ends_with(" all")).map(str::to_owned).collect()
}

#[test]
fn paths_and_how_long_they_take_are_a_key_away() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("c");
    insta::assert_snapshot!(desk.screen());
    // Which are slow, and which fail, in two.
    let slow = rows(&desk.keys("p").screen());
    assert!(slow[0].contains("/crossings/{n}/seats"), "{slow:?}");
    let failing = rows(&desk.keys("e").screen());
    assert!(
        failing[0].contains("/crossings/{n}/seats") && failing[0].contains(" %"),
        "{failing:?}"
    );
    // The entries of a group, and back.
    let screen = desk.keys("«enter»").screen();
    assert!(
        screen.contains("path:template = /crossings/{n}") && screen.contains("POST /crossings/"),
        "{screen}"
    );
    assert!(!screen.contains("GET /crossings"), "{screen}");
}

#[test]
fn groups_follow_the_sieve_and_change_it() {
    let mut desk = TestDesk::open((100, 30));
    desk.keys("c");
    let before = rows(&desk.screen()).len();
    let screen = desk.keys("-").screen();
    assert_eq!(rows(&screen).len(), before - 1, "{screen}");
    desk.keys("u");
    assert_eq!(rows(&desk.screen()).len(), before);
    let screen = desk.keys("=").screen();
    assert_eq!(rows(&screen).len(), 1, "{screen}");
    desk.keys("u");
    // Another form of the same values, and another question.
    let screen = desk.keys("f").screen();
    assert!(rows(&screen).len() > before && screen.contains("path:whole"), "{screen}");
    let screen = desk.keys("blevel«enter»").screen();
    assert!(rows(&screen)[3].contains("100.0 %"), "errors are errors: {screen}");
    let screen = desk.keys("+source«enter»").screen();
    assert!(screen.contains("by level, source"), "{screen}");
    let screen = desk.keys("/error gate«enter»").screen();
    assert_eq!(rows(&screen).len(), 1, "{screen}");
    let screen = desk.keys("«esc»").screen();
    assert!(rows(&screen).len() > 3, "{screen}");
}

#[test]
fn measures_are_typed_and_what_is_none_is_said() {
    let mut desk = TestDesk::open((160, 47));
    // What is measured now is in the prompt.
    let instead = |desk: &mut TestDesk, old: &str, new: &str| {
        desk.keys("o");
        for _ in old.chars() {
            desk.keys("«back»");
        }
        desk.keys(&format!("{new}«enter»")).screen()
    };
    desk.keys("c");
    let screen = instead(&mut desk, "took", "bytes");
    assert!(screen.contains("· bytes") && screen.contains("/crossings/{n}"), "{screen}");
    let screen = instead(&mut desk, "bytes", "level");
    assert!(screen.contains("is no number"), "{screen}");
    desk.keys("«esc»");
    let screen = instead(&mut desk, "bytes", "user_agent");
    assert!(screen.contains("values are no number, such as"), "{screen}");
    // Nothing has that name.
    let screen = desk.keys("bnobody«enter»").screen();
    assert!(screen.contains("has nobody; b groups by something else"), "{screen}");
    let screen = desk.keys("bsource«enter»Duser«enter»").screen();
    assert!(screen.contains("≠ user"), "{screen}");
}

/// Entries with an order, some of them with the same.
fn orders(numbers: &[u32]) -> String {
    let line = |(at, number): (usize, &u32)| {
        format!(
            "{{\"time\":\"2026-03-14T06:41:{at:02}Z\",\"msg\":\"charged\",\"order\":\"o-{number}\",\"took_ms\":{number}}}\n"
        )
    };
    numbers.iter().enumerate().map(line).collect()
}

#[test]
fn values_that_occur_twice_stand_alone() {
    let (mut desk, _folder, _) = on_lines(&orders(&[1, 2, 3, 2, 4, 5, 3]));
    let screen = desk.keys("cborder«enter»").screen();
    assert_eq!(rows(&screen).len(), 5, "{screen}");
    let screen = desk.keys("a").screen();
    assert!(screen.contains("of more than one entry"), "{screen}");
    let twice = rows(&screen);
    assert!(twice.len() == 2 && twice.iter().any(|row| row.contains("o-2")), "{screen}");
    // Narrowed further, and all of them again.
    assert_eq!(rows(&desk.keys("/o-3«enter»").screen()).len(), 1);
    assert_eq!(rows(&desk.keys("«esc»").screen()).len(), 2);
    assert_eq!(rows(&desk.keys("«esc»").screen()).len(), 5);
    let screen = desk.keys("=a").screen();
    assert!(
        screen.contains("No group has more than one entry") || rows(&screen).len() == 1,
        "{screen}"
    );
}

#[test]
fn a_tally_grows_with_its_entries_and_the_cursor_stays_on_its_group() {
    let (mut desk, _folder, path) = on_lines(&orders(&[1, 1, 1, 2, 2, 3]));
    let pointed = |screen: &str| screen.lines().find(|line| line.contains('▸')).map(str::to_owned);
    let screen = desk.keys("cborder«enter»«down»").screen();
    assert!(pointed(&screen).unwrap().contains("o-2"), "{screen}");
    desk.append(&path, &orders(&[3, 3, 3, 4]));
    let screen = desk.screen();
    let grown = rows(&screen);
    assert!(grown.len() == 4 && grown[0].contains("o-3"), "{screen}");
    assert!(pointed(&screen).unwrap().contains("o-2"), "{screen}");
    assert!(screen.contains("10 entries"), "{screen}");
}

#[test]
fn what_is_measured_stays_what_was_asked_for() {
    let (mut desk, _folder, _) = on_lines(&orders(&[1, 2, 2]));
    let screen = desk.keys("cborder«enter»").screen();
    assert!(screen.contains("by order · took"), "how long they took is proposed: {screen}");
    // Nothing is to be measured; the question is not made anew when groups are put in order, or more of them come.
    let screen = desk.keys("o«back»«back»«back»«back»«enter»").screen();
    assert!(screen.contains("by order ") && !screen.contains("took"), "{screen}");
    let screen = desk.keys(",,Dorder«enter»").screen();
    assert!(screen.contains("≠ order") && !screen.contains("took"), "{screen}");
}

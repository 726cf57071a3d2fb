//! The tally as a conversation.

use crate::tui::testing::TestDesk;

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
    assert!(screen.contains("path ~") && screen.contains("POST /crossings/"), "{screen}");
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

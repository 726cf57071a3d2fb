//! The comparison as a conversation.

use cribrum_core::{compare::Side, query::Context};

use crate::{
    present::side,
    tui::testing::{TestDesk, on_lines},
};

#[test]
fn what_changed_between_two_marks_is_three_keys_away() {
    let mut desk = TestDesk::open((160, 47));
    // The outage of the morning, from its first entry to its last.
    desk.keys("@06:38«enter»m«enter»@06:48«enter»m«enter»C");
    let screen = desk.screen();
    insta::assert_snapshot!(screen);
    assert!(screen.contains("between the marks") && screen.contains("AcquirerTimeout"), "{screen}");
    // The other way round, what was new is gone.
    let turned = desk.keys("X").screen();
    assert!(turned.contains("gone") && turned.contains("from  between the marks"), "{turned}");
    // A side that is typed, and counts a minute.
    let screen = desk.keys("ftime < 06:30«enter»p").screen();
    assert!(screen.contains("time < 06:30") && screen.contains("/min"), "{screen}");
}

#[test]
fn a_difference_becomes_a_mesh() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("@06:38«enter»m«enter»@06:48«enter»m«enter»C/new kind acquirertimeout«enter»");
    let screen = desk.screen();
    assert!(screen.contains("AcquirerTimeout: no answer after {number} tries"), "{screen}");
    let screen = desk.keys("«enter»").screen();
    assert!(screen.contains("kind = \"AcquirerTimeout"), "{screen}");
    assert!(desk.left() > 0 && desk.left() < 100, "{}", desk.left());
}

#[test]
fn without_marks_the_pan_is_compared_with_everything_or_the_end_with_the_rest() {
    let mut desk = TestDesk::open((80, 24));
    let screen = desk.keys("C").screen();
    assert!(screen.contains("before") && screen.contains("after"), "{screen}");
    desk.keys("«esc»slevel >= error«enter»C");
    let screen = desk.screen();
    assert!(screen.contains("from  everything") && screen.contains("the pan"), "{screen}");
    let screen = desk.keys("onothing = here«enter»").screen();
    assert!(screen.contains("No entry is nothing = here; f and o choose other sides."), "{screen}");
    let screen = desk.keys("opan«enter»/no such words«enter»").screen();
    assert!(screen.contains("No difference has these words"), "{screen}");
}

#[test]
fn sides_are_typed_as_people_say_them() {
    let snapshot = TestDesk::open((80, 24)).snapshot().clone();
    let last = snapshot.span().map(|(_, last)| last);
    let marks = vec![("second try".to_owned(), 1_773_470_460_000_000_000)];
    let context = Context { last, marks, ..Context::default() };
    let told = |text: &str| match side(text, &snapshot, &context) {
        Ok(Side::Where(expr)) => expr.to_string(),
        Ok(other) => format!("{other:?}"),
        Err(message) => format!("wrong: {message}"),
    };
    for (text, want) in [
        ("everything", "Everything"),
        (" pan ", "Pan"),
        ("gate", "source = gate.log"),
        ("gate.log", "source = gate.log"),
        ("before mark second try", "time < mark \"second try\""),
        ("run = 2", "run = 2"),
        ("level >= warn and path ~ \"^/a\"", "level >= warn and path ~ \"^/a\""),
        ("status in 500..504", "status in 500..504"),
    ] {
        assert_eq!(told(text), want, "{text}");
    }
    for (text, begins) in [
        ("06:00..06:30", "time in 06:00..06:30"),
        ("before 06:38", "time < 06:38"),
        ("after 06:38", "time >= 06:38"),
        ("", "wrong: write what to compare"),
        ("06:30..06:00", "wrong: "),
        ("before noon", "wrong: "),
    ] {
        assert!(told(text).starts_with(begins), "{text}: {}", told(text));
    }
}

#[test]
fn a_comparison_grows_with_its_entries() {
    let line = |minute: usize, second: usize, message: &str| {
        format!(
            "2026-03-14 06:{minute:02}:{second:02},000 INFO [worker-1] harbour.berths - {message}\n"
        )
    };
    let calm: String = (0..40).map(|second| line(0, second, "berth free")).collect();
    let (mut desk, _folder, path) = on_lines(&(calm + &line(30, 0, "berth free")));
    let screen = desk.keys("Cfbefore 06:20«enter»oafter 06:20«enter»").screen();
    assert!(screen.contains("Nothing differs more than by chance"), "{screen}");
    // Something else is said from then on.
    let storm: String = (1..40).map(|second| line(30, second, "mooring strained")).collect();
    desk.append(&path, &storm);
    let screen = desk.screen();
    let new = screen.lines().find(|line| line.contains("mooring strained")).unwrap_or_default();
    assert!(new.contains("new"), "{screen}");
    assert!(screen.contains("40 entries"), "{screen}");
}

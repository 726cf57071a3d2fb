//! Requests as a conversation.

use crate::tui::testing::TestDesk;

#[test]
fn the_slowest_request_and_its_slow_step_are_two_keys_away() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("r");
    insta::assert_snapshot!(desk.screen());
    let screen = desk.keys("«enter»").screen();
    assert!(screen.contains("8.214 s   usually 2"), "{screen}");
    assert!(screen.contains("longer than usual waiting for payments, tried 3 times"), "{screen}");
    let first = screen.lines().next().unwrap().to_owned();
    let second = desk.keys("]").screen();
    assert_ne!(second.lines().next().unwrap(), first, "the next trail is another one");
    assert_eq!(desk.keys("[").screen().lines().next().unwrap(), first);
    // Esc leads back to the row that it was opened from.
    assert!(desk.keys("«esc»").screen().contains("half within"));
}

#[test]
fn a_session_is_one_key_wider_than_a_request() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»t");
    let request = desk.screen();
    assert!(request.contains("widen to") && request.contains("session"), "{request}");
    let session = desk.keys("(").screen();
    assert!(session.lines().next().unwrap().contains("session"), "{session}");
    assert!(session.contains("session opened") && session.contains("crossing read"), "{session}");
    // The entry that the request was opened from is under the cursor still.
    let again = desk.keys(")").screen();
    assert!(again.contains("request_id 7f3a9c21e0b4d86f"), "{again}");
    assert_eq!(desk.keys("))").message(), "no id of this step takes in less");
}

#[test]
fn requests_are_ordered_by_any_figure_and_narrowed_by_words() {
    let mut desk = TestDesk::open((160, 47));
    let start = |desk: &mut TestDesk, row: usize| {
        let screen = desk.screen();
        let rows: Vec<&str> =
            screen.lines().skip_while(|line| !line.contains("first step")).skip(1).collect();
        rows[row].trim_start_matches(['▸', ' ']).split(' ').next().unwrap().to_owned()
    };
    desk.keys("r«left»,");
    assert!(start(&mut desk, 0) <= start(&mut desk, 1), "the earliest first");
    desk.keys(",");
    assert!(start(&mut desk, 0) >= start(&mut desk, 1), "and the latest, where it is asked again");
    // By what must be read of each: from the start six columns to the right is the id.
    let screen = desk.keys("«right»«right»«right»«right»«right»«right»,").screen();
    assert!(screen.contains("id ↑"), "{screen}");
    let ids = |screen: &str| -> Vec<String> {
        let at = screen.lines().position(|line| line.contains("id ↑")).unwrap();
        let column = screen.lines().nth(at).unwrap().find("id ↑").unwrap();
        let cell = |line: &str| line.chars().skip(column).take(8).collect::<String>();
        screen.lines().skip(at + 1).take(20).map(cell).collect()
    };
    assert!(ids(&screen).is_sorted(), "{screen}");
    desk.keys("/session 201«enter»");
    let screen = desk.screen();
    let rows = screen.lines().filter(|line| line.contains("POST /session")).count();
    assert!(rows > 20 && !screen.contains("GET /crossings"), "{screen}");
    assert!(screen.contains("with “session 201”"), "{screen}");
    // A sieve narrows as well: every view shows the pan.
    desk.keys("«esc»slevel >= fatal«enter»");
    assert!(desk.screen().contains("No request has an entry in the pan"), "{}", desk.screen());
    desk.keys("ub");
    assert!(desk.screen().contains("kind of id"), "{}", desk.screen());
}

#[test]
fn two_requests_stand_side_by_side() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("rC");
    assert_eq!(desk.message(), "mark two requests with m, then C compares them");
    desk.keys("m/seats 201«enter»mC");
    insta::assert_snapshot!(desk.screen());
    assert!(desk.keys("«esc»").screen().contains("first step"), "back at the table");
}

#[test]
fn a_small_screen_has_the_columns_that_matter() {
    let mut desk = TestDesk::open((80, 24));
    let screen = desk.keys("r").screen();
    assert!(screen.contains("duration ↓") && screen.contains("POST /crossings/112/se"), "{screen}");
    assert!(screen.lines().filter(|line| line.contains("504")).count() > 5, "{screen}");
}

#[test]
fn lanes_can_be_told_apart_by_something_else() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»t");
    let lanes = |desk: &mut TestDesk| {
        let screen = desk.screen();
        screen.lines().find(|line| line.contains(" gap ")).unwrap().to_owned()
    };
    let services = lanes(&mut desk);
    assert!(!services.contains("spans"), "spans stand in the lanes of their services: {services}");
    let sources = lanes(desk.keys("l"));
    assert!(sources.contains("spans") && sources.contains("gate"), "{sources}");
}

//! The trail as a conversation.

use crate::tui::testing::TestDesk;

#[test]
fn the_trail_of_the_story() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»t«end»");
    insta::assert_snapshot!(desk.screen());
    desk.keys("«home»«down»«enter»");
    assert_eq!(desk.selected(), "seat hold requested");
}

#[test]
fn the_trail_fits_a_small_screen() {
    let mut desk = TestDesk::open((80, 24));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»t");
    for keys in ["", "«down»«down»", "«end»", "«pgup»", "«home»"] {
        let screen = desk.keys(keys).screen();
        assert_eq!(screen.matches('▸').count(), 1, "the cursor is in sight after {keys}\n{screen}");
        assert!(screen.contains("19 entries · 6 lanes"), "{screen}");
    }
    desk.keys("y");
    assert_eq!(desk.host.copied.len(), 1);
    assert!(desk.keys("q").screen().contains("poured in"));
}

#[test]
fn an_entry_without_an_id_has_no_trail() {
    let mut desk = TestDesk::open((100, 24));
    desk.keys("ssource = harbour«enter»t");
    assert_eq!(desk.message(), "this entry has no id to follow");
    desk.keys("=");
    assert_eq!(desk.meshes().len(), 2);
}

#[test]
fn spans_stand_in_a_tree_with_their_own_times() {
    let mut desk = TestDesk::open((120, 30));
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»tv");
    insta::assert_snapshot!(desk.screen());
    // The cursor moves along the tree, and the step under it is the one that opens.
    desk.keys("«end»«enter»");
    assert_eq!(desk.selected(), "acquirer.charge");
    let mut desk = TestDesk::open((120, 30));
    desk.keys("spath = /session«enter»tv");
    assert_eq!(desk.message(), "no two steps of this trail are spans");
}

#[test]
fn a_trail_is_saved_as_a_drawing() {
    let mut desk = TestDesk::open((120, 30));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.svg");
    desk.keys("sid = 7f3a9c21e0b4d86f«enter»td");
    desk.ctrl('u').keys(&format!("{}«enter»", path.display()));
    desk.wait_for_message("saved");
    let svg = std::fs::read_to_string(path).unwrap();
    assert!(svg.contains("request_id 7f3a9c21e0b4d86f") && svg.contains("Unusual: "), "{svg}");
    assert!(svg.contains("#14181c"), "in the colours of the desk");
    desk.keys("dt.png«enter»");
    assert!(desk.screen().contains("a name that ends in .svg or .pdf is needed"));
}

#[test]
fn a_clock_that_is_off_is_told_and_set_right() {
    let time = |seconds: u32, millis: u32| {
        format!("2026-03-14T06:{:02}:{:02}.{millis:03}Z", seconds / 60, seconds % 60)
    };
    let (mut gate, mut booking) = (String::new(), String::new());
    for request in 0..12 {
        let id = format!("7f3a9c21e0b4d8{request:02}");
        let line = |time: String, message: &str| {
            format!("{{\"time\":\"{time}\",\"msg\":\"{message}\",\"request_id\":\"{id}\"}}\n")
        };
        gate += &line(time(60 + request, 100), "asked");
        gate += &line(time(60 + request, 180 + request), "answered");
        // Its clock is five seconds behind.
        booking += &line(time(55 + request, 110), "hold placed");
        booking += &line(time(55 + request, 170), "hold confirmed");
    }
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("gate.log"), gate).unwrap();
    std::fs::write(folder.path().join("booking.log"), booking).unwrap();
    let theme = crate::tui::theme::Theme::new(crate::settings::Palette::Dusk);
    let mut desk = TestDesk::on(&[folder.path().to_owned()], (120, 30), theme);
    let screen = desk.keys("«end»t").screen();
    assert!(screen.contains("The clock of booking seems 5.000 s behind that of gate"), "{screen}");
    assert!(screen.contains("5.0"), "{screen}");
    let screen = desk.keys("o").screen();
    assert_eq!(desk.message(), "booking: clock +5s · i: the intake changes it back");
    assert!(!screen.contains("The clock of") && screen.contains(" ms   usually"), "{screen}");
    desk.keys("o");
    assert_eq!(desk.message(), "no clock seems to be off");
}

#[test]
fn shortened_ids_and_neighbours_come_in() {
    let folder = tempfile::tempdir().unwrap();
    let gate = "2026-03-14 06:41:01 INFO [http-1] asked request_id=7f3a9c21e0b4d86f\n\
        2026-03-14 06:41:02 INFO [http-1] seats counted\n\
        2026-03-14 06:41:04 INFO [http-1] answered request_id=7f3a9c21e0b4d86f\n";
    std::fs::write(folder.path().join("gate.log"), gate).unwrap();
    let deck = "2026-03-14 06:41:03 INFO seated request_id=d86f\n";
    std::fs::write(folder.path().join("deck.log"), deck).unwrap();
    let theme = crate::tui::theme::Theme::new(crate::settings::Palette::Dusk);
    let mut desk = TestDesk::on(&[folder.path().to_owned()], (120, 30), theme);
    let screen = desk.keys("«home»t").screen();
    assert_eq!(desk.message(), "1 more entry with d86f, a part of this id");
    assert!(screen.contains("seated") && screen.contains("3 entries · 2 lanes"), "{screen}");
    assert!(!screen.contains("seats counted"));
    let screen = desk.keys("n").screen();
    assert!(screen.contains("seats counted") && screen.contains("3 entries · 2 lanes"), "{screen}");
    assert!(!desk.keys("n").screen().contains("seats counted"));
}

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

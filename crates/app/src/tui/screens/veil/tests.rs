//! The veil's screen as a conversation.

use crate::tui::testing::{TestDesk, dusk, on_lines};

const LINES: &str = "\
2026-03-14 06:41:02 INFO a.b: hold berth_code=77314 card=4000001234567899
2026-03-14 06:41:03 INFO a.b: hold berth_code=77315 from 203.0.113.9
2026-03-14 06:41:04 INFO a.b: order 4000 0071 2233 4456 shipped
";

#[test]
fn the_rules_are_told_with_their_hits_and_examples() {
    let mut desk = TestDesk::open((120, 40));
    insta::assert_snapshot!(desk.keys("v").screen());
    let screen = desk.keys("jjjj«enter»j").screen();
    assert!(screen.contains("finds the password before the host"), "{screen}");
    let screen = desk.keys("«enter»").screen();
    assert!(screen.contains("poured in"), "the desk is shown: {screen}");
    assert!(desk.selected().contains("store opened"), "{}", desk.selected());
}

#[test]
fn what_is_nearly_a_hit_says_why() {
    let (mut desk, _folder, _) = on_lines(LINES);
    let screen = desk.keys("v").screen();
    assert!(screen.contains("sixteen digits, but"), "{screen}");
    assert!(!screen.contains("234567899") && !screen.contains("2233 4456"), "{screen}");
    let more = desk.keys("a").screen();
    assert!(more.contains(" more ") && more.contains("password-name"), "{more}");
}

#[test]
fn a_rule_is_tried_while_it_is_typed_and_kept() {
    let (mut desk, _folder, _) = on_lines(LINES);
    let screen = desk.keys("vn/[0-9]*/").screen();
    assert!(screen.contains("empty text"), "{screen}");
    desk.keys(&"«back»".repeat("/[0-9]*/".len()));
    let screen = desk.keys("berth_code").screen();
    assert!(screen.contains("finds 2 in 2 of 3 entries"), "{screen}");
    assert!(screen.contains("berth_code=«secret·"), "{screen}");
    let screen = desk.keys("«enter»«enter»").screen();
    assert!(screen.contains("2        ·   berth_code"), "{screen}");
    let settings = desk.settings();
    assert!(
        settings.contains("[[veil.rule]]") && settings.contains("names = [\"berth_code\"]"),
        "{settings}"
    );
    let screen = desk.keys("«esc»").screen();
    assert!(!screen.contains("77314") && screen.contains("berth_code=«secret·"), "{screen}");
}

#[test]
fn classes_are_hidden_and_shown_and_the_masthead_says_so() {
    let (mut desk, _folder, _) = on_lines(LINES);
    assert!(desk.screen().contains("203.0.113.9"));
    // The cards stand before the addresses.
    desk.keys("vjo«esc»");
    let screen = desk.screen();
    assert!(!screen.contains("203.0.113.9") && screen.contains("«ip·"), "{screen}");
    desk.keys("voo«esc»");
    let screen = desk.screen();
    assert!(
        screen.contains("card=4000001234567899") && screen.contains("veil weakened: card"),
        "{screen}"
    );
    desk.keys("y");
    let copied = desk.host.copied.last().cloned().unwrap_or_default();
    assert!(copied.contains("card=«card·"), "shared as before: {copied}");
}

#[test]
fn an_entry_is_shown_without_the_veil_only_on_request_and_not_for_long() {
    let (mut desk, _folder, _) = on_lines(LINES);
    desk.keys("R");
    assert!(desk.message().contains("--allow-reveal"), "{}", desk.message());
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("app.log");
    std::fs::write(&path, LINES).unwrap();
    let mut desk = TestDesk::revealing(std::slice::from_ref(&path), (120, 40), dusk());
    assert!(!desk.screen().contains("4000001234567899"));
    desk.press('R');
    let screen = desk.until("without the veil");
    assert!(screen.contains("card=4000001234567899"), "{screen}");
    desk.press('y');
    desk.settle();
    let screen = desk.screen();
    assert!(!screen.contains("4000001234567899"), "its time is over: {screen}");
    let copied = desk.host.copied.last().cloned().unwrap_or_default();
    assert!(copied.contains("card=«card·"), "{copied}");
}

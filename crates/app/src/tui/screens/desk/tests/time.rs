//! Time on the desk: the rail, windows, marks, zones.

use ratatui::crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

use super::{Desk, areas, row, volume};
use crate::{
    present::Times,
    tui::{
        app::Event,
        screens::desk::state::Focus,
        testing::{TestDesk, on_lines},
    },
};

#[test]
fn the_window_is_drawn_on_the_rail() {
    let mut desk = TestDesk::open((160, 47));
    let before = desk.screen();
    desk.keys("T06:38..06:44«enter»");
    let screen = desk.screen();
    let marks = |screen: &str| {
        let rail = |line: &str| line.chars().skip(137).collect::<String>();
        screen.lines().skip(5).filter(|line| rail(line).contains('│')).count()
    };
    assert_eq!(marks(&before), 0);
    assert!((2..8).contains(&marks(&screen)), "{screen}");
    assert!(screen.contains("06:38 … 06:44") && screen.contains("06:00"));
}

#[test]
fn around_a_moment_and_back() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("sno answer after«enter»");
    let few = desk.left();
    desk.keys("a");
    let near = desk.left();
    assert!(desk.screen().contains("around 06:") && desk.screen().contains("waits"));
    assert!(desk.selected().starts_with("AcquirerTimeout"), "{}", desk.selected());
    desk.keys("a«down»«down»a");
    let screen = desk.screen();
    assert!(screen.contains("± 1 min"), "the moment stays the same: {screen}");
    assert!(desk.left() > near && near >= 1);
    desk.keys("u");
    assert_eq!((desk.left(), desk.meshes().len()), (few, 1), "all of it was one step");
}

#[test]
fn a_window_is_drawn_on_the_rail() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("«tab»");
    assert_eq!(desk.app.first::<Desk>().focus, Focus::Rail);
    desk.keys("«home»«down»«down»«enter»«down»«down»«enter»");
    let window = desk.app.cx.shared.sieve().window().unwrap();
    let (Some(from), Some(to)) = window else { panic!("{window:?}") };
    let width = volume(&mut desk).width;
    assert_eq!(to - from + 1, 3 * width, "three slices");
    insta::assert_snapshot!("rail", desk.screen());
    let first = desk.snapshot().time(desk.snapshot().pan.get(0).unwrap()).unwrap();
    assert!((from..=to).contains(&first));
    desk.keys("]");
    let moved = desk.app.cx.shared.sieve().window().unwrap();
    assert!(moved.0 > Some(from) && moved.1 > Some(to));
    desk.keys("}");
    let wider = desk.app.cx.shared.sieve().window().unwrap();
    assert!(wider.0 < moved.0 && wider.1 > moved.1);
    desk.keys("{");
    assert!(desk.app.cx.shared.sieve().window().unwrap().0 > wider.0);
    let before = volume(&mut desk);
    desk.keys("+");
    let closer = volume(&mut desk);
    assert!(closer.width < before.width, "{} {}", closer.width, before.width);
    desk.keys("-");
    assert_eq!(volume(&mut desk), before);
    desk.keys("-");
    assert_eq!(desk.message(), "all of the time is shown");
    desk.keys("«del»");
    assert_eq!(desk.meshes(), [""; 0]);
    desk.keys("[");
    assert!(desk.message().contains("there is no window"));
    desk.keys("«enter»«esc»");
    assert_eq!(desk.app.first::<Desk>().rail.from, None);
    desk.keys("«esc»");
    assert_eq!(desk.app.first::<Desk>().focus, Focus::Entries);
}

#[test]
fn the_mouse_draws_a_window() {
    let mut desk = TestDesk::open((120, 40));
    let rail = areas(&mut desk).rail;
    let mouse = |desk: &mut TestDesk, kind, row| {
        let event = MouseEvent {
            kind,
            column: rail.x + 2,
            row: rail.y + row,
            modifiers: KeyModifiers::NONE,
        };
        desk.event(Event::Mouse(event));
    };
    let left = MouseButton::Left;
    mouse(&mut desk, MouseEventKind::Down(left), 4);
    mouse(&mut desk, MouseEventKind::Up(left), 4);
    assert_eq!(desk.meshes(), [""; 0], "a click only goes there");
    assert!(row(&mut desk) > 0);
    mouse(&mut desk, MouseEventKind::Down(left), 4);
    mouse(&mut desk, MouseEventKind::Drag(left), 9);
    mouse(&mut desk, MouseEventKind::Up(left), 9);
    let width = volume(&mut desk).width;
    let Some((Some(from), Some(to))) = desk.app.cx.shared.sieve().window() else { panic!() };
    assert_eq!(to - from + 1, 6 * width);
}

#[test]
fn marks_are_set_listed_and_used_as_times() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("@06:50«enter»");
    let place = row(&mut desk);
    assert!(place > 0);
    desk.keys("msecond try«enter»«home»m«enter»'");
    let screen = desk.screen();
    assert!(screen.contains("second try") && screen.contains("mark 2"), "{screen}");
    desk.keys("«down»«enter»");
    assert_eq!(row(&mut desk), place);
    desk.keys("stime > mark \"second try\"«enter»");
    assert!(desk.left() > 0 && desk.left() < 3_000 - place);
    desk.keys("u'-");
    assert_eq!(desk.app.cx.shared.marks.len(), 1);
    desk.keys("«esc»@nonsense«enter»");
    assert!(desk.screen().contains("is no time"));
}

#[test]
fn times_are_shown_in_one_zone_or_as_written() {
    let (mut desk, _folder, _) =
        on_lines("{\"time\":\"2026-03-14T07:41:02+01:00\",\"level\":\"info\",\"msg\":\"x\"}\n");
    assert!(desk.screen().contains("06:41:02.000"));
    desk.keys("Z");
    if desk.app.cx.shared.clock.times == Times::Zone {
        desk.keys("Z");
    }
    assert_eq!(desk.app.cx.shared.clock.times, Times::Written);
    let screen = desk.screen();
    assert!(screen.contains("07:41:02.000") && screen.contains("as written"), "{screen}");
    desk.keys("Z");
    assert!(desk.screen().contains("times in UTC"));
}

#[test]
fn a_program_that_starts_again_is_set_apart() {
    let line = |second: u8, text: &str| {
        format!(
            "{{\"time\":\"2026-03-14T06:41:{second:02}Z\",\"level\":\"info\",\"msg\":\"{text}\"}}\n"
        )
    };
    let text = [
        line(1, "hold requested"),
        line(2, "starting booking 2.14.0"),
        line(3, "listening on 8080"),
        line(4, "hold requested"),
    ];
    let (mut desk, _folder, _) = on_lines(&text.concat());
    let screen = desk.screen();
    assert_eq!(screen.matches("a starts").count(), 1, "{screen}");
    let (mut desk, folder, _) = on_lines("");
    let csv = "time,level,message\n2026-03-14 06:41:01,info,one\ntime,level,message\n2026-03-14 06:41:02,info,two\n";
    std::fs::write(folder.path().join("b.csv"), csv).unwrap();
    desk = TestDesk::on(&[folder.path().to_owned()], (120, 30), desk.app.cx.shared.theme.clone());
    let screen = desk.screen();
    assert_eq!(screen.matches("b starts").count(), 1, "{screen}");
}

#[test]
fn runs_are_gone_through_and_the_latest_alone_is_shown() {
    let mut desk = TestDesk::open((120, 30));
    desk.keys("ssource = booking«enter»«home»p");
    assert_eq!(desk.message(), "booking: run 2");
    assert_eq!(desk.selected(), "starting booking 4.7.1");
    let screen = desk.keys("«up»").screen();
    let told = "booking starts: run 2, version 4.7.1, after 21.000 s";
    assert!(screen.contains(told), "{screen}");
    desk.keys("«home»P");
    assert_eq!(desk.message(), "no program starts before this entry");
    let all = desk.left();
    desk.keys("L");
    let meshes = desk.meshes();
    assert!(meshes.iter().any(|mesh| mesh == "run = latest"), "{meshes:?}");
    assert!(desk.left() < all / 2, "{} of {all}", desk.left());
    assert_eq!(desk.keys("«home»").selected(), "starting booking 4.7.1");
    desk.keys("L");
    assert_eq!(desk.left(), all);
    // Its first entry may be held back.
    desk.keys("slevel >= warn«enter»");
    let screen = desk.keys("«end»").screen();
    assert!(screen.contains("booking starts: run 2"), "{screen}");
}

#[test]
fn one_half_of_an_exchange_leads_to_the_other() {
    let lines = [
        "2026-03-14 06:41:02.118 INFO [http-3] --> POST /crossings/112/seats",
        "2026-03-14 06:41:02.130 INFO [http-4] --> GET /crossings/9",
        "2026-03-14 06:41:02.340 INFO [http-3] <-- 504 Gateway Timeout (222 ms)",
    ];
    let (mut desk, _folder, _) = on_lines(&format!("{}\n", lines.join("\n")));
    desk.keys("«home»J");
    assert_eq!(desk.selected(), "<-- 504 Gateway Timeout (222 ms)");
    let screen = desk.keys("«enter»").screen();
    assert!(screen.contains("J  answers 222 ms after POST"), "{screen}");
    let screen = desk.keys("J").screen();
    assert!(
        screen.contains("answered 504 after 222 ms") && screen.contains("504  joined"),
        "{screen}"
    );
    desk.keys("«esc»«home»«down»J");
    assert_eq!(
        desk.message(),
        "this entry is no half of an exchange, and no other source tells of the same request"
    );
}

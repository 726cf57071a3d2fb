//! Terminals of any size, pastes of any length, text of any width.

use crate::{
    present::cells,
    settings::{NAME, Palette},
    tui::{
        app::Event,
        testing::{TestDesk, on_lines},
        theme::Theme,
    },
};

/// Wide, combining and joined characters, and what is written from right to left.
const CLUSTERS: [&str; 6] =
    ["座席の予約", "👩‍💻👨‍👩‍👧", "e\u{301}o\u{302}\u{323}", "🇪🇺🇮🇹", "مقعد", "ｆｕｌｌ"];

fn clusters() -> String {
    let line = |at: usize| {
        let text = CLUSTERS[at % CLUSTERS.len()].repeat(1 + at % 9);
        let pad = "x".repeat(at % 5);
        format!(
            "{{\"time\":\"2026-03-14T06:{:02}:02Z\",\"level\":\"warn\",\"logger\":\"{text}\",\"msg\":\"{pad}{text} {text}\",\
             \"seat\":\"{text}\",\"request_id\":\"{at:08x}\"}}\n",
            at % 60
        )
    };
    (0..60).map(line).collect()
}

/// No row is wider than the screen, and no wide character is cut by its edge.
fn check(desk: &mut TestDesk, name: &str) {
    let buffer = desk.buffer().clone();
    let width = usize::from(buffer.area.width);
    for row in buffer.content.chunks(width.max(1)) {
        let mut at = 0;
        while at < row.len() {
            let wide = cells(row[at].symbol()).max(1);
            assert!(at + wide <= width, "{:?} is cut at the edge: {name}", row[at].symbol());
            at += wide;
        }
    }
}

#[test]
fn wide_and_joined_characters_stand_at_every_edge() {
    let (mut desk, ..) = on_lines(&clusters());
    for keys in ["", "«enter»", "|", "f", "«esc»«esc»+seat«enter»", "i", "qt", "q?", "q:", "«esc»s"]
    {
        desk.keys(keys);
        for width in (60..76).chain([100, 121, 160]) {
            desk.host.size = (width, 24);
            desk.settle();
            check(&mut desk, &format!("{keys} at {width}"));
        }
    }
    for text in CLUSTERS {
        desk.event(Event::Paste(text.repeat(30)));
        check(&mut desk, text);
        desk.keys("«left»«back»«home»«right»«del»«end»");
        check(&mut desk, text);
    }
}

#[test]
fn a_paste_of_a_megabyte_is_cut_and_told() {
    let mut desk = TestDesk::open((100, 30));
    let megabyte = "seat hold 座席\n".repeat(90_000);
    assert!(megabyte.len() > 1 << 20);
    for keys in ["", "s", "«esc»:", "«esc»S", "«esc»/"] {
        desk.keys(keys).event(Event::Paste(megabyte.clone()));
        check(&mut desk, keys);
    }
    assert!(desk.message().contains("too long"), "{}", desk.message());
    assert!(desk.app.prompt().is_some_and(|text| text.len() <= 16 << 10));
    desk.keys("«esc»");
    assert_eq!((desk.left(), desk.app.top()), (3_000, "desk"));
}

#[test]
fn a_terminal_is_resized_a_hundred_times_while_keys_come() {
    let mut desk = TestDesk::open((160, 47));
    let keys = [
        "j",
        "«enter»",
        "«tab»",
        "|",
        "f",
        "«esc»",
        ",",
        "+took«enter»",
        "d",
        "«right»",
        "q",
        "?",
        "q",
        "i",
        "q",
        ":x«esc»",
    ];
    for at in 0_u16..100 {
        desk.host.size = (1 + at * 397 % 400, 1 + at * 71 % 120);
        desk.event(Event::Resize).keys(keys[usize::from(at) % keys.len()]);
        let size = desk.host.size;
        let buffer = desk.buffer();
        assert_eq!((buffer.area.width, buffer.area.height), size);
    }
    desk.host.size = (160, 47);
    desk.settle();
    assert!(desk.screen().contains("cribrum"));
}

#[test]
fn settings_that_are_broken_when_they_are_read_again_are_told() {
    for broken in ["[[layout]\n", "sieve = 7\n", "\u{0}"] {
        let (mut desk, folder, _) = on_lines("B4~2026-03-14 06:41:02~warn~mooring strained\n");
        std::fs::write(folder.path().join(NAME), broken).unwrap();
        desk.keys("ie")
            .keys(&"«back»".repeat("{message}".len()))
            .keys("{berth}~{time}~{level}~{message}«enter»");
        let screen = desk.screen();
        assert!(desk.message().contains(NAME), "{broken:?}: {}\n{screen}", desk.message());
        let now = std::fs::read_to_string(folder.path().join(NAME)).unwrap();
        assert!(now.starts_with(broken), "what a person has written stays: {now}");
        assert!(screen.contains("understood"), "{screen}");
    }
    // A folder in the place of the user's settings.
    let mut desk = TestDesk::on(
        &[crate::tui::testing::morning().clone()],
        (100, 30),
        Theme::of(Some(Palette::Plain), true),
    );
    std::fs::create_dir_all(desk.home.path().join("config").join(NAME)).unwrap();
    desk.keys("slevel >= error«enter»Serrors«enter»");
    assert!(desk.message().contains("can't write"), "{}", desk.message());
}

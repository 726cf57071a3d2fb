//! The plate as a conversation.

use crate::{
    settings::Palette,
    tui::{
        app::Event,
        testing::{Opened, TestDesk, on_lines},
        theme::Theme,
    },
};

fn figure(screen: &str) -> String {
    screen.lines().nth(2).unwrap().to_owned()
}

#[test]
fn a_column_is_read_with_the_cursor_and_the_sieve_is_followed() {
    let mut desk = TestDesk::open((160, 47));
    let screen = desk.keys("d").screen();
    assert!(screen.contains("3\u{2009}000 entries · a column is 1 min"), "{screen}");
    let highest = figure(&desk.keys("«right»").screen());
    assert!(highest.contains(" … ") && highest.contains(" info"), "{highest}");
    let entries = |line: &str| -> usize {
        let number = line.split("entries").next().unwrap().split("   ").nth(1).unwrap();
        number.chars().filter(char::is_ascii_digit).collect::<String>().parse().unwrap()
    };
    let next = figure(&desk.keys("«right»").screen());
    assert!(entries(&next) <= entries(&highest), "{next}\n{highest}");
    assert!(figure(&desk.keys("«esc»").screen()).contains("a column is"));
    // Only errors, and all of them again.
    desk.keys("e");
    let left = desk.left();
    let screen = desk.screen();
    assert!(left < 200 && screen.contains(&format!("{left} entries · a column is")), "{screen}");
    desk.keys("e");
    assert_eq!(desk.left(), 3_000);
    assert_eq!(desk.keys("«esc»").app.top(), "desk");
}

#[test]
fn the_cursor_stays_in_the_chart_when_the_terminal_changes_its_size() {
    for kind in ["", "otook over time«enter»", "ohow took is«enter»", "op95 of took by«enter»"]
    {
        let mut desk = TestDesk::open((200, 50));
        desk.keys(&format!("d{kind}«right»"));
        desk.keys(&"«right»".repeat(200));
        let wide = figure(&desk.screen());
        for size in [(80, 24), (20, 8), (1, 1), (200, 50)] {
            desk.host.size = size;
            desk.event(Event::Resize).frame();
        }
        let narrow = figure(&desk.screen());
        assert!(!wide.trim().is_empty() && !narrow.contains("a column is"), "{wide}\n{narrow}");
    }
}

#[test]
fn a_window_is_cut_and_its_entries_are_opened() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys("d=");
    assert_eq!(desk.message(), "← → put the cursor on a column first");
    desk.keys("«right»b«right»«right»=");
    assert_eq!(desk.meshes().len(), 1);
    assert!(desk.meshes()[0].starts_with("time in "), "{:?}", desk.meshes());
    let cut = desk.left();
    assert!(cut > 0 && cut < 1_000, "{cut}");
    desk.keys("u«right»«enter»");
    assert_eq!(desk.app.top(), "desk");
    assert!(desk.left() > 0 && desk.left() < 3_000);
}

#[test]
fn each_chart_is_drawn_of_what_there_is() {
    for (size, theme) in [
        ((160, 47), Theme::of(Some(Palette::Dusk), true)),
        ((80, 24), Theme::of(Some(Palette::Chalk), true)),
        ((80, 24), Theme::of(None, false)),
    ] {
        let mut desk = TestDesk::with(Opened { size, theme, ..Opened::default() });
        desk.keys("d");
        for (key, title, says) in [
            ("took over time", "took over time", "p95"),
            ("how took is", "how took is distributed", "axis; y changes it"),
            ("took against", "took against time", "many"),
            ("by source", "entries over time by source", "gate"),
            ("by status", "entries over time by status", "504"),
            ("entries by path", "entries by path", "/crossings/{n}"),
            ("p95 of took by", "p95 of took by path", "8.2"),
            ("entries by kind", "entries by kind", "hold placed"),
            ("share of all", "share of all entries", "100"),
        ] {
            // The list may be longer than the screen: what is typed finds a row.
            let screen = desk.keys(&format!("o{key}«enter»")).screen();
            assert!(
                screen.contains(title) && screen.contains(says),
                "{title} at {size:?}: {screen}"
            );
            let read = desk.keys("«right»").screen();
            assert_ne!(figure(&read), figure(&screen), "{title}: a place is read");
            desk.keys("«esc»");
        }
    }
}

#[test]
fn what_is_typed_is_drawn_and_what_is_not_there_is_told() {
    let mut desk = TestDesk::open((120, 40));
    let screen = desk.keys("dolevel over«back»«enter»").screen();
    assert!(screen.contains("by level"), "{screen}");
    let screen = desk.keys("onobody«enter»").screen();
    assert!(
        screen.contains("None of the 3\u{2009}000 entries has nobody; o draws something else."),
        "{screen}"
    );
    desk.keys("«esc»");
    // Two windows from the compare screen, laid over each other.
    desk.keys("@06:38«enter»m«enter»@06:48«enter»m«enter»Cd");
    let screen = desk.screen();
    assert!(screen.contains("two windows laid over each other"), "{screen}");
    assert!(
        screen.contains("between the marks") && screen.contains("the rest of the time"),
        "{screen}"
    );
    // From the tally, what it shows.
    let screen = desk.keys("«esc»«esc»cpd").screen();
    assert!(screen.contains("p95 of took by path"), "{screen}");
}

#[test]
fn a_plate_is_saved_in_each_form() {
    let home = tempfile::tempdir().unwrap();
    let mut desk = TestDesk::open((120, 40));
    for name in ["errors.pdf", "errors.svg", "errors.csv"] {
        let path = home.path().join(name);
        desk.keys("ded");
        for _ in "volume.pdf".chars() {
            desk.keys("«back»");
        }
        desk.keys(&format!("{}«enter»", path.display()));
        desk.wait_for_message("saved");
        let bytes = std::fs::read(&path).unwrap();
        match name {
            "errors.pdf" => assert!(bytes.starts_with(b"%PDF-")),
            "errors.svg" => {
                let text = String::from_utf8(bytes).unwrap();
                assert!(
                    text.contains("Entries over time by level") && text.contains("level ≥ error"),
                    "{text}"
                );
            }
            _ => {
                let text = String::from_utf8(bytes).unwrap();
                assert!(text.starts_with("time,error,fatal\n2026-03-14T06:"), "{text}");
            }
        }
        desk.keys("e«esc»");
    }
}

#[test]
fn levels_are_told_apart_without_colours() {
    let theme = Theme::of(None, false);
    let mut desk = TestDesk::with(Opened { theme, size: (100, 30), ..Opened::default() });
    let screen = desk.keys("d").screen();
    let bars: String = screen.lines().skip(4).take(18).collect();
    assert!(bars.contains('-') && bars.contains(':') && bars.contains('+'), "{screen}");
    let mut desk = TestDesk::with(Opened {
        theme: Theme::of(Some(Palette::Plain), true),
        size: (100, 30),
        ..Opened::default()
    });
    assert!(desk.keys("d").screen().contains(['▁', '▂', '▃', '▅', '▆', '▇']));
}

#[test]
fn a_chart_grows_with_its_entries() {
    let line = |second: usize, level: &str| {
        format!("2026-03-14 06:41:{second:02},000 {level} [worker-1] harbour.berths - berth free\n")
    };
    let (mut desk, _folder, path) = on_lines(&(line(0, "INFO") + &line(20, "INFO")));
    let screen = desk.keys("d").screen();
    assert!(screen.contains("2 entries · a column is"), "{screen}");
    // Within the time there is, and beyond it.
    desk.append(&path, &line(20, "ERROR"));
    let screen = desk.screen();
    assert!(screen.contains("3 entries · a column is") && screen.contains("error"), "{screen}");
    desk.append(&path, &line(59, "WARN"));
    let screen = desk.screen();
    assert!(screen.contains("4 entries · a column is") && screen.contains("warn"), "{screen}");
    // Another chart of the same entries.
    desk.keys("oentries over time by log«enter»");
    let screen = desk.screen();
    assert!(screen.contains("harbour.berths"), "{screen}");
}

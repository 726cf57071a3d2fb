//! What people ask of their logs, answered by keys on the made-up morning.

use std::{fs, io::Write, os::unix::fs::PermissionsExt};

use crate::{morning::Morning, tmux::Terminal};

const LARGE: (u16, u16) = (160, 47);

/// The lines of a screen that are entries.
fn entries(screen: &str) -> Vec<&str> {
    let time = |line: &&str| {
        let text: Vec<char> = line.chars().skip(1).take(8).collect();
        text.len() == 8 && text[2] == ':' && text[5] == ':'
    };
    screen.lines().filter(time).collect()
}

#[test]
fn what_was_the_first_error() {
    let morning = Morning::write(3_000);
    let desk = Terminal::cribrum(morning.home.path(), LARGE, &morning.logs());
    desk.shows("3\u{2009}000");
    desk.press(&["s"]).enter("level >= error");
    let grave = |row: &&str| row.contains(" error ") || row.contains(" fatal ");
    let screen = desk.until("errors only", |screen| {
        let rows = entries(screen);
        rows.len() > 20 && rows.iter().all(grave)
    });
    assert!(screen.contains("▸06:"), "the cursor is on the first\n{screen}");
    // Warnings and up: one key less grave.
    desk.press(&["<"]);
    desk.until("warnings too", |s| entries(s).iter().any(|row| row.contains(" warn ")));
}

#[test]
fn what_was_written_after_a_click() {
    let morning = Morning::write(500);
    let home = morning.home.path();
    let log = home.join("live.log");
    fs::write(&log, "2026-03-14 06:41:02 INFO web: old before\n").unwrap();
    let desk = Terminal::cribrum(home, LARGE, &log.display().to_string());
    desk.shows("old before");
    desk.press(&["w"]);
    desk.until("a clean view", |screen| {
        screen.contains("swept at") && !screen.contains("old before")
    });
    let mut file = fs::OpenOptions::new().append(true).open(&log).unwrap();
    file.write_all(b"2026-03-14 06:41:09 WARN web: clicked\n").unwrap();
    desk.until("the click alone", |s| entries(s).len() == 1 && s.contains("clicked"));
}

#[test]
fn which_were_the_slowest() {
    let morning = Morning::write(3_000);
    let desk = Terminal::cribrum(morning.home.path(), LARGE, &morning.logs());
    desk.shows("3\u{2009}000");
    desk.press(&["s"]).enter("source = fares and has took");
    desk.shows("has took");
    desk.press(&["+"]).enter("took");
    desk.shows("─took");
    desk.press(&[","]);
    let took = |row: &&str| -> Option<u32> {
        let text = row.split_whitespace().find(|word| word.ends_with("ms"))?;
        text.trim_end_matches("ms").parse().ok()
    };
    desk.until("the slowest first", |screen| {
        let values: Vec<u32> = entries(screen).iter().filter_map(took).collect();
        let ordered = values.len() > 20 && values.is_sorted_by(|a, b| a >= b);
        ordered && values[0] > *values.last().unwrap_or(&0) || values.first() == Some(&209)
    });
    desk.until("the order in the masthead", |screen| {
        screen.lines().next().is_some_and(|line| line.contains("by took, largest first"))
    });
}

#[test]
fn where_in_the_code_was_it() {
    let morning = Morning::write(3_000);
    let home = morning.home.path();
    let (opened, editor) = (home.join("opened"), home.join("editor"));
    fs::write(&editor, format!("#!/bin/sh\necho \"$@\" >> {}\n", opened.display())).unwrap();
    fs::set_permissions(&editor, fs::Permissions::from_mode(0o755)).unwrap();
    let code = home.join("code/payments/src");
    fs::create_dir_all(&code).unwrap();
    fs::write(code.join("acquirer.rs"), "").unwrap();
    fs::write(code.join("payments.rs"), "").unwrap();
    fs::create_dir_all(home.join(".config/cribrum")).unwrap();
    let roots = format!("[code]\nroots = [{:?}]\n", home.join("code"));
    fs::write(home.join(".config/cribrum/cribrum.toml"), roots).unwrap();
    let command = format!(
        "VISUAL={} exec {} {}",
        editor.display(),
        env!("CARGO_BIN_EXE_cribrum"),
        morning.logs()
    );
    let desk = Terminal::run(home, LARGE, &command);
    desk.shows("3\u{2009}000");
    desk.press(&["s"]).enter("\"no answer after\"");
    desk.shows("AcquirerTimeout");
    desk.press(&["e"]);
    desk.shows("editor has had");
    // The frame under the cursor of the trace.
    desk.press(&["Enter", "Tab"]);
    desk.shows("Caused by");
    for _ in 0..4 {
        desk.press(&["Down"]);
    }
    desk.press(&["e"]);
    desk.until("the second file", |_| {
        fs::read_to_string(&opened).is_ok_and(|text| text.lines().count() == 2)
    });
    let told = fs::read_to_string(&opened).unwrap();
    let want = [
        format!("+204 {}/acquirer.rs", code.display()),
        format!("+88 {}/payments.rs", code.display()),
    ];
    assert_eq!(told.lines().collect::<Vec<_>>(), want);
    // The screen is whole again.
    desk.until("the desk", |screen| {
        screen.contains("poured in") && screen.contains("at Payments.settle")
    });
    // One value alone, for a colleague.
    desk.press(&["Y"]);
    desk.shows("the value is copied");
    assert_eq!(desk.clipboard(), "at Payments.settle (payments:88)");
    desk.press(&["q"]);
    desk.ended();
}

#[test]
fn an_action_is_found_by_its_words() {
    let morning = Morning::write(500);
    let desk = Terminal::cribrum(morning.home.path(), (80, 24), &morning.logs());
    desk.shows("of 500");
    desk.press(&[":"]).type_in("teach");
    desk.shows("teach a layout over the lines shown");
    desk.press(&["Enter"]);
    desk.shows("template ");
    desk.press(&["Escape"]);
    desk.until("the intake", |screen| {
        screen.contains("understood") && !screen.contains("template ")
    });
    desk.press(&["?"]);
    desk.shows("teach a layout");
    desk.press(&["q", "q", "q"]);
    desk.ended();
}

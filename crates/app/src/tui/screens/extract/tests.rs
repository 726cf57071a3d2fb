//! Extracting from each view.

use std::fs;

use crate::tui::testing::{TestDesk, on_lines};

/// The views of the demo: the keys that open them, what the extract is called, and how many rows it has.
const VIEWS: [(&str, &str, &str); 7] = [
    ("", "entries", "3\u{2009}000 entries"),
    ("sid = 7f3a9c21e0b4d86f«enter»«enter»", "entry", "1 entry"),
    ("sid = 7f3a9c21e0b4d86f«enter»t", "trail", " entries"),
    ("c", "tally", "8 groups"),
    ("K", "kinds", " kinds"),
    ("r", "requests", " requests"),
    ("@06:38«enter»m«enter»@06:48«enter»m«enter»C", "compare", " differences"),
];

#[test]
fn each_view_is_two_keys_away_from_a_file() {
    for (keys, name, rows) in VIEWS {
        let mut desk = TestDesk::open((160, 47));
        let screen = desk.keys(keys).keys("x").screen();
        let shows = |text: &str| screen.contains(text);
        assert!(shows(&format!("{name}.txt")) && shows(rows) && shows("▸ text"), "{screen}");
        // The first lines are as they will be.
        let rule = screen.lines().position(|line| line.starts_with('─')).unwrap();
        let first = screen.lines().nth(rule + 1).unwrap().trim().trim_end_matches('…').to_owned();
        desk.keys("«enter»");
        desk.wait_for_message(&format!("saved {name}.txt"));
        let file = fs::read_to_string(desk.home.path().join(format!("{name}.txt"))).unwrap();
        assert!(first.len() > 20 && file.trim_start().starts_with(&first), "{name}: {first}");
        assert_ne!(desk.app.top(), "extract", "{name}: it closes");
    }
}

/// What a form of the extract of a view is, by how often → is pressed.
fn extracted(desk: &mut TestDesk, keys: &str, forms: usize, file: &str) -> String {
    desk.keys(keys).keys("x").keys(&"«right»".repeat(forms)).keys("«enter»");
    desk.wait_for_message(&format!("saved {file}"));
    let text = fs::read_to_string(desk.home.path().join(file)).unwrap();
    fs::remove_file(desk.home.path().join(file)).unwrap();
    text
}

/// A value as a line of CSV has it.
fn text(value: &serde_json::Value) -> String {
    match value {
        serde_json::Value::Null => String::new(),
        // What a spreadsheet would compute.
        serde_json::Value::String(text) if text.starts_with(['=', '+', '-', '@']) => {
            format!("'{text}")
        }
        serde_json::Value::String(text) => text.clone(),
        serde_json::Value::Array(items) => items.iter().map(text).collect::<Vec<_>>().join(" "),
        other => other.to_string(),
    }
}

#[test]
fn all_forms_say_the_same() {
    for (keys, name, _) in &VIEWS[3..] {
        let mut desk = TestDesk::open((160, 47));
        desk.keys(keys);
        let objects: Vec<serde_json::Value> = extracted(&mut desk, "", 2, &format!("{name}.jsonl"))
            .lines()
            .map(|line| serde_json::from_str(line).unwrap())
            .collect();
        for (forms, ending, between) in [(3, "csv", b','), (4, "tsv", b'\t')] {
            let table = extracted(&mut desk, "", forms, &format!("{name}.{ending}"));
            let mut table =
                csv::ReaderBuilder::new().delimiter(between).from_reader(table.as_bytes());
            let names = table.headers().unwrap().clone();
            let rows: Vec<csv::StringRecord> = table.records().map(Result::unwrap).collect();
            assert_eq!(rows.len(), objects.len(), "{name}.{ending}");
            for (row, object) in rows.iter().zip(&objects) {
                for (member, cell) in names.iter().zip(row) {
                    assert_eq!(cell, text(&object[member]), "{name}.{ending}: {member}");
                }
            }
        }
        let table = extracted(&mut desk, "", 1, &format!("{name}.md"));
        assert!(table.starts_with("| ") && table.contains("---"), "{table}");
        let pairs = extracted(&mut desk, "", 5, &format!("{name}.txt"));
        assert_eq!(pairs.lines().count(), objects.len(), "{name}: {pairs}");
    }
}

#[test]
fn order_words_and_sieve_are_those_of_the_screen() {
    let mut desk = TestDesk::open((160, 47));
    let csv = extracted(&mut desk, "slevel >= warn«enter»c/seats«enter»,,", 3, "tally.csv");
    let rows: Vec<&str> = csv.lines().collect();
    assert!(rows.len() == 2 && rows[1].starts_with("/crossings/{n}/seats,"), "{csv}");
    // A column that was added is there, and the entries are in the order of one.
    let mut desk = TestDesk::open((160, 47));
    let csv = extracted(&mut desk, "sstatus >= 504«enter»", 4, "entries.csv");
    let mut table = csv::Reader::from_reader(csv.as_bytes());
    let names: Vec<String> = table.headers().unwrap().iter().map(str::to_owned).collect();
    assert_eq!((names[0].as_str(), names[1].as_str()), ("time", "level"), "{names:?}");
    assert!(names.ends_with(&["message".into(), "ids".into(), "fields".into()]), "{names:?}");
    let fields = names.len() - 1;
    for row in table.records() {
        let row = row.unwrap();
        let fields: serde_json::Value = serde_json::from_str(&row[fields]).unwrap();
        assert_eq!(fields["status"], 504, "{row:?}");
    }
}

/// Entries of a person with a mail address and a password.
fn people(count: usize) -> String {
    let line = |at: usize| {
        format!(
            "{{\"time\":\"2026-03-14T06:41:{:02}Z\",\"msg\":\"signed in\",\"email\":\"ada{at}@harbour.example.test\",\"password\":\"Gertrude1987\"}}\n",
            at % 60
        )
    };
    (0..count).map(line).collect()
}

#[test]
fn personal_data_leaves_only_where_that_is_said_and_secrets_never() {
    let (mut desk, _folder, _) = on_lines(&people(3));
    let screen = desk.keys("x").screen();
    assert!(screen.contains("3 email") && screen.contains("3 password"), "{screen}");
    assert!(screen.contains("personal data are hidden") && !screen.contains("ada1@"), "{screen}");
    let screen = desk.keys("p").screen();
    assert!(screen.contains("3 password") && !screen.contains("3 email"), "{screen}");
    assert!(screen.contains("ada1@harbour.example.test"), "{screen}");
    desk.keys("«enter»");
    desk.wait_for_message("saved entries.txt");
    let file = fs::read_to_string(desk.home.path().join("entries.txt")).unwrap();
    assert!(file.contains("ada2@harbour") && !file.contains("Gertrude"), "{file}");
    let shared = extracted(&mut desk, "", 3, "entries.jsonl");
    assert!(!shared.contains("ada2@harbour") && !shared.contains("Gertrude"), "{shared}");
    // What is on the clipboard is what the file has.
    desk.keys("x«right»«right»«right»y");
    assert_eq!(desk.host.copied.last().unwrap(), &shared);
}

#[test]
fn what_does_not_fit_on_the_clipboard_is_told() {
    let (mut desk, _folder, _) = on_lines(&people(2_000));
    desk.keys("xy");
    assert!(desk.message().contains("lines of 2\u{2009}000 entries"), "{}", desk.message());
    let copied = desk.host.copied.last().unwrap();
    assert!(copied.len() < 75_000 && copied.ends_with('\n'), "{}", copied.len());
}

#[test]
fn no_file_is_replaced_unasked() {
    let (mut desk, _folder, _) = on_lines(&people(2));
    let home = desk.home.path().to_owned();
    fs::write(home.join("entries.txt"), "mine").unwrap();
    desk.keys("x«enter»");
    desk.wait_for_message("saved entries-2.txt");
    assert_eq!(fs::read_to_string(home.join("entries.txt")).unwrap(), "mine");
    desk.keys("xo«enter»");
    desk.wait_for_message("entries.txt exists; the same name once more replaces it");
    assert_eq!(fs::read_to_string(home.join("entries.txt")).unwrap(), "mine");
    desk.keys("o«enter»");
    desk.wait_for_message("saved entries.txt");
    assert!(fs::read_to_string(home.join("entries.txt")).unwrap().contains("signed in"));
    desk.keys("«esc»?x");
    assert_eq!(desk.message(), "there is nothing here to extract yet");
}

#[test]
fn the_row_under_the_cursor_is_copied() {
    for (keys, want) in [
        ("c", "path=/crossings/{n} count=190"),
        ("K", "count="),
        ("r", " kind=request_id start=2026-03-14T06:39:33.401Z duration=8.214"),
        (
            "@06:38«enter»m«enter»@06:48«enter»m«enter»C",
            "change=more of=level what=error level=error from_count=",
        ),
    ] {
        let mut desk = TestDesk::open((160, 47));
        desk.keys(keys).keys("y");
        assert_eq!(desk.message(), "the row is copied, secrets hidden");
        let copied = desk.host.copied.last().unwrap();
        assert!(copied.contains(want) && copied.lines().count() == 1, "{keys}: {copied}");
    }
}

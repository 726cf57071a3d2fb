//! What is counted and measured, held against what was written.

use std::{collections::BTreeMap, fs};

use serde_json::Value;

use crate::{
    morning::{Morning, json_lines},
    tmux::Terminal,
    told,
};

/// A line of the gate's log: its path without numbers, its status, and how long it took.
fn of_gate(line: &str) -> (String, u16, Option<f64>) {
    let request = line.split('"').nth(1).unwrap();
    let path = request.split(' ').nth(1).unwrap().split('?').next().unwrap();
    let parts = path.split('/').map(|part| match part.parse::<u32>() {
        Ok(_) => "{n}",
        Err(_) => part,
    });
    let path = parts.collect::<Vec<_>>().join("/");
    let status = line.split('"').nth(2).unwrap().trim().split(' ').next().unwrap();
    let took = line.split("took=").nth(1).map(|text| text.trim_end_matches('s').parse().unwrap());
    (path, status.parse().unwrap(), took)
}

#[test]
fn the_figures_are_those_of_the_log() {
    let morning = Morning::write(20_000);
    let home = morning.home.path();
    let gate = morning.path("logs").join("gate.log");
    let mut want: BTreeMap<String, (u64, u64, Vec<f64>)> = BTreeMap::new();
    for line in fs::read_to_string(&gate).unwrap().lines() {
        let (path, status, took) = of_gate(line);
        let group = want.entry(path).or_default();
        group.0 += 1;
        group.1 += u64::from(status >= 500);
        group.2.extend(took);
    }
    let gate = gate.display().to_string();
    let arguments = ["tally", &gate, "--by", "path", "--of", "took", "--as", "jsonl"];
    let (code, out, _) = told(home, &arguments);
    assert_eq!(code, 0);
    morning.assert_clean("the tally", &out);
    let rows = json_lines(&out);
    assert_eq!(rows.len(), want.len());
    for row in &rows {
        let (count, errors, took) = &mut want.get_mut(row["path"].as_str().unwrap()).unwrap();
        assert_eq!((&row["count"], &row["errors"]), (&Value::from(*count), &Value::from(*errors)));
        assert_eq!(row["values"], took.len());
        took.sort_unstable_by(f64::total_cmp);
        for (name, share) in [("p50", 0.5), ("p95", 0.95), ("p99", 0.99), ("max", 1.0)] {
            let rank = ((took.len() as f64 * share).ceil() as usize).max(1);
            let (want, got) = (took[rank - 1], row[name].as_f64().unwrap());
            assert!((got - want).abs() <= 0.01 * want, "{name}: {got} for {want} in {row}");
        }
    }
    let counts: Vec<u64> = rows.iter().map(|row| row["count"].as_u64().unwrap()).collect();
    assert!(counts.is_sorted_by(|one, other| one >= other), "the largest first: {counts:?}");
    // Slices of time and levels, over all sources, against the record of the morning.
    let mut want: BTreeMap<(String, String), u64> = BTreeMap::new();
    for entry in morning.record() {
        let time = entry["time"].as_str().unwrap();
        let level = entry["level"].as_str().unwrap_or_default();
        *want.entry((format!("{}:00Z", time.get(..16).unwrap()), level.to_owned())).or_default() +=
            1;
    }
    let (_, out, _) = told(home, &["tally", &morning.logs(), "--by", "1min,level", "--as", "csv"]);
    let mut lines = out.lines();
    assert_eq!(lines.next(), Some("1min,level,count,share,errors,per_minute,first,last"));
    let mut got: BTreeMap<(String, String), u64> = BTreeMap::new();
    for line in lines {
        let cells: Vec<&str> = line.split(',').collect();
        got.insert((cells[0].to_owned(), cells[1].to_owned()), cells[2].parse().unwrap());
    }
    assert_eq!(got, want);
}

#[test]
fn what_is_asked_wrongly_or_for_nothing_is_told() {
    let morning = Morning::write(2_000);
    let home = morning.home.path();
    let logs = morning.logs();
    for (arguments, code, message) in [
        (&["--by", "pth"][..], 1, "has pth; did you mean path?"),
        (&["--by", "time"], 2, "length of a slice of time: 10s, 5min, 1h"),
        (&["--by", "a,b,c,d"], 2, "three things at most"),
        (&["--of", "level"], 2, "is no number"),
        (&["--by", "path", "--sort", "p95"], 2, "say what is measured, as in --of took"),
        (&["--by", "path", "-w", "took > 1h"], 1, "no entry is left to count"),
        (&["--by", "path:tidy"], 1, "whole, template, class, family and crawler"),
        (
            &["--by", "source", "--at-least", "100000"],
            1,
            "no group has at least 100\u{2009}000 entries",
        ),
        (&["--by", "source", "--at-least", "300"], 0, "fewer than 300 entries"),
        (&["--by", "source", "--of", "user_agent"], 0, "left out, not read as a number, such as"),
    ] {
        let (got, _, told) = told(home, &[&["tally", &logs][..], arguments].concat());
        let message = message.replace("three", "3");
        assert!(got == code && told.contains(&message), "{arguments:?}: {got} {told}");
    }
    let (_, table, _) = told(home, &["tally", &logs, "--by", "level", "--as", "markdown"]);
    assert!(table.starts_with("| count | share |") && table.contains("| ---: | ---: |"), "{table}");
    let (_, text, rest) = told(home, &["tally", &logs, "--by", "kind", "--top", "3"]);
    assert!(text.contains("the other ") && text.lines().count() == 7, "{text}{rest}");
}

#[test]
fn the_mornings_questions_are_answered_in_a_few_keys() {
    let morning = Morning::write(20_000);
    let desk = Terminal::cribrum(morning.home.path(), (160, 47), &morning.logs());
    desk.shows("20\u{2009}000");
    // Which paths fail, and which are slow: one key, and one more to have them first.
    desk.press(&["c"]);
    let first = |screen: &str| screen.lines().find(|line| line.starts_with('▸')).map(str::to_owned);
    let at_first = |screen: &str, text: &str| first(screen).is_some_and(|line| line.contains(text));
    desk.until("the paths", |screen| screen.contains("/crossings/{n}/seats"));
    desk.press(&["e"]);
    let failing =
        desk.until("errors", |s| s.contains("errors ↓") && at_first(s, "/crossings/{n}/seats"));
    desk.press(&["p"]);
    let slow = desk.until("p95", |s| s.contains("p95 ↓") && at_first(s, "8.2"));
    for screen in [&failing, &slow] {
        morning.assert_clean("the tally", screen);
    }
    // Its entries, and the way back.
    desk.press(&["Enter"]);
    desk.until("the entries", |s| s.contains("path ~") && s.contains("POST /crossings/"));
    desk.press(&["u"]);
    desk.until("all again", |s| !s.contains("path ~"));
    // The slowest of a path leads to its trail.
    desk.press(&["c"]);
    desk.until("the tally", |s| s.contains("p95") && first(s).is_some());
    desk.press(&["p", "t"]);
    desk.shows("longer than usual");
}

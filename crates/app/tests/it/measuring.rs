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
    // The condition of each group, as it is typed, lets its entries through.
    let passing = |condition: &str| {
        let (_, raw, told) = told(home, &["sift", &gate, "-w", condition, "--as", "raw"]);
        assert!(told.is_empty() || raw.is_empty(), "{condition}: {told}");
        raw.lines().count() as u64
    };
    for row in &rows {
        let condition = format!("path:template = \"{}\"", row["path"].as_str().unwrap());
        assert_eq!(row["count"], passing(&condition), "{condition}");
    }
    for by in ["status:class", "user_agent:family", "user_agent:crawler"] {
        let (_, out, _) = told(home, &["tally", &gate, "--by", by, "--as", "jsonl"]);
        for row in json_lines(&out) {
            let named = row.get(by).or_else(|| row.get(by.split(':').next().unwrap()));
            let Some(text) = named.and_then(Value::as_str) else { continue };
            assert_eq!(row["count"], passing(&format!("{by} = \"{text}\"")), "{by}: {row}");
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
        (&["--by", "agent"], 1, "has agent; did you mean user_agent?"),
        (&["--by", "path", "-w", "path:template < a"], 2, "a template has no order"),
        (&["--by", "path", "-w", "path:template = /tides/{word}"], 1, "no entry is left"),
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
    assert!(
        table.starts_with("| entries | share |") && table.contains("| ---: | ---: |"),
        "{table}"
    );
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
    desk.until("the entries", |s| s.contains("path:template = ") && s.contains("POST /crossings/"));
    desk.press(&["u"]);
    desk.until("all again", |s| !s.contains("path:template"));
    // The slowest of a path leads to its trail.
    desk.press(&["c"]);
    desk.until("the tally", |s| s.contains("p95") && first(s).is_some());
    desk.press(&["p", "t"]);
    desk.shows("longer than usual");
}

/// What booking's log says in messages that hold no number: how often, and the first and the last time.
fn said(log: &str) -> BTreeMap<String, (u64, String, String)> {
    let mut said: BTreeMap<String, (u64, String, String)> = BTreeMap::new();
    for entry in log.lines().filter_map(|line| serde_json::from_str::<Value>(line).ok()) {
        let (Some(message), Some(time)) = (entry["msg"].as_str(), entry["time"].as_str()) else {
            continue;
        };
        if message.chars().all(|c| c.is_ascii_lowercase() || c == ' ') {
            let kind = said
                .entry(message.to_owned())
                .or_insert_with(|| (0, time.to_owned(), time.to_owned()));
            kind.0 += 1;
            kind.1 = kind.1.clone().min(time.to_owned());
            kind.2 = kind.2.clone().max(time.to_owned());
        }
    }
    said
}

#[test]
fn kinds_and_what_changed_are_those_of_the_log() {
    let morning = Morning::write(20_000);
    let home = morning.home.path();
    let log = morning.path("logs").join("booking.log");
    let want = said(&fs::read_to_string(&log).unwrap());
    assert!(want.len() >= 6, "{want:?}");
    let log = log.display().to_string();
    let (code, out, _) = told(home, &["kinds", &log, "--as", "jsonl"]);
    assert_eq!(code, 0);
    morning.assert_clean("the kinds", &out);
    let rows = json_lines(&out);
    for (kind, (count, first, last)) in &want {
        let row = rows
            .iter()
            .find(|row| row["kind"] == kind.as_str())
            .unwrap_or_else(|| panic!("{kind}"));
        assert_eq!(
            (&row["count"], row["first"].as_str()),
            (&Value::from(*count), Some(first.as_str())),
            "{kind}"
        );
        assert_eq!(row["last"].as_str(), Some(last.as_str()), "{kind}");
        // The condition that its text is lets through as many.
        let condition = format!("kind = \"{kind}\"");
        let (_, raw, _) = told(home, &["sift", &log, "-w", &condition, "--as", "raw"]);
        assert_eq!(raw.lines().count() as u64, *count, "{kind}");
    }
    // All of them together are all entries.
    let all: u64 = rows.iter().map(|row| row["count"].as_u64().unwrap()).sum();
    let (_, raw, _) = told(home, &["sift", &log, "--as", "jsonl"]);
    assert_eq!(all, raw.lines().count() as u64);
    // Two windows: each count is that of its window.
    let (_, out, _) = told(
        home,
        &[
            "compare",
            &log,
            "--from",
            "before 06:38",
            "--with",
            "after 06:38",
            "--all",
            "--as",
            "jsonl",
        ],
    );
    morning.assert_clean("the differences", &out);
    let rows = json_lines(&out);
    let text = fs::read_to_string(morning.path("logs").join("booking.log")).unwrap();
    let split = |before: bool| -> String {
        let side = text.lines().filter(|line| {
            let entry: Value = serde_json::from_str(line).unwrap_or_default();
            entry["time"].as_str().is_some_and(|time| (time < "2026-03-14T06:38:00") == before)
        });
        side.collect::<Vec<_>>().join("\n")
    };
    let (before, after) = (said(&split(true)), said(&split(false)));
    for kind in want.keys() {
        let row = rows.iter().find(|row| row["of"] == "kind" && row["what"] == kind.as_str());
        let row = row.unwrap_or_else(|| panic!("{kind}"));
        let of = |side: &BTreeMap<String, (u64, String, String)>| {
            side.get(kind).map_or(0, |kind| kind.0)
        };
        assert_eq!(
            (&row["from_count"], &row["with_count"]),
            (&of(&before).into(), &of(&after).into()),
            "{kind}"
        );
    }
}

#[test]
fn questions_about_kinds_differences_and_charts_are_told_when_they_are_wrong() {
    let morning = Morning::write(2_000);
    let home = morning.home.path();
    let logs = morning.logs();
    let plate = |name: &str| morning.path(name).display().to_string();
    let svg = plate("a.svg");
    for (arguments, code, message) in [
        (vec!["kinds", "--new-since", "noon"], 2, "`noon` is no time; write 06:38"),
        (
            vec!["kinds", "--values", "nobody says this"],
            1,
            "no kind has `nobody says this` in its words",
        ),
        (vec!["kinds", "--values", "hold"], 2, "write the whole kind, such as"),
        (vec!["kinds", "--new-since", "07:59:59.999"], 1, "is new since then"),
        (vec!["kinds", "-w", "took > 1h"], 1, "no entry is left to count"),
        (vec!["compare"], 2, "say what to compare: --from 'before 06:38'"),
        (vec!["compare", "--with", "before noon"], 2, "is no time"),
        (vec!["compare", "--with", "everything"], 2, "say both sides"),
        (
            vec!["compare", "--from", "05:00..05:10", "--with", "after 06:38"],
            1,
            "no entry is in `05:00..05:10`",
        ),
        (
            vec!["compare", "--from", "pan", "--with", "pan"],
            1,
            "nothing differs more than by chance",
        ),
        (
            vec!["draw", "groups", "--by", "nobody", "-o", &svg],
            1,
            "none of 2\u{2009}000 entries has nobody",
        ),
        (vec!["draw", "spread", "--of", "user_agent", "-o", &svg], 1, "has a value of user_agent"),
        (vec!["draw", "spread", "--of", "level", "-o", &svg], 2, "is no number"),
        (vec!["draw", "heat", "-o", "a.png"], 2, "ends in .svg, .pdf or .csv"),
    ] {
        let (first, rest) = arguments.split_at(if arguments[0] == "draw" { 2 } else { 1 });
        let (got, _, told) = told(home, &[first, &[logs.as_str()], rest].concat());
        assert!(got == code && told.contains(message), "{arguments:?}: {got} {told}");
    }
    // Every chart is written in every form, and no secret is in any.
    for chart in [
        vec!["volume"],
        vec!["groups", "--by", "source"],
        vec!["rate", "-l", "error"],
        vec!["quantiles"],
        vec!["spread", "--linear"],
        vec!["bars", "--by", "kind"],
        vec!["bars", "--by", "path", "--of", "took"],
        vec!["heat", "--log"],
        vec!["overlay", "--from", "06:00..06:30", "--with", "06:38..07:08"],
    ] {
        for (ending, begins) in [("svg", "<svg"), ("pdf", "%PDF-"), ("csv", "")] {
            let file = plate(&format!("plate.{ending}"));
            let palette = if ending == "pdf" { "dusk" } else { "chalk" };
            let arguments =
                [&["draw"][..], &chart, &[logs.as_str(), "-o", &file, "--palette", palette]]
                    .concat();
            let (code, _, told) = told(home, &arguments);
            assert_eq!(code, 0, "{arguments:?}: {told}");
            let bytes = fs::read(&file).unwrap();
            assert!(bytes.starts_with(begins.as_bytes()) && bytes.len() > 60, "{arguments:?}");
            morning.assert_clean("a plate", &String::from_utf8_lossy(&bytes));
        }
    }
    // The figures of all groups, not only of those that are drawn.
    let many = morning.path("many.log");
    let line = |n: usize| format!("2026-03-14T06:41:02Z INFO gate: boat {n} boat=b{}\n", n % 41);
    fs::write(&many, (0..410).map(line).collect::<String>()).unwrap();
    let file = plate("bars.csv");
    let many = many.display().to_string();
    assert_eq!(told(home, &["draw", "bars", "--by", "boat", &many, "-o", &file]).0, 0);
    let rows = fs::read_to_string(&file).unwrap();
    assert_eq!(rows.lines().count(), 42, "{rows}");
    let (_, table, _) = told(home, &["kinds", &logs, "--as", "markdown", "--top", "3"]);
    assert!(table.starts_with("| entries | share |") && table.lines().count() == 5, "{table}");
    let (_, values, _) = told(home, &["kinds", &logs, "--values", "wheelchair", "--as", "csv"]);
    assert!(values.starts_with("hole,in,value,count,share\n1,{number},"), "{values}");
}

#[test]
fn noise_changes_and_errors_over_time_are_a_few_keys_away() {
    let morning = Morning::write(20_000);
    let home = morning.home.path();
    let desk = Terminal::cribrum(home, (160, 47), &morning.logs());
    desk.shows("20\u{2009}000");
    // The noisiest message, silenced: two keys.
    desk.press(&["K"]);
    let first = |screen: &str| screen.lines().find(|line| line.starts_with('▸')).map(str::to_owned);
    let kinds =
        desk.until("kinds", |screen| screen.contains("over time") && first(screen).is_some());
    morning.assert_clean("the kinds", &kinds);
    desk.press(&["-"]);
    desk.until("the rest", |s| first(s).is_some_and(|line| !line.contains("acquirer.charge")));
    desk.press(&["u", "Escape"]);
    desk.shows("20\u{2009}000");
    // What changed between two marks: mark, mark, C.
    desk.press(&["@"]);
    desk.type_in("06:38");
    desk.press(&["Enter", "m", "Enter", "@"]);
    desk.type_in("06:48");
    desk.press(&["Enter", "m", "Enter", "C"]);
    let changed =
        desk.until("differences", |s| s.contains("surprise") && s.contains("AcquirerTimeout"));
    morning.assert_clean("the differences", &changed);
    desk.press(&["Escape"]);
    // Errors over time as PDF: d e x Enter.
    desk.press(&["d", "e"]);
    desk.until("errors only", |s| {
        s.contains("a column is") && !s.contains("20\u{2009}000 entries")
    });
    desk.press(&["d"]);
    desk.shows("volume.pdf");
    desk.press(&["Enter"]);
    desk.shows("saved volume.pdf");
}

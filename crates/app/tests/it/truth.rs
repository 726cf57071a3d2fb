//! What is read equals what was written, and no secret comes out.

use std::{
    collections::HashMap,
    fs::File,
    io::{BufRead, BufReader},
    path::Path,
};

use serde_json::Value;

use crate::morning::Morning;

type Facts = (String, Option<String>, Option<String>, u64);

fn facts(value: &Value, id: &Value) -> Facts {
    let text = |value: &Value| value.as_str().map(str::to_owned);
    (
        text(&value["time"]).unwrap_or_default(),
        text(&value["level"]),
        text(id),
        value["lines"].as_u64().unwrap_or(0),
    )
}

fn place(value: &Value) -> (String, u64) {
    (value["source"].as_str().unwrap().to_owned(), value["line"].as_u64().unwrap())
}

fn each(path: &Path, mut take: impl FnMut(Value)) {
    for line in BufReader::new(File::open(path).unwrap()).lines() {
        take(serde_json::from_str(&line.unwrap()).unwrap());
    }
}

fn every_entry_is_as_recorded(entries: usize) {
    let morning = Morning::write(entries);
    let out = morning.path("out.jsonl");
    let arguments = ["sift", &morning.logs(), "--as", "jsonl", "-o", out.to_str().unwrap()];
    assert_eq!(crate::told(morning.home.path(), &arguments).0, 0);
    let mut known: HashMap<(String, u64), Facts> = HashMap::with_capacity(entries);
    each(&morning.path("record"), |value| {
        known.insert(place(&value), facts(&value, &value["request_id"]));
    });
    assert_eq!(known.len(), entries);
    let mut read = 0;
    let mut before = String::new();
    each(&out, |value| {
        read += 1;
        let want = known.remove(&place(&value));
        let got = facts(&value, &value["ids"]["request_id"]);
        assert_eq!(want.as_ref(), Some(&got), "{value}");
        // RFC 3339 in UTC sorts as text as far as milliseconds go.
        let time = got.0.get(..23).unwrap().to_owned();
        assert!(before <= time, "the order of time: {before} before {time}");
        before = time;
    });
    assert_eq!((read, known.len()), (entries, 0));
}

#[test]
fn twenty_thousand_entries_are_as_recorded() {
    every_entry_is_as_recorded(20_000);
}

#[test]
fn entries_of_many_blocks_are_as_recorded() {
    every_entry_is_as_recorded(300_000);
}

#[test]
#[ignore = "takes minutes; `cargo xtask torture` runs it"]
fn two_million_entries_are_as_recorded() {
    every_entry_is_as_recorded(2_000_000);
}

#[test]
fn no_secret_comes_out_of_any_command() {
    let morning = Morning::write(20_000);
    let logs = morning.logs();
    let svg = morning.path("plate.svg").display().to_string();
    assert!(morning.secrets().len() > 1_000, "there is something to hide");
    for arguments in [
        vec!["sift", &logs, "--as", "jsonl"],
        vec!["sift", &logs, "--as", "text"],
        vec!["sift", &logs, "--as", "raw"],
        vec!["sift", &logs, "-w", "card or Bearer or password"],
        vec!["trail", "7f3a9c21e0b4d86f", &logs],
        vec!["trail", "7f3a9c21e0b4d86f", &logs, "--as", "jsonl"],
        vec!["intake", &logs],
        vec!["intake", &logs, "--as", "jsonl"],
        vec!["draw", "volume", &logs, "-o", &svg],
    ] {
        let (code, out, messages) = crate::told(morning.home.path(), &arguments);
        assert_eq!(code, 0, "{arguments:?}: {messages}");
        morning.assert_clean(&format!("{arguments:?}"), &out);
        morning.assert_clean(&format!("{arguments:?}"), &messages);
    }
    morning.assert_clean("the plate", &std::fs::read_to_string(&svg).unwrap());
}

#[test]
fn a_condition_with_a_secret_in_it_is_not_repeated() {
    let morning = Morning::write(2_000);
    let planted = std::fs::read_to_string(morning.path("secrets")).unwrap();
    let planted = crate::morning::json_lines(&planted);
    let card = planted.iter().find(|p| p["class"] == "card").unwrap()["secret"].as_str().unwrap();
    let svg = morning.path("plate.svg").display().to_string();
    let condition = format!("\"{card}\"");
    let arguments = ["draw", "volume", &morning.logs(), "-o", &svg, "-w", &condition];
    let (code, out, messages) = crate::told(morning.home.path(), &arguments);
    assert_eq!(code, 0, "{out}{messages}");
    let plate = std::fs::read_to_string(&svg).unwrap();
    assert!(plate.contains("«card·") && !plate.contains(card));
}

//! What programs write by default, read without a word of configuration.
//!
//! Each file in `tests/samples` is what the library, server or runtime of its name writes, with made-up
//! data. The snapshots show where entries begin and what was read of each.

use std::fmt::Write as _;

use cribrum_core::{
    engine::Snapshot,
    export::{Exporter, Format},
};
use serde_json::Value;

use crate::{Intake, wait};

/// One line an entry: place, layout, time, level as read and as written, logger, message, ids, fields,
/// and what was worked out.
fn told(value: &Value) -> String {
    let text = |name: &str| value[name].as_str().unwrap_or("-").to_owned();
    let mut out = format!("{}", value["line"]);
    if value["lines"] != 1 {
        let _ = write!(out, "+{}", value["lines"]);
    }
    if value["part"] != 1 {
        let _ = write!(out, ".{}", value["part"]);
    }
    let _ = write!(
        out,
        " {} {} {} ({}) [{}] {:?}",
        text("layout"),
        text("time"),
        text("level"),
        text("level_raw"),
        text("logger"),
        text("message")
    );
    for name in ["ids", "fields", "derived"] {
        let given = &value[name];
        let some = given.as_object().is_some_and(|map| !map.is_empty())
            || given.as_array().is_some_and(|list| !list.is_empty());
        if some {
            let _ = write!(out, "\n    {name} {given}");
        }
    }
    out
}

#[test]
fn what_programs_write_is_read() {
    insta::glob!("../samples", "*.*", |path| {
        let bytes = std::fs::read(path).unwrap();
        let (stem, ending) =
            (path.file_stem().unwrap().to_str().unwrap(), path.extension().unwrap().to_str());
        // A day in the name is the day of times without one.
        let name = format!("{stem}-2026-03-14.{}", ending.unwrap());
        let intake = Intake::new(&[]);
        std::fs::write(intake.path(&name), &bytes).unwrap();
        let engine = intake.frank_engine();
        let snapshot = wait(&engine, "the sample", Snapshot::settled);
        let mut exporter = Exporter::new(&snapshot, Format::Jsonl, None, false);
        let mut out = Vec::new();
        for id in snapshot.pan.iter_from(0) {
            exporter.write(id, &mut out).unwrap();
        }
        let text = String::from_utf8(out).unwrap();
        let mut entries: Vec<Value> =
            text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        entries.sort_by_key(|entry| (entry["line"].as_u64(), entry["part"].as_u64()));
        let told: Vec<String> = entries.iter().map(told).collect();
        insta::assert_snapshot!(told.join("\n"));
    });
}

//! Many entries on one line: lists, objects one behind the other, batches.

use cribrum_core::{
    engine::Snapshot,
    export::{Exporter, Format, write_rows},
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
};
use serde_json::Value;

use crate::{Intake, line, wait};

/// More entries than a block has numbers for.
const MANY: usize = 70_000;

/// The entries of the pan as they are exported.
fn exported(snapshot: &Snapshot) -> Vec<Value> {
    let mut out = Vec::new();
    let make = || Exporter::new(snapshot, Format::Jsonl, None, false);
    write_rows(&snapshot.pan, &make, &mut out, &mut |error| panic!("{error}")).unwrap();
    let lines = std::str::from_utf8(&out).unwrap().lines();
    lines.map(|line| serde_json::from_str(line).unwrap()).collect()
}

fn kept_by(text: &str, intake: &Intake) -> Vec<Value> {
    let engine = intake.engine(false);
    let mesh = Mesh::of(Expr::parse(text, &Context::default()).unwrap());
    let sieve = Sieve { meshes: vec![mesh] };
    engine.set_sieve(sieve.clone());
    exported(&wait(&engine, text, |s| s.sieve == sieve && s.settled()))
}

fn object(number: usize) -> String {
    format!(r#"{{"level":"info","msg":"told {number}","n":{number},"list":[1,2]}}"#)
}

fn list() -> String {
    let objects: Vec<String> = (0..MANY).map(object).collect();
    format!("[{}]\n{}", objects.join(", "), line("06:41:09", "warn", "behind"))
}

fn batch() -> String {
    let record = |number: usize| {
        format!(
            r#"{{"severityText":"INFO","body":{{"stringValue":"told {number}"}},"attributes":[{{"key":"n","value":{{"intValue":"{number}"}}}}]}}"#
        )
    };
    let logs = |host: &str, range: std::ops::Range<usize>| {
        let records: Vec<String> = range.map(record).collect();
        format!(
            r#"{{"scopeLogs":[{{"logRecords":[{}],"schemaUrl":"s"}}],"resource":{{"attributes":[{{"key":"host","value":{{"stringValue":"{host}"}}}}]}}}}"#,
            records.join(",")
        )
    };
    let (one, two) = (logs("quay-1", 0..3), logs("quay-2", 3..MANY));
    format!("{{\"resourceLogs\":[{one},{two}]}}\n{}", line("06:41:09", "warn", "behind"))
}

#[test]
fn more_entries_on_a_line_than_a_block_holds_are_all_there() {
    for (name, text) in [("list", list()), ("batch", batch())] {
        let intake = Intake::new(&[("a.log", &text)]);
        let engine = intake.engine(false);
        let all = exported(&wait(&engine, name, |s| s.settled() && s.pan.len() > MANY));
        assert_eq!(all.len(), MANY + 1, "{name}");
        for (number, entry) in all[..MANY].iter().enumerate() {
            assert_eq!(entry["message"], format!("told {number}"), "{name}");
            assert_eq!(
                (&entry["line"], &entry["part"]),
                (&1.into(), &(number + 1).into()),
                "{name}"
            );
        }
        let last = &all[MANY];
        assert_eq!(
            (&last["message"], &last["line"], &last["part"]),
            (&"behind".into(), &2.into(), &1.into())
        );
        if name == "batch" {
            let host = |number: usize| &all[number]["fields"]["resource"]["host"];
            assert_eq!([host(2), host(3), host(MANY - 1)], ["quay-1", "quay-2", "quay-2"]);
        }
    }
}

#[test]
fn a_condition_finds_its_entry_among_those_of_a_line() {
    for (text, field, word) in [
        (list(), "n = 69999", "\"told 69999\""),
        (batch(), "attributes.n = 69999", "\"told 69999\""),
    ] {
        let intake = Intake::new(&[("a.log", &text)]);
        for condition in [field, word] {
            let found = kept_by(condition, &intake);
            assert_eq!(found.len(), 1, "{condition}");
            assert_eq!(found[0]["message"], "told 69999");
        }
    }
    let intake = Intake::new(&[("a.log", &batch())]);
    assert_eq!(
        kept_by("resource.host = quay-1", &intake).len(),
        3,
        "what several share is each one's own"
    );
    assert_eq!(kept_by("quay-1", &intake).len(), 3);
}

#[test]
fn a_line_with_several_entries_is_explained_by_its_first() {
    let intake = Intake::new(&[("a.log", &list())]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "all", |s| s.settled() && s.pan.len() > MANY);
    assert!(snapshot.explain(0, None, 3).unwrap().is_none());
    for (line, raw) in [(1, object(0)), (2, line("06:41:09", "warn", "behind"))] {
        let explained = snapshot.explain(0, None, line).unwrap().unwrap();
        assert_eq!(explained.raw.as_str(), raw.trim_end());
        assert_eq!(explained.lines, (line, 1));
    }
}

#[test]
fn what_stands_between_the_entries_of_a_line_belongs_to_none() {
    let text = format!("[ {} , {} ]\n\u{feff}{}{}\n", object(1), object(2), object(3), object(4));
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "four", |s| s.pan.len() == 4 && s.settled());
    let mut out = Vec::new();
    let make = || Exporter::new(&snapshot, Format::Raw, None, false);
    write_rows(&snapshot.pan, &make, &mut out, &mut |error| panic!("{error}")).unwrap();
    let want: String = (1..5).map(|number| object(number) + "\n").collect();
    assert_eq!(String::from_utf8(out).unwrap(), want);
    let parts: Vec<u64> = exported(&snapshot).iter().map(|e| e["part"].as_u64().unwrap()).collect();
    assert_eq!(parts, [1, 2, 1, 2]);
}

//! What is written out, and its shape.

use cribrum_core::{
    engine::Snapshot,
    export::{Exporter, Format, time_text, write_rows},
};

use crate::{Intake, wait};

const BOOKING: &str = r#"{"time":"2026-03-14T06:41:02.131Z","level":"info","logger":"booking.holds","msg":"seat hold requested","request_id":"7f3a9c21e0b4d86f","seats":2,"price":48.00,"user":{"id":"u-1","roles":["a"]},"password":"gull-tide-12345!"}
"#;
const FARES: &str = "2026-03-14 06:41:02.340 | W | fares.lookup | FareLookup:118 | fare lookup retried | rid=7f3a9c21e0b4d86f attempt=2 took=209ms\n";
const GATE: &str =
    "10.7.0.12 - - [14/Mar/2026:06:41:01 +0000] \"GET /crossings/112 HTTP/1.1\" 404 12\n";
const PAYMENTS: &str = "prose\n2026-03-14 06:41:06,889 ERROR [worker-4] payments.acquirer - no answer\u{1b}[2J\n    at Acquirer.charge\n";

fn written(format: Format, terminal: bool) -> String {
    let intake = Intake::new(&[
        ("booking.log", BOOKING),
        ("fares.log", FARES),
        ("gate.log", GATE),
        ("payments.log", PAYMENTS),
    ]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    let mut exporter = Exporter::new(&snapshot, format, None, terminal);
    let mut out = Vec::new();
    for id in snapshot.pan.iter_from(0) {
        exporter.write(id, &mut out).unwrap();
    }
    String::from_utf8(out).unwrap()
}

#[test]
fn json_lines_keep_their_contract() {
    insta::assert_snapshot!(written(Format::Jsonl, false));
}

#[test]
fn text_is_for_people() {
    insta::assert_snapshot!(written(Format::Text, true));
}

#[test]
fn raw_is_the_source_with_secrets_hidden() {
    let raw = written(Format::Raw, false);
    let without = |text: &str| text.replace("gull-tide-12345!", "").replace("10.7.0.12", "");
    let mut bare = String::new();
    for (at, part) in raw.split('«').enumerate() {
        bare.push_str(if at == 0 { part } else { part.split_once('»').unwrap().1 });
    }
    let mut lines: Vec<&str> = bare.lines().collect();
    assert!(!raw.contains("gull-tide"));
    let at = lines.iter().position(|line| line.starts_with('{')).unwrap();
    assert_eq!(lines.remove(at), without(BOOKING).trim_end());
    assert_eq!(lines.join("\n") + "\n", without(&[GATE, FARES, PAYMENTS].concat()));
    assert!(!written(Format::Raw, true).contains('\u{1b}'), "a terminal gets nothing to obey");
}

#[test]
fn rows_written_on_all_cores_are_in_order() {
    let text: String = (0..20_000)
        .map(|at| format!("2026-03-14 06:{:02}:{:02} INFO a: number {at}\n", at / 400, at % 60))
        .collect();
    let intake = Intake::new(&[("a.log", &text), ("b.log", PAYMENTS)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    let mut one_by_one = Vec::new();
    let mut exporter = Exporter::new(&snapshot, Format::Jsonl, None, false);
    for id in snapshot.pan.iter_from(0) {
        exporter.write(id, &mut one_by_one).unwrap();
    }
    let make = || Exporter::new(&snapshot, Format::Jsonl, None, false);
    let mut together = Vec::new();
    write_rows(&snapshot.pan, &make, &mut together, &mut |error| panic!("{error}")).unwrap();
    assert!(one_by_one == together);
    // A source whose bytes have gone is told, entry by entry, and the others are written.
    std::fs::write(intake.path("a.log"), "").unwrap();
    let (mut left, mut lost) = (Vec::new(), Vec::new());
    write_rows(&snapshot.pan, &make, &mut left, &mut |error| lost.push(error.to_string())).unwrap();
    assert_eq!((left.iter().filter(|b| **b == b'\n').count(), lost.len()), (2, 20_000));
    assert!(lost[0].starts_with("can't read a.log"), "{}", lost[0]);
}

#[test]
fn times_are_as_precise_as_they_were() {
    for (nanos, digits, want) in [
        (1_773_470_462_000_000_000, Some(0), "2026-03-14T06:41:02Z"),
        (1_773_470_462_340_000_000, Some(3), "2026-03-14T06:41:02.340Z"),
        (1_773_470_462_340_000_000, None, "2026-03-14T06:41:02.340Z"),
        (1_773_470_462_000_001_000, None, "2026-03-14T06:41:02.000001Z"),
        (1_773_470_462_000_000_001, None, "2026-03-14T06:41:02.000000001Z"),
    ] {
        assert_eq!(time_text(nanos, digits), want);
    }
}

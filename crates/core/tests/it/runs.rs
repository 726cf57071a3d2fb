//! Runs: where programs start anew within their sources.

use std::sync::Arc;

use cribrum_core::{
    engine::{Engine, Lens, Run, Snapshot},
    query::Expr,
    sieve::Sieve,
};

use crate::{Intake, line, messages, wait};

fn looked(engine: &Engine, entries: usize) -> Arc<Snapshot> {
    engine.set_lens(Lens::Start, Some(Expr::starting()));
    wait(engine, "where programs start", |snapshot| {
        let starts = snapshot.lens(Lens::Start).is_some_and(|lens| lens.done);
        let read = snapshot.settled() && snapshot.is_identified();
        read && starts && snapshot.order.len() == entries
    })
}

fn runs(snapshot: &Snapshot) -> Vec<Run> {
    snapshot.runs(snapshot.lens(Lens::Start).unwrap())
}

fn intake() -> Intake {
    // Booking was up before its log begins, and starts twice; what it says while it starts is one start.
    let booking = [
        line("06:00:00", "info", "hold placed"),
        line("06:10:00", "info", "starting booking 4.7.0"),
        line("06:10:01", "info", "listening on 127.0.0.1:7310"),
        line("06:11:00", "info", "hold confirmed"),
        // In the course of a request nothing starts.
        line("06:20:00", "info", "listening on 127.0.0.1:8728")
            .replace("}", ",\"request_id\":\"7f3a9c21e0b4d86f\"}"),
        line("06:52:21", "info", "starting booking 4.7.1"),
        line("06:53:00", "warn", "hold kept"),
    ];
    // A table whose header comes again, and a program that starts once, at the beginning.
    let manifest = "time,level,message\n2026-03-14T06:05:00Z,info,seat assigned\n\
        time,level,message\n2026-03-14T06:30:00Z,info,row written\n";
    let deck = [line("06:00:00", "info", "server started"), line("06:55:00", "info", "round done")];
    Intake::new(&[
        ("booking.log", &booking.concat()),
        ("manifest.csv", manifest),
        ("deck.log", &deck.concat()),
    ])
}

#[test]
fn runs_begin_where_programs_start_or_their_headers_come_again() {
    let intake = intake();
    let engine = intake.engine(false);
    let snapshot = looked(&engine, 11);
    let told: Vec<(String, usize, bool, i64)> = runs(&snapshot)
        .iter()
        .map(|run| {
            let label = snapshot.sources[run.source].label.clone();
            (label, run.number, run.seen, run.since / 1_000_000_000)
        })
        .collect();
    let want = |label: &str, number, seen, since| (label.to_owned(), number, seen, since);
    assert_eq!(
        told,
        [
            want("booking", 1, false, 0),
            want("booking", 2, true, 600),
            want("booking", 3, true, 1_941),
            want("deck", 1, true, 0),
            want("manifest", 1, false, 0),
            want("manifest", 2, true, 1_500),
        ]
    );
}

#[test]
fn the_latest_runs_are_what_is_left_and_what_comes_later() {
    let intake = intake();
    let engine = intake.engine(true);
    let snapshot = looked(&engine, 11);
    let mut sieve = Sieve::default();
    sieve.toggle_runs(snapshot.latest_runs(&runs(&snapshot)));
    assert_eq!(snapshot.label(&sieve.meshes[0]).as_str(), "latest runs: booking 3, manifest 2");
    engine.set_sieve(sieve.clone());
    let left = |engine: &Engine, count: usize| {
        let snapshot =
            wait(engine, "the pan", |s| s.settled() && s.pan.len() == count && s.sieve == sieve);
        messages(&snapshot)
    };
    let want =
        ["server started", "row written", "starting booking 4.7.1", "hold kept", "round done"];
    assert_eq!(left(&engine, 5), want);
    intake.append("booking.log", &line("06:59:00", "info", "hold released"));
    assert_eq!(left(&engine, 6)[5], "hold released");
    let mut sieve = sieve.clone();
    sieve.toggle_runs(snapshot.latest_runs(&[]));
    assert_eq!(sieve, Sieve::default(), "once more lets all through");
}

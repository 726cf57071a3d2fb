//! Runs: where programs start anew within their sources.

use std::sync::Arc;

use cribrum_core::{
    engine::{Engine, Snapshot},
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
};

use proptest::prelude::*;

use crate::{Intake, line, messages, wait};

fn looked(engine: &Engine, entries: usize) -> Arc<Snapshot> {
    wait(engine, "where programs start", |snapshot| {
        snapshot.settled() && snapshot.is_related() && snapshot.order.len() == entries
    })
}

/// What passes a condition.
fn passing(engine: &Engine, condition: &str, entries: usize) -> Vec<String> {
    let snapshot = looked(engine, entries);
    let last = snapshot.span().map(|(_, last)| last);
    let context = Context { last, ..Context::default() };
    let sieve = Sieve { meshes: vec![Mesh::of(Expr::parse(condition, &context).unwrap())] };
    engine.set_sieve(sieve.clone());
    let snapshot = wait(engine, "the pan", |s| s.sieve == sieve && s.settled() && s.is_related());
    messages(&snapshot)
}

/// The runs as label, number, whether the start was seen, and seconds since the entry before.
fn told(snapshot: &Snapshot) -> Vec<(String, usize, bool, i64)> {
    let told = snapshot.runs().iter().map(|run| {
        let label = snapshot.sources[run.source].label.clone();
        (label, run.number, run.seen, run.since / 1_000_000_000)
    });
    told.collect()
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
    let want = |label: &str, number, seen, since| (label.to_owned(), number, seen, since);
    assert_eq!(
        told(&snapshot),
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
    sieve.toggle_runs();
    assert_eq!(snapshot.label(&sieve.meshes[0]).as_str(), "run = latest");
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
    sieve.toggle_runs();
    assert_eq!(sieve, Sieve::default(), "once more lets all through");
}

#[test]
fn entries_are_chosen_by_their_run() {
    let intake = intake();
    let engine = intake.engine(false);
    assert_eq!(passing(&engine, "run = 1 and source = booking", 11), ["hold placed"]);
    assert_eq!(
        passing(&engine, "run >= 2 and not run = latest", 11),
        [
            "starting booking 4.7.0",
            "listening on 127.0.0.1:7310",
            "hold confirmed",
            "listening on 127.0.0.1:8728"
        ]
    );
    let wrong = Expr::parse("run = first", &Context::default()).unwrap_err().to_string();
    assert!(wrong.contains("run = latest"), "{wrong}");
}

#[test]
fn a_process_that_takes_the_place_of_another_is_a_new_run_and_workers_are_not() {
    let entry = |second: usize, pid: u32| {
        line(&format!("06:00:{second:02}"), "info", "berth free")
            .replace('}', &format!(",\"pid\":{pid}}}"))
    };
    // Two restarts within seconds, and four workers that take turns.
    let harbour: String = (0..30).map(|n| entry(n, 700 + u32::try_from(n / 10).unwrap())).collect();
    let deck: String = (0..30).map(|n| entry(n, 800 + u32::try_from(n % 4).unwrap())).collect();
    // A number that begins anew, and one that goes up and down.
    let numbered = |name: &str, number: usize, second: usize| {
        line(&format!("06:01:{second:02}"), "info", "tick")
            .replace('}', &format!(",\"{name}\":{number}}}"))
    };
    let fares: String = (0..50).map(|n| numbered("seq", 1 + n % 30, n)).collect();
    let gate: String = (0..50).map(|n| numbered("seq", (n * 7919) % 50, n)).collect();
    let intake = Intake::new(&[
        ("harbour.log", &harbour),
        ("deck.log", &deck),
        ("fares.log", &fares),
        ("gate.log", &gate),
    ]);
    let engine = intake.engine(false);
    let snapshot = looked(&engine, 160);
    let of = |label: &str| told(&snapshot).into_iter().filter(|run| run.0 == label).count();
    assert_eq!((of("harbour"), of("deck"), of("fares"), of("gate")), (3, 1, 2, 1));
    assert_eq!(passing(&engine, "run = 2 and source = harbour", 160).len(), 10);
    assert_eq!(passing(&engine, "run = latest and source = fares", 160).len(), 20);
}

#[test]
fn programs_that_share_a_log_have_runs_of_their_own() {
    let lines = [
        "Mar 14 06:00:00 quay-1 ferry[71]: engine warm",
        "Mar 14 06:00:01 quay-1 crane[40]: arm up",
        "Mar 14 06:00:02 quay-1 ferry[71]: engine cold",
        "Mar 14 06:10:00 quay-1 ferry[93]: starting ferry 2.1",
        "Mar 14 06:10:01 quay-1 ferry[93]: engine warm",
        "Mar 14 06:10:02 quay-1 crane[40]: arm down",
    ];
    let intake = Intake::new(&[("quay.log", &format!("{}\n", lines.join("\n")))]);
    let engine = intake.engine(false);
    let second = ["starting ferry 2.1", "engine warm"];
    assert_eq!(passing(&engine, "run = 2", 6), second);
    assert_eq!(passing(&engine, "run = latest", 6), ["arm up", second[0], second[1], "arm down"]);
    assert_eq!(passing(&engine, "program = ferry", 6).len(), 4, "over its restarts");
    assert_eq!(passing(&engine, "has program and program != ferry", 6), ["arm up", "arm down"]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// However often a program starts, and whatever it says between, each entry is of the run that it was written in.
    #[test]
    fn runs_are_those_that_were_written(lives in proptest::collection::vec((1usize..6, any::<bool>(), any::<bool>()), 1..6)) {
        let (mut text, mut want, mut minute) = (String::new(), Vec::new(), 0);
        for (number, (entries, says, tells)) in lives.iter().enumerate() {
            // A program that says nothing while it starts is known by its process id.
            let (says, tells) = (*says || !*tells, *tells || number == 0 || lives.iter().any(|life| !life.1));
            let pid = if tells { format!(",\"pid\":{}", 100 + number) } else { String::new() };
            for entry in 0..*entries {
                let message = if says && entry == 0 { "starting harbour 2.1".to_owned() } else { format!("berth {entry}") };
                minute += 1;
                let time = format!("{:02}:{:02}:00", 6 + minute / 60, minute % 60);
                text += &line(&time, "info", &message).replace('}', &format!("{pid}}}"));
                want.push(1 + number);
            }
        }
        let intake = Intake::new(&[("harbour.log", &text)]);
        let engine = intake.engine(false);
        let _ = looked(&engine, want.len());
        for run in 1..=lives.len() {
            let count = want.iter().filter(|number| **number == run).count();
            prop_assert_eq!(passing(&engine, &format!("run = {run}"), want.len()).len(), count, "{}", text);
        }
    }
}

#[test]
fn the_latest_run_moves_on_when_a_program_starts_again() {
    let intake = intake();
    let engine = intake.engine(true);
    looked(&engine, 11);
    assert_eq!(passing(&engine, "run = latest and source = booking", 11).len(), 2);
    intake.append("booking.log", &line("06:58:00", "info", "starting booking 4.7.2"));
    intake.append("booking.log", &line("06:58:01", "info", "hold placed"));
    let snapshot = wait(&engine, "the new run", |s| {
        s.settled() && s.is_related() && s.order.len() == 13 && s.pan.len() == 2
    });
    assert_eq!(messages(&snapshot), ["starting booking 4.7.2", "hold placed"]);
    let last = snapshot.runs().iter().rfind(|run| snapshot.sources[run.source].label == "booking");
    assert_eq!(last.map(|run| run.number), Some(4));
    let first = last.unwrap().first;
    assert_eq!(snapshot.run_from(first), snapshot.run_of(snapshot.order.get(12).unwrap()));
}

#[test]
fn a_program_that_crashes_again_and_again_has_a_run_each_time() {
    let start = |second: u32| line(&format!("06:00:{second:02}"), "info", "starting fares 1.2");
    let says =
        |second: u32| line(&format!("06:00:{second:02}"), "info", "listening on 127.0.0.1:80");
    let dies = |second: u32| line(&format!("06:00:{second:02}"), "fatal", "no table");
    let text: String =
        (0..5).flat_map(|n| [start(5 * n), says(5 * n + 1), dies(5 * n + 2)]).collect();
    let intake = Intake::new(&[("fares.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = looked(&engine, 15);
    assert_eq!(told(&snapshot).len(), 5);
    assert_eq!(passing(&engine, "run = 3", 15).len(), 3);
}

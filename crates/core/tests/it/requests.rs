//! Requests and trails by the index of ids: random requests, interlaced over sources of all layouts.

use std::{collections::HashMap, sync::Arc};

use cribrum_core::{
    engine::{Engine, Pass, Snapshot},
    entry::{IdKey, Level, rfc3339},
    query::{Context, Expr},
    requests::{Durations, Request, Requests, SortBy, Texts},
    sieve::{Mesh, Sieve},
    trail::{Trail, Usual, align, alike, links},
    veil::Desk,
};
use proptest::prelude::*;

use crate::{Intake, line, wait};

/// 2026-03-14T06:41:00Z in milliseconds.
const START: i64 = 1_773_470_460_000;
const LAYOUTS: usize = 9;

/// A line of a layout with an id in the way of that layout.
fn written(layout: usize, millis: i64, id: &str, step: &str) -> String {
    let iso = rfc3339(millis * 1_000_000, 3);
    let spaced = iso.trim_end_matches('Z').replace('T', " ");
    let comma = spaced.replace('.', ",");
    match layout {
        0 => format!(
            "{{\"time\":\"{iso}\",\"level\":\"info\",\"msg\":\"{step}\",\"request_id\":\"{id}\"}}"
        ),
        1 => format!("{spaced} | I | fares.lookup | FareTable:61 | {step} | rid={id} crossing=112"),
        2 => format!("{comma} INFO  [worker-1] payments.charge - {step} request_id={id}"),
        3 => format!("{iso},info,{id},112,\"{step}\""),
        4 => {
            let clock = iso.split('T').nth(1).unwrap().trim_end_matches('Z');
            format!(
                "10.7.0.12 - - [14/Mar/2026:{clock} +0000] \"GET /{step} HTTP/1.1\" 200 9 \"-\" \"a\" request_id={id}"
            )
        }
        5 => format!("time={iso} level=info msg=\"{step} taken\" request_id={id}"),
        6 => format!("{comma} INFO [{id}] h.Harbour - {step} berth free"),
        7 => format!(
            "{{\"resourceLogs\":[{{\"scopeLogs\":[{{\"logRecords\":[{{\"timeUnixNano\":\"{}\",\"body\":{{\"stringValue\":\"{step}\"}},\"attributes\":[{{\"key\":\"request.id\",\"value\":{{\"stringValue\":\"{id}\"}}}}]}}]}}]}}]}}",
            millis * 1_000_000
        ),
        _ => format!(
            "{{\"ts\":\"{iso}\",\"level\":\"info\",\"msg\":\"{step}\",\"http\":{{\"request\":{{\"id\":\"{id}\"}}}}}}"
        ),
    }
}

/// What comes first in a source, so that what its columns are is known whatever follows.
fn preface(layout: usize) -> String {
    let mut text = String::new();
    if layout == 3 {
        text.push_str("time,level,request_id,crossing,message\n");
    }
    for number in 0..12 {
        text.push_str(&written(
            layout,
            START - 60_000 + number,
            &format!("{:016x}", 0xabcd_ef01_u64 * (7 + number.unsigned_abs())),
            "before",
        ));
        text.push('\n');
    }
    text
}

/// A step: its request, its layout, and the milliseconds since the step before.
type Made = (usize, usize, i64);

fn id(request: usize) -> String {
    format!("7f3a9c21e0b4d{request:03x}")
}

fn intake(steps: &[Made]) -> Intake {
    let mut files: Vec<String> = (0..LAYOUTS).map(preface).collect();
    let mut now = START;
    for (number, (request, layout, wait)) in steps.iter().enumerate() {
        now += wait;
        files[*layout].push_str(&written(*layout, now, &id(*request), &format!("step{number}x")));
        files[*layout].push('\n');
    }
    let names: Vec<String> = (0..LAYOUTS).map(|layout| format!("source{layout}.log")).collect();
    let files: Vec<(&str, &str)> =
        names.iter().map(String::as_str).zip(files.iter().map(String::as_str)).collect();
    Intake::new(&files)
}

fn identified(engine: &Engine) -> Arc<Snapshot> {
    wait(engine, "the ids of all entries", |snapshot| {
        snapshot.settled() && snapshot.is_identified()
    })
}

/// The requests of a kind by their ids.
fn by_id(snapshot: &Snapshot, requests: &Requests) -> HashMap<String, Request> {
    let pass = Pass::default();
    let texts = Texts::<Desk>::read(snapshot, requests, requests.rows.iter(), &pass).unwrap();
    let text = |request: &Request| texts.get(request.key).unwrap().id.to_string();
    requests.rows.iter().map(|request| (text(request), *request)).collect()
}

/// The number that a step's text tells.
fn number_of(snapshot: &Snapshot, trail: &Trail, step: usize) -> usize {
    let raw = snapshot.raw(trail.steps[step].entry.id).unwrap().to_string();
    let (_, rest) = raw.split_once("step").unwrap();
    rest.split('x').next().unwrap().parse().unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]
    /// Each trail holds exactly its own entries, in their order, with the right gaps.
    #[test]
    fn interlaced_requests_come_apart(
        steps in proptest::collection::vec((0usize..6, 0usize..LAYOUTS, 1i64..4_000), 1..60),
    ) {
        let intake = intake(&steps);
        let engine = intake.engine(false);
        let snapshot = identified(&engine);
        let pass = Pass::default();
        // A bare id in brackets, or one in an object of its own, goes by another kind, and is the same id.
        let kinds = ["request_id", "id"];
        let mut found: HashMap<String, IdKey> = HashMap::new();
        for kind in kinds {
            let requests = Requests::find(&snapshot, kind, &pass).unwrap();
            found.extend(by_id(&snapshot, &requests).into_iter().map(|(id, request)| (id, request.key)));
        }
        let mut times = Vec::new();
        let mut now = 0;
        for (_, _, wait) in &steps {
            now += wait;
            times.push(now);
        }
        for request in 0..6 {
            let own: Vec<usize> = (0..steps.len()).filter(|at| steps[*at].0 == request).collect();
            let Some(first) = own.first() else {
                prop_assert!(!found.contains_key(&id(request)));
                continue;
            };
            let trail = Trail::<Desk>::follow(&snapshot, &[found[&id(request)]], &pass).unwrap();
            let got: Vec<usize> = (0..trail.steps.len()).map(|step| number_of(&snapshot, &trail, step)).collect();
            prop_assert_eq!(&got, &own);
            for (step, number) in trail.steps.iter().zip(&own) {
                prop_assert_eq!(step.at / 1_000_000, times[*number] - times[*first]);
            }
            let gaps: i64 = trail.steps.iter().map(|step| step.gap).sum();
            prop_assert_eq!(gaps / 1_000_000, times[*own.last().unwrap()] - times[*first]);
            prop_assert_eq!(snapshot.count_with(found[&id(request)]), own.len());
        }
    }

    /// Requests are measured by all of their entries, and those of the pan are listed.
    #[test]
    fn requests_are_measured_by_their_entries(
        steps in proptest::collection::vec((0usize..5, prop_oneof![Just(0usize), Just(1), Just(2), Just(3)], 1i64..4_000), 1..40),
    ) {
        let intake = intake(&steps);
        let engine = intake.engine(false);
        let first = Expr::parse("request_id = 7f3a9c21e0b4d001 or step3x", &Context::default()).unwrap();
        let mut sieve = Sieve::default();
        sieve.meshes.push(Mesh::of(first));
        engine.set_sieve(sieve);
        let snapshot = identified(&engine);
        let requests = Requests::find(&snapshot, "request_id", &Pass::default()).unwrap();
        let found = by_id(&snapshot, &requests);
        let mut now = 0;
        let times: Vec<i64> = steps.iter().map(|(_, _, wait)| { now += wait; now }).collect();
        for request in 0..5 {
            let own: Vec<usize> = (0..steps.len()).filter(|at| steps[*at].0 == request).collect();
            let Some(row) = found.get(&id(request)) else {
                prop_assert!(own.is_empty());
                continue;
            };
            prop_assert_eq!(row.entries as usize, own.len());
            let lasted = times[own[own.len() - 1]] - times[own[0]];
            prop_assert_eq!(row.duration().map(|took| took / 1_000_000), Some(lasted));
            let waits = own.windows(2).map(|two| times[two[1]] - times[two[0]]);
            prop_assert_eq!(row.wait / 1_000_000, waits.max().unwrap_or(0));
            let mut sources: Vec<usize> = own.iter().map(|at| steps[*at].1).collect();
            sources.sort_unstable();
            sources.dedup();
            prop_assert_eq!(row.sources() as usize, sources.len());
            let in_pan = if request == 1 { own.len() } else { usize::from(own.contains(&3)) };
            prop_assert_eq!(row.in_pan as usize, in_pan);
        }
        let listed = requests.sorted(SortBy::Duration, true);
        let durations: Vec<Option<i64>> = listed.iter().map(|row| requests.rows[*row as usize].duration()).collect();
        prop_assert!(durations.is_sorted_by(|a, b| a >= b));
        prop_assert!(listed.iter().all(|row| requests.rows[*row as usize].in_pan > 0));
    }
}

/// A request of four steps; `slow` waits so much longer in its third.
fn booked(number: i64, slow: i64, last: bool) -> String {
    let id = format!("{:016x}", 0x7f3a_9c21_e0b4_0000_u64 + number.unsigned_abs());
    let session = format!("session-{}", number % 3);
    let at = START + number * 10_000;
    let mut text = String::new();
    let mut step = |millis: i64, level: &str, message: &str, more: &str| {
        let iso = rfc3339((at + millis) * 1_000_000, 3);
        text.push_str(&format!(
            "{{\"time\":\"{iso}\",\"level\":\"{level}\",\"msg\":\"{message}\",\"request_id\":\"{id}\",\"session_id\":\"{session}\"{more}}}\n"
        ));
    };
    step(0, "info", &format!("seat {number} asked"), ",\"service\":\"booking\"");
    step(5, "info", &format!("fare asked for {number}"), ",\"service\":\"fares\"");
    step(20 + slow, "info", "charge accepted", ",\"service\":\"payments\"");
    if slow > 100 {
        step(25 + slow, "warn", "charge asked again", ",\"service\":\"payments\",\"attempt\":3");
    }
    if last {
        step(30 + slow, "info", "seat given", ",\"service\":\"booking\"");
    }
    text
}

#[test]
fn what_is_unusual_of_a_trail_is_told() {
    let text: String =
        (0..12).map(|n| booked(n, if n == 7 { 1_500 } else { n % 3 }, n != 7)).collect();
    let intake = Intake::new(&[("all.log", &text)]);
    let snapshot = identified(&intake.engine(false));
    let pass = Pass::default();
    let requests = Requests::find(&snapshot, "request_id", &pass).unwrap();
    let slowest = requests.rows[requests.sorted(SortBy::Duration, true)[0] as usize];
    assert_eq!(slowest.worst, Some(Level::Warn));
    let trail = Trail::<Desk>::follow(&snapshot, &[slowest.key], &pass).unwrap();
    let lanes: Vec<String> = trail.lanes.iter().map(|lane| lane.name.to_string()).collect();
    assert_eq!(lanes, ["booking", "fares", "payments"], "services tell one source apart");
    let (others, looked) = alike(&snapshot, &trail, &requests, &pass).unwrap();
    assert_eq!((others.len(), looked), (11, 11));
    let usual = Usual::of(&trail, &others, looked).unwrap();
    let milli = 1_000_000;
    assert!((30..40).contains(&(usual.duration.0 / milli)), "{}", usual.duration.0);
    let payments = usual.lost.first().unwrap();
    assert_eq!(trail.lanes[payments.0].name.as_str(), "payments");
    assert!((1_490..1_510).contains(&(payments.1 / milli)), "{}", payments.1);
    let missing: Vec<&str> = usual.missing.iter().map(|missing| missing.message.as_str()).collect();
    assert_eq!(missing, ["seat given"]);
    assert!(usual.is_unusual());
    let quick = requests.rows.iter().find(|request| request.duration() < Some(40 * milli)).unwrap();
    let other = Trail::<Desk>::follow(&snapshot, &[quick.key], &pass).unwrap();
    let (others, looked) = alike(&snapshot, &other, &requests, &pass).unwrap();
    assert!(!Usual::of(&other, &others, looked).unwrap().is_unusual());
    assert!(Usual::of(&other, &others[..3], looked).is_none(), "three tell nothing");
    // Side by side, one has a step more and the other its own.
    let pairs = align(&other, &trail);
    let alone = |first: bool| {
        pairs
            .iter()
            .filter(|pair| if first { pair.second.is_none() } else { pair.first.is_none() })
            .count()
    };
    assert_eq!((alone(true), alone(false)), (1, 1));
}

#[test]
fn ids_that_stand_together_are_linked() {
    let text: String = (0..9).map(|n| booked(n, 0, true)).collect();
    let intake = Intake::new(&[("all.log", &text)]);
    let snapshot = identified(&intake.engine(false));
    let pass = Pass::default();
    let requests = Requests::find(&snapshot, "request_id", &pass).unwrap();
    let of_request = links::<Desk>(&snapshot, &[requests.rows[0].key]);
    let told: Vec<(&str, usize)> =
        of_request.iter().map(|link| (link.id.kind, link.entries)).collect();
    assert_eq!(told, [("session", 12)], "three requests of four entries are of the session");
    let session = of_request[0].id.key;
    let trail = Trail::<Desk>::follow(&snapshot, &[session], &pass).unwrap();
    assert_eq!(trail.steps.len(), 12);
    assert_eq!(links::<Desk>(&snapshot, &[session]).len(), 3);
    // Two ids in one trail.
    let two = [requests.rows[0].key, requests.rows[1].key];
    let trail = Trail::<Desk>::follow(&snapshot, &two, &pass).unwrap();
    assert_eq!((trail.steps.len(), trail.ids.len()), (8, 2));
}

#[test]
fn entries_that_arrive_are_found_by_their_ids() {
    let intake = Intake::new(&[("a.log", &booked(0, 0, false))]);
    let engine = intake.engine(true);
    let snapshot = identified(&engine);
    let requests = Requests::find(&snapshot, "request_id", &Pass::default()).unwrap();
    let key = requests.rows[0].key;
    assert_eq!((requests.rows.len(), snapshot.count_with(key)), (1, 3));
    intake.append("a.log", &booked(0, 0, true));
    intake.append("a.log", &line("06:42:00", "info", "no id"));
    let snapshot = wait(&engine, "the entries that were added", |snapshot| {
        snapshot.order.len() == 8 && snapshot.is_identified()
    });
    assert_eq!(snapshot.count_with(key), 7);
}

#[test]
fn the_sieve_holds_steps_back_and_not_out_of_the_trail() {
    let intake = Intake::new(&[("a.log", &booked(0, 700, true))]);
    let engine = intake.engine(false);
    let mut sieve = Sieve::default();
    sieve.meshes.push(Mesh::of(Expr::parse("level >= warn", &Context::default()).unwrap()));
    engine.set_sieve(sieve);
    let snapshot = wait(&engine, "one entry", |snapshot| {
        snapshot.settled() && snapshot.is_identified() && snapshot.pan.len() == 1
    });
    let requests = Requests::find(&snapshot, "request_id", &Pass::default()).unwrap();
    let trail =
        Trail::<Desk>::follow(&snapshot, &[requests.rows[0].key], &Pass::default()).unwrap();
    assert_eq!((trail.steps.len(), trail.held_back()), (5, 4));
    let durations = Durations::of(&requests, &requests.sorted(SortBy::Start, false)).unwrap();
    assert_eq!((durations.p50, durations.p99), (730_000_000, 730_000_000));
}

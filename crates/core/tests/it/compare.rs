//! Two selections beside each other, held against what was written.

use std::collections::BTreeMap;

use cribrum_core::{
    compare::{Change, Comparison, Per, SURPRISING, Side, What},
    engine::{Engine, Pass, Snapshot},
    entry::rfc3339,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    tally::{By, Key},
    veil::{Anyone, Desk},
};
use proptest::prelude::*;

use crate::{Intake, wait};

/// 2026-03-14T06:41:00Z in milliseconds.
const START: i64 = 1_773_470_460_000;

/// What an entry was told to say: when, what, with which status, and how long it took.
type Told = (i64, usize, u16, u32);

const SAYINGS: [(&str, &str); 3] = [
    ("tide read", "tide read"),
    ("hold h-{number} placed", "hold h-7 placed"),
    ("store is lost", "store is lost"),
];

fn write(told: &Told) -> String {
    let (millis, saying, status, took) = told;
    let time = rfc3339((START + millis) * 1_000_000, 3);
    let level = if *saying == 2 { "error" } else { "info" };
    format!(
        "{{\"time\":\"{time}\",\"level\":\"{level}\",\"msg\":\"{}\",\"status\":{status},\"took_ms\":{took},\"n\":{millis}}}\n",
        SAYINGS[*saying].1
    )
}

fn poured(all: &[Told]) -> (Intake, Engine) {
    let text: String = all.iter().map(write).collect();
    let intake = Intake::new(&[("gate.jsonl", &text)]);
    let engine = intake.engine(false);
    (intake, engine)
}

fn loaded(engine: &Engine, entries: usize) -> std::sync::Arc<Snapshot> {
    wait(engine, "all entries", |s| s.settled() && s.order.len() == entries)
}

fn side(text: &str) -> Side {
    let last = Some((START + 600_000) * 1_000_000);
    Side::Where(Expr::parse(text, &Context { last, ..Context::default() }).unwrap())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Each kind and each status has as many entries on both sides as were written, and its condition lets them through.
    #[test]
    fn counts_are_those_that_were_written(
        all in proptest::collection::vec((0i64..600_000, 0usize..3, 200u16..204, 1u32..900), 2..90),
        cut in 60_000i64..540_000,
    ) {
        let (_intake, engine) = poured(&all);
        let snapshot = loaded(&engine, all.len());
        let moment = rfc3339((START + cut) * 1_000_000, 3);
        let sides = [side(&format!("time < \"{moment}\"")), side(&format!("time >= \"{moment}\""))];
        let compared =
            Comparison::<Desk>::of(&snapshot, [&sides[0], &sides[1]], Per::Entry, &Pass::default()).unwrap();
        let mut want: BTreeMap<String, [u64; 2]> = BTreeMap::new();
        for (millis, saying, status, _) in &all {
            let side = usize::from(*millis >= cut);
            for name in [SAYINGS[*saying].0.to_owned(), status.to_string()] {
                want.entry(name).or_default()[side] += 1;
            }
        }
        let wholes = [0, 1].map(|side| all.iter().filter(|told| usize::from(told.0 >= cut) == side).count() as u64);
        prop_assert_eq!(compared.wholes.map(|whole| whole.entries), wholes);
        let mut got: BTreeMap<String, [u64; 2]> = BTreeMap::new();
        for (number, difference) in compared.differences.iter().enumerate() {
            let name = match &difference.what {
                What::Kind(kind) => kind.as_str().to_owned(),
                What::Value(By::Field { path, .. }, Key::Text(text)) if path == "status" => text.as_str().to_owned(),
                _ => continue,
            };
            let [before, after] = difference.counts;
            match difference.change {
                Change::New => prop_assert!(before == 0 && after > 0),
                Change::Gone => prop_assert!(before > 0 && after == 0),
                Change::More | Change::Less => {
                    prop_assert!(before > 0 && after > 0);
                    let more = after * wholes[0] >= before * wholes[1];
                    prop_assert_eq!(difference.change == Change::More, more);
                }
                other => prop_assert!(false, "{:?}", other),
            }
            let sieve = Sieve { meshes: vec![Mesh::of(compared.condition(number, &snapshot).unwrap())] };
            engine.set_sieve(sieve.clone());
            let sifted = wait(&engine, "the difference", |s| s.sieve == sieve && s.settled());
            prop_assert_eq!(sifted.pan.len() as u64, before + after, "{}", name);
            got.insert(name, difference.counts);
        }
        prop_assert_eq!(got, want);
        // Numbers that are all different ones are not compared, which is said.
        if all.len() > 1 {
            prop_assert!(compared.left_out.is_empty());
        }
    }
}

#[test]
fn what_is_slower_new_or_more_comes_in_the_order_of_surprise_and_errors_first() {
    let mut all: Vec<Told> = Vec::new();
    for at in 0..200_i64 {
        let late = at >= 100;
        let took = u32::try_from(20 + at % 7 + if late { 300 } else { 0 }).unwrap();
        all.push((at * 1_000, 0, if late && at % 2 == 0 { 503 } else { 200 }, took));
    }
    all.push((150_000, 2, 200, 20));
    let (_intake, engine) = poured(&all);
    let snapshot = loaded(&engine, all.len());
    let moment = rfc3339((START + 100_000) * 1_000_000, 0);
    let sides = [side(&format!("time < \"{moment}\"")), side(&format!("time >= \"{moment}\""))];
    for per in [Per::Entry, Per::Minute] {
        let compared =
            Comparison::<Anyone>::of(&snapshot, [&sides[0], &sides[1]], per, &Pass::default())
                .unwrap();
        let told: Vec<(Change, String)> = compared
            .told(false)
            .iter()
            .map(|told| {
                let difference = &compared.differences[told.number];
                let name = match &difference.what {
                    What::Kind(text) => text.to_string(),
                    What::Took(text) => format!("took {text}"),
                    What::Value(by, Key::Text(text)) => format!("{by} {text}"),
                    other => format!("{other:?}"),
                };
                (difference.change, name)
            })
            .collect();
        // One error is not surprising by its count, but new.
        assert_eq!(told[0], (Change::New, "store is lost".into()), "{told:?}");
        assert!(told.contains(&(Change::Slower, "took tide read".into())), "{told:?}");
        assert!(told.contains(&(Change::New, "status 503".into())), "{told:?}");
        assert!(!told.iter().any(|(_, name)| name == "tide read"), "as often as before: {told:?}");
        let slower = compared.differences.iter().find(|d| d.change == Change::Slower).unwrap();
        let took = slower.took.as_ref().unwrap();
        assert!(slower.surprise > SURPRISING && took[1].quantile(0.5) > Some(0.3), "{slower:?}");
    }
    assert_eq!(
        Comparison::<Anyone>::of(
            &snapshot,
            [&Side::Pan, &Side::Everything],
            Per::Entry,
            &Pass::default()
        )
        .unwrap()
        .told(false),
        [],
        "what is the same does not differ"
    );
}

#[test]
fn values_of_secrets_are_compared_by_their_stand_ins() {
    let mut text = String::new();
    for at in 0..40 {
        let pin = if at < 20 { "gullgull77" } else { "ternternx4" };
        text.push_str(&format!(
            "{{\"time\":\"2026-03-14T06:41:{at:02}Z\",\"level\":\"info\",\"msg\":\"clerk in\",\"password\":\"{pin}\"}}\n"
        ));
    }
    let intake = Intake::new(&[("gate.jsonl", &text)]);
    let engine = intake.engine(false);
    let snapshot = loaded(&engine, 40);
    let sides = [side("time < \"2026-03-14T06:41:20Z\""), side("time >= \"2026-03-14T06:41:20Z\"")];
    let compared =
        Comparison::<Anyone>::of(&snapshot, [&sides[0], &sides[1]], Per::Entry, &Pass::default())
            .unwrap();
    let shown = format!("{compared:?}");
    assert!(!shown.contains("gull") && !shown.contains("tern"), "{shown}");
    let changes = compared.told(false).len();
    assert_eq!(changes, 2, "one is gone and one is new: {shown}");
}

#[test]
fn fields_that_are_not_compared_are_named() {
    let line = |at: usize| {
        format!(
            "10.7.{}.{} - - [14/Mar/2026:06:41:{:02} +0000] \"GET /crossings/{at} HTTP/1.1\" 200 {} \"-\" \"kiosk\"\n",
            at / 250,
            at % 250,
            at % 60,
            at + 1_000
        )
    };
    let intake = Intake::new(&[("gate.log", &(0..900).map(line).collect::<String>())]);
    let engine = intake.engine(false);
    let snapshot = loaded(&engine, 900);
    let sides = [Side::Everything, Side::Pan];
    let compared =
        Comparison::<Anyone>::of(&snapshot, [&sides[0], &sides[1]], Per::Entry, &Pass::default());
    let names: Vec<String> =
        compared.unwrap().left_out.iter().map(|name| name.as_str().to_owned()).collect();
    assert!(names.contains(&"bytes".to_owned()), "{names:?}");
    assert!(names.iter().all(|name| !name.is_empty()), "{names:?}");
}

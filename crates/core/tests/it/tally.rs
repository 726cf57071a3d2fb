//! Groups and measures, held against what was written.

use std::collections::{BTreeMap, BTreeSet};

use cribrum_core::{
    engine::{Engine, Of, Pass, Snapshot},
    entry::rfc3339,
    sieve::{Mesh, Sieve},
    tally::{By, Key, Measure, Order, Question, Tally, Unit},
    veil::{Anyone, Desk},
};
use proptest::prelude::*;

use crate::{Intake, line, wait};

/// 2026-03-14T06:41:00Z in milliseconds.
const START: i64 = 1_773_470_460_000;

/// What an entry was told to say.
#[derive(Clone, Debug)]
struct Told {
    layout: usize,
    millis: i64,
    path: &'static str,
    status: u16,
    took: u32,
    user: u8,
}

/// Paths and their templates.
const PATHS: [(&str, &str); 6] = [
    ("/crossings", "/crossings"),
    ("/crossings/112", "/crossings/{n}"),
    ("/crossings/113?day=mon", "/crossings/{n}"),
    ("/crossings/112/seats", "/crossings/{n}/seats"),
    ("/holds/h-5512", "/holds/{id}"),
    ("/holds/h-77", "/holds/{id}"),
];

fn told() -> impl Strategy<Value = Told> {
    let path = proptest::sample::select(&PATHS[..]);
    let status = proptest::sample::select(&[200u16, 201, 302, 404, 500, 503][..]);
    let took = prop_oneof![0u32..100, 0u32..20_000];
    (0usize..3, 0i64..600_000, path, status, took, 0u8..9).prop_map(
        |(layout, millis, (path, _), status, took, user)| Told {
            layout,
            millis,
            path,
            status,
            took,
            user,
        },
    )
}

fn template(path: &str) -> &'static str {
    PATHS.iter().find(|(known, _)| *known == path).unwrap().1
}

fn write(told: &Told) -> String {
    let Told { millis, path, status, took, user, .. } = told;
    let time = rfc3339((START + millis) * 1_000_000, 3);
    match told.layout {
        0 => format!(
            "{{\"time\":\"{time}\",\"level\":\"{}\",\"msg\":\"answered\",\"path\":\"{path}\",\"status\":{status},\"took_ms\":{took},\"user\":\"u{user}\"}}\n",
            if *status >= 500 { "error" } else { "info" }
        ),
        1 => format!(
            "time={time} level={} msg=answered path={path} status={status} took={took}ms user=u{user}\n",
            if *status >= 500 { "error" } else { "info" }
        ),
        _ => {
            let clock = time.split('T').nth(1).unwrap().trim_end_matches('Z').to_owned();
            format!(
                "10.7.0.12 - - [14/Mar/2026:{clock} +0000] \"GET {path} HTTP/1.1\" {status} 9 \"-\" \"a\" took={}.{:03}s user=u{user}\n",
                took / 1_000,
                took % 1_000
            )
        }
    }
}

fn poured(all: &[Told]) -> (Intake, Engine) {
    let mut files = [String::new(), String::new(), String::new()];
    let mut sorted = all.to_vec();
    sorted.sort_by_key(|told| told.millis);
    sorted.iter().for_each(|told| files[told.layout].push_str(&write(told)));
    let [json, pairs, access] = &files;
    let intake = Intake::new(&[("a.log", json), ("b.log", pairs), ("c.log", access)]);
    let engine = intake.engine(false);
    (intake, engine)
}

fn loaded(engine: &Engine, entries: usize) -> std::sync::Arc<Snapshot> {
    wait(engine, "all entries", |s| s.settled() && s.order.len() == entries)
}

fn ask(by: &[&str], of: Option<&str>, different: Option<&str>) -> Question {
    Question {
        by: by.iter().map(|by| By::parse(by).unwrap()).collect(),
        of: of.map(|of| Measure::parse(of).unwrap()),
        different: different.map(str::to_owned),
        origin: 0,
    }
}

fn tally(snapshot: &Snapshot, question: &Question) -> Tally<Desk> {
    Tally::of(snapshot, Of::Pan, question, &Pass::default()).unwrap()
}

/// A key in words.
fn word(key: &Key<Desk>) -> String {
    match key {
        Key::Text(text) | Key::Cut(text) => text.to_string(),
        Key::Level(level) => level.name().to_owned(),
        Key::Source(number) => number.to_string(),
        Key::Time(time) => rfc3339(*time, 0),
        Key::Layout(name) => (*name).to_owned(),
        Key::None => "none".to_owned(),
    }
}

/// Whether a quantile is that of some values, within one per cent.
fn is_near(got: Option<f64>, sorted: &[f64], share: f64) -> bool {
    let rank = ((sorted.len() as f64 * share).ceil() as usize).clamp(1, sorted.len());
    let want = sorted[rank - 1];
    got.is_some_and(|got| (got - want).abs() <= 0.01 * want + 1e-12)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Groups have the entries, errors, times and values that were written, in all layouts, and the condition of a group
    /// lets through its entries and no others.
    #[test]
    fn groups_are_those_that_were_written(all in proptest::collection::vec(told(), 1..80)) {
        let (_intake, engine) = poured(&all);
        let snapshot = loaded(&engine, all.len());
        for by in [&["path", "status:class"][..], &["source"], &["level", "1min"], &["user"]] {
            let question = ask(by, Some("took"), Some("user"));
            let found = tally(&snapshot, &question);
            let mut want: BTreeMap<Vec<String>, Vec<&Told>> = BTreeMap::new();
            for told in &all {
                let level = match told.status { 500.. => "error", 400.. if told.layout == 2 => "warn", _ => "info" };
                let minute = (START + told.millis) / 60_000 * 60_000;
                let key = |by: &&str| match *by {
                    "path" => template(told.path).to_owned(),
                    "status:class" => format!("{}xx", told.status / 100),
                    "source" => told.layout.to_string(),
                    "level" => level.to_owned(),
                    "1min" => rfc3339(minute * 1_000_000, 0),
                    _ => format!("u{}", told.user),
                };
                want.entry(by.iter().map(key).collect()).or_default().push(told);
            }
            let mut seen: BTreeMap<Vec<String>, u64> = BTreeMap::new();
            for group in &found.groups {
                let keys: Vec<String> = group.keys.iter().map(word).collect();
                let of = want.get(&keys);
                prop_assert!(of.is_some(), "{:?} of {:?}", keys, want.keys());
                let of = of.unwrap();
                seen.insert(keys, group.count);
                prop_assert_eq!(group.count, of.len() as u64);
                prop_assert_eq!(group.errors, of.iter().filter(|told| told.status >= 500).count() as u64);
                let times = of.iter().map(|told| (START + told.millis) * 1_000_000);
                prop_assert_eq!(group.span, Some((times.clone().min().unwrap(), times.max().unwrap())));
                let users: BTreeSet<u8> = of.iter().map(|told| told.user).collect();
                prop_assert_eq!(group.different, users.len() as u64);
                let mut took: Vec<f64> = of.iter().map(|told| f64::from(told.took) / 1_000.0).collect();
                took.sort_unstable_by(f64::total_cmp);
                for share in [0.5, 0.95, 0.99, 1.0] {
                    prop_assert!(is_near(group.values.quantile(share), &took, share), "{:?} {:?}", group, took);
                }
                let sum: f64 = took.iter().sum();
                prop_assert!((group.values.sum - sum).abs() < 1e-6);
                let largest = snapshot.row(group.largest).unwrap().took().unwrap();
                prop_assert!((largest - took[took.len() - 1]).abs() < 1e-9);
                // As a condition.
                let condition = found.condition(group, &snapshot).unwrap();
                let sieve = Sieve { meshes: vec![Mesh::of(condition)] };
                engine.set_sieve(sieve.clone());
                let sifted = wait(&engine, "the group", |s| s.sieve == sieve && s.settled());
                prop_assert_eq!(sifted.pan.len() as u64, group.count, "{}", sieve.meshes[0]);
            }
            engine.set_sieve(Sieve::default());
            wait(&engine, "all again", |s| s.sieve == Sieve::default() && s.settled());
            let counts = want.into_iter().map(|(key, of)| (key, of.len() as u64)).collect();
            prop_assert_eq!(seen, counts);
            prop_assert_eq!((found.unit, found.left_out.0, found.without), (Unit::Seconds, 0, 0));
            prop_assert_eq!(found.all.unwrap().count, all.len() as u64);
        }
    }
}

#[test]
fn what_can_not_be_measured_is_counted_and_shown() {
    let sizes = ["12", "1,250", "4KiB", "none", "15", "1 234", "inf", "17", "", "1.5e3"];
    let text: String = sizes
        .iter()
        .map(|size| {
            format!("{{\"time\":\"2026-03-14T06:41:00Z\",\"msg\":\"sent\",\"size\":\"{size}\"}}\n")
        })
        .collect();
    let intake =
        Intake::new(&[("a.log", &format!("{text}{}", line("06:41:01.000", "info", "other")))]);
    let engine = intake.engine(false);
    let snapshot = loaded(&engine, 11);
    let found = tally(&snapshot, &ask(&[], Some("size"), None));
    let all = found.all.as_ref().unwrap();
    assert_eq!((all.count, all.values.count, found.unit), (11, 5, Unit::Number));
    assert_eq!((all.values.min, all.values.max), (12.0, 1_500.0));
    // Four are none, and one counts bytes.
    assert_eq!(found.left_out.0, 5);
    assert_eq!(found.left_out.1.unwrap().as_str(), "1,250");
    let found = tally(&snapshot, &ask(&["nobody"], None, None));
    assert_eq!((found.groups.len(), found.without, found.entries), (0, 11, 11));
    let found = tally(&snapshot, &ask(&["level", "size"], None, None));
    assert_eq!(found.without, 0);
    let keys =
        |group: &cribrum_core::tally::Group<Desk>| group.keys.iter().map(word).collect::<Vec<_>>();
    assert!(found.groups.iter().any(|group| keys(group) == ["info", "none"]), "{found:?}");
}

#[test]
fn numbers_behind_words_of_the_message_are_measured() {
    let text: String = (1..=100)
        .map(|n| {
            line("06:41:00.000", "info", &format!("quote completed in {n} ms, {} berths", n % 3))
        })
        .collect();
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = loaded(&engine, 100);
    let found = tally(&snapshot, &ask(&["kind"], Some("took after \"completed in\""), None));
    assert_eq!(found.groups.len(), 1);
    let group = &found.groups[0];
    assert_eq!((group.count, group.values.count, found.unit), (100, 100, Unit::Seconds));
    let near =
        |share: f64, want: f64| (group.values.quantile(share).unwrap() - want).abs() < 0.01 * want;
    assert!(near(0.5, 0.050) && near(0.95, 0.095) && near(1.0, 0.1), "{group:?}");
}

#[test]
fn secrets_and_long_values_are_no_names_of_groups() {
    let long = "x".repeat(10_000);
    let mut text = String::new();
    for (secret, value) in [
        ("hunter2-gull", "a\\nb"),
        ("hunter2-tern", &format!("{long}1")),
        ("-", &format!("{long}2")),
    ] {
        text.push_str(&format!(
            "{{\"time\":\"2026-03-14T06:41:00Z\",\"msg\":\"login\",\"password\":\"{secret}\",\"value\":\"{value}\"}}\n"
        ));
    }
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = loaded(&engine, 3);
    let question = ask(&["password", "value"], None, None);
    let found: Tally<Anyone> = Tally::of(&snapshot, Of::All, &question, &Pass::default()).unwrap();
    assert_eq!(found.groups.len(), 3, "what is long is told apart");
    let told = format!("{found:?}");
    assert!(!told.contains("hunter2") && told.len() < 10_000, "{told}");
}

#[test]
fn groups_are_put_in_order_by_each_figure() {
    let entry = |clock: &str, level: &str, path: &str, took: u32| {
        format!(
            "{{\"time\":\"2026-03-14T{clock}Z\",\"level\":\"{level}\",\"msg\":\"x\",\"path\":\"{path}\",\"took_ms\":{took}}}\n"
        )
    };
    let text = [
        entry("06:41:00", "info", "/a", 5),
        entry("06:41:01", "info", "/a", 7),
        entry("06:41:02", "error", "/a", 6),
        entry("06:41:03", "error", "/b", 90),
        entry("06:41:04", "info", "/c", 1),
        entry("06:41:05", "info", "/c", 2),
    ]
    .concat();
    let intake = Intake::new(&[("a.log", &text)]);
    let engine = intake.engine(false);
    let snapshot = loaded(&engine, 6);
    let found = tally(&snapshot, &ask(&["path"], Some("took"), None));
    let order = |by, descending| -> String {
        let rows = found.sorted(by, descending);
        rows.iter().map(|row| word(&found.groups[*row as usize].keys[0]).replace('/', "")).collect()
    };
    for (by, want) in [
        (Order::Count, "acb"),
        (Order::ErrorShare, "bac"),
        (Order::First, "cba"),
        (Order::Last, "cba"),
        (Order::Quantile(950), "bac"),
        (Order::Mean, "bac"),
        (Order::Sum, "bac"),
        (Order::Key(0), "cba"),
    ] {
        assert_eq!(order(by, true), want, "{by:?}");
    }
    assert_eq!(order(Order::Key(0), false), "abc");
    assert_eq!(found.groups[0].figure(Order::Errors), Some(1.0));
    // Numbers by their size.
    let found = tally(&snapshot, &ask(&["took_ms"], None, None));
    let rows = found.sorted(Order::Key(0), false);
    let took: Vec<String> =
        rows.iter().map(|row| word(&found.groups[*row as usize].keys[0])).collect();
    assert_eq!(took, ["1", "2", "5", "6", "7", "90"]);
}

/// Values that may be secret where they stand, or the same as one that is, or a part of it.
const VALUES: [&str; 9] = [
    "hunter2-gull-tide",
    "hunter2",
    "gull-tide",
    "ada@ferries.example.test",
    "plain",
    "10.7.1.168",
    "s-0bba1b7f3a9c",
    "4000007035069548",
    "a%20b",
];
const NAMES: [&str; 8] =
    ["password", "note", "path", "session", "user", "api_key", "email", "card_number"];

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, ..ProptestConfig::default() })]

    /// Values are cut out of lines with secrets as reading the lines in full gives them (builds that check hold one against
    /// the other), and no secret is the name of a group.
    #[test]
    fn values_beside_secrets_are_those_of_reading_in_full(
        lines in proptest::collection::vec(proptest::collection::vec((0usize..NAMES.len(), 0usize..VALUES.len()), 1..5), 1..30),
        layout in 0usize..3,
    ) {
        let mut text = String::new();
        if layout == 2 {
            text.push_str(&format!("time,level,{}\n", NAMES.join(",")));
        }
        let mut secrets: BTreeSet<(usize, &str)> = BTreeSet::new();
        for (at, fields) in lines.iter().enumerate() {
            let mut of: BTreeMap<&str, &str> = BTreeMap::new();
            of.extend(fields.iter().map(|(name, value)| (NAMES[*name], VALUES[*value])));
            let time = rfc3339((START + at as i64) * 1_000_000, 3);
            match layout {
                0 => {
                    let fields: String = of.iter().map(|(name, value)| format!(",\"{name}\":\"{value}\"")).collect();
                    text.push_str(&format!("{{\"time\":\"{time}\",\"level\":\"info\",\"msg\":\"x\"{fields}}}\n"));
                }
                1 => {
                    let fields: String = of.iter().map(|(name, value)| format!(" {name}={value}")).collect();
                    text.push_str(&format!("time={time} level=info msg=x{fields}\n"));
                }
                _ => {
                    let cells = NAMES.map(|name| of.get(name).copied().unwrap_or_default());
                    text.push_str(&format!("{time},info,{}\n", cells.join(",")));
                }
            }
            if let Some(value) = of.get("password").filter(|value| value.contains("hunter2")) {
                secrets.insert((at, value));
            }
        }
        let intake = Intake::new(&[("a.log", &text)]);
        let engine = intake.engine(false);
        let snapshot = loaded(&engine, lines.len());
        for name in NAMES {
            let found = tally(&snapshot, &ask(&[name], Some("took"), None));
            prop_assert_eq!(found.unread, 0, "{}", name);
            let shared: Tally<Anyone> = Tally::of(&snapshot, Of::All, &ask(&[name], None, None), &Pass::default()).unwrap();
            prop_assert_eq!(shared.unread, 0, "{}", name);
            if name == "password" && !secrets.is_empty() {
                let told = format!("{:?} {:?}", found.groups, shared.groups);
                prop_assert!(!told.contains("hunter2"), "{}", told);
            }
        }
    }
}

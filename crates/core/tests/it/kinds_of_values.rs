//! Kinds of messages whose values have many forms, held against the templates that they were made of.

use std::collections::{BTreeMap, BTreeSet};

use cribrum_core::{
    engine::{Engine, Of, Pass},
    kinds::{Kinds, SoFar},
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    veil::Desk,
};
use proptest::prelude::*;

use crate::{Intake, wait};

/// Words that templates are made of.
const WORDS: [&str; 10] =
    ["berth", "tide", "mooring", "bow", "stern", "queue", "lost", "held", "shut", "late"];

/// What stands in a hole of a template.
#[derive(Clone, Copy, Debug)]
enum Values {
    Numbers,
    Ids,
    Durations,
    Quoted,
    /// Whatever a program prints where it has a value or none.
    Any,
}

/// Values in the forms in which programs print them.
fn value(values: Values, seed: u64) -> String {
    let pick =
        |all: &[&str]| all[usize::try_from(seed / 7).unwrap_or_default() % all.len()].to_owned();
    match values {
        Values::Numbers => pick(&["0", "17", "-3", "1,250", "99.5", "7%"])
            .replace("17", &(seed % 9_000).to_string()),
        Values::Ids => match seed % 3 {
            0 => (seed % 99_999_999).to_string(),
            1 => format!("{:08x}", seed % 0xffff_ffff),
            _ => format!("{:08x}-0000-4000-8000-{:012x}", seed % 0xffff_ffff, seed % 0xffff_ffff),
        },
        Values::Durations => match seed % 4 {
            0 => format!("{} ms", seed % 999),
            1 => format!("{}ms", seed % 999),
            2 => format!("{}.5 s", seed % 9),
            _ => "1 minute".to_owned(),
        },
        Values::Quoted => pick(&["\"a b\"", "\"\"", "'one two three'", "\"x\""]),
        Values::Any => pick(&[
            "12",
            "null",
            "\"two words\"",
            "3KiB",
            "/var/a",
            "10.7.0.1:80",
            "[1, 2]",
            "none",
        ]),
    }
}

/// A message that a program prints again and again with other values: what comes in its holes, and the words around.
type Template = Vec<(usize, Option<Values>)>;

fn template() -> impl Strategy<Value = Template> {
    let values = prop_oneof![
        3 => Just(None),
        1 => Just(Some(Values::Numbers)),
        1 => Just(Some(Values::Ids)),
        1 => Just(Some(Values::Durations)),
        1 => Just(Some(Values::Quoted)),
        1 => Just(Some(Values::Any)),
    ];
    proptest::collection::vec((0..WORDS.len(), values), 1..5)
}

/// The message, whose first words no other template has.
fn message(number: usize, template: &Template, seed: u64) -> String {
    let mut words = vec![format!("crossing line{} is", ["a", "b", "c", "d", "e", "f"][number])];
    for (at, (word, values)) in template.iter().enumerate() {
        words.push(WORDS[*word].to_owned());
        if let Some(values) = values {
            words.push(value(*values, seed.rotate_left(u32::try_from(at).unwrap() * 9)));
            words.push("of".to_owned());
        }
    }
    words.push("now".to_owned());
    words.join(" ")
}

fn written(second: u64, message: &str, json: bool) -> String {
    let time = format!("2026-03-14T06:{:02}:{:02}.000Z", second / 60 % 60, second % 60);
    match json {
        true => {
            let message = message.replace('\\', "\\\\").replace('"', "\\\"");
            format!("{{\"time\":\"{time}\",\"level\":\"info\",\"msg\":\"{message}\"}}\n")
        }
        false => format!("{time} INFO [main] pier - {message}\n"),
    }
}

fn found(
    engine: &Engine,
    entries: usize,
) -> (std::sync::Arc<cribrum_core::engine::Snapshot>, Kinds<Desk>) {
    let snapshot = wait(engine, "all entries", |s| s.settled() && s.order.len() == entries);
    let kinds = Kinds::of(&snapshot, Of::Pan, &Pass::default()).unwrap();
    (snapshot, kinds)
}

fn told(kinds: &Kinds<Desk>) -> Vec<(String, u64)> {
    kinds.kinds.iter().map(|kind| (kind.text.as_str().to_owned(), kind.count)).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Whatever is printed: no kind is of two templates, each counts the entries that its condition lets through, and
    /// each of its entries has something in each of its holes.
    #[test]
    fn kinds_of_any_values_are_exact(
        templates in proptest::collection::vec(template(), 1..6),
        seeds in proptest::collection::vec(any::<u64>(), 1..120),
        json in any::<bool>(),
    ) {
        let mut text = String::new();
        let mut want: BTreeMap<String, u64> = BTreeMap::new();
        for (second, seed) in (0..).zip(&seeds) {
            let number = usize::try_from(seed % templates.len() as u64).unwrap();
            let message = message(number, &templates[number], *seed);
            *want.entry(message.split(' ').nth(1).unwrap().to_owned()).or_default() += 1;
            text.push_str(&written(second, &message, json));
        }
        let intake = Intake::new(&[("pier.log", &text)]);
        let engine = intake.engine(false);
        let (snapshot, kinds) = found(&engine, seeds.len());
        let mut counts: BTreeMap<String, u64> = BTreeMap::new();
        for (number, kind) in kinds.kinds.iter().enumerate() {
            let line = kind.text.as_str().split(' ').nth(1).unwrap();
            *counts.entry(line.to_owned()).or_default() += kind.count;
            let expr = kinds.condition(number).unwrap();
            prop_assert_eq!(&expr, &Expr::parse(&expr.to_string(), &Context::default()).unwrap());
            let fills = kinds.fills(number, &snapshot, Of::Pan, &Pass::default()).unwrap();
            prop_assert_eq!(fills.entries as u64, kind.count, "{}", kind.text);
            for hole in &fills.holes {
                let values: u64 = hole.values.iter().map(|(_, count)| count).sum();
                prop_assert_eq!(values, kind.count, "{} in {}", hole.hole, kind.text);
                prop_assert!(hole.values.iter().all(|(value, _)| !value.as_str().is_empty()), "{}", kind.text);
            }
            let sieve = Sieve { meshes: vec![Mesh::of(expr)] };
            engine.set_sieve(sieve.clone());
            let sifted = wait(&engine, "the kind", |s| s.sieve == sieve && s.settled());
            prop_assert_eq!(sifted.pan.len() as u64, kind.count, "{}", kind.text);
        }
        prop_assert_eq!(counts, want);
    }
}

/// Of templates whose values are printed in many forms, each is one kind once enough of them have been seen.
#[test]
fn each_template_is_one_kind() {
    let templates: [Template; 5] = [
        vec![(0, Some(Values::Any)), (1, None)],
        vec![(2, Some(Values::Ids)), (3, Some(Values::Any))],
        vec![(4, Some(Values::Durations)), (5, Some(Values::Numbers))],
        vec![(6, Some(Values::Quoted)), (7, Some(Values::Ids)), (8, None)],
        vec![(9, None), (0, None)],
    ];
    let mut text = String::new();
    for second in 0..3_000_u64 {
        let seed = (second + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 3;
        let number = usize::try_from(second % 5).unwrap();
        text.push_str(&written(
            second,
            &message(number, &templates[number], seed),
            second % 2 == 0,
        ));
    }
    let intake = Intake::new(&[("pier.log", &text)]);
    let (_, kinds) = found(&intake.engine(false), 3_000);
    let told: BTreeSet<(String, u64)> = told(&kinds).into_iter().collect();
    let want = [
        "crossing linea is berth {value} of tide now",
        "crossing lineb is mooring {id} of bow {value} of now",
        "crossing linec is stern {duration} of queue {number} of now",
        "crossing lined is lost {text} of held {id} of shut now",
        "crossing linee is late berth now",
    ];
    assert_eq!(told, want.map(|kind| (kind.to_owned(), 600)).into());
}

/// Kinds that are extended as entries arrive are those that are counted at once, though what was one form becomes many.
#[test]
fn a_form_that_comes_later_makes_two_kinds_one() {
    let intake = Intake::new(&[("pier.log", "")]);
    let engine = intake.engine(true);
    let mut so_far = SoFar::<Desk>::default();
    let mut entries = 0;
    let mut extended = |lines: &[&str]| -> Vec<(String, u64)> {
        let text: String =
            (0..).zip(lines).map(|(second, message)| written(second, message, false)).collect();
        intake.append("pier.log", &text);
        entries += lines.len();
        let (snapshot, at_once) = found(&engine, entries);
        let kinds = so_far.extend(&snapshot, Of::Pan, &Pass::default()).unwrap();
        assert_eq!(told(&kinds), told(&at_once));
        told(&kinds)
    };
    let one = |kind: &str, count: u64| (kind.to_owned(), count);
    assert_eq!(
        extended(&["load 12 is high", "load 13 is high"]),
        [one("load {number} is high", 2)]
    );
    assert_eq!(
        extended(&["load unknown is high"]),
        [one("load {number} is high", 2), one("load unknown is high", 1)]
    );
    assert_eq!(extended(&["load 3GiB is high"]), [one("load {value} is high", 4)]);
    assert_eq!(
        extended(&["load f00dfeed is high", "load null is high"]),
        [one("load {value} is high", 6)]
    );
}

//! Which kinds are one.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::*;
use crate::hash;

const NAMES: [&str; 8] = ["alice", "bob", "carol", "dave", "erin", "frank", "grace", "heidi"];

fn become_of(kinds: &[String]) -> Vec<String> {
    let texts: Vec<&str> = kinds.iter().map(String::as_str).collect();
    let made = holes_for_words(&texts);
    made.iter().zip(&texts).map(|(made, text)| made.as_deref().unwrap_or(text).to_owned()).collect()
}

fn of_names(make: impl Fn(usize, &str) -> String) -> Vec<String> {
    NAMES.iter().enumerate().map(|(at, name)| make(at, name)).collect()
}

#[test]
fn many_words_in_one_place_are_a_hole() {
    let kinds = of_names(|_, name| format!("user {name}, logged in after {{number}} tries"));
    assert!(
        become_of(&kinds).iter().all(|kind| kind == "user {word}, logged in after {number} tries")
    );
    // A few are kinds of their own, and so are many beside a single word.
    assert_eq!(become_of(&kinds[..5]), kinds[..5]);
    let states = of_names(|_, name| format!("{name} now"));
    assert_eq!(become_of(&states), states);
}

#[test]
fn words_that_vary_together_are_two_holes() {
    let cities = ["wick", "tain", "oban", "alness", "nairn", "elgin", "keith", "thurso"];
    let kinds = of_names(|at, name| format!("berth for {name} from {} kept", cities[at]));
    assert!(become_of(&kinds).iter().all(|kind| kind == "berth for {word} from {word} kept"));
}

#[test]
fn of_kinds_that_both_fit_one_comes_first() {
    let others = ["a {word} c", "{word} b c", "a {word} {word}", "x {word} c", "login by ada"];
    let before_of = |kind: &str| before(kind, others.into_iter().filter(|other| *other != kind));
    assert_eq!(before_of("a {word} {word}"), ["a {word} c", "{word} b c"]);
    assert_eq!(before_of("{word} b c"), ["a {word} c", "x {word} c"]);
    assert_eq!(before_of("a {word} c"), [] as [&str; 0]);
    assert_eq!(before_of("login by ada"), [] as [&str; 0]);
    assert_eq!(before_of("login by {hidden}"), ["login by ada"]);
}

#[test]
fn what_is_in_a_hole_elsewhere_is_so_too() {
    let mut kinds = of_names(|_, name| format!("lease of {name} was lost"));
    kinds.push("lease of bob{number} was lost".into());
    kinds.push("lease of {number} was lost".into());
    kinds.push("lease of {id} was lost".into());
    assert!(become_of(&kinds).iter().all(|kind| kind == "lease of {word} was lost"));
    let kinds = [
        "hold {id} placed".to_owned(),
        "hold {number} placed".to_owned(),
        "tide {number} m".to_owned(),
    ];
    assert_eq!(become_of(&kinds), ["hold {id} placed", "hold {id} placed", "tide {number} m"]);
}

#[test]
fn what_differs_in_what_holes_hold_is_one_kind() {
    let same = |kinds: &[&str], want: &str| {
        let kinds: Vec<String> = kinds.iter().map(ToString::to_string).collect();
        let made = become_of(&kinds);
        assert!(made.iter().all(|made| made == want), "{made:?}");
    };
    same(&["weight={word} kg", "weight={number} kg", "weight={text} kg"], "weight={value} kg");
    same(&["berth h-{number} kept", "berth h-{id} kept"], "berth h-{id} kept");
    same(&["GET /holds/{n}", "GET /holds/{id}"], "GET /holds/{id}");
    same(
        &["a {number} of {id} was left", "a {id} of {number} was left"],
        "a {id} of {id} was left",
    );
    // Nothing is a value, and so is any word where values of several forms stand.
    same(&["berth (null) is full", "berth ({number}) is full"], "berth ({value}) is full");
    same(
        &["load {number} is high", "load {size} is high", "load unknown is high"],
        "load {value} is high",
    );
    same(
        &[
            "a {id} met {path} now",
            "a {path} met {id} now",
            "a {id} met nil now",
            "a nil met {id} now",
        ],
        "a {value} met {value} now",
    );
    // Words alone tell kinds apart, templates that are kept and what is hidden stay what they are.
    for kinds in [
        ["{number} {duration}", "{text} {duration}"],
        ["seat {Seat} held", "seat {number} held"],
        ["card {hidden} refused", "card {number} refused"],
        ["berth null is full", "berth closed is full"],
    ] {
        assert_eq!(become_of(&kinds.map(str::to_owned)), kinds);
    }
}

proptest! {
    /// In whatever order kinds come, each becomes the same.
    #[test]
    fn order_does_not_matter(
        picks in proptest::collection::btree_set((0..8_usize, 0..8_usize, 0..3_usize), 1..60),
        seed in any::<u64>(),
    ) {
        let kinds: Vec<String> = picks
            .iter()
            .map(|(a, b, form)| match form {
                0 => format!("user {} left berth", NAMES[*a]),
                1 => format!("user {} met user {}", NAMES[*a], NAMES[*b]),
                _ => format!("hold {} of {{id}}", NAMES[*b]),
            })
            .collect::<std::collections::BTreeSet<_>>()
            .into_iter()
            .collect();
        let mut turned = kinds.clone();
        turned.sort_by_key(|kind| {
            hash::of((seed, kind))
        });
        let made: BTreeMap<String, String> = kinds.iter().cloned().zip(become_of(&kinds)).collect();
        let again: BTreeMap<String, String> = turned.iter().cloned().zip(become_of(&turned)).collect();
        prop_assert_eq!(made, again);
    }

    /// Each kind becomes exactly one whose condition lets it through, and what was found stays as it is when it is
    /// looked at again.
    #[test]
    fn every_kind_is_of_one_that_was_found(
        picks in proptest::collection::btree_set((0..4_usize, 0..14_usize, 0..14_usize), 1..70),
    ) {
        const VALUES: [&str; 14] = [
            "{number}", "{id}", "{text}", "{size}", "{path}", "null", "(none)", "h-{number}", "h-{id}", "alice", "bob", "carol",
            "dave", "{hidden}",
        ];
        let kinds: Vec<String> = picks
            .iter()
            .map(|(form, a, b)| (form, VALUES[*a], VALUES[*b]))
            .map(|(form, a, b)| match form {
                0 => format!("berth {a} is full now"),
                1 => format!("user {a} met user {b}"),
                2 => format!("tide={{number}}, berth {a} of {b}, done"),
                _ => format!("GET /holds/{{n}} {a}"),
            })
            .collect::<BTreeSet<_>>()
            .into_iter()
            .collect();
        let made = become_of(&kinds);
        let found: BTreeSet<&str> = made.iter().map(String::as_str).collect();
        for (kind, made) in kinds.iter().zip(&made) {
            let lets_through = |found: &str, among: &BTreeSet<&str>| {
                let others = among.iter().copied().filter(|other| *other != found);
                let before = before(found, others);
                Pattern::new(found).fits(kind)
                    && !before.into_iter().any(|other| Pattern::new(other).fits(kind))
            };
            prop_assert!(Pattern::new(made).fits(kind), "{} is no {}", kind, made);
            // Whatever stands where something is hidden may be of other kinds as well.
            if !kind.contains("{hidden}") && !found.iter().any(|found| found.contains("{hidden}")) {
                let of: Vec<&str> =
                    found.iter().copied().filter(|one| lets_through(one, &found)).collect();
                prop_assert_eq!(of, vec![made.as_str()], "{}", kind);
            }
        }
        let found: Vec<String> = found.into_iter().map(str::to_owned).collect();
        prop_assert_eq!(become_of(&found), found);
    }
}

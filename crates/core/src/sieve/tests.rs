//! Floors, windows, undo, and the figures of the funnel.

use super::*;
use crate::{query::Context, store::Bits};

fn expr(text: &str) -> Expr {
    Expr::parse(text, &Context { zone: None, last: Some(0), ..Context::default() }).unwrap()
}

fn written(sieve: &Sieve) -> Vec<String> {
    sieve.meshes.iter().map(ToString::to_string).collect()
}

#[test]
fn the_floor_goes_up_and_down_in_place() {
    let mut sieve = Sieve::default();
    sieve.meshes.push(Mesh::of(expr("timeout")));
    let mut seen = Vec::new();
    for _ in 0..6 {
        sieve.raise_floor();
        seen.push(sieve.floor().map(Level::name));
    }
    assert_eq!(seen, ["debug", "info", "warn", "error", "fatal", "fatal"].map(Some));
    assert_eq!(written(&sieve), ["level ≥ fatal", "timeout"]);
    for want in [Some("error"), Some("warn"), Some("info"), Some("debug"), None, None] {
        sieve.lower_floor();
        assert_eq!(sieve.floor().map(Level::name), want);
    }
    assert_eq!(written(&sieve), ["timeout"]);
}

#[test]
fn entries_without_a_level_pass_when_asked() {
    let mut sieve = Sieve::default();
    sieve.set_floor(Some(Level::Warn));
    let strict = sieve.meshes[0].key();
    sieve.toggle_unlevelled();
    assert_eq!(written(&sieve), ["level ≥ warn or none"]);
    assert_ne!(sieve.meshes[0].key(), strict, "other entries pass, so the bits differ");
    assert_eq!(sieve.meshes[0].expr().to_string(), "level >= warn or not has level");
}

#[test]
fn there_is_one_window() {
    let mut sieve = Sieve::default();
    sieve.set_window(expr("time >= 00:10"));
    sieve.meshes.push(Mesh::of(expr("x")));
    sieve.set_window(expr("time in 00:10..00:20"));
    assert_eq!(written(&sieve), ["time in 00:10..00:20", "x"]);
    let tomorrow = Context { zone: None, last: Some(86_400_000_000_000), ..Context::default() };
    let same_text = Mesh::of(Expr::parse("time in 00:10..00:20", &tomorrow).unwrap());
    assert_ne!(sieve.meshes[0].key(), same_text.key(), "the same words on another day");
}

#[test]
fn every_change_can_be_taken_back() {
    let mut history = History::default();
    assert!(!history.undo() && !history.redo());
    assert!(history.change(Sieve::raise_floor));
    assert!(history.change(|sieve| sieve.meshes.push(Mesh::of(expr("a")))));
    assert!(!history.change(|_| {}), "nothing changed");
    assert!(history.change(|sieve| sieve.meshes[1].on = false));
    let last = history.sieve().clone();
    assert!(history.undo() && history.undo());
    assert_eq!(written(history.sieve()), ["level ≥ debug"]);
    assert!(history.redo() && history.redo() && !history.redo());
    assert_eq!(*history.sieve(), last);
    history.undo();
    history.change(Sieve::lower_floor);
    assert!(!history.redo(), "a new change ends what could be taken again");
    for _ in 0..500 {
        history.change(|sieve| sieve.meshes.push(Mesh::of(expr("b"))));
    }
    let mut steps = 0;
    while history.undo() {
        steps += 1;
    }
    assert_eq!(steps, 200, "memory is bounded");
}

#[test]
fn the_funnel_says_who_held_what() {
    let set = |members: &[usize]| {
        let mut bits = Bits::none(6);
        members.iter().for_each(|index| bits.set(*index));
        bits
    };
    let mut sieve = Sieve::default();
    sieve.set_floor(Some(Level::Warn));
    sieve.meshes.push(Mesh::of(expr("a")));
    sieve.meshes.push(Mesh { on: false, ..Mesh::of(expr("b")) });
    sieve.meshes.push(Mesh::of(expr("c")));
    let (floor, a, c) = (set(&[0, 1, 2]), set(&[1, 2, 3]), set(&[3, 4]));
    let bits = [Some(&floor), Some(&a), None, Some(&c)];
    let mut funnel = Funnel::default();
    add_block(&mut funnel, &sieve, 6, &bits, |index| index != 5);
    let figures: Vec<_> =
        funnel.rows.iter().map(|row| (row.left, row.held, row.unlevelled)).collect();
    assert_eq!(figures, [(3, 3, 1), (2, 1, 0), (2, 0, 0), (0, 2, 0)]);
    assert_eq!((funnel.poured, funnel.left()), (6, 0));
    add_gives_back(&mut funnel, 6, &bits);
    let back: Vec<_> = funnel.rows.iter().map(|row| row.gives_back).collect();
    assert_eq!(back, [1, 0, 0, 2], "what each mesh alone holds back");
}

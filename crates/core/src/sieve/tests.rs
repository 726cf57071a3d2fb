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
    sieve.toggle_unlevelled();
    assert_eq!(written(&sieve), ["level ≥ warn or none"]);
    assert_eq!(exprs(&sieve), ["level >= warn or not has level"]);
}

/// The meshes as expressions; those that are none are left out.
fn exprs(sieve: &Sieve) -> Vec<String> {
    sieve.meshes.iter().filter_map(|mesh| Some(mesh.expr()?.to_string())).collect()
}

#[test]
fn a_logger_is_kept_quiet_with_those_below_it() {
    let mut sieve = Sieve::default();
    sieve.quieten("http.client", Level::Error);
    sieve.quieten("pool", Level::Warn);
    sieve.quieten("http.client", Level::Warn);
    assert_eq!(written(&sieve), ["http.client quiet below warn", "pool quiet below warn"]);
    let quiet = exprs(&sieve).remove(0);
    assert!(quiet.starts_with("not (logger ~ \"^http\\\\.client"), "{quiet}");
    assert_eq!(expr(&quiet).to_string(), quiet, "it can be edited as an expression");
    let Some(Expr::Not(inner)) = sieve.meshes[0].expr() else { panic!("{quiet}") };
    let Expr::And(parts) = *inner else { panic!("{quiet}") };
    for (logger, want) in [
        ("http.client", true),
        ("http.client.pool", true),
        ("http.client:4", true),
        ("http.clients", false),
        ("my.http.client", false),
    ] {
        assert_eq!(parts[0].judges("logger", logger), want, "{logger}");
    }
}

#[test]
fn around_a_moment_the_other_meshes_wait() {
    let mut sieve = Sieve::default();
    sieve.set_floor(Some(Level::Warn));
    sieve.meshes.push(Mesh { on: false, ..Mesh::of(expr("x")) });
    let moment = 3_600_000_000_000;
    let counting = |sieve: &Sieve| sieve.meshes.iter().map(Mesh::counts).collect::<Vec<_>>();
    sieve.around(moment);
    let second = 1_000_000_000;
    assert_eq!(sieve.window(), Some((Some(moment - second), Some(moment + second))));
    assert_eq!(counting(&sieve), [false, false, true]);
    sieve.around(moment);
    assert_eq!(sieve.window(), Some((Some(moment - 10 * second), Some(moment + 10 * second))));
    sieve.around(moment + second);
    assert_eq!(written(&sieve)[2], "around, ± 1 s", "another moment begins anew");
    let mut off = sieve.clone();
    off.toggle(2);
    assert_eq!(counting(&off), [true, false, false], "the others are back as they were");
    off.toggle(0);
    off.toggle(2);
    assert_eq!(counting(&off), [false, false, true]);
    off.toggle(0);
    assert_eq!(counting(&off), [true, false, true], "a mesh that is asked for counts");
    sieve.drop_mesh(2);
    assert_eq!((counting(&sieve), written(&sieve).len()), (vec![true, false], 2));
    let mut history = History::new(sieve.clone());
    history.change(|sieve| sieve.around(moment));
    assert!(history.amend(|sieve| sieve.around(moment)));
    assert_eq!(written(history.sieve())[2], "around, ± 10 s");
    assert!(history.undo(), "widening is part of the step");
    assert_eq!(*history.sieve(), sieve);
    assert!(!history.undo());
}

#[test]
fn a_sweep_takes_the_place_of_the_one_before() {
    let mut sieve = Sieve::default();
    sieve.set_floor(Some(Level::Warn));
    for at in [7, 9] {
        sieve.sweep(Arrival::new([(0, 3), (0, 0)].into_iter(), at));
    }
    assert_eq!(written(&sieve), ["swept", "level ≥ warn"]);
    assert_eq!(sieve.meshes[0].expr(), None);
    sieve.around(0);
    assert!(sieve.meshes[0].counts(), "what was swept away is not around anything");
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
    assert_ne!(sieve.meshes[0].window(), same_text.window(), "the same words on another day");
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
    let mut unlevelled = Bits::none(6);
    unlevelled.set(5);
    add_block(&mut funnel, &sieve, 6, &bits, || unlevelled.clone());
    let figures: Vec<_> =
        funnel.rows.iter().map(|row| (row.left, row.held, row.unlevelled)).collect();
    assert_eq!(figures, [(3, 3, 1), (2, 1, 0), (2, 0, 0), (0, 2, 0)]);
    assert_eq!((funnel.poured, funnel.left()), (6, 0));
    add_gives_back(&mut funnel, 6, &bits);
    let back: Vec<_> = funnel.rows.iter().map(|row| row.gives_back).collect();
    assert_eq!(back, [1, 0, 0, 2], "what each mesh alone holds back");
}

//! Why a line was read as it was, and the lines that a source is shown by.

use cribrum_core::engine::Snapshot;

use crate::{Intake, wait};

const MIXED: &str = "prose first\n\
    2026-03-14 06:41:02 ERROR a: failed\n  at B\n\
    {\"level\":\"info\",\"msg\":\"x\"}\n\
    more prose\n\
    \u{1b}[31m2026-03-14 06:41:03 WARN\u{1b}[0m a: red\n";

#[test]
fn every_line_of_an_entry_leads_to_it() {
    let intake = Intake::new(&[("a.log", MIXED)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    for (line, first, lines, layout, coloured) in [
        (1, 1, 1, "plain", false),
        (2, 2, 2, "text", false),
        (3, 2, 2, "text", false),
        (4, 4, 1, "json", false),
        (5, 5, 1, "plain", false),
        (6, 6, 1, "text", true),
    ] {
        let found = snapshot.explain(0, None, line).unwrap().unwrap();
        assert_eq!(
            (found.lines, found.entry.layout.name()),
            ((first, lines), layout),
            "line {line}"
        );
        assert_eq!(found.coloured, coloured, "line {line}");
        let fits: Vec<_> = found.tried.iter().filter(|tried| tried.fits).collect();
        assert_eq!(fits.len(), usize::from(layout != "plain"), "line {line}");
        if let Some(fit) = fits.first() {
            assert_eq!(fit.layout.name(), layout, "line {line}");
        }
    }
    for line in [0, 7, 99] {
        assert!(snapshot.explain(0, None, line.max(1) + 6).unwrap().is_none(), "line {line}");
    }
    assert!(snapshot.explain(0, Some("other.log"), 1).unwrap().is_none());
}

#[test]
fn a_sample_shows_what_is_not_understood_first() {
    let intake =
        Intake::new(&[("a.log", MIXED), ("b.log", "{\"level\":\"info\",\"msg\":\"x\"}\n")]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    let lines = |source: usize, most: usize| -> Vec<u64> {
        snapshot.sample(source, most).into_iter().map(|id| snapshot.line(id).unwrap()).collect()
    };
    assert_eq!(lines(0, 24), [1, 5, 2, 4, 6]);
    assert_eq!(lines(0, 4), [1, 5, 2, 4]);
    assert_eq!(lines(1, 24), [1]);
    let first = snapshot.first_plain(0).unwrap();
    assert_eq!(snapshot.line(first).unwrap(), 1);
    assert_eq!(snapshot.first_plain(1), None);
    assert_eq!(snapshot.file_of(first), None, "the source is one file");
}

#[test]
fn entries_of_one_record_have_parts() {
    let batch = "{\"level\":\"info\",\"msg\":\"one\",\"n\":1}{\"level\":\"warn\",\"msg\":\"two\",\"n\":2}\n";
    let intake = Intake::new(&[("a.log", batch)]);
    let engine = intake.engine(false);
    let context = cribrum_core::query::Context::default();
    let mut sieve = cribrum_core::sieve::Sieve::default();
    let expr = cribrum_core::query::Expr::parse("n = 2", &context).unwrap();
    sieve.meshes.push(cribrum_core::sieve::Mesh::of(expr));
    engine.set_sieve(sieve.clone());
    let snapshot = wait(&engine, "the sieve", |s| s.settled() && s.sieve == sieve);
    assert_eq!((snapshot.order.len(), crate::messages(&snapshot)), (2, vec!["two".to_owned()]));
    let word = cribrum_core::query::Expr::parse("one", &context).unwrap();
    let mut sieve = cribrum_core::sieve::Sieve::default();
    sieve.meshes.push(cribrum_core::sieve::Mesh::of(word));
    engine.set_sieve(sieve.clone());
    let snapshot = wait(&engine, "the word", |s| s.settled() && s.sieve == sieve);
    assert_eq!(crate::messages(&snapshot), ["one"], "each entry speaks for itself");
}

#[test]
fn words_are_found_in_what_is_wrapped_and_escaped() {
    let text = "{\"log\":\"{\\\"level\\\":\\\"warn\\\",\\\"msg\\\":\\\"caf\\\\u00e9 \\\\\\\"quoted\\\\\\\" tide\\\"}\\n\",\"stream\":\"stdout\",\"time\":\"2026-03-14T06:41:02Z\"}\n\
        2026-03-14T06:41:03Z stdout P {\"level\":\"info\",\"msg\":\"torn ap\n\
        2026-03-14T06:41:03Z stdout F art\"}\n\
        {\"level\":\"info\",\"msg\":\"seat-{Seat} held\",\"Seat\":17}\n\
        2026-03-14 06:41:04 INFO col\u{1b}[1moured\u{1b}[0m\n";
    let intake = Intake::new(&[("a.log", text)]);
    let engine = intake.engine(false);
    for (query, want) in [
        ("tide", 1),
        ("café", 1),
        ("\"torn apart\"", 1),
        ("apart", 1),
        ("seat-17", 1),
        ("coloured", 1),
        ("stream = stdout", 2),
        ("level = warn", 1),
        ("msg ~ quoted", 1),
        ("nothing", 0),
    ] {
        let context = cribrum_core::query::Context::default();
        let expr = cribrum_core::query::Expr::parse(query, &context).unwrap();
        let mut sieve = cribrum_core::sieve::Sieve::default();
        sieve.meshes.push(cribrum_core::sieve::Mesh::of(expr));
        engine.set_sieve(sieve.clone());
        let snapshot = wait(&engine, query, |s| s.settled() && s.sieve == sieve);
        assert_eq!(snapshot.pan.len(), want, "{query}: {:?}", crate::messages(&snapshot));
    }
}

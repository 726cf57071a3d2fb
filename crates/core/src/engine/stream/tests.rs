//! What is handed over is what reading everything finds, in the order in which it stands.

use std::{fmt::Write as _, path::PathBuf};

use proptest::prelude::*;

use super::*;
use crate::{
    engine::Engine,
    export::{Exporter, Format},
    ingest,
    query::{Context, Expr},
};

/// A folder of sources: a text each, or two for one that was rotated.
struct Files(tempfile::TempDir);

impl Files {
    fn new(texts: &[(&str, String)]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        for (name, text) in texts {
            std::fs::write(folder.path().join(name), text).unwrap();
        }
        Self(folder)
    }

    fn found(&self) -> Discovery {
        ingest::discover(&[PathBuf::from(self.0.path())])
    }
}

fn sieve(condition: &str) -> Sieve {
    match condition {
        "" => Sieve::default(),
        _ => Sieve { meshes: vec![Mesh::of(Expr::parse(condition, &Context::default()).unwrap())] },
    }
}

fn lines(snapshot: &Snapshot, rows: &Rows) -> Vec<String> {
    let mut exporter = Exporter::new(snapshot, Format::Jsonl, None, false);
    let line = |id| {
        let mut line = Vec::new();
        exporter.write(id, &mut line).unwrap();
        String::from_utf8(line).unwrap()
    };
    rows.iter_from(0).map(line).collect()
}

/// What is handed over, and what is told at the end; no more than `most` pieces are taken.
fn streamed(files: &Files, condition: &str, most: usize) -> (Vec<String>, Streamed) {
    let (mut out, mut taken) = (Vec::new(), 0);
    let write = |snapshot: &Snapshot| lines(snapshot, &snapshot.pan);
    let take = |lines: Vec<String>| {
        out.extend(lines);
        taken += 1;
        if taken < most { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    };
    let (options, veil) = (Options::default(), Veil::new([7; 16]));
    let streamed = stream(&files.found(), &options, &sieve(condition), &veil, write, take).unwrap();
    (out, streamed)
}

/// What reading everything finds, and the snapshot.
fn read(files: &Files, condition: &str) -> (Vec<String>, Arc<Snapshot>) {
    let (sieve, veil) = (sieve(condition), Veil::new([7; 16]));
    let engine = Engine::start(files.found(), Options::default(), veil, || {}).unwrap();
    engine.set_sieve(sieve.clone());
    let snapshot = engine.wait(|snapshot| snapshot.sieve == sieve && snapshot.settled());
    (lines(&snapshot, &snapshot.pan_by_place()), snapshot)
}

/// A line of some layout, now and then out of the order of time, with a trace or a secret.
fn line(kind: usize, at: usize) -> String {
    let second = if at.is_multiple_of(7) { 59 - at % 60 } else { at % 60 };
    let time = format!("06:{:02}:{second:02}", at / 60 % 60);
    match kind {
        0 => format!(
            "{{\"time\":\"2026-03-14T{time}Z\",\"level\":\"info\",\"msg\":\"hold {at}\",\"token\":\"t{at}\"}}\n"
        ),
        1 => format!("2026-03-14 {time},000 WARN harbour.berths - berth {at}\n  and {at} more\n"),
        2 => format!("no time {at}\n"),
        _ => {
            format!("2026-03-14 {time} | I | fares.lookup | fare {at} | rid=c3ddec563a9a{at:04}\n")
        }
    }
}

fn text(kinds: &[usize]) -> String {
    kinds.iter().enumerate().fold(String::new(), |mut text, (at, kind)| {
        let _ = write!(text, "{}", line(*kind, at));
        text
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn what_is_handed_over_is_what_there_is(
        first in proptest::collection::vec(0usize..4, 0..900),
        second in proptest::collection::vec(0usize..4, 0..40),
        third in proptest::collection::vec(0usize..4, 0..300),
    ) {
        let files = Files::new(&[
            ("a.log", text(&first)), ("b.log.1", text(&second)), ("b.log", text(&third)),
        ]);
        for condition in ["", "level >= warn", "berth or n > 3", "time >= \"2026-03-14 06:03\""] {
            let (out, told) = streamed(&files, condition, usize::MAX);
            let (want, all) = read(&files, condition);
            prop_assert_eq!(told.passed, want.len());
            prop_assert_eq!(told.entries, all.order.len());
            prop_assert_eq!(out, want, "{}", condition);
        }
    }
}

#[test]
fn what_is_enough_ends_it() {
    let files = Files::new(&[("a.log", text(&[0; 4_000])), ("b.log", text(&[1; 4_000]))]);
    let (out, _) = streamed(&files, "", 1);
    let (all, _) = read(&files, "");
    assert_eq!(out.len(), 4_000, "the piece that there is of the first source");
    assert_eq!(out, all[..out.len()]);
}

#[test]
fn why_nothing_passed_is_told_by_all_there_is() {
    let files = Files::new(&[("a.log", text(&[0; 700])), ("b.log", text(&[1; 700]))]);
    let (out, told) = streamed(&files, "level = fatal", usize::MAX);
    let (_, all) = read(&files, "level = fatal");
    let nothing = told.nothing.unwrap();
    assert_eq!((out.len(), told.passed, told.entries), (0, 0, 1_400));
    assert_eq!((&nothing.funnel, nothing.order.len()), (&all.funnel, 1_400));
    assert_eq!(nothing.span(), all.span());
    // Some pass: nothing is to be explained. Too many to be kept: only their number is told.
    assert!(streamed(&files, "level = warn", usize::MAX).1.nothing.is_none());
    let files = Files::new(&[("a.log", text(&[0; KEPT + 400]))]);
    let (_, told) = streamed(&files, "level = fatal", usize::MAX);
    assert_eq!((told.nothing.is_none(), told.entries), (true, KEPT + 400));
}

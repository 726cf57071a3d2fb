//! What a search finds is what reading everything finds.

use std::{fmt::Write as _, io::Write as _, path::PathBuf};

use proptest::prelude::*;

use super::*;
use crate::{
    engine::Engine,
    export::{Exporter, Format},
    ingest,
    query::{Context, Expr},
    sieve::Mesh,
};

/// Lines of some layouts, and what stands in them besides.
fn line(kind: usize, at: usize, word: &str) -> String {
    let (minute, second) = (at / 60 % 60, at % 60);
    match kind {
        0 => format!(
            "{{\"time\":\"2026-03-14T06:{minute:02}:{second:02}Z\",\"level\":\"info\",\"msg\":\"seat hold {word}\",\"n\":{at}}}\n"
        ),
        1 => format!(
            "2026-03-14 06:{minute:02}:{second:02},000 INFO harbour.berths - berth {at} {word}\n"
        ),
        2 => format!(
            "2026-03-14 06:{minute:02}:{second:02},000 ERROR harbour.berths - failed\njava.lang.IllegalStateException: {word}\n\tat harbour.Berths.free(Berths.java:{at})\n"
        ),
        3 => format!(
            "10.7.0.12 - - [14/Mar/2026:06:{minute:02}:{second:02} +0000] \"GET /{word}/{at} HTTP/1.1\" 200 5\n"
        ),
        4 => format!(
            "{{\"time\":\"2026-03-14T06:{minute:02}:{second:02}Z\",\"level\":\"info\",\"msg\":\"{{Word}} held\",\"Word\":\"{word}\"}}\n"
        ),
        _ => format!("{word} and no time at all\n"),
    }
}

struct Files {
    _folder: tempfile::TempDir,
    paths: Vec<PathBuf>,
}

fn files(texts: &[String]) -> Files {
    let folder = tempfile::tempdir().unwrap();
    let write = |(at, text): (usize, &String)| {
        let path = folder.path().join(format!("{at}.log"));
        std::fs::File::create(&path).unwrap().write_all(text.as_bytes()).unwrap();
        path
    };
    let paths = texts.iter().enumerate().map(write).collect();
    Files { _folder: folder, paths }
}

fn written(snapshot: &Snapshot) -> String {
    let mut exporter = Exporter::new(snapshot, Format::Jsonl, None, false);
    let mut out = Vec::new();
    for id in snapshot.pan.iter_from(0) {
        exporter.write(id, &mut out).unwrap();
    }
    String::from_utf8(out).unwrap()
}

/// What a search finds, if it does, and what reading everything finds.
fn both(files: &Files, condition: &str) -> (Option<String>, String) {
    let veil = Veil::new([7; 16]);
    let expr = Expr::parse(condition, &Context::default()).unwrap();
    let sieve = Sieve { meshes: vec![Mesh::of(expr)] };
    let found = || ingest::discover(&files.paths);
    let searched = search(&found(), &Options::default(), &sieve, &veil, true);
    let engine = Engine::start(found(), Options::default(), veil, || {}).unwrap();
    engine.set_sieve(sieve.clone());
    let read = engine.wait(|snapshot| snapshot.sieve == sieve && snapshot.settled());
    (searched.map(|snapshot| written(&snapshot)), written(&read))
}

#[test]
fn a_rare_word_is_found_without_reading_everything() {
    let many = |kind: usize| {
        (0..4_000).fold(String::new(), |mut text, at| {
            let word = if at == 2_345 { "Gull-77" } else { "gull" };
            let _ = write!(text, "{}", line(kind, at, word));
            text
        })
    };
    for kind in [0, 1, 2, 3] {
        let files = files(&[many(kind), many(1)]);
        for condition in ["Gull-77", "gull-77 and level >= info", "has time and \"Gull-77\""] {
            let (searched, read) = both(&files, condition);
            assert_eq!(read.lines().count(), 2, "{condition}");
            assert_eq!(searched.as_ref(), Some(&read), "{condition} in {kind}");
        }
    }
    let files = files(&[many(0)]);
    assert_eq!(both(&files, "n = 17").0, None, "a number may be written otherwise");
    assert_eq!(both(&files, "level = info").0, None, "the index knows");
    assert_eq!(both(&files, "gull").0, None, "everywhere");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn what_is_found_is_what_there_is(
        kinds in proptest::collection::vec((0usize..6, 0usize..40), 120..700),
        second in proptest::collection::vec((0usize..6, 0usize..40), 0..60),
        place in 0usize..700,
    ) {
        let text = |kinds: &[(usize, usize)], place: usize| {
            kinds.iter().enumerate().fold(String::new(), |mut text, (at, (kind, odd))| {
                let word = match (at == place, odd) {
                    (true, _) => "tide-4711",
                    (_, 0) => "tide-\\u00344711",
                    _ => "slack water",
                };
                let _ = write!(text, "{}", line(*kind, at, word));
                text
            })
        };
        let files = files(&[text(&kinds, place), text(&second, place / 4)]);
        for condition in ["tide-4711", "Tide-4711 or tide-4711", "message ~ \"tide-4711\""] {
            let (searched, read) = both(&files, condition);
            if let Some(searched) = searched {
                prop_assert_eq!(searched, read, "{}", condition);
            }
        }
    }
}

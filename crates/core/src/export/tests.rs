//! Rows on all cores are those written one after the other, whatever their sources and however they are mixed.

use std::io::{self, Write};

use super::*;
use crate::{
    engine::{Engine, Options},
    ingest,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    veil::Veil,
};

/// Entries enough for several batches, in files that take turns.
const ENTRIES: usize = 40_000;

fn intake() -> (tempfile::TempDir, Engine) {
    let folder = tempfile::tempdir().unwrap();
    let mut texts = [String::new(), String::new(), String::new()];
    for at in 0..ENTRIES {
        let (minute, second, milli) = (at / 60_000 % 60, at / 1_000 % 60, at % 1_000);
        let time = format!("06:{minute:02}:{second:02}");
        let line = match at * 7 % 3 {
            0 => format!(
                "{{\"time\":\"2026-03-14T{time}.{milli:03}Z\",\"level\":\"info\",\"msg\":\"seat {at}\",\"token\":\"sm_{at:08}x\"}}\n"
            ),
            1 => format!(
                "2026-03-14 {time},{milli:03} WARN harbour.berths - berth {at}\n\tat harbour.Berths.free(Berths.java:{at})\n"
            ),
            _ => format!(
                "time=2026-03-14T{time}.{milli:03}Z level=debug msg=\"tide \\\"{at}\\\"\" n={at}\n"
            ),
        };
        texts[at * 7 % 3].push_str(&line);
    }
    for (at, text) in texts.iter().enumerate() {
        std::fs::write(folder.path().join(format!("{at}.log")), text).unwrap();
    }
    let found = ingest::discover(&[folder.path().to_owned()]);
    let engine = Engine::start(found, Options::default(), Veil::new([7; 16]), || {}).unwrap();
    (folder, engine)
}

fn one_by_one(snapshot: &Snapshot, format: Format) -> Vec<u8> {
    let mut exporter = Exporter::new(snapshot, format, None, false);
    let mut out = Vec::new();
    for id in snapshot.pan.iter_from(0) {
        exporter.write(id, &mut out).unwrap();
    }
    out
}

fn on_all_cores(snapshot: &Snapshot, format: Format) -> Vec<u8> {
    let mut out = Vec::new();
    let make = || Exporter::new(snapshot, format, None, false);
    let mut lost = |error: &Error| panic!("{error}");
    write_rows(&snapshot.pan, &make, &mut out, &mut lost).unwrap();
    out
}

#[test]
fn rows_of_several_sources_come_in_their_order() {
    let (_folder, engine) = intake();
    let snapshot = engine.wait(Snapshot::loaded);
    assert_eq!(snapshot.pan.len(), ENTRIES);
    for format in [Format::Text, Format::Jsonl, Format::Raw] {
        let want = one_by_one(&snapshot, format);
        assert!(on_all_cores(&snapshot, format) == want, "{format:?}");
        assert!(!want.windows(5).any(|part| part == b"sm_00"), "no token in {format:?}");
    }
    let expr = Expr::parse("level = warn", &Context::default()).unwrap();
    let sieve = Sieve { meshes: vec![Mesh::of(expr)] };
    engine.set_sieve(sieve.clone());
    let sifted = engine.wait(|s| s.sieve == sieve && s.settled());
    assert!(on_all_cores(&sifted, Format::Raw) == one_by_one(&sifted, Format::Raw));
}

/// An output that takes so many bytes and then no more.
struct Full(usize);

impl Write for Full {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0 = self.0.checked_sub(bytes.len()).ok_or(io::ErrorKind::StorageFull)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

#[test]
fn an_output_that_takes_no_more_ends_all_of_it() {
    let (_folder, engine) = intake();
    let snapshot = engine.wait(Snapshot::loaded);
    let make = || Exporter::new(&snapshot, Format::Raw, None, false);
    let failed = write_rows(&snapshot.pan, &make, &mut Full(1 << 20), &mut |_| {}).unwrap_err();
    assert_eq!(failed.kind(), io::ErrorKind::StorageFull);
}

#[test]
fn entries_that_are_gone_are_told_one_by_one_and_the_others_written() {
    let (folder, engine) = intake();
    let snapshot = engine.wait(Snapshot::loaded);
    let path = folder.path().join("2.log");
    let half = std::fs::metadata(&path).unwrap().len() / 2;
    std::fs::OpenOptions::new().write(true).open(&path).unwrap().set_len(half).unwrap();
    let make = || Exporter::new(&snapshot, Format::Raw, None, false);
    let (mut out, mut lost) = (Vec::new(), 0);
    let mut tell = |error: &Error| {
        lost += 1;
        assert!(error.to_string().starts_with("can't read 2.log"), "{error}");
    };
    write_rows(&snapshot.pan, &make, &mut out, &mut tell).unwrap();
    let written = memchr::memchr_iter(b'\n', &out).count();
    let traces = memchr::memmem::find_iter(&out, b"\tat harbour").count();
    assert_eq!(written - traces + lost, ENTRIES, "each is written or told");
    assert!(lost > 0 && lost < ENTRIES / 3);
}

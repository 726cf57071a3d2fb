//! Packed, rotated and wide files: one text, in the right order, whatever it is kept in.

use std::{fs, io::Write};

use cribrum_core::engine::Snapshot;

use crate::{Intake, line, messages, wait};

fn gzip(text: &str) -> Vec<u8> {
    let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packer.write_all(text.as_bytes()).unwrap();
    packer.finish().unwrap()
}

#[test]
fn a_rotated_set_is_one_source_oldest_first() {
    let intake = Intake::new(&[
        ("app.log", &line("06:41:09", "info", "live")),
        ("app.log.1", &line("06:41:08", "info", "one back")),
    ]);
    // Out of order in time as well: what counts within a source is its place.
    let two = format!("{}  at a.trace\n", line("06:41:07", "info", "two back"));
    fs::write(intake.path("app.log.2.gz"), gzip(&two)).unwrap();
    let three = zstd::encode_all(line("06:41:06", "warn", "three back").as_bytes(), 1).unwrap();
    fs::write(intake.path("app.log.3.zst"), three).unwrap();
    let engine = intake.engine(true);
    let snapshot = wait(&engine, "all four", |s| s.loaded() && s.pan.len() >= 5);
    assert_eq!(snapshot.sources.len(), 1);
    assert_eq!(snapshot.sources[0].name, "app.log");
    assert_eq!(messages(&snapshot), ["three back", "two back", "  at a.trace", "one back", "live"]);
    let last = snapshot.pan.get(4).unwrap();
    assert_eq!(snapshot.line(last).unwrap(), 1, "lines count in their own file");
    intake.append("app.log", &line("06:41:10", "info", "and grows"));
    let snapshot = wait(&engine, "the new line", |s| s.pan.len() == 6);
    assert_eq!(messages(&snapshot)[5], "and grows");
}

#[test]
fn a_broken_archive_gives_what_it_holds() {
    let intake = Intake::new(&[("whole.log", &line("06:41:01", "info", "whole"))]);
    let text: String = (0..2_000)
        .map(|n| line("06:41:02", "info", &format!("entry {n} {:x}", n * 7_919)))
        .collect();
    let packed = gzip(&text);
    fs::write(intake.path("broken.log.gz"), &packed[..packed.len() / 2]).unwrap();
    let mut damaged = packed.clone();
    for byte in &mut damaged[packed.len() / 2..packed.len() / 2 + 40] {
        *byte = !*byte;
    }
    fs::write(intake.path("damaged.log.gz"), damaged).unwrap();
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    for (source, status) in snapshot.sources.iter().zip(&snapshot.status) {
        if source.name == "whole.log" {
            assert_eq!((status.entries(), status.problem.as_deref()), (1, None));
            continue;
        }
        assert!(status.entries() > 300, "{}: {} entries", source.name, status.entries());
        let problem = status.problem.as_deref().unwrap();
        assert!(problem.starts_with("the gzip file is broken after "), "{problem}");
    }
}

#[test]
fn wide_characters_are_text() {
    let text = line("06:41:02", "info", "bücher 座席 😀");
    let intake = Intake::new(&[]);
    let bytes = |little: bool| -> Vec<u8> {
        let units = format!("\u{feff}{text}{text}");
        units
            .encode_utf16()
            .flat_map(|unit| if little { unit.to_le_bytes() } else { unit.to_be_bytes() })
            .collect()
    };
    fs::write(intake.path("big.log"), bytes(false)).unwrap();
    fs::write(intake.path("little.log"), bytes(true)).unwrap();
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "everything", Snapshot::settled);
    assert_eq!(messages(&snapshot), vec!["bücher 座席 😀"; 4]);
    let forms: Vec<_> = snapshot.status.iter().map(|status| status.form.name()).collect();
    assert_eq!(forms, [Some("UTF-16 BE"), Some("UTF-16 LE")]);
}

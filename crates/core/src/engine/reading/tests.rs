//! Chunks in whatever order they come make the same blocks.

use std::collections::BTreeMap;

use super::*;
use crate::{lines, store::Columns};

/// A file on its way in, with the jobs that were asked for.
struct Drive {
    reading: Reading,
    jobs: Vec<Job>,
    /// The blocks by their place: line, bytes, columns, and whether they are early.
    blocks: BTreeMap<u64, (u64, u64, Columns, bool)>,
    last: Option<u64>,
}

impl Drive {
    fn new(path: &Path, eager: bool) -> Self {
        let found = source::discover(&[path.to_owned()]);
        let options = Options { eager, ..Options::default() };
        let reading = Reading::open(&found.sources[0], &options);
        Self { reading, jobs: Vec::new(), blocks: BTreeMap::new(), last: None }
    }

    fn store(&mut self, sealed: Vec<Sealed>) {
        for sealed in sealed {
            if sealed.replaces
                && let Some(last) = self.last
            {
                self.blocks.remove(&last);
            }
            if !sealed.early {
                self.last = Some(sealed.place);
            }
            self.blocks.insert(
                sealed.place,
                (sealed.first_line, sealed.len, sealed.columns, sealed.early),
            );
        }
        if self.reading.is_in_turn() {
            self.blocks.retain(|_, (.., early)| !*early);
        }
    }

    /// Asks for up to `most` jobs.
    fn ask(&mut self, most: usize) {
        while self.jobs.len() < most {
            match self.reading.ask(0) {
                Some(Asked::Job(job)) => self.jobs.push(*job),
                Some(Asked::Known(sealed)) => self.store(sealed),
                None => return,
            }
        }
    }

    fn work(&mut self, at: usize) {
        let Job::Read { run, number, segment, dialect, chunk, .. } =
            self.jobs.remove(at % self.jobs.len())
        else {
            unreachable!()
        };
        let cut = lines::read(&segment, &dialect, &chunk).map(Box::new);
        let sealed = self.reading.take(run, number, cut);
        self.store(sealed);
    }

    /// Works on the jobs in an order made up from a seed.
    fn finish(mut self, mut seed: usize) -> Vec<(u64, u64, u64, Columns)> {
        loop {
            self.ask(4);
            if self.jobs.is_empty() {
                break;
            }
            seed = seed
                .wrapping_mul(6_364_136_223_846_793_005)
                .wrapping_add(1_442_695_040_888_963_407);
            self.work(seed >> 33);
        }
        assert!(self.reading.idle() && self.reading.is_in_turn());
        let blocks = self.blocks.into_iter();
        blocks.map(|(place, (line, len, columns, _))| (place, line, len, columns)).collect()
    }
}

/// A long file of entries with stack traces, and entries without a time.
fn long(folder: &Path) -> PathBuf {
    let mut text = String::new();
    for at in 0..60_000 {
        let (minute, second) = (at / 60 % 60, at % 60);
        text += &format!("2026-03-14 06:{minute:02}:{second:02}.340 ERROR fares: number {at}\n");
        if at % 3 == 0 {
            text += &format!("FareError: {at}\n{}", "    at Fares.of (fares:12)\n".repeat(12));
        }
    }
    let path = folder.join("a.log");
    std::fs::write(&path, text).unwrap();
    path
}

#[test]
fn the_end_of_a_long_file_comes_first_and_changes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let path = long(folder.path());
    let size = path.metadata().unwrap().len();
    assert!(size > 8 * limits::CHUNK_BYTES as u64);
    let want = Drive::new(&path, false).finish(1);
    assert!(want.len() > 8);
    for seed in 0..12 {
        assert!(Drive::new(&path, true).finish(seed) == want, "seed {seed}");
    }
    let mut drive = Drive::new(&path, true);
    drive.ask(2);
    drive.work(1);
    assert!(drive.blocks.is_empty(), "the end is not shown before the beginning");
    drive.work(0);
    let (place, (line, len, columns, early)) = drive.blocks.pop_last().unwrap();
    assert_eq!((place + len, line, early), (size, 0, true));
    assert!(columns.len() > 1_000, "the last entries are here before the first");
}

#[test]
fn a_header_that_comes_late_is_learnt() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.log");
    let prose = "2026-03-14 06:41:02.340 INFO fares: told\n".repeat(40_000);
    let rows = "2026-03-14T06:41:03Z,warn,bow,\"a, b\"\n".repeat(60_000);
    std::fs::write(&path, format!("{prose}time,level,gate,message\n{rows}")).unwrap();
    let want = [("text", 40_000), ("csv", 60_000)];
    for seed in 0..6 {
        let mut layouts: BTreeMap<&str, usize> = BTreeMap::new();
        for (.., columns) in Drive::new(&path, seed % 2 == 0).finish(seed) {
            for (layout, count) in columns.census().layouts() {
                *layouts.entry(layout.name()).or_default() += count;
            }
        }
        assert_eq!(layouts, BTreeMap::from(want), "seed {seed}");
    }
}

#[test]
fn a_source_that_was_just_beginning_is_learnt_again() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.log");
    // One name before a bar may be anything; several are those of programs.
    let line = |at: usize| {
        let name = if at.is_multiple_of(3) { "fares" } else { "gate " };
        format!("{name} | 2026-03-14 06:41:{:02} INFO number {at}\n", at % 60)
    };
    let mut text = line(0);
    std::fs::write(&path, &text).unwrap();
    let mut drive = Drive::new(&path, true);
    let mut names = Vec::new();
    for round in 0..6 {
        drive.ask(4);
        while !drive.jobs.is_empty() {
            drive.work(0);
            drive.ask(4);
        }
        names.push(drive.reading.dialect.prefixed);
        text += &(1 << round..2 << round).map(line).collect::<String>();
        std::fs::write(&path, &text).unwrap();
        assert!(drive.reading.poll());
    }
    assert_eq!(names, [false, true, true, true, true, true]);
    let blocks = drive.finish(3);
    let entries: usize = blocks
        .iter()
        .flat_map(|(.., columns)| columns.census().layouts().collect::<Vec<_>>())
        .map(|(layout, count)| if layout.name() == "text" { count } else { 0 })
        .sum();
    assert_eq!(entries, 64, "what was read before its meaning was known as well");
}

#[test]
fn a_file_that_grows_is_read_as_if_it_had_been_whole() {
    let folder = tempfile::tempdir().unwrap();
    let lines = [
        "prose before any time\n",
        "more of it\n",
        "2026-03-14 06:41:02.340 INFO fares: told\n",
        "FareError: none\n",
        "    at Fares.of (fares:12)\n",
        "{\"time\":\"2026-03-14T06:41:03Z\",\"level\":\"warn\",\"msg\":\"x\"}\n",
        "\n",
        "2026-03-14 06:41:04.340 ERROR fares: refused\n",
        "    at Fares.of (fares:12)\n",
        "loose\n",
    ];
    let (whole, grown) = (folder.path().join("whole.log"), folder.path().join("grown.log"));
    std::fs::write(&whole, lines.concat()).unwrap();
    let want = Drive::new(&whole, false).finish(1);
    for step in 1..6 {
        std::fs::write(&grown, "").unwrap();
        let mut drive = Drive::new(&grown, false);
        for end in (0..lines.len()).step_by(step).skip(1).chain([lines.len()]) {
            std::fs::write(&grown, lines[..end].concat()).unwrap();
            assert!(drive.reading.poll());
            drive.ask(4);
            while !drive.jobs.is_empty() {
                drive.work(0);
                drive.ask(4);
            }
        }
        assert!(drive.finish(1) == want, "{step} lines at a time");
    }
}

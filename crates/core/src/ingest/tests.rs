//! Chunks in whatever order they come make the same blocks.

use std::{
    collections::BTreeMap,
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, Instant},
};

use super::*;
use crate::{
    layout::Dialect,
    limits,
    source::faults::{self, Fault},
    store::Columns,
};

/// A file on its way in, with the jobs that were asked for.
struct Drive {
    feed: Feed,
    jobs: Vec<(Ticket, Task)>,
    /// The blocks by their place: line, bytes, columns, and whether they are early.
    blocks: BTreeMap<u64, (u64, u64, Columns, bool)>,
    last: Option<u64>,
    /// Tests don't wait for times to come: they move ahead instead.
    now: Instant,
}

impl Drive {
    fn new(path: &Path, eager: bool) -> Self {
        Self::with(path, eager, false)
    }

    fn with(path: &Path, eager: bool, follow: bool) -> Self {
        let found = discover(&[path.to_owned()]);
        let manner = Manner { follow, eager, last_bytes: None, wake: Arc::new(|| {}) };
        let feed = Feed::new(0, &found.sources[0], &Dialect::default(), &[], manner);
        let (jobs, blocks) = (Vec::new(), BTreeMap::new());
        Self { feed, jobs, blocks, last: None, now: Instant::now() }
    }

    fn store(&mut self, sealed: Vec<Sealed>) {
        for sealed in sealed {
            if sealed.slot == Slot::Last
                && let Some(last) = self.last
            {
                self.blocks.remove(&last);
            }
            if matches!(sealed.slot, Slot::Next | Slot::Last) {
                self.last = Some(sealed.place);
            }
            let early = sealed.slot == Slot::Early;
            if sealed.slot != Slot::Growing {
                let block = (sealed.first_line, sealed.len, sealed.columns, early);
                self.blocks.insert(sealed.place, block);
            }
        }
        if self.feed.is_in_turn() {
            self.blocks.retain(|_, (.., early)| !*early);
        }
    }

    /// Asks for up to `most` jobs.
    fn ask(&mut self, most: usize) {
        while self.jobs.len() < most {
            let mut sealed = Vec::new();
            let next = self.feed.next(self.now, false, &mut sealed);
            let known = !sealed.is_empty();
            self.store(sealed);
            match next {
                Some(job) => self.jobs.push(job),
                None if known => {}
                None => return,
            }
        }
    }

    fn work(&mut self, at: usize) {
        let (ticket, task) = self.jobs.remove(at % self.jobs.len());
        let sealed = self.feed.take(ticket, task.run());
        self.store(sealed);
    }

    /// Works on the jobs in an order made up from a seed.
    fn run(&mut self, mut seed: usize) {
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
    }

    fn finish(mut self, seed: usize) -> Vec<(u64, u64, u64, Columns)> {
        self.run(seed);
        let (read, size) = self.feed.bytes();
        assert!(read == size && self.feed.is_in_turn());
        let blocks = self.blocks.into_iter();
        blocks.map(|(place, (line, len, columns, _))| (place, line, len, columns)).collect()
    }

    /// Looks for more, and reads it.
    fn look(&mut self) {
        self.now = Instant::now() + Duration::from_millis(160);
        self.run(1);
    }

    /// Entries by layout.
    fn layouts(&self) -> BTreeMap<&'static str, usize> {
        let mut layouts: BTreeMap<&str, usize> = BTreeMap::new();
        for (.., columns, _) in self.blocks.values() {
            for (layout, count) in columns.census().layouts() {
                *layouts.entry(layout.name()).or_default() += count;
            }
        }
        layouts
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
    // Opening comes first.
    drive.ask(1);
    drive.work(0);
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
        let mut drive = Drive::new(&path, seed % 2 == 0);
        drive.run(seed);
        assert_eq!(drive.layouts(), BTreeMap::from(want), "seed {seed}");
    }
}

#[test]
fn columns_that_change_in_the_middle_hold_from_there_on() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.log");
    let fields =
        ["#Fields: date time sc-status cs-uri-stem", "#Fields: cs-method time date s-ip sc-status"];
    let rows = ["2026-03-14 06:41:02 503 /fares", "GET 06:41:03 2026-03-15 10.0.0.7 200"];
    let tables = ["level,time,gate,message", "gate,message,time,level", "time,gate,level,seats"];
    let cells = [
        "warn,2026-03-14T06:41:02Z,bow,\"a\ntime,level,gate\"",
        "stern,late,2026-03-15T06:41:02Z,error",
        "2026-03-16T06:41:02Z,bow,info,12",
    ];
    for (headers, rows, name) in [(&fields[..], &rows[..], "w3c"), (&tables[..], &cells[..], "csv")]
    {
        for count in [1, 3, 30_000] {
            let mut text = String::new();
            for turn in 0..7 {
                let at = turn % headers.len();
                text += &format!("{}\n", headers[at]);
                text += &format!("{}\n", rows[at]).repeat(count);
            }
            std::fs::write(&path, text).unwrap();
            for seed in 0..3 {
                let mut drive = Drive::new(&path, seed == 0);
                drive.run(seed);
                assert_eq!(drive.layouts(), BTreeMap::from([(name, 7 * count)]), "seed {seed}");
                let unlevelled: usize =
                    drive.blocks.values().map(|(.., columns, _)| columns.census().unlevelled).sum();
                assert_eq!(unlevelled, 0, "every row has the level of its own column");
            }
        }
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
    let mut drive = Drive::with(&path, true, true);
    drive.run(0);
    for round in 0..6 {
        text += &(1 << round..2 << round).map(line).collect::<String>();
        std::fs::write(&path, &text).unwrap();
        drive.look();
    }
    assert_eq!(drive.layouts(), BTreeMap::from([("text", 64)]), "what was read first as well");
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
        let mut drive = Drive::with(&grown, false, true);
        drive.run(0);
        for end in (0..lines.len()).step_by(step).skip(1).chain([lines.len()]) {
            std::fs::write(&grown, lines[..end].concat()).unwrap();
            drive.look();
        }
        assert!(drive.finish(1) == want, "{step} lines at a time");
    }
}

#[test]
fn readings_that_give_little_at_a_time_change_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.log");
    let text = "2026-03-14 06:41:02.340 ERROR fares: told\n    at Fares.of (fares:12)\n".repeat(40);
    std::fs::write(&path, text).unwrap();
    let want = Drive::new(&path, false).finish(1);
    for most in [1, 7, 4_096] {
        faults::plan((0..5_000).map(|at| match at % 3 {
            0 => Fault::Error(std::io::ErrorKind::Interrupted),
            _ => Fault::Short(most),
        }));
        assert!(Drive::with(&path, false, true).finish(1) == want, "{most} bytes at a time");
        faults::clear();
    }
}

#[test]
fn a_reading_that_fails_is_told_and_the_rest_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = long(folder.path());
    let whole = Drive::new(&path, false).finish(1);
    let mut drive = Drive::new(&path, false);
    drive.ask(1);
    drive.work(0);
    drive.ask(1);
    faults::plan([Fault::Error(std::io::ErrorKind::TimedOut)]);
    drive.work(0);
    drive.run(1);
    let problem = drive.feed.problem().unwrap();
    assert!(problem.starts_with("can't be read on: "), "{problem}");
    let (read, all) = (drive.layouts()["text"], whole.len());
    assert!(read > 50_000 && drive.blocks.len() + 3 > all, "{read} entries are left");
}

#[test]
fn a_file_that_is_truncated_between_looking_and_reading_is_seen_through() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.log");
    let line = |at: usize| format!("2026-03-14 06:41:{:02}.340 INFO fares: number {at}\n", at % 60);
    let (first, more): (String, String) =
        ((0..20).map(line).collect(), (20..40).map(line).collect());
    std::fs::write(&path, &first).unwrap();
    let mut drive = Drive::with(&path, false, true);
    drive.run(1);
    std::fs::write(&path, format!("{first}{more}")).unwrap();
    // The look sees forty lines; before they are read, others stand in their place.
    drive.now = Instant::now() + Duration::from_millis(160);
    drive.ask(1);
    drive.work(0);
    drive.ask(1);
    let other = path.clone();
    faults::plan([Fault::First(Box::new(move || {
        std::fs::write(&other, (100..150).map(line).collect::<String>()).unwrap();
    }))]);
    drive.work(0);
    drive.run(1);
    drive.look();
    assert_eq!(drive.layouts()["text"], 20 + 50);
    let notes = &drive.feed.notes;
    assert!(notes.len() == 1 && notes[0].lossy, "{notes:?}");
    let told = format!(
        "a.log was truncated or rewritten after {} bytes had been read; lines written to it may be missing, at \
         least {} bytes of them",
        first.len(),
        more.len()
    );
    assert_eq!(notes[0].text, told);
}

#[test]
fn a_source_without_dates_is_of_the_day_of_those_around_it() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    write("a.log", "2026-03-14T06:41:00Z info a\n2026-03-14T06:42:00Z info b\n");
    write("b.log", "06:41:02 INFO told\n23:41:30 WARN late\n");
    let found = discover(&[folder.path().to_owned()]);
    let days: Vec<Option<&str>> =
        found.sources.iter().map(|s| s.day.as_ref().map(|day| day.of.as_str())).collect();
    assert_eq!(days, [None, Some("a.log")], "its file was written long after");
    let manner = Manner { follow: false, eager: false, last_bytes: None, wake: Arc::new(|| {}) };
    let feed = Feed::new(1, &found.sources[1], &Dialect::default(), &[], manner);
    let told = "its times have no date: they are taken for those of 2026-03-14, the day of a.log";
    assert_eq!(feed.notes[0].text, told);
    let now = jiff::Timestamp::now();
    write("a.log", &format!("{now} info a\n"));
    let found = discover(&[folder.path().to_owned()]);
    assert!(found.sources.iter().all(|source| source.day.is_none()), "its file was written then");
}

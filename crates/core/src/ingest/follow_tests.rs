//! Files that change under us, against a model of what was written.

use std::{
    fs::{self, File, OpenOptions},
    io::Write,
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use proptest::prelude::*;

use super::follow::{KnownFiles, merge};
use crate::{
    engine::{Engine, Options, Snapshot},
    ingest,
    source::{Identity, Print, Segment, descriptors::Rests},
    veil::Veil,
};

/// A writer of numbered lines to a log that is rotated as loggers do it.
struct Log {
    path: PathBuf,
    file: File,
    next: usize,
    rotations: usize,
}

/// How a log is rotated.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Turn {
    /// Renamed, and created anew.
    Rename,
    /// Copied, and truncated.
    CopyTruncate,
    /// Truncated without a copy.
    Truncate,
    /// Deleted, and created anew.
    Delete,
    /// Another file is moved to its place.
    Replace,
    /// A link that leads to another file now.
    Relink,
    /// Rewritten in place, to at least the same length.
    Rewrite,
}

impl Log {
    fn new(folder: &Path, linked: bool) -> Self {
        let path = folder.join("app.log");
        if linked {
            fs::write(folder.join("data.0"), "").unwrap();
            std::os::unix::fs::symlink(folder.join("data.0"), &path).unwrap();
        }
        let file = OpenOptions::new().append(true).create(true).open(&path).unwrap();
        Self { path, file, next: 0, rotations: 0 }
    }

    /// A line that says its number, and has the time of it.
    fn line(&mut self) -> String {
        let at = self.next;
        self.next += 1;
        let (minute, second, milli) = (at / 60_000 % 60, at / 1_000 % 60, at % 1_000);
        format!("2026-03-14T06:{minute:02}:{second:02}.{milli:03}Z INFO writer: number {at}\n")
    }

    fn write(&mut self, lines: usize) {
        for _ in 0..lines {
            let line = self.line();
            self.file.write_all(line.as_bytes()).unwrap();
        }
    }

    fn reopen(&mut self) {
        self.file = OpenOptions::new().append(true).create(true).open(&self.path).unwrap();
    }

    fn turn(&mut self, turn: Turn) {
        self.rotations += 1;
        let beside = |name: String| self.path.with_file_name(name);
        match turn {
            Turn::Rename => {
                for old in (1..4).rev() {
                    let (from, to) = (format!("app.log.{old}"), format!("app.log.{}", old + 1));
                    let _ = fs::rename(beside(from), beside(to));
                }
                fs::rename(&self.path, beside("app.log.1".into())).unwrap();
                // Whoever has it open goes on for a moment.
                self.write(3);
                self.reopen();
            }
            Turn::CopyTruncate => {
                for old in (1..4).rev() {
                    let (from, to) = (format!("app.log.{old}"), format!("app.log.{}", old + 1));
                    let _ = fs::rename(beside(from), beside(to));
                }
                fs::copy(&self.path, beside("app.log.1".into())).unwrap();
                self.file.set_len(0).unwrap();
            }
            Turn::Truncate => self.file.set_len(0).unwrap(),
            Turn::Delete => {
                fs::remove_file(&self.path).unwrap();
                self.write(2);
                self.reopen();
            }
            Turn::Replace => {
                let other = beside("next.tmp".into());
                fs::write(&other, self.line()).unwrap();
                fs::rename(&other, &self.path).unwrap();
                self.reopen();
            }
            Turn::Relink => {
                let data = beside(format!("data.{}", self.rotations));
                fs::write(&data, "").unwrap();
                let link = beside("link.tmp".into());
                std::os::unix::fs::symlink(&data, &link).unwrap();
                fs::rename(&link, &self.path).unwrap();
                self.reopen();
            }
            Turn::Rewrite => {
                let length = usize::try_from(self.file.metadata().unwrap().len()).unwrap();
                let mut text = String::new();
                while text.len() <= length {
                    text += &self.line();
                }
                // In place: the same file, its bytes written over.
                let over = OpenOptions::new().write(true).open(&self.path).unwrap();
                std::os::unix::fs::FileExt::write_all_at(&over, text.as_bytes(), 0).unwrap();
            }
        }
    }
}

fn engine(path: &Path) -> Engine {
    let wanted = ingest::Wanted { follow: true, ..ingest::Wanted::default() };
    let found = ingest::discover_wanted(&[path.to_owned()], wanted);
    let options = Options { follow: true, eager: true, ..Options::default() };
    Engine::start(found, options, Veil::new([7; 16]), || {}).unwrap()
}

/// The numbers of the lines that were read, in their order. Every line must be whole.
fn numbers(snapshot: &Snapshot) -> Vec<usize> {
    let number = |id| {
        let message = snapshot.row(id).map(|row| row.message.to_string());
        let message = message.unwrap_or_else(|error| panic!("{error}"));
        let number = message.strip_prefix("number ").and_then(|text| text.parse().ok());
        number.unwrap_or_else(|| {
            let block = snapshot.block(id).unwrap();
            let raw = snapshot.raw(id).map(|raw| raw.to_string());
            let at = (block.place >> 44, block.offset, block.len, block.growing, id.index());
            panic!("no whole line: {message:?} {raw:?} {at:?} {:#?}", snapshot.status)
        })
    };
    snapshot.pan.iter_from(0).map(number).collect()
}

fn lossy(snapshot: &Snapshot) -> usize {
    snapshot.status.iter().flat_map(|status| &status.notes).filter(|note| note.lossy).count()
}

/// Where lines come from that were read twice.
fn doubled(snapshot: &Snapshot) -> String {
    let ids: Vec<_> = snapshot.pan.iter_from(0).collect();
    let read = numbers(snapshot);
    let at = read.windows(2).position(|pair| pair[0] == pair[1]).unwrap_or(0);
    let of = |row: usize| {
        let block = snapshot.block(ids[row]).unwrap();
        (read[row], block.place >> 44, block.offset, block.len, block.segment.identity())
    };
    format!("{:?}", (at..(at + 8).min(ids.len())).map(of).collect::<Vec<_>>())
}

/// Waits until the last number that was written has been read.
fn wait_for(engine: &Engine, last: usize) -> Arc<Snapshot> {
    let begun = Instant::now();
    engine.wait(|snapshot| {
        let late = begun.elapsed() > Duration::from_secs(20);
        assert!(!late, "number {last} never came: {:#?}", snapshot.status);
        let end = snapshot.pan.len().checked_sub(1).and_then(|row| snapshot.pan.get(row));
        end.and_then(|id| snapshot.row(id).ok())
            .is_some_and(|row| row.message.as_str() == format!("number {last}"))
    })
}

/// Rotates a log hundreds of times while it is written to, and holds what was read against what was written.
fn rotate(turn: Turn, times: usize, follow_folder: bool) {
    let folder = tempfile::tempdir().unwrap();
    let mut log = Log::new(folder.path(), turn == Turn::Relink);
    log.write(5);
    let followed = if follow_folder { folder.path() } else { &log.path };
    let engine = engine(followed);
    wait_for(&engine, 4);
    let done = Arc::new(AtomicBool::new(false));
    let told = Arc::clone(&done);
    let writer = std::thread::spawn(move || {
        for round in 0..times {
            log.write(40 + round % 7);
            log.turn(turn);
            log.write(round % 3);
            // A logger that rotates without writing in between is no logger.
            std::thread::sleep(Duration::from_millis(if round % 5 == 0 { 12 } else { 2 }));
        }
        log.write(1);
        told.store(true, Ordering::Release);
        log.next
    });
    let written = writer.join().unwrap();
    assert!(done.load(Ordering::Acquire));
    let snapshot = wait_for(&engine, written - 1);
    let read = numbers(&snapshot);
    assert!(read.is_sorted(), "{turn:?}: out of order");
    let twice = read.windows(2).filter(|pair| pair[0] == pair[1]).count();
    assert_eq!(twice, 0, "{turn:?}: lines were doubled {}", doubled(&snapshot));
    let lost = written - read.len();
    if lost > 0 {
        let begun = Instant::now();
        engine.wait(|snapshot| {
            let late = begun.elapsed() > Duration::from_secs(5);
            assert!(!late, "{turn:?}: {lost} of {written} lines are missing, and nothing says so");
            lossy(snapshot) > 0
        });
    }
    println!("{turn:?}: {written} lines, {lost} lost, {} notes", lossy(&snapshot));
}

#[test]
fn a_log_that_is_renamed_and_created_anew_loses_nothing() {
    rotate(Turn::Rename, 200, false);
    rotate(Turn::Rename, 200, true);
}

#[test]
fn a_log_that_is_copied_and_truncated_says_what_may_be_missing() {
    rotate(Turn::CopyTruncate, 200, false);
    rotate(Turn::CopyTruncate, 200, true);
}

#[test]
fn a_log_that_is_truncated_or_rewritten_says_what_may_be_missing() {
    rotate(Turn::Truncate, 200, false);
    rotate(Turn::Rewrite, 60, false);
}

#[test]
fn a_log_that_is_deleted_replaced_or_linked_elsewhere_is_followed() {
    rotate(Turn::Delete, 100, false);
    rotate(Turn::Replace, 100, false);
    rotate(Turn::Relink, 100, false);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, max_shrink_iters: 0, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever happens in whatever order, with a look in between: everything is read once and in order.
    #[test]
    fn what_was_seen_between_changes_is_read_once(
        steps in proptest::collection::vec((0..6usize, 1..30usize), 1..14),
        follow_folder in any::<bool>(),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let mut log = Log::new(folder.path(), false);
        log.write(2);
        let followed = if follow_folder { folder.path() } else { &log.path };
        let engine = engine(followed);
        for (step, lines) in steps {
            wait_for(&engine, log.next - 1);
            match step {
                0 => log.turn(Turn::Rename),
                1 => log.turn(Turn::CopyTruncate),
                2 => log.turn(Turn::Truncate),
                3 => log.turn(Turn::Delete),
                4 => log.turn(Turn::Replace),
                _ => {}
            }
            log.write(lines);
        }
        wait_for(&engine, log.next - 1);
        // What was written late to a file that had been moved away may come after that.
        let begun = Instant::now();
        let snapshot = engine.wait(|snapshot| {
            snapshot.pan.len() >= log.next || begun.elapsed() > Duration::from_secs(5)
        });
        let read = numbers(&snapshot);
        let whole = read.iter().copied().eq(0..log.next);
        prop_assert!(whole, "{read:?} of {}: {} {:#?}", log.next, doubled(&snapshot), snapshot.status);
    }
}

#[test]
fn what_is_released_is_gone_and_its_blocks_are_used_again() {
    let folder = tempfile::tempdir().unwrap();
    let mut log = Log::new(folder.path(), false);
    log.write(2);
    let engine = engine(&log.path);
    let mut told = wait_for(&engine, 1).arrival(0);
    engine.release(told.clone());
    for round in 0..20 {
        let from = log.next;
        log.write(30);
        if round % 4 == 3 {
            log.turn(Turn::Rename);
            log.write(1);
        }
        let begun = Instant::now();
        let want: Vec<usize> = (from..log.next).collect();
        let mut read: Vec<usize> = Vec::new();
        while read.len() < want.len() {
            assert!(begun.elapsed() < Duration::from_secs(20), "{read:?} of {want:?}");
            let snapshot = engine.wait(|snapshot| {
                begun.elapsed() > Duration::from_secs(20)
                    || !snapshot.arrived_between(&told, &snapshot.arrival(0)).is_empty()
            });
            let now = snapshot.arrival(0);
            let number = |id| {
                let row = snapshot.row(id).unwrap();
                row.message.as_str().strip_prefix("number ").unwrap().parse::<usize>().unwrap()
            };
            read.extend(snapshot.arrived_between(&told, &now).into_iter().map(number));
            engine.release(now.clone());
            told = now;
        }
        read.sort_unstable();
        assert_eq!(read, want, "each line once");
        assert!(engine.snapshot().blocks.len() < 24, "{}", engine.snapshot().blocks.len());
    }
}

#[test]
fn a_file_with_the_inode_of_a_deleted_one_is_another() {
    let folder = tempfile::tempdir().unwrap();
    let (path, other) = (folder.path().join("a.log"), folder.path().join("b.log"));
    fs::write(&path, "2026-03-14T06:41:02Z INFO gate: the first of many lines\n").unwrap();
    let segment = Segment::named(&path, File::open(&path).unwrap()).unwrap();
    let size = segment.metadata().unwrap().len();
    segment.looks_like(Print::of(&segment, size).unwrap().unwrap());
    let identity = segment.identity().unwrap();
    let mut known = KnownFiles::default();
    known.add(&segment);
    fs::rename(&path, &other).unwrap();
    assert!(known.holds(identity) && known.has(identity, &other), "it is open");
    segment.spend();
    segment.rest_quietly();
    assert!(known.has(identity, &other), "renamed: its bytes tell");
    // What the system does when it gives an inode to the next file: another file, the same number.
    assert!(Rests::rest(&*segment));
    fs::write(&other, "2026-03-15T08:00:00Z INFO gate: quite another file with its number\n")
        .unwrap();
    assert!(!known.holds(identity) && !known.has(identity, &other));
}

#[test]
fn lists_that_each_miss_some_files_give_one_order() {
    let folder = tempfile::tempdir().unwrap();
    let of = |at: usize| {
        let path = folder.path().join(at.to_string());
        fs::write(&path, "").unwrap();
        Identity::of(&fs::metadata(path).unwrap())
    };
    let files: Vec<Identity> = (0..6).map(of).collect();
    let mut order = Vec::new();
    for list in [&[1, 4][..], &[0, 3, 4, 5], &[1, 2, 3], &[], &[5]] {
        let list: Vec<Identity> = list.iter().map(|at| files[*at]).collect();
        merge(&mut order, &list);
    }
    let order: Vec<_> = order.iter().map(|one| files.iter().position(|id| id == one)).collect();
    // Which of 0 and 1 is older, no list tells.
    assert_eq!(order[2..], [Some(2), Some(3), Some(4), Some(5)]);
    assert!(order.contains(&Some(0)) && order.contains(&Some(1)));
}

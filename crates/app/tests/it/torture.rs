//! Numbered lines through everything that happens to logs while they are followed: each must be printed once.
//!
//! `cargo xtask torture` runs the same with the program as it is released, and `--long` at several times the size. A run writes lines, waits until all have come
//! or nothing has come for a while, and counts.

use std::{
    fs::{self, File, OpenOptions},
    io::{BufRead, BufReader, BufWriter, Write},
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    sync::{
        Arc, Condvar, Mutex,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

/// How many times more is done than in a test.
fn scale() -> usize {
    std::env::var("CRIBRUM_TORTURE").ok().and_then(|scale| scale.parse().ok()).unwrap_or(1)
}

/// After so long without a line, no more are waited for.
const SILENCE: Duration = Duration::from_secs(20);

/// What was printed so far: how often each number.
#[derive(Default)]
struct Printed {
    counts: Vec<u8>,
    lines: usize,
}

/// The program following a folder, and a thread that counts what it prints.
struct Follower {
    child: Child,
    printed: Arc<(Mutex<Printed>, Condvar)>,
    /// The reader takes nothing while this is set.
    paused: Arc<AtomicBool>,
    folder: tempfile::TempDir,
}

/// What the system allows the program.
#[derive(Default)]
struct Limits {
    descriptors: Option<usize>,
    /// Address space in KiB.
    memory: Option<usize>,
    /// There is no folder for temporary files.
    no_copies: bool,
}

impl Follower {
    /// Follows names in a new folder that `fill` has put something into; returns once it follows.
    fn start(limits: &Limits, names: &[&str], fill: impl FnOnce(&Path)) -> Self {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("logs")).unwrap();
        fill(&folder.path().join("logs"));
        // One line tells that following has begun: whatever comes later is new.
        let probe = folder.path().join("logs/probe.log");
        fs::write(&probe, "").unwrap();
        let set = |flag: &str, value: Option<usize>| {
            value.map_or(String::new(), |value| format!("ulimit -{flag} {value}; "))
        };
        let script = format!(
            "{}{}exec \"$0\" \"$@\"",
            set("n", limits.descriptors),
            set("v", limits.memory)
        );
        let mut command = Command::new("sh");
        command
            .args(["-c", &script, env!("CARGO_BIN_EXE_cribrum"), "sift", "-F", "--as", "raw"])
            .args(names)
            .current_dir(folder.path().join("logs"))
            .env("HOME", folder.path())
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(File::create(folder.path().join("messages")).unwrap());
        if limits.no_copies {
            command.env("TMPDIR", folder.path().join("nowhere"));
        }
        let mut child = command.spawn().unwrap();
        let printed: Arc<(Mutex<Printed>, Condvar)> = Arc::default();
        let paused = Arc::new(AtomicBool::new(false));
        let lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let (told, wait) = (Arc::clone(&printed), Arc::clone(&paused));
        std::thread::spawn(move || count(lines.map_while(Result::ok), &told, &wait));
        let follower = Self { child, printed, paused, folder };
        let begun = Instant::now();
        let mut probe = OpenOptions::new().append(true).open(probe).unwrap();
        let mut asked = Instant::now() - SILENCE;
        while follower.lines() == 0 {
            assert!(begun.elapsed() < SILENCE, "it does not follow: {}", follower.messages());
            if asked.elapsed() > Duration::from_millis(200) {
                writeln!(probe, "2026-03-14T06:00:00.000Z INFO probe: began").unwrap();
                asked = Instant::now();
            }
            std::thread::yield_now();
        }
        follower
    }

    fn logs(&self) -> PathBuf {
        self.folder.path().join("logs")
    }

    fn lines(&self) -> usize {
        self.printed.0.lock().unwrap().lines
    }

    fn messages(&self) -> String {
        fs::read_to_string(self.folder.path().join("messages")).unwrap()
    }

    /// What a line of the program's status says, in its own unit.
    fn status(&self, name: &str) -> usize {
        let status = fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap();
        let line = status.lines().find_map(|line| line.strip_prefix(name)).unwrap();
        line.trim_start_matches(':').split_whitespace().next().unwrap().parse().unwrap()
    }

    /// Bytes that the program has read from anywhere.
    fn read(&self) -> u64 {
        let io = fs::read_to_string(format!("/proc/{}/io", self.child.id())).unwrap();
        let line = io.lines().find_map(|line| line.strip_prefix("rchar: ")).unwrap();
        line.parse().unwrap()
    }

    /// Waits until the program has read so much, and has nothing left to read: it does not read at all for a second.
    fn rests_after(&self, want: u64) {
        let begun = Instant::now();
        let (mut last, mut since) = (self.read(), Instant::now());
        while last < want || since.elapsed() < Duration::from_secs(1) {
            assert!(begun.elapsed() < 3 * SILENCE, "it never rests: {}", self.messages());
            let now = self.read();
            if now != last {
                (last, since) = (now, Instant::now());
            }
            std::thread::yield_now();
        }
    }

    /// Waits until a line has come; gives how often each has.
    fn has_last(&self, number: usize) -> Vec<u8> {
        let (printed, news) = &*self.printed;
        let come = |printed: &mut Printed| printed.counts.get(number).is_none_or(|n| *n == 0);
        let printed = printed.lock().unwrap();
        let (printed, waited) = news.wait_timeout_while(printed, 6 * SILENCE, come).unwrap();
        assert!(!waited.timed_out(), "line {number} does not come: {}", self.messages());
        printed.counts.clone()
    }

    fn descriptors(&self) -> usize {
        fs::read_dir(format!("/proc/{}/fd", self.child.id())).unwrap().count()
    }

    /// Waits until so many lines have come, each once, or none comes any more.
    fn has_all(&self, want: usize) {
        let (printed, news) = &*self.printed;
        let mut printed = printed.lock().unwrap();
        loop {
            let come = printed.counts.iter().filter(|count| **count > 0).count();
            if come >= want {
                break;
            }
            let before = printed.lines;
            let (now, waited) = news
                .wait_timeout_while(printed, SILENCE, |printed| printed.lines == before)
                .unwrap();
            printed = now;
            if waited.timed_out() {
                let missing: Vec<usize> = (0..want)
                    .filter(|at| printed.counts.get(*at).is_none_or(|n| *n == 0))
                    .collect();
                panic!(
                    "{} of {want} lines are missing, the first are {:?}: {}",
                    missing.len(),
                    &missing[..missing.len().min(8)],
                    self.messages()
                );
            }
        }
        let twice = printed.counts.iter().filter(|count| **count > 1).count();
        assert_eq!(twice, 0, "lines came more than once: {}", self.messages());
    }
}

impl Drop for Follower {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Counts the numbers of lines as they come.
fn count(
    lines: impl Iterator<Item = String>,
    printed: &(Mutex<Printed>, Condvar),
    paused: &AtomicBool,
) {
    for line in lines {
        while paused.load(Ordering::Relaxed) {
            std::thread::yield_now();
        }
        let number = line.rsplit_once("number ").and_then(|(_, number)| number.parse().ok());
        let mut known = printed.0.lock().unwrap();
        known.lines += 1;
        if let Some(number) = number {
            let number: usize = number;
            if known.counts.len() <= number {
                known.counts.resize(number + 1, 0);
            }
            known.counts[number] = known.counts[number].saturating_add(1);
        }
        drop(known);
        printed.1.notify_all();
    }
}

/// A log of numbered lines.
struct Log {
    path: PathBuf,
    out: BufWriter<File>,
    next: usize,
    turns: usize,
}

impl Log {
    fn new(path: PathBuf) -> Self {
        let out = BufWriter::new(open(&path));
        Self { path, out, next: 0, turns: 0 }
    }

    fn write(&mut self, lines: usize) {
        for _ in 0..lines {
            writeln!(self.out, "{}", line(self.next)).unwrap();
            self.next += 1;
        }
        self.out.flush().unwrap();
    }

    fn size(&self) -> u64 {
        fs::metadata(&self.path).unwrap().len()
    }

    fn beside(&self, name: &str) -> PathBuf {
        self.path.with_file_name(name)
    }

    /// Moves each older file one number up and gives the name of the youngest of them. Each keeps its own number.
    fn shift(&self, keep: usize, ending: &str) -> PathBuf {
        let name = |n: usize| self.beside(&format!("app.log.{n}{ending}"));
        for old in (1..keep).rev() {
            let _ = fs::rename(name(old), name(old + 1));
        }
        name(1)
    }

    fn rename(&mut self, keep: usize) {
        let to = self.shift(keep, "");
        fs::rename(&self.path, to).unwrap();
        // Whoever has it open goes on for a moment.
        self.write(3);
        self.out = BufWriter::new(open(&self.path));
        self.turns += 1;
    }

    fn copy_and_truncate(&mut self) {
        let to = self.shift(4, "");
        fs::copy(&self.path, to).unwrap();
        self.out.get_mut().set_len(0).unwrap();
        self.turns += 1;
    }

    fn compress(&mut self) {
        self.rename(2);
        let status = Command::new("gzip").arg("-f").arg(self.beside("app.log.1")).status().unwrap();
        assert!(status.success());
    }

    fn relink(&mut self) {
        self.turns += 1;
        let data = self.beside(&format!("data.{}", self.turns));
        File::create(&data).unwrap();
        let link = self.beside("link.tmp");
        std::os::unix::fs::symlink(&data, &link).unwrap();
        fs::rename(&link, &self.path).unwrap();
        self.out = BufWriter::new(open(&self.path));
    }
}

fn open(path: &Path) -> File {
    OpenOptions::new().append(true).create(true).open(path).unwrap()
}

fn line(number: usize) -> String {
    let (minute, second, milli) = (number / 60_000 % 60, number / 1_000 % 60, number % 1_000);
    format!(
        "2026-03-14T06:{minute:02}:{second:02}.{milli:03}Z INFO writer: a line that says its number {number}"
    )
}

#[test]
fn rotation_in_every_way_loses_no_line_and_prints_none_twice() {
    type Turn = fn(&mut Log);
    let ways: [(&str, Turn); 2] = [("link", Log::relink), ("compress", Log::compress)];
    for (name, turn) in ways {
        eprintln!("{name}");
        let follower = Follower::start(&Limits::default(), &["app.log", "probe.log"], |logs| {
            fs::write(logs.join("app.log"), "").unwrap();
        });
        let mut log = Log::new(follower.logs().join("app.log"));
        for round in 0..20 * scale() {
            log.write(200 + round % 7 * 100);
            // Lines right before it must have a moment to be seen where their file is packed, or has another name.
            follower.has_all(log.next);
            turn(&mut log);
        }
        log.write(10);
        follower.has_all(log.next);
    }
}

#[test]
fn hundreds_of_files_that_are_renamed_all_the_time_lose_no_line() {
    let follower = Follower::start(&Limits::default(), &["app.log", "probe.log"], |logs| {
        fs::write(logs.join("app.log"), "").unwrap();
    });
    let mut log = Log::new(follower.logs().join("app.log"));
    // Nobody waits for anybody: whoever reads is hundreds of files behind, all of which have other names at each turn.
    for round in 0..(60 * scale()).min(390) {
        log.write(100 + round % 7 * 100);
        log.rename(400);
    }
    log.write(10);
    follower.has_all(log.next);
}

#[test]
fn copying_and_truncating_loses_no_line_that_was_read() {
    let follower = Follower::start(&Limits::default(), &["."], |logs| {
        fs::write(logs.join("app.log"), "").unwrap();
    });
    let mut log = Log::new(follower.logs().join("app.log"));
    for round in 0..8 * scale() {
        // What a reader that has stopped has not taken yet is read, and waits in a copy.
        let stops = round % 2 == 1;
        follower.paused.store(stops, Ordering::Relaxed);
        let read = follower.read();
        log.write(500 + round % 5 * 2_000);
        if stops {
            follower.rests_after(read + log.size());
        } else {
            follower.has_all(log.next);
        }
        match round % 4 {
            3 => log.out.get_mut().set_len(0).unwrap(),
            _ => log.copy_and_truncate(),
        }
        follower.paused.store(false, Ordering::Relaxed);
        follower.has_all(log.next);
    }
}

#[test]
fn files_that_come_late_are_read_from_their_beginning() {
    let names = ["logs-of-gate/", "waited.log", "probe.log"];
    let follower = Follower::start(&Limits::default(), &names, |logs| {
        fs::create_dir(logs.join("logs-of-gate")).unwrap();
        fs::write(logs.join("logs-of-gate/first.log"), line(0).replace("number", "no")).unwrap();
    });
    let aside = follower.folder.path().join("aside");
    fs::create_dir(&aside).unwrap();
    let mut next = 0;
    for to in ["logs-of-gate/moved.log", "waited.log", "logs-of-gate/another.log"] {
        let mut log = Log { next, ..Log::new(aside.join("late.log")) };
        log.write(25_000);
        next = log.next;
        fs::rename(&log.path, follower.logs().join(to)).unwrap();
    }
    follower.has_all(next);
}

#[test]
fn a_reader_that_stops_loses_nothing_but_time() {
    let follower = Follower::start(&Limits::default(), &["app.log", "probe.log"], |logs| {
        fs::write(logs.join("app.log"), "").unwrap();
    });
    let mut log = Log::new(follower.logs().join("app.log"));
    follower.paused.store(true, Ordering::Relaxed);
    for round in 0..6 {
        log.write(20_000 * scale());
        if round % 2 == 0 {
            log.rename(20);
        }
    }
    follower.paused.store(false, Ordering::Relaxed);
    follower.has_all(log.next);
}

#[test]
#[ignore = "writes half a gigabyte; `cargo xtask torture` runs it"]
fn where_copies_have_no_more_room_reading_waits_and_what_is_cut_away_is_counted() {
    let follower = Follower::start(&Limits::default(), &["app.log", "probe.log"], |logs| {
        fs::write(logs.join("app.log"), "").unwrap();
    });
    let mut log = Log::new(follower.logs().join("app.log"));
    follower.paused.store(true, Ordering::Relaxed);
    let read = follower.read();
    while log.size() < 541 << 20 {
        log.write(100_000);
    }
    follower.rests_after(read + (400 << 20));
    let (written, lines) = (log.size(), log.next);
    log.out.get_mut().set_len(0).unwrap();
    // It is looked at although nothing is read.
    follower.rests_after(0);
    follower.paused.store(false, Ordering::Relaxed);
    // What comes after it tells that all has come.
    log.write(100);
    let printed = follower.has_last(log.next - 1);
    let first_cut = printed.iter().position(|count| *count == 0).unwrap();
    assert!(printed[..first_cut].iter().all(|count| *count == 1), "a line came twice");
    assert!(printed[first_cut..lines].iter().all(|count| *count == 0), "there is a hole");
    let kept: u64 = (0..first_cut).map(|at| line(at).len() as u64 + 1).sum();
    let told = follower.messages();
    let want = format!("at least {} bytes", written - kept);
    assert!(told.contains(&want), "{want} were cut away, told was {told}");
}

#[test]
fn a_limit_of_memory_ends_a_command_with_a_message() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("many.log");
    let mut out = BufWriter::new(File::create(&log).unwrap());
    for number in 0..20_000 * scale().min(4) {
        writeln!(out, "{} request_id=7f3a9c21{number:08x}", line(number)).unwrap();
    }
    out.into_inner().unwrap();
    let mut refused = 0;
    for limit in (24..200).step_by(16).map(|mebibytes| mebibytes << 10) {
        let output = Command::new("sh")
            .args(["-c", &format!("ulimit -v {limit}; exec \"$0\" \"$@\"")])
            .args([env!("CARGO_BIN_EXE_cribrum"), "requests", "--top", "0"])
            .arg(&log)
            .env("HOME", folder.path())
            .output()
            .unwrap();
        let told = String::from_utf8_lossy(&output.stderr);
        match output.status.code() {
            Some(0) => assert!(!output.stdout.is_empty()),
            Some(4) => {
                assert!(told.contains("memory"), "{limit} KiB: {told}");
                refused += 1;
            }
            // A thread was refused.
            Some(3) => {
                assert!(told.contains("memory"), "{limit} KiB: {told}");
                refused += 1;
            }
            // The loader itself had too little.
            Some(127) => assert!(told.contains("cannot"), "{limit} KiB: {told}"),
            code => panic!("{limit} KiB: it ended with {code:?}: {told}"),
        }
    }
    assert!(refused > 0, "no limit was low enough");
}

#[test]
fn few_descriptors_are_enough() {
    for descriptors in [32, 256] {
        let limits = Limits { descriptors: Some(descriptors), ..Limits::default() };
        let follower = Follower::start(&limits, &["app.log", "probe.log"], |logs| {
            fs::write(logs.join("app.log"), "").unwrap();
        });
        let mut log = Log::new(follower.logs().join("app.log"));
        for round in 0..80 * scale().min(4) {
            log.write(5);
            if round % 8 == 0 {
                follower.has_all(log.next);
            }
            log.rename(400);
        }
        follower.has_all(log.next);
        assert!(follower.descriptors() < descriptors, "{}", follower.descriptors());
    }
}

#[test]
fn without_room_for_copies_files_that_are_renamed_are_read_all_the_same() {
    let limits = Limits { no_copies: true, ..Limits::default() };
    let follower = Follower::start(&limits, &["app.log", "probe.log"], |logs| {
        fs::write(logs.join("app.log"), "").unwrap();
    });
    let mut log = Log::new(follower.logs().join("app.log"));
    for _ in 0..10 * scale() {
        log.write(1_000);
        log.rename(400);
    }
    follower.has_all(log.next);
}

#[test]
fn memory_does_not_grow_with_what_is_printed() {
    let follower = Follower::start(&Limits::default(), &["app.log", "probe.log"], |logs| {
        fs::write(logs.join("app.log"), "").unwrap();
    });
    let mut log = Log::new(follower.logs().join("app.log"));
    let (lines, mut first) = (100_000, 0);
    for round in 0..10 * scale() {
        log.write(lines);
        follower.has_all(log.next);
        if round == 2 {
            first = follower.status("VmRSS");
        }
    }
    let last = follower.status("VmRSS");
    eprintln!("{first} KiB after {} lines, {last} KiB after {}", 3 * lines, log.next);
    // Seven bytes a line, and what the allocator leaves over.
    assert!(last < first + 4_096 + log.next * 4 / 1_024, "{first} KiB, then {last} KiB");
}

#[test]
fn very_many_files_are_followed_with_few_descriptors() {
    let files = (1_000 * scale()).min(20_000);
    let limits = Limits { descriptors: Some(256), memory: Some(4 << 20), ..Limits::default() };
    let name = |at: usize| format!("host-{at:05}.log");
    let follower = Follower::start(&limits, &["."], |logs| {
        for at in 0..files {
            fs::write(logs.join(name(at)), "").unwrap();
        }
    });
    let mut next = 0;
    for step in [1, 7, 3] {
        let begun = Instant::now();
        for at in (0..files).step_by(step * files.div_ceil(100)) {
            let mut log = Log { next, ..Log::new(follower.logs().join(name(at))) };
            log.write(1);
            next = log.next;
        }
        follower.has_all(next);
        eprintln!("{files} files: lines printed after {:?}", begun.elapsed());
    }
    eprintln!("{} descriptors, {} KiB", follower.descriptors(), follower.status("VmRSS"));
    assert!(follower.descriptors() < 256);
}

//! Many files, order over many sources, and files that grow.

use std::{
    fs,
    io::{BufRead, BufReader, BufWriter, Write},
    path::{Path, PathBuf},
    process::{Command, Stdio},
    sync::mpsc,
    time::{Duration, Instant},
};

use anyhow::{Context, Result, ensure};

use super::{Row, beside, ours, shown};

/// Files in a folder that is discovered and read.
const FILES: usize = 10_000;
/// Sources whose entries are put into one order, and entries in each.
const SOURCES: usize = 40;
const EACH: usize = 50_000;
/// Logs of the same time, one behind the other in one file.
const LOGS: usize = 10;
/// Lines that no layout takes.
const WORDS: usize = 2_000_000;
/// Lines written each second to a file that is followed, and for how long.
const RATE: usize = 100_000;
const SECONDS: usize = 8;

/// Milliseconds of a day as a clock time.
fn clock(millis: usize) -> String {
    let (seconds, rest) = (millis / 1000, millis % 1000);
    format!("{:02}:{:02}:{:02}.{rest:03}", seconds / 3600 % 24, seconds / 60 % 60, seconds % 60)
}

/// A log whose entries lie `step` milliseconds apart.
fn log(to: &Path, entries: usize, first: usize, step: usize) -> Result<()> {
    let mut out = BufWriter::new(fs::File::create(to)?);
    for at in 0..entries {
        let time = clock(first + at * step);
        let seats = at % 7 + 1;
        writeln!(out, "2026-03-14 {time} INFO harbour.Berths: berth {at} freed, seats={seats}")?;
    }
    Ok(out.flush()?)
}

/// Sentences without a time, a level or any other form.
fn words(to: &Path) -> Result<()> {
    const WORDS_OF: [&str; 8] = [
        "the ferry",
        "Waiting for",
        "passengers on",
        "a berth",
        "closed",
        "reads 12 of",
        "tide",
        "gate",
    ];
    let mut out = BufWriter::new(fs::File::create(to)?);
    let mut seed = 7usize;
    for _ in 0..WORDS {
        for _ in 0..9 {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            write!(out, "{} ", WORDS_OF[(seed >> 33) % WORDS_OF.len()])?;
        }
        out.write_all(b"again\n")?;
    }
    Ok(out.flush()?)
}

/// The measurements beside usual tools.
pub(super) fn rows(program: &Path, folder: &Path) -> Result<Vec<Row>> {
    let many = folder.join("many");
    fs::create_dir(&many)?;
    for at in 0..FILES {
        log(&many.join(format!("gate-{at:05}.log")), 4, at * 40, 10)?;
    }
    let several = folder.join("several");
    fs::create_dir(&several)?;
    let name = |at: usize| several.join(format!("berths-{at:02}.log"));
    let sources: Vec<PathBuf> = (0..SOURCES).map(name).collect();
    for (at, source) in sources.iter().enumerate() {
        log(source, EACH, at, 41)?;
    }
    let joined = folder.join("ten-in-one.log");
    let mut out = BufWriter::new(fs::File::create(&joined)?);
    for source in sources.iter().take(LOGS) {
        std::io::copy(&mut fs::File::open(source)?, &mut out)?;
    }
    out.flush()?;
    let prose = folder.join("words.log");
    words(&prose)?;

    let mut find = Command::new("find");
    find.arg(&many).args(["-type", "f", "-exec", "wc", "-l", "{}", "+"]);
    let mut merge = beside("sort", &["-m"], &sources);
    merge.env("LC_ALL", "C");
    let wc = |file: &PathBuf| beside("wc", &["-l"], std::slice::from_ref(file));
    Ok(vec![
        Row {
            name: "10 000 files",
            mine: ours(program, &["intake"], &many),
            beside: "find, wc -l",
            other: find,
            goal: 20.0,
        },
        Row {
            name: "40 sources in one order",
            mine: ours(program, &["sift", "--as", "raw", "-o", "/dev/null"], &several),
            beside: "sort -m",
            other: merge,
            goal: 4.0,
        },
        Row {
            name: "ten logs in one file",
            mine: ours(program, &["intake"], &joined),
            beside: "wc -l",
            other: wc(&joined),
            goal: 4.0,
        },
        Row {
            name: "text without a layout",
            mine: ours(program, &["intake"], &prose),
            beside: "wc -l",
            other: wc(&prose),
            goal: 3.0,
        },
    ])
}

/// A file that grows by so many lines a second, followed by `sift -F`: how long after its writing a line is
/// printed, and how much of a core that takes.
pub(super) fn following(program: &Path, folder: &Path) -> Result<()> {
    let mut out = std::io::stdout();
    let log = folder.join("growing.log");
    fs::write(&log, "")?;
    let mut child = Command::new(program)
        .args(["sift", "--as", "raw", "-F"])
        .arg(&log)
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()?;
    let lines = BufReader::new(child.stdout.take().context("a pipe")?).lines();
    let (sender, printed) = mpsc::channel();
    let begun = Instant::now();
    let reader = std::thread::spawn(move || {
        for line in lines.map_while(Result::ok) {
            let written = line.rsplit('=').next().and_then(|text| text.parse::<u64>().ok());
            if let Some(written) = written
                && sender
                    .send(begun.elapsed().saturating_sub(Duration::from_micros(written)))
                    .is_err()
            {
                break;
            }
        }
    });
    // It follows once the first line has come.
    let mut to = fs::OpenOptions::new().append(true).open(&log)?;
    let line = |at: usize| {
        let now = begun.elapsed().as_micros();
        format!("2026-03-14 {} INFO harbour.Berths: berth {at} freed, at={now}\n", clock(at / 100))
    };
    while printed.try_recv().is_err() {
        ensure!(begun.elapsed() < Duration::from_secs(20), "nothing is followed");
        to.write_all(line(0).as_bytes())?;
        std::thread::sleep(Duration::from_millis(100));
    }
    std::thread::sleep(Duration::from_millis(300));
    while printed.try_recv().is_ok() {}
    let before = cpu(child.id())?;
    let start = Instant::now();
    let batch = RATE / 500;
    for turn in 0..SECONDS * 500 {
        let text: String = (0..batch).map(|at| line(turn * batch + at)).collect();
        to.write_all(text.as_bytes())?;
        let due = start + Duration::from_millis(2) * u32::try_from(turn + 1)?;
        std::thread::sleep(due.saturating_duration_since(Instant::now()));
    }
    let wanted = SECONDS * 500 * batch;
    let mut delays = Vec::with_capacity(wanted);
    while delays.len() < wanted {
        let delay = printed.recv_timeout(Duration::from_secs(10));
        delays.push(delay.with_context(|| format!("{} of {wanted} lines", delays.len()))?);
    }
    let spent = cpu(child.id())?.saturating_sub(before);
    child.kill()?;
    child.wait()?;
    drop(printed);
    let _ = reader.join();
    delays.sort_unstable();
    let at = |part: f64| {
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            clippy::cast_precision_loss,
            reason = "a place among a million"
        )]
        let place = (part * (delays.len() - 1) as f64) as usize;
        shown(delays[place])
    };
    writeln!(out, "\n{RATE} lines a second, followed for {SECONDS} s (goal: 100 ms, half a core)")?;
    writeln!(
        out,
        "until printed              median {}, 99 % {}, worst {}",
        at(0.5),
        at(0.99),
        at(1.0)
    )?;
    let share = spent.as_secs_f64() / f64::from(u32::try_from(SECONDS)?) * 100.0;
    writeln!(out, "CPU                        {} ({share:.0} % of a core)", shown(spent))?;
    Ok(())
}

/// The time that a process has spent computing, by `/proc/PID/stat` in hundredths of a second.
fn cpu(id: u32) -> Result<Duration> {
    let text = fs::read_to_string(format!("/proc/{id}/stat"))?;
    let fields: Vec<&str> =
        text.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
    let ticks = |at: usize| fields.get(at).and_then(|field| field.parse::<u64>().ok()).unwrap_or(0);
    Ok(Duration::from_millis((ticks(11) + ticks(12)) * 10))
}

//! How fast the core paths are, beside usual tools on the same warm files in the same run.
//!
//! Absolute times drift from machine to machine and from minute to minute; the ratios hold.

use std::{
    ffi::OsStr,
    fs,
    io::Write,
    path::{Path, PathBuf},
    process::{Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context, Result};

use crate::need;

/// Runs of each measurement; the median counts.
const RUNS: usize = 5;

pub(crate) fn run(entries: usize) -> Result<()> {
    need::programs(&[("tmux", "tmux"), ("jq", "jq")])?;
    let program = crate::release()?;
    let folder = tempfile::tempdir()?;
    let logs = folder.path().join("logs");
    let mut out = std::io::stdout();
    crate::run(
        Command::new(&program)
            .args(["demo", "--write"])
            .arg(&logs)
            .args(["--entries", &entries.to_string()]),
    )?;
    let files: Vec<PathBuf> = fs::read_dir(&logs)?.flatten().map(|entry| entry.path()).collect();
    let size: u64 = files.iter().filter_map(|file| file.metadata().ok()).map(|m| m.len()).sum();
    #[expect(clippy::cast_precision_loss, reason = "megabytes for people")]
    let megabytes = size as f64 / 1e6;
    writeln!(out, "{entries} entries in {} files, {megabytes:.0} MB\n", files.len())?;
    let given = |name: &str, arguments: &[&str]| {
        let mut command = Command::new(name);
        command.args(arguments).args(&files).env("LC_ALL", "C");
        command
    };
    let ours = |arguments: &[&str]| {
        let mut command = Command::new(&program);
        command.args(arguments).arg(&logs);
        command
    };
    let rows: Vec<(&str, Command, &str, Command)> = vec![
        ("read and index all", ours(&["intake"]), "wc -l", given("wc", &["-l"])),
        (
            "level >= error",
            ours(&["sift", "--level", "error", "-o", "/dev/null"]),
            "grep -c ERROR",
            given("grep", &["-c", "ERROR"]),
        ),
        (
            "a word in few entries",
            ours(&["sift", "-w", "acquirer-b"]),
            "grep -c",
            given("grep", &["-c", "acquirer-b"]),
        ),
        (
            "one id",
            ours(&["trail", "7f3a9c21e0b4d86f"]),
            "grep -c",
            given("grep", &["-c", "7f3a9c21e0b4d86f"]),
        ),
        ("status >= 500", ours(&["sift", "-w", "status >= 500"]), "wc -l", given("wc", &["-l"])),
        ("all as JSON lines", ours(&["sift", "--as", "jsonl"]), "wc -l", given("wc", &["-l"])),
    ];
    writeln!(out, "{:24} {:>9}   {:14} {:>9} {:>8}", "", "cribrum", "", "", "ratio")?;
    for (name, mut mine, beside, mut other) in rows {
        let (mine, other) = (median(&mut mine)?, median(&mut other)?);
        writeln!(
            out,
            "{name:24} {:>9}   {beside:14} {:>9} {:>7.2}x",
            shown(mine),
            shown(other),
            mine.as_secs_f64() / other.as_secs_f64()
        )?;
    }
    let json = logs.join("booking.log");
    let mine = median(Command::new(&program).args(["sift", "-w", "crossing > 120"]).arg(&json))?;
    let jq = median(Command::new("jq").args(["-c", "select(.crossing > 120)"]).arg(&json))?;
    writeln!(
        out,
        "{:24} {:>9}   {:14} {:>9} {:>7.2}x\n",
        "JSON, crossing > 120",
        shown(mine),
        "jq",
        shown(jq),
        mine.as_secs_f64() / jq.as_secs_f64()
    )?;
    writeln!(out, "peak memory, all indexed  {:.0} MiB", peak(&program, &logs)?)?;
    for (name, cold) in [("cold", true), ("warm", false)] {
        let screen = first_screen(&program, &logs, folder.path(), cold)?;
        writeln!(out, "first screen, {name}        {}", shown(screen.first))?;
        writeln!(out, "a key while it loads      {}", shown(screen.key))?;
        writeln!(out, "all loaded                {}", shown(screen.loaded))?;
    }
    Ok(())
}

fn median(command: &mut Command) -> Result<Duration> {
    let mut times = Vec::new();
    for _ in 0..RUNS {
        let begun = Instant::now();
        command
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .stdin(Stdio::null())
            .status()
            .with_context(|| format!("{command:?}"))?;
        times.push(begun.elapsed());
    }
    times.sort_unstable();
    Ok(times[RUNS / 2])
}

fn shown(time: Duration) -> String {
    match time.as_millis() {
        0..10_000 => format!("{} ms", time.as_millis()),
        _ => format!("{:.1} s", time.as_secs_f64()),
    }
}

/// The most memory that the program held while it indexed everything, in MiB.
fn peak(program: &Path, logs: &Path) -> Result<f64> {
    let mut child = Command::new(program).arg("intake").arg(logs).stdout(Stdio::null()).spawn()?;
    let status = format!("/proc/{}/status", child.id());
    let mut most = 0.0f64;
    while child.try_wait()?.is_none() {
        let text = fs::read_to_string(&status).unwrap_or_default();
        let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        let kib = line.and_then(|line| line.trim().trim_end_matches(" kB").parse::<f64>().ok());
        most = most.max(kib.unwrap_or(0.0) / 1024.0);
        std::thread::sleep(Duration::from_millis(2));
    }
    Ok(most)
}

struct Screen {
    first: Duration,
    key: Duration,
    loaded: Duration,
}

/// Opens the desk in a terminal and measures until entries are on the screen, until a key is answered,
/// and until everything is loaded. Cold means that the files are not in the page cache.
fn first_screen(program: &Path, logs: &Path, home: &Path, cold: bool) -> Result<Screen> {
    if cold {
        for file in fs::read_dir(logs)?.flatten() {
            drop_from_cache(&file.path())?;
        }
    }
    let socket = format!("cribrum-bench-{}", std::process::id());
    let tmux = |arguments: &[&OsStr]| -> Result<String> {
        let output = Command::new("tmux")
            .args(["-L", &socket])
            .args(arguments)
            .env("HOME", home)
            .output()?;
        Ok(String::from_utf8_lossy(&output.stdout).into_owned())
    };
    let command = format!("{} {}", program.display(), logs.display());
    let begun = Instant::now();
    tmux(
        &["-f", "/dev/null", "new-session", "-d", "-x", "160", "-y", "47"]
            .map(OsStr::new)
            .into_iter()
            .chain([OsStr::new(&command)])
            .collect::<Vec<_>>(),
    )?;
    let until = |holds: &dyn Fn(&str) -> bool| -> Result<Duration> {
        loop {
            let screen = tmux(&["capture-pane", "-p"].map(OsStr::new))?;
            if holds(&screen) || begun.elapsed() > Duration::from_secs(120) {
                return Ok(begun.elapsed());
            }
        }
    };
    let first = until(&|screen| screen.contains("06:00:0"))?;
    tmux(&["send-keys", "?"].map(OsStr::new))?;
    let asked = begun.elapsed();
    let key = until(&|screen| screen.contains("what every key does"))? - asked;
    tmux(&["send-keys", "Escape"].map(OsStr::new))?;
    let loaded = until(&|screen| screen.contains("06:00:0") && !screen.contains("reading"))?;
    tmux(&["kill-server"].map(OsStr::new))?;
    Ok(Screen { first, key, loaded })
}

/// Asks the system to forget what it has cached of a file.
fn drop_from_cache(path: &Path) -> Result<()> {
    let file = fs::File::open(path)?;
    file.sync_all()?;
    // `dd` hands the advice to the system without a line of unsafe code here.
    let path = format!("if={}", path.display());
    Command::new("dd").args([&path, "iflag=nocache", "count=0"]).stderr(Stdio::null()).status()?;
    Ok(())
}

//! Memory, and how soon the desk is there and answers.

use std::{
    ffi::OsStr,
    fs,
    io::Write,
    path::Path,
    process::{Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::Result;

use super::shown;

/// How long keys take to be answered on the desk with everything loaded.
pub(super) fn keys(program: &Path, logs: &Path, folder: &Path) -> Result<()> {
    let mut out = std::io::stdout();
    let file = folder.join("timings");
    let socket = format!("cribrum-bench-keys-{}", std::process::id());
    let tmux = |arguments: &[&str]| -> Result<String> {
        let output = Command::new("tmux")
            .args(["-L", &socket])
            .args(arguments)
            .env("HOME", folder)
            .output()?;
        Ok(String::from_utf8_lossy(&output.stdout).into_owned())
    };
    let command = format!("{} {} --timings {}", program.display(), logs.display(), file.display());
    tmux(&["-f", "/dev/null", "new-session", "-d", "-x", "160", "-y", "47", &command])?;
    let lines = || fs::read_to_string(&file).map(|text| text.lines().count()).unwrap_or(0);
    let begun = Instant::now();
    let patient = || begun.elapsed() < Duration::from_secs(600);
    while patient() {
        let screen = tmux(&["capture-pane", "-p"])?;
        if screen.contains("06:00:0") && !screen.contains("reading") {
            break;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    let press = |key: &str| -> Result<()> {
        let before = lines();
        tmux(&["send-keys", "--", key])?;
        while lines() == before && patient() {
            std::thread::sleep(Duration::from_millis(2));
        }
        Ok(())
    };
    for condition in ["level >= info", "not path ~ \"^/assets\"", "took > 20ms or level >= warn"] {
        press("s")?;
        tmux(&["send-keys", "-l", "--", condition])?;
        std::thread::sleep(Duration::from_millis(500));
        press("Enter")?;
    }
    writeln!(out, "\nkey to drawn frame          median     worst   (goal: 16 ms, worst case)")?;
    let tests: [(&str, &[&str], &[&str]); 6] = [
        ("toggle a mesh", &[], &["2", "2"]),
        ("reorder two meshes", &["Tab"], &["]", "["]),
        ("undo and redo", &["Escape"], &["u", "U"]),
        ("page", &["Home"], &["NPage", "NPage", "PPage"]),
        ("to the end and back", &[], &["End", "Home"]),
        ("open the inspector, close", &[], &["Enter", "Escape"]),
    ];
    for (name, before, keys) in tests {
        for key in before {
            press(key)?;
        }
        let from = lines();
        for _ in 0..12 {
            for key in keys {
                press(key)?;
            }
        }
        let text = fs::read_to_string(&file)?;
        let mut times: Vec<f64> = text
            .lines()
            .skip(from)
            .filter_map(|line| line.rsplit('\t').next()?.parse().ok())
            .collect();
        times.sort_unstable_by(f64::total_cmp);
        let worst = times.last().copied().unwrap_or(f64::NAN);
        let median = times.get(times.len() / 2).copied().unwrap_or(f64::NAN);
        writeln!(out, "{name:26} {median:>6.1} ms {worst:>6.1} ms")?;
    }
    tmux(&["kill-server"])?;
    Ok(())
}

/// Memory, and how soon the desk is there.
pub(super) fn desk(program: &Path, logs: &Path, folder: &Path, entries: usize) -> Result<()> {
    let mut out = std::io::stdout();
    let all = peak(program, logs)?;
    let none = folder.join("none.log");
    fs::write(&none, "one line\n")?;
    #[expect(clippy::cast_precision_loss, reason = "bytes an entry for people")]
    let each = (all - peak(program, &none)?) * 1024.0 * 1024.0 / entries as f64;
    writeln!(out, "\npeak memory, all indexed   {all:.0} MiB (goal: 100 for a gigabyte)")?;
    writeln!(out, "of that for each entry      {each:.0} bytes (goal: 24, buffers left out)")?;
    for (name, cold) in [("cold", true), ("warm", false)] {
        let screen = first_screen(program, logs, folder, cold)?;
        writeln!(out, "first screen, {name}         {} (goal: 50 ms)", shown(screen.first))?;
        writeln!(out, "a key while it loads       {}", shown(screen.key))?;
        writeln!(out, "the last entry by a key     {} (goal: 10 ms)", shown(screen.end))?;
        writeln!(out, "all loaded                 {}", shown(screen.loaded))?;
    }
    Ok(())
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
    /// From the key that asks for the end until the last entry is shown.
    end: Duration,
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
    let socket = format!("cribrum-bench-{}-{cold}", std::process::id());
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
    until(&|screen| !screen.contains("what every key does"))?;
    let asked = begun.elapsed();
    tmux(&["send-keys", "End"].map(OsStr::new))?;
    let end = until(&|screen| screen.contains("08:00:0"))? - asked;
    tmux(&["send-keys", "Home"].map(OsStr::new))?;
    let loaded = until(&|screen| screen.contains("06:00:0") && !screen.contains("reading"))?;
    tmux(&["kill-server"].map(OsStr::new))?;
    Ok(Screen { first, key, end, loaded })
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

//! `cribrum demo`

use std::{
    fs::File,
    io::{self, BufWriter, Write},
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

use cribrum_demo::{Knowledge, Pace, Scenario, Writer};
use jiff::Timestamp;

use super::{
    args::{Demo, Pour},
    desk::{self, Desk},
    exit::{Exit, Stop},
};

pub(super) fn run(args: &Demo, open: Desk<'_>) -> Result<Exit, Stop> {
    let pace = match args.live {
        Some(0) => return Err(Stop::usage("a rate of 0 entries a second writes nothing")),
        Some(rate) => Pace::Steady { start: now(), rate },
        None => Pace::Morning { entries: args.entries },
    };
    let temporary = match &args.write {
        Some(folder) => {
            let there = Writer::paths(folder).into_iter().find(|path| path.exists());
            if let Some(path) = there {
                return Err(Stop::usage(format!(
                    "{} is there already; name an empty folder, so that no log of yours is overwritten",
                    path.display()
                )));
            }
            None
        }
        None => {
            clear_temporary();
            let prefix = format!("{TEMPORARY}{}-", std::process::id());
            Some(tempfile::Builder::new().prefix(&prefix).tempdir().map_err(Stop::output)?)
        }
    };
    let folder = match (&args.write, &temporary) {
        (Some(folder), _) => folder.clone(),
        (None, Some(folder)) => folder.path().to_owned(),
        (None, None) => PathBuf::from("."),
    };
    let writer =
        Writer::create(&folder, knowledge(args).map_err(Stop::output)?).map_err(Stop::output)?;
    let scenario = Scenario::new(args.seed, pace);
    if args.live.is_none() {
        write_all(scenario, writer).map_err(Stop::output)?;
        if args.write.is_some() {
            return Ok(Exit::Done);
        }
        return desk(&folder, args, false, open);
    }
    let stop = Arc::new(AtomicBool::new(false));
    if args.write.is_some() {
        for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
            signal_hook::flag::register(signal, Arc::clone(&stop)).map_err(Stop::output)?;
        }
        return play(scenario, writer, &stop).map(|()| Exit::Done).map_err(Stop::output);
    }
    let told = Arc::clone(&stop);
    let player = std::thread::spawn(move || play(scenario, writer, &told));
    let result = desk(&folder, args, true, open);
    stop.store(true, Ordering::Relaxed);
    match player.join() {
        Ok(played) => played.map_err(Stop::output)?,
        Err(_) => return Err(Stop::usage("the player broke off")),
    }
    result
}

/// What the names of temporary folders begin with; the number of the process follows.
const TEMPORARY: &str = "saltmarsh-";

/// Removes the folders of runs that were killed.
fn clear_temporary() {
    let Ok(entries) = std::fs::read_dir(std::env::temp_dir()) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let process = name
            .to_str()
            .and_then(|name| name.strip_prefix(TEMPORARY)?.split_once('-')?.0.parse::<u32>().ok());
        if process.is_some_and(|process| !crate::output::is_alive(process)) {
            // Another user's can't be removed, and need not be.
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}

fn knowledge(args: &Demo) -> io::Result<Knowledge> {
    let open = |path: &Option<PathBuf>| -> io::Result<Option<Box<dyn Write + Send>>> {
        match path {
            None => Ok(None),
            Some(path) => Ok(Some(Box::new(BufWriter::new(File::create(path)?)))),
        }
    };
    Ok(Knowledge { record: open(&args.record)?, secrets: open(&args.secrets)? })
}

fn write_all(scenario: Scenario, mut writer: Writer) -> io::Result<()> {
    for event in scenario {
        writer.write(&event)?;
    }
    writer.finish()
}

/// Writes each event when its time has come.
fn play(scenario: Scenario, mut writer: Writer, stop: &AtomicBool) -> io::Result<()> {
    for event in scenario {
        while now() < event.time {
            writer.flush()?;
            if stop.load(Ordering::Relaxed) {
                return writer.finish();
            }
            let left = u64::try_from(event.time - now()).unwrap_or(0);
            std::thread::sleep(Duration::from_nanos(left).min(Duration::from_millis(100)));
        }
        if stop.load(Ordering::Relaxed) {
            break;
        }
        writer.write(&event)?;
    }
    writer.finish()
}

fn now() -> i64 {
    i64::try_from(Timestamp::now().as_nanosecond()).unwrap_or(i64::MAX)
}

fn desk(folder: &Path, args: &Demo, follow: bool, open: Desk<'_>) -> Result<Exit, Stop> {
    let pour = Pour { sources: vec![folder.to_owned()], ..Pour::default() };
    desk::open(&pour, &args.look, follow, Some("saltmarsh/"), open)
}

//! How long it takes to count by a field on an intake that has been read: `count FIELD… -- SOURCE…` writes a line
//! each, the median of several runs in milliseconds, the different values, the entries, and the field.

use std::{
    io::Write as _,
    path::PathBuf,
    time::{Duration, Instant},
};

use cribrum_core::{
    engine::{Counts, Engine, Of, Options, Pass, Snapshot},
    ingest,
    veil::Veil,
};

const RUNS: usize = 5;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let mut parts = arguments.split(|argument| argument == "--");
    let (fields, sources) = (parts.next().unwrap_or(&[]), parts.next().unwrap_or(&[]));
    let sources: Vec<PathBuf> = sources.iter().map(PathBuf::from).collect();
    let found = ingest::discover(&sources);
    let engine = Engine::start(found, Options::default(), Veil::new([7; 16]), || {})?;
    let snapshot = engine.wait(Snapshot::loaded);
    for field in fields {
        let mut times: Vec<Duration> = Vec::new();
        let mut counts = Counts::default();
        for _ in 0..RUNS {
            let begun = Instant::now();
            counts = Counts::by(&snapshot, Of::All, field, &Pass::default()).unwrap_or_default();
            times.push(begun.elapsed());
        }
        times.sort_unstable();
        writeln!(
            std::io::stdout(),
            "{}\t{}\t{}\t{field}",
            times[RUNS / 2].as_millis(),
            counts.sorted().len(),
            counts.entries
        )?;
    }
    Ok(())
}

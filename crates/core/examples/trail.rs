//! What the index of ids costs and gives, on real files: `trail KIND -- PATH…`.
//!
//! Writes a line: milliseconds until everything was read, milliseconds until the ids of all entries were known after
//! that, bytes of the index of ids an entry, milliseconds to list the requests of a kind, how many there are, and the
//! median of milliseconds to read a trail.

use std::{io::Write as _, path::PathBuf, time::Instant};

use cribrum_core::{
    engine::{Engine, Options, Pass, Snapshot},
    ingest,
    requests::Requests,
    trail::Trail,
    veil::{Desk, Veil},
};

/// Trails that are read.
const TRAILS: usize = 50;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let parts: Vec<&[String]> = arguments.split(|argument| argument == "--").collect();
    let [[kind], paths] = parts[..] else { return Err("usage: trail KIND -- PATH…".into()) };
    let paths: Vec<PathBuf> = paths.iter().map(PathBuf::from).collect();
    let ended = "the pass was ended";
    let millis = |begun: Instant| begun.elapsed().as_secs_f64() * 1e3;
    let begun = Instant::now();
    let found = ingest::discover(&paths);
    let engine = Engine::start(found, Options::default(), Veil::new([7; 16]), || {})?;
    let snapshot = engine.wait(Snapshot::settled);
    let loaded = millis(begun);
    let pass = Pass::default();
    let begun = Instant::now();
    snapshot.identify(&pass).ok_or(ended)?;
    let identified = millis(begun);
    let (bytes, entries) = snapshot.size_of_ids();
    let begun = Instant::now();
    let requests = Requests::find(&snapshot, kind, &pass).ok_or(ended)?;
    let listed = millis(begun);
    let step = (requests.rows.len() / TRAILS).max(1);
    let mut trails: Vec<f64> = Vec::new();
    for request in requests.rows.iter().step_by(step) {
        let begun = Instant::now();
        let trail = Trail::<Desk>::follow(&snapshot, &[request.key], &pass).ok_or(ended)?;
        assert_eq!(trail.steps.len(), request.entries as usize, "all entries are steps");
        trails.push(millis(begun));
    }
    trails.sort_unstable_by(f64::total_cmp);
    let trail = trails.get(trails.len() / 2).copied().unwrap_or_default();
    #[expect(clippy::cast_precision_loss, reason = "a figure for people")]
    let size = bytes as f64 / entries.max(1) as f64;
    let many = requests.rows.len();
    writeln!(
        std::io::stdout(),
        "{loaded:.1}\t{identified:.1}\t{size:.2}\t{listed:.1}\t{many}\t{trail:.2}"
    )?;
    Ok(())
}

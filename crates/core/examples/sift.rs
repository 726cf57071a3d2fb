//! How long conditions take on an intake that has been read: `sift EXPR… -- SOURCE…` writes a line each,
//! the median of several runs in milliseconds, the entries for which it holds, and the condition.

use std::{
    io::Write as _,
    path::PathBuf,
    time::{Duration, Instant},
};

use cribrum_core::{
    engine::{Engine, Options, Snapshot},
    ingest,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
    veil::Veil,
};

const RUNS: usize = 5;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let mut parts = arguments.split(|argument| argument == "--");
    let (conditions, sources) = (parts.next().unwrap_or(&[]), parts.next().unwrap_or(&[]));
    let sources: Vec<PathBuf> = sources.iter().map(PathBuf::from).collect();
    let found = ingest::discover(&sources);
    let engine = Engine::start(found, Options::default(), Veil::new([7; 16]), || {})?;
    let snapshot = engine.wait(Snapshot::loaded);
    let context =
        Context { zone: None, last: snapshot.span().map(|(_, last)| last), ..Context::default() };
    for condition in conditions {
        let expr = Expr::parse(condition, &context)?;
        let mut times: Vec<Duration> = Vec::new();
        let mut left = 0;
        for run in 0..RUNS {
            // Bits are kept; another condition that says the same has none yet.
            let other = Expr::parse(&format!("source != none-{run}"), &context)?;
            let sieve = Sieve { meshes: vec![Mesh::of(expr.clone().and(other))] };
            let begun = Instant::now();
            engine.set_sieve(sieve.clone());
            let snapshot = engine.wait(|s| s.sieve == sieve && s.settled());
            times.push(begun.elapsed());
            left = snapshot.pan.len();
        }
        times.sort_unstable();
        writeln!(std::io::stdout(), "{}\t{left}\t{condition}", times[RUNS / 2].as_millis())?;
    }
    Ok(())
}

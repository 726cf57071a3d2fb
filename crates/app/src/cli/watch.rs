//! `cribrum watch`

use std::{
    io::{self, Write},
    sync::Arc,
    time::{Duration, Instant},
};

use cribrum_core::{
    engine::{Engine, Options, Snapshot},
    export::{Exporter, Format},
    sieve::{Arrival, Sieve},
};
use crossbeam_channel::{RecvTimeoutError, bounded};

use super::{
    args::Watch,
    exit::{Exit, Stop, tell},
    pour,
};
use crate::output::Output;

/// After so long the last entry of a source is taken to be whole.
const WHOLE: Duration = Duration::from_millis(500);

pub(super) fn run(args: &Watch) -> Result<Exit, Stop> {
    let conditions = pour::Conditions::of(&args.pour)?.and(&args.expr)?;
    let limit = args.time.as_deref().map(duration).transpose()?;
    if args.count == Some(0) {
        return Err(Stop::usage("a count of 0 is reached at once; give 1 or more"));
    }
    let options = Options { volume: false, ..pour::options(&args.pour, true)? };
    let found = pour::discover(&args.pour, true)?;
    if found.sources.is_empty() && found.places.is_empty() {
        return Err(Stop::unread(found.problems));
    }
    let unread = found.problems.iter().any(|problem| problem.fatal);
    for problem in &found.problems {
        tell(&format!("{}: {}", problem.source, problem.message));
    }
    let (news, arrived) = bounded(1);
    let engine = Engine::start(found, options, crate::veil_key::veil(), move || {
        // One note is enough until it has been read.
        let _ = news.try_send(());
    })
    .map_err(|error| Stop::source(format!("can't start reading: {error}")))?;
    let begun = Instant::now();
    let first = engine.wait(|snapshot| snapshot.progress.read.0 >= snapshot.progress.read.1);
    let context_end = first.span().map(|(_, last)| last);
    let mut sieve = conditions.sieve(context_end.or(Some(0)))?;
    if !args.all {
        sieve.sweep(first.arrival_in_files(0));
    }
    engine.set_sieve(sieve.clone());
    let mut watching = Watching {
        args,
        sieve,
        told: Arrival::default(),
        ticked: Arrival::default(),
        ticked_at: Instant::now(),
        hits: 0,
        out: Output::open(None).map_err(Stop::output)?,
        zone: conditions.zone,
    };
    loop {
        let left = limit.map(|limit| limit.saturating_sub(begun.elapsed()));
        let wait = left.map_or(WHOLE, |left| left.min(WHOLE));
        if arrived.recv_timeout(wait) == Err(RecvTimeoutError::Disconnected) {
            return Err(Stop::source("the engine broke off"));
        }
        let snapshot = engine.snapshot();
        let ended =
            snapshot.loaded() && args.pour.sources.iter().all(|path| path.as_os_str() == "-");
        let over = left.is_some_and(|left| left.is_zero());
        let done = watching.look(&snapshot, ended || over).map_err(Stop::output)?;
        if done {
            return Ok(if unread { Exit::Source } else { Exit::Done });
        }
        if (ended && snapshot.settled()) || over {
            watching.out.finish().map_err(Stop::output)?;
            let enough = args.count.is_none() && watching.hits > 0;
            return Ok(Exit::of(enough, unread));
        }
    }
}

/// What has been told so far.
struct Watching<'a> {
    args: &'a Watch,
    sieve: Sieve,
    told: Arrival,
    /// What had arrived a while ago: it is whole by now.
    ticked: Arrival,
    ticked_at: Instant,
    hits: usize,
    out: Output,
    zone: Option<jiff::tz::TimeZone>,
}

impl Watching<'_> {
    /// Writes what has arrived and passes. Says whether that is enough.
    fn look(&mut self, snapshot: &Arc<Snapshot>, all: bool) -> io::Result<bool> {
        if snapshot.sieve != self.sieve || snapshot.progress.sifted.0 < snapshot.progress.sifted.1 {
            return Ok(false);
        }
        let now = snapshot.arrival(0);
        let whole = match all {
            true => now.clone(),
            // The last entry of a source may go on: a stack trace follows its line.
            false => snapshot.arrival_but_last(0).or_later(&self.ticked),
        };
        if self.ticked_at.elapsed() >= WHOLE {
            self.ticked = now;
            self.ticked_at = Instant::now();
        }
        let format = Format::from(self.args.form);
        let mut exporter =
            Exporter::new(snapshot, format, self.zone.clone(), self.out.is_terminal());
        for id in snapshot.arrived_between(&self.told, &whole) {
            if let Err(error) = exporter.write(id, &mut self.out) {
                match error {
                    cribrum_core::export::Error::Output(error) => return Err(error),
                    error => tell(&error.to_string()),
                }
            }
            self.hits += 1;
            if self.args.bell {
                let _ = io::stderr().write_all(b"\x07");
            }
            if self.args.count.is_some_and(|count| self.hits >= count) {
                self.out.flush()?;
                return Ok(true);
            }
        }
        self.told = whole;
        self.out.flush()?;
        Ok(false)
    }
}

/// A duration as people write it: `30s`, `5min`.
fn duration(text: &str) -> Result<Duration, Stop> {
    let seconds = cribrum_core::query::duration(text)
        .filter(|seconds| *seconds > 0.0)
        .and_then(|seconds| Duration::try_from_secs_f64(seconds).ok());
    seconds.ok_or_else(|| Stop::usage(format!("`{text}` is no duration; write 30s, 5min or 1h")))
}

impl pour::Conditions {
    /// The same with one more condition.
    fn and(mut self, text: &str) -> Result<Self, Stop> {
        self.push(text.to_owned());
        // A day to try clock times on.
        self.sieve(Some(0))?;
        Ok(self)
    }
}

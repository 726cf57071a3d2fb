//! Entries written as they arrive, for `sift -F` and `watch`.
//!
//! What was written is never recalled: a source's last entry waits until the next one begins, or until half a
//! second has passed, and a line without an end waits for it.

use std::{
    collections::{HashMap, VecDeque},
    io::{self, Write},
    path::Path,
    sync::Arc,
    time::{Duration, Instant},
};

use cribrum_core::{
    EntryId,
    engine::{Engine, Options, Snapshot},
    export::{Error, Exporter},
    ingest::Problem,
    sieve::{Arrival, Sieve},
    veil::Veil,
};
use crossbeam_channel::{Receiver, RecvTimeoutError, bounded};
use jiff::tz::TimeZone;

use super::{
    args::Pour,
    exit::{Exit, Stop, tell},
    pour,
    writing::{Writing, write_each, write_table},
};
use crate::{conditions::Conditions, output::Output, present::counted, signals};

/// After so long the last entry of a source is taken to be whole.
const WHOLE: Duration = Duration::from_millis(500);
/// How soon a command that writes a file ends when it is told to.
const ENDING: Duration = Duration::from_millis(100);
/// How long news is waited for where nothing waits to be whole.
const IDLE: Duration = Duration::from_secs(1);

/// Which of the entries that are there already are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Start {
    /// None: only what arrives.
    End,
    /// So many of the last that pass.
    Last(usize),
    All,
}

/// Sources that are followed, and what has been written of them.
pub(super) struct Following {
    engine: Engine,
    arrived: Receiver<()>,
    sieve: Sieve,
    /// What has been written, or passed by.
    told: Arrival,
    /// What had arrived half a second ago: it is whole by now.
    whole: Arrival,
    /// What has arrived since, and when that was seen, the earliest first.
    waiting: VecDeque<(Instant, Arrival)>,
    hits: usize,
    out: Output,
    writing: Writing,
    zone: Option<TimeZone>,
    /// Only streams are read, which end.
    ends: bool,
    /// The last entries that are written before those that arrive.
    last: Option<usize>,
    unread: bool,
    /// When the last note of each source was made that has been told, and what was wrong with it.
    notes: HashMap<usize, (i64, Option<String>)>,
}

impl Following {
    /// Reads what is there, and puts the sieve in place.
    pub(super) fn open(
        args: &Pour,
        conditions: &Conditions,
        (options, veil): (Options, Veil),
        (writing, output): (Writing, Option<&Path>),
        start: Start,
    ) -> Result<Self, Stop> {
        if conditions.sieve(Some(0), Some(0)).map_err(Stop::usage)?.asks_for_runs() {
            return Err(Stop::usage(
                "which run an entry is from is known only when everything has been read; `run` can't be followed here, but on the desk",
            ));
        }
        let found = pour::discover(args, true)?;
        if found.sources.is_empty() && found.places.is_empty() {
            return Err(Stop::unread(found.problems));
        }
        let unread = found.problems.iter().any(Problem::is_fatal);
        for problem in &found.problems {
            tell(&format!("{}: {}", problem.source, problem.message));
        }
        let only_streams =
            found.places.is_empty() && found.sources.iter().all(|s| s.name == "stdin");
        let out = Output::open(output).map_err(Stop::output)?;
        if out.is_file() {
            signals::finish_first();
        }
        let (news, arrived) = bounded(1);
        let options = Options { releases: true, ..options };
        let engine = Engine::start(found, options, veil, move || {
            // One note is enough until it has been read.
            let _ = news.try_send(());
        })
        .map_err(Stop::engine)?;
        let first = engine.wait(|snapshot| snapshot.progress.read.0 >= snapshot.progress.read.1);
        let end = first.span().map(|(_, last)| last);
        let mut sieve = conditions.sieve(None, end.or(Some(0))).map_err(Stop::usage)?;
        if start == Start::End {
            sieve.sweep(first.arrival_in_files(0));
        }
        engine.set_sieve(sieve.clone());
        Ok(Self {
            engine,
            arrived,
            sieve,
            told: Arrival::default(),
            whole: Arrival::default(),
            waiting: VecDeque::new(),
            hits: 0,
            out,
            writing,
            zone: conditions.zone.clone(),
            ends: only_streams,
            last: match start {
                Start::Last(last) => Some(last),
                _ => None,
            },
            unread,
            notes: HashMap::new(),
        })
    }

    /// Writes entries until there are so many of them, or so much time has passed, or a stream has ended.
    pub(super) fn until(
        &mut self,
        count: Option<usize>,
        limit: Option<Duration>,
        bell: bool,
    ) -> Result<Exit, Stop> {
        let begun = Instant::now();
        loop {
            let left = limit.map(|limit| limit.saturating_sub(begun.elapsed()));
            let due =
                self.waiting.front().map_or(IDLE, |(at, _)| WHOLE.saturating_sub(at.elapsed()));
            let wait = left.map_or(due, |left| left.min(due));
            // Nothing wakes it when it is to end.
            let wait = if self.out.is_file() { wait.min(ENDING) } else { wait };
            if self.arrived.recv_timeout(wait) == Err(RecvTimeoutError::Disconnected) {
                return Err(Stop::source("the engine broke off"));
            }
            let snapshot = self.engine.snapshot();
            self.tell_notes(&snapshot);
            let ended = snapshot.loaded() && self.ends;
            let over = left.is_some_and(|left| left.is_zero()) || signals::is_ended();
            if self.look(&snapshot, ended || over, count, bell).map_err(Stop::output)? {
                return Ok(if self.unread { Exit::Source } else { Exit::Done });
            }
            if (ended && snapshot.settled()) || over {
                self.out.flush().map_err(Stop::output)?;
                let enough = count.is_none() && self.hits > 0;
                return Ok(Exit::of(enough, self.unread));
            }
        }
    }

    /// Makes a file whole that was written.
    pub(super) fn finish(self) -> Result<(), Stop> {
        self.out.finish().map_err(Stop::output)
    }

    fn write(&mut self, arrived: Vec<EntryId>, snapshot: &Snapshot) -> io::Result<()> {
        let terminal = self.out.is_terminal();
        match &mut self.writing {
            Writing::Lines(format) => {
                let mut exporter = Exporter::new(snapshot, *format, self.zone.clone(), terminal);
                let lost = &mut |error: &Error| tell(&error.to_string());
                write_each(arrived.into_iter(), &mut exporter, &mut self.out, lost)
            }
            Writing::Table(table) => {
                table.terminal = terminal;
                let zone = self.zone.as_ref();
                let lost = write_table(arrived.into_iter(), table, snapshot, zone, &mut self.out)?;
                table.headed = false;
                if lost > 0 {
                    tell(&format!("{} could not be read again", counted(lost, "entry")));
                }
                Ok(())
            }
        }
    }

    /// Tells what has happened to the sources since it was told last.
    fn tell_notes(&mut self, snapshot: &Snapshot) {
        for (number, (source, status)) in snapshot.sources.iter().zip(&snapshot.status).enumerate()
        {
            let (told, problem) = self.notes.entry(number).or_default();
            for note in status.notes.iter().filter(|note| note.time > *told) {
                tell(&format!("{}: {}", source.name, note.text));
            }
            *told = status.notes.last().map_or(*told, |note| note.time);
            if *problem != status.problem {
                problem.clone_from(&status.problem);
                if let Some(problem) = problem {
                    tell(&format!("{}: {problem}", source.name));
                }
            }
        }
    }

    /// Writes what has arrived and passes. Says whether that is enough.
    fn look(
        &mut self,
        snapshot: &Arc<Snapshot>,
        all: bool,
        count: Option<usize>,
        bell: bool,
    ) -> io::Result<bool> {
        if snapshot.sieve != self.sieve || snapshot.progress.sifted.0 < snapshot.progress.sifted.1 {
            return Ok(false);
        }
        let now = snapshot.arrival(0);
        let whole = match all {
            true => now.clone(),
            // The last entry of a source may go on: a stack trace follows its line.
            false => {
                while self.waiting.front().is_some_and(|(at, _)| at.elapsed() >= WHOLE) {
                    self.whole = self.waiting.pop_front().map(|(_, it)| it).unwrap_or_default();
                }
                snapshot.arrival_but_last(0).or_later(&self.whole)
            }
        };
        if self.waiting.back().map_or(&self.whole, |(_, known)| known) != &now {
            self.waiting.push_back((Instant::now(), now));
        }
        let mut arrived = snapshot.arrived_between(&self.told, &whole);
        if let Some(last) = self.last.take_if(|_| !arrived.is_empty()) {
            arrived.drain(..arrived.len().saturating_sub(last));
        }
        if let Some(count) = count {
            arrived.truncate(count.saturating_sub(self.hits));
        }
        self.hits += arrived.len();
        if bell {
            let _ = io::stderr().write_all(&b"\x07".repeat(arrived.len()));
        }
        self.write(arrived, snapshot)?;
        self.out.flush()?;
        if count.is_some_and(|count| self.hits >= count) {
            return Ok(true);
        }
        if whole != self.told {
            self.engine.release(whole.clone());
        }
        self.told = whole;
        Ok(false)
    }
}

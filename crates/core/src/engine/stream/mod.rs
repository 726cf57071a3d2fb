//! Entries handed over while the rest is still read: source by source, in the order in which they stand there.
//!
//! Blocks are read as for an index, but each is judged, handed over and dropped as soon as it is finished, so that
//! memory does not grow with the sources. Only as long as nothing has passed are they kept, up to a limit, so that
//! it can be told why.

use std::{
    collections::BTreeMap,
    io,
    ops::{ControlFlow, Range},
    sync::{
        Arc,
        atomic::{AtomicBool, AtomicUsize, Ordering},
    },
    time::{Duration, Instant},
};

use crossbeam_channel::{Receiver, Sender, bounded, select, unbounded};

use super::{
    Options, Progress, Snapshot,
    jobs::{Outcome, Workers},
    schedule::{Room, Schedule},
    state::Store,
};
use crate::{
    guard,
    ingest::{Discovery, Feed, Sealed, Slot},
    limits,
    query::{Judged, Predicate},
    sieve::{Funnel, Mesh, Sieve, add_block, add_gives_back},
    source::SourceId,
    store::{Bits, Block, EntryId, Rows},
    veil::Veil,
};

/// Entries that are kept to tell why nothing has passed.
const KEPT: usize = if cfg!(test) { 2_000 } else { 2_000_000 };
/// How soon what more has come of a stream's last block is handed over.
const SOON: Duration = Duration::from_millis(100);
/// The same for the beginning of a stream, which tells how its lines are to be read.
const FIRST: Duration = Duration::from_secs(1);
/// The longest wait without anything to do.
const IDLE: Duration = Duration::from_secs(1);

/// What has become of all sources.
#[derive(Debug, Default)]
pub struct Streamed {
    /// Entries that were read.
    pub entries: usize,
    /// Entries that passed.
    pub passed: usize,
    /// The names of sources, and what went wrong with them.
    pub problems: Vec<(String, String)>,
    /// Blocks at which conditions have failed, by an error of the program; their entries all passed.
    pub failing: usize,
    /// Entries with which a duration could not be compared, since their number has no known unit.
    pub unitless: usize,
    /// Everything there is, where nothing passed and it is not too much to be kept.
    pub nothing: Option<Box<Snapshot>>,
}

/// Reads sources one after the other. `write` makes something of the pan of a snapshot that holds one block, on
/// any core; `take` gets that, in the order of the sources, until it has enough.
///
/// # Errors
///
/// When no thread can be started.
pub fn stream<T: Send>(
    found: &Discovery,
    options: &Options,
    sieve: &Sieve,
    veil: &Veil,
    write: impl Fn(&Snapshot) -> T + Sync,
    mut take: impl FnMut(T) -> ControlFlow<()>,
) -> io::Result<Streamed> {
    let workers = Workers::start(veil)?;
    let counting = sieve.meshes.iter().filter(|mesh| mesh.counts());
    let predicates: Vec<Predicate> = counting.filter_map(Mesh::expr).map(Predicate::new).collect();
    let (pieces, asked) = unbounded();
    let (written, results) = unbounded();
    let mut base = Snapshot::empty(&found.sources, veil.clone());
    // A snapshot is made for each block.
    base.status.clear();
    let judging = Judging {
        base: &base,
        predicates,
        passed: AtomicUsize::new(0),
        failing: AtomicUsize::new(0),
        unitless: AtomicUsize::new(0),
        ended: AtomicBool::new(false),
    };
    let mut kept = Store::default();
    kept.status.resize_with(found.sources.len(), Default::default);
    let mut way = Way {
        workers: &workers,
        pieces: Some(pieces),
        results,
        take: &mut take,
        waiting: BTreeMap::new(),
        sent: 0,
        taken: 0,
        entries: 0,
        last: None,
        kept: Some(kept),
        judging: &judging,
    };
    let mut problems = Vec::new();
    let mut enough = false;
    std::thread::scope(|scope| {
        for _ in 0..workers.count {
            let (asked, written, judging, write) =
                (asked.clone(), written.clone(), &judging, &write);
            scope.spawn(move || judging.run(&asked, &written, write));
        }
        for number in 0..found.sources.len() {
            let alone = Discovery {
                sources: vec![found.sources[number].clone()],
                problems: Vec::new(),
                places: Vec::new(),
                wanted: found.wanted.clone(),
            };
            let name = &found.sources[number].name;
            match way.read(alone, options, number) {
                ControlFlow::Continue(problem) => {
                    problems.extend(problem.map(|problem| (name.clone(), problem)));
                }
                ControlFlow::Break(()) => {
                    enough = true;
                    break;
                }
            }
        }
        if !enough {
            let _ = way.finish();
        }
        // Drop what is still queued.
        judging.ended.store(true, Ordering::Relaxed);
        way.pieces = None;
    });
    let (entries, kept) = (way.entries, way.kept);
    let passed = judging.passed.load(Ordering::Relaxed);
    let kept = kept.filter(|_| passed == 0 && entries > 0);
    Ok(Streamed {
        entries,
        passed,
        problems,
        failing: judging.failing.load(Ordering::Relaxed),
        unitless: judging.unitless.load(Ordering::Relaxed),
        nothing: kept.map(|kept| Box::new(judging.nothing(kept, sieve))),
    })
}

/// Entries of a block on their way out.
struct Piece {
    number: usize,
    block: Arc<Block>,
    range: Range<usize>,
}

/// What decides about entries, on all cores.
struct Judging<'j> {
    base: &'j Snapshot,
    predicates: Vec<Predicate>,
    passed: AtomicUsize,
    failing: AtomicUsize,
    unitless: AtomicUsize,
    ended: AtomicBool,
}

impl Judging<'_> {
    fn run<T>(
        &self,
        asked: &Receiver<Piece>,
        written: &Sender<(usize, Option<T>)>,
        write: &(impl Fn(&Snapshot) -> T + Sync),
    ) {
        for piece in asked {
            if self.ended.load(Ordering::Relaxed) {
                return;
            }
            if written.send((piece.number, self.judge(&piece, write))).is_err() {
                return;
            }
        }
    }

    fn judge<T>(&self, piece: &Piece, write: &impl Fn(&Snapshot) -> T) -> Option<T> {
        let block = &piece.block;
        let mut left = Bits::all(block.len());
        for predicate in &self.predicates {
            let judged = self.judged(predicate, block);
            if let Some(unitless) = &judged.unitless {
                let within = unitless.iter_from(piece.range.start);
                let count = within.take_while(|index| *index < piece.range.end).count();
                self.unitless.fetch_add(count, Ordering::Relaxed);
            }
            left.keep(&judged.passed);
        }
        let within = left.iter_from(piece.range.start).take_while(|index| *index < piece.range.end);
        let ids: Vec<EntryId> = within.map(|index| EntryId::new(0, index)).collect();
        if ids.is_empty() {
            return None;
        }
        self.passed.fetch_add(ids.len(), Ordering::Relaxed);
        let mut snapshot = self.base.clone();
        snapshot.blocks = vec![Arc::clone(block)];
        snapshot.pan = Rows::as_given(&ids);
        Some(write(&snapshot))
    }

    fn judged(&self, predicate: &Predicate, block: &Block) -> Judged {
        let source = &self.base.sources[block.source.index()];
        let judge = || predicate.judge_all(block, source, &self.base.veil, None);
        guard::catch(judge).unwrap_or_else(|| {
            self.failing.fetch_add(1, Ordering::Relaxed);
            Judged::all(block)
        })
    }

    /// Everything there is, nothing of which passes.
    fn nothing(&self, mut kept: Store, sieve: &Sieve) -> Snapshot {
        let mut snapshot = self.base.clone();
        kept.order_new();
        let mut funnel = Funnel::default();
        for block in &kept.blocks {
            let mut own = self.predicates.iter();
            let mut judge = |mesh: &Mesh| {
                let judged = mesh.counts() && mesh.expr().is_some();
                judged
                    .then(|| own.next())
                    .flatten()
                    .map(|predicate| self.judged(predicate, block).passed)
            };
            let bits: Vec<Option<Bits>> = sieve.meshes.iter().map(&mut judge).collect();
            let bits: Vec<Option<&Bits>> = bits.iter().map(Option::as_ref).collect();
            add_block(&mut funnel, sieve, block.len(), &bits, || block.unlevelled().clone());
            add_gives_back(&mut funnel, block.len(), &bits);
        }
        (snapshot.order, snapshot.blocks, snapshot.status) = (kept.order, kept.blocks, kept.status);
        (snapshot.sieve, snapshot.funnel) = (sieve.clone(), funnel);
        snapshot.progress = Progress { read: (1, 1), ..Progress::default() };
        snapshot
    }
}

/// The way from the sources to the consumer.
struct Way<'w, T> {
    workers: &'w Workers,
    pieces: Option<Sender<Piece>>,
    results: Receiver<(usize, Option<T>)>,
    take: &'w mut dyn FnMut(T) -> ControlFlow<()>,
    /// Results that came before their turn.
    waiting: BTreeMap<usize, Option<T>>,
    /// Pieces that were asked for, and that were taken.
    sent: usize,
    taken: usize,
    entries: usize,
    /// The last block: it may come again, with more in it.
    last: Option<Last>,
    /// All blocks, while nothing has passed.
    kept: Option<Store>,
    judging: &'w Judging<'w>,
}

/// The last block of a file, which more bytes may change.
struct Last {
    block: Arc<Block>,
    file: usize,
    /// Entries that were handed over.
    sent: usize,
    at: Instant,
}

impl<T> Way<'_, T> {
    /// Reads a source to its end; what went wrong with it comes back.
    fn read(
        &mut self,
        found: Discovery,
        options: &Options,
        source: usize,
    ) -> ControlFlow<(), Option<String>> {
        let (waker, wakes) = bounded(1);
        // One note is enough until it has been read.
        let wake = Arc::new(move || {
            let _ = waker.try_send(());
        });
        let mut schedule = Schedule::new(found, options.clone(), wake, self.workers.count);
        let mut in_flight = 0;
        loop {
            while in_flight < self.workers.count * 2
                && self.sent - self.taken < self.workers.count * 2
            {
                let Some(next) = schedule.next(Room { blocks: true, copies: true }) else { break };
                if let Some(job) = next.job {
                    in_flight += 1;
                    self.workers.queue(job);
                }
                self.put(next.sealed, source);
            }
            let (read, all) = schedule.bytes();
            let outstanding = self.sent > self.taken;
            if in_flight == 0 && read >= all && !schedule.pending() {
                self.hand_last(true);
                return ControlFlow::Continue(schedule.feeds.iter().find_map(Feed::problem));
            }
            // A stream that brings nothing for a while has what it brought handed over.
            let idle = in_flight == 0 && !outstanding;
            let due = self.last.as_ref().filter(|last| idle && last.has_more());
            let due = due.map(|last| last.at + if last.is_first() { FIRST } else { SOON });
            let now = Instant::now();
            if due.is_some_and(|due| now >= due) {
                self.hand_last(false);
                continue;
            }
            let timer = schedule.next_due().into_iter().chain(due).min();
            let wait = timer.map_or(IDLE, |at| at.saturating_duration_since(now));
            let (outcomes, results) = (self.workers.outcomes.clone(), self.results.clone());
            select! {
                recv(outcomes) -> outcome => if let Ok(Outcome::Ingest(ticket, done)) = outcome {
                    in_flight -= 1;
                    let (sealed, _) = schedule.take(ticket, *done);
                    self.put(sealed, source);
                },
                recv(results) -> result => if let Ok((number, result)) = result {
                    self.arrived(number, result)?;
                },
                recv(wakes) -> _ => { schedule.woken(); }
                default(wait) => {}
            }
            schedule.tend_due();
        }
    }

    /// Takes blocks in: each is handed over when the next one comes.
    fn put(&mut self, sealed: Vec<Sealed>, source: usize) {
        for sealed in sealed {
            let again = match sealed.slot {
                Slot::Growing | Slot::Early => continue,
                Slot::Last => self.last.take_if(|last| last.file == sealed.number),
                Slot::Next => None,
            };
            if again.is_none() {
                self.hand_last(true);
            }
            let (sent, at) = again.map_or((0, Instant::now()), |last| (last.sent, last.at));
            let file = sealed.number;
            let source = SourceId::at(source);
            self.last =
                Some(Last { block: Arc::new(sealed.into_block(source, 0)), file, sent, at });
        }
    }

    /// Hands over the last block: all of it, or without its last entry, which may go on.
    fn hand_last(&mut self, whole: bool) {
        let Some(last) = &mut self.last else { return };
        let end = last.block.len().saturating_sub(usize::from(!whole));
        let range = last.sent..end.max(last.sent);
        (last.sent, last.at) = (range.end, Instant::now());
        let block = Arc::clone(&last.block);
        if whole {
            self.last = None;
            self.entries += block.len();
            self.keep(&block);
        }
        if !range.is_empty() {
            let piece = Piece { number: self.sent, block, range };
            self.sent += 1;
            // Those who judge end after this.
            let _ = self.pieces.as_ref().map(|pieces| pieces.send(piece));
        }
    }

    /// Keeps a block while nothing has passed.
    fn keep(&mut self, block: &Arc<Block>) {
        let over = self.entries > KEPT || self.judging.passed.load(Ordering::Relaxed) > 0;
        match &mut self.kept {
            Some(kept) if !over && kept.blocks.len() < limits::BLOCKS - 1 => {
                kept.add(Arc::clone(block));
            }
            kept => *kept = None,
        }
    }

    /// Takes a result, and hands on those whose turn it is.
    fn arrived(&mut self, number: usize, result: Option<T>) -> ControlFlow<()> {
        self.waiting.insert(number, result);
        while let Some(result) = self.waiting.remove(&self.taken) {
            self.taken += 1;
            if let Some(result) = result {
                (self.take)(result)?;
            }
        }
        ControlFlow::Continue(())
    }

    /// Waits for all results.
    fn finish(&mut self) -> ControlFlow<()> {
        while self.taken < self.sent {
            let Ok((number, result)) = self.results.recv() else { break };
            self.arrived(number, result)?;
        }
        ControlFlow::Continue(())
    }
}

impl Last {
    /// Whether nothing of its file was handed over.
    fn is_first(&self) -> bool {
        self.sent == 0 && self.block.offset == 0
    }

    /// Whether entries that are whole have not been handed over.
    fn has_more(&self) -> bool {
        self.sent + 1 < self.block.len()
    }
}

#[cfg(test)]
mod tests;

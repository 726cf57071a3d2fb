//! The thread that owns all state, and moves values between the parts.

use std::{
    io,
    sync::Arc,
    time::{Duration, Instant},
};

use crossbeam_channel::{Receiver, bounded, select};

use super::{
    Command, Options,
    across::Across,
    identifying::Identifying,
    jobs::{Outcome, Workers},
    pacing::Pacing,
    questions::Questions,
    relating::Relating,
    schedule::{Room, Schedule},
    snapshot::Snapshot,
    state::Store,
    windows::Windows,
};
use crate::{
    ingest::{Discovery, Sealed},
    limits,
    source::copies,
    store::Blocks,
    veil::Veil,
};

/// The longest wait without anything to do.
const IDLE: Duration = Duration::from_secs(1);

pub(super) struct Coordinator {
    pub(super) options: Options,
    pub(super) veil: Veil,
    pub(super) schedule: Schedule,
    pub(super) store: Store,
    pub(super) questions: Questions,
    pub(super) workers: Workers,
    pub(super) identifying: Identifying,
    pub(super) relating: Relating,
    orders: Receiver<Command>,
    wakes: Receiver<()>,
    publish: Box<dyn Fn(Snapshot) + Send>,
    /// Tasks of sources that workers have.
    in_flight: usize,
    pacing: Pacing,
    /// What was read of single entries.
    pub(super) windows: Arc<Windows>,
}

impl Coordinator {
    pub(super) fn new(
        found: Discovery,
        options: Options,
        veil: Veil,
        orders: Receiver<Command>,
        publish: Box<dyn Fn(Snapshot) + Send>,
    ) -> io::Result<Self> {
        let workers = Workers::start(&veil)?;
        let (waker, wakes) = bounded(1);
        // One note is enough until it has been read.
        let wake = Arc::new(move || {
            let _ = waker.try_send(());
        });
        let schedule = Schedule::new(found, options.clone(), wake, workers.count);
        Ok(Self {
            pacing: Pacing::new(options.eager),
            options,
            veil,
            schedule,
            store: Store::default(),
            questions: Questions::default(),
            workers,
            identifying: Identifying::default(),
            relating: Relating::default(),
            orders,
            wakes,
            publish,
            in_flight: 0,
            windows: Arc::default(),
        })
    }

    /// Works until the engine is dropped.
    pub(super) fn run(mut self) {
        loop {
            self.feed();
            let busy = self.busy();
            let timer =
                self.schedule.next_due().map(|at| at.saturating_duration_since(Instant::now()));
            let wait = self.pacing.wait(busy).min(timer.unwrap_or(IDLE));
            let (outcomes, orders, wakes) =
                (self.workers.outcomes.clone(), self.orders.clone(), self.wakes.clone());
            select! {
                recv(orders) -> command => match command {
                    Ok(Command::Release(told)) => {
                        let feeds = &self.schedule.feeds;
                        self.store.release(&told, |source, file| feeds[source].is_over(file));
                    }
                    Ok(command) => {
                        self.questions.ask(command, &self.store);
                        self.judge();
                        self.pacing.news();
                    }
                    Err(_) => return,
                },
                recv(outcomes) -> outcome => if let Ok(outcome) = outcome {
                    self.take(outcome);
                },
                recv(wakes) -> _ => if self.schedule.woken() {
                    self.pacing.news();
                },
                default(wait) => {}
            }
            while let Ok(outcome) = self.workers.outcomes.try_recv() {
                self.take(outcome);
            }
            if self.schedule.tend_due() {
                self.pacing.news();
            }
            // What can be asked for now makes it busy: a snapshot after each of ten thousand files would cost
            // more than reading them.
            self.feed();
            self.pacing.note_pending(self.schedule.pending());
            if self.pacing.is_due(self.busy()) {
                let begun = Instant::now();
                let snapshot = self.snapshot();
                (self.publish)(snapshot);
                self.pacing.published(begun.elapsed());
            }
        }
    }

    fn busy(&self) -> bool {
        self.in_flight > 0 || self.questions.judgements.busy()
    }

    /// Keeps the workers busy, but not so that they have much to drop.
    fn feed(&mut self) {
        while self.in_flight < self.workers.count * 2 {
            let room = Room {
                blocks: !is_full(&self.store.blocks),
                copies: !self.options.follow || !self.are_copies_full(),
            };
            let Some(next) = self.schedule.next(room) else { break };
            if let Some(job) = next.job {
                self.in_flight += 1;
                self.workers.queue(job);
            }
            if !next.sealed.is_empty() {
                let in_turn = self.schedule.feeds[next.source].is_in_turn();
                self.store(next.source, next.sealed, in_turn);
                // No result of a worker may follow that would have it judged.
                self.judge();
            }
        }
        if self.options.ids && !self.busy() {
            self.identifying.queue(&self.store.blocks, &self.workers);
            if self.identifying.is_over(&self.store.blocks) {
                self.relating.queue(&self.store.blocks, &self.workers);
            }
        }
    }

    /// Whether no more of followed files can be copied, even where copies of entries that are judged are given up.
    fn are_copies_full(&self) -> bool {
        if !copies::is_full() {
            return false;
        }
        // A command has still to print what is judged; on the desk an entry is done with then.
        if self.options.releases {
            return true;
        }
        let used = self.questions.used();
        let judgements = &self.questions.judgements;
        self.store.settle(|number| used.iter().all(|key| judgements.has(key, number)));
        copies::is_full()
    }

    /// Queues what is missing of the conditions in use.
    fn judge(&mut self) {
        let (sources, across) = (&self.schedule.sources, &self.relating.across);
        let reading = self.in_flight > 0;
        self.questions.judge(&mut self.store, sources, across, &self.workers, reading);
    }

    fn take(&mut self, outcome: Outcome) {
        match outcome {
            Outcome::Ingest(ticket, done) => {
                self.in_flight -= 1;
                let quiet = done.is_quiet();
                let (sealed, in_turn) = self.schedule.take(ticket, *done);
                if quiet && sealed.is_empty() {
                    return;
                }
                self.store(ticket.source, sealed, in_turn);
                self.judge();
            }
            Outcome::Scanned(arrivals) => {
                self.in_flight -= 1;
                if self.schedule.take_arrivals(arrivals) {
                    self.pacing.news();
                }
            }
            Outcome::Identified { number, edition } => {
                if self.identifying.take(&self.store.blocks, number, edition) {
                    self.pacing.news();
                }
            }
            Outcome::Related(across) => {
                let old = self.relating.take(across);
                let new = &self.relating.across;
                let judgements = &mut self.questions.judgements;
                judgements.across_changed(&old, new, &self.store.blocks);
                self.judge();
                self.pacing.news();
            }
            Outcome::Judged { key, number, edition, across, judged, failed } => {
                let same = |known: &Arc<Across>| Arc::ptr_eq(known, &self.relating.across);
                let current = self.store.blocks[number].edition == edition
                    && across.as_ref().is_none_or(same);
                let judgements = &mut self.questions.judgements;
                match judged.filter(|_| current) {
                    Some(judged) => judgements.take(&key, number, judged, failed),
                    None => judgements.dropped(&key, number),
                }
                self.judge();
                self.pacing.news();
            }
        }
    }

    fn store(&mut self, source: usize, sealed: Vec<Sealed>, in_turn: bool) {
        self.veil.know(self.schedule.sources.iter().map(|source| source.name.clone()));
        let sources = self.schedule.sources.len();
        self.store.status.resize_with(sources, Default::default);
        self.store.put_all(source, sealed, in_turn);
        self.identifying.again();
        self.relating.again();
        self.pacing.news();
    }
}

/// Whether no more blocks can be numbered.
fn is_full(blocks: &Blocks) -> bool {
    blocks.len() >= limits::BLOCKS - 1_024
}

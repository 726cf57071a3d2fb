//! The thread that owns all state.

use std::{
    io,
    sync::Arc,
    time::{Duration, Instant},
};

use crossbeam_channel::{Receiver, select};

use super::{
    Command, Options,
    jobs::{Outcome, Workers},
    judging::{Judgements, Key},
    reading::{Asked, Reading, Sealed},
    sets::LevelsAlong,
    snapshot::{Snapshot, SourceStatus},
};
use crate::{
    limits,
    sieve::Sieve,
    source::{Source, SourceId},
    store::{Block, Blocks, Rows},
    veil::Veil,
};

/// How often files are looked at for more.
const POLL: Duration = Duration::from_millis(150);
/// The same for a stream that has just brought something; doubled while it brings nothing.
const SOON: Duration = Duration::from_millis(2);
/// The shortest time between two snapshots; building them takes a quarter of the time at most.
const PUBLISH: Duration = Duration::from_millis(40);
pub(super) struct Coordinator {
    pub(super) sources: Arc<Vec<Source>>,
    pub(super) options: Options,
    pub(super) veil: Veil,
    pub(super) orders: Receiver<Command>,
    publish: Box<dyn Fn(Snapshot) + Send>,
    pub(super) workers: Workers,
    pub(super) reading: Vec<Reading>,
    pub(super) in_flight: usize,
    pub(super) blocks: Blocks,
    pub(super) status: Vec<SourceStatus>,
    /// The number of each source's last block.
    pub(super) last_block: Vec<Option<usize>>,
    /// The numbers of the blocks that were read ahead of what stands before them.
    pub(super) early: Vec<Vec<usize>>,
    pub(super) order: Rows,
    pub(super) levels: LevelsAlong,
    /// Entries of each block that are in the order.
    pub(super) ordered: Vec<usize>,
    pub(super) sieve: Sieve,
    pub(super) keys: Vec<Key>,
    pub(super) lenses: [Option<(Key, String)>; 6],
    /// Sieves that are counted beside the one that makes the pan.
    pub(super) beside: Vec<(Sieve, Vec<Key>)>,
    pub(super) judgements: Judgements,
    /// The span of time that the volume is counted over, if not that of all entries.
    pub(super) span: Option<(i64, i64)>,
    /// The end that times which slide with it were counted from.
    pub(super) slid: Option<i64>,
    pub(super) dirty: bool,
    /// The last snapshot said that more is to come.
    pub(super) told_pending: bool,
}

impl Coordinator {
    pub(super) fn new(
        sources: Vec<Source>,
        options: Options,
        veil: Veil,
        orders: Receiver<Command>,
        publish: Box<dyn Fn(Snapshot) + Send>,
    ) -> io::Result<Self> {
        let workers = Workers::start(&veil)?;
        Ok(Self {
            reading: sources.iter().map(|source| Reading::open(source, &options)).collect(),
            status: vec![SourceStatus::default(); sources.len()],
            last_block: vec![None; sources.len()],
            early: vec![Vec::new(); sources.len()],
            sources: Arc::new(sources),
            options,
            veil,
            orders,
            publish,
            workers,
            in_flight: 0,
            blocks: Vec::new(),
            order: Rows::default(),
            levels: LevelsAlong::default(),
            ordered: Vec::new(),
            sieve: Sieve::default(),
            keys: Vec::new(),
            lenses: [const { None }; 6],
            beside: Vec::new(),
            judgements: Judgements::default(),
            span: None,
            slid: None,
            dirty: true,
            told_pending: false,
        })
    }

    /// Works until the engine is dropped.
    pub(super) fn run(mut self) {
        let mut last = Instant::now();
        let mut pause = Duration::ZERO;
        let mut polled = Instant::now();
        let mut tick = SOON;
        loop {
            self.feed();
            let busy = self.in_flight > 0 || self.judgements.busy();
            let wait = match (self.dirty, busy) {
                (true, true) if self.options.eager => pause.saturating_sub(last.elapsed()),
                (true, true) => POLL,
                (true, false) => Duration::ZERO,
                (false, _) => POLL,
            };
            let outcomes = self.workers.outcomes.clone();
            let orders = self.orders.clone();
            select! {
                recv(orders) -> command => match command {
                    Ok(command) => self.obey(command),
                    Err(_) => return,
                },
                recv(outcomes) -> outcome => if let Ok(outcome) = outcome {
                    self.take(outcome);
                },
                default(wait.min(tick)) => {}
            }
            while let Ok(outcome) = self.workers.outcomes.try_recv() {
                self.take(outcome);
            }
            if polled.elapsed() >= tick {
                polled = Instant::now();
                let pending = self.reading.iter().any(Reading::pending);
                tick = match self.poll() {
                    true if pending => SOON,
                    _ if pending => (tick * 2).min(POLL),
                    _ => POLL,
                };
            }
            let busy = self.in_flight > 0 || self.judgements.busy();
            if self.dirty && (!busy || (self.options.eager && last.elapsed() >= pause)) {
                let begun = Instant::now();
                let snapshot = self.snapshot();
                (self.publish)(snapshot);
                self.dirty = false;
                last = Instant::now();
                pause = PUBLISH.max(begun.elapsed() * 3);
            }
        }
    }

    /// Keeps the workers busy with reading, the source that is furthest behind first.
    fn feed(&mut self) {
        while self.in_flight < self.workers.count * 2 && self.blocks.len() < limits::BLOCKS - 1_024
        {
            let next = self
                .reading
                .iter()
                .enumerate()
                .filter_map(|(at, reading)| reading.asked_share().map(|share| (at, share)))
                .min_by(|a, b| a.1.total_cmp(&b.1));
            let Some((source, _)) = next else { return };
            match self.reading[source].ask(source) {
                Some(Asked::Job(job)) => {
                    self.in_flight += 1;
                    self.workers.queue(*job);
                }
                Some(Asked::Known(sealed)) => {
                    self.store_all(source, sealed);
                    // No result of a worker may follow that would have it judged.
                    self.judge();
                }
                None => return,
            }
        }
        if self.blocks.len() >= limits::BLOCKS - 1_024 {
            for reading in &mut self.reading {
                if reading.asked_share().is_some() && reading.problem.is_none() {
                    reading.problem = Some(
                        "too much for one intake; what is behind this point is not read".into(),
                    );
                    self.dirty = true;
                }
            }
        }
    }

    /// Looks for more to read. Says whether there is.
    fn poll(&mut self) -> bool {
        let mut more = false;
        for reading in &mut self.reading {
            if self.options.follow || reading.is_stream() {
                more |= reading.poll();
            }
        }
        // A stream ends without a byte: its end is news all the same.
        let pending = self.reading.iter().any(Reading::pending);
        self.dirty |= more || pending != self.told_pending;
        more
    }

    fn obey(&mut self, command: Command) {
        self.dirty = true;
        match command {
            Command::Sieve(sieve) => {
                self.sieve = sieve;
                self.find_keys();
            }
            Command::Beside(sieves) => {
                self.beside = sieves.into_iter().map(|sieve| (sieve, Vec::new())).collect();
                self.find_keys();
            }
            Command::Span(span) => self.span = span,
            Command::Lens(lens, expr) => {
                self.lenses[lens as usize] = expr.map(|expr| {
                    let text = expr.to_string();
                    (self.judgements.expr(expr), text)
                });
            }
        }
        self.judgements.forget(&self.used());
        self.judge();
    }

    /// Finds the conditions of all sieves, with times that slide counted from the end as it is.
    fn find_keys(&mut self) {
        self.slid = self.last();
        self.keys = self.judgements.sieve(&self.sieve, self.slid);
        for (sieve, keys) in &mut self.beside {
            *keys = self.judgements.sieve(sieve, self.slid);
        }
    }

    /// The time of the last entry.
    fn last(&self) -> Option<i64> {
        self.status.iter().filter_map(|status| status.span).map(|(_, last)| last).max()
    }

    /// The conditions that somebody asks for.
    pub(super) fn used(&self) -> Vec<Key> {
        let lenses = self.lenses.iter().flatten().map(|(key, _)| key);
        let beside = self.beside.iter().flat_map(|(_, keys)| keys);
        self.keys.iter().chain(lenses).chain(beside).cloned().collect()
    }

    /// Queues what is missing of the conditions in use.
    fn judge(&mut self) {
        // While much is read, the end is not where it will be.
        if self.in_flight == 0 && self.slid != self.last() {
            self.find_keys();
            self.judgements.forget(&self.used());
        }
        self.judgements.queue(&self.used(), &self.blocks, &self.sources, &self.workers);
    }

    fn take(&mut self, outcome: Outcome) {
        self.dirty = true;
        match outcome {
            Outcome::Read { source, run, number, cut } => {
                self.in_flight -= 1;
                let rotated = self.reading[source].pending();
                let sealed = self.reading[source].take(run, number, cut);
                self.store_all(source, sealed);
                if rotated && self.reading[source].idle() {
                    self.reading[source].poll();
                }
                self.judge();
            }
            Outcome::Judged { key, number, edition, bits } => {
                let current = self.blocks[number].edition == edition;
                if let (Some(bits), true) = (bits, current) {
                    self.judgements.take(&key, number, bits);
                }
            }
        }
    }

    fn store_all(&mut self, source: usize, sealed: Vec<Sealed>) {
        for sealed in sealed {
            self.store(source, sealed);
        }
        // What was shown early and did not come again as it was has come in another form.
        if self.reading[source].is_in_turn() {
            for number in std::mem::take(&mut self.early[source]) {
                let old = Arc::clone(&self.blocks[number]);
                let edition = old.edition + 1;
                self.replace(number, old.without_entries(edition));
            }
        }
        self.dirty = true;
    }

    fn store(&mut self, source: usize, sealed: Sealed) {
        let early = &mut self.early[source];
        let shown = early.iter().position(|number| self.blocks[*number].place == sealed.place);
        let place = match shown.filter(|_| !sealed.early) {
            Some(at) => Some(early.swap_remove(at)),
            None => self.last_block[source].filter(|_| sealed.replaces),
        };
        let edition = place.map_or(0, |number| self.blocks[number].edition + 1);
        let block = Block {
            source: SourceId(u16::try_from(source).unwrap_or(u16::MAX)),
            segment: sealed.segment,
            file: sealed.file,
            dialect: sealed.dialect,
            offset: sealed.offset,
            len: sealed.len,
            first_line: sealed.first_line,
            place: sealed.place,
            columns: sealed.columns,
            edition,
            usual: std::sync::OnceLock::new(),
            unlevelled: std::sync::OnceLock::new(),
        };
        let number = place.unwrap_or(self.blocks.len());
        if sealed.early {
            self.early[source].push(number);
        } else {
            self.last_block[source] = Some(number);
        }
        match place {
            None => {
                self.count(&block, 1);
                self.blocks.push(Arc::new(block));
                self.ordered.push(0);
            }
            Some(number) => self.replace(number, block),
        }
    }

    /// Puts a block in the place of one.
    fn replace(&mut self, number: usize, block: Block) {
        let old = Arc::clone(&self.blocks[number]);
        self.count(&old, -1);
        self.count(&block, 1);
        let extends = block.columns.extends(&old.columns);
        self.blocks[number] = Arc::new(block);
        if !extends {
            self.order.remove_block(number);
            self.ordered[number] = 0;
        }
        self.judgements.block_changed(number);
    }

    /// Adds a block to the figures of its source, or takes it out of them.
    fn count(&mut self, block: &Block, sign: isize) {
        let status = &mut self.status[block.source.index()];
        let census = block.columns.census();
        for (layout, more) in census.layouts() {
            match status.layouts.iter_mut().find(|(known, _)| *known == layout) {
                Some((_, count)) => *count = count.wrapping_add_signed(sign * more.cast_signed()),
                None => status.layouts.push((layout, more)),
            }
        }
        for (count, more) in status.levels.iter_mut().zip(census.levels) {
            *count = count.wrapping_add_signed(sign * more.cast_signed());
        }
        let unlevelled = sign * census.unlevelled.cast_signed();
        status.unlevelled = status.unlevelled.wrapping_add_signed(unlevelled);
        if let Some((first, last)) = census.span.filter(|_| sign > 0) {
            let span = status.span.get_or_insert((first, last));
            *span = (span.0.min(first), span.1.max(last));
        }
        let lines = block.len() as u64;
        status.lines = status.lines.max(block.first_line.saturating_sub(1) + lines);
        status.layouts.sort_by_key(|(layout, count)| (std::cmp::Reverse(*count), *layout));
    }
}

//! What has been read: the blocks, their order, and the figures of each source.

use std::{
    collections::{HashMap, HashSet},
    sync::Arc,
};

use super::{sets::LevelsAlong, snapshot::SourceStatus};
use crate::{
    ingest::{Sealed, Slot},
    sieve::Arrival,
    source::{Segment, SourceId},
    store::{Block, Blocks, Rows, in_order},
};

/// A file of a source.
type FileKey = (usize, usize);

#[derive(Default)]
pub(super) struct Store {
    pub(super) blocks: Blocks,
    pub(super) order: Rows,
    pub(super) levels: LevelsAlong,
    pub(super) status: Vec<SourceStatus>,
    /// The time of the last entry of all.
    last_time: Option<i64>,
    /// Entries of each block that are in the order.
    ordered: Vec<usize>,
    /// The number of each file's last block, and of the one that holds its line without an end.
    last: HashMap<FileKey, usize>,
    growing: HashMap<FileKey, usize>,
    /// The numbers of the blocks that were read ahead of what stands before them.
    early: HashMap<usize, Vec<usize>>,
    /// Blocks that have changed since they were asked for.
    changed: Vec<usize>,
    /// The numbers of blocks that were let go of.
    free: Vec<usize>,
}

impl Store {
    /// Blocks that have become others since the last call.
    pub(super) fn changed(&mut self) -> Vec<usize> {
        std::mem::take(&mut self.changed)
    }

    /// Takes blocks in. `in_turn` says that what was read early has come again.
    pub(super) fn put_all(&mut self, source: usize, sealed: Vec<Sealed>, in_turn: bool) {
        for sealed in sealed {
            self.put(source, sealed);
        }
        // What was shown early and did not come again as it was has come in another form.
        if in_turn {
            for number in self.early.remove(&source).unwrap_or_default() {
                let old = Arc::clone(&self.blocks[number]);
                self.replace(number, old.without_entries(old.edition + 1));
            }
        }
    }

    fn put(&mut self, source: usize, sealed: Sealed) {
        let key = (source, sealed.number);
        let early = self.early.entry(source).or_default();
        let shown = early.iter().position(|number| self.blocks[*number].place == sealed.place);
        let place = match sealed.slot {
            Slot::Growing => self.growing.get(&key).copied(),
            Slot::Early => None,
            Slot::Last => self.last.get(&key).copied(),
            Slot::Next => shown.map(|at| early.swap_remove(at)),
        };
        if place.is_none() && sealed.columns.is_empty() && sealed.slot == Slot::Growing {
            return;
        }
        let free = if place.is_none() { self.free.pop() } else { None };
        let number = place.or(free).unwrap_or(self.blocks.len());
        let edition = self.blocks.get(number).map_or(0, |block| block.edition + 1);
        let slot = sealed.slot;
        let mut block = sealed.into_block(SourceId::at(source), edition);
        block.life = self.blocks.get(number).map_or(0, |block| block.life);
        match slot {
            Slot::Growing => drop(self.growing.insert(key, number)),
            Slot::Early => early.push(number),
            Slot::Last | Slot::Next => drop(self.last.insert(key, number)),
        }
        match place.or(free) {
            None => self.add(Arc::new(block)),
            Some(number) => self.replace(number, block),
        }
    }

    /// Lets go of what had arrived at a moment, since nobody asks for it again: blocks, and copies of their bytes.
    /// `over` tells of which file of a source nothing more comes.
    pub(super) fn release(&mut self, told: &Arrival, over: impl Fn(usize, usize) -> bool) {
        // Up to where each segment is done with; the flag says that an entry stands there that is not.
        let mut done: HashMap<*const Segment, (Arc<Segment>, u64, bool)> = HashMap::new();
        let early: HashSet<usize> = self.early.values().flatten().copied().collect();
        for number in 0..self.blocks.len() {
            let block = Arc::clone(&self.blocks[number]);
            let told = told.of_block(number, block.life).min(block.len());
            let (end, open) = match told < block.len() {
                true => (block.offset + block.start(told) as u64, true),
                false => (block.offset + block.len, false),
            };
            let key = Arc::as_ptr(&block.segment);
            let known = done.entry(key).or_insert((Arc::clone(&block.segment), end, open));
            match (known.2, open) {
                (true, true) => known.1 = known.1.min(end),
                (false, false) => known.1 = known.1.max(end),
                (false, true) => (known.1, known.2) = (end, true),
                (true, false) => {}
            }
            let file = (block.source.index(), block.number);
            let last = [&self.last, &self.growing].iter().any(|of| of.get(&file) == Some(&number));
            let over = over(file.0, file.1);
            if open || early.contains(&number) || last && !over || block.is_let_go() {
                continue;
            }
            if last {
                self.last.remove(&file);
                self.growing.remove(&file);
            }
            self.order.remove_block(number);
            self.ordered[number] = 0;
            self.blocks[number] = Arc::new(block.let_go());
            self.changed.push(number);
            self.free.push(number);
        }
        for (segment, end, _) in done.into_values() {
            segment.settle(end, true);
        }
    }

    /// Tells which bytes of followed files are done with: those of blocks that are judged.
    pub(super) fn settle(&self, judged: impl Fn(usize) -> bool) {
        let mut open: HashMap<*const Segment, u64> = HashMap::new();
        for (_, block) in self.blocks.iter().enumerate().filter(|(number, _)| !judged(*number)) {
            let first = open.entry(Arc::as_ptr(&block.segment)).or_insert(block.offset);
            *first = (*first).min(block.offset);
        }
        for block in &self.blocks {
            let end = block.offset + block.len;
            let first = open.get(&Arc::as_ptr(&block.segment)).copied();
            block.segment.settle(first.map_or(end, |first| first.min(end)), false);
        }
    }

    /// Adds a block.
    pub(super) fn add(&mut self, block: Arc<Block>) {
        self.count(&block, 1);
        self.blocks.push(block);
        self.ordered.push(0);
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
        self.changed.push(number);
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
            self.last_time = self.last_time.max(Some(last));
        }
        status.doubtful = status.doubtful.wrapping_add_signed(sign * census.doubtful.cast_signed());
        let lines = block.len() as u64;
        status.lines = status.lines.max(block.first_line.saturating_sub(1) + lines);
        status.layouts.sort_by_key(|(layout, count)| (std::cmp::Reverse(*count), *layout));
    }

    /// Brings the order up to date.
    pub(super) fn order_new(&mut self) {
        let ordered = &mut self.ordered;
        let ranges = self.blocks.iter().enumerate().filter_map(|(number, block)| {
            let from = std::mem::replace(&mut ordered[number], block.len());
            (from < block.len()).then(|| (number, from..block.len()))
        });
        let new = in_order(&self.blocks, ranges);
        self.order.merge(&self.blocks, &new);
    }

    /// The time of the last entry.
    pub(super) fn last_time(&self) -> Option<i64> {
        self.last_time
    }
}

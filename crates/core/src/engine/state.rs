//! What has been read: the blocks, their order, and the figures of each source.

use std::{collections::HashMap, sync::Arc};

use super::{sets::LevelsAlong, snapshot::SourceStatus};
use crate::{
    ingest::{Sealed, Slot},
    source::SourceId,
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
    /// Entries of each block that are in the order.
    ordered: Vec<usize>,
    /// The number of each file's last block, and of the one that holds its line without an end.
    last: HashMap<FileKey, usize>,
    growing: HashMap<FileKey, usize>,
    /// The numbers of the blocks that were read ahead of what stands before them.
    early: HashMap<usize, Vec<usize>>,
    /// Blocks that have changed since they were asked for.
    changed: Vec<usize>,
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
        let edition = place.map_or(0, |number| self.blocks[number].edition + 1);
        let slot = sealed.slot;
        let block = sealed.into_block(SourceId(u16::try_from(source).unwrap_or(u16::MAX)), edition);
        let number = place.unwrap_or(self.blocks.len());
        match slot {
            Slot::Growing => drop(self.growing.insert(key, number)),
            Slot::Early => early.push(number),
            Slot::Last | Slot::Next => drop(self.last.insert(key, number)),
        }
        match place {
            None => self.add(Arc::new(block)),
            Some(number) => self.replace(number, block),
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
        self.status.iter().filter_map(|status| status.span).map(|(_, last)| last).max()
    }
}

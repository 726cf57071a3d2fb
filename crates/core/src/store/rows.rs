//! Entries in the order of time, in chunks that snapshots share.
//!
//! New entries mostly come at the end, so that a new version copies little: chunks before the first
//! change are shared with the version before.

use std::sync::Arc;

use super::{Block, EntryId};
use crate::source::SourceId;

/// All blocks of an intake, by number.
pub(crate) type Blocks = Vec<Arc<Block>>;

/// What entries are ordered by: time, then source, then place in the source.
pub(crate) type Key = (i64, SourceId, EntryId);

const CHUNK: usize = 8_192;

/// A list of entries in the order of time. Cloning shares the chunks.
#[derive(Clone, Debug, Default)]
pub struct Rows {
    chunks: Vec<Arc<Vec<EntryId>>>,
    /// The row that each chunk starts with.
    starts: Vec<usize>,
    len: usize,
}

pub(crate) fn key(blocks: &Blocks, id: EntryId) -> Key {
    let block = &blocks[id.block()];
    (block.time(id.index()), block.source, id)
}

impl Rows {
    /// The number of rows.
    #[must_use]
    pub fn len(&self) -> usize {
        self.len
    }

    /// Whether there is no row.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// The entry in a row.
    #[must_use]
    pub fn get(&self, row: usize) -> Option<EntryId> {
        let chunk = self.starts.partition_point(|start| *start <= row).checked_sub(1)?;
        self.chunks[chunk].get(row - self.starts[chunk]).copied()
    }

    /// The entries from a row on.
    pub fn iter_from(&self, row: usize) -> impl Iterator<Item = EntryId> + '_ {
        let chunk = self.starts.partition_point(|start| *start <= row).saturating_sub(1);
        let skip = row - self.starts.get(chunk).copied().unwrap_or(0).min(row);
        self.chunks[chunk.min(self.chunks.len())..]
            .iter()
            .flat_map(|chunk| chunk.iter().copied())
            .skip(skip)
    }

    /// The first row whose entry does not come before the key.
    pub(crate) fn lower_bound(&self, blocks: &Blocks, want: Key) -> usize {
        let chunk = self
            .chunks
            .partition_point(|chunk| chunk.last().is_some_and(|id| key(blocks, *id) < want));
        match self.chunks.get(chunk) {
            None => self.len,
            Some(ids) => self.starts[chunk] + ids.partition_point(|id| key(blocks, *id) < want),
        }
    }

    /// Takes in entries that are sorted by their key. Cost: the rows from the first of them on.
    pub(crate) fn merge(&mut self, blocks: &Blocks, batch: &[EntryId]) {
        let Some(first) = batch.first() else { return };
        let at = self.lower_bound(blocks, key(blocks, *first));
        if at == self.len {
            self.extend(batch);
            return;
        }
        let keep = self.starts.partition_point(|start| *start <= at).saturating_sub(1);
        let tail: Vec<EntryId> = self.chunks.drain(keep..).flat_map(|c| c.to_vec()).collect();
        self.starts.truncate(keep);
        self.len -= tail.len();
        let mut merged = Vec::with_capacity(tail.len() + batch.len());
        let mut new = batch.iter().copied().peekable();
        for id in tail {
            let old = key(blocks, id);
            while let Some(next) = new.next_if(|next| key(blocks, *next) < old) {
                merged.push(next);
            }
            merged.push(id);
        }
        merged.extend(new);
        self.extend(&merged);
    }

    /// Drops the entries of one block.
    pub(crate) fn remove_block(&mut self, block: usize) {
        let kept: Vec<EntryId> = self.iter_from(0).filter(|id| id.block() != block).collect();
        *self = Self::default();
        self.extend(&kept);
    }

    /// The rows that `keep` lets through.
    pub(crate) fn filter(&self, keep: impl Fn(EntryId) -> bool) -> Self {
        let kept: Vec<EntryId> = self.iter_from(0).filter(|id| keep(*id)).collect();
        let mut rows = Self::default();
        rows.extend(&kept);
        rows
    }

    fn extend(&mut self, ids: &[EntryId]) {
        for chunk in ids.chunks(CHUNK) {
            self.starts.push(self.len);
            self.len += chunk.len();
            self.chunks.push(Arc::new(chunk.to_vec()));
        }
    }
}

/// The entries of several blocks, given as ranges of their numbers, in the order of time.
///
/// The blocks of a source follow each other in time as a rule, and so do the entries in a block: they are
/// chained to runs, a few a source at most, and the runs are merged. An entry that is out of order within
/// its block makes that block be sorted.
pub(crate) fn in_order(
    blocks: &Blocks,
    ranges: impl Iterator<Item = (usize, std::ops::Range<usize>)>,
    keep: impl Fn(EntryId) -> bool,
) -> Vec<EntryId> {
    let mut runs: Vec<Vec<EntryId>> = Vec::new();
    for (number, range) in ranges {
        let mut ids: Vec<EntryId> =
            range.map(|index| EntryId::new(number, index)).filter(|id| keep(*id)).collect();
        if ids.is_empty() {
            continue;
        }
        let block = &blocks[number];
        if !ids.is_sorted_by_key(|id| block.time(id.index())) {
            ids.sort_by_key(|id| block.time(id.index()));
        }
        let (source, start) = (block.source, key(blocks, ids[0]));
        let fits = |run: &&mut Vec<EntryId>| {
            run.last().is_some_and(|last| {
                blocks[last.block()].source == source && key(blocks, *last) < start
            })
        };
        match runs.iter_mut().find(fits) {
            Some(run) => run.append(&mut ids),
            None => runs.push(ids),
        }
    }
    merge_runs(blocks, runs)
}

fn merge_runs(blocks: &Blocks, mut runs: Vec<Vec<EntryId>>) -> Vec<EntryId> {
    if runs.len() == 1 {
        return runs.remove(0);
    }
    let mut merged = Vec::with_capacity(runs.iter().map(Vec::len).sum());
    // The next entry of each run with its key, the smallest at the end.
    let mut heads: Vec<(Key, usize, usize)> =
        runs.iter().enumerate().map(|(run, ids)| (key(blocks, ids[0]), run, 0)).collect();
    heads.sort_unstable_by(|a, b| b.cmp(a));
    while let Some((_, run, mut at)) = heads.pop() {
        let ids = &runs[run];
        // Everything of this run that comes before the next of all others.
        let limit = heads.last().map(|(key, ..)| *key);
        let mut next = None;
        while let Some(id) = ids.get(at) {
            let mine = key(blocks, *id);
            if limit.is_some_and(|limit| mine > limit) {
                next = Some(mine);
                break;
            }
            merged.push(*id);
            at += 1;
        }
        if let Some(mine) = next {
            let place = heads.partition_point(|(other, ..)| *other > mine);
            heads.insert(place, (mine, run, at));
        }
    }
    merged
}

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
    pub(crate) fn merge(&mut self, blocks: &Blocks, batch: &[Key]) {
        let Some(first) = batch.first() else { return };
        let at = self.lower_bound(blocks, *first);
        let keep = self.starts.partition_point(|start| *start <= at).saturating_sub(1);
        let tail: Vec<EntryId> = self.chunks.drain(keep..).flat_map(|c| c.to_vec()).collect();
        self.starts.truncate(keep);
        self.len -= tail.len();
        let mut merged = Vec::with_capacity(tail.len() + batch.len());
        let mut new = batch.iter().peekable();
        for id in tail {
            let old = key(blocks, id);
            while let Some(next) = new.next_if(|next| **next < old) {
                merged.push(next.2);
            }
            merged.push(id);
        }
        merged.extend(new.map(|next| next.2));
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

//! Entries in the order of time, in chunks that snapshots share.
//!
//! New entries mostly come at the end, so that a new version copies little: chunks before the first
//! change are shared with the version before.

use std::{
    collections::{BTreeMap, BinaryHeap, HashMap},
    ops::Range,
    sync::Arc,
};

use super::{Bits, Block, EntryId};
use crate::source::SourceId;

/// All blocks of an intake, by number.
pub(crate) type Blocks = Vec<Arc<Block>>;

/// What entries are ordered by: time, then source, then place in the source: that of their block, and their
/// number in it.
pub(crate) type Key = (i64, SourceId, u64, EntryId);

const CHUNK: usize = if cfg!(test) { 8 } else { 8_192 };

/// Entries that follow each other in the order of time.
#[derive(Debug)]
pub(crate) struct Chunk {
    ids: Vec<EntryId>,
    /// The blocks that they are in, each once.
    blocks: Vec<u16>,
}

impl Chunk {
    fn of(ids: &[EntryId]) -> Self {
        let mut blocks: Vec<u16> = Vec::new();
        let mut last = None;
        for id in ids {
            let block = u16::try_from(id.block()).unwrap_or(u16::MAX);
            if last != Some(block) && !blocks.contains(&block) {
                blocks.push(block);
            }
            last = Some(block);
        }
        Self { ids: ids.to_vec(), blocks }
    }

    pub(crate) fn ids(&self) -> &[EntryId] {
        &self.ids
    }

    pub(crate) fn blocks(&self) -> impl Iterator<Item = usize> + '_ {
        self.blocks.iter().map(|block| usize::from(*block))
    }
}

/// A list of entries in the order of time: all of them, or those that a set for each chunk lets through.
/// Cloning shares the chunks.
#[derive(Clone, Debug, Default)]
pub struct Rows {
    chunks: Vec<Arc<Chunk>>,
    masks: Option<Vec<Bits>>,
    /// The row that each chunk starts with.
    starts: Vec<usize>,
    len: usize,
}

pub(crate) fn key(blocks: &Blocks, id: EntryId) -> Key {
    let block = &blocks[id.block()];
    (block.time(id.index()), block.source, block.place, id)
}

impl Rows {
    /// Entries in the order in which they are given.
    pub(crate) fn as_given(ids: &[EntryId]) -> Self {
        let mut rows = Self::default();
        rows.extend(ids);
        rows
    }

    /// The same entries source by source, in the order in which they stand there.
    #[must_use]
    pub(crate) fn by_place(&self, blocks: &Blocks) -> Self {
        let mut ids: Vec<EntryId> = self.iter_from(0).collect();
        ids.sort_by_cached_key(|id| (blocks[id.block()].source, blocks[id.block()].place, *id));
        Self::as_given(&ids)
    }

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
        if row >= self.len {
            return None;
        }
        let (chunk, at) = self.place(row)?;
        self.chunks[chunk].ids.get(at).copied()
    }

    /// The chunk that holds a row, and the place in it.
    fn place(&self, row: usize) -> Option<(usize, usize)> {
        let chunk = self.starts.partition_point(|start| *start <= row).checked_sub(1)?;
        let rest = row - self.starts[chunk];
        let at = match &self.masks {
            None => rest,
            Some(masks) => masks[chunk].select(rest)?,
        };
        Some((chunk, at))
    }

    /// The entries from a row on.
    pub fn iter_from(&self, row: usize) -> impl Iterator<Item = EntryId> + '_ {
        let (first, skip) = match self.place(row) {
            Some(place) if row < self.len => place,
            _ => (self.chunks.len(), 0),
        };
        let from = move |chunk: usize| if chunk == first { skip } else { 0 };
        self.chunks.iter().enumerate().skip(first).flat_map(move |(number, chunk)| {
            let mask = self.masks.as_ref().map(|masks| &masks[number]);
            let at = from(number);
            let all = chunk.ids.get(at..).filter(|_| mask.is_none()).unwrap_or(&[]);
            let some = mask.into_iter().flat_map(move |mask| mask.iter_from(at));
            all.iter().copied().chain(some.map(|index| chunk.ids[index]))
        })
    }

    /// The first row whose entry does not come before the key.
    pub(crate) fn lower_bound(&self, blocks: &Blocks, want: Key) -> usize {
        let before = |id: &EntryId| key(blocks, *id) < want;
        let chunk = self.chunks.partition_point(|chunk| chunk.ids.last().is_some_and(before));
        let Some(ids) = self.chunks.get(chunk).map(|chunk| &chunk.ids) else { return self.len };
        let at = ids.partition_point(before);
        let in_chunk = match &self.masks {
            None => at,
            Some(masks) => masks[chunk].rank(at),
        };
        self.starts[chunk] + in_chunk
    }

    /// The nearest row after `from`, or before it, that a set for each chunk has.
    pub(crate) fn next_in(&self, sets: &[Arc<Bits>], from: usize, forwards: bool) -> Option<usize> {
        let place = self.place(from).filter(|_| from < self.len);
        let (chunk, at) = place.unwrap_or((self.chunks.len(), 0));
        let both = |number: usize| {
            let mut both = Bits::clone(sets.get(number)?);
            if let Some(masks) = &self.masks {
                both.keep(&masks[number]);
            }
            Some(both)
        };
        let row = |number: usize, at: usize| {
            let rank = self.masks.as_ref().map_or(at, |masks| masks[number].rank(at));
            self.starts[number] + rank
        };
        if forwards {
            (chunk..self.chunks.len()).find_map(|number| {
                let from = if number == chunk { at + 1 } else { 0 };
                both(number)?.iter_from(from).next().map(|at| row(number, at))
            })
        } else {
            (0..self.chunks.len().min(chunk + 1)).rev().find_map(|number| {
                let both = both(number)?;
                let until = if number == chunk { at } else { usize::MAX };
                let last = both.rank(until).checked_sub(1)?;
                both.select(last).map(|at| row(number, at))
            })
        }
    }

    /// How many rows a set for each chunk has.
    pub(crate) fn count_in(&self, sets: &[Arc<Bits>]) -> usize {
        match &self.masks {
            None => sets.iter().map(|set| set.count()).sum(),
            Some(masks) => masks.iter().zip(sets).map(|(mask, set)| mask.count_both(set)).sum(),
        }
    }

    pub(crate) fn chunks(&self) -> &[Arc<Chunk>] {
        &self.chunks
    }

    /// The rows that a set for each chunk lets through.
    pub(crate) fn sifted(&self, masks: Vec<Bits>) -> Self {
        let mut len = 0;
        let starts = masks.iter().map(|mask| {
            let start = len;
            len += mask.count();
            start
        });
        let starts = starts.collect();
        Self { chunks: self.chunks.clone(), starts, len, masks: Some(masks) }
    }

    /// Takes in entries that are sorted by their key. Cost: the chunks that they fall into. Only for lists of all
    /// entries.
    pub(crate) fn merge(&mut self, blocks: &Blocks, batch: &[EntryId]) {
        let Some(first) = batch.first() else { return };
        let first = key(blocks, *first);
        let before =
            |chunk: &Arc<Chunk>| chunk.ids.last().is_some_and(|last| key(blocks, *last) < first);
        let keep = self.chunks.partition_point(before);
        if keep == self.chunks.len() {
            return self.extend(batch);
        }
        let late: Vec<Arc<Chunk>> = self.chunks.drain(keep..).collect();
        self.len = self.starts[keep];
        self.starts.truncate(keep);
        let mut new = batch;
        for chunk in late {
            let last = chunk.ids.last().map(|last| key(blocks, *last));
            let (mine, rest) =
                new.split_at(new.partition_point(|id| Some(key(blocks, *id)) < last));
            new = rest;
            if mine.is_empty() {
                self.push(chunk);
                continue;
            }
            let merged = merged(blocks, &chunk.ids, mine);
            let pieces = (merged.len() / CHUNK).max(1);
            for piece in merged.chunks(merged.len().div_ceil(pieces)) {
                self.push(Arc::new(Chunk::of(piece)));
            }
        }
        self.extend(new);
    }

    /// Drops the entries of one block. Cost: the chunks that have some of them. Only for lists of all entries.
    pub(crate) fn remove_block(&mut self, block: usize) {
        let Some(first) = self.chunks.iter().position(|chunk| chunk.blocks().any(|b| b == block))
        else {
            return;
        };
        let late: Vec<Arc<Chunk>> = self.chunks.drain(first..).collect();
        self.len = self.starts[first];
        self.starts.truncate(first);
        for chunk in late {
            if chunk.blocks().all(|other| other != block) {
                self.push(chunk);
                continue;
            }
            let kept: Vec<EntryId> =
                chunk.ids.iter().copied().filter(|id| id.block() != block).collect();
            if !kept.is_empty() {
                self.push(Arc::new(Chunk::of(&kept)));
            }
        }
    }

    fn push(&mut self, chunk: Arc<Chunk>) {
        self.starts.push(self.len);
        self.len += chunk.ids.len();
        self.chunks.push(chunk);
    }

    fn extend(&mut self, ids: &[EntryId]) {
        let mut joined = Vec::new();
        let mut ids = ids;
        // What trickles in fills the last chunk.
        if self.chunks.last().is_some_and(|chunk| chunk.ids.len() < CHUNK)
            && let (Some(last), Some(start)) = (self.chunks.pop(), self.starts.pop())
        {
            self.len = start;
            joined = [&last.ids[..], ids].concat();
        }
        if !joined.is_empty() {
            ids = &joined;
        }
        for chunk in ids.chunks(CHUNK) {
            self.push(Arc::new(Chunk::of(chunk)));
        }
    }
}

/// Two sorted lists as one.
fn merged(blocks: &Blocks, old: &[EntryId], new: &[EntryId]) -> Vec<EntryId> {
    let mut merged = Vec::with_capacity(old.len() + new.len());
    let mut new = new.iter().copied().peekable();
    for id in old {
        let place = key(blocks, *id);
        while let Some(next) = new.next_if(|next| key(blocks, *next) < place) {
            merged.push(next);
        }
        merged.push(*id);
    }
    merged.extend(new);
    merged
}

/// The entries of several blocks, given as ranges of their numbers, in the order of time.
///
/// The blocks of a source follow each other in time as a rule, and so do the entries in a block: they are
/// chained to runs, a few a source at most, and the runs are merged, a stretch of time by each thread. An
/// entry that is out of order within its block makes that block be sorted.
pub(crate) fn in_order(
    blocks: &Blocks,
    ranges: impl Iterator<Item = (usize, Range<usize>)>,
) -> Vec<EntryId> {
    let mut runs: Vec<Vec<Piece<'_>>> = Vec::new();
    // The runs of each source by what they end with.
    let mut ends: HashMap<SourceId, BTreeMap<Key, usize>> = HashMap::new();
    for (number, range) in ranges {
        let Some(piece) = Piece::of(blocks, number, range) else { continue };
        let (start, end) = (piece.key(0), piece.key(piece.ids.len() - 1));
        let ends = ends.entry(piece.source).or_default();
        let fits = ends.range(..start).next_back().map(|(key, run)| (*key, *run));
        let run = match fits {
            Some((key, run)) => {
                ends.remove(&key);
                runs[run].push(piece);
                run
            }
            None => {
                runs.push(vec![piece]);
                runs.len() - 1
            }
        };
        ends.insert(end, run);
    }
    let total: usize = runs.iter().flatten().map(|piece| piece.ids.len()).sum();
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let Some(middle) = middle(&runs).filter(|_| runs.len() > 1 && total > PARALLEL && threads > 1)
    else {
        return merge_runs(&runs, total);
    };
    let (early, late): (Vec<_>, Vec<_>) = runs.iter().map(|run| split(run, middle)).unzip();
    let (mut first, second) = std::thread::scope(|scope| {
        let second = scope.spawn(|| merge_runs(&late, total / 2));
        (merge_runs(&early, total), second.join())
    });
    match second {
        Ok(second) => first.extend(second),
        Err(panic) => std::panic::resume_unwind(panic),
    }
    first
}

/// Entries below which two threads are no faster than one.
const PARALLEL: usize = if cfg!(test) { 8 } else { 100_000 };

/// Entries of one block in the order of time.
#[derive(Clone)]
struct Piece<'b> {
    source: SourceId,
    place: u64,
    times: &'b [i64],
    ids: Ids,
}

/// Numbers within a block.
#[derive(Clone)]
enum Ids {
    All { block: usize, range: Range<usize> },
    Some(Vec<EntryId>),
}

impl Ids {
    fn len(&self) -> usize {
        match self {
            Self::All { range, .. } => range.len(),
            Self::Some(ids) => ids.len(),
        }
    }

    fn get(&self, at: usize) -> EntryId {
        match self {
            Self::All { block, range } => EntryId::new(*block, range.start + at),
            Self::Some(ids) => ids[at],
        }
    }

    /// The first `at` of them, and the others.
    fn split(&self, at: usize) -> (Self, Self) {
        match self {
            Self::All { block, range } => {
                let middle = range.start + at;
                let part = |range| Self::All { block: *block, range };
                (part(range.start..middle), part(middle..range.end))
            }
            Self::Some(ids) => (Self::Some(ids[..at].to_vec()), Self::Some(ids[at..].to_vec())),
        }
    }
}

impl<'b> Piece<'b> {
    fn of(blocks: &'b Blocks, block: usize, range: Range<usize>) -> Option<Self> {
        let times = blocks[block].times();
        let (source, place) = (blocks[block].source, blocks[block].place);
        if range.is_empty() {
            return None;
        }
        if times[range.clone()].is_sorted() {
            return Some(Self { source, place, times, ids: Ids::All { block, range } });
        }
        let mut ids: Vec<EntryId> = range.map(|index| EntryId::new(block, index)).collect();
        ids.sort_by_key(|id| times[id.index()]);
        Some(Self { source, place, times, ids: Ids::Some(ids) })
    }

    fn key(&self, at: usize) -> Key {
        let id = self.ids.get(at);
        (self.times[id.index()], self.source, self.place, id)
    }

    /// How many of its entries come before a time.
    fn before(&self, time: i64) -> usize {
        let (mut low, mut high) = (0, self.ids.len());
        while low < high {
            let at = usize::midpoint(low, high);
            if self.key(at).0 < time {
                low = at + 1;
            } else {
                high = at;
            }
        }
        low
    }
}

/// A time in the middle of the longest run.
fn middle(runs: &[Vec<Piece<'_>>]) -> Option<i64> {
    let longest = runs.iter().max_by_key(|run| run.len())?;
    let piece = longest.get(longest.len() / 2)?;
    Some(piece.key(0).0)
}

/// The entries of a run that come before a time, and the others.
fn split<'b>(run: &[Piece<'b>], time: i64) -> (Vec<Piece<'b>>, Vec<Piece<'b>>) {
    let (mut early, mut late) = (Vec::new(), Vec::new());
    for piece in run {
        let at = piece.before(time);
        let (before, after) = piece.ids.split(at);
        for (to, ids) in [(&mut early, before), (&mut late, after)] {
            if ids.len() > 0 {
                to.push(Piece { ids, ..piece.clone() });
            }
        }
    }
    (early, late)
}

/// The next entry of a run. The one that comes first is the greatest: a heap gives it first.
struct Next {
    key: Key,
    run: usize,
    piece: usize,
    at: usize,
}

impl PartialEq for Next {
    fn eq(&self, other: &Self) -> bool {
        self.key == other.key
    }
}

impl Eq for Next {}

impl Ord for Next {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        other.key.cmp(&self.key)
    }
}

impl PartialOrd for Next {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

fn merge_runs(runs: &[Vec<Piece<'_>>], total: usize) -> Vec<EntryId> {
    let mut merged = Vec::with_capacity(total);
    // The next entry of each run.
    let mut heads: BinaryHeap<Next> = runs
        .iter()
        .enumerate()
        .filter_map(|(run, pieces)| {
            Some(Next { key: pieces.first()?.key(0), run, piece: 0, at: 0 })
        })
        .collect();
    while let Some(mut head) = heads.pop() {
        let pieces = &runs[head.run];
        // Everything of this run that comes before the next of all others.
        let limit = heads.peek().map(|next| next.key);
        let mut more = false;
        while let Some(piece) = pieces.get(head.piece) {
            let until = match limit {
                None => piece.ids.len(),
                Some(_) => head.at,
            };
            for at in head.at..until {
                merged.push(piece.ids.get(at));
            }
            head.at = until;
            if let Some(limit) = limit {
                while head.at < piece.ids.len() {
                    head.key = piece.key(head.at);
                    if head.key > limit {
                        more = true;
                        break;
                    }
                    merged.push(head.key.3);
                    head.at += 1;
                }
            }
            if more {
                break;
            }
            (head.piece, head.at) = (head.piece + 1, 0);
        }
        if more {
            heads.push(head);
        }
    }
    merged
}
